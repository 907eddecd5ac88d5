#pragma once
// The triangles of one plane, cut along all that meets them there.

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "aguja/geometry/exact_points.h"
#include "aguja/mesh/ids.h"

namespace aguja {

// Where the plane of one group of triangles is cut by a triangle of another.
struct PlaneCut {
  ExactPointId from, to;
  std::uint32_t other;  // the group
  friend auto operator<=>(const PlaneCut&, const PlaneCut&) = default;
};

// Pairs of cuts (by number) that cross between their ends. Cuts with an end in common, or made by the
// same group, never do.
// Cost     O(k log k), and a test of each pair whose boxes meet along one axis.
[[nodiscard]] std::vector<std::array<std::uint32_t, 2>> crossing_cuts(
    const ExactPoints& points, const ExactPoints::View& view, std::span<const PlaneCut> cuts);

// A triangle of the plane: its sides, each a chain of points with the corners at the ends, one after
// the other around it.
struct MemberOfPlane {
  TriangleId id;
  std::array<std::vector<ExactPointId>, 3> side;
};

struct PlaneDivision {
  bool is_crossed = false;  // cuts or sides cross in no point: nothing of the rest is to be used
  // Counter-clockwise as the view has it.
  std::vector<std::array<ExactPointId, 3>> pieces;
  // By piece the members (by number) that it lies in, rising; empty: the only one.
  std::vector<std::vector<std::uint32_t>> members_of;
  // By member: does it run counter-clockwise?
  std::vector<bool> runs_counter_clockwise;
};

// Divides the members by their sides, the cuts, and single points. All crossings of cuts are among
// `points_in`; no point is there twice under two numbers. Where a side of a member runs along another
// one of it, there and back, the member has nothing between.
[[nodiscard]] PlaneDivision divide_plane(const ExactPoints& points, const ExactPoints::View& view,
                                         std::span<const MemberOfPlane> members,
                                         std::span<const PlaneCut> cuts,
                                         std::span<const ExactPointId> points_in);

}  // namespace aguja
