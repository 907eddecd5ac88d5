#pragma once
/// \file
/// Refitting: patches that run over or bulge are deleted and filled anew, as one step.

#include "aguja/mend/fill.h"

namespace aguja {

/// The mesh without these triangles, with the openings that this makes filled. All or nothing: if
/// one of the openings cannot be filled, or was open before, nothing changes.
/// Errors   As `fill`.
[[nodiscard]] Change refit(const Mesh& mesh, std::span<const TriangleId> triangles,
                           const FillOptions& options = {}, const Budget& budget = {},
                           Progress* progress = nullptr);

}  // namespace aguja
