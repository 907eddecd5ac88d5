#include "aguja/solid/winding_field.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "aguja/base/parallel.h"
#include "aguja/geometry/box.h"
#include "base/parallel_algorithms.h"
#include "geometry/widest_split.h"

namespace aguja {
namespace {

Vector cross(const Vector& a, const Vector& b) {
  return {a.y() * b.z() - a.z() * b.y(), a.z() * b.x() - a.x() * b.z(),
          a.x() * b.y() - a.y() * b.x()};
}

constexpr int kPairs[6][2] = {{0, 0}, {1, 1}, {2, 2}, {0, 1}, {1, 2}, {2, 0}};

std::size_t leaves(std::size_t items, std::size_t leaf) { return (items + leaf - 1) / leaf; }

}  // namespace

bool join_same_vertices(const Triangle& a, const Triangle& b) {
  return std::all_of(a.corner, a.corner + 3,
                     [&](VertexId v) { return v == b[0] || v == b[1] || v == b[2]; });
}

struct WindingField::Placed {
  std::array<float, 3> at;
  std::uint32_t item;
};

void WindingSum::add(const Point& a, const Point& b, const Point& c, const Point& q, bool turned) {
  const Vector x = a - q, y = b - q, z = c - q;
  const double det = turned ? -x.dot(cross(y, z)) : x.dot(cross(y, z));
  if (det == 0) return;
  const double nx = x.norm(), ny = y.norm(), nz = z.norm();
  const double size = 1 / (nx * ny * nz);
  // Half the angle is that of the complex number (re, im).
  const double im = det * size;
  const double re = 1 + (x.dot(y) * nz + y.dot(z) * nx + z.dot(x) * ny) * size;
  const double real = real_ * re - imaginary_ * im;
  const double imaginary = real_ * im + imaginary_ * re;
  const auto is_above = [](double r, double i) { return i > 0 || (i == 0 && r < 0); };
  if (real_ < 0 || re < 0) {
    if (is_above(real_, imaginary_) && im > 0 && !is_above(real, imaginary)) ++turns_;
    if (imaginary_ < 0 && im < 0 && imaginary >= 0) --turns_;
  }
  real_ = real;
  imaginary_ = imaginary;
  constexpr double kTooLarge = 1e100, kTooSmall = 1e-100;
  const double length = std::fabs(real) + std::fabs(imaginary);
  if (length > kTooLarge || length < kTooSmall) {
    real_ /= length;
    imaginary_ /= length;
  }
}

double WindingSum::value() const {
  return turns_ + std::atan2(imaginary_, real_) / (2 * std::numbers::pi);
}

double winding_of_triangle(const Point& a, const Point& b, const Point& c, const Point& q) {
  WindingSum sum;
  sum.add(a, b, c, q);
  return sum.value();
}

struct WindingField::Moments {
  Point center = Point::Zero();
  double area = 0;
  Box box;
  Vector normal = Vector::Zero();
  Eigen::Matrix3d first = Eigen::Matrix3d::Zero();
  double second[6][3] = {};

  /// Expressed about another centre.
  [[nodiscard]] Moments about(const Point& to) const {
    Moments m = *this;
    const Vector d = center - to;
    m.center = to;
    m.first += d * normal.transpose();
    for (int p = 0; p < 6; ++p) {
      const int i = kPairs[p][0], j = kPairs[p][1];
      for (int k = 0; k < 3; ++k) {
        m.second[p][k] += d[i] * first(j, k) + d[j] * first(i, k) + d[i] * d[j] * normal[k];
      }
    }
    return m;
  }
  void add(const Moments& other) {
    area += other.area;
    normal += other.normal;
    first += other.first;
    box.extend(other.box);
    for (int p = 0; p < 6; ++p) {
      for (int k = 0; k < 3; ++k) second[p][k] += other.second[p][k];
    }
  }
};

WindingField::WindingField(std::span<const Point> points, std::span<const Triangle> triangles,
                           std::span<const TriangleId> selection, const std::vector<bool>& turned)
    : points_(points), triangles_(triangles) {
  Box box;
  for (const TriangleId t : selection) {
    for (const VertexId v : triangles_[t.value].corner) box.extend(points_[v.value]);
  }
  if (selection.empty()) return;
  origin_ = box.center();
  items_.resize(selection.size());
  nodes_.resize(2 * leaves(items_.size(), kLeaf) - 1);
  Array<Placed> placed(selection.size());
  parallel_ranges(selection.size(), 1 << 14, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      const std::uint32_t t = selection[i].value;
      const Triangle& triangle = triangles_[t];
      const Eigen::Vector3f at =
          ((points_[triangle[0].value] + points_[triangle[1].value] + points_[triangle[2].value]) /
               3.0 -
           origin_)
              .cast<float>();
      placed[i] = {{at.x(), at.y(), at.z()}, 2 * t + (!turned.empty() && turned[t] ? 1U : 0U)};
    }
  });
  build(placed, 0, 0, static_cast<std::uint32_t>(items_.size()));
}

WindingField::Moments WindingField::moments_of(std::uint32_t begin, std::uint32_t end) const {
  Moments m;
  Point sum = Point::Zero();
  for (std::uint32_t i = begin; i < end; ++i) {
    const Triangle& t = triangles_[items_[i] / 2];
    const Point a = points_[t[0].value] - origin_, b = points_[t[1].value] - origin_,
                c = points_[t[2].value] - origin_;
    const double area = 0.5 * cross(b - a, c - a).norm();
    m.area += area;
    sum += area * (a + b + c) / 3.0;
  }
  if (m.area > 0) {
    m.center = sum / m.area;
  } else {
    const Triangle& t = triangles_[items_[begin] / 2];
    m.center = points_[t[0].value] - origin_;
  }
  for (std::uint32_t i = begin; i < end; ++i) {
    const Triangle& t = triangles_[items_[i] / 2];
    Vector v[3];
    for (std::size_t c = 0; c < 3; ++c) {
      v[c] = points_[t[c].value] - origin_;
      m.box.extend(v[c]);
      v[c] -= m.center;
    }
    Vector n = 0.5 * cross(v[1] - v[0], v[2] - v[0]);
    if (items_[i] % 2 == 1) n = -n;
    const Vector s = v[0] + v[1] + v[2];
    m.normal += n;
    m.first += (s / 3.0) * n.transpose();
    for (int p = 0; p < 6; ++p) {
      const int x = kPairs[p][0], y = kPairs[p][1];
      const double moment =
          (v[0][x] * v[0][y] + v[1][x] * v[1][y] + v[2][x] * v[2][y] + s[x] * s[y]) / 12;
      for (int k = 0; k < 3; ++k) m.second[p][k] += moment * n[k];
    }
  }
  return m;
}

WindingField::Moments WindingField::build(std::span<Placed> placed, std::uint32_t node,
                                          std::uint32_t begin, std::uint32_t end) {
  Moments m;
  const std::size_t own = leaves(end - begin, kLeaf);
  if (own == 1) {
    for (std::uint32_t i = begin; i < end; ++i) items_[i] = placed[i].item;
    m = moments_of(begin, end);
  } else {
    const auto left_leaves = static_cast<std::uint32_t>(own / 2);
    const auto middle = begin + left_leaves * static_cast<std::uint32_t>(kLeaf);
    split_at_widest(placed.subspan(begin, end - begin), middle - begin);
    Moments left, right;
    const auto build_left = [&] { left = build(placed, node + 1, begin, middle); };
    const auto build_right = [&] { right = build(placed, node + 2 * left_leaves, middle, end); };
    if (own > 512) {
      parallel_invoke(build_left, build_right);
    } else {
      build_left();
      build_right();
    }
    const double area = left.area + right.area;
    const Point center = area > 0
                             ? Point((left.area * left.center + right.area * right.center) / area)
                             : Point(0.5 * (left.center + right.center));
    m = left.about(center);
    m.add(right.about(center));
  }
  Node& out = nodes_[node];
  for (int i = 0; i < 3; ++i) {
    out.center[i] = static_cast<float>(m.center[i]);
    out.normal[i] = static_cast<float>(m.normal[i]);
    for (int k = 0; k < 3; ++k) out.first[i][k] = static_cast<float>(m.first(i, k));
  }
  for (int p = 0; p < 6; ++p) {
    for (int k = 0; k < 3; ++k) out.second[p][k] = static_cast<float>(m.second[p][k]);
  }
  constexpr double kFloatError = 1e-6;
  out.radius = static_cast<float>((m.box.high - m.center).cwiseMax(m.center - m.box.low).norm() *
                                  (1 + kFloatError));
  out.first_item = begin;
  out.count = end - begin;
  return m;
}

void WindingField::add_near(WindingSum& sum, const Node& node, const Point& q,
                            std::uint32_t left_out) const {
  for (std::uint32_t i = node.first_item; i < node.first_item + node.count; ++i) {
    const Triangle& t = triangles_[items_[i] / 2];
    if (left_out != kNoIndex && join_same_vertices(t, triangles_[left_out])) continue;
    sum.add(points_[t[0].value], points_[t[1].value], points_[t[2].value], q, items_[i] % 2 == 1);
  }
}

std::optional<double> WindingField::at_middle(TriangleId t, std::uint32_t most) const {
  const Triangle& triangle = triangles_[t.value];
  const Point middle =
      (points_[triangle[0].value] + points_[triangle[1].value] + points_[triangle[2].value]) / 3.0;
  return sum_at(middle, t.value, most);
}

std::optional<double> WindingField::sum_at(const Point& q, std::uint32_t left_out,
                                           std::uint32_t most) const {
  if (nodes_.empty()) return 0.0;
  std::uint32_t near = 0;
  const Eigen::Vector3f from = (q - origin_).cast<float>();
  WindingSum sum;
  double far_sum = 0;
  std::uint32_t stack[128];
  int depth = 0;
  stack[depth++] = 0;
  while (depth > 0) {
    const std::uint32_t index = stack[--depth];
    const Node& n = nodes_[index];
    const float x = n.center[0] - from[0], y = n.center[1] - from[1], z = n.center[2] - from[2];
    const float d2 = x * x + y * y + z * z;
    const float reach = kFar * n.radius;
    if (d2 > reach * reach) {
      const float inv2 = 1 / d2;
      const float inv3 = inv2 / std::sqrt(d2);
      const float r[3] = {x, y, z};
      const float zeroth = n.normal[0] * x + n.normal[1] * y + n.normal[2] * z;
      float rar = 0;
      float brrr = 0;
      float u = 0;
      for (int k = 0; k < 3; ++k) {
        rar += r[k] * (n.first[0][k] * x + n.first[1][k] * y + n.first[2][k] * z);
        brrr +=
            r[k] * (n.second[0][k] * x * x + n.second[1][k] * y * y + n.second[2][k] * z * z +
                    2 * (n.second[3][k] * x * y + n.second[4][k] * y * z + n.second[5][k] * z * x));
        u += r[k] * (n.second[0][k] + n.second[1][k] + n.second[2][k]);
      }
      // Twice the sum over i of B(i, j, i) r(j).
      u += 2 * (x * (n.second[0][0] + n.second[3][1] + n.second[5][2]) +
                y * (n.second[3][0] + n.second[1][1] + n.second[4][2]) +
                z * (n.second[5][0] + n.second[4][1] + n.second[2][2]));
      const float trace = n.first[0][0] + n.first[1][1] + n.first[2][2];
      far_sum += static_cast<double>(inv3 * (zeroth + trace - 3 * inv2 * rar +
                                             0.5F * (-3 * inv2 * u + 15 * inv2 * inv2 * brrr)));
      continue;
    }
    const std::size_t own = leaves(n.count, kLeaf);
    if (own == 1) {
      near += n.count;
      if (near > most) return std::nullopt;
      add_near(sum, n, q, left_out);
      continue;
    }
    stack[depth++] = index + 2 * static_cast<std::uint32_t>(own / 2);
    stack[depth++] = index + 1;
  }
  return sum.value() + far_sum / (4 * std::numbers::pi);
}

}  // namespace aguja
