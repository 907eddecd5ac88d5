// aguja inspect: everything that is wrong, worst first.

#include <nlohmann/json.hpp>

#include "aguja/report/text.h"
#include "session.h"

namespace aguja::app {
namespace {

struct InspectCommand : Session {
  bool every_finding = false;
  std::string tolerance;
  std::size_t most_findings = 10000;

  int inspect_model() {
    const Model model = read();
    InspectOptions options;
    if (!tolerance.empty()) options.profile.tolerance = parse_length(tolerance, model.unit);
    const Inspection inspection = inspect(model, options, &times(), progress());
    print([&] { return inspect_json(model, inspection, most_findings, facts()); },
          [&] {
            return inspect_text(model, inspection, file_label(),
                                {.width = width(), .every_finding = every_finding});
          });
    const bool nothing = triangle_count(model) == 0;
    return nothing || inspection.count(Severity::error) > 0 ? kErrorsInGeometry : kAllWell;
  }
};

}  // namespace

void add_inspect(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command = *app.add_subcommand("inspect", "show everything that is wrong, worst first");
  const auto session = std::make_shared<InspectCommand>();
  session->add_input(command);
  command.add_flag("--each", session->every_finding, "a row per finding instead of per kind");
  command.add_option("--most", session->most_findings, "list at most so many findings in JSON")
      ->capture_default_str();
  command.add_option(
      "--tolerance", session->tolerance,
      "what counts as a crack, such as 0.05mm; if left out, what the widths propose");
  session->add_common(command);
  command.footer(
      "Exit status 1 if there is an error among the findings.\n"
      "Example: aguja inspect pod.stl --each");
  commands.emplace_back(
      &command, [session] { return session->run([&] { return session->inspect_model(); }); });
}

}  // namespace aguja::app
