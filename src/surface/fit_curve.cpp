#include "surface/fit_curve.h"

#include <algorithm>
#include <array>

namespace aguja {
namespace {

constexpr std::array<double, 5> kFitSamples = {0.125, 0.3125, 0.5, 0.6875, 0.875};
constexpr double kLeastFittedPiece = 0x1p-10;  // of the range

}  // namespace

CubicPiece cubic_piece(const Curve& curve, double from, double to) {
  // Tangents from within: the ends may be corners.
  constexpr double kWithin = 1e-7;
  const double inside = kWithin * (to - from), third = (to - from) / 3;
  const Point a = curve.point(from), b = curve.point(to);
  CubicPiece piece{
      {a, a + third * curve.at(from + inside).d1, b - third * curve.at(to - inside).d1, b}, 0};
  for (const double s : kFitSamples) {
    const double r = 1 - s;
    const Point p = r * r * r * piece.points[0] + 3 * r * r * s * piece.points[1] +
                    3 * r * s * s * piece.points[2] + s * s * s * piece.points[3];
    piece.off = std::max(piece.off, (p - curve.point(from + s * (to - from))).norm());
  }
  return piece;
}

FittedCurve fit_curve(const Curve& curve, const Interval& range, double within) {
  std::vector<double> ends = {range.low};
  for (const double b : curve.breaks(range)) ends.push_back(b);
  ends.push_back(range.high);
  FittedCurve fit;
  fit.knots.degree = 3;
  fit.knots.knots.assign(4, range.low);
  const auto add = [&](const CubicPiece& piece, double to) {
    if (fit.points.empty()) fit.points.push_back(piece.points[0]);
    fit.points.insert(fit.points.end(), piece.points.begin() + 1, piece.points.end());
    fit.knots.knots.insert(fit.knots.knots.end(), 3, to);
    fit.off = std::max(fit.off, piece.off);
  };
  std::vector<double> pending(ends.rbegin(), ends.rend());  // what comes next is last
  double from = pending.back();
  pending.pop_back();
  while (!pending.empty()) {
    const double to = pending.back();
    const CubicPiece piece = cubic_piece(curve, from, to);
    if (piece.off > within && to - from > kLeastFittedPiece * range.width()) {
      pending.push_back(from + 0.5 * (to - from));
      continue;
    }
    add(piece, to);
    from = to;
    pending.pop_back();
  }
  fit.knots.knots.push_back(range.high);
  return fit;
}

}  // namespace aguja
