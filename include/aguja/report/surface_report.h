#pragma once
/// \file
/// Surface models for people and programs: numbers of faces and edges, tolerances.

#include <nlohmann/json_fwd.hpp>

#include "aguja/report/text.h"
#include "aguja/surface/check_surfaces.h"

namespace aguja {

/// The object `surface` of reports; see docs/json.md.
[[nodiscard]] nlohmann::ordered_json surface_json(const PreparedSurfaces& surfaces);

/// One line with the numbers, and one for what was not understood, if anything.
[[nodiscard]] std::vector<std::string> surface_notes(const PreparedSurfaces& surfaces);

/// Least, mean and largest distances of vertices, edges and faces, and where the largest are.
[[nodiscard]] std::string tolerances_text(const PreparedSurfaces& surfaces,
                                          const TextOptions& options = {});

}  // namespace aguja
