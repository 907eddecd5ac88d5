#pragma once
/// \file
/// From a surface model as read to a model of parts.

#include "aguja/model/model.h"
#include "aguja/surface/prepared_body.h"

namespace aguja {

/// Each body is healed, sewn and divided once (`prepare_body`); what sewing closed is turned
/// outward, what is around cavities inward. A part per instance whose body has triangles: instances
/// share their shape. The model's one source holds all bodies, those without triangles too.
///
/// Errors   ArgumentError (values out of range), Cancelled.
[[nodiscard]] Model prepare(SurfaceModel model, const PrepareOptions& options = {},
                            Progress* progress = nullptr);

}  // namespace aguja
