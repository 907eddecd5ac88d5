#include "aguja/mend/run_step.h"

#include <algorithm>
#include <limits>
#include <optional>

#include "aguja/mend/given_up.h"
#include "aguja/mend/harm.h"
#include "base/short_text.h"
#include "mend/large_losses.h"
#include "mend/ledger.h"
#include "mend/targets.h"

namespace aguja {
namespace {

void check_settings(const Step& step) {
  const auto known = info(step.remedy).settings;
  for (const auto& [key, value] : step.settings) {
    const bool is_known = std::any_of(known.begin(), known.end(),
                                      [&, &k = key](const SettingInfo& s) { return s.key == k; });
    if (!is_known) {
      throw StepError(step.number,
                      "'" + key + "' is no setting of " + std::string(slug(step.remedy)));
    }
  }
}

LedgerLine empty_line(const Step& step) {
  LedgerLine line;
  line.step = step.number;
  line.remedy = step.remedy;
  return line;
}

// Vertices are named by places near them.
constexpr double kReachOfPlaces = 1e-3;  // of the part's diagonal

std::optional<Refusal> out_of_reach(const MendState& state, std::span<const Point> places,
                                    std::span<const RemedyTarget> targets) {
  for (const RemedyTarget& target : targets) {
    const Mesh& mesh = state.model.parts[target.part].mesh();
    const double reach = kReachOfPlaces * box_of(mesh).diagonal();
    for (const Point& place : places) {
      double nearest = std::numeric_limits<double>::infinity();
      for (const Point& p : mesh.points) nearest = std::min(nearest, (p - place).norm());
      if (nearest <= reach || mesh.points.empty()) continue;
      return Refusal{RefusalReason::does_not_apply, place,
                     "no vertex is within " + short_text(reach) + " of it, the nearest is " +
                         short_text(nearest) + " away"};
    }
  }
  return std::nullopt;
}

// May it leave more that is wrong than there was?
bool runs_as_told(const Step& step, const SettingReader& read) {
  switch (info(step.remedy).may_worsen) {
    case MayWorsen::nothing:
      return false;
    case MayWorsen::edges_if_told:
      return read.flag("may_bare").value_or(false);
    case MayWorsen::anything:
      return true;
  }
  return false;
}

// Faces that were to be joined stayed apart, and that is all.
bool is_in_vain(const LedgerLine& line, const std::optional<FaceCounts>& faces) {
  return faces && faces->are_kept && faces->apart >= line.done && faces->dropped == 0 &&
         faces->apart > 0 &&
         line.triangles_added + line.triangles_removed + line.triangles_turned +
                 line.vertices_moved ==
             0;
}

}  // namespace

InspectOptions options_for_mending(const Profile& profile, double tolerance) {
  InspectOptions options;
  options.profile = profile;
  options.profile.tolerance = tolerance;
  options.most_triangles = std::numeric_limits<std::size_t>::max();
  return options;
}

Inspection inspect_for_mending(const Model& model, const Profile& profile, double tolerance,
                               Progress* progress) {
  return inspect(model, options_for_mending(profile, tolerance), nullptr, progress);
}

StepResult run_step(const MendState& state, std::span<const Finding> findings, const Step& step,
                    const StepOptions& options, Progress* progress) {
  const RemedyInfo& remedy = info(step.remedy);
  StepResult result{.state = state, .lines = {}};
  const auto refuse = [&](Refusal refusal) {
    result.lines.push_back(empty_line(step));
    result.lines.back().refused.push_back(std::move(refusal));
    return std::move(result);
  };
  if (!remedy.is_there()) {
    return refuse({RefusalReason::does_not_apply, step.selection.near.value_or(Point::Zero()),
                   std::string(remedy.slug) + " is not there yet"});
  }
  check_settings(step);
  const SettingReader read(step.number, step.settings);
  const double allowed = std::min(step.budget.value_or(options.tolerance), options.tolerance);
  std::vector<RemedyTarget> targets = targets_of(state, findings, step);
  if (step.settings.contains("at")) {
    const std::vector<Point> places = read.points("at");
    if (!places.empty()) keep_nearest_part(state, places[0], targets);
    if (const auto refusal = out_of_reach(state, places, targets)) return refuse(*refusal);
  } else if (remedy.needs_selection && step.selection.is_empty()) {
    return refuse(
        {RefusalReason::does_not_apply, Point::Zero(), "it does not say what is selected"});
  }
  // From the last part to the first: a part that goes takes its number with it.
  for (auto at = targets.rbegin(); at != targets.rend(); ++at) {
    RemedyTarget& target = *at;
    const Part& part = state.model.parts[target.part];
    const Budget budget{allowed, state.traces[target.part]->spent};
    // Remedies work on distinct points; what that welds is no step of its own.
    std::optional<Change> welded;
    if (!part.mesh().points_are_distinct && !(step.remedy == remedies::weld)) {
      welded = distinct_points(part.mesh(), budget);
    }
    const Mesh& mesh = welded ? welded->mesh : part.mesh();
    const KnownMeshPtr known =
        welded ? std::make_shared<const KnownMesh>(mesh) : known_mesh(state, target.part);
    const auto run = [&] {
      return remedy.run({mesh, *known, target, read, options.tolerance, budget,
                         options.round_to_float, progress, &part.placed()});
    };
    Change change = run();
    LargeLosses losses(*known, *state.traces[target.part], options.most_given_up);
    if (!step.is_decided && !remedy.by_hand()) {
      if (!remedy.keeps_material) {
        change = losses.without_large_ones(std::move(change), target, budget, run);
      } else if (change.rests_on_estimates) {
        change = losses.unless_large(std::move(change), target, budget);
      }
    }
    std::string harm = harm_of(*known, change);
    if (harm.empty() && change.mesh.triangles.empty() && !mesh.triangles.empty()) {
      harm = "nothing of the part";
    }
    if (!harm.empty() && !runs_as_told(step, read)) {
      std::vector<Refusal> refused = std::move(change.refused);
      refused.push_back({RefusalReason::no_gain,
                         target.findings.empty() ? Point(Point::Zero()) : target.findings[0]->place,
                         "it would leave " + harm});
      change = unchanged(mesh, budget);
      change.refused = std::move(refused);
      harm.clear();
    }
    LedgerLine line = line_of(mesh, budget, change);
    line.given_up_share = losses.share_of(given_up(mesh, change));
    describe(line, step, state, target);
    line.worse = harm;
    if (line.changed_anything()) {
      if (welded) change = composed(*welded, std::move(change));
      MendState before = result.state;
      PartChange made = accept(result.state, target.part, std::move(change));
      if (is_in_vain(line, made.faces)) {
        result.state = std::move(before);
        line.done = 0;
        line.method.clear();
        line.refused.push_back({RefusalReason::does_not_apply, line.place,
                                "no face could stand for all that were to be joined"});
      } else {
        line.fate = made.fate;
        line.faces = made.faces;
        result.parts.push_back(std::move(made));
        result.changed = true;
      }
    }
    result.lines.push_back(std::move(line));
  }
  std::reverse(result.lines.begin(), result.lines.end());
  if (result.lines.empty()) result.lines.push_back(empty_line(step));
  return result;
}

std::vector<Finding> carried(std::span<const Finding> findings, const MendState& before,
                             const StepResult& result) {
  return carried(findings, named_parts(before), result.parts, named_parts(result.state));
}

}  // namespace aguja
