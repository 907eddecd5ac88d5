#pragma once
/// \file
/// Gaps: both sides are moved together, or a strip is put between them.

#include <optional>
#include <span>
#include <string_view>

#include "aguja/base/progress.h"
#include "aguja/mend/change.h"

namespace aguja {

enum class GapMethod {
  automatic,  ///< moved where the budget allows, else a strip
  move,       ///< both sides meet half way, as stitching does
  strip,      ///< triangles between them; nothing moves
};
[[nodiscard]] std::string_view slug(GapMethod method);
[[nodiscard]] std::optional<GapMethod> parse_gap_method(std::string_view slug);

struct GapOptions {
  GapMethod method = GapMethod::automatic;
  /// The widest gap that is closed; model units. Moving needs a budget of as much.
  double width = 0;
};

/// Closes the gap between the naked edges of these triangles, as a finding of kind `gap` lists
/// them.
///
/// Promises  Moving: as `stitch`. A strip: no edge gets more than two triangles, no triangles cross
///           that did not, and fewer edges are naked than before; else it is refused.
/// Errors    ArgumentError (a width that is not finite or below 0), Cancelled.
[[nodiscard]] Change close_gap(const Mesh& mesh, std::span<const TriangleId> triangles,
                               const GapOptions& options, const Budget& budget = {},
                               Progress* progress = nullptr);

}  // namespace aguja
