#pragma once
/// \file
/// Where surfaces meet.

#include <optional>
#include <span>

#include "aguja/surface/surface.h"

namespace aguja {

/// A piece of a curve in which two surfaces meet.
struct MeetingCurve {
  CurvePtr curve;
  double from = 0, to = 0;  ///< at the first and the last place
  double off = 0;           ///< no place that was looked at is farther from either surface
};

/// The curve in which two surfaces meet, from the first of some places near it to the last, past all
/// others: a line, a circle or an ellipse where it is one, else a spline that nowhere that was looked
/// at is farther off than `within`. Places are two at least, in order, none of them twice, but that a
/// closed curve ends where it began; between two of them the curve turns by less than a right angle.
/// Where the surfaces touch without crossing only in closed form, and of places that lie on both; else
/// none, as where they do not meet.
///
/// Cost     A search for the nearest point on both surfaces at each place, a few times; for a spline
///          at more places.
/// Source   Newton's method on the two distances and the plane across; Patrikalakis, Maekawa: Shape
///          Interrogation for Computer Aided Design and Manufacturing, 2002, chapter 5.
[[nodiscard]] std::optional<MeetingCurve> meeting_curve(const Surface& a, const Surface& b,
                                                        std::span<const Point> places,
                                                        double within);

/// The point nearest to a place, about, in which three surfaces meet; none where they do not.
[[nodiscard]] std::optional<Point> meeting_point(const Surface& a, const Surface& b,
                                                 const Surface& c, const Point& near);

}  // namespace aguja
