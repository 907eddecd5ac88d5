#include "aguja/solid/fields.h"

#include <array>
#include <cmath>
#include <limits>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/distance.h"

namespace aguja {
namespace {

constexpr float kNoValue = std::numeric_limits<float>::quiet_NaN();
using Corners = std::array<Point, 3>;

Corners corners_of(const Mesh& mesh, std::size_t t) {
  const Triangle& c = mesh.triangles[t];
  return {mesh.point(c[0]), mesh.point(c[1]), mesh.point(c[2])};
}

std::vector<Corners> all_corners(const Model& model) {
  std::vector<Corners> all;
  all.reserve(triangle_count(model));
  for (const Part& part : model.parts) {
    for (std::size_t t = 0; t < part.mesh().triangles.size(); ++t) {
      all.push_back(corners_of(part.mesh(), t));
    }
  }
  return all;
}

BoxTree tree_of(std::span<const Corners> triangles) {
  Array<FloatBox> boxes(triangles.size());
  parallel_ranges(triangles.size(), 1 << 13, [&](Range r) {
    for (std::size_t t = r.begin; t < r.end; ++t) boxes[t] = FloatBox(box_of(triangles[t]));
  });
  return BoxTree(std::move(boxes));
}

Vector normal_of_corners(const Corners& c) {
  const Vector cross = (c[1] - c[0]).cross(c[2] - c[0]);
  const double length = cross.norm();
  return length > 0 ? Vector(cross / length) : Vector(Vector::Zero());
}

// One value per triangle, `value(corners)`.
template <class Value>
std::vector<float> by_triangle(std::span<const Corners> triangles, const Value& value) {
  std::vector<float> values(triangles.size(), kNoValue);
  parallel_ranges(triangles.size(), 1 << 10, [&](Range r) {
    for (std::size_t t = r.begin; t < r.end; ++t) values[t] = value(triangles[t]);
  });
  return values;
}

// Where the ray meets the triangle's plane, if that is within the triangle.
double along_ray(const Point& from, const Vector& direction, const Corners& c) {
  const Vector n = (c[1] - c[0]).cross(c[2] - c[0]);
  const double slope = n.dot(direction);
  // It must leave the material: the next surface faces the way that the ray goes.
  if (!(slope > 0)) return -1;
  const double t = n.dot(c[0] - from) / slope;
  if (!(t > 0)) return -1;
  const Point at = from + t * direction;
  for (std::size_t k = 0; k < 3; ++k) {
    if ((c[(k + 1) % 3] - c[k]).cross(at - c[k]).dot(n) < 0) return -1;
  }
  return t;
}

}  // namespace

TriangleField aspect_field(const Model& model) {
  TriangleField field{"aspect", "aspect ratio (longest side by height)", "", {}, false};
  field.values = by_triangle(all_corners(model), [](const Corners& c) {
    const double longest = std::max(
        {(c[1] - c[0]).squaredNorm(), (c[2] - c[1]).squaredNorm(), (c[0] - c[2]).squaredNorm()});
    const double twice_area = (c[1] - c[0]).cross(c[2] - c[0]).norm();
    return twice_area > 0 ? static_cast<float>(longest / twice_area) : kNoValue;
  });
  return field;
}

TriangleField thickness_field(const Model& model) {
  TriangleField field{
      "thickness", "thickness, straight in", std::string(symbol(model.unit)), {}, true};
  for (const Part& part : model.parts) {
    std::vector<Corners> own;
    for (std::size_t t = 0; t < part.mesh().triangles.size(); ++t) {
      own.push_back(corners_of(part.mesh(), t));
    }
    const BoxTree tree = tree_of(own);
    const auto values = by_triangle(own, [&](const Corners& c) {
      const Vector inward = -normal_of_corners(c);
      if (inward.isZero()) return kNoValue;
      const Point from = (c[0] + c[1] + c[2]) / 3;
      const auto hit = tree.first_hit(
          from, inward, [&](std::uint32_t other) { return along_ray(from, inward, own[other]); });
      return hit ? static_cast<float>(hit->along) : kNoValue;
    });
    field.values.insert(field.values.end(), values.begin(), values.end());
  }
  return field;
}

TriangleField deviation_field(const Model& model, const Model& other) {
  const std::vector<Corners> there = all_corners(other);
  if (there.empty()) throw ArgumentError("deviation: the other model has no triangles");
  const BoxTree tree = tree_of(there);
  TriangleField field{
      "deviation", "distance to the other model", std::string(symbol(model.unit)), {}, false};
  field.values = by_triangle(all_corners(model), [&](const Corners& c) {
    double farthest = 0;
    for (const Point& p : {c[0], c[1], c[2], Point((c[0] + c[1] + c[2]) / 3)}) {
      const auto squared = [&](std::uint32_t t) {
        return (closest_point(p, there[t][0], there[t][1], there[t][2]) - p).squaredNorm();
      };
      const std::uint32_t best = tree.nearest(p, std::numeric_limits<double>::infinity(), squared);
      farthest = std::max(farthest, squared(best));
    }
    return static_cast<float>(std::sqrt(farthest));
  });
  return field;
}

}  // namespace aguja
