#pragma once
/// \file
/// The file formats, and how they are recognised.

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "aguja/base/units.h"
#include "aguja/surface/prepared_body.h"

namespace aguja {

enum class Format { stl, obj, ply, off, step, iges };

/// Those of meshes, which are read and written.
[[nodiscard]] std::span<const Format> all_formats();
/// Surface models: read, and made into meshes.
[[nodiscard]] constexpr bool is_surface_format(Format format) {
  return format == Format::step || format == Format::iges;
}
/// `stl`, `obj`, `ply`, `off`, `step`, `iges`: also the file extension.
[[nodiscard]] std::string_view slug(Format format);
/// By slug or file name, in any case of letters.
[[nodiscard]] std::optional<Format> format_of_name(std::string_view name);
/// By what the bytes begin with; a binary STL file is known by its length.
[[nodiscard]] std::optional<Format> format_of_content(std::string_view bytes);

/// Bytes with the name that errors give them.
struct Source {
  std::string name;
  std::string_view bytes;
};

struct ReadOptions {
  std::optional<LengthUnit> unit = {};  ///< overrides what is stated or assumed
  std::optional<Format> format = {};    ///< overrides what the content looks like
  /// Keep stored facet normals and attribute bytes of STL files, so that they are written back.
  bool keep_facet_records = false;
  /// How surface models are sewn and made into triangles, given the unit of their file; left out:
  /// by the defaults.
  std::function<PrepareOptions(LengthUnit)> surfaces = {};
};

struct WriteOptions {
  bool text = false;  ///< STL and PLY: as text instead of binary
};

}  // namespace aguja
