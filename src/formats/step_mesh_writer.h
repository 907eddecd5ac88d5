#pragma once
// Meshes in STEP files.

#include <string>

#include "aguja/model/shape.h"
#include "formats/step_writer.h"

namespace aguja::detail {

/// A plane face a triangle: bounded by points alone in a faceted body if the mesh is closed, else by
/// straight edges that they share. Equal points are one; triangles with two equal corners are left
/// out.
///
/// Cost     O(n log n) for n triangles.
void write_step_facets(StepEntities& out, StepStyles& styles, const Shape& shape,
                       const std::string& name, StepItems& to);

/// A tessellated face of AP242 a patch, over one list of points.
void write_step_tessellation(StepEntities& out, StepStyles& styles, const Shape& shape,
                             const std::string& name, StepItems& to);

}  // namespace aguja::detail
