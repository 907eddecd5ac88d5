#pragma once
// How two triangles meet, by plain rational arithmetic: clip one by the other and look at what is
// left. Slow, and shares nothing with the code under test.

#include <array>

#include <gmpxx.h>

#include "aguja/geometry/triangle_pair.h"

namespace aguja::test {

using RationalPoint = std::array<mpq_class, 3>;
struct RationalTriangle {
  std::array<RationalPoint, 3> corner;
  std::array<std::uint32_t, 3> label;
};
[[nodiscard]] RationalTriangle rational(const LabelledTriangle& t);

/// Both triangles must have an area.
[[nodiscard]] Contact contact_by_rationals(const RationalTriangle& a, const RationalTriangle& b);
[[nodiscard]] Contact contact_by_rationals(const LabelledTriangle& a, const LabelledTriangle& b);

}  // namespace aguja::test
