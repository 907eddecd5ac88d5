#include "aguja/mesh/transform.h"

#include <atomic>
#include <utility>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"

namespace aguja {
namespace {

constexpr std::size_t kGrain = std::size_t{1} << 14;

bool stays_finite(const Mesh& mesh, const Eigen::Affine3d& map) {
  std::atomic<bool> finite = true;
  parallel_ranges(mesh.points.size(), kGrain, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      if (!(map * mesh.points[i]).allFinite()) finite = false;
    }
  });
  return finite;
}

}  // namespace

void transform(Model& model, const Eigen::Affine3d& map) {
  if (map.matrix() == Eigen::Matrix4d::Identity()) return;
  const double determinant = map.linear().determinant();
  if (!map.matrix().allFinite() || determinant == 0) {
    throw ArgumentError("transform: the map flattens the model, or is not finite");
  }
  for (const Part& part : model.parts) {
    if (!stays_finite(part.mesh, map)) {
      throw ArgumentError("transform: part '" + part.name + "' would leave the range of doubles");
    }
  }
  for (Part& part : model.parts) {
    parallel_ranges(part.mesh.points.size(), kGrain, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) part.mesh.points[i] = map * part.mesh.points[i];
    });
    // Rounding may bring points together.
    part.mesh.points_are_distinct = false;
    part.facets.normals.clear();
    if (determinant > 0) continue;
    parallel_ranges(part.mesh.triangles.size(), kGrain, [&](Range r) {
      for (std::size_t t = r.begin; t < r.end; ++t) {
        std::swap(part.mesh.triangles[t][1], part.mesh.triangles[t][2]);
      }
    });
  }
}

void convert_unit(Model& model, LengthUnit unit) {
  const double factor = conversion(model.unit, unit);
  transform(model, Eigen::Affine3d(Eigen::Scaling(factor)));
  model.unit = unit;
  model.unit_assumed = false;
}

}  // namespace aguja
