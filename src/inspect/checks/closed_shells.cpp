// inverted-shell, nesting, zero-volume: closed shells that face the wrong way or enclose nothing.
// Shells with naked edges or conflicts must wait: they have no inside yet.

#include <cmath>

#include "inspect/check.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

std::optional<FindingKind> fault_of(const Shell& shell) {
  if (!shell.nesting_decided || shell.faces_right_way()) return std::nullopt;
  if (shell.volume_sign == 0) return FindingKind::zero_volume;
  return shell.depth == 0 ? FindingKind::inverted_shell : FindingKind::nesting;
}

}  // namespace

void check_closed_shells(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  std::size_t open = 0;
  std::size_t conflicting = 0;
  std::optional<TrianglesByShell> triangles;
  for (std::size_t s = 0; s < a.shells.size(); ++s) {
    const Shell& shell = a.shells[s];
    const ShellId id{static_cast<std::uint32_t>(s)};
    if (view.causes.is_stray(id) || view.causes.is_all_surplus(id)) continue;
    if (!shell.closed) {
      ++(shell.oriented ? open : conflicting);
      continue;
    }
    const auto kind = fault_of(shell);
    if (!kind) continue;
    if (!triangles) triangles.emplace(a.components);
    const auto own = (*triangles)[s];
    Finding finding;
    finding.kind = *kind;
    finding.count = 1;
    finding.measure =
        *kind == FindingKind::zero_volume ? shell.mass.area : std::fabs(shell.mass.volume);
    finding.place = shell.mass.centroid;
    finding.box = shell.box;
    finding.detail = std::to_string(own.size()) + " triangles";
    if (shell.depth > 0) {
      finding.detail += ", inside " + std::to_string(shell.depth) +
                        (shell.depth == 1 ? " other shell" : " other shells");
    }
    std::vector<Point> points;
    for (const TriangleId t : own) append_points(a, t, points);
    sink.add(std::move(finding), points, {own.begin(), own.end()});
  }
  sink.wait(FindingKind::inverted_shell, open, FindingKind::opening);
  sink.wait(FindingKind::inverted_shell, conflicting, FindingKind::winding_conflict);
}

}  // namespace aguja
