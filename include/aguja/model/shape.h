#pragma once
/// \file
/// Shapes: what parts look like, wherever they are. Immutable once shared, so that forty bolts, and
/// all states of a model on its way, refer to one.

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "aguja/base/colour.h"
#include "aguja/mesh/mesh.h"
#include "aguja/surface/prepared_body.h"

namespace aguja {

/// Patches that fills made are known by how their names begin.
inline constexpr std::string_view kFillPatch = "fill-";

/// What STL files say per facet beside the corners; kept only on request, to be written back.
struct FacetRecords {
  Array<Vector> normals;            ///< by triangle, as stored; empty if not kept
  Array<std::uint16_t> attributes;  ///< by triangle, binary STL only; empty if not kept
};

/// Surfaces that triangles of a mesh were made of.
struct SurfaceOrigin {
  PreparedBodyPtr body;
  Placement placement;            ///< from the body's coordinates to the mesh's
  std::uint32_t first_patch = 0;  ///< of its face 0; the others follow
};

struct Shape {
  Mesh mesh;
  std::vector<std::string> patch_names;  ///< by patch; may be shorter than the number of patches
  FacetRecords facets;
  /// By patch, as the names; empty if none has any.
  std::vector<std::optional<Rgb>> patch_colours = {};
  /// Empty: a mesh with nothing behind it. Several: bodies taken as one.
  std::vector<SurfaceOrigin> surfaces = {};
};
using ShapePtr = std::shared_ptr<const Shape>;

/// The face that a triangle was made of.
struct FaceOrigin {
  const SurfaceOrigin* surface = nullptr;
  std::uint32_t face = 0;
};
[[nodiscard]] std::optional<FaceOrigin> face_of(const Shape& shape, TriangleId triangle);

/// Was it made by a fill? Told by its name.
[[nodiscard]] inline bool is_fill(const Shape& shape, PatchId patch) {
  return patch.value < shape.patch_names.size() &&
         shape.patch_names[patch.value].starts_with(kFillPatch);
}

/// What the patch of the triangle is coloured with.
[[nodiscard]] std::optional<Rgb> colour_of(const Shape& shape, TriangleId triangle);

/// How many patches the shape has: as many as are named or used, one at least.
[[nodiscard]] std::uint32_t patch_count(const Shape& shape);

/// The shape with its points mapped. Where the map mirrors, triangles are turned over so that
/// outward stays outward; stored facet normals, which would no longer be true, are dropped unless
/// the map changes nothing.
/// Errors: ArgumentError if the map is singular or not finite, or takes a point out of the range of
/// doubles.
[[nodiscard]] Shape placed(const Shape& shape, const Placement& at);

/// Some triangles of a shape and the points that they use, in their order; patches, colours and
/// records go with them. Wires and unused points stay behind.
[[nodiscard]] Shape only_triangles(const Shape& shape, std::span<const TriangleId> triangles);

}  // namespace aguja
