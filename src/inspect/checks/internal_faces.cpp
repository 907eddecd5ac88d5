// internal-face, loose-sheet: surfaces that bound no material, inside of it or beside it.

#include <unordered_set>

#include "base/short_text.h"
#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

// Fills in what both kinds have in common.
void add(const PartView& view, FindingSink& sink, Finding finding,
         std::vector<TriangleId> triangles) {
  const Extent extent = extent_of(view.anatomy, triangles);
  finding.measure = extent.area;
  finding.count = triangles.size();
  finding.place = extent.place;
  finding.box = extent.box;
  sink.add(std::move(finding), extent.points, std::move(triangles));
}

}  // namespace

void check_internal_faces(const PartView& view, FindingSink& sink) {
  if (!view.material) return;
  const Anatomy& a = view.anatomy;
  std::vector<TriangleId> internal;
  for (std::uint32_t t = 0; t < a.welded.triangles().size(); ++t) {
    if (view.causes.is_internal({t})) internal.push_back({t});
  }
  if (internal.empty()) return;
  std::vector<std::uint32_t> region_of(a.welded.triangles().size(), kNoIndex);
  // A triangle that cracks divided is internal if a piece of it is: that piece's region tells.
  for (std::uint32_t t = 0; t < view.material->region_of.size(); ++t) {
    const std::uint32_t r = view.material->region_of[t];
    if (r == kNoIndex || view.material->regions[r].role != RegionRole::internal) continue;
    region_of[view.joined.parent({t}).value] = r;
  }
  // Walls that meet each other are one finding.
  const auto groups = connected_groups(internal, [&](TriangleId t, const auto& key) {
    const Triangle& triangle = a.welded.triangle(t);
    for (std::size_t c = 0; c < 3; ++c) {
      const auto e = a.edges.find(triangle[c], triangle[(c + 1) % 3]);
      if (e) key(e->value);
    }
  });
  for (const auto& group : groups) {
    Finding finding;
    finding.kind = FindingKind::internal_face;
    std::unordered_set<std::uint32_t> ends;
    bool exact = true;
    double margin = 1;
    for (const TriangleId t : group) {
      const Triangle& triangle = a.welded.triangle(t);
      for (std::size_t c = 0; c < 3; ++c) {
        const auto e = a.edges.find(triangle[c], triangle[(c + 1) % 3]);
        if (e && a.edges.is_nonmanifold(*e)) ends.insert(e->value);
      }
      if (region_of[t.value] == kNoIndex) continue;
      const Region& region = view.material->regions[region_of[t.value]];
      exact &= region.exact;
      margin = std::min(margin, region.margin);
    }
    if (!ends.empty()) finding.cause_of.push_back({FindingKind::nonmanifold_edge, ends.size()});
    if (!exact) {
      finding.detail = "by winding numbers, margin " + short_text(margin);
      finding.waits_for.assign(info(finding.kind).waits_for.begin(),
                               info(finding.kind).waits_for.end());
    } else {
      finding.detail = "between cells of the same material";
    }
    add(view, sink, std::move(finding), group);
  }
}

void check_loose_sheets(const PartView& view, FindingSink& sink) {
  if (!view.material || view.intent == Intent::sheet) return;
  const Anatomy& a = view.anatomy;
  const Material& material = *view.material;
  struct Sheet {
    std::vector<TriangleId> triangles;
    double area = 0;
    double winding = 0;
    std::optional<double> along = {};  // how far from what it lies along
  };
  std::vector<Sheet> sheets(material.bodies.size());
  for (std::uint32_t t = 0; t < material.region_of.size(); ++t) {
    if (material.region_of[t] == kNoIndex) continue;
    const TriangleId read = view.joined.parent({t});
    const ShellId shell = a.components.shell_of[read.value];
    if (!view.causes.is_loose_sheet(shell) || view.causes.is_stray(shell) ||
        view.causes.is_all_surplus(shell)) {
      continue;
    }
    const Region& region = material.regions[material.region_of[t]];
    Sheet& sheet = sheets[region.body];
    sheet.along = view.causes.lies_along(shell);
    if (sheet.triangles.empty() || sheet.triangles.back() != read) {
      sheet.triangles.push_back(read);
      const double area = area_of(a, read);
      sheet.area += area;
      sheet.winding += area * region.winding;
    }
  }
  for (Sheet& sheet : sheets) {
    if (sheet.triangles.empty()) continue;
    Finding finding;
    finding.kind = FindingKind::loose_sheet;
    const double winding = sheet.area > 0 ? sheet.winding / sheet.area : 0;
    finding.detail = winding > 0.75   ? "inside the material"
                     : winding < 0.25 ? "outside the material"
                                      : "partly inside the material";
    if (sheet.along) {
      finding.detail = *sheet.along > 0
                           ? "lies along another surface, " + short_text(*sheet.along) + " apart"
                           : "lies on another surface";
    }
    std::size_t naked = 0;
    for (const TriangleId t : sheet.triangles) {
      const Triangle& triangle = a.welded.triangle(t);
      for (std::size_t c = 0; c < 3; ++c) {
        const auto e = a.edges.find(triangle[c], triangle[(c + 1) % 3]);
        naked += e && a.edges.is_naked(*e);
      }
    }
    if (naked > 0) finding.cause_of.push_back({FindingKind::sheet_border, naked});
    add(view, sink, std::move(finding), std::move(sheet.triangles));
  }
}

}  // namespace aguja
