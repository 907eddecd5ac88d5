#pragma once
// How two triangles meet, by plain rational arithmetic: clip one by the other and look at what is
// left. Slow, and shares nothing with the code under test.

#include "aguja/geometry/triangle_pair.h"
#include "tests/support/rational.h"

namespace aguja::test {

struct RationalTriangle {
  std::array<RationalPoint, 3> corner;
  std::array<std::uint32_t, 3> label;
};
[[nodiscard]] RationalTriangle rational(const LabelledTriangle& t);

/// Both triangles must have an area.
[[nodiscard]] Contact contact_by_rationals(const RationalTriangle& a, const RationalTriangle& b);
[[nodiscard]] Contact contact_by_rationals(const LabelledTriangle& a, const LabelledTriangle& b);

}  // namespace aguja::test
