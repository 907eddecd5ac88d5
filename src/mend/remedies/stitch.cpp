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
  const double tolerance =
      std::min(in.settings.number("tolerance").value_or(in.tolerance), in.budget.distance);
  const double steps = in.settings.number("steps").value_or(1);
  if (!(steps >= 1 && steps <= kMostSteps)) in.settings.fail("'steps' is from 1 to 100");
  StitchOptions options;
  options.steps = static_cast<int>(steps);
  options.round_to_float = in.round_to_float;
  // By kind it is all of them; some only if they were picked out.
  if (in.target.is_picked) options.only = in.target.triangles;
  return as_change(
      aguja::stitch(in.mesh, std::max(0.0, tolerance - spent), options, nullptr, in.progress),
      in.budget);
}

}  // namespace

constinit const RemedyInfo stitch = {
    .slug = "stitch", .what = "cracks are joined", .settings = kStitchSettings, .run = run_stitch};

}  // namespace aguja::remedies
