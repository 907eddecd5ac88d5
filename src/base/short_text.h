#pragma once
// Numbers in the core's own sentences.

#include <array>
#include <charconv>
#include <cmath>
#include <string>

namespace aguja {

/// Three significant digits, whatever the locale.
[[nodiscard]] inline std::string short_text(double value) {
  std::array<char, 32> buffer{};
  // No exponents where people would write none.
  if (const double size = std::fabs(value); size >= 1000 && size < 1e9) {
    double step = 1;
    while (size / step >= 1000) step *= 10;
    const auto end = std::to_chars(buffer.data(), buffer.data() + buffer.size(),
                                   std::llround(value / step) * std::llround(step));
    return {buffer.data(), end.ptr};
  }
  const auto end = std::to_chars(buffer.data(), buffer.data() + buffer.size(), value,
                                 std::chars_format::general, 3);
  return {buffer.data(), end.ptr};
}

}  // namespace aguja
