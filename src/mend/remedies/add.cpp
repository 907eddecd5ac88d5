#include "aguja/mend/by_hand.h"

#include "aguja/mend/remedy.h"
#include "mend/remedies/vertices_at.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kAddSettings[] = {
    {"at", SettingType::points, "its three corners, counter-clockwise from outside"}};

Change run_add(const RemedyInput& in) {
  const std::vector<VertexId> v = vertices_at(in, in.settings.points("at"));
  if (v.size() != 3) in.settings.fail("add needs at with three points");
  return add_triangle(in.mesh, {v[0], v[1], v[2]}, in.budget);
}

}  // namespace

constinit const RemedyInfo add = {.slug = "add",
                                  .what = "a triangle is added",
                                  .settings = kAddSettings,
                                  .may_worsen = MayWorsen::anything,
                                  .movement = CountsAsMovement::recorded,
                                  .needs_selection = true,
                                  .run = run_add};

}  // namespace aguja::remedies
