#pragma once
// What the rims of a part tell of what is missing, looking at all of them together.

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "aguja/geometry/distance.h"
#include "aguja/mesh/joined_surface.h"
#include "geometry/circles.h"

namespace aguja {

/// The shape of a closed rim and of the surface around it.
struct RimShape {
  bool has_islands = false;
  std::size_t edges = 0;
  double length = 0, area = 0, radius = 0;
  double out_of_plane = 0;  ///< farthest vertex from the plane through the middle
  Point middle = Point::Zero();
  Vector normal = Vector::Zero();  ///< of its cap, outward
  double in_plane = 0, wall = 0;   ///< parts of the length
  double disc = 0;                 ///< the same: along what lies where the cap would
  Vector away = Vector::Zero();    ///< from the rim into the surface around it, on average
  std::vector<Point> points;       ///< its vertices
  std::optional<RimCircle> circle;
};

/// An edge of a rim, in the direction of a triangle that would close it.
struct CapSide {
  Point from, to;
  TriangleCorners triangle;  ///< that which is there
};
[[nodiscard]] RimShape shape_of_rim(std::span<const CapSide> loop);
/// Of a closed rim of a surface.
[[nodiscard]] RimShape shape_of_rim(const JoinedSurface& surface, const Rim& rim);

/// What speaks against closing a rim by a flat cap.
enum class CapDoubt {
  none,
  fits_another,  ///< another rim fits it: what is missing lies between the two
  undoes_trim,   ///< the cap lies in the face that it would close: the wall of a hole is missing
  corner,        ///< the neighbours carried on meet close by: a sharp corner is missing
  inlet,         ///< one of several flat ends of walls: open on purpose, mostly
};

struct RimVerdict {
  CapDoubt doubt = CapDoubt::none;
  std::string why = {};
  std::optional<std::size_t> partner = {};  ///< of `fits_another`: the other rim
};

/// By rim; all but `corner`. Two rims fit each other if they are alike and face each other, if one lies on
/// the cylinder past the circle that the other is, or if a round bend or a cone runs from one to the
/// other. Of several rims that fit one, that which faces it most squarely, then the nearest, is its
/// partner; an end of a wall that no other fits has a disc before it, if there is one, for that.
/// `diagonal`: of the part.
/// Cost     O(k log k) for k rims of different lengths; each is held against 2000 of like length at
///          most, and of those that are left 2000 against each other, if they are circles.
[[nodiscard]] std::vector<RimVerdict> judge_rims(std::span<const RimShape> rims, double diagonal);

}  // namespace aguja
