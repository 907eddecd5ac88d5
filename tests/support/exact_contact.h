#pragma once
// How two triangles meet, by plain rational arithmetic: clip one by the other and look at what is
// left. Slow, and shares nothing with the code under test.

#include "aguja/geometry/triangle_pair.h"

namespace aguja::test {

/// Both triangles must have an area.
[[nodiscard]] Contact contact_by_rationals(const LabelledTriangle& a, const LabelledTriangle& b);

}  // namespace aguja::test
