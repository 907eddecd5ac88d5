// Read a model, certify it, and write it in another format.
// Usage: example_certify_and_write MODEL OUTPUT

#include <iostream>

#include <aguja/base/error.h>
#include <aguja/formats/read.h>
#include <aguja/formats/write.h>
#include <aguja/solid/certificate.h>

int main(int argc, char** argv) {
  if (argc != 3) return 2;
  try {
    const aguja::Model model = aguja::read_model(argv[1]);
    const aguja::Certificate certificate = aguja::certify(model);
    std::cout << slug(certificate.verdict);
    if (certificate.encloses) {
      std::cout << ", volume " << certificate.mass.volume << " " << symbol(model.unit) << "3";
    }
    for (const aguja::Reason& reason : certificate.reasons) std::cout << "\n  " << reason.text;

    const auto format = aguja::format_of_name(argv[2]);
    if (!format) return 2;
    const aguja::WriteReport report = aguja::write_model(argv[2], model, *format, {}, true);
    std::cout << "\nwritten " << argv[2] << ", " << report.digest << "\n";
    return 0;
  } catch (const aguja::Error& error) {
    std::cerr << error.what() << "\n";
    return 3;
  }
}
