#include "aguja/surface/prepare.h"

#include <algorithm>
#include <cmath>

#include "aguja/mend/orient.h"

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
  s.model = std::move(model);
  return out;
}

}  // namespace aguja
