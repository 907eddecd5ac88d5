#pragma once
// Which entities are symptoms of something else: worked out once per part, asked by all checks, so
// that every entity counts under its cause only.

#include <optional>
#include <span>
#include <unordered_set>
#include <vector>

#include "aguja/inspect/inspect.h"
#include "aguja/solid/material.h"
#include "inspect/shingles.h"

namespace aguja {

/// Triangles that nothing would miss: surplus copies, and those of no area whose neighbours close
/// without them.
class Surplus {
 public:
  explicit Surplus(const Anatomy& anatomy);
  [[nodiscard]] bool contains(TriangleId t) const { return triangles_.contains(t.value); }
  [[nodiscard]] bool empty() const { return triangles_.empty(); }
  [[nodiscard]] const std::unordered_set<std::uint32_t>& triangles() const { return triangles_; }
  /// By triangle of the mesh; empty if there are none.
  [[nodiscard]] std::vector<bool> marks() const;

 private:
  void add_copies();
  void add_zero_area();

  const Anatomy& anatomy_;
  std::unordered_set<std::uint32_t> triangles_;
};

class Causes {
 public:
  /// Components that face another one along a crack are no strays.
  Causes(const Anatomy& anatomy, const Surplus& surplus, const RimSurvey& survey,
         const JoinedSurface& joined, const std::optional<Material>& material,
         const ResolvedLimits& limits);

  /// Is the triangle a surplus copy, or of no area and not needed by its neighbours?
  [[nodiscard]] bool is_surplus(TriangleId t) const { return surplus_.contains(t); }
  /// Is it part of a wall inside the material that ends on other walls?
  [[nodiscard]] bool is_internal(TriangleId t) const {
    return !internal_.empty() && internal_[t.value];
  }
  /// Is the component a sheet beside or inside bodies?
  [[nodiscard]] bool is_loose_sheet(ShellId shell) const {
    return !loose_.empty() && loose_[shell.value];
  }
  /// Is it a sheet whose one rim fits that of another component: an end of a wall that is missing?
  [[nodiscard]] bool ends_a_wall(ShellId shell) const {
    return !ends_of_walls_.empty() && ends_of_walls_[shell.value];
  }
  /// How far the sheet lies at most from the surfaces that all of it lies along, if it does.
  [[nodiscard]] std::optional<double> lies_along(ShellId shell) const {
    return along_.empty() ? std::nullopt : along_[shell.value];
  }
  /// Is the component small and alone?
  [[nodiscard]] bool is_stray(ShellId shell) const { return stray_[shell.value]; }
  /// Has the component nothing but surplus triangles?
  [[nodiscard]] bool is_all_surplus(ShellId shell) const;
  /// The component that all triangles of the edge belong to.
  [[nodiscard]] ShellId shell_of(EdgeId e) const {
    return anatomy_.components.shell_of[anatomy_.edges.uses(e)[0].triangle().value];
  }
  /// Uses of the edge by triangles that are neither surplus nor internal.
  [[nodiscard]] std::size_t real_uses(EdgeId e) const;
  /// Three or more uses, also without those.
  [[nodiscard]] bool is_nonmanifold(EdgeId e) const {
    return anatomy_.edges.is_nonmanifold(e) && real_uses(e) > 2;
  }
  /// Is this rim the free border of a flap: an open run that begins and ends on non-manifold edges,
  /// around a lesser part of its component?
  [[nodiscard]] bool is_flap_border(const Rim& rim) const;
  /// Is this rim the symptom of a stray shell, a surplus triangle or a flap?
  [[nodiscard]] bool is_explained(const Rim& rim) const;
  /// Open surfaces that overlap with their borders.
  [[nodiscard]] std::span<const Shingle> shingles() const { return shingles_; }
  /// Is this rim of the joined surface the border of one of those?
  [[nodiscard]] bool is_of_shingle(std::uint32_t rim) const {
    return !shingles_.empty() && is_of_shingle_[rim];
  }
  /// Do both triangles, of the mesh as read, belong to one of those? Which one.
  [[nodiscard]] std::optional<std::size_t> shingle_of(TriangleId a, TriangleId b) const {
    if (shingles_.empty() || shingle_of_[a.value] == kNoIndex ||
        shingle_of_[a.value] != shingle_of_[b.value]) {
      return std::nullopt;
    }
    return shingle_of_[a.value];
  }
  [[nodiscard]] double stray_limit() const { return stray_limit_; }

 private:
  void find_internal(const JoinedSurface& joined, const Material& material,
                     const ResolvedLimits& limits, double hair);
  void find_ends_of_walls(const JoinedSurface& joined, const Material& material,
                          const ResolvedLimits& limits, double diagonal);
  void find_strays(const RimSurvey& survey, const ResolvedLimits& limits);
  void find_flaps();
  void find_shingled(const JoinedSurface& joined, double hair);

  const Anatomy& anatomy_;
  const Surplus& surplus_;
  std::unordered_set<std::uint32_t> on_nonmanifold_edge_;  // vertices
  // Where there are non-manifold edges: what hangs together by other edges, and for each such
  // region whether it is a flap, that is, not the largest of its component.
  Components regions_;
  std::vector<bool> is_flap_;
  std::vector<std::size_t> surplus_in_;  // by shell
  std::vector<bool> stray_;
  std::vector<bool> internal_;                // by triangle; empty if none is
  std::vector<bool> loose_;                   // by shell; empty if none is
  std::vector<bool> ends_of_walls_;           // the same
  std::vector<std::optional<double>> along_;  // by shell; empty if none is
  std::vector<Shingle> shingles_;
  std::vector<bool> is_of_shingle_;        // by rim of the joined surface
  std::vector<std::uint32_t> shingle_of_;  // by triangle
  double stray_limit_ = 0;
};

}  // namespace aguja
