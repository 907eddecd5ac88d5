// inverted-shell, nesting, zero-volume: closed shells that face the wrong way or enclose nothing.
// Shells with naked edges or conflicts must wait: they have no inside yet.

#include <cmath>
#include <map>

#include "inspect/check.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

std::optional<FindingKind> fault_of(const Shell& shell) {
  if (!shell.orientation_decided() || shell.faces_right_way()) return std::nullopt;
  if (shell.volume_sign == 0) return FindingKind::zero_volume;
  return shell.depth == 0 ? FindingKind::inverted_shell : FindingKind::nesting;
}

// What has to be mended before shells that are not closed have an inside.
class Obstacles {
 public:
  explicit Obstacles(const PartView& view)
      : anatomy_(view.anatomy), naked_(anatomy_.shells.size()) {
    for (std::size_t i = 0; i < anatomy_.rims.size(); ++i) {
      const Rim rim = anatomy_.rims[i];
      if (!view.causes.is_explained(rim)) naked_[view.causes.shell_of(rim.edges[0]).value] = true;
    }
    const RimSurvey& survey = view.survey;
    cracked_.resize(naked_.size());
    for (std::size_t s = 0; s < survey.stretches.size(); ++s) {
      if (survey.kind[s] != StretchKind::crack) continue;
      for (const std::uint32_t p : survey.stretches[s].pairs) {
        const FacingPair& pair = survey.pairing.pairs[p];
        cracked_[survey.pairing.naked[pair.first.naked].component.value] = true;
        cracked_[survey.pairing.naked[pair.second.naked].component.value] = true;
      }
    }
  }
  [[nodiscard]] FindingKind of(std::size_t shell) const {
    if (cracked_[shell]) return FindingKind::crack;
    if (naked_[shell]) return FindingKind::opening;
    if (!anatomy_.shells[shell].oriented) return FindingKind::winding_conflict;
    return anatomy_.duplicates.empty() ? FindingKind::nonmanifold_edge
                                       : FindingKind::duplicate_triangle;
  }

 private:
  const Anatomy& anatomy_;
  std::vector<bool> naked_;    // by shell: does a rim that nothing else explains bound it?
  std::vector<bool> cracked_;  // by shell: is it a side of a crack?
};

}  // namespace

void check_closed_shells(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  std::map<FindingKind, std::size_t> waiting;
  std::optional<Obstacles> obstacles;
  std::optional<TrianglesByShell> triangles;
  for (std::size_t s = 0; s < a.shells.size(); ++s) {
    const Shell& shell = a.shells[s];
    const ShellId id{static_cast<std::uint32_t>(s)};
    if (view.causes.is_stray(id) || view.causes.is_all_surplus(id)) continue;
    if (!shell.orientation_decided()) {
      const std::size_t obstacle = shell.waits_for_shell.value_or(s);
      if (!a.shells[obstacle].closed) {
        if (!obstacles) obstacles.emplace(view);
        ++waiting[obstacles->of(obstacle)];
      }
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
  for (const auto& [kind, count] : waiting) {
    sink.wait(FindingKind::inverted_shell, count, kind);
  }
}

}  // namespace aguja
