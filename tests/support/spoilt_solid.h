#pragma once
// Solids in patches, spoilt in one or several known ways.

#include "tests/support/random_mesh.h"

namespace aguja::test {

/// A solid, and its volume.
struct Whole {
  Mesh mesh;
  double volume;
};
[[nodiscard]] Whole random_solid(Random& random);

/// Every triangle with corners of its own.
[[nodiscard]] Mesh soup_of(const Mesh& mesh);

enum class Defect { crack, hole, turned, copies, back, fin, stray, needle, soup };
inline constexpr int kDefects = 9;
/// `width`: of cracks.
void spoil(Mesh& mesh, Defect defect, double width, Random& random);

}  // namespace aguja::test
