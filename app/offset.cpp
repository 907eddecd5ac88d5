// aguja offset: a thickness for sheets, the hollow of solids, skins that grow or shrink; certified.

#include "aguja/report/offset_report.h"
#include "page_output.h"
#include "written_model.h"

namespace aguja::app {
namespace {

struct OffsetCommand : Session {
  std::string thickness;
  std::string side = "in";
  bool whole = false;
  double mitre = 2;
  OutputOptions output;
  bool dry_run = false;
  PageOutput page;

  void check_use() const {
    output.check(dry_run);
    page.check(output.overwrite);
    if (whole && side == "both") {
      throw ArgumentError("--whole moves all of the surface one way: --side in or --side out");
    }
  }

  int offset_parts() {
    check_use();
    const Model model = read();
    OffsetReport report;
    report.thickness = parse_length(thickness, model.unit);
    if (!(report.thickness > 0)) throw ArgumentError("--thickness: a length of more than 0");
    report.side = *parse_offset_side(side);
    report.is_whole = whole;
    OffsetOptions options;
    options.side = report.side;
    options.whole = whole;
    options.mitre_limit = mitre;
    options.to_float = !dry_run && holds_floats_only(output);
    times().time("operands", [&] {
      for (const Part& part : model.parts) {
        report.operands.push_back(facts_of_operand({part.name, {part}}, progress()));
      }
    });
    times().time("offset", [&] {
      report.result = offset_model(model, report.thickness, options, progress());
    });
    const Model& made = report.result.model;
    if (report.is_made() && dry_run) {
      report.certificate = certify(made, certify_options(), &times(), progress());
    } else if (report.is_made()) {
      static_cast<WrittenFacts&>(report) = write_and_certify(*this, output, made);
    }
    if (page.is_wanted() && report.is_made()) {
      page.write_two(*this, {model, file_label(), made, dry_run ? "as it would be" : output.file},
                     {}, output.overwrite);
    }
    print([&] { return offset_json(report, facts()); },
          [&] { return offset_text(report, {.width = width()}); });
    return report.is_made() && report.certificate.verdict == Verdict::solid ? kAllWell
                                                                            : kErrorsInGeometry;
  }
};

}  // namespace

void add_offset(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command = *app.add_subcommand(
      "offset",
      "a thickness for sheets, the hollow of solids, skins that grow or shrink; certified");
  const auto session = std::make_shared<OffsetCommand>();
  session->add_input(command);
  session->add_parts_apart(command);
  command.add_option("--thickness", session->thickness, "such as 2mm")->required();
  command
      .add_option("--side", session->side,
                  "where the new skin lies: in (behind the triangles), out, or both (half each)")
      ->check(CLI::IsMember({"in", "out", "both"}).description(""))
      ->capture_default_str();
  command.add_flag("--whole", session->whole,
                   "solids stay whole: larger (out) or smaller (in) by the thickness");
  constexpr double kLeastMitre = 1.5, kMostMitre = 100;
  command
      .add_option("--mitre", session->mitre,
                  "sharper corners than this, in thicknesses from the corner to the mitre's point, "
                  "are bevelled")
      ->check(CLI::Range(kLeastMitre, kMostMitre).description(""))
      ->capture_default_str();
  session->output.add(command);
  session->page.add(command);
  command.add_flag("--dry-run", session->dry_run, "show what would come of it; write nothing");
  session->add_common(command);
  command.footer(
      "Exit status 1 unless solids come of it.\n"
      "Example: aguja offset sheet.stl --thickness 2mm --side both -o wall.stl");
  commands.emplace_back(
      &command, [session] { return session->run([&] { return session->offset_parts(); }); });
}

}  // namespace aguja::app
