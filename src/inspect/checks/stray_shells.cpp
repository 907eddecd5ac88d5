// stray-shell: components far smaller than their part.

#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {

void check_stray_shells(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  std::optional<TrianglesByShell> triangles;
  for (std::size_t s = 0; s < a.shells.size(); ++s) {
    if (!view.causes.is_stray({static_cast<std::uint32_t>(s)})) continue;
    if (!triangles) triangles.emplace(a.components);
    const auto own = (*triangles)[s];
    Finding finding;
    finding.kind = FindingKind::stray_shell;
    finding.count = own.size();
    finding.measure = a.shells[s].box.diagonal();
    finding.limit = view.causes.stray_limit();
    finding.box = a.shells[s].box;
    finding.place = finding.box.center();
    finding.detail = std::to_string(own.size()) + (own.size() == 1 ? " triangle" : " triangles") +
                     (a.shells[s].closed ? ", closed" : ", open");
    std::vector<Point> points;
    for (const TriangleId t : own) append_points(a, t, points);
    sink.add(std::move(finding), points, {own.begin(), own.end()});
  }
}

}  // namespace aguja
