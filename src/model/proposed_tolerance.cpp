#include "aguja/model/proposed_tolerance.h"

#include <algorithm>

namespace aguja {

std::optional<double> widest_crack(const Shape& shape) {
  std::size_t all = 0, sharing = 0;
  double widest = 0;
  for (const SurfaceOrigin& origin : shape.surfaces) {
    const Body& body = origin.body->body;
    std::vector<std::uint32_t> first_face(body.edges.size(), kNoIndex);
    std::vector<bool> shares(body.faces.size());
    for (std::uint32_t f = 0; f < body.faces.size(); ++f) {
      all += body.faces[f].is_used;
      for (const FaceLoop& loop : body.faces[f].loops) {
        for (const EdgeUseOfFace& use : loop.edges) {
          std::uint32_t& first = first_face[use.edge];
          if (first == kNoIndex) first = f;
          if (first != f && !body.edges[use.edge].sewn) shares[first] = shares[f] = true;
        }
      }
    }
    sharing += static_cast<std::size_t>(std::count(shares.begin(), shares.end(), true));
    widest = std::max(widest, origin.placement.scale() * origin.body->limit());
  }
  if (2 * sharing <= all) return std::nullopt;
  return widest;
}

std::optional<ToleranceProposal> propose_tolerance(const Model& model) {
  std::optional<ToleranceProposal> common;
  for (const Part& part : model.parts) {
    const Welded welded(part.mesh());
    const EdgeTable edges(welded.triangles(), welded.points().size());
    const RimSurvey survey =
        survey_rims(welded, part.mesh().patch_of, edges, find_components(welded.triangles(), edges),
                    {.widest_crack = widest_crack(part.placed())});
    common = common_tolerance(common, survey.proposal);
  }
  return common;
}

}  // namespace aguja
