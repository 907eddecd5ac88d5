#include "surface/face_sizes.h"

#include <algorithm>
#include <cmath>
#include <span>

#include <Eigen/Geometry>

#include "base/numbers.h"
#include "surface/over_plane.h"

namespace aguja {
namespace {

// Parts of the area, and of the area times the body's size, to which triangles are divided.
constexpr double kAreaTo = 1e-7;
constexpr double kVolumeTo = 1e-8;
constexpr double kMomentTo = 1e-7;  // with the cube of that size
constexpr int kMostDivided = 5;

// The two orbits of the rule of seven points: distance from the corners' opposite sides, weight.
constexpr double kWeightOfMiddle = 9.0 / 40;
struct Orbit {
  double near, weight, coarser_weight;
};
// With the coarser weights and none for the middle it is exact to degree 2.
std::array<Orbit, 2> orbits() {
  const double root_15 = std::sqrt(15.0);
  std::array<Orbit, 2> out = {{{(6 + root_15) / 21, (155 + root_15) / 1200, 0},
                               {(6 - root_15) / 21, (155 - root_15) / 1200, 0}}};
  const auto squares = [](double near) {
    return (1 - 2 * near) * (1 - 2 * near) + 2 * near * near;
  };
  const double s = squares(out[0].near), t = squares(out[1].near);
  // w0 + w1 = 1/3 and w0 s + w1 t = 1/6.
  out[0].coarser_weight = (1.0 / 6 - t / 3) / (s - t);
  out[1].coarser_weight = 1.0 / 3 - out[0].coarser_weight;
  return out;
}

struct Sizes {
  double area = 0, volume = 0;
  double area_off = 0, volume_off = 0;  // by what they may be wrong
  Vector first = Vector::Zero();
  Eigen::Matrix3d second = Eigen::Matrix3d::Zero();
  double second_off = 0;
  void add(const Sizes& more, double times) {
    first += times * more.first;
    second += times * more.second;
    area += times * more.area;
    volume += times * more.volume;
    area_off += times * more.area_off;
    volume_off += times * more.volume_off;
  }
};

// Of the cone from the origin over a piece of area at `p`, as parts of its volume.
void set_cone(Sizes& sizes, const Vector& p, const Vector& area) {
  const double along = p.dot(area);
  sizes.volume = along / 3;
  sizes.first = along / 4 * p;
  sizes.second = along / 5 * p * p.transpose();
}

class Quadrature {
 public:
  Quadrature(const FaceCells& cells, const Point& about, double length)
      : cells_(cells),
        surface_(*cells.surface),
        about_(about),
        length_(length),
        is_plane_(surface_.kind() == SurfaceKind::plane),
        orbits_(orbits()) {}

  FaceSizes run(const PieceBetween& piece_between) {
    for (const auto& t : cells_.triangles) {
      const Corners corners = {cells_.at[t[0]], cells_.at[t[1]], cells_.at[t[2]]};
      add_triangle(corners, rule(corners), 0);
    }
    for (const FaceCells::Side& side : cells_.sides) {
      if (side.a == side.b) continue;
      if (const auto piece = piece_between(side.a, side.b)) add_strip(side, *piece);
    }
    if (!std::isfinite(out_.volume) || !std::isfinite(out_.area))
      return {.area_within = kInfinity, .volume_within = kInfinity};
    return out_;
  }

 private:
  [[nodiscard]] Sizes at(const Parameters& uv) const {
    const SurfacePoint s = surface_.at(uv[0], uv[1]);
    const Vector normal = s.du.cross(s.dv);
    Sizes sizes;
    sizes.area = normal.norm();
    set_cone(sizes, s.p - about_, normal);
    return sizes;
  }

  using Corners = std::array<Parameters, 3>;

  // Means over a triangle by the rule of seven points, exact to degree 5; off from the coarser one.
  [[nodiscard]] Sizes rule(const Corners& corner) const {
    Sizes fine, coarse;
    fine.add(at((corner[0] + corner[1] + corner[2]) / 3), is_plane_ ? 1 : kWeightOfMiddle);
    if (is_plane_) {
      // Of degree 2 only in the second moment: the middles of the sides are exact.
      fine.second.setZero();
      for (std::size_t c = 0; c < 3; ++c) {
        fine.second += at(0.5 * (corner[c] + corner[(c + 1) % 3])).second / 3;
      }
      return fine;
    }
    for (const Orbit& orbit : orbits_) {
      for (std::size_t c = 0; c < 3; ++c) {
        const Sizes s = at((1 - 2 * orbit.near) * corner[c] +
                           orbit.near * (corner[(c + 1) % 3] + corner[(c + 2) % 3]));
        fine.add(s, orbit.weight);
        coarse.add(s, orbit.coarser_weight);
      }
    }
    return compared(fine, coarse);
  }
  // What the two differ by is how far the coarser one is off, which is mostly far more.
  [[nodiscard]] static Sizes compared(Sizes fine, const Sizes& coarse) {
    fine.area_off = std::fabs(fine.area - coarse.area);
    fine.volume_off = std::fabs(fine.volume - coarse.volume);
    fine.second_off = (fine.second - coarse.second).norm();
    return fine;
  }
  [[nodiscard]] bool is_enough(const Sizes& s) const {
    // What is no number gets no better.
    return !(s.area_off > kAreaTo * s.area || s.volume_off > kVolumeTo * length_ * s.area ||
             s.second_off > kMomentTo * length_ * length_ * length_ * s.area);
  }

  // The rule itself told by its coarser one, or four times on quarters told by it.
  void add_triangle(const Corners& corner, const Sizes& whole, int divided) {
    const Parameters u = corner[1] - corner[0], v = corner[2] - corner[0];
    const double own = 0.5 * (u[0] * v[1] - u[1] * v[0]);
    if (is_plane_ || is_enough(whole)) return add(whole, own);
    const Corners middle = {0.5 * (corner[1] + corner[2]), 0.5 * (corner[2] + corner[0]),
                            0.5 * (corner[0] + corner[1])};
    const std::array<Corners, 4> quarters = {{{corner[0], middle[2], middle[1]},
                                              {middle[2], corner[1], middle[0]},
                                              {middle[1], middle[0], corner[2]},
                                              middle}};
    std::array<Sizes, 4> rules;
    Sizes sum;
    for (std::size_t q = 0; q < quarters.size(); ++q) {
      rules[q] = rule(quarters[q]);
      sum.add(rules[q], 0.25);
    }
    sum = compared(sum, whole);
    if (divided + 1 == kMostDivided || is_enough(sum)) return add(sum, own);
    for (std::size_t q = 0; q < quarters.size(); ++q) {
      add_triangle(quarters[q], rules[q], divided + 1);
    }
  }
  void add(const Sizes& mean, double area) {
    out_.area += area * mean.area;
    out_.volume += area * mean.volume;
    out_.first += area * mean.first;
    out_.second += area * mean.second;
    out_.area_within += area * mean.area_off;
    out_.volume_within += area * mean.volume_off;
  }

  // Lines from the surface over a side to the edge, at parts of both.
  [[nodiscard]] Sizes across(const FaceCells::Side& side, const EdgePiece& piece,
                             double part) const {
    const Parameters way = cells_.at[side.to] - cells_.at[side.from];
    const Parameters uv = cells_.at[side.from] + part * way;
    const SurfacePoint s = surface_.at(uv[0], uv[1]);
    const Vector along = way[0] * s.du + way[1] * s.dv;
    const EdgePiece::Place edge = piece.at(part);
    const Vector out = edge.p - s.p;
    const Vector normal = s.normal();
    Sizes sum;
    // Of degree 2 along the line: two points are exact.
    for (const double r : {0.5 - 0.5 / std::sqrt(3.0), 0.5 + 0.5 / std::sqrt(3.0)}) {
      const Vector area = out.cross((1 - r) * along + r * edge.along);
      Sizes own;
      own.area = area.dot(normal);
      set_cone(own, s.p + r * out - about_, area);
      sum.add(own, 0.5);
    }
    // The lines are straight and the surface bends; and the edge may lie beside it.
    const double bend = s.curvature().largest, width = out.norm(), length = edge.along.norm();
    const double beside = std::max(0.0, std::fabs(out.dot(normal)) - bend * width * width);
    sum.area_off = length * beside;
    sum.volume_off = length * (beside * beside + bend * width * width * width / 6);
    return sum;
  }

  void add_strip(const FaceCells::Side& side, const EdgePiece& piece) {
    if (is_plane_ && piece.is_straight()) return;
    const double inner = std::sqrt(5 - 2 * std::sqrt(10.0 / 7)) / 3;
    const double outer = std::sqrt(5 + 2 * std::sqrt(10.0 / 7)) / 3;
    const Sizes middle = across(side, piece, 0.5);
    Sizes fine, coarse;
    fine.add(middle, 64.0 / 225);
    coarse.add(middle, 4.0 / 9);
    for (const double sign : {-0.5, 0.5}) {
      fine.add(across(side, piece, 0.5 + sign * inner), (322 + 13 * std::sqrt(70.0)) / 1800);
      fine.add(across(side, piece, 0.5 + sign * outer), (322 - 13 * std::sqrt(70.0)) / 1800);
      coarse.add(across(side, piece, 0.5 + sign * std::sqrt(0.6)), 5.0 / 18);
    }
    out_.area += fine.area;
    out_.volume += fine.volume;
    out_.first += fine.first;
    out_.second += fine.second;
    out_.area_within += fine.area_off + std::fabs(fine.area - coarse.area);
    out_.volume_within += fine.volume_off + std::fabs(fine.volume - coarse.volume);
  }

  const FaceCells& cells_;
  const Surface& surface_;
  Point about_;
  double length_;
  bool is_plane_;
  std::array<Orbit, 2> orbits_;
  FaceSizes out_;
};

}  // namespace

EdgePiece::Place EdgePiece::at(double part) const {
  if (is_straight()) return {a_ + part * (b_ - a_), b_ - a_};
  const CurvePoint c = curve_->at(from_ + part * (to_ - from_));
  return {c.p + (1 - part) * at_start_ + part * at_end_,
          (to_ - from_) * c.d1 + at_end_ - at_start_};
}

FaceSizes sizes_of_face(const FaceCells& cells, const PieceBetween& piece_between,
                        const Point& about, double length) {
  return Quadrature(cells, about, length).run(piece_between);
}

}  // namespace aguja
