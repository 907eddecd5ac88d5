#include "aguja/model/shape.h"

#include <algorithm>
#include <atomic>
#include <utility>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"

namespace aguja {
namespace {

constexpr std::size_t kPointsATask = std::size_t{1} << 14;

std::uint32_t patch_of(const Mesh& mesh, TriangleId t) {
  return mesh.patch_of.empty() ? 0 : mesh.patch_of[t.value].value;
}

}  // namespace

std::optional<FaceOrigin> face_of(const Shape& shape, TriangleId triangle) {
  if (shape.mesh.patch_of.empty()) return std::nullopt;
  const std::uint32_t patch = patch_of(shape.mesh, triangle);
  for (const SurfaceOrigin& origin : shape.surfaces) {
    const std::size_t faces = origin.body->body.faces.size();
    if (patch >= origin.first_patch && patch - origin.first_patch < faces) {
      return FaceOrigin{&origin, patch - origin.first_patch};
    }
  }
  return std::nullopt;
}

std::optional<Rgb> colour_of(const Shape& shape, TriangleId triangle) {
  const std::uint32_t patch = patch_of(shape.mesh, triangle);
  return patch < shape.patch_colours.size() ? shape.patch_colours[patch] : std::nullopt;
}

std::uint32_t patch_count(const Shape& shape) {
  std::size_t count = std::max<std::size_t>(1, shape.patch_names.size());
  for (const PatchId p : shape.mesh.patch_of) count = std::max<std::size_t>(count, p.value + 1ULL);
  return static_cast<std::uint32_t>(count);
}

Shape placed(const Shape& shape, const Placement& at) {
  if (at.is_identity()) return shape;
  if (!at.is_regular()) {
    throw ArgumentError("a placement flattens what it places, or is not finite");
  }
  Shape out = shape;
  std::atomic<bool> finite = true;
  out.mesh.points.own();
  parallel_ranges(out.mesh.points.size(), kPointsATask, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      out.mesh.points[i] = at(out.mesh.points[i]);
      if (!out.mesh.points[i].allFinite()) finite = false;
    }
  });
  if (!finite) throw ArgumentError("a placement takes points out of the range of doubles");
  // Rounding may bring points together.
  out.mesh.points_are_distinct = false;
  out.facets.normals.clear();
  for (SurfaceOrigin& origin : out.surfaces) origin.placement = at * origin.placement;
  if (!at.mirrors()) return out;
  out.mesh.triangles.own();
  parallel_ranges(out.mesh.triangles.size(), kPointsATask, [&](Range r) {
    for (std::size_t t = r.begin; t < r.end; ++t) {
      std::swap(out.mesh.triangles[t][1], out.mesh.triangles[t][2]);
    }
  });
  return out;
}

Shape only_triangles(const Shape& shape, std::span<const TriangleId> triangles) {
  const Mesh& mesh = shape.mesh;
  Shape own;
  own.patch_names = shape.patch_names;
  own.patch_colours = shape.patch_colours;
  own.surfaces = shape.surfaces;
  own.mesh.points_are_distinct = mesh.points_are_distinct;
  std::vector<std::uint32_t> number(mesh.points.size(), kNoIndex);
  for (const TriangleId id : triangles) {
    Triangle t = mesh.triangle(id);
    for (VertexId& v : t.corner) {
      if (number[v.value] == kNoIndex) {
        number[v.value] = static_cast<std::uint32_t>(own.mesh.points.size());
        own.mesh.points.push_back(mesh.point(v));
      }
      v = {number[v.value]};
    }
    own.mesh.triangles.push_back(t);
    if (!mesh.patch_of.empty()) own.mesh.patch_of.push_back(mesh.patch_of[id.value]);
    if (!shape.facets.normals.empty()) {
      own.facets.normals.push_back(shape.facets.normals[id.value]);
    }
    if (!shape.facets.attributes.empty()) {
      own.facets.attributes.push_back(shape.facets.attributes[id.value]);
    }
  }
  return own;
}

}  // namespace aguja
