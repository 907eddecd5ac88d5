#pragma once
// Whether a zip made anything worse, and which knots did it.

#include <map>

#include "aguja/mend/stitch.h"
#include "aguja/mesh/zip.h"

namespace aguja {

/// Knots (by their number in the plan) that must be undone, each with the first reason found.
[[nodiscard]] std::map<std::uint32_t, RefusalReason> find_harm(const Welded& before,
                                                               const EdgeTable& edges_before,
                                                               const Zipped& zipped,
                                                               const EdgeTable& edges_after);

/// By edge of the zipped mesh: is it made of two naked ones, or of one that earlier zips joined (by
/// edge of the mesh before; may be empty)?
[[nodiscard]] std::vector<bool> joined_edges(const Welded& before, const EdgeTable& edges_before,
                                             const std::vector<bool>& joined_before,
                                             const Zipped& zipped, const EdgeTable& edges_after);

}  // namespace aguja
