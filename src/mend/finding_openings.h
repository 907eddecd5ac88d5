#pragma once
// The loops of a mesh that findings of kind `opening` are about.

#include <algorithm>
#include <map>
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

  /// How the mesh was changed for it, if it was.
  [[nodiscard]] const std::optional<Change>& changed() const { return changed_; }
  /// What is left of the budget after that.
  [[nodiscard]] Budget left() const {
    return changed_ ? Budget{budget_.distance, changed_->spent} : budget_;
  }
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
      along += static_cast<std::size_t>(triangles.contains(triangle_as_read(t)));
    }
    return 2 * along > loop.size();
  }

  /// The openings that a finding's triangles lie along: one, unless its rim meets itself.
  [[nodiscard]] std::vector<Opening> of(const Finding& finding) const {
    std::map<std::uint32_t, std::size_t> along;  // by loop
    for (const TriangleId t : finding.triangles) {
      for (auto at = std::lower_bound(along_.begin(), along_.end(), std::pair(t, 0U));
           at != along_.end() && at->first == t; ++at) {
        ++along[at->second];
      }
    }
    std::vector<Loop> found;
    for (const auto& [loop, count] : along) {
      if (2 * count > loops_.loops[loop].size()) found.push_back(loops_.loops[loop]);
    }
    std::vector<Opening> openings;
    std::set<Loop> taken;
    for (const std::size_t i : with_islands_) {
      const Opening& opening = all_[i];
      if (std::find(found.begin(), found.end(), opening.loops[0]) == found.end()) continue;
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
    known_ = &distinct;
    if (auto divided = divide_at_hanging_vertices(distinct, tolerance, left())) {
      changed_ = changed_ ? composed(*changed_, std::move(*divided)) : std::move(*divided);
      own_ = std::make_shared<const KnownMesh>(changed_->mesh);
      known_ = own_.get();
    }
    loops_ = find_loops(*known_);
    if (loops_.loops.size() <= kMostForIslands) {
      all_ = with_islands(mesh().points, loops_.loops, tolerance);
    } else {
      for (const Loop& loop : loops_.loops) all_.push_back({{loop}});
    }
    for (std::size_t i = 0; i < all_.size(); ++i) {
      if (all_[i].loops.size() > 1) with_islands_.push_back(i);
    }
    for (std::uint32_t l = 0; l < loops_.loops.size(); ++l) {
      const Loop& loop = loops_.loops[l];
      for (std::size_t i = 0; i < loop.size(); ++i) {
        const auto e = edges().find(loop[i], loop[(i + 1) % loop.size()]);
        along_.emplace_back(triangle_as_read(edges().uses(*e)[0].triangle()), l);
      }
    }
    std::sort(along_.begin(), along_.end());
  }
  [[nodiscard]] TriangleId triangle_as_read(TriangleId t) const {
    return changed_ ? changed_->parent[t.value] : t;
  }
  static bool share_a_vertex(const Loop& a, const Loop& b) {
    const std::set<VertexId> own(a.begin(), a.end());
    return std::any_of(b.begin(), b.end(), [&](VertexId v) { return own.contains(v); });
  }

  const Mesh& read_;
  Budget budget_;
  std::optional<Change> changed_;
  KnownMeshPtr own_;
  const KnownMesh* known_ = nullptr;
  Loops loops_;
  std::vector<Opening> all_;
  std::vector<std::size_t> with_islands_;                    // of all
  std::vector<std::pair<TriangleId, std::uint32_t>> along_;  // rim edges, by triangle: their loop
};

}  // namespace aguja
