// inverted-shell, nesting, zero-volume: shells that face the wrong way or enclose nothing. Closed
// ones are judged exactly; those with naked edges or conflicts, and those near them, by the winding
// numbers of `Material`, and wait for what keeps the answer from being safe.

#include <cmath>
#include <map>

#include "base/short_text.h"
#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

std::vector<FindingKind> waits_of(FindingKind kind) {
  return {info(kind).waits_for.begin(), info(kind).waits_for.end()};
}

// Its place among closed shells tells a shell that is turned from one that is nested badly: within
// one that is turned itself, the other sense is right.
std::optional<FindingKind> fault_of(const std::vector<Shell>& shells, const Shell& shell) {
  if (!shell.orientation_decided() || shell.faces_right_way()) return std::nullopt;
  if (shell.volume_sign == 0) return FindingKind::zero_volume;
  if (shell.depth % 2 == 0 || !shell.inside_of) return FindingKind::inverted_shell;
  return shells[*shell.inside_of].volume_sign == shell.volume_sign ? FindingKind::nesting
                                                                   : FindingKind::inverted_shell;
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

void report(const PartView& view, FindingSink& sink, Finding finding,
            std::span<const TriangleId> triangles) {
  const Extent extent = extent_of(view.anatomy, triangles);
  finding.count = 1;
  finding.box = extent.box;
  sink.add(std::move(finding), extent.points, {triangles.begin(), triangles.end()});
}

std::string triangles_text(std::size_t n) {
  return std::to_string(n) + (n == 1 ? " triangle" : " triangles");
}

void report_closed(const PartView& view, FindingSink& sink, std::size_t s, FindingKind kind,
                   std::span<const TriangleId> own) {
  const Shell& shell = view.anatomy.shells[s];
  Finding finding;
  finding.kind = kind;
  finding.measure =
      kind == FindingKind::zero_volume ? shell.mass.area : std::fabs(shell.mass.volume);
  finding.place = shell.mass.centroid;
  finding.detail = triangles_text(own.size());
  if (shell.depth > 0) {
    finding.detail += ", inside " + std::to_string(shell.depth) +
                      (shell.depth == 1 ? " other shell" : " other shells");
  }
  report(view, sink, std::move(finding), own);
}

// Bodies that are not made of decided shells alone.
void judge_bodies(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  const Material& material = *view.material;
  struct Own {
    std::vector<TriangleId> triangles;  // as read
    std::vector<std::uint32_t> shells;
    bool open = false;
  };
  std::vector<Own> own(material.bodies.size());
  TriangleId last{kNoIndex};
  for (std::uint32_t t = 0; t < material.region_of.size(); ++t) {
    if (material.region_of[t] == kNoIndex) continue;
    const TriangleId read = view.joined.parent({t});
    if (read == last) continue;
    last = read;
    const ShellId shell = a.components.shell_of[read.value];
    if (a.shells[shell.value].orientation_decided()) continue;
    if (view.causes.is_stray(shell) || view.causes.is_all_surplus(shell)) continue;
    Own& body = own[material.regions[material.region_of[t]].body];
    body.triangles.push_back(read);
    if (body.shells.empty() || body.shells.back() != shell.value) {
      body.shells.push_back(shell.value);
    }
  }
  std::optional<Obstacles> obstacles;
  std::map<FindingKind, std::size_t> waiting;
  for (std::size_t b = 0; b < own.size(); ++b) {
    const MaterialBody& body = material.bodies[b];
    if (own[b].triangles.empty() || is_sheet(body, view.limits[Limit::sheet])) continue;
    auto& shells = own[b].shells;
    std::sort(shells.begin(), shells.end());
    shells.erase(std::unique(shells.begin(), shells.end()), shells.end());
    if (body.margin < kClearMargin) {
      if (!obstacles) obstacles.emplace(view);
      for (const std::uint32_t s : shells) {
        ++waiting[obstacles->of(a.shells[s].waits_for_shell.value_or(s))];
      }
      continue;
    }
    if (!body.turned) continue;
    Finding finding;
    finding.kind = body.same_as_around ? FindingKind::nesting : FindingKind::inverted_shell;
    finding.measure = std::fabs(body.capped_volume);
    finding.place = body.box.center();
    finding.detail = triangles_text(own[b].triangles.size()) +
                     ", open; by winding numbers, margin " + short_text(body.margin);
    finding.waits_for = waits_of(finding.kind);
    report(view, sink, std::move(finding), own[b].triangles);
  }
  for (const auto& [kind, count] : waiting) sink.wait(FindingKind::inverted_shell, count, kind);
}

}  // namespace

void check_closed_shells(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  std::optional<TrianglesByShell> triangles;
  for (std::size_t s = 0; s < a.shells.size(); ++s) {
    const ShellId id{static_cast<std::uint32_t>(s)};
    if (view.causes.is_stray(id) || view.causes.is_all_surplus(id)) continue;
    const auto kind = fault_of(a.shells, a.shells[s]);
    if (!kind) continue;
    if (!triangles) triangles.emplace(a.components);
    report_closed(view, sink, s, *kind, (*triangles)[s]);
  }
  if (view.material && view.intent == Intent::solid) judge_bodies(view, sink);
}

}  // namespace aguja
