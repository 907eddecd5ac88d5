#pragma once
// The header of a PLY file: which elements follow, and how they are laid out.
// Source: Greg Turk, "The PLY Polygon File Format", Stanford 1994.

#include <initializer_list>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "aguja/formats/format.h"

namespace aguja::ply {

enum class Type { int8, uint8, int16, uint16, int32, uint32, float32, float64 };
[[nodiscard]] std::size_t size_of(Type type);

struct Property {
  std::string name;
  Type type;
  std::optional<Type> count_type;  // of lists
};

struct Element {
  std::string name;
  std::size_t count = 0;
  std::vector<Property> properties;

  /// Index of the first property with one of these names; the number of properties if none.
  [[nodiscard]] std::size_t find(std::initializer_list<std::string_view> names) const;
  [[nodiscard]] bool has_lists() const;
  /// Bytes of a binary row, or at least so many if there are lists.
  [[nodiscard]] std::size_t least_bytes() const;
};

enum class Encoding { text, little_endian, big_endian };

struct PlyHeader {
  Encoding encoding = Encoding::text;
  std::vector<Element> elements;
  std::size_t bytes = 0;      // length of the header
  std::size_t odd_lines = 0;  // that the format does not know
};

/// Errors: InputError.
[[nodiscard]] PlyHeader parse_header(const Source& source);

}  // namespace aguja::ply
