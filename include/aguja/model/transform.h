#pragma once
/// \file
/// Moving, turning, mirroring and scaling of models.

#include "aguja/model/model.h"

namespace aguja {

/// Places all parts anew; shapes stay as they are. Where the map mirrors, triangles are turned over
/// so that outward stays outward; stored facet normals, which would no longer be true, are dropped.
/// The identity changes nothing at all.
/// Errors: ArgumentError if the map is singular or not finite, or takes a point out of the range of
/// doubles (the model is then unchanged).
void transform(Model& model, const Placement& map);

/// Rescales coordinates so that the same sizes are expressed in `unit`.
void convert_unit(Model& model, LengthUnit unit);

}  // namespace aguja
