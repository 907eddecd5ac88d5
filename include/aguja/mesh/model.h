#pragma once
/// \file
/// What was imported: named parts in one length unit.

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "aguja/base/units.h"
#include "aguja/mesh/mesh.h"

namespace aguja {

/// What STL files say per facet beside the corners; kept only on request, to be written back.
struct FacetRecords {
  Array<Vector> normals;            ///< by triangle, as stored; empty if not kept
  Array<std::uint16_t> attributes;  ///< by triangle, binary STL only; empty if not kept
};

using Rgb = std::array<float, 3>;  ///< red, green, blue, 0 to 1

struct Part {
  std::string name;
  Mesh mesh;
  std::vector<std::string> patch_names;  ///< by patch; may be shorter than the number of patches
  FacetRecords facets;
  /// By patch, as the names; empty if none has any.
  std::vector<std::optional<Rgb>> patch_colours = {};
};

struct Model {
  LengthUnit unit = LengthUnit::millimetre;
  bool unit_assumed = true;  ///< the file states none
  std::vector<Part> parts;
  std::string header;              ///< the 80 bytes of a binary STL file, as read; else empty
  std::vector<std::string> notes;  ///< what was odd about the file, or not kept of it, a line each
};

/// All parts as one body: points and triangles one after another, the parts become its patches
/// (parts that have patches of their own: those, named `part/patch`).
/// Errors: ArgumentError if the sum is beyond the index types.
[[nodiscard]] Model as_one(Model model);

/// Where a part begins in the body that `as_one` makes of its model.
struct PartStart {
  std::uint32_t triangle = 0;
  std::uint32_t patch = 0;
};
[[nodiscard]] std::vector<PartStart> starts_as_one(const Model& model);

/// What the patch of the triangle is coloured with.
[[nodiscard]] std::optional<Rgb> colour_of(const Part& part, TriangleId t);
[[nodiscard]] bool has_colours(const Model& model);

[[nodiscard]] std::size_t triangle_count(const Model& model);
[[nodiscard]] Box box_of(const Model& model);

}  // namespace aguja
