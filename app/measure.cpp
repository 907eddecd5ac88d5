// aguja measure: boxes, areas, volumes, masses, centroids and inertia of parts.

#include <nlohmann/json.hpp>

#include "aguja/report/text.h"
#include "session.h"

namespace aguja::app {
namespace {

struct MeasureCommand : Session {
  std::string density;

  int measure_model() {
    std::optional<Density> material;
    if (!density.empty()) material = Density{parse_density(density)};
    const Model model = read();
    const auto parts = measure_parts(model, &times(), progress());
    print([&] { return measure_json(model, parts, material, facts()); },
          [&] { return measure_text(model, parts, file_label(), material, {.width = width()}); });
    return kAllWell;
  }
};

}  // namespace

void add_measure(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command =
      *app.add_subcommand("measure", "sizes, areas, volumes, masses and inertia of parts");
  const auto session = std::make_shared<MeasureCommand>();
  session->add_input(command);
  command.add_option("--density", session->density, "such as 7850kg/m3 or 2.7g/cm3");
  session->add_common(command);
  command.footer("Example: aguja measure pod.stl --density 1.05g/cm3");
  commands.emplace_back(
      &command, [session] { return session->run([&] { return session->measure_model(); }); });
}

}  // namespace aguja::app
