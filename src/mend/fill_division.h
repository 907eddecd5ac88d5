#pragma once
// Dividing loops into triangles: flat, of least area, as strips; and dividing further until the
// triangles have the size of those around.

#include <array>
#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "aguja/geometry/point.h"

namespace aguja {

using DraftTriangle = std::array<std::uint32_t, 3>;
using DraftLoop = std::vector<std::uint32_t>;

/// A piece of surface in the making: points of the rim first, which stay, then new ones.
struct Draft {
  std::vector<Point> points;
  std::vector<double> size;  ///< by point: the length that edges there should have
  std::vector<bool> fixed;   ///< by point
  std::vector<DraftTriangle> triangles;

  std::uint32_t add(const Point& p, double edge_size, bool is_fixed) {
    points.push_back(p);
    size.push_back(edge_size);
    fixed.push_back(is_fixed);
    return static_cast<std::uint32_t>(points.size() - 1);
  }
};

/// May these two points be joined by an inner edge?
using MayJoin = std::function<bool(std::uint32_t, std::uint32_t)>;

/// Triangles of least total area over a loop; sharp turns between them count against it. Long loops
/// are cut in two at a short chord first. Nothing if every division has a triangle without area or
/// an edge that may not be.
/// Source   Barequet, Sharir: Filling Gaps in the Boundary of a Polyhedron, CAGD 12(2), 1995.
[[nodiscard]] std::optional<std::vector<DraftTriangle>> divide_taut(std::span<const Point> points,
                                                                    const DraftLoop& loop,
                                                                    const MayJoin& may_join);

/// The loops (outer one counter-clockwise about `normal`, islands the other way) seen along the
/// normal's largest component, Delaunay. Nothing if they cross there or touch.
[[nodiscard]] std::optional<std::vector<DraftTriangle>> divide_flat(
    std::span<const Point> points, std::span<const DraftLoop> loops, const Vector& normal,
    const MayJoin& may_join);

/// A strip between two chains, each from its start to its end; `first` runs as the triangles will
/// run along it, `second` the other way. Least total length of the edges across.
[[nodiscard]] std::optional<std::vector<DraftTriangle>> divide_strip(std::span<const Point> points,
                                                                     const DraftLoop& first,
                                                                     const DraftLoop& second,
                                                                     const MayJoin& may_join);

struct RefineRules {
  const MayJoin& may_join;
  /// Where new points go that would be put here; empty: they stay.
  std::function<Point(const Point&)> place = {};
  /// How far a point is off the surface that is wanted: edges whose middle is farther off than
  /// `most_off` are divided, and flips that bring it nearer are made. Empty: sizes alone count.
  std::function<double(const Point&)> off = {};
  double most_off = 0;
};

/// Divides inner edges until they are of the size that is wanted there, with flips and smoothing.
/// Source   Liepa: Filling Holes in Meshes, SGP 2003 (density of the surroundings).
void refine(Draft& draft, const RefineRules& rules);

}  // namespace aguja
