#pragma once
/// \file
/// Surface models from STEP and IGES files.

#include "aguja/base/progress.h"
#include "aguja/formats/format.h"
#include "aguja/surface/body.h"

namespace aguja {

/// ISO 10303-21 with the shapes of AP203, AP214 and AP242: solids with voids, surface models, open
/// shells, faceted and tessellated shapes, sets of surfaces; assemblies with their placements;
/// names, colours, units per context, the stated uncertainty. Entities that cannot be understood,
/// or contradict themselves, are left out and told in `not_understood` and `notes`; the rest is
/// read.
///
/// Cost     One pass over the bytes, and what the shapes name.
/// Errors   InputError (no exchange structure, text without an end, no data section, no shape at
///          all), Cancelled.
[[nodiscard]] SurfaceModel read_step(const Source& source, const ReadOptions& options = {},
                                     Progress* progress = nullptr);

/// IGES 5.3, fixed and compressed ASCII.
[[nodiscard]] SurfaceModel read_iges(const Source& source, const ReadOptions& options = {},
                                     Progress* progress = nullptr);

/// Either, told by content and name; shapes without a name are named after the file. `prepare`
/// makes it into triangles.
[[nodiscard]] SurfaceModel read_surface_model(const Source& source, const ReadOptions& options = {},
                                              Progress* progress = nullptr);

}  // namespace aguja
