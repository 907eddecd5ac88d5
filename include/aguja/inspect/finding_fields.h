#pragma once
/// \file
/// What is told of each triangle, as numbers and colours.

#include <array>
#include <vector>

#include "aguja/inspect/inspect.h"
#include "aguja/solid/fields.h"

namespace aguja {

/// The triangles of a finding, numbered through all parts; none if it is of the whole model.
[[nodiscard]] std::vector<std::size_t> model_triangles(const Model& model, const Finding& finding);

/// By triangle the kind of its worst finding: the number of the kind in `all_kinds()`, counted from
/// 1; 0 where nothing is told of it. `inspection` should list all triangles of its findings.
[[nodiscard]] TriangleField kind_field(const Model& model, const Inspection& inspection);

/// The same as colours: sand where nothing is told, ochre for errors, blue-green for warnings, grey
/// for notes and what is waived.
[[nodiscard]] std::vector<std::array<std::uint8_t, 3>> severity_colours(
    const Model& model, const Inspection& inspection);

}  // namespace aguja
