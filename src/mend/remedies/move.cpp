#include "aguja/mend/by_hand.h"

#include "aguja/mend/remedy.h"
#include "mend/remedies/vertices_at.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kMoveSettings[] = {
    {"at", SettingType::points, "vertices, each by the nearest to a point"},
    {"by", SettingType::point, "how far they all go"},
    {"to", SettingType::points, "or where each goes"}};

Change run_move(const RemedyInput& in) {
  const std::vector<VertexId> vertices = vertices_at(in, in.settings.points("at"));
  const auto by = in.settings.point("by");
  const std::vector<Point> to = in.settings.points("to");
  if (vertices.empty() || (!by && to.size() != vertices.size())) {
    in.settings.fail("move needs at, and by or as many to");
  }
  std::vector<VertexMove> moves;
  for (std::size_t i = 0; i < vertices.size(); ++i) {
    moves.push_back({vertices[i], by ? Point(in.mesh.point(vertices[i]) + *by) : to[i]});
  }
  return move_vertices(in.mesh, moves, in.budget);
}

}  // namespace

constinit const RemedyInfo move = {.slug = "move",
                                   .what = "vertices are moved",
                                   .settings = kMoveSettings,
                                   .may_worsen = MayWorsen::anything,
                                   .movement = CountsAsMovement::recorded,
                                   .needs_selection = true,
                                   .run = run_move};

}  // namespace aguja::remedies
