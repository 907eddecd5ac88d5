#include "aguja/mesh/triangle_places.h"

#include "base/mixed_bits.h"
#include "base/parallel_algorithms.h"

namespace aguja {

std::uint64_t hash_of_corners(const TriangleCorners& corners) {
  std::uint64_t sum = 0;
  for (const Point& p : corners) {
    std::uint64_t h = 0;
    for (int axis = 0; axis < 3; ++axis) h = mixed((h ^ bits_of(p[axis])) + 0x9E3779B97F4A7C15u);
    sum += h;
  }
  return sum;
}

bool have_same_corners(TriangleCorners a, TriangleCorners b) {
  std::sort(a.begin(), a.end(), lexicographically_less);
  std::sort(b.begin(), b.end(), lexicographically_less);
  return a == b;
}

void detail::sort_by_hash(Array<HashedTriangle>& triangles) {
  parallel_sort(triangles.begin(), triangles.end());
}

}  // namespace aguja
