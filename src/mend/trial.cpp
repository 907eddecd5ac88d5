#include "aguja/mend/trial.h"

#include <algorithm>
#include <optional>

#include "mend/finding_openings.h"
#include "mend/ledger.h"
#include "mend/surface_fill.h"

namespace aguja {

const Fill* Trial::find(FillMethod method) const {
  for (const FillOutcome& outcome : outcomes) {
    const Fill* fill = std::get_if<Fill>(&outcome);
    if (fill != nullptr && fill->method == method) return fill;
  }
  return nullptr;
}

Trial try_fills(const std::shared_ptr<const MendState>& state, std::span<const Finding> findings,
                const std::string& id, const FillOptions& options) {
  const auto at =
      std::find_if(findings.begin(), findings.end(), [&](const Finding& f) { return f.id == id; });
  if (at == findings.end()) throw StepError(0, "there is no finding " + id);
  if (at->kind != FindingKind::opening && at->kind != FindingKind::sheet_border) {
    throw StepError(0, id + " is no opening: there is nothing to fill");
  }
  Trial trial;
  trial.id = id;
  trial.part = *at->part_index;
  trial.place = at->place;
  const Budget budget{options.tolerance, state->traces[trial.part]->spent};
  const Mesh& read = state->model.parts[trial.part].mesh();
  std::optional<FindingOpenings> prepared;
  if (read.points_are_distinct) {
    trial.mesh = known_mesh(*state, trial.part);
    prepared.emplace(*trial.mesh, options.tolerance, budget);
  } else {
    prepared.emplace(read, options.tolerance, budget);
  }
  const FindingOpenings& openings = *prepared;
  const std::vector<Opening> own = openings.of(*at);
  if (own.size() != 1) {
    throw StepError(
        0, id + (own.empty() ? ": its naked edges form no closed loop; stitch or orient first"
                             : ": its rim meets itself: it is several openings"));
  }
  trial.of = state;
  if (openings.changed()) {
    trial.prepared = std::make_shared<const Change>(*openings.changed());
    trial.mesh = std::make_shared<const KnownMesh>(trial.prepared->mesh, trial.prepared);
  }
  trial.outcomes =
      Filler(*trial.mesh, options.tolerance)
          .try_all(own[0], options,
                   SurfaceFills(state->model.parts[trial.part].placed(), *trial.mesh).of(own[0]));
  return trial;
}

StepResult accept_trial(const Trial& trial, FillMethod method, double tolerance) {
  const Fill* fill = trial.find(method);
  if (fill == nullptr) {
    throw ArgumentError(trial.id + ": " + std::string(slug(method)) + " gives no fill");
  }
  const Budget budget{tolerance,
                      trial.prepared ? trial.prepared->spent : trial.of->traces[trial.part]->spent};
  Change change = add_fills(*trial.mesh, std::span(fill, 1), budget);
  StepResult result{.state = *trial.of, .lines = {}, .changed = change.done > 0};
  LedgerLine line = line_of(trial.mesh->mesh(), budget, change);
  line.remedy = remedies::fill;
  line.part = trial.of->model.parts[trial.part].name;
  line.part_id = trial.of->traces[trial.part]->id;
  line.findings = {trial.id};
  line.finding_count = 1;
  line.place = trial.place;
  if (result.changed) {
    if (trial.prepared) change = composed(*trial.prepared, std::move(change));
    result.parts.push_back(accept(result.state, trial.part, std::move(change)));
    line.faces = result.parts.back().faces;
  }
  result.lines.push_back(std::move(line));
  return result;
}

}  // namespace aguja
