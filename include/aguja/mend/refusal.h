#pragma once
/// \file
/// What was not done, where, and why.

#include <string>
#include <string_view>

#include "aguja/geometry/point.h"

namespace aguja {

enum class RefusalReason {
  third_triangle,  ///< an edge would carry more than two triangles
  no_area,         ///< a triangle would lose its area
  turned_over,     ///< a triangle would be turned over
  crossing,        ///< triangles would cross, overlap or touch
  pinch,           ///< surfaces would meet in nothing but a point
  coincidence,     ///< the common vertex would fall on another one
  no_gain,         ///< as many defects would be left as there were
  beyond_budget,   ///< the surface would move farther than the budget allows
  naked_edges,     ///< more naked edges would be left than there were
  not_a_loop,      ///< its naked edges form no closed loop that runs one way
  does_not_apply,  ///< the method has nothing to work on here; the detail says what it needs
  size_limit,      ///< smaller or larger than the limits of the step
  undecided,       ///< the evidence does not say which way is right
  wall_lost,       ///< both sides of a thin wall would fall together along an edge
  large,           ///< much of the part would be given up, and nobody named it
};
[[nodiscard]] std::string_view slug(RefusalReason reason);
[[nodiscard]] std::string_view text(RefusalReason reason);

struct Refusal {
  RefusalReason reason;
  Point place = Point::Zero();
  std::string detail = {};  ///< one clause; may be empty
};

/// What `beyond_budget` needs: a little more than `budget`, to three digits.
[[nodiscard]] Refusal beyond_budget(const Point& place, double budget);

}  // namespace aguja
