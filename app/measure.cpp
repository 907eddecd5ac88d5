// aguja measure: sizes and masses of parts; distances, angles, radii, thickness, rims and patches.

#include <nlohmann/json.hpp>

#include "aguja/report/surface_report.h"
#include "aguja/report/text.h"
#include "session.h"

namespace aguja::app {
namespace {

struct MeasureCommand : Session {
  std::string density;
  std::vector<std::string> between;
  std::vector<std::string> thickness;
  std::vector<std::string> angle;
  std::vector<std::string> radius;
  bool rims = false;
  bool patches = false;
  bool tolerances = false;

  int measure_model() {
    AskedMeasures asked;
    if (!density.empty()) asked.density = Density{parse_density(density)};
    const Model model = read();
    const auto points = [&](const std::vector<std::string>& texts, std::string_view option) {
      std::vector<Point> list;
      for (const std::string& t : texts) list.push_back(point_named(t, model.unit, option));
      return list;
    };
    if (!angle.empty()) {
      const auto p = points(angle, "--angle");
      asked.angle = angle_at(p[0], p[1], p[2]);
      if (!asked.angle) throw ArgumentError("--angle: two of the points are the same");
    }
    if (!radius.empty()) {
      const auto p = points(radius, "--radius");
      asked.circle = circle_through(p[0], p[1], p[2]);
      if (!asked.circle) throw ArgumentError("--radius: the points lie on one line");
    }
    std::optional<PatchCatalogue> catalogue;
    const auto patch = [&](const std::string& name) -> const TriangleSet& {
      if (!catalogue) catalogue.emplace(model, progress());
      return catalogue->find(name).set;
    };
    if (!between.empty()) asked.between = {between[0], between[1], distance(model.unit, patch)};
    if (!thickness.empty()) {
      asked.through = {thickness[0], thickness[1],
                       thickness_between(patch(thickness[0]), patch(thickness[1]))};
    }
    if (rims) asked.rims = measure_rims(model);
    if (patches) {
      if (!catalogue) catalogue.emplace(model, progress());
      asked.patches = catalogue->patches();
    }
    const auto parts = measure_parts(model, &times(), progress());
    if (tolerances && model.sources.empty()) {
      throw ArgumentError("--tolerances: a mesh has none; they are of surface models");
    }
    print(
        [&] {
          auto object = measure_json(model, parts, asked, facts());
          add_surface(object, model);
          return object;
        },
        [&] {
          std::string text = measure_text(model, parts, file_label(), asked, {.width = width()});
          if (tolerances) {
            for (const SurfaceSource& source : model.sources) {
              text += tolerances_text(source, {.width = width()});
            }
          }
          return text;
        });
    return kAllWell;
  }

 private:
  template <class Find>
  Distance distance(LengthUnit unit, const Find& patch) const {
    const auto p = point_in(between[0], unit), q = point_in(between[1], unit);
    if (p && q) return {*p, *q};
    if (p) return nearest_place(*p, patch(between[1]));
    if (q) {
      const Distance d = nearest_place(*q, patch(between[0]));
      return {d.to, d.from};
    }
    return nearest_places(patch(between[0]), patch(between[1]));
  }
};

}  // namespace

void add_measure(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command = *app.add_subcommand(
      "measure", "sizes, volumes, masses; distances, angles, radii, thickness, rims, patches");
  const auto session = std::make_shared<MeasureCommand>();
  session->add_input(command);
  command.add_option("--density", session->density, "such as 7850kg/m3 or 2.7g/cm3");
  command
      .add_option("--between", session->between,
                  "distance between two points (x,y,z) or patches (name or number)")
      ->expected(2);
  command
      .add_option("--thickness", session->thickness,
                  "material straight through from one patch to another")
      ->expected(2);
  command.add_option("--angle", session->angle, "angle at the second of three points")->expected(3);
  command.add_option("--radius", session->radius, "circle through three points")->expected(3);
  command.add_flag("--rims", session->rims, "lengths of rims of naked edges");
  command.add_flag("--patches", session->patches, "list the patches, of the file or recognised");
  command.add_flag("--tolerances", session->tolerances,
                   "how far vertices, edges and faces are off each other");
  session->add_common(command);
  command.footer(
      "Examples: aguja measure pod.stl --density 1.05g/cm3\n"
      "          aguja measure pod.stl --between 0,0,0 10,0,5mm\n"
      "          aguja measure pod.stl --patches");
  commands.emplace_back(
      &command, [session] { return session->run([&] { return session->measure_model(); }); });
}

}  // namespace aguja::app
