#pragma once
// Area and volume of a face by quadrature over its surface, up to the curves of its edges.

#include <array>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <vector>

#include "aguja/mesh/ids.h"
#include "aguja/surface/surface.h"
#include "aguja/surface/tessellate.h"

namespace aguja {

class OverPlane;

// What a face covers in the parameters of a surface.
struct FaceCells {
  struct Side {
    std::uint32_t from, to;  // in `at`; the face lies on its left
    VertexId a, b;
  };
  std::shared_ptr<const Surface> surface;
  std::vector<Parameters> at;
  std::vector<std::array<std::uint32_t, 3>> triangles;  // counter-clockwise
  std::vector<Side> sides;
  std::size_t sides_of_loops = 0;               // which all should be among them
  std::shared_ptr<const OverPlane> over_plane;  // the surface, if it is one: it may fail
};

// A piece of an edge between two points into which it was divided: its curve, led to these points;
// straight without.
class EdgePiece {
 public:
  EdgePiece(const Point& a, const Point& b) : a_(a), b_(b) {}
  EdgePiece(const Curve& curve, double from, double to, const Point& a, const Point& b)
      : a_(a),
        b_(b),
        curve_(&curve),
        from_(from),
        to_(to),
        at_start_(a - curve.point(from)),
        at_end_(b - curve.point(to)) {}

  [[nodiscard]] bool is_straight() const { return curve_ == nullptr; }
  [[nodiscard]] double chord() const { return (b_ - a_).norm(); }
  struct Place {
    Point p;
    Vector along;
  };
  [[nodiscard]] Place at(double part) const;  // from 0 to 1

 private:
  Point a_, b_;
  const Curve* curve_ = nullptr;
  double from_ = 0, to_ = 0;
  Vector at_start_ = Vector::Zero(), at_end_ = Vector::Zero();
};
using PieceBetween = std::function<std::optional<EdgePiece>(VertexId, VertexId)>;

// Over triangles in parameters, those halved where a coarser rule disagrees, and over strips of lines
// from their border to the pieces of edges. With all faces of a closed body the strips close it, the
// gaps of sewn edges, too. The volume is that of the cone from `about`, positive if the surface's
// normal points away from it; `length` is the size of the body.
//
// `area_within` and `volume_within` are what the rules disagree by, and what strips leave out of the
// surface's bend. Infinite where a surface gives up, or where sides of loops are not found again.
//
// Cost     Seven evaluations a triangle, eight a side; more where it is halved.
// Source   Radon: Zur mechanischen Kubatur, Monatshefte für Mathematik 52, 1948 (seven points, exact
//          to degree 5); Gauss.
[[nodiscard]] FaceSizes sizes_of_face(const FaceCells& cells, const PieceBetween& piece_between,
                                      const Point& about, double length);

}  // namespace aguja
