#pragma once
/// \file
/// Absorbing: patches that are too small or too thin, and divisions that mean nothing.

#include <functional>
#include <span>

#include "aguja/base/progress.h"
#include "aguja/mend/change.h"

namespace aguja {

/// Does the first patch lie on the surface of the second one?
using LiesOnSurface = std::function<bool(PatchId, PatchId)>;

/// Patches that are slivers or tiny: their narrow sides are contracted within the budget, so that
/// their neighbours meet; where the mesh has patches and one cannot be contracted, but goes on
/// smoothly into a neighbour (less than 5 degrees), it becomes part of that.
/// `triangles` are those of the patches, together. Where surfaces are known, what lies on that of a
/// neighbour becomes part of it before anything is contracted, and nothing else does.
/// Promises  As `collapse`.
[[nodiscard]] Change absorb_patches(const Mesh& mesh, std::span<const TriangleId> triangles,
                                    const Budget& budget = {}, Progress* progress = nullptr,
                                    const LiesOnSurface& lies_on = {});

/// Patches that lie in one plane and share edges become one; nothing moves. `triangles`: all of
/// those that may; empty: all of the mesh.
[[nodiscard]] Change join_planes(const Mesh& mesh, std::span<const TriangleId> triangles = {},
                                 const Budget& budget = {});

/// Vertices that no shape needs go: those around which all triangles lie exactly in one plane, and
/// those on a straight edge between two planes. Patches keep their borders. `triangles`: only
/// vertices of these; empty: all.
/// Promises  As `collapse`, with a budget of 0 whatever is given: the surface stays where it is to
///           the last bit, as far as the vertices lie in the planes exactly.
[[nodiscard]] Change drop_superfluous_vertices(const Mesh& mesh,
                                               std::span<const TriangleId> triangles = {},
                                               const Budget& budget = {},
                                               Progress* progress = nullptr);

}  // namespace aguja
