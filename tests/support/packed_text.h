#pragma once
// base64 and zlib the other way.

#include <gtest/gtest.h>
#include <zlib.h>

#include <cstdint>
#include <string>
#include <string_view>

namespace aguja::test {

[[nodiscard]] inline std::string from_base64(std::string_view text) {
  constexpr std::string_view kDigits =
      "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string bytes;
  std::uint32_t group = 0;
  int bits = 0;
  for (const char c : text) {
    if (c == '=') break;
    group = (group << 6) | static_cast<std::uint32_t>(kDigits.find(c));
    bits += 6;
    if (bits >= 8) bytes += static_cast<char>((group >> (bits -= 8)) & 255U);
  }
  return bytes;
}

/// Expects that the stream holds so many bytes.
[[nodiscard]] inline std::string inflated(std::string_view stream, std::size_t size) {
  std::string raw(size, '\0');
  uLongf found = size;
  EXPECT_EQ(uncompress(reinterpret_cast<Bytef*>(raw.data()), &found,
                       reinterpret_cast<const Bytef*>(stream.data()), stream.size()),
            Z_OK);
  EXPECT_EQ(found, size);
  return raw;
}

}  // namespace aguja::test
