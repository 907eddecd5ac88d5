// aguja show: a page or a picture to look at.

#include <filesystem>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "aguja/formats/view_files.h"
#include "aguja/inspect/finding_fields.h"
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

  [[nodiscard]] bool ends_with(std::string_view end) const { return output.ends_with(end); }
  [[nodiscard]] bool is_picture() const { return ends_with(".png"); }
  [[nodiscard]] bool is_page() const { return ends_with(".html") || ends_with(".htm"); }
  [[nodiscard]] bool is_view() const {
    const auto format = format_of_name(output);
    return format && info(*format).is_for_viewing();
  }

  void check_use() const {
    if (!is_picture() && !is_page() && !is_view()) {
      throw ArgumentError(
          "--output: expected a name that ends in .html, .png, .vtp or .glb; got '" + output + "'");
    }
    if (is_picture()) picture.check();
    if (!overwrite && std::filesystem::exists(output)) {
      throw ArgumentError(output + ": exists already; --overwrite replaces it");
    }
  }

  // For other viewers: what is found and measured, by triangle.
  [[nodiscard]] std::string view_file(const Model& model, const Inspection& inspection) const {
    std::string bytes;
    const auto append = [&](std::string_view more) { bytes += more; };
    if (format_of_name(output) == Format::glb) {
      write_glb(append, model, severity_colours(model, inspection));
    } else {
      const TriangleField fields[] = {kind_field(model, inspection), aspect_field(model),
                                      thickness_field(model)};
      write_vtp(append, model, fields);
    }
    return bytes;
  }

  [[nodiscard]] std::string bytes_of(const Model& model, const Inspection& inspection) {
    if (is_page()) return PageOutput::text(*this, model, inspection, {.most_triangles = most});
    return times().time(is_picture() ? "picture" : "write", [&] {
      return is_picture() ? picture.draw(file_label(), model, inspection)
                          : view_file(model, inspection);
    });
  }

  int show_model() {
    check_use();
    const Model model = read(true);
    Profile profile;
    profile.parts_apart = parts_apart();
    const Inspection inspection =
        inspect(model, PageOutput::inspect_options(profile), &times(), progress());
    const std::string bytes = bytes_of(model, inspection);
    write_whole(output, bytes, overwrite);
    print(
        [&] {
          nlohmann::ordered_json object = {{"schema", schema_json("show")},
                                           {"output", output},
                                           {"bytes", bytes.size()},
                                           {"triangles", triangle_count(model)},
                                           {"reduced", is_page() && triangle_count(model) > most},
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
                             is_page() ? "; open it in a browser" : "");
        });
    return kAllWell;
  }
};

}  // namespace

void add_show(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command = *app.add_subcommand(
      "show", "a page, a picture or a file for other viewers: the model and what is found");
  const auto session = std::make_shared<ShowCommand>();
  session->add_input(command);
  session->add_parts_apart(command);
  command.add_option("-o,--output", session->output, "file to write: .html, .png, .vtp or .glb")
      ->required();
  command
      .add_option("--most", session->most,
                  "show at most about so many triangles; more are reduced for viewing")
      ->capture_default_str();
  command.add_flag("--overwrite", session->overwrite, "replace the file if it exists");
  session->picture.add(command);
  command.add_option("--finding", session->picture.finding, "a close-up of this one");
  session->add_common(command);
  command.footer(
      "Examples: aguja show pod.stl -o pod.html\n"
      "          aguja show pod.stl -o pod.png --section x\n"
      "          aguja show pod.stl -o pod.vtp");
  commands.emplace_back(&command,
                        [session] { return session->run([&] { return session->show_model(); }); });
}

}  // namespace aguja::app
