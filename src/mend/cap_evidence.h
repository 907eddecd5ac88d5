#pragma once
// Which openings may be closed by a flat cap without asking: what speaks against it, looking at all
// openings of a part together.

#include <span>
#include <vector>

#include "aguja/mend/fill.h"
#include "inspect/rim_evidence.h"

namespace aguja {

/// By opening, of a mesh with distinct points: see `judge_rims`.
[[nodiscard]] std::vector<RimVerdict> judge_caps(const KnownMesh& mesh,
                                                 std::span<const Opening> openings);

/// Does `extend` bring back a corner close to the opening?
/// Cost     That of the fill.
[[nodiscard]] bool misses_a_corner(const KnownMesh& mesh, const Filler& filler,
                                   const Opening& opening, double tolerance);

}  // namespace aguja
