#pragma once
/// \file
/// The file formats, and how they are recognised.

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "aguja/base/progress.h"
#include "aguja/base/units.h"
#include "aguja/surface/prepared_body.h"

namespace aguja {

struct Model;
struct ReadOptions;
struct Source;
struct WriteOptions;
struct WriteReport;

using ByteSink = std::function<void(std::string_view)>;

enum class Format { stl, obj, ply, off, step, iges, vtp, glb };

/// What of a model survives in a file.
struct FormatHolds {
  bool parts = false;    ///< several, with their names
  bool patches = false;  ///< with their names
  bool colours = false;  ///< of patches
  bool lines = false;    ///< and points that no triangle uses
  bool unit = false;
  bool doubles = false;  ///< coordinates without rounding
  bool surfaces = false;
};

/// A line of the table of formats: help, errors and docs are made from it, and whoever reads or
/// writes goes by it.
struct FormatInfo {
  Format format;
  std::string_view slug;        ///< also the first extension
  std::string_view extensions;  ///< all of them, between blanks
  std::string_view name;        ///< for people
  std::string_view known_by;    ///< what of its content it is recognised by; empty: it is not read
  std::string_view written_as;  ///< empty: it is not written
  FormatHolds holds;

  bool (*looks_like)(std::string_view bytes);
  Model (*read)(const Source&, const ReadOptions&, Progress*);  ///< null: no meshes are read
  SurfaceModel (*read_surfaces)(const Source&, const ReadOptions&, Progress*);
  /// Null: no models are; what was found may be written to it, for other viewers.
  WriteReport (*write)(const ByteSink&, const Model&, const WriteOptions&);

  [[nodiscard]] bool is_read() const { return read != nullptr || read_surfaces != nullptr; }
  [[nodiscard]] bool is_written() const { return write != nullptr; }
  [[nodiscard]] bool is_for_viewing() const { return !is_read() && !is_written(); }
};
[[nodiscard]] std::span<const FormatInfo> format_table();
[[nodiscard]] const FormatInfo& info(Format format);

/// Those of meshes, which are read and written.
[[nodiscard]] std::span<const Format> all_formats();
[[nodiscard]] inline bool is_surface_format(Format format) {
  return info(format).read_surfaces != nullptr;
}
[[nodiscard]] std::string_view slug(Format format);
/// The slugs of the formats that are read, or that models are written to: `stl, obj, ply or off`.
[[nodiscard]] std::string formats_read(std::string_view last = "or");
[[nodiscard]] std::string formats_written(std::string_view last = "or");
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
  bool text = false;         ///< STL and PLY: as text instead of binary
  bool tessellated = false;  ///< STEP: meshes as tessellations of AP242 instead of faceted bodies
};

}  // namespace aguja
