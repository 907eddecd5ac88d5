#include "aguja/mend/collapse.h"

#include "aguja/mend/remedy.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kCollapseSettings[] = {
    {"short_edge", SettingType::length,
     "edges that are shorter are contracted although no triangle is bad"}};

Change run_collapse(const RemedyInput& in) {
  return aguja::collapse(in.mesh, in.target.triangles,
                         {in.settings.number("short_edge").value_or(0)}, in.budget, in.progress);
}

}  // namespace

constinit const RemedyInfo collapse = {
    .slug = "collapse",
    .what = "edges are contracted and flipped until bad triangles are gone",
    .settings = kCollapseSettings,
    .run = run_collapse};

}  // namespace aguja::remedies
