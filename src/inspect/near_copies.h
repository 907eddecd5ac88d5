#pragma once
// Open pieces that lie along other surfaces, a hair away: copies of what is there, or shingles.

#include <optional>
#include <vector>

#include "aguja/mesh/joined_surface.h"
#include "aguja/solid/material.h"

namespace aguja {

/// By body (component of the joined surface): the farthest that a piece lies from the others that it
/// lies along with nearly all of its area, if it does so within `reach`. Only lesser pieces, of less
/// than half of all area, are copies.
/// Cost     Nothing if all bodies are closed; else a tree over all triangles, and a query for each
///          triangle of the lesser open pieces.
[[nodiscard]] std::vector<std::optional<double>> find_near_copies(const JoinedSurface& surface,
                                                                  const Material& material,
                                                                  double reach);

}  // namespace aguja
