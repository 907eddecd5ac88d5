#include "aguja/model/model.h"

#include <algorithm>
#include <mutex>
#include <utility>

#include "aguja/base/error.h"
#include "aguja/model/transform.h"

namespace aguja {

struct Part::Placed {
  std::once_flag once;
  Shape shape;
};

PartDraft::PartDraft(const Part& part) : Shape(part.placed()), name(part.name) {}

PartDraft::PartDraft(Part&& part) : name(std::move(part.name)) {
  Shape& own = static_cast<Shape&>(*this);
  if (!part.placed_ && part.made_here_ && part.shape_.use_count() == 1) {
    // It was not const when it was made, and is nobody else's.
    own = std::move(const_cast<Shape&>(*part.shape_));
  } else {
    own = part.placed();
  }
  part = {};
}

Part::Part() : shape_(std::make_shared<Shape>()) {}

Part::Part(PartDraft draft) : Part(std::move(draft.name), static_cast<Shape&&>(draft)) {}

Part::Part(std::string part_name, Mesh mesh) {
  PartDraft draft;
  draft.name = std::move(part_name);
  draft.mesh = std::move(mesh);
  *this = Part(std::move(draft));
}

Part::Part(std::string part_name, Shape shape, const Placement& placement)
    : Part(std::move(part_name), std::make_shared<Shape>(std::move(shape)), placement) {
  made_here_ = true;
}

Part::Part(std::string part_name, ShapePtr shape, const Placement& placement)
    : name(std::move(part_name)), shape_(std::move(shape)), placement_(placement) {
  const Mesh& mesh = shape_->mesh;
  if (!mesh.patch_of.empty() && mesh.patch_of.size() != mesh.triangles.size()) {
    throw ArgumentError("part '" + name + "': its mesh names patches of " +
                        std::to_string(mesh.patch_of.size()) + " triangles, but has " +
                        std::to_string(mesh.triangles.size()));
  }
  if (placement_.is_identity()) return;
  if (!placement_.is_regular()) {
    throw ArgumentError("part '" + name + "': its placement flattens it, or is not finite");
  }
  // Affine maps take boxes into boxes of their corners: what is finite there is finite inside.
  const Box box = aguja::placed(box_of(shape_->mesh), placement_);
  if (!box.is_empty() && !(box.low.allFinite() && box.high.allFinite())) {
    throw ArgumentError("part '" + name + "' would leave the range of doubles");
  }
  placed_ = std::make_shared<Placed>();
}

const Shape& Part::placed() const {
  if (!placed_) return *shape_;
  std::call_once(placed_->once, [&] { placed_->shape = aguja::placed(*shape_, placement_); });
  return placed_->shape;
}

Part Part::moved(const Placement& by) const { return {name, shape_, by * placement_}; }

namespace {

std::string patch_name(const Part& part, std::size_t index, std::size_t count) {
  if (count == 1 && part.patch_names().empty()) return part.name;
  const std::string own =
      index < part.patch_names().size() ? part.patch_names()[index] : std::to_string(index + 1);
  return part.name.empty() ? own : part.name + "/" + own;
}

template <class T>
void append_all(Array<T>& to, const Array<T>& from) {
  to.insert(to.end(), from.begin(), from.end());
}

void append_part(Shape& body, const Part& part) {
  const Shape& own = part.placed();
  Mesh& mesh = body.mesh;
  const auto base = static_cast<std::uint32_t>(mesh.points.size());
  const auto patch_base = static_cast<std::uint32_t>(body.patch_names.size());
  const std::uint32_t patches = patch_count(own);
  mesh.points.append(own.mesh.points);
  for (const Triangle& t : own.mesh.triangles) {
    mesh.triangles.push_back({{{t[0].value + base}, {t[1].value + base}, {t[2].value + base}}});
  }
  for (const Wire& w : own.mesh.wires) {
    mesh.wires.push_back({VertexId{w[0].value + base}, VertexId{w[1].value + base}});
  }
  for (std::size_t t = 0; t < own.mesh.triangles.size(); ++t) {
    const std::uint32_t patch = own.mesh.patch_of.empty() ? 0 : own.mesh.patch_of[t].value;
    mesh.patch_of.push_back({patch_base + patch});
  }
  for (std::uint32_t p = 0; p < patches; ++p) {
    body.patch_names.push_back(patch_name(part, p, patches));
  }
  if (!own.patch_colours.empty()) {
    body.patch_colours.resize(patch_base);
    body.patch_colours.insert(body.patch_colours.end(), own.patch_colours.begin(),
                              own.patch_colours.end());
  }
  for (SurfaceOrigin origin : own.surfaces) {
    origin.first_patch += patch_base;
    body.surfaces.push_back(std::move(origin));
  }
  append_all(body.facets.normals, own.facets.normals);
  append_all(body.facets.attributes, own.facets.attributes);
}

}  // namespace

bool has_colours(const Model& model) {
  return std::any_of(model.parts.begin(), model.parts.end(),
                     [](const Part& p) { return !p.patch_colours().empty(); });
}

Model as_one(Model model) {
  if (model.parts.size() <= 1) return model;
  std::size_t points = 0;
  const std::size_t triangles = triangle_count(model);
  for (const Part& part : model.parts) points += part.shape()->mesh.points.size();
  if (points > kMostPoints || triangles > kMostTriangles) {
    throw ArgumentError("as one: " + std::to_string(triangles) + " triangles on " +
                        std::to_string(points) + " points are more than one body holds");
  }
  Shape body;
  body.mesh.points.reserve(points);
  body.mesh.triangles.reserve(triangles);
  body.mesh.patch_of.reserve(triangles);
  const std::string name = "all " + std::to_string(model.parts.size()) + " parts";
  for (Part& part : model.parts) {
    append_part(body, part);
    part = {};
  }
  // Records that only some of the parts had would no longer stand beside their triangles.
  if (body.facets.normals.size() != triangles) body.facets.normals.clear();
  if (body.facets.attributes.size() != triangles) body.facets.attributes.clear();
  model.parts.clear();
  for (LostSurface& lost : model.lost) {
    if (!lost.part.empty()) lost.part = name;
  }
  model.parts.emplace_back(name, std::move(body));
  return model;
}

std::size_t triangle_count(const Model& model) {
  std::size_t count = 0;
  for (const Part& part : model.parts) count += part.shape()->mesh.triangles.size();
  return count;
}

Box box_of(const Model& model) {
  Box box;
  for (const Part& part : model.parts) box.extend(box_of(part.mesh()));
  return box;
}

void append(Model& model, Model more, const std::string& label) {
  if (more.unit != model.unit) convert_unit(more, model.unit);
  for (Part& part : more.parts) model.parts.push_back(std::move(part));
  for (SurfaceSource& source : more.sources) model.sources.push_back(std::move(source));
  for (LostSurface& lost : more.lost) model.lost.push_back(std::move(lost));
  for (const std::string& note : more.notes) {
    model.notes.emplace_back(label).append(": ").append(note);
  }
  model.header.clear();
}

}  // namespace aguja
