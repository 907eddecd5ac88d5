#pragma once
// Skins that lie on each other but for a hair.

#include <optional>
#include <span>

#include "aguja/mend/change.h"

namespace aguja {

// Surfaces of different closed bodies that lie along each other within the budget, over an area, are
// brought onto each other: their triangles get the same corners there. Nothing if there are none, or if
// something would move beyond the budget. What faces away from each other with material between is a
// wall, however thin, and no such pair, unless two bodies overlap there. `about`: only pairs with one of
// these triangles; empty: all.
//
// Cost     Nothing for one body; else a tree, and what lies near.
[[nodiscard]] std::optional<Change> with_near_skins_joined(const Mesh& mesh, const Budget& budget,
                                                           std::span<const TriangleId> about = {});

}  // namespace aguja
