#pragma once
/// \file
/// Welding: equal points become one; on rims, near ones too.

#include <span>

#include "aguja/base/error.h"
#include "aguja/mend/change.h"

namespace aguja {

/// Equal points become one (0.0 equals -0.0); triangles that have two equal corners then, which
/// have no area and bound nothing, go with it. Nothing moves.
/// Cost     As `Welded`.
[[nodiscard]] Change weld(const Mesh& mesh, const Budget& budget = {});

/// As above, then vertices of naked edges that lie within `tolerance` of each other become one,
/// half way between, nearest pairs first; each join is examined as in `collapse`. `only` (triangles
/// of the mesh; empty: all) are those whose vertices are looked at.
/// Cost     O(k log k) for k naked edges beside that.
/// Errors   ArgumentError (tolerance not finite or below 0).
[[nodiscard]] Change weld_rims(const Mesh& mesh, double tolerance,
                               std::span<const TriangleId> only = {}, const Budget& budget = {});

}  // namespace aguja
