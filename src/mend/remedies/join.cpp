#include "aguja/mend/by_hand.h"

#include "aguja/mend/remedy.h"
#include "mend/remedies/vertices_at.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kJoinSettings[] = {
    {"at", SettingType::points, "vertices, each by the nearest to a point"},
    {"to", SettingType::point, "where they become one; their middle if left out"}};

Change run_join(const RemedyInput& in) {
  const std::vector<VertexId> vertices = vertices_at(in, in.settings.points("at"));
  if (vertices.size() < 2) in.settings.fail("join needs at with two points at least");
  Point middle = Point::Zero();
  for (const VertexId v : vertices) {
    middle += in.mesh.point(v) / static_cast<double>(vertices.size());
  }
  return join_vertices(in.mesh, vertices, in.settings.point("to").value_or(middle), in.budget);
}

}  // namespace

constinit const RemedyInfo join = {.slug = "join",
                                   .what = "vertices become one",
                                   .settings = kJoinSettings,
                                   .may_worsen = MayWorsen::anything,
                                   .movement = CountsAsMovement::recorded,
                                   .needs_selection = true,
                                   .run = run_join};

}  // namespace aguja::remedies
