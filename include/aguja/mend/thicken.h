#pragma once
/// \file
/// A sheet gets a thickness, a solid becomes hollow.

#include "aguja/base/progress.h"
#include "aguja/mend/change.h"
#include "aguja/solid/offset.h"

namespace aguja {

/// `offset_surface` as a change: what is new is added, and moves nothing. With `both` sides all of
/// the surface is given up.
/// Refuses  What that names as a problem. The mesh then stays as it is.
/// Errors   As that.
[[nodiscard]] Change thicken(const Mesh& mesh, double thickness, const OffsetOptions& options = {},
                             const Budget& budget = {}, Progress* progress = nullptr);

}  // namespace aguja
