#pragma once
/// \file
/// Moving, turning, mirroring and scaling of models.

#include <Eigen/Geometry>

#include "aguja/mesh/model.h"

namespace aguja {

/// Applies `map` to all points. Where it mirrors, triangles are turned over so that outward stays
/// outward; stored facet normals, which would no longer be true, are dropped. The identity changes
/// nothing at all.
/// Errors: ArgumentError if the map is singular or not finite, or takes a point out of the range of
/// doubles (the model is then unchanged).
void transform(Model& model, const Eigen::Affine3d& map);

/// Rescales coordinates so that the same sizes are expressed in `unit`.
void convert_unit(Model& model, LengthUnit unit);

}  // namespace aguja
