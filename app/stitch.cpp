// aguja stitch: joins naked edges within a tolerance, and certifies what it wrote.

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "aguja/model/proposed_tolerance.h"
#include "aguja/report/text.h"
#include "page_output.h"
#include "written_model.h"

namespace aguja::app {
namespace {

struct StitchCommand : Session {
  std::string tolerance;
  OutputOptions output;
  int steps = 1;
  bool dry_run = false;
  PageOutput page;

  void check_use() const {
    output.check(dry_run);
    page.check(output.overwrite);
  }

  void choose_tolerance(const Model& model, StitchReport& report) {
    if (!tolerance.empty()) {
      report.tolerance = parse_length(tolerance, model.unit);
      report.tolerance_why = "tolerance as given";
      return;
    }
    const auto best = times().time("pairing", [&] { return propose_tolerance(model); });
    report.tolerance_why = "no stretches of rim face each other closely: nothing to join";
    if (!best) return;
    report.tolerance = best->value;
    report.tolerance_why = fmt::format("tolerance proposed: {} ({}); --tolerance says otherwise",
                                       best->why, symbol(model.unit));
  }

  int stitch_model() {
    check_use();
    // Surfaces are sewn by the same tolerance, before there are triangles.
    if (sew_.empty()) sew_ = tolerance;
    Model model = read();
    StitchReport report;
    report.steps = static_cast<std::size_t>(steps);
    choose_tolerance(model, report);
    const bool floats = !dry_run && holds_floats_only(output);
    StitchedModel stitched = stitch(
        model, report.tolerance, {.steps = steps, .round_to_float = floats}, &times(), progress());
    report.result = std::move(stitched.total);
    if (floats && report.tolerance > 0) check_rounding(stitched.model, report.tolerance);
    if (dry_run) {
      report.certificate = certify(stitched.model, certify_options(), &times(), progress());
    } else {
      // The certificate is on the file as read back.
      static_cast<WrittenFacts&>(report) = write_and_certify(*this, output, stitched.model);
    }
    if (page.is_wanted()) {
      // What was moved by up to the tolerance may be off its surface by as much.
      Profile profile;
      profile.tolerance = report.tolerance;
      profile.parts_apart = parts_apart();
      if (report.tolerance > 0) {
        profile.limits[Limit::patch_fit] = {report.tolerance, LimitBasis::length, model.unit};
      }
      page.write_two(
          *this, {model, file_label(), stitched.model, dry_run ? "as it would be" : output.file},
          profile, output.overwrite);
    }
    print([&] { return stitch_json(model, report, facts()); },
          [&] { return stitch_text(model, report, file_label(), {.width = width()}); });
    return report.certificate.verdict == Verdict::solid ? kAllWell : kErrorsInGeometry;
  }
};

}  // namespace

void add_stitch(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command =
      *app.add_subcommand("stitch", "join naked edges within a tolerance, then certify");
  const auto session = std::make_shared<StitchCommand>();
  session->add_input(command);
  session->add_parts_apart(command);
  command.add_option("--tolerance", session->tolerance,
                     "how far anything may move, such as 0.05mm; if left out, it is proposed from "
                     "the widths of the cracks");
  session->output.add(command);
  session->page.add(command);
  command.add_option("--steps", session->steps, "let the tolerance grow in so many steps")
      ->check(CLI::Range(1, 100).description(""))
      ->capture_default_str();
  command.add_flag("--dry-run", session->dry_run, "show what would be joined; write nothing");
  session->add_common(command);
  command.footer(
      "Parts stay apart unless --as-one. Exit status 1 unless the verdict on what was written is "
      "solid.\nExample: aguja stitch cracked.stl --tolerance 0.05mm -o solid.stl");
  commands.emplace_back(
      &command, [session] { return session->run([&] { return session->stitch_model(); }); });
}

}  // namespace aguja::app
