// aguja mend: plans and runs remedies, then certifies what it wrote.

#include <filesystem>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "aguja/formats/plan.h"
#include "aguja/formats/profile.h"
#include "aguja/report/mend_report.h"
#include "page_output.h"
#include "written_model.h"

namespace aguja::app {
namespace {

struct MendCommand : Session {
  std::string tolerance;
  OutputOptions output;
  bool dry_run = false;
  bool each = false;
  std::string plan_file;
  std::string write_plan;
  std::vector<std::string> accepted, left;
  std::string give_up;
  std::size_t until = 0;
  std::string states;
  std::string trial_id;
  std::string take;
  std::string profile_file;
  std::string explain;
  PageOutput page;

  int mend_model() {
    if (!explain.empty()) return explain_remedies();
    if (files().empty()) throw ArgumentError("mend: name a model, or --explain REMEDY");
    check_use();
    Model model = read();
    MendOptions options = options_for(model);
    return trial_id.empty() ? mend_whole(model, std::move(options)) : try_methods(model, options);
  }

 private:
  Profile profile_;  // in force, for what is written

  int explain_remedies() const {
    std::vector<Remedy> remedies;
    std::vector<std::string_view> known = {"all"};
    for (const Remedy r : all_remedies()) {
      known.push_back(slug(r));
      if (explain == "all" || explain == slug(r)) remedies.push_back(r);
    }
    if (remedies.empty()) {
      throw ArgumentError("--explain: no remedy is named '" + explain + "'; the nearest is '" +
                          nearest_word(explain, known) + "'");
    }
    print([&] { return remedies_json(remedies); },
          [&] { return remedies_text(remedies, {.width = width()}); });
    return kAllWell;
  }

  void check_use() const {
    const bool only_tries = !trial_id.empty() && take.empty();
    if (only_tries) {
      if (!output.file.empty()) throw ArgumentError("--try writes a model only with --take METHOD");
    } else {
      output.check(dry_run);
    }
    if (!take.empty() && trial_id.empty()) throw ArgumentError("--take needs --try ID");
    if (!take.empty() && !parse_fill_method(take)) {
      throw ArgumentError("--take: there is no method '" + take + "'");
    }
    if (!plan_file.empty() && (!accepted.empty() || !left.empty())) {
      throw ArgumentError(
          "--accept and --leave are for plans made here: in a plan of yours, say on = true or "
          "false");
    }
    if (!write_plan.empty() && !output.overwrite && std::filesystem::exists(write_plan)) {
      throw ArgumentError(write_plan + ": exists already; --overwrite replaces it");
    }
    page.check(output.overwrite);
  }

  // An id is a kind and what tells one from another: `opening-9f3c…`. Whether it is there is told
  // when the model is inspected.
  static std::string known_id(const std::string& word, std::string_view option) {
    std::vector<std::string_view> known = {"all"};
    for (const KindInfo& k : all_kinds()) {
      known.push_back(k.slug);
      if (word.starts_with(std::string(k.slug) + "-")) return word;
    }
    throw ArgumentError(fmt::format("{}: no kind or finding is named '{}'; the nearest is '{}'",
                                    option, word, nearest_word(word, known)));
  }

  MendOptions options_for(const Model& model) {
    MendOptions options;
    if (!profile_file.empty()) options.profile = read_profile(profile_file, model.unit);
    if (!tolerance.empty()) {
      options.tolerance = parse_length(tolerance, model.unit);
    } else if (options.profile.tolerance) {
      options.tolerance = options.profile.tolerance;
    }
    for (const std::string& word : accepted) {
      if (word == "all") {
        options.accepted.all = true;
      } else if (const auto kind = parse_finding_kind(word)) {
        options.accepted.kinds.push_back(*kind);
      } else {
        options.accepted.ids.push_back(known_id(word, "--accept"));
      }
    }
    for (const std::string& word : left) {
      options.accepted.left.push_back(parse_finding_kind(word) ? word : known_id(word, "--leave"));
    }
    if (!give_up.empty()) options.most_given_up = parse_percentage(give_up);
    if (!(options.most_given_up >= 0 && options.most_given_up <= 1)) {
      throw ArgumentError("--may-give-up: expected a share such as 5%; got '" + give_up + "'");
    }
    if (!plan_file.empty()) {
      Plan plan = read_plan(plan_file, model.unit);
      if (!plan.digest.empty() && plan.digest != digest()) {
        throw ArgumentError(fmt::format("{}: was made for another file: {}\n  this one is {}",
                                        plan_file, plan.digest, digest()));
      }
      for (const Waiver& w : plan.waivers) options.profile.waivers.push_back(w);
      options.plan = std::move(plan);
    }
    if (until > 0) options.until = until;
    options.profile.parts_apart |= parts_apart();
    profile_ = options.profile;
    options.round_to_float = !output.file.empty() && holds_floats_only(output);
    return options;
  }

  // Each state as a file of its own, named by its step.
  void save_state(const MendState& state, std::size_t step) {
    OutputOptions one = output;
    const Format format = output.file.empty() ? Format::ply : output.format();
    const auto name = fmt::format("step-{:03}.{}", step, slug(format));
    const std::string file = (std::filesystem::path(states) / name).string();
    times().time("write", [&] {
      return write_model(file, state.model, format, output.write_options(), output.overwrite);
    });
  }

  int mend_whole(Model& model, MendOptions options) {
    if (!states.empty()) {
      std::filesystem::create_directories(states);
      options.on_state = [&](const MendState& state, std::size_t step) { save_state(state, step); };
    }
    MendReport report;
    report.result = times().time("mend", [&] { return mend(model, options, progress()); });
    return finish(model, report);
  }

  int finish(const Model& model, MendReport& report) {
    MendResult& r = report.result;
    if (!write_plan.empty()) {
      r.plan.file = file_label();
      r.plan.digest = digest();
      write_whole(write_plan, plan_text(r.plan, model.unit), output.overwrite);
    }
    if (output.file.empty()) {
      report.certificate = certify(r.model, certify_options(profile_), &times(), progress());
    } else {
      // Rounding counts against the budget, too.
      if (holds_floats_only(output) && r.tolerance > 0) check_rounding(r.model, r.tolerance);
      static_cast<WrittenFacts&>(report) = write_and_certify(*this, output, r.model, profile_);
    }
    if (page.is_wanted()) {
      Profile profile;
      profile.tolerance = r.tolerance;
      profile.parts_apart = parts_apart();
      page.write_two(*this,
                     {model, file_label(), r.model,
                      output.file.empty() ? std::string("as it would be") : output.file},
                     profile, output.overwrite);
    }
    print([&] { return mend_json(model, report, facts()); },
          [&] {
            return mend_text(model, report, file_label(),
                             {.width = width(), .every_finding = each});
          });
    const bool is_well = report.certificate.verdict == Verdict::solid && r.large_refusals == 0 &&
                         r.idle_plan_steps == 0;
    return is_well ? kAllWell : kErrorsInGeometry;
  }

  // One opening of the model as it was read, filled by every method.
  int try_methods(const Model& model, const MendOptions& options) {
    MendSession session(model, session_options(options), progress());
    FillOptions fill;
    fill.tolerance = session.tolerance();
    const Trial trial = times().time("fill", [&] { return session.try_fills(trial_id, fill); });
    if (page.is_wanted()) write_trial_page(model, trial, session.tolerance());
    if (take.empty()) {
      print([&] { return trial_json(model, trial, facts()); },
            [&] { return trial_text(model, trial, file_label(), {.width = width()}); });
      return kAllWell;
    }
    // The fill that was looked at is put in as it is; the rest is mended after it.
    session.take(trial, *parse_fill_method(take), 1);
    MendReport report;
    report.result = times().time("mend", [&] { return mend(session, options, progress()); });
    return finish(model, report);
  }

  void write_trial_page(const Model& model, const Trial& trial, double budget) {
    std::vector<PageOutput::Variant> variants;
    for (const FillOutcome& outcome : trial.outcomes) {
      const Fill* made = std::get_if<Fill>(&outcome);
      if (made == nullptr) continue;
      StepResult with = accept_trial(trial, made->method, budget);
      if (!with.changed) continue;
      variants.push_back({std::move(with.state.model), std::string(slug(made->method)),
                          fmt::format("{}: {}", slug(made->method), made->why)});
    }
    Profile profile;
    profile.tolerance = budget;
    page.write_trial(*this, model, trial.id, variants, profile, output.overwrite);
  }
};

}  // namespace

void add_mend(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command =
      *app.add_subcommand("mend", "plan and run remedies, then certify what was written");
  const auto session = std::make_shared<MendCommand>();
  session->add_input(command)->required(false);
  session->add_parts_apart(command);
  command.add_option("--tolerance", session->tolerance,
                     "the budget: how far anything may move, over all steps, such as 0.05mm; if "
                     "left out, it is proposed from the model");
  session->output.add(command);
  command.add_flag("--dry-run", session->dry_run,
                   "show what would change and what would stay open; write nothing");
  command
      .add_option("--accept", session->accepted,
                  "run what is proposed for these findings, too: kinds and ids, with commas "
                  "between, or all. Only ids let much of a part go")
      ->delimiter(',')
      ->allow_extra_args(false);
  command
      .add_option("--leave", session->left,
                  "leave these findings as they are: kinds and ids, with commas between")
      ->delimiter(',')
      ->allow_extra_args(false);
  command.add_option("--may-give-up", session->give_up,
                     "how much of a part's area may go without being named; 2% if left out");
  command.add_option("--plan", session->plan_file, "run this plan (also one saved by the page)");
  command.add_option("--write-plan", session->write_plan,
                     "write what was run, and what is proposed, as a plan to edit");
  command.add_option("--until", session->until, "stop after the step of this number")
      ->check(CLI::Range(1, 1000000).description(""));
  command.add_option("--states", session->states,
                     "write the model after each step, into this folder");
  command.add_option("--try", session->trial_id,
                     "fill this opening (an id) by every method, and compare");
  command.add_option("--take", session->take, "of those, take this one and mend the rest");
  command.add_option("--profile", session->profile_file,
                     "TOML file with limits, severities, intents and waivers");
  command.add_flag("--each", session->each, "a row for every step");
  command.add_option("--explain", session->explain,
                     "tell what a remedy does and can be told; or all");
  session->page.add(command);
  session->add_common(command);
  command.footer(
      "Unasked it welds equal points, stitches, orients, drops exact copies, and fills flat\n"
      "openings that nothing speaks against; everything else is proposed. Exit status 1\n"
      "unless the verdict is solid, and nothing large and no step of a plan was refused.\n"
      "Examples: aguja mend torn.stl -o whole.stl\n"
      "          aguja mend torn.stl --dry-run --write-plan plan.toml\n"
      "          aguja mend torn.stl --plan plan.toml -o whole.stl");
  commands.emplace_back(&command,
                        [session] { return session->run([&] { return session->mend_model(); }); });
}

}  // namespace aguja::app
