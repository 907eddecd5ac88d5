#pragma once
/// \file
/// Turning faces the right way.

#include <span>

#include "aguja/base/progress.h"
#include "aguja/mend/change.h"
#include "aguja/solid/orientation.h"

namespace aguja {

using OrientOptions = OrientationOptions;

/// Turns what faces the wrong way: against its neighbours, into the material, a whole shell inside
/// out. Closed surfaces are decided exactly, open ones by winding numbers (`find_material`); what
/// these leave undecided is refused.
///
/// Promises  Only the order of corners changes. Nothing that agreed with its neighbours disagrees
///           afterwards.
/// Cost      As `find_material`; an anatomy without crossings.
/// Errors    Cancelled.
[[nodiscard]] Change orient(const Mesh& mesh, const OrientOptions& options = {},
                            const Budget& budget = {}, Progress* progress = nullptr);

/// Turns over exactly these triangles, whatever comes of it.
/// Errors    ArgumentError (a triangle that does not exist).
[[nodiscard]] Change turn(const Mesh& mesh, std::span<const TriangleId> triangles,
                          const Budget& budget = {});

}  // namespace aguja
