#include "aguja/mend/weld.h"

#include "aguja/mend/remedy.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kWeldSettings[] = {
    {"tolerance", SettingType::length,
     "vertices of rims nearer than this become one, too; 0 if left out"}};

Change run_weld(const RemedyInput& in) {
  const double tolerance = in.settings.number("tolerance").value_or(0);
  return tolerance > 0 ? weld_rims(in.mesh, tolerance, in.target.triangles, in.budget)
                       : aguja::weld(in.mesh, in.budget);
}

}  // namespace

constinit const RemedyInfo weld = {.slug = "weld",
                                   .what = "equal points, and near ones on rims, become one",
                                   .settings = kWeldSettings,
                                   .run = run_weld};

}  // namespace aguja::remedies
