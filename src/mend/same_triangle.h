#pragma once
// Is a triangle the same as before, as far as its points go?

#include "aguja/mesh/mesh.h"

namespace aguja {

enum class Sameness { different, same, turned };

[[nodiscard]] inline Sameness same_triangle(const Mesh& a, TriangleId t, const Mesh& b,
                                            TriangleId u) {
  const Triangle &x = a.triangle(t), &y = b.triangle(u);
  for (std::size_t shift = 0; shift < 3; ++shift) {
    if (a.point(x[0]) != b.point(y[shift])) continue;
    const Point &x1 = a.point(x[1]), &x2 = a.point(x[2]);
    const Point &y1 = b.point(y[(shift + 1) % 3]), &y2 = b.point(y[(shift + 2) % 3]);
    if (x1 == y1 && x2 == y2) return Sameness::same;
    if (x1 == y2 && x2 == y1) return Sameness::turned;
  }
  return Sameness::different;
}

}  // namespace aguja
