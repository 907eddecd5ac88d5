#pragma once
/// \file
/// Axis-aligned boxes.

#include <algorithm>
#include <limits>
#include <span>

#include "aguja/geometry/point.h"

namespace aguja {

/// Closed axis-aligned box; a new one is empty and holds nothing.
struct Box {
  Point low = Point::Constant(std::numeric_limits<double>::infinity());
  Point high = Point::Constant(-std::numeric_limits<double>::infinity());

  [[nodiscard]] bool is_empty() const { return !(low.array() <= high.array()).all(); }
  void extend(const Point& p) {
    low = low.cwiseMin(p);
    high = high.cwiseMax(p);
  }
  void extend(const Box& other) {
    low = low.cwiseMin(other.low);
    high = high.cwiseMax(other.high);
  }
  [[nodiscard]] bool contains(const Point& p) const {
    return (low.array() <= p.array()).all() && (p.array() <= high.array()).all();
  }
  [[nodiscard]] bool contains(const Box& other) const {
    return contains(other.low) && contains(other.high);
  }
  [[nodiscard]] bool meets(const Box& other) const {
    return (low.array() <= other.high.array()).all() && (other.low.array() <= high.array()).all();
  }
  /// Halves are added, so that it does not overflow. Zero for an empty box.
  [[nodiscard]] Point center() const {
    return is_empty() ? Point::Zero() : Point(0.5 * low + 0.5 * high);
  }
  /// Length of the diagonal; 0 for an empty box.
  [[nodiscard]] double diagonal() const { return is_empty() ? 0.0 : (high - low).stableNorm(); }
};

[[nodiscard]] inline Box box_of(std::span<const Point> points) {
  Box box;
  for (const Point& p : points) box.extend(p);
  return box;
}

}  // namespace aguja
