#include "aguja/mesh/mesh.h"

#include "aguja/base/parallel.h"

namespace aguja {

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
