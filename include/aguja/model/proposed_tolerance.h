#pragma once
/// \file
/// The tolerance that a model needs to be stitched.

#include "aguja/mesh/rim_survey.h"
#include "aguja/model/model.h"

namespace aguja {

/// How wide a crack of a part can be that is made of faces most of which share an edge with another in
/// the file: what the file leaves open there is missing, and no seam. None of other parts.
[[nodiscard]] std::optional<double> widest_crack(const Shape& shape);

/// What the parts of a model, each by itself, need in common; nothing if nothing faces anything
/// closely.
/// Cost     That of `survey_rims` for each shape.
[[nodiscard]] std::optional<ToleranceProposal> propose_tolerance(const Model& model);

}  // namespace aguja
