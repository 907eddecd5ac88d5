#pragma once
// Numbers that many places need, under one name each.

#include <cmath>
#include <cstdint>
#include <limits>
#include <numbers>

namespace aguja {

inline constexpr double kInfinity = std::numeric_limits<double>::infinity();
inline constexpr double kFullTurn = 2 * std::numbers::pi;  // radians
inline constexpr double kDegreesPerRadian = 180 / std::numbers::pi;

/// A length that can be divided by where a model gives none; below it squares have lost all digits.
inline constexpr double kSomeLength = 1e-300;

/// The cell of a grid, from where it is in lengths of a cell. Farther out than 2^52 of them there are
/// no fractions, and all share the last cell; so does what is no number.
inline std::int64_t cell_number(double at) {
  constexpr double kLast = 0x1p52;
  return static_cast<std::int64_t>(std::floor(std::fmax(-kLast, std::fmin(kLast, at))));
}

inline double degrees(double radians) { return radians * 180 / std::numbers::pi; }

}  // namespace aguja
