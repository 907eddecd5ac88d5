#pragma once
/// \file
/// Curves and surfaces beyond their bounds: analytic ones as they are, splines by the polynomials of
/// their end spans, the others by what they are made of.

#include "aguja/surface/surface.h"

namespace aguja {

/// A curve over a larger range of the same parameters.
struct CarriedCurve {
  CurvePtr curve;
  Interval range;  ///< where it may be used
  /// How long it has become beyond either end: as far as was asked, or less where it would fold, run
  /// around to itself, or leave what it is made of; infinite where it has no end there.
  double beyond_low = 0, beyond_high = 0;
};

/// A surface over a larger domain of the same parameters.
struct CarriedSurface {
  SurfacePtr surface;
  struct Side {
    bool at_u = false;  ///< the side u = const, else v = const
    bool is_high = false;
    /// By how much it is farther out in space than it was, along the whole side: as far as was
    /// asked, or less, as for curves; infinite where the domain has no bound, 0 at poles.
    double beyond = 0;
  };
  std::array<Side, 4> sides;  ///< u low, u high, v low, v high
};

/// Promises  Within its old range, or domain, it is what it was, to rounding, with the same
///           parameters. Beyond it is smooth: derivatives go on as they were at the end. Its tangents
///           (or normals) turn by less than a right angle beyond the end, and its speed changes by
///           less than a factor of four; but for planes, cylinders, cones, spheres and tori, which go
///           on as far as they go.
/// Cost      O(n) in control points, once for each halving of a reach that is too far.
/// Errors    ArgumentError (a reach that is not finite or below 0; an endless range).
/// Source    Blossoms: Ramshaw: Blossoms are polar forms, CAGD 6(4), 1989.
[[nodiscard]] CarriedCurve carried_on(const CurvePtr& curve, const Interval& range, double reach);
[[nodiscard]] CarriedSurface carried_on(const SurfacePtr& surface, double reach);

/// The same B-spline on other knots of the same degree, which hold the old ones that lie inside of its
/// domain, as often at least. Their domain may reach beyond the old one: there it is the polynomial of
/// the end span.
/// Errors    ArgumentError (knots that do not hold the old ones, weights that vanish beyond the end).
[[nodiscard]] SplineData on_knots(const SplineData& spline, const KnotVector& knots);

}  // namespace aguja
