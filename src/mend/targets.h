#pragma once
// What a step is about, part by part.

#include "aguja/mend/plan.h"
#include "aguja/mend/state.h"

namespace aguja {

/// Errors: StepError (a finding, patch or part that is not there).
[[nodiscard]] std::vector<RemedyTarget> targets_of(const MendState& state,
                                                   std::span<const Finding> findings,
                                                   const Step& step);

/// Steps that name vertices by places are about the part that has the first of them.
void keep_nearest_part(const MendState& state, const Point& place,
                       std::vector<RemedyTarget>& targets);

}  // namespace aguja
