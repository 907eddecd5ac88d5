#pragma once
/// \file
/// What lies on one side of a cut is given up, or the surface is divided there.

#include "aguja/base/progress.h"
#include "aguja/mend/change.h"
#include "aguja/solid/cut_model.h"

namespace aguja {

/// Keeps one side of what the cutter cuts; capped, what is given up ends in a cap, and a solid is a
/// solid again. Keeps both: the surface is divided where the cut passes, and nothing else, so that
/// what comes next can work on one side of it and leave the other as it is, bit for bit.
///
/// Refuses  What `cut_by_plane` and `cut_by_body` name as a problem. The mesh then stays as it is.
/// Cost     As of these.
/// Errors   As of these.
[[nodiscard]] Change cut_away(const Mesh& mesh, const Cutter& cutter, KeptSides keep,
                              const CutOptions& options = {}, const Budget& budget = {},
                              Progress* progress = nullptr);

}  // namespace aguja
