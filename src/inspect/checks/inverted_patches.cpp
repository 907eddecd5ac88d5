// inverted-patch: regions that face against the rest of their body, where no shared edge says so;
// those are winding conflicts.

#include "base/short_text.h"
#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {

void check_inverted_patches(const PartView& view, FindingSink& sink) {
  if (!view.material) return;
  const Anatomy& a = view.anatomy;
  const Material& material = *view.material;
  std::vector<bool> wanted(material.regions.size());
  bool any = false;
  for (std::size_t r = 0; r < wanted.size(); ++r) {
    const Region& region = material.regions[r];
    const MaterialBody& body = material.bodies[region.body];
    // The lesser part of what its edges and cracks join, or a piece that they join to nothing.
    wanted[r] = region.role == RegionRole::turned &&
                (!body.turned || is_sheet(body, view.limits[Limit::sheet]));
    any |= wanted[r];
  }
  if (!any) return;
  // By triangle as read; the pieces that joining cuts it into are all of one region.
  std::vector<std::uint32_t> region_of_read(a.welded.triangles().size(), kNoIndex);
  for (std::uint32_t t = 0; t < material.region_of.size(); ++t) {
    region_of_read[view.joined.parent({t}).value] = material.region_of[t];
  }
  for (const EdgeId e :
       select_edges(a.edges, [&](EdgeId id) { return a.edges.is_winding_conflict(id); })) {
    for (const EdgeUse use : a.edges.uses(e)) {
      const std::uint32_t r = region_of_read[use.triangle().value];
      if (r != kNoIndex) wanted[r] = false;
    }
  }
  // Of copies that face both ways either may stay: which of them is turned is no question.
  std::vector<bool> has_copies(a.welded.triangles().size());
  for (const DuplicateGroup& group : a.duplicates) {
    for (const auto* side : {&group.same, &group.opposite}) {
      for (const TriangleId t : *side) has_copies[t.value] = true;
    }
  }
  std::vector<std::vector<TriangleId>> own(material.regions.size());
  for (std::uint32_t t = 0; t < region_of_read.size(); ++t) {
    const std::uint32_t r = region_of_read[t];
    if (r != kNoIndex && wanted[r] && !has_copies[t]) own[r].push_back({t});
  }
  for (std::size_t r = 0; r < own.size(); ++r) {
    if (own[r].empty()) continue;
    Finding finding;
    finding.kind = FindingKind::inverted_patch;
    finding.count = own[r].size();
    const Extent extent = extent_of(a, own[r]);
    finding.measure = extent.area;
    finding.place = extent.place;
    finding.box = extent.box;
    finding.detail = "margin " + short_text(material.regions[r].margin);
    if (!material.regions[r].exact) {
      finding.waits_for.assign(info(finding.kind).waits_for.begin(),
                               info(finding.kind).waits_for.end());
    }
    sink.add(std::move(finding), extent.points, std::move(own[r]));
  }
}

}  // namespace aguja
