#include "aguja/mend/orient.h"

#include "aguja/mend/remedy.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kOrientSettings[] = {
    {"cavities", SettingType::flag, "closed shells inside others are cavities"}};

Change run_orient(const RemedyInput& in) {
  // Conflicts are between neighbours: which side is wrong is orient's to find.
  const bool only = in.target.findings.empty();
  return aguja::orient(in.mesh,
                       {.crack_tolerance = in.tolerance,
                        .cavities = in.settings.flag("cavities").value_or(false),
                        .only = only ? std::span<const TriangleId>(in.target.triangles)
                                     : std::span<const TriangleId>()},
                       in.budget, in.progress);
}

}  // namespace

constinit const RemedyInfo orient = {.slug = "orient",
                                     .what = "faces are turned the right way",
                                     .settings = kOrientSettings,
                                     .movement = CountsAsMovement::nothing,
                                     .run = run_orient};

}  // namespace aguja::remedies
