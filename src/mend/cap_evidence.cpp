#include "mend/cap_evidence.h"

#include <algorithm>
#include <cmath>

namespace aguja {
namespace {

RimShape shape_of(const KnownMesh& known, const Opening& opening) {
  const Mesh& mesh = known.mesh();
  const Loop& loop = opening.loops[0];
  std::vector<CapSide> sides;
  for (std::size_t i = 0; i < loop.size(); ++i) {
    const VertexId a = loop[i], b = loop[(i + 1) % loop.size()];
    const auto e = known.edges().find(a, b);
    if (!e) continue;
    const Triangle& t = mesh.triangle(known.edges().uses(*e)[0].triangle());
    sides.push_back(
        {mesh.point(a), mesh.point(b), {mesh.point(t[0]), mesh.point(t[1]), mesh.point(t[2])}});
  }
  RimShape rim = shape_of_rim(sides);
  rim.has_islands = opening.loops.size() > 1;
  return rim;
}

}  // namespace

std::vector<RimVerdict> judge_caps(const KnownMesh& mesh, std::span<const Opening> openings) {
  std::vector<RimShape> rims;
  for (const Opening& o : openings) rims.push_back(shape_of(mesh, o));
  return judge_rims(rims, box_of(mesh.mesh()).diagonal());
}

bool misses_a_corner(const KnownMesh& mesh, const Filler& filler, const Opening& opening,
                     double tolerance) {
  FillOptions options;
  options.tolerance = tolerance;
  options.method = FillMethod::extend;
  const FillOutcome outcome = filler.fill(opening, options);
  const Fill* extended = std::get_if<Fill>(&outcome);
  if (extended == nullptr || extended->points.empty()) return false;
  const RimShape rim = shape_of(mesh, opening);
  double farthest = 0;
  for (const Point& p : extended->points) {
    farthest = std::max(farthest, std::fabs((p - rim.middle).dot(rim.normal)));
  }
  // Far away they meet by chance.
  return farthest <= rim.radius && farthest > tolerance;
}

}  // namespace aguja
