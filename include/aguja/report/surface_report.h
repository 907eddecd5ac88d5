#pragma once
/// \file
/// Surface models for people and programs: numbers of faces and edges, tolerances.

#include <nlohmann/json_fwd.hpp>

#include "aguja/model/model.h"
#include "aguja/report/text.h"

namespace aguja {

/// The object `surface` of reports, in the model's unit: of all files of surfaces together, and by
/// file if there are several; null if there are none. See docs/json.md.
[[nodiscard]] nlohmann::ordered_json surface_json(const Model& model);

/// One line with the numbers, and one for what was not understood, if anything; in the file's unit.
[[nodiscard]] std::vector<std::string> surface_notes(const SurfaceSource& source);
/// The model's own notes, then those of its surfaces.
[[nodiscard]] std::vector<std::string> notes_of(const Model& model);

/// Least, mean and largest distances of vertices, edges and faces, and where the largest are.
[[nodiscard]] std::string tolerances_text(const SurfaceSource& source,
                                          const TextOptions& options = {});

}  // namespace aguja
