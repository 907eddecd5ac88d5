#include "aguja/solid/mass_properties.h"

#include <cmath>
#include <optional>

#include <gmpxx.h>
#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/geometry/predicates.h"

namespace aguja {
namespace {

constexpr std::size_t kTrianglesATask = 4096;

mpq_class exact_volume6(const Welded& mesh, std::span<const TriangleId> selection) {
  mpq_class sum = 0;
  for (const TriangleId id : selection) {
    mpq_class m[3][3];
    for (std::size_t c = 0; c < 3; ++c) {
      const Point& p = mesh.point(mesh.triangle(id)[c]);
      for (int axis = 0; axis < 3; ++axis) m[c][axis] = p[axis];
    }
    sum += m[0][0] * (m[1][1] * m[2][2] - m[1][2] * m[2][1]) -
           m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0]) +
           m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0]);
  }
  return sum;
}

}  // namespace

MassProperties placed(const MassProperties& region, const Placement& at) {
  if (at.is_identity()) return region;
  MassProperties out = region;
  out.centroid = at(region.centroid);
  out.inertia = at.linear * region.inertia * at.linear.transpose();
  return out;
}

MassProperties combine(std::span<const MassProperties> regions) {
  MassProperties all;
  Vector first = Vector::Zero();
  for (const MassProperties& r : regions) {
    all.volume += r.volume;
    all.area += r.area;
    first += r.volume * r.centroid;
  }
  if (regions.size() == 1) return regions[0];
  if (all.volume == 0) return all;
  all.centroid = first / all.volume;
  for (const MassProperties& r : regions) {  // parallel axes
    const Vector d = r.centroid - all.centroid;
    all.inertia +=
        r.inertia + r.volume * (d.squaredNorm() * Eigen::Matrix3d::Identity() - d * d.transpose());
  }
  return all;
}

MassSums::MassSums(const Box& box) : reference_(box.center()) {
  const double half = box.is_empty() ? 0.0 : (0.5 * box.high - 0.5 * box.low).maxCoeff();
  if (half > 0) std::frexp(half, &exponent_);
  // One power of two at a time could over- or underflow where their product does not.
  half_scale_ = std::ldexp(1.0, -exponent_ / 2);
  rest_scale_ = std::ldexp(1.0, -exponent_ + exponent_ / 2);
}

void MassSums::add(const Point& pa, const Point& pb, const Point& pc) {
  const Vector a = (pa - reference_) * half_scale_ * rest_scale_;
  const Vector b = (pb - reference_) * half_scale_ * rest_scale_;
  const Vector c = (pc - reference_) * half_scale_ * rest_scale_;
  const Vector bc = b.cross(c);
  const double det = a.dot(bc);
  const Vector sum = a + b + c;
  ++triangles_;
  volume6_ += det;
  magnitude6_ += 2 * a.cwiseAbs().sum() * b.cwiseAbs().maxCoeff() * c.cwiseAbs().maxCoeff();
  area2_ += (b - a).cross(c - a).norm();
  first_ += det * sum;
  second_ +=
      det * (a * a.transpose() + b * b.transpose() + c * c.transpose() + sum * sum.transpose());
}

void MassSums::add(const MassSums& other) {
  triangles_ += other.triangles_;
  volume6_ += other.volume6_;
  magnitude6_ += other.magnitude6_;
  area2_ += other.area2_;
  first_ += other.first_;
  second_ += other.second_;
}

MassProperties MassSums::properties() const {
  MassProperties result;
  const double volume = volume6_ / 6;
  result.volume = std::ldexp(volume, 3 * exponent_);
  result.area = std::ldexp(area2_ / 2, 2 * exponent_);
  result.centroid = reference_;
  if (volume6_ == 0) return result;

  const Vector centroid = first_ / (4 * volume6_);
  for (int axis = 0; axis < 3; ++axis) {
    result.centroid[axis] += std::ldexp(centroid[axis], exponent_);
  }
  const Eigen::Matrix3d about_centroid = second_ / 120 - volume * (centroid * centroid.transpose());
  const Eigen::Matrix3d inertia =
      about_centroid.trace() * Eigen::Matrix3d::Identity() - about_centroid;
  result.inertia = inertia.unaryExpr([&](double x) { return std::ldexp(x, 5 * exponent_); });
  return result;
}

int MassSums::certain_sign() const {
  // Each term is off by less than 16 roundings of its magnitude (differences, scaling, products and
  // sums), and adding n of them in a row by n more.
  const double bound = (16.0 + static_cast<double>(triangles_)) * detail::kRoundoff * magnitude6_;
  if (volume6_ > bound) return 1;
  return -volume6_ > bound ? -1 : 0;
}

Box box_of(const Welded& mesh, std::span<const TriangleId> selection) {
  Box box;
  for (const Box& some : parallel_map(selection.size(), kTrianglesATask, [&](Range r) {
         Box b;
         for (std::size_t i = r.begin; i < r.end; ++i) {
           for (const VertexId v : mesh.triangle(selection[i]).corner) b.extend(mesh.point(v));
         }
         return b;
       })) {
    box.extend(some);
  }
  return box;
}

MassSums mass_sums(const Welded& mesh, std::span<const TriangleId> selection, const Box& box) {
  MassSums all(box);
  for (const auto& some : parallel_map(selection.size(), kTrianglesATask, [&](Range r) {
         std::optional<MassSums> sums(std::in_place, box);
         for (std::size_t i = r.begin; i < r.end; ++i) {
           const Triangle& t = mesh.triangle(selection[i]);
           sums->add(mesh.point(t[0]), mesh.point(t[1]), mesh.point(t[2]));
         }
         return sums;
       })) {
    all.add(*some);
  }
  return all;
}

int volume_sign(const Welded& mesh, std::span<const TriangleId> selection, const MassSums& sums) {
  const int sign = sums.certain_sign();
  return sign != 0 ? sign : sgn(exact_volume6(mesh, selection));
}

}  // namespace aguja
