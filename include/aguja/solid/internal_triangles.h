#pragma once
/// \file
/// How many triangles have material on both sides.

#include <cstddef>
#include <optional>

#include "aguja/mesh/joined_surface.h"
#include "aguja/solid/anatomy.h"
#include "aguja/solid/material.h"

namespace aguja {

/// Triangles with material on both sides: walls between cells of material (by `material`, if it was
/// asked for), closed shells within others that face the same way, what lies within the other of
/// two surfaces that pass through each other (`crossings`), and copies back to back inside.
///
/// Decides  The first two exactly where `material` is exact; the last two by generalized winding
///          numbers at the middle of each triangle, away from 1 by a quarter at least.
/// Cost     O(n) on closed clean surfaces; a winding field and a query per triangle in doubt else.
[[nodiscard]] std::size_t count_internal_triangles(const Anatomy& anatomy,
                                                   const JoinedSurface& joined,
                                                   const std::optional<Material>& material,
                                                   bool crossings);

}  // namespace aguja
