// aguja cut: models into pieces by planes, boxes and swept outlines, certified; sections.

#include <fmt/format.h>

#include "aguja/formats/section_files.h"
#include "aguja/report/cut_report.h"
#include "page_output.h"
#include "written_model.h"

namespace aguja::app {
namespace {

struct CutCommand : Session {
  std::vector<std::string> by;
  std::string along;
  std::string keep = "both";
  std::string tolerance;
  std::string sections;
  OutputOptions output;
  bool open = false;
  bool dry_run = false;
  PageOutput page;

  void check_use() const {
    output.check(dry_run);
    page.check(output.overwrite);
    if (!sections.empty() && !sections.ends_with(".svg") && !sections.ends_with(".vtp")) {
      throw ArgumentError("--sections: expected a name that ends in .svg or .vtp; got '" +
                          sections + "'");
    }
  }

  [[nodiscard]] std::vector<Cutter> cutters_for(const Model& model, double flat_within) const {
    std::optional<Vector> direction;
    if (!along.empty()) direction = point_named(along, model.unit, "--along");
    std::vector<Cutter> cutters;
    for (const std::string& text : by) {
      cutters.push_back(parse_cutter(text, model, flat_within, direction));
    }
    return cutters;
  }

  void write_sections(const CutModel& result, CutReport& report) const {
    if (sections.empty() || !report.is_made()) return;
    const bool as_drawing = sections.ends_with(".svg");
    write_file(
        sections,
        [&](const ByteSink& sink) {
          (as_drawing ? write_sections_svg : write_sections_vtp)(sink, result.sections,
                                                                 result.model.unit);
        },
        output.overwrite);
    report.sections_file = sections;
  }

  int cut_models() {
    check_use();
    const Model model = read();
    // What counts as flat, and as on a plane where the pieces would not be clean else.
    constexpr double kOfDiagonal = 1e-6;
    const double budget = tolerance.empty() ? kOfDiagonal * box_of(model).diagonal()
                                            : parse_length(tolerance, model.unit);
    const std::vector<Cutter> cutters = cutters_for(model, budget);
    CutModelOptions options;
    options.capped = !open;
    options.on_within = tolerance.empty() ? 0 : budget;
    options.most_moved = budget;
    options.to_float = !dry_run && holds_floats_only(output);
    if (const auto kept = parse_kept_sides(keep, cutters)) {
      options.keep = *kept;
    } else {
      throw ArgumentError("--keep: expected both, " + std::string(cutters[0].side_name(0)) +
                          " or " + std::string(cutters[0].side_name(1)) +
                          " (of each cutter); got '" + keep + "'");
    }
    CutReport report;
    report.is_capped = !open;
    for (const Cutter& c : cutters) report.cutters.push_back(c.name);
    times().time("operands", [&] {
      for (const Part& part : model.parts) {
        report.operands.push_back(facts_of_operand({part.name, {part}}, progress()));
      }
    });
    times().time("cut", [&] { report.result = cut_model(model, cutters, options, progress()); });
    const Model& made = report.result.model;
    if (!dry_run && made.parts.size() > 1 && !holds_parts(output)) {
      throw ArgumentError(fmt::format(
          "{} holds one part, and there are {} pieces: write obj, step or text STL (--text), "
          "or --keep one side",
          slug(output.format()), made.parts.size()));
    }
    // Pieces touch where they were cut.
    Profile profile;
    profile.parts_apart = true;
    if (report.is_made() && dry_run) {
      report.certificate = certify(made, certify_options(profile), &times(), progress());
    } else if (report.is_made()) {
      static_cast<WrittenFacts&>(report) = write_and_certify(*this, output, made, profile);
    }
    write_sections(report.result, report);
    if (page.is_wanted() && report.is_made()) {
      page.write_two(*this, {model, file_label(), made, dry_run ? "as it would be" : output.file},
                     profile, output.overwrite);
    }
    print([&] { return cut_json(report, facts()); },
          [&] { return cut_text(report, {.width = width()}); });
    if (!report.is_made()) return kErrorsInGeometry;
    return open || report.certificate.verdict == Verdict::solid ? kAllWell : kErrorsInGeometry;
  }
};

}  // namespace

void add_cut(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command = *app.add_subcommand(
      "cut", "pieces by planes, boxes and swept outlines, with their sections; then certify");
  const auto session = std::make_shared<CutCommand>();
  session->add_input(command);
  command
      .add_option("--by", session->by,
                  "where, again for more: x=12mm; plane:X,Y,Z,NX,NY,NZ (a point and the normal); "
                  "patch:NAME (its plane); box:X,Y,Z,X,Y,Z; outline:X,Y,Z,X,Y,Z,...")
      ->required()
      ->allow_extra_args(false);
  command.add_option("--along", session->along,
                     "X,Y,Z: the direction in which an outline is swept, both ways; square to its "
                     "plane if left out");
  command
      .add_option("--keep", session->keep,
                  "both, or one side: below or above planes, inside or outside boxes and outlines")
      ->capture_default_str();
  command.add_flag("--open", session->open, "leave the pieces open where they are cut");
  command.add_option("--tolerance", session->tolerance,
                     "vertices as near to a plane as this are on it, such as 0.001mm; if left out, "
                     "none beyond rounding");
  command.add_option("--sections", session->sections,
                     "write the outlines of all sections: a drawing (.svg) or lines (.vtp)");
  session->output.add(command);
  session->page.add(command);
  command.add_flag("--dry-run", session->dry_run, "show what would come of it; write nothing");
  session->add_common(command);
  command.footer(
      "Exit status 1 unless the pieces are solids; with --open, unless there are any.\n"
      "Example: aguja cut pod.stl --by x=12mm --keep below -o half.stl --sections half.svg");
  commands.emplace_back(&command,
                        [session] { return session->run([&] { return session->cut_models(); }); });
}

}  // namespace aguja::app
