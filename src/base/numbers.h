#pragma once
// Numbers that many places need, under one name each.

#include <limits>
#include <numbers>

namespace aguja {

inline constexpr double kInfinity = std::numeric_limits<double>::infinity();
inline constexpr double kFullTurn = 2 * std::numbers::pi;  // radians
inline constexpr double kDegreesPerRadian = 180 / std::numbers::pi;

/// A length that can be divided by where a model gives none; below it squares have lost all digits.
inline constexpr double kSomeLength = 1e-300;

inline double degrees(double radians) { return radians * 180 / std::numbers::pi; }

}  // namespace aguja
