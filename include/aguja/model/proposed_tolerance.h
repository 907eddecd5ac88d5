#pragma once
/// \file
/// The tolerance that a model needs to be stitched.

#include "aguja/mesh/rim_survey.h"
#include "aguja/model/model.h"

namespace aguja {

/// What the parts of a model, each by itself, need in common; nothing if nothing faces anything
/// closely.
/// Cost     That of `survey_rims` for each shape.
[[nodiscard]] std::optional<ToleranceProposal> propose_tolerance(const Model& model);

}  // namespace aguja
