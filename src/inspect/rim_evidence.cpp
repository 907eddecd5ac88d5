#include "inspect/rim_evidence.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <tuple>
#include <utility>

#include <Eigen/Geometry>

namespace aguja {
namespace {

// Normals within this cosine are of one plane; beyond the other one a wall ends at the rim.
constexpr double kCapPlane = 0.99619469809174555;  // cos 5 degrees
constexpr double kCapWall = 0.34202014332566873;   // cos 70 degrees
// Rims are alike if length and area differ by no more than this part, and face each other if the
// line between them is within this cosine of both normals.
constexpr double kAlikeRims = 0.02;
constexpr double kFacingRims = 0.98480775301220802;  // cos 10 degrees
// Of the rim's length: so much of it must be of a kind for the rim to be called so.
constexpr double kNearlyAllOfRim = 0.95;
// A rim that is so small a part of the model lost a triangle; it is no inlet.
constexpr double kLeastInlet = 0.01;  // of the diagonal
constexpr double kFlatEnd = 0.01;     // of its radius
// Rims of like length that each is held against; what is left out of more is a hole in a face all
// the same.
constexpr std::size_t kMostLike = 2000;

bool are_alike(double a, double b) { return std::fabs(a - b) <= kAlikeRims * std::max(a, b); }

// Walls between the two are there already.
bool have_walls_between(const RimShape& a, const RimShape& b, const Vector& from_a,
                        const Vector& from_b) {
  constexpr double kTowards = 0.5;
  return a.away.dot(from_a) >= kTowards || b.away.dot(from_b) >= kTowards;
}

// How far aside of each other the two rims lie, if they face each other with nothing between.
std::optional<double> offset_of_fit(const RimShape& a, const RimShape& b) {
  if (a.has_islands || b.has_islands || !are_alike(a.length, b.length) ||
      !are_alike(a.area, b.area) || a.normal.dot(b.normal) > -kFacingRims) {
    return std::nullopt;
  }
  const Vector between = b.middle - a.middle;
  const double distance = between.norm();
  if (distance <= 0) return std::nullopt;
  const Vector axis = between / distance;
  if (std::fabs(axis.dot(a.normal)) < kFacingRims) return std::nullopt;
  if (have_walls_between(a, b, axis, -axis)) return std::nullopt;
  return (between - between.dot(a.normal) * a.normal).norm();
}

// Those that fit each other, the most square pairs first, the nearer ones of equal ones.
void pair_rims_that_fit(std::span<const RimShape> rims, std::vector<RimVerdict>& verdicts) {
  std::vector<std::size_t> by_length(rims.size());
  std::iota(by_length.begin(), by_length.end(), std::size_t{0});
  std::sort(by_length.begin(), by_length.end(),
            [&](std::size_t a, std::size_t b) { return rims[a].length < rims[b].length; });
  struct Pair {
    double offset, distance;
    std::size_t a, b;
    auto operator<=>(const Pair&) const = default;
  };
  std::vector<Pair> pairs;
  for (std::size_t i = 0; i < by_length.size(); ++i) {
    const std::size_t a = by_length[i];
    for (std::size_t j = i + 1; j < std::min(by_length.size(), i + kMostLike); ++j) {
      const std::size_t b = by_length[j];
      if (!are_alike(rims[a].length, rims[b].length)) break;
      const auto offset = offset_of_fit(rims[a], rims[b]);
      if (!offset) continue;
      // What differs by rounding alone is equal.
      const double step = kAlikeRims * rims[a].radius;
      const double rounded = step > 0 ? std::round(*offset / step) : *offset;
      pairs.push_back(
          {rounded, (rims[b].middle - rims[a].middle).norm(), std::min(a, b), std::max(a, b)});
    }
  }
  std::sort(pairs.begin(), pairs.end());
  for (const Pair& pair : pairs) {
    if (verdicts[pair.a].partner || verdicts[pair.b].partner) continue;
    for (const auto& [own, other] : {std::pair(pair.a, pair.b), std::pair(pair.b, pair.a)}) {
      verdicts[own] = {CapDoubt::fits_another,
                       "another rim fits it: the surface between the two is missing", other};
    }
  }
}

// How long the wall of the cylinder past the circle would be, if the other rim goes round on it.
std::optional<double> wall_of_cylinder(const RimShape& a, const RimShape& b) {
  const RimCircle& circle = *a.circle;
  constexpr double kOtherArea = 0.05;
  const double across = -b.area * b.normal.dot(circle.normal);
  if (std::fabs(across - a.area) > kOtherArea * a.area) return std::nullopt;
  double along = 0;
  for (const Point& p : b.points) {
    const Vector d = p - circle.center;
    const double height = d.dot(circle.normal);
    if (std::fabs((d - height * circle.normal).norm() - circle.radius) >
        kRoundRim * circle.radius) {
      return std::nullopt;
    }
    along += height / static_cast<double>(b.points.size());
  }
  const Vector axis = along > 0 ? circle.normal : Vector(-circle.normal);
  if (have_walls_between(a, b, axis, -axis)) return std::nullopt;
  return std::fabs(along);
}

// The cone past two circles of one axis that face each other.
std::optional<double> length_of_cone(const RimShape& a, const RimShape& b) {
  if (!a.circle || !b.circle || a.normal.dot(b.normal) > -kFacingRims) return std::nullopt;
  const Vector between = b.circle->center - a.circle->center;
  const double height = between.dot(a.circle->normal), radius = a.circle->radius;
  if ((between - height * a.circle->normal).norm() > kRoundRim * radius ||
      std::fabs(height) <= kRoundRim * radius) {
    return std::nullopt;
  }
  const Vector axis = height > 0 ? a.circle->normal : Vector(-a.circle->normal);
  if (have_walls_between(a, b, axis, -axis)) return std::nullopt;
  return between.norm();
}

std::optional<double> length_of_bend(const RimShape& a, const RimShape& b) {
  if (!a.circle || !b.circle) return std::nullopt;
  const auto bend = bend_between(*a.circle, *b.circle);
  if (!bend || have_walls_between(a, b, a.circle->normal, b.circle->normal)) return std::nullopt;
  return (a.middle - b.middle).norm();
}

// The nearest pairs first.
void pair_round_ends(std::span<const RimShape> rims, std::vector<RimVerdict>& verdicts) {
  struct Pair {
    double distance;
    std::size_t a, b;
    const char* why;
    bool operator<(const Pair& other) const {
      return std::tie(distance, a, b) < std::tie(other.distance, other.a, other.b);
    }
  };
  std::vector<std::size_t> left;
  for (std::size_t i = 0; i < rims.size() && left.size() < kMostLike; ++i) {
    if (!verdicts[i].partner && !rims[i].has_islands) left.push_back(i);
  }
  std::vector<Pair> pairs;
  for (const std::size_t a : left) {
    if (!rims[a].circle) continue;
    for (const std::size_t b : left) {
      if (a == b) continue;
      if (const auto wall = wall_of_cylinder(rims[a], rims[b])) {
        pairs.push_back({*wall, a, b,
                         "another rim lies on the cylinder past it: the wall between the "
                         "two is missing"});
      }
      if (a > b) continue;
      if (const auto bend = length_of_bend(rims[a], rims[b])) {
        pairs.push_back({*bend, a, b, "another rim fits it: a bend between the two is missing"});
      }
      if (const auto cone = length_of_cone(rims[a], rims[b])) {
        pairs.push_back({*cone, a, b,
                         "another rim is about the same axis: the cone between the two "
                         "may be missing"});
      }
    }
  }
  std::sort(pairs.begin(), pairs.end());
  for (const Pair& pair : pairs) {
    if (verdicts[pair.a].partner || verdicts[pair.b].partner) continue;
    verdicts[pair.a] = {CapDoubt::fits_another, pair.why, pair.b};
    verdicts[pair.b] = {CapDoubt::fits_another, pair.why, pair.a};
  }
}

// Ends of walls with a floor before them that does not reach them: a rounding or a chamfer is missing.
void pair_walls_with_discs(std::span<const RimShape> rims, std::vector<RimVerdict>& verdicts) {
  constexpr double kAside = 0.1, kBefore = 0.5, kSmaller = 0.25;  // of the radius; of the area
  std::vector<std::size_t> discs;
  for (std::size_t i = 0; i < rims.size() && discs.size() < kMostLike; ++i) {
    if (rims[i].disc > kNearlyAllOfRim && !verdicts[i].partner) discs.push_back(i);
  }
  for (std::size_t i = 0; i < rims.size(); ++i) {
    const RimShape& rim = rims[i];
    if (verdicts[i].partner || rim.wall <= kNearlyAllOfRim) continue;
    for (const std::size_t d : discs) {
      const RimShape& disc = rims[d];
      const Vector between = disc.middle - rim.middle;
      const double before = between.dot(rim.normal);
      if (verdicts[d].partner || rim.normal.dot(disc.normal) > -kFacingRims || before <= 0 ||
          before > kBefore * rim.radius || disc.area > rim.area ||
          disc.area < kSmaller * rim.area ||
          (between - before * rim.normal).norm() > kAside * rim.radius) {
        continue;
      }
      constexpr const char* kWhy = "a wall ends before a floor: what joins the two is missing";
      verdicts[i] = {CapDoubt::fits_another, kWhy, d};
      verdicts[d] = {CapDoubt::fits_another, kWhy, i};
      break;
    }
  }
}

}  // namespace

RimShape shape_of_rim(std::span<const CapSide> loop) {
  RimShape rim;
  rim.edges = loop.size();
  if (loop.empty()) return rim;
  Vector area = Vector::Zero();
  const Point& origin = loop[0].from;
  for (const CapSide& side : loop) {
    area += 0.5 * (side.from - origin).cross(side.to - origin);
    rim.middle += side.from / static_cast<double>(loop.size());
    rim.points.push_back(side.from);
  }
  rim.area = area.norm();
  if (rim.area > 0) rim.normal = area / rim.area;
  for (const CapSide& side : loop) {
    const Vector from_middle = side.from - rim.middle;
    rim.radius = std::max(rim.radius, from_middle.norm());
    rim.out_of_plane = std::max(rim.out_of_plane, std::fabs(from_middle.dot(rim.normal)));
    const Vector along = side.to - side.from;
    const double length = along.norm();
    rim.length += length;
    const auto& [a, b, c] = side.triangle;
    const Vector across_triangle = (b - a).cross(c - a);
    const double size = across_triangle.norm();
    const double cosine = size > 0 ? across_triangle.dot(rim.normal) / size : 0;
    if (cosine > kCapPlane) rim.in_plane += length;
    if (std::fabs(cosine) < kCapWall) rim.wall += length;
    if (cosine < -kCapPlane) rim.disc += length;
    for (const Point& corner : side.triangle) {
      const Vector off = corner - side.from;
      const Vector across = off - (length > 0 ? off.dot(along) / (length * length) : 0) * along;
      // The one corner that is not on the rim.
      if (across.norm() > 0) rim.away += length * across.normalized();
    }
  }
  if (rim.length > 0) {
    rim.in_plane /= rim.length;
    rim.wall /= rim.length;
    rim.disc /= rim.length;
    rim.away /= rim.length;
  }
  rim.circle = circle_through(rim.points, rim.normal);
  return rim;
}

RimShape shape_of_rim(const JoinedSurface& surface, const Rim& rim) {
  std::vector<CapSide> sides;
  for (const EdgeId e : rim.edges) {
    const EdgeUse use = surface.edges().uses(e)[0];
    const Triangle& t = surface.triangles()[use.triangle().value];
    const auto corner = [&](std::size_t k) -> const Point& {
      return surface.points()[t[(use.corner() + k) % 3].value];
    };
    sides.push_back({corner(1), corner(0), {corner(0), corner(1), corner(2)}});
  }
  return shape_of_rim(sides);
}

std::vector<RimVerdict> judge_rims(std::span<const RimShape> rims, double diagonal) {
  std::vector<RimVerdict> verdicts(rims.size());
  pair_rims_that_fit(rims, verdicts);
  pair_round_ends(rims, verdicts);
  pair_walls_with_discs(rims, verdicts);
  std::vector<std::size_t> inlets;
  for (std::size_t i = 0; i < rims.size(); ++i) {
    if (verdicts[i].doubt != CapDoubt::none) continue;
    const RimShape& rim = rims[i];
    // Three edges are a lost triangle; other holes in a flat face are trimmed out of it.
    if (rim.in_plane > kNearlyAllOfRim && rim.edges > 3) {
      verdicts[i] = {CapDoubt::undoes_trim,
                     "a cap would lie in the face around it: the wall of a hole may be missing",
                     {}};
    } else if (rim.wall > kNearlyAllOfRim && rim.out_of_plane <= kFlatEnd * rim.radius &&
               rim.radius > kLeastInlet * diagonal && !rim.has_islands) {
      inlets.push_back(i);
    }
  }
  for (const std::size_t i : inlets) {
    if (inlets.size() < 2) break;
    verdicts[i] = {CapDoubt::inlet,
                   "one of " + std::to_string(inlets.size()) +
                       " flat ends of walls: inlets and outlets are left open on purpose",
                   {}};
  }
  return verdicts;
}

}  // namespace aguja
