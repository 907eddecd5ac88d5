// aguja show: a page to look at.

#include <iostream>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "page_output.h"
#include "session.h"

namespace aguja::app {
namespace {

struct ShowCommand : Session {
  std::string output;
  bool overwrite = false;
  std::size_t most = PageOptions{}.most_triangles;

  int show_model() {
    if (!output.ends_with(".html") && !output.ends_with(".htm")) {
      throw ArgumentError("--output: expected a name that ends in .html; got '" + output + "'");
    }
    if (!overwrite && std::filesystem::exists(output)) {
      throw ArgumentError(output + ": exists already; --overwrite replaces it");
    }
    const Model model = read(true);
    const Inspection inspection =
        inspect(model, PageOutput::inspect_options(), &times(), progress());
    const Certificate certificate = certify(model, &times(), progress());
    PageModel one{"as read", file_label(), digest(), &model, &inspection, &certificate, {}};
    const std::string page = times().time("page", [&] {
      one.fields = {aspect_field(model), thickness_field(model)};
      PageOptions page_options;
      page_options.most_triangles = most;
      return page_html({one}, {}, page_options);
    });
    write_whole(output, page, overwrite);
    print(
        [&] {
          nlohmann::ordered_json object = {{"schema", schema_json("show")},
                                           {"output", output},
                                           {"bytes", page.size()},
                                           {"triangles", triangle_count(model)},
                                           {"reduced", triangle_count(model) > most},
                                           {"findings", inspection.findings.size()}};
          add_facts(object, facts());
          return object;
        },
        [&] {
          return fmt::format("{}: {} findings of {} to look at, {:.1f} MB; open it in a browser\n",
                             output, inspection.findings.size(), file_label(),
                             static_cast<double>(page.size()) / 1e6);
        });
    return kAllWell;
  }
};

}  // namespace

void add_show(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command = *app.add_subcommand("show", "a page to look at: the model and its findings");
  const auto session = std::make_shared<ShowCommand>();
  session->add_input(command);
  command.add_option("-o,--output", session->output, "file to write: .html")->required();
  command.add_option("--most", session->most,
                     "show at most about so many triangles; more are reduced for viewing")
      ->capture_default_str();
  command.add_flag("--overwrite", session->overwrite, "replace the file if it exists");
  session->add_common(command);
  command.footer("Example: aguja show pod.stl -o pod.html");
  commands.emplace_back(&command,
                        [session] { return session->run([&] { return session->show_model(); }); });
}

}  // namespace aguja::app
