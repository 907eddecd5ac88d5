#include "aguja/surface/prepare.h"

#include <algorithm>
#include <cmath>

#include <Eigen/Geometry>

#include "aguja/mend/orient.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "surface/edge_fit.h"

namespace aguja {
namespace {

// Edges nearer than this to each other, as a part of the model's size, are the same but for
// rounding.
constexpr double kSewOfDiagonal = 1e-5;

}  // namespace

SewTolerance sew_tolerance_for(const SurfaceModel& model, const PrepareOptions& options) {
  if (options.sew) return {*options.sew, "as given"};
  const Box box = box_of(model);
  const double diagonal = (box.high - box.low).norm();
  const double own = std::isfinite(diagonal) && diagonal > 0 ? kSewOfDiagonal * diagonal : 0;
  // A file may state far more than its edges need, or far less.
  if (model.uncertainty && *model.uncertainty >= own && *model.uncertainty <= 10 * own) {
    return {*model.uncertainty, "the uncertainty that the file states"};
  }
  return {own, "a hundred-thousandth of the model's diagonal"};
}

namespace {

// 0 if it is straight.
double curved_length(const BodyEdge& edge) {
  constexpr int kPieces = 16;
  const Interval range = edge.range();
  double length = 0;
  Point last = edge.curve->point(range.low);
  const Point first = last;
  for (int i = 1; i <= kPieces; ++i) {
    const Point p = edge.curve->point(range.low + range.width() * i / kPieces);
    length += (p - last).norm();
    last = p;
  }
  return length > (last - first).norm() * (1 + 1e-12) ? length : 0;
}

}  // namespace

SizeErrors size_errors(const SurfaceModel& model, const Model& mesh,
                       std::span<const std::size_t> instance_of_part, double chord) {
  SizeErrors errors;
  for (std::size_t p = 0; p < mesh.parts.size(); ++p) {
    const Part& part = mesh.parts[p];
    const std::vector<Face>& faces = model.bodies[model.instances[instance_of_part[p]].body].faces;
    const auto& triangles = part.mesh.triangles;
    const Welded welded(part.mesh);
    const EdgeTable edges(welded.triangles(), welded.points().size());
    std::vector<Vector> normals;
    for (const Triangle& t : triangles) {
      const Point& a = part.mesh.point(t[0]);
      normals.push_back(0.5 * (part.mesh.point(t[1]) - a).cross(part.mesh.point(t[2]) - a));
    }
    std::vector<double> least_cosine(triangles.size(), 1.0);
    for (std::uint32_t e = 0; e < edges.size(); ++e) {
      const auto uses = edges.uses({e});
      if (uses.size() != 2) continue;
      const std::uint32_t s = uses[0].triangle().value, t = uses[1].triangle().value;
      if (!part.mesh.patch_of.empty() && part.mesh.patch_of[s] != part.mesh.patch_of[t]) continue;
      const double size = normals[s].norm() * normals[t].norm();
      if (!(size > 0)) continue;
      const double cosine = std::clamp(normals[s].dot(normals[t]) / size, 0.0, 1.0);
      least_cosine[s] = std::min(least_cosine[s], cosine);
      least_cosine[t] = std::min(least_cosine[t], cosine);
    }
    double area = 0;
    for (std::size_t t = 0; t < triangles.size(); ++t) {
      const double own = normals[t].norm();
      const std::size_t face = part.mesh.patch_of.empty() ? 0 : part.mesh.patch_of[t].value;
      // Triangles of no face are what the file itself gives.
      const bool is_plane = face >= faces.size() || !faces[face].surface ||
                            faces[face].surface->kind() == SurfaceKind::plane;
      if (!is_plane) area += own;
      errors.area += own * (1 / std::max(least_cosine[t], 0.5) - 1);
    }
    errors.volume += area * chord;
  }
  for (const BodyInstance& instance : model.instances) {
    const Body& body = model.bodies[instance.body];
    const std::vector<std::uint32_t> uses = edge_uses(body);
    const double scale = std::cbrt(std::fabs(instance.placement.linear.determinant()));
    for (std::uint32_t e = 0; e < uses.size(); ++e) {
      if (uses[e] == 0 || !has_ends(body.edges[e])) continue;
      const double length = scale * curved_length(body.edges[e]);
      errors.area += uses[e] * 2.0 / 3 * chord * length;
      errors.volume += chord * chord * length;
    }
  }
  return errors;
}

Prepared prepare(SurfaceModel model, const PrepareOptions& options, Progress* progress) {
  Prepared out;
  PreparedSurfaces& s = out.surfaces;
  const SewTolerance tolerance = sew_tolerance_for(model, options);
  s.sew_tolerance = tolerance.value;
  s.sew_why = tolerance.why;
  std::vector<bool> was_sewn;
  for (Body& body : model.bodies) {
    advance(progress, "sew", 0.0);
    HealResult healed = heal(body, tolerance.value, options.heal);
    body = std::move(healed.body);
    healed.body = {};
    s.healing.push_back(std::move(healed));
    // Asked for no sewing, not even what coincides exactly is joined.
    SewResult sewn;
    if (tolerance.value > 0) {
      sewn = sew(body, tolerance.value, {options.sew_steps});
    } else {
      sewn.body = body;
    }
    body = std::move(sewn.body);
    sewn.body = {};
    const std::size_t faces = body.faces.size();
    if (options.close_planes) {
      const auto closed = close_planes(body, tolerance.value);
      s.closed.insert(s.closed.end(), closed.begin(), closed.end());
    }
    was_sewn.push_back(body.faces.size() > faces || sewn.joined > 0 || !sewn.turned.empty());
    s.sewing.push_back(std::move(sewn));
  }
  s.tessellated = tessellate(model, options.tessellation, progress);
  out.mesh = std::move(s.tessellated.model);
  s.tessellated.model = {};
  std::size_t part = 0;
  for (std::size_t i = 0; i < model.instances.size(); ++i) {
    const std::size_t body = model.instances[i].body;
    if (s.tessellated.bodies[body].mesh.triangles.empty()) continue;
    s.instance_of_part.push_back(i);
    if (was_sewn[body]) {
      // Which side is out is told by what the sewn shells enclose.
      Mesh& mesh = out.mesh.parts[part].mesh;
      Change turned = orient(mesh, {.cavities = true}, {}, progress);
      turned.mesh.patch_of = mesh.patch_of;
      mesh = std::move(turned.mesh);
    }
    ++part;
  }
  s.errors = size_errors(model, out.mesh, s.instance_of_part, s.tessellated.chord);
  s.model = std::move(model);
  return out;
}

}  // namespace aguja
