#pragma once
// Curves as splines.

#include <array>
#include <vector>

#include "aguja/surface/curve.h"

namespace aguja {

/// A Bézier piece with the tangents of a curve at both ends of a range.
struct CubicPiece {
  std::array<Point, 4> points;
  double off;  ///< the farthest that was seen from the curve at the same parameters
};
[[nodiscard]] CubicPiece cubic_piece(const Curve& curve, double from, double to);

/// Cubic pieces along a curve, with its tangents, halved until none is seen farther from it than
/// `within`, or a piece is a 1024th of the range.
struct FittedCurve {
  KnotVector knots;
  std::vector<Point> points;
  double off = 0;  ///< the farthest that was seen
};
[[nodiscard]] FittedCurve fit_curve(const Curve& curve, const Interval& range, double within);

}  // namespace aguja
