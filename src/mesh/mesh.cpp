#include "aguja/mesh/mesh.h"

#include "aguja/base/parallel.h"

namespace aguja {

std::vector<bool> points_of_triangles(const Mesh& mesh) {
  std::vector<bool> used(mesh.points.size());
  for (const Triangle& t : mesh.triangles) {
    for (const VertexId v : t.corner) used[v.value] = true;
  }
  return used;
}

std::vector<bool> used_points(const Mesh& mesh) {
  std::vector<bool> used = points_of_triangles(mesh);
  for (const Wire& w : mesh.wires) used[w[0].value] = used[w[1].value] = true;
  return used;
}

Box box_of(const Mesh& mesh) {
  constexpr std::size_t kGrain = std::size_t{1} << 16;
  Box all;
  for (const Box& box : parallel_map(mesh.points.size(), kGrain, [&](Range r) {
         return box_of(std::span<const Point>(mesh.points).subspan(r.begin, r.size()));
       })) {
    all.extend(box);
  }
  return all;
}

}  // namespace aguja
