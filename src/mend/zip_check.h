#pragma once
// Whether a zip made anything worse, and which knots did it.

#include <map>

#include "aguja/mend/stitch.h"
#include "aguja/mesh/zip.h"

namespace aguja {

/// Edges of the zipped mesh that are made of two edges, or pieces of them, that were naked before.
[[nodiscard]] std::vector<EdgeId> newly_joined(const Welded& before, const EdgeTable& edges_before,
                                               const Zipped& zipped, const EdgeTable& edges_after);
/// Edges of the zipped mesh that lie on edges marked in `joined_before` (by edge).
[[nodiscard]] std::vector<EdgeId> still_joined(const Welded& before, const EdgeTable& edges_before,
                                               const std::vector<bool>& joined_before,
                                               const Zipped& zipped, const EdgeTable& edges_after);

/// Knots (by their number in the plan) that must be undone, each with the first reason found.
/// `joined`: as `newly_joined` gives them.
[[nodiscard]] std::map<std::uint32_t, RefusalReason> find_harm(const Welded& before,
                                                               const EdgeTable& edges_before,
                                                               const Zipped& zipped,
                                                               const EdgeTable& edges_after,
                                                               std::span<const EdgeId> joined);

}  // namespace aguja
