#include "aguja/mend/stitch.h"

#include <algorithm>

#include "aguja/mend/remedy.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kStitchSettings[] = {
    {"tolerance", SettingType::length, "the widest crack that is joined; the budget if left out"},
    {"steps", SettingType::number, "the tolerance grows in so many steps"}};

constexpr int kMostSteps = 100;

Change run_stitch(const RemedyInput& in) {
  double spent = 0;
  for (const double s : in.budget.spent) spent = std::max(spent, s);
  const double wanted = in.settings.number("tolerance").value_or(in.tolerance);
  const double left = std::max(0.0, std::min(wanted, in.budget.distance) - spent);
  const double steps = in.settings.number("steps").value_or(1);
  if (!(steps >= 1 && steps <= kMostSteps)) in.settings.fail("'steps' is from 1 to 100");
  StitchOptions options;
  options.steps = static_cast<int>(steps);
  options.round_to_float = in.round_to_float;
  // By kind it is all of them; some only if they were picked out.
  if (in.target.is_picked) options.only = in.target.triangles;
  StitchResult stitched = aguja::stitch(in.mesh, left, options, nullptr, in.progress);
  const bool wants_more = wanted > left && stitched.naked_after > 0;
  std::vector<TriangleId> still;  // of those picked out
  for (std::uint32_t t = 0; wants_more && t < stitched.parent.size(); ++t) {
    if (std::binary_search(options.only.begin(), options.only.end(), stitched.parent[t]))
      still.push_back({t});
  }
  Change change = as_change(std::move(stitched), in.budget);
  if (!wants_more) return change;
  // What the step was told to join and may not: tried, so that the budget for it can be said.
  options.only = still;
  const StitchResult more = aguja::stitch(change.mesh, wanted, options, nullptr, in.progress);
  if (more.joined > 0) {
    change.refused.insert(change.refused.begin(),
                          beyond_budget(more.largest_movement_at, spent + wanted));
  }
  return change;
}

}  // namespace

constinit const RemedyInfo stitch = {
    .slug = "stitch", .what = "cracks are joined", .settings = kStitchSettings, .run = run_stitch};

}  // namespace aguja::remedies
