#include "aguja/mesh/model.h"

#include <algorithm>
#include <utility>

#include "aguja/base/error.h"

namespace aguja {
namespace {

std::uint32_t patch_count(const Part& part) {
  std::size_t count = std::max<std::size_t>(1, part.patch_names.size());
  for (const PatchId p : part.mesh.patch_of) count = std::max<std::size_t>(count, p.value + 1ULL);
  return static_cast<std::uint32_t>(count);
}

std::string patch_name(const Part& part, std::size_t index, std::size_t count) {
  if (count == 1 && part.patch_names.empty()) return part.name;
  const std::string own =
      index < part.patch_names.size() ? part.patch_names[index] : std::to_string(index + 1);
  return part.name.empty() ? own : part.name + "/" + own;
}

template <class T>
void append(Array<T>& to, const Array<T>& from) {
  to.insert(to.end(), from.begin(), from.end());
}

void append(Part& body, const Part& part) {
  Mesh& mesh = body.mesh;
  const auto base = static_cast<std::uint32_t>(mesh.points.size());
  const auto patch_base = static_cast<std::uint32_t>(body.patch_names.size());
  const std::uint32_t patches = patch_count(part);
  append(mesh.points, part.mesh.points);
  for (const Triangle& t : part.mesh.triangles) {
    mesh.triangles.push_back({{{t[0].value + base}, {t[1].value + base}, {t[2].value + base}}});
  }
  for (const Wire& w : part.mesh.wires) {
    mesh.wires.push_back({VertexId{w[0].value + base}, VertexId{w[1].value + base}});
  }
  for (std::size_t t = 0; t < part.mesh.triangles.size(); ++t) {
    const std::uint32_t own = part.mesh.patch_of.empty() ? 0 : part.mesh.patch_of[t].value;
    mesh.patch_of.push_back({patch_base + own});
  }
  for (std::uint32_t p = 0; p < patches; ++p) {
    body.patch_names.push_back(patch_name(part, p, patches));
  }
  if (!part.patch_colours.empty()) {
    body.patch_colours.resize(patch_base);
    body.patch_colours.insert(body.patch_colours.end(), part.patch_colours.begin(),
                              part.patch_colours.end());
  }
  append(body.facets.normals, part.facets.normals);
  append(body.facets.attributes, part.facets.attributes);
}

}  // namespace

std::optional<Rgb> colour_of(const Part& part, TriangleId t) {
  const std::uint32_t patch = part.mesh.patch_of.empty() ? 0 : part.mesh.patch_of[t.value].value;
  return patch < part.patch_colours.size() ? part.patch_colours[patch] : std::nullopt;
}
bool has_colours(const Model& model) {
  return std::any_of(model.parts.begin(), model.parts.end(),
                     [](const Part& p) { return !p.patch_colours.empty(); });
}

Model as_one(Model model) {
  if (model.parts.size() <= 1) return model;
  std::size_t points = 0;
  const std::size_t triangles = triangle_count(model);
  for (const Part& part : model.parts) points += part.mesh.points.size();
  if (points > kMostPoints || triangles > kMostTriangles) {
    throw ArgumentError("as one: " + std::to_string(triangles) + " triangles on " +
                        std::to_string(points) + " points are more than one body holds");
  }
  Part body;
  body.name = "all " + std::to_string(model.parts.size()) + " parts";
  body.mesh.points.reserve(points);
  body.mesh.triangles.reserve(triangles);
  body.mesh.patch_of.reserve(triangles);
  for (Part& part : model.parts) {
    append(body, part);
    part = {};
  }
  // Records that only some of the parts had would no longer stand beside their triangles.
  if (body.facets.normals.size() != triangles) body.facets.normals.clear();
  if (body.facets.attributes.size() != triangles) body.facets.attributes.clear();
  model.parts.clear();
  model.parts.push_back(std::move(body));
  return model;
}

std::vector<PartStart> starts_as_one(const Model& model) {
  std::vector<PartStart> starts;
  PartStart next;
  for (const Part& part : model.parts) {
    starts.push_back(next);
    next.triangle += static_cast<std::uint32_t>(part.mesh.triangles.size());
    next.patch += patch_count(part);
  }
  return starts;
}

std::size_t triangle_count(const Model& model) {
  std::size_t count = 0;
  for (const Part& part : model.parts) count += part.mesh.triangles.size();
  return count;
}

Box box_of(const Model& model) {
  Box box;
  for (const Part& part : model.parts) box.extend(box_of(part.mesh));
  return box;
}

}  // namespace aguja
