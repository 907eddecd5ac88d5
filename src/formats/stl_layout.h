#pragma once
// The layout of STL files, as published by 3D Systems in 1988: a header of 80 bytes, a count, and
// 50 bytes per facet, little-endian; or text.

#include <cstdint>
#include <cstring>
#include <string_view>

namespace aguja::detail {

inline constexpr std::size_t kStlHeader = 80;
inline constexpr std::size_t kStlStart = 84;
inline constexpr std::size_t kStlFacet = 50;

inline std::uint32_t stl_declared_count(std::string_view bytes) {
  std::uint32_t count = 0;
  std::memcpy(&count, bytes.data() + kStlHeader, sizeof(count));
  return count;
}

/// Does the declared count explain every byte? True of no text file in practice.
inline bool is_whole_binary_stl(std::string_view bytes) {
  return bytes.size() >= kStlStart && (bytes.size() - kStlStart) % kStlFacet == 0 &&
         (bytes.size() - kStlStart) / kStlFacet == stl_declared_count(bytes);
}

/// After the line that begins with `solid`, only characters that text has.
[[nodiscard]] bool looks_like_ascii_stl(std::string_view bytes);

}  // namespace aguja::detail
