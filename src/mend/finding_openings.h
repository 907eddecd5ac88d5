#pragma once
// The loops of a mesh that findings of kind `opening` are about.

#include <algorithm>
#include <memory>
#include <optional>
#include <set>

#include "aguja/inspect/finding.h"
#include "aguja/mend/fill.h"
#include "mend/hanging.h"

namespace aguja {

class FindingOpenings {
 public:
  /// Islands are looked for among so many loops at most.
  static constexpr std::size_t kMostForIslands = 2000;

  /// Rims that touch themselves are divided first: `mesh()` is the mesh with that done.
  FindingOpenings(const Mesh& read, double tolerance, const Budget& budget)
      : read_(read), budget_(budget) {
    if (read.points_are_distinct) {
      own_ = std::make_shared<const KnownMesh>(read);
      prepare(*own_, tolerance);
    } else {
      changed_ = distinct_points(read, budget);
      own_ = std::make_shared<const KnownMesh>(changed_->mesh);
      prepare(*own_, tolerance);
    }
  }
  /// `read` outlives this object, and has distinct points.
  FindingOpenings(const KnownMesh& read, double tolerance, const Budget& budget)
      : read_(read.mesh()), budget_(budget) {
    prepare(read, tolerance);
  }
  FindingOpenings(const FindingOpenings&) = delete;
  FindingOpenings& operator=(const FindingOpenings&) = delete;

  /// Has the mesh been changed for it?
  [[nodiscard]] bool is_prepared() const { return changed_.has_value(); }
  [[nodiscard]] Change prepared() const { return changed_ ? *changed_ : unchanged(read_, budget_); }
  [[nodiscard]] const KnownMesh& known() const { return *known_; }
  [[nodiscard]] const Mesh& mesh() const { return known_->mesh(); }
  [[nodiscard]] const EdgeTable& edges() const { return known_->edges(); }
  /// Those that these triangles of the mesh as read have become.
  [[nodiscard]] std::vector<TriangleId> prepared_triangles(
      std::span<const TriangleId> triangles) const {
    if (!changed_) return {triangles.begin(), triangles.end()};
    const std::set<TriangleId> own(triangles.begin(), triangles.end());
    std::vector<TriangleId> now;
    for (std::uint32_t t = 0; t < changed_->parent.size(); ++t) {
      if (own.contains(changed_->parent[t])) now.push_back({t});
    }
    return now;
  }
  /// Every opening, islands with the loop around them.
  [[nodiscard]] const std::vector<Opening>& all() const { return all_; }

  /// Does most of the loop run along these triangles of the mesh as read?
  [[nodiscard]] bool runs_along(const Loop& loop, const std::set<TriangleId>& triangles) const {
    std::size_t along = 0;
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const auto e = edges().find(loop[i], loop[(i + 1) % loop.size()]);
      const TriangleId t = edges().uses(*e)[0].triangle();
      along +=
          static_cast<std::size_t>(triangles.contains(changed_ ? changed_->parent[t.value] : t));
    }
    return 2 * along > loop.size();
  }

  /// The openings that a finding's triangles lie along: one, unless its rim meets itself.
  [[nodiscard]] std::vector<Opening> of(const Finding& finding) const {
    const std::set<TriangleId> own(finding.triangles.begin(), finding.triangles.end());
    std::vector<Loop> found;
    for (const Loop& loop : loops_.loops) {
      if (runs_along(loop, own)) found.push_back(loop);
    }
    std::vector<Opening> openings;
    std::set<Loop> taken;
    for (const Opening& opening : all_) {
      if (std::find(found.begin(), found.end(), opening.loops[0]) == found.end()) continue;
      if (opening.loops.size() == 1) continue;
      openings.push_back(opening);
      taken.insert(opening.loops.begin(), opening.loops.end());
    }
    std::erase_if(found, [&](const Loop& l) { return taken.contains(l); });
    // Two loops that meet nowhere are the two rims of a band; others are openings by themselves.
    if (found.size() == 2 && !share_a_vertex(found[0], found[1])) {
      openings.push_back({found});
    } else {
      for (Loop& loop : found) openings.push_back({{std::move(loop)}});
    }
    return openings;
  }

 private:
  void prepare(const KnownMesh& distinct, double tolerance) {
    const Budget left{budget_.distance,
                      changed_ ? std::span<const double>(changed_->spent) : budget_.spent};
    known_ = &distinct;
    if (auto divided = divide_at_hanging_vertices(distinct, tolerance, left)) {
      changed_ = changed_ ? composed(*changed_, std::move(*divided)) : std::move(*divided);
      own_ = std::make_shared<const KnownMesh>(changed_->mesh);
      known_ = own_.get();
    }
    loops_ = find_loops(mesh().points, mesh().triangles, edges());
    if (loops_.loops.size() <= kMostForIslands) {
      all_ = with_islands(mesh().points, loops_.loops, tolerance);
    } else {
      for (const Loop& loop : loops_.loops) all_.push_back({{loop}});
    }
  }
  static bool share_a_vertex(const Loop& a, const Loop& b) {
    const std::set<VertexId> own(a.begin(), a.end());
    return std::any_of(b.begin(), b.end(), [&](VertexId v) { return own.contains(v); });
  }

  const Mesh& read_;
  Budget budget_;
  std::optional<Change> changed_;
  std::shared_ptr<const KnownMesh> own_;
  const KnownMesh* known_ = nullptr;
  Loops loops_;
  std::vector<Opening> all_;
};

}  // namespace aguja
