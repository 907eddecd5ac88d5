#include "aguja/model/proposed_tolerance.h"

namespace aguja {

std::optional<ToleranceProposal> propose_tolerance(const Model& model) {
  std::optional<ToleranceProposal> common;
  for (const Part& part : model.parts) {
    const Welded welded(part.mesh());
    const EdgeTable edges(welded.triangles(), welded.points().size());
    const RimSurvey survey = survey_rims(welded, part.mesh().patch_of, edges,
                                         find_components(welded.triangles(), edges));
    common = common_tolerance(common, survey.proposal);
  }
  return common;
}

}  // namespace aguja
