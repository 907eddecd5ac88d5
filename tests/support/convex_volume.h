#pragma once
// Volumes of convex bodies and of what they fill together, by plain rational arithmetic.

#include <vector>

#include "aguja/mesh/mesh.h"
#include "tests/support/rational.h"

namespace aguja::test {

/// The half-space behind each triangle of a convex body that faces outward.
struct ConvexBody {
  using V = RationalPoint;
  struct Plane {
    V at, normal;  ///< outward
  };
  std::vector<Plane> planes;
};
[[nodiscard]] ConvexBody convex_body(const Mesh& outward);

/// Of what all of them have in common; they must be bounded.
[[nodiscard]] mpq_class common_volume(const std::vector<ConvexBody>& bodies);

/// Of what any of them fills, by inclusion and exclusion: for a few.
[[nodiscard]] mpq_class filled_volume(const std::vector<ConvexBody>& bodies);

}  // namespace aguja::test
