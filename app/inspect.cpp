// aguja inspect: everything that is wrong, worst first.

#include <filesystem>
#include <iostream>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "aguja/formats/profile.h"
#include "aguja/mend/stitch.h"
#include "aguja/model/proposed_tolerance.h"
#include "aguja/model/transform.h"
#include "aguja/report/text.h"
#include "page_output.h"
#include "picture_output.h"
#include "session.h"

namespace aguja::app {
namespace {

FindingKind kind_named(const std::string& name, std::string_view option) {
  if (const auto kind = parse_finding_kind(name)) return *kind;
  std::vector<std::string_view> known;
  for (const KindInfo& k : all_kinds()) known.push_back(k.slug);
  throw ArgumentError(std::string(option) + ": no kind is named '" + name + "'; the nearest is '" +
                      nearest_word(name, known) + "'");
}

struct InspectCommand : Session {
  bool every_finding = false;
  std::string tolerance;
  std::string element_size;
  std::string profile_file;
  std::string write_profile;
  std::vector<std::string> only;
  std::vector<std::string> sheets;
  std::string explain;
  std::size_t most_findings = 10000;
  bool overwrite = false;
  PageOutput page;
  std::string pictures;
  PictureOutput picture;

  int run_command() {
    if (!explain.empty()) return explain_kinds();
    if (!each_file() || files().empty()) return inspect_model();
    if (page.is_wanted() || !pictures.empty() || !write_profile.empty()) {
      throw ArgumentError("--each-file prints lines alone: no page, pictures or profile");
    }
    return run_each_file(*this, &InspectCommand::inspect_model);
  }

 private:
  int explain_kinds() const {
    std::vector<FindingKind> kinds;
    if (explain == "all") {
      for (const KindInfo& k : all_kinds()) kinds.push_back(k.kind);
    } else {
      kinds.push_back(kind_named(explain, "--explain"));
    }
    print([&] { return explain_json(kinds); },
          [&] { return explain_text(kinds, {.width = width()}); });
    return kAllWell;
  }

  Profile profile_for(LengthUnit unit) const {
    Profile profile;
    if (!profile_file.empty()) profile = read_profile(profile_file, unit);
    if (!tolerance.empty()) profile.tolerance = parse_length(tolerance, unit);
    if (!element_size.empty()) profile.element_size = parse_length(element_size, unit);
    if (profile.element_size && !(*profile.element_size > 0)) {
      throw ArgumentError("--element-size: expected a length above 0; got '" + element_size + "'");
    }
    if (profile.tolerance && *profile.tolerance < 0) {
      throw ArgumentError("--tolerance: expected a length of 0 or more; got '" + tolerance + "'");
    }
    for (const std::string& part : sheets) profile.intents[part] = Intent::sheet;
    return profile;
  }

  void save(const Profile& profile, LengthUnit unit) const {
    if (write_profile.empty()) return;
    const std::string text = profile_text(profile, unit);
    if (write_profile == "-") {
      std::cout << text;
      return;
    }
    if (!overwrite && std::filesystem::exists(write_profile)) {
      throw ArgumentError(write_profile + ": exists already; --overwrite replaces it");
    }
    write_whole(write_profile, text, overwrite);
  }

  // What is said to close is tried, as `stitch` would do it.
  void try_tolerance(const Model& model, ToleranceProposal& proposal) {
    times().time("try tolerance", [&] {
      Session other = *this;
      other.sew_by(fmt::format("{}{}", proposal.value, symbol(model.unit)));
      Model tried = model.sources.empty() ? model : other.read();
      if (proposal.as_one) tried = as_one(std::move(tried));
      const StitchedModel stitched =
          stitch(std::move(tried), proposal.value, {}, nullptr, progress());
      const auto left = propose_tolerance(stitched.model);
      proposal.tried = proposal.of - std::min(proposal.of, left ? left->of : 0);
    });
  }

  int inspect_model() {
    if (files().empty()) {
      // A profile does not need a model.
      if (write_profile.empty()) throw ArgumentError("inspect: name a model, or --explain KIND");
      save(profile_for(LengthUnit::millimetre), LengthUnit::millimetre);
      return kAllWell;
    }
    InspectOptions options;
    page.check(overwrite);
    if (!pictures.empty()) picture.check();
    if (page.is_wanted() || !pictures.empty()) options = PageOutput::inspect_options();
    for (const std::string& name : only) options.only.insert(kind_named(name, "--only"));
    // Nanoseconds a triangle on our machine; only their ratios matter.
    expect({{"read", 350},
            {"weld", 40},
            {"edges", 70},
            {"fans", 30},
            {"shells", 50},
            {"crossings", 620},
            {"pairing", 10},
            {"patches", 1000},
            {"near-vertices", 60},
            {"folds", 30},
            {"patch-shapes", 200},
            {"thin-walls", 550}});
    const Model model = read(true);
    options.profile = profile_for(model.unit);
    options.profile.parts_apart |= parts_apart();
    for (const auto& intent : options.profile.intents) {
      const std::string& part = intent.first;
      const bool known = std::any_of(model.parts.begin(), model.parts.end(),
                                     [&](const Part& p) { return p.name == part; });
      if (known) continue;
      std::vector<std::string_view> names;
      for (const Part& p : model.parts) names.push_back(p.name);
      throw ArgumentError("no part is named '" + part + "'; the nearest is '" +
                          nearest_word(part, names) + "'");
    }
    save(options.profile, model.unit);
    Inspection inspection = inspect(model, options, &times(), progress());
    if (inspection.proposed_tolerance) try_tolerance(model, *inspection.proposed_tolerance);
    if (write_profile != "-") {
      print(
          [&] {
            auto object = inspect_json(model, inspection, most_findings, facts());
            add_surface(object, model);
            return object;
          },
          [&] {
            return inspect_text(
                model, inspection, file_label(),
                {.width = width(), .some_kinds = !only.empty(), .every_finding = every_finding});
          },
          [&] { return inspect_line(model, inspection, !only.empty()); });
    }
    if (page.is_wanted()) page.write_one(*this, model, inspection, overwrite);
    if (!pictures.empty()) {
      times().time("pictures", [&] {
        write_pictures(pictures, picture, file_label(), model, inspection, overwrite);
      });
    }
    const bool nothing = triangle_count(model) == 0;
    return nothing || inspection.count(Severity::error) > 0 ? kErrorsInGeometry : kAllWell;
  }
};

}  // namespace

void add_inspect(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command = *app.add_subcommand("inspect", "show everything that is wrong, worst first");
  const auto session = std::make_shared<InspectCommand>();
  session->add_input(command)->required(false);
  session->add_parts_apart(command);
  session->add_each_file(command);
  command.add_flag("--each", session->every_finding, "a row per finding instead of per kind");
  command.add_option("--most", session->most_findings, "list at most so many findings in JSON")
      ->capture_default_str();
  command.add_option(
      "--tolerance", session->tolerance,
      "what counts as a crack, such as 0.05mm; if left out, what the widths propose");
  command.add_option("--element-size", session->element_size,
                     "size of elements to come: what they will miss or choke on, and quality");
  command.add_option("--profile", session->profile_file,
                     "TOML file with limits, severities, intents and waivers");
  command.add_option("--write-profile", session->write_profile,
                     "write the profile in force, with the reason for each default (-: print it)");
  command.add_flag("--overwrite", session->overwrite,
                   "replace the profile, page or pictures if they exist");
  session->page.add(command);
  command.add_option("--pictures", session->pictures,
                     "write pictures into this folder: the whole model and each finding");
  session->picture.add(command);
  command
      .add_option("--only", session->only,
                  "look for these kinds alone, with commas between; may be repeated")
      ->delimiter(',')
      ->allow_extra_args(false);
  command.add_option("--sheet", session->sheets, "this part is meant to be a sheet");
  command.add_option("--explain", session->explain,
                     "say what a kind of finding is, why it matters and what mends it; or all");
  session->add_common(command);
  command.footer(
      "Exit status 1 if there is an error among the findings.\n"
      "Examples: aguja inspect pod.stl --each\n"
      "          aguja inspect pod.stl --element-size 2mm\n"
      "          aguja inspect --explain gap");
  commands.emplace_back(&command,
                        [session] { return session->run([&] { return session->run_command(); }); });
}

}  // namespace aguja::app
