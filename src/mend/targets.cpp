#include "mend/targets.h"

#include <map>

#include "base/numbers.h"

namespace aguja {

std::vector<RemedyTarget> targets_of(const MendState& state, std::span<const Finding> findings,
                                     const Step& step) {
  Selection selection = step.selection;
  const bool is_picked =
      !selection.ids.empty() || selection.leaves_out() || selection.near || selection.box;
  const std::vector<std::string> missing = missing_ids(selection, findings);
  if (!missing.empty()) {
    // Earlier steps may have changed an id: the same kind at the same place is the same finding.
    Selection there = selection;
    there.ids.clear();
    const bool can = selection.near && !selection.kinds.empty() && selection.ids.size() == 1;
    if (!can || select_findings(there, findings).empty()) {
      throw StepError(step.number, std::string(slug(step.remedy)) + ": there is no finding " +
                                       missing[0] + " (any more)");
    }
    selection = there;
  } else if (!selection.ids.empty()) {
    selection.kinds.clear();
    selection.near.reset();
  }
  std::map<std::size_t, RemedyTarget> by_part;
  for (const std::size_t i : select_findings(selection, findings)) {
    for (const std::size_t part : parts_of(findings[i])) {
      by_part[part].findings.push_back(&findings[i]);
    }
  }
  std::vector<std::vector<TriangleId>> triangles;
  try {
    triangles = select_triangles(state.model, findings, selection);
  } catch (const ArgumentError& error) {
    throw StepError(step.number, error.what());
  }
  std::vector<RemedyTarget> targets;
  for (std::size_t p = 0; p < state.model.parts.size(); ++p) {
    const bool named = selection.part.empty() || state.model.parts[p].name == selection.part;
    const auto at = by_part.find(p);
    // A step that selects nothing is about everything.
    const bool all = selection.is_empty() && named;
    if (at == by_part.end() && triangles[p].empty() && !all) continue;
    RemedyTarget target = at == by_part.end() ? RemedyTarget{} : at->second;
    target.part = p;
    target.is_picked = is_picked;
    target.triangles = std::move(triangles[p]);
    targets.push_back(std::move(target));
  }
  return targets;
}

void keep_nearest_part(const MendState& state, const Point& place,
                       std::vector<RemedyTarget>& targets) {
  if (targets.size() == 1) return;
  double nearest = kInfinity;
  std::size_t best = 0;
  for (const RemedyTarget& target : targets) {
    for (const Point& p : state.model.parts[target.part].mesh().points) {
      if ((p - place).squaredNorm() >= nearest) continue;
      nearest = (p - place).squaredNorm();
      best = target.part;
    }
  }
  std::erase_if(targets, [&](const RemedyTarget& t) { return t.part != best; });
}

}  // namespace aguja
