#include "aguja/mend/by_hand.h"

#include "aguja/mend/remedy.h"
#include "mend/remedies/vertices_at.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kBridgeSettings[] = {
    {"at", SettingType::points, "the ends of the first edge, then of the second"}};

Change run_bridge(const RemedyInput& in) {
  const std::vector<VertexId> v = vertices_at(in, in.settings.points("at"));
  if (v.size() != 4) in.settings.fail("bridge needs at with four points");
  return bridge_edges(in.mesh, in.known.edges(), {v[0], v[1]}, {v[2], v[3]}, in.budget);
}

}  // namespace

constinit const RemedyInfo bridge = {.slug = "bridge",
                                     .what = "two naked edges are joined by triangles",
                                     .settings = kBridgeSettings,
                                     .may_worsen = MayWorsen::anything,
                                     .movement = CountsAsMovement::recorded,
                                     .needs_selection = true,
                                     .run = run_bridge};

}  // namespace aguja::remedies
