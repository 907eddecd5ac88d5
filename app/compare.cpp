// aguja compare: how far two models lie apart, both ways, and where.

#include <nlohmann/json.hpp>

#include "aguja/formats/view_files.h"
#include "aguja/model/transform.h"
#include "aguja/report/text.h"
#include "page_output.h"
#include "session.h"

namespace aguja::app {
namespace {

struct CompareCommand : Session {
  std::string file_a;
  std::string file_b;
  std::string accuracy;
  std::string within;
  bool overwrite = false;
  std::string fields;
  PageOutput page;

  int compare_models() {
    page.check(overwrite);
    if (!fields.empty() && !fields.ends_with(".vtp")) {
      throw ArgumentError("--fields: expected a name that ends in .vtp; got '" + fields + "'");
    }
    Model a;
    Model b;
    times().time("read", [&] {
      a = read_one(file_a);
      b = read_one(file_b);
    });
    if (b.unit != a.unit) convert_unit(b, a.unit);
    DeviationOptions options;
    if (!accuracy.empty()) options.accuracy = parse_length(accuracy, a.unit);
    std::optional<double> limit;
    if (!within.empty()) limit = parse_length(within, a.unit);
    const Deviation deviation =
        times().time("deviation", [&] { return compare(a, b, options, progress()); });
    print([&] { return compare_json(a, b, deviation, facts()); },
          [&] { return compare_text(a, file_a, file_b, deviation, {.width = width()}); });
    if (page.is_wanted()) page.write_two(*this, {a, file_a, b, file_b}, {}, overwrite, deviation);
    if (!fields.empty()) {
      const TriangleField one[] = {deviation_field(a, b)};
      write_file(
          fields, [&](const ByteSink& sink) { write_vtp(sink, a, one); }, overwrite);
    }
    const bool missed = limit && deviation.largest() > *limit;
    return missed ? kErrorsInGeometry : kAllWell;
  }
};

}  // namespace

void add_compare(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command =
      *app.add_subcommand("compare", "how far two models lie apart, both ways, and where");
  const auto session = std::make_shared<CompareCommand>();
  command.add_option("A", session->file_a, "a model: " + formats_read(""))->required();
  command.add_option("B", session->file_b, "another one")->required();
  session->add_reading(command);
  command.add_option("--accuracy", session->accuracy,
                     "how well the largest distance is to be known, such as 0.001mm");
  command.add_option("--within", session->within,
                     "exit with status 1 if they lie farther apart, such as 0.05mm");
  command.add_option("--fields", session->fields,
                     "write A with its distance to B at each triangle: .vtp");
  session->page.add(command);
  command.add_flag("--overwrite", session->overwrite, "replace page or fields if they exist");
  session->add_common(command);
  command.footer("Example: aguja compare before.stl after.stl --within 0.05mm");
  commands.emplace_back(
      &command, [session] { return session->run([&] { return session->compare_models(); }); });
}

}  // namespace aguja::app
