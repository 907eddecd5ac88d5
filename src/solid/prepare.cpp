#include "aguja/solid/prepare.h"

#include <algorithm>

#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "aguja/solid/orientation.h"

namespace aguja {
namespace {

// The patches of the mesh are the faces, by their numbers.
Shape shape_of(const PreparedBodyPtr& body, Mesh mesh) {
  Shape shape;
  shape.mesh = std::move(mesh);
  shape.surfaces.push_back({body, {}, 0});
  for (const Face& face : body->body.faces) {
    std::string name = face.name;
    if (face.entity != 0) name += (name.empty() ? "#" : " #") + std::to_string(face.entity);
    shape.patch_names.push_back(std::move(name));
    if (!face.colour) continue;
    shape.patch_colours.resize(shape.patch_names.size());
    shape.patch_colours.back() = face.colour;
  }
  return shape;
}

// Faces of which most is turned.
std::vector<bool> faces_of(const Orientation& orientation, const Mesh& mesh, std::size_t count) {
  std::vector<std::size_t> all(count), turned(count);
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    const std::uint32_t face = mesh.patch_of[t].value;
    if (face >= count) continue;
    ++all[face];
    turned[face] += orientation.turned[t];
  }
  std::vector<bool> faces(count);
  for (std::size_t f = 0; f < count; ++f) faces[f] = 2 * turned[f] > all[f];
  return faces;
}

std::size_t count_faults(const Mesh& mesh) {
  const Welded welded(mesh);
  const EdgeCounts counts = count_edges(EdgeTable(welded.triangles(), welded.points().size()));
  return counts.naked + counts.nonmanifold;
}

// What edges tell of a sewn body, facets may contradict: slivers as narrow as faces were moved end
// up on the wrong side of each other, unless their short sides are merged first.
Mesh divide_at_best(const Body& read, const PrepareOptions& options, double chord,
                    PreparedBody& body, Progress* progress) {
  Mesh mesh = divide(body, chord, options.tessellation, progress);
  SewTolerance tolerance = body.tolerance;
  if (!body.was_sewn() || tolerance.short_edge.value_or(tolerance.value) == tolerance.value) {
    return mesh;
  }
  const std::size_t faults = count_faults(mesh);
  if (faults == 0) return mesh;
  tolerance.short_edge = tolerance.value;
  PreparedBody other = prepare_body(read, tolerance, options, progress);
  if (other.healed.size() == body.healed.size()) return mesh;  // none is longer: the same body
  other.uncertainty = body.uncertainty;
  Mesh of_other = divide(other, chord, options.tessellation, progress);
  if (count_faults(of_other) >= faults) return mesh;
  body = std::move(other);
  return of_other;
}

}  // namespace

Model prepare(SurfaceModel model, const PrepareOptions& options, Progress* progress) {
  const SewTolerance tolerance = sew_tolerance_for(model, options);
  std::vector<PreparedBody> bodies;
  for (const Body& body : model.bodies) {
    bodies.push_back(prepare_body(body, tolerance, options, progress));
    bodies.back().uncertainty = model.uncertainty;
  }
  Box box;
  for (const BodyInstance& i : model.instances) {
    box.extend(placed(box_of(bodies[i.body].body), i.placement));
  }
  SurfaceSource source;
  source.time_stamp = std::move(model.time_stamp);
  source.unit = model.unit;
  source.uncertainty = model.uncertainty;
  source.tolerance = tolerance;
  source.chord = chosen_chord(options.tessellation, box);
  source.instances = std::move(model.instances);
  source.not_understood = std::move(model.not_understood);
  std::vector<ShapePtr> shapes;     // by body
  std::vector<SurfaceSizes> sizes;  // by body
  for (std::size_t b = 0; b < bodies.size(); ++b) {
    PreparedBody& body = bodies[b];
    Mesh mesh = divide_at_best(model.bodies[b], options, source.chord, body, progress);
    if (body.was_sewn()) {
      // Which side is out is told by what the sewn shells enclose.
      const Orientation orientation = find_orientation(mesh, {.cavities = true}, progress);
      const std::vector<bool> over = faces_of(orientation, mesh, body.body.faces.size());
      note_turned(body, over);
      for (std::size_t f = 0; f < over.size(); ++f) {
        if (over[f]) body.sizes[f].turn();
      }
      apply(orientation, mesh);
    }
    body.facets.assign(body.body.faces.size(), 0);
    for (const PatchId patch : mesh.patch_of) {
      if (patch.value < body.facets.size()) ++body.facets[patch.value];
    }
    const auto prepared = std::make_shared<const PreparedBody>(std::move(body));
    sizes.push_back(surface_sizes(*prepared, mesh));
    source.bodies.push_back(prepared);
    shapes.push_back(std::make_shared<Shape>(shape_of(prepared, std::move(mesh))));
  }
  Model out;
  out.unit = model.unit;
  out.unit_assumed = model.unit_assumed;
  out.notes = std::move(model.notes);
  for (const EntityNumber entity : model.not_read) out.lost.push_back({"", {entity}});
  for (const BodyInstance& instance : source.instances) {
    source.sizes.add(sizes[instance.body], instance.placement);
    const ShapePtr& shape = shapes[instance.body];
    const PreparedBody& body = *source.bodies[instance.body];
    if (shape->mesh.triangles.empty()) {
      if (!body.body.faces.empty()) out.lost.push_back({"", {body.body.entity}});
      continue;
    }
    if (!body.lost.empty()) {
      out.lost.push_back({instance.name, {}});
      for (const LostFace& face : body.lost) out.lost.back().entities.push_back(face.entity);
    }
    out.parts.emplace_back(instance.name, shape, instance.placement);
  }
  out.sources.push_back(std::move(source));
  return out;
}

}  // namespace aguja
