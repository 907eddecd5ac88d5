// aguja show: a page or a picture to look at.

#include <filesystem>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "page_output.h"
#include "picture_output.h"
#include "session.h"

namespace aguja::app {
namespace {

struct ShowCommand : Session {
  std::string output;
  bool overwrite = false;
  std::size_t most = PageOptions{}.most_triangles;
  PictureOutput picture;

  [[nodiscard]] bool is_picture() const { return output.ends_with(".png"); }

  void check_use() const {
    if (!is_picture() && !output.ends_with(".html") && !output.ends_with(".htm")) {
      throw ArgumentError("--output: expected a name that ends in .html or .png; got '" + output +
                          "'");
    }
    if (is_picture()) picture.check();
    if (!overwrite && std::filesystem::exists(output)) {
      throw ArgumentError(output + ": exists already; --overwrite replaces it");
    }
  }

  [[nodiscard]] std::string page(const Model& model, const Inspection& inspection,
                                 const Certificate& certificate) {
    PageModel one{"as read", file_label(), digest(), &model, &inspection, &certificate, {}};
    one.fields = {aspect_field(model), thickness_field(model)};
    PageOptions options;
    options.most_triangles = most;
    return page_html({one}, {}, options);
  }

  int show_model() {
    check_use();
    const Model model = read(true);
    const Inspection inspection =
        inspect(model, PageOutput::inspect_options(), &times(), progress());
    const Certificate certificate = certify(model, &times(), progress());
    const std::string bytes = times().time(is_picture() ? "picture" : "page", [&] {
      return is_picture() ? picture.draw(file_label(), model, inspection, certificate)
                          : page(model, inspection, certificate);
    });
    write_whole(output, bytes, overwrite);
    print(
        [&] {
          nlohmann::ordered_json object = {
              {"schema", schema_json("show")},
              {"output", output},
              {"bytes", bytes.size()},
              {"triangles", triangle_count(model)},
              {"reduced", !is_picture() && triangle_count(model) > most},
              {"findings", inspection.findings.size()}};
          add_facts(object, facts());
          return object;
        },
        [&] {
          const std::size_t n = inspection.findings.size();
          return fmt::format("{}: {} and {}, {:.1f} MB{}\n", output, file_label(),
                             n == 0   ? std::string("nothing found")
                             : n == 1 ? std::string("its one finding")
                                      : fmt::format("its {} findings", n),
                             static_cast<double>(bytes.size()) / 1e6,
                             is_picture() ? "" : "; open it in a browser");
        });
    return kAllWell;
  }
};

}  // namespace

void add_show(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command =
      *app.add_subcommand("show", "a page or a picture to look at: the model and its findings");
  const auto session = std::make_shared<ShowCommand>();
  session->add_input(command);
  command.add_option("-o,--output", session->output, "file to write: .html or .png")->required();
  command
      .add_option("--most", session->most,
                  "show at most about so many triangles; more are reduced for viewing")
      ->capture_default_str();
  command.add_flag("--overwrite", session->overwrite, "replace the file if it exists");
  session->picture.add(command);
  command.add_option("--finding", session->picture.finding, "pictures: a close-up of this one");
  session->add_common(command);
  command.footer(
      "Examples: aguja show pod.stl -o pod.html\n"
      "          aguja show pod.stl -o pod.png --section x");
  commands.emplace_back(&command,
                        [session] { return session->run([&] { return session->show_model(); }); });
}

}  // namespace aguja::app
