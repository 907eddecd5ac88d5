#pragma once
// A mesh that local operations change: every one of them takes some triangles out and puts others
// in their place, after looking at what that would do.

#include <optional>
#include <span>
#include <unordered_map>
#include <vector>

#include "aguja/geometry/distance.h"
#include "aguja/mend/change.h"
#include "aguja/mesh/fans.h"

namespace aguja {

/// Triangles that go, and those that take their place (which may name new points).
struct Replacement {
  struct Added {
    Triangle triangle;
    TriangleId parent;  ///< one of those that go: gives patch and history
    /// Another one of those that go whose surface it stands for, too.
    std::optional<TriangleId> second_parent = {};
  };
  std::vector<TriangleId> remove;
  std::vector<Added> add;
  /// Vertices that are merged into another one.
  struct Merge {
    VertexId from, into;
  };
  std::vector<Merge> merge = {};
};

class EditableMesh {
 public:
  /// `mesh` has distinct points; it and its stars outlive this object.
  EditableMesh(const Mesh& mesh, const VertexStars& stars, const Budget& budget);

  [[nodiscard]] const Point& point(VertexId v) const {
    return v.value < mesh_.points.size() ? mesh_.points[v.value]
                                         : new_points_[v.value - mesh_.points.size()];
  }
  [[nodiscard]] const Triangle& triangle(TriangleId t) const {
    return t.value < mesh_.triangles.size() ? mesh_.triangles[t.value]
                                            : new_triangles_[t.value - mesh_.triangles.size()];
  }
  [[nodiscard]] TriangleCorners corners(const Triangle& t) const {
    return {point(t[0]), point(t[1]), point(t[2])};
  }
  [[nodiscard]] TriangleCorners corners(TriangleId t) const { return corners(triangle(t)); }
  [[nodiscard]] bool is_there(TriangleId t) const { return !gone_[t.value]; }
  [[nodiscard]] PatchId patch(TriangleId t) const;
  [[nodiscard]] std::span<const TriangleId> star(VertexId v) const;
  /// The triangles with both vertices.
  [[nodiscard]] std::vector<TriangleId> around(VertexId a, VertexId b) const;
  [[nodiscard]] std::size_t triangle_count() const { return gone_.size(); }

  VertexId add_point(const Point& p);

  /// Would it leave the mesh sound where it is? That is: no edge gets more than two triangles or
  /// more uses than it had, none gets naked, none turns against its neighbour where it did not, no
  /// vertex gets more fans, no triangle has no area or is turned over, no two sides of a wall fall
  /// together along an edge, and the two surfaces lie within what is left of the budget (`limit`
  /// may tighten it). `may_pinch`: a vertex may get more fans, as long as one who goes on looks at
  /// them at the end.
  [[nodiscard]] std::optional<RefusalReason> examine(const Replacement& r, double limit,
                                                     bool may_pinch = false);
  /// Sets of triangles at the vertex that hang together by edges there.
  [[nodiscard]] std::size_t fans_at(VertexId v) const;
  /// The budget with which `examine` would not say that it is beyond it.
  [[nodiscard]] double budget_for(const Replacement& r) const;
  /// Carries out what `examine` found sound just before. `operation` tells who did it.
  void apply(const Replacement& r, std::uint32_t operation);
  /// Without looking; nothing is said of the budget.
  void apply_unexamined(const Replacement& r, std::uint32_t operation);

  /// By triangle of the changed mesh: the operation that put it there; kNoIndex for old ones.
  struct Finished {
    Change change;
    std::vector<std::uint32_t> operation_of;
  };
  [[nodiscard]] Finished finish() const;

 private:
  [[nodiscard]] double spent(TriangleId t) const {
    return t.value < mesh_.triangles.size() ? budget_.spent_at(t)
                                            : new_spent_[t.value - mesh_.triangles.size()];
  }
  // The triangle of the input that gives it its patch.
  [[nodiscard]] TriangleId parent(TriangleId t) const {
    return t.value < mesh_.triangles.size() ? t : new_parent_[t.value - mesh_.triangles.size()];
  }
  // The others that it stands for, rising.
  [[nodiscard]] std::span<const TriangleId> further_parents(TriangleId t) const {
    const auto at = further_parents_.find(t.value);
    return at == further_parents_.end() ? std::span<const TriangleId>{} : at->second;
  }
  std::vector<TriangleId>& own_star(VertexId v);
  /// What a replacement takes away and brings, and what was spent there.
  struct Surfaces {
    std::vector<TriangleCorners> before, after;
    double spent = 0;
  };
  [[nodiscard]] Surfaces surfaces_of(const Replacement& r) const;
  [[nodiscard]] std::optional<RefusalReason> examine_edges(const Replacement& r) const;
  [[nodiscard]] std::optional<RefusalReason> examine_fans(const Replacement& r) const;
  [[nodiscard]] std::optional<RefusalReason> examine_sides(const Replacement& r) const;
  [[nodiscard]] std::optional<RefusalReason> examine_walls(const Replacement& r) const;
  void put(const Replacement& r, std::uint32_t operation, double spent);

  const Mesh& mesh_;
  Budget budget_;
  const VertexStars& stars_;
  std::unordered_map<std::uint32_t, std::vector<TriangleId>> own_stars_;
  std::vector<bool> gone_;  // old and new triangles
  std::vector<Point> new_points_;
  std::vector<Triangle> new_triangles_;
  std::vector<TriangleId> new_parent_;
  std::unordered_map<std::uint32_t, std::vector<TriangleId>> further_parents_;  // of the few
  std::unordered_map<std::uint32_t, VertexId> merged_into_;
  std::vector<PatchId> new_patch_;
  std::vector<double> new_spent_;
  std::vector<std::uint32_t> operation_;
  double last_distance_ = 0;  // of the replacement examined last
};

/// Runs local operations until none of them makes triangles cross: `run(EditableMesh&, banned)`
/// does all but the banned ones, by number; those whose triangles are then found to cross others
/// that they did not cross before are banned, and all is done again.
/// `refused(operation)` is told of each that was banned.
/// Cost   Of a round: a pass over the mesh, and what `run` and the search for crossings of what is
///        new take; at most kMostRounds of them.
template <class Run, class Refused>
[[nodiscard]] Change run_operations(const Mesh& mesh, const Budget& budget, const Run& run,
                                    const Refused& refused);

/// Operations whose triangles meet others in ways that the mesh before did not have.
[[nodiscard]] std::vector<std::uint32_t> operations_that_cross(const Mesh& before,
                                                               const EditableMesh::Finished& after);

/// Unit normal, or zero where there is none.
[[nodiscard]] Vector unit_normal(const TriangleCorners& t);
[[nodiscard]] double area_of(const TriangleCorners& t);

}  // namespace aguja

namespace aguja {

template <class Run, class Refused>
Change run_operations(const Mesh& mesh, const Budget& budget, const Run& run,
                      const Refused& refused) {
  constexpr int kMostRounds = 24;
  const VertexStars stars(mesh.triangles, mesh.points.size());
  std::vector<bool> banned;
  for (int round = 0;; ++round) {
    EditableMesh edited(mesh, stars, budget);
    run(edited, banned);
    EditableMesh::Finished finished = edited.finish();
    const std::vector<std::uint32_t> harmful = operations_that_cross(mesh, finished);
    if (harmful.empty()) return std::move(finished.change);
    for (const std::uint32_t operation : harmful) {
      if (operation >= banned.size()) banned.resize(operation + 1);
      banned[operation] = true;
      refused(operation);
    }
    // What still does harm then is not worth more rounds: nothing is done.
    if (round == kMostRounds) return unchanged(mesh, budget);
  }
}

}  // namespace aguja
