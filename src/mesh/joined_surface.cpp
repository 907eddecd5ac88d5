#include "aguja/mesh/joined_surface.h"

namespace aguja {

JoinedSurface::JoinedSurface(const Welded& mesh, const EdgeTable& edges,
                             const Components& components, const Rims& rims,
                             const RimSurvey& survey)
    : survey_(survey),
      points_(mesh.points()),
      triangles_(mesh.triangles()),
      edges_(&edges),
      components_(&components),
      rims_(&rims) {
  if (!has_cracks()) return;
  points_ = survey.joined->mesh.points;
  triangles_ = survey.joined->mesh.triangles;
  edges_ = &own_edges_.emplace(triangles_, points_.size());
  components_ = &own_components_.emplace(find_components(triangles_, *edges_));
  rims_ = &own_rims_.emplace(*edges_);
}

}  // namespace aguja
