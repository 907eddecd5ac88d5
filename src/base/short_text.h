#pragma once
// Numbers in the core's own sentences.

#include <array>
#include <charconv>
#include <string>

namespace aguja {

/// Three significant digits, whatever the locale.
[[nodiscard]] inline std::string short_text(double value) {
  std::array<char, 32> buffer{};
  const auto end = std::to_chars(buffer.data(), buffer.data() + buffer.size(), value,
                                 std::chars_format::general, 3);
  return {buffer.data(), end.ptr};
}

}  // namespace aguja
