// Read a model, inspect it, and say what was found.
// Usage: example_inspect_file MODEL

#include <iostream>

#include <aguja/base/error.h>
#include <aguja/formats/read.h>
#include <aguja/inspect/inspect.h>

int main(int argc, char** argv) {
  if (argc != 2) return 2;
  try {
    const aguja::Model model = aguja::read_model(argv[1]);
    const aguja::Inspection inspection = aguja::inspect(model);

    for (const aguja::Finding& f : inspection.findings) {
      std::cout << slug(f.kind) << ", " << f.count << " edges, " << info(f.kind).measure_name << " "
                << f.measure << " " << symbol(model.unit) << ", at " << f.place.transpose() << "\n";
    }
    return inspection.count(aguja::Severity::error) > 0 ? 1 : 0;
  } catch (const aguja::InputError& error) {
    std::cerr << error.what() << "\n";
    return 3;
  }
}
