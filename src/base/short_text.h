#pragma once
// Numbers in the core's own sentences.

#include <array>
#include <charconv>
#include <cmath>
#include <string>

namespace aguja {

/// So many significant digits, whatever the locale.
[[nodiscard]] inline std::string short_text(double value, int digits = 3) {
  std::array<char, 32> buffer{};
  // No exponents where people would write none.
  const double size = std::fabs(value), most = std::pow(10, digits);
  if (size >= most - 0.5 && size < 1e9) {
    double step = 1;
    while (size / step >= most) step *= 10;
    const auto end = std::to_chars(buffer.data(), buffer.data() + buffer.size(),
                                   std::llround(value / step) * std::llround(step));
    return {buffer.data(), end.ptr};
  }
  const auto end = std::to_chars(buffer.data(), buffer.data() + buffer.size(), value,
                                 std::chars_format::general, digits);
  return {buffer.data(), end.ptr};
}

}  // namespace aguja
