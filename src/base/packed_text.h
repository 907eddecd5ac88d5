#pragma once
// Bytes as fewer bytes, and as letters. For the layers above the core, which link zlib.

#include <zlib.h>

#include <cstdint>
#include <string>
#include <string_view>

#include "aguja/base/error.h"

namespace aguja::detail {

/// A zlib stream. Source   RFC 1950.
[[nodiscard]] inline std::string deflated(std::string_view bytes) {
  uLongf size = compressBound(bytes.size());
  std::string out(size, '\0');
  constexpr int kLevel = 6;
  if (compress2(reinterpret_cast<Bytef*>(out.data()), &size,
                reinterpret_cast<const Bytef*>(bytes.data()), bytes.size(), kLevel) != Z_OK) {
    throw InternalError("zlib failed");
  }
  out.resize(size);
  return out;
}

/// Source   RFC 4648, section 4.
[[nodiscard]] inline std::string base64(std::string_view bytes) {
  constexpr std::string_view kDigits =
      "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string text;
  text.reserve((bytes.size() + 2) / 3 * 4);
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    const std::size_t have = bytes.size() - i < 3 ? bytes.size() - i : 3;
    std::uint32_t group = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      group = (group << 8) | (k < have ? static_cast<unsigned char>(bytes[i + k]) : 0U);
    }
    for (std::size_t k = 0; k < 4; ++k) {
      text += k <= have ? kDigits[(group >> (18 - 6 * k)) & 63U] : '=';
    }
  }
  return text;
}

}  // namespace aguja::detail
