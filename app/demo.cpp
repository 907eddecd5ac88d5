// aguja demo: writes the demo models and the record of what was seeded in them.

#include "demo/write_demo.h"

#include <nlohmann/json.hpp>

#include "aguja/report/table.h"
#include "session.h"

namespace aguja::app {
namespace {

struct DemoCommand : Session {
  std::string folder;
  bool overwrite = false;

  int write_all() {
    const auto written = times().time("write", [&] { return demo::write_demo(folder, overwrite); });
    const auto surfaces =
        times().time("write", [&] { return demo::write_surface_demo(folder, overwrite); });
    print(
        [&] {
          nlohmann::ordered_json object;
          object["schema"] = schema_json("demo");
          object["files"] = nlohmann::ordered_json::array();
          for (const auto& w : written) {
            object["files"].push_back({{"model", w.model.string()},
                                       {"record", w.record.string()},
                                       {"what", w.demo.what},
                                       {"defects", w.demo.defects.size()}});
          }
          object["surface_files"] = nlohmann::ordered_json::array();
          for (const auto& w : surfaces) {
            object["surface_files"].push_back({{"model", w.model.string()},
                                               {"record", w.record.string()},
                                               {"what", w.demo.what},
                                               {"defects", w.demo.defects.size()}});
          }
          add_facts(object, facts());
          return object;
        },
        [&] {
          TextTable table({{"model", Align::left},
                           {"triangles", Align::right},
                           {"seeded", Align::right},
                           {"what", Align::left}});
          for (const auto& w : written) {
            table.add({w.model.filename().string(), grouped(triangle_count(w.demo.model)),
                       w.demo.tear ? "torn" : std::to_string(w.demo.defects.size()), w.demo.what});
          }
          for (const auto& w : surfaces) {
            table.add({w.demo.name, "-", std::to_string(w.demo.defects.size()), w.demo.what});
          }
          return "Demo models in " + folder +
                 ", each with a record (.json) of what was seeded\n\n" + table.text(width());
        });
    return kAllWell;
  }
};

}  // namespace

void add_demo(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command =
      *app.add_subcommand("demo", "write the demo models and what was seeded in them");
  const auto session = std::make_shared<DemoCommand>();
  command.add_option("folder", session->folder, "where to write them")->required();
  command.add_flag("--overwrite", session->overwrite, "replace files of an earlier run");
  session->add_common(command);
  command.footer("Example: aguja demo out && aguja inspect out/pod-missing-triangles.stl");
  commands.emplace_back(&command,
                        [session] { return session->run([&] { return session->write_all(); }); });
}

}  // namespace aguja::app
