#include "solid/offset_skin.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/mesh/fans.h"
#include "geometry/small_matrix.h"

namespace aguja {
namespace {

constexpr std::size_t kOffsetGrain = std::size_t{1} << 10;

class SkinMaker {
 public:
  SkinMaker(const Mesh& mesh, const EdgeTable& edges, double distance, double limit)
      : mesh_(mesh),
        stars_(mesh.triangles, mesh.points.size()),
        distance_(distance),
        limit_(limit) {
    beside_.assign(3 * mesh.triangles.size(), kNoIndex);
    for (std::uint32_t e = 0; e < edges.size(); ++e) {
      const auto uses = edges.uses({e});
      if (uses.size() != 2) continue;
      for (std::size_t k = 0; k < 2; ++k) {
        beside_[3 * uses[k].triangle().value + uses[k].corner()] =
            3 * uses[1 - k].triangle().value + uses[1 - k].corner();
      }
    }
    normals_.resize(mesh.triangles.size());
    parallel_ranges(normals_.size(), kOffsetGrain, [&](Range r) {
      for (std::size_t t = r.begin; t < r.end; ++t) {
        const Triangle& v = mesh.triangles[t];
        const Point& a = mesh.point(v[0]);
        normals_[t] = (mesh.point(v[1]) - a).cross(mesh.point(v[2]) - a).stableNormalized();
      }
    });
  }

  [[nodiscard]] OffsetSkin run() {
    place_vertices();
    const std::size_t count = mesh_.triangles.size();
    for (std::uint32_t t = 0; t < count; ++t) {
      if (has_equal_corners(mesh_.triangles[t])) continue;
      add({{skin_vertex(3 * t), skin_vertex(3 * t + 1), skin_vertex(3 * t + 2)}}, {t});
    }
    add_strips_and_walls();
    for (const Fan& fan : fans_) add_corner(fan);
    return std::move(out_);
  }

 private:
  // Triangles at a vertex in counter-clockwise order, each by its corner there (3 t + k).
  struct Fan {
    VertexId vertex;
    bool is_closed = false;
    std::vector<std::uint32_t> corners;
    // The first corner of each group, by place; of a closed fan the first group begins at 0.
    std::vector<std::uint32_t> groups;
    std::vector<Vector> steps;  // by group, in distances
    std::uint32_t first_point = 0;
  };

  [[nodiscard]] const Vector& normal(std::uint32_t corner) const { return normals_[corner / 3]; }
  // The next corner around the vertex, counter-clockwise; across the side that comes in.
  [[nodiscard]] std::uint32_t next_around(std::uint32_t corner) const {
    const std::uint32_t t = corner / 3, k = corner % 3;
    return beside_[3 * t + (k + 2) % 3];
  }
  [[nodiscard]] Vector along(std::uint32_t side) const {
    const Triangle& v = mesh_.triangles[side / 3];
    return (mesh_.point(v[(side % 3 + 1) % 3]) - mesh_.point(v[side % 3])).stableNormalized();
  }

  void place_vertices() {
    const std::size_t count = mesh_.points.size();
    const auto lists =
        parallel_collect<Fan>(count, kOffsetGrain, [&](Range r, std::vector<Fan>& out) {
          for (std::size_t v = r.begin; v < r.end; ++v) {
            for (Fan& fan : fans_at({static_cast<std::uint32_t>(v)})) {
              divide(fan);
              out.push_back(std::move(fan));
            }
          }
        });
    fans_ = lists;
    point_of_.assign(3 * mesh_.triangles.size(), kNoIndex);
    for (Fan& fan : fans_) {
      fan.first_point = static_cast<std::uint32_t>(count + out_.points.size());
      for (const Vector& step : fan.steps) {
        out_.points.push_back(mesh_.point(fan.vertex) + distance_ * step);
      }
      for (std::size_t g = 0; g < fan.groups.size(); ++g) {
        for (std::size_t i = fan.groups[g]; i < group_end(fan, g); ++i) {
          point_of_[fan.corners[i]] = fan.first_point + static_cast<std::uint32_t>(g);
        }
      }
    }
  }
  [[nodiscard]] static std::size_t group_end(const Fan& fan, std::size_t g) {
    return g + 1 < fan.groups.size() ? fan.groups[g + 1] : fan.corners.size();
  }

  [[nodiscard]] std::vector<Fan> fans_at(VertexId v) const {
    std::vector<std::uint32_t> left;
    for (const TriangleId t : stars_.at(v)) {
      const Triangle& c = mesh_.triangle(t);
      for (std::uint32_t k = 0; k < 3; ++k) {
        if (c[k] == v) left.push_back(3 * t.value + k);
      }
    }
    std::vector<Fan> fans;
    const auto take = [&](std::uint32_t corner) {
      const auto at = std::find(left.begin(), left.end(), corner);
      if (at == left.end()) return false;
      left.erase(at);
      return true;
    };
    while (!left.empty()) {
      // Open fans begin where the side that goes out is naked.
      const auto begin = std::find_if(left.begin(), left.end(),
                                      [&](std::uint32_t c) { return beside_[c] == kNoIndex; });
      Fan fan;
      fan.vertex = v;
      fan.is_closed = begin == left.end();
      std::uint32_t corner = fan.is_closed ? left.front() : *begin;
      while (corner != kNoIndex && take(corner)) {
        fan.corners.push_back(corner);
        corner = next_around(corner);
      }
      fans.push_back(std::move(fan));
    }
    return fans;
  }

  struct Placed {
    Vector step;
    double worst;  // how far off a plane is, in distances
  };
  static constexpr double kMostOff = 0.02;  // in distances

  // A plane through the vertex, and how much it counts: by the angle of its triangle there, so that
  // how a surface is divided does not matter.
  struct Plane {
    Vector normal;
    double weight;
  };
  [[nodiscard]] Plane plane(std::uint32_t corner) const {
    const Triangle& v = mesh_.triangles[corner / 3];
    const Point& p = mesh_.point(v[corner % 3]);
    const Vector a = mesh_.point(v[(corner % 3 + 1) % 3]) - p;
    const Vector b = mesh_.point(v[(corner % 3 + 2) % 3]) - p;
    return {normal(corner), std::sqrt(std::atan2(a.cross(b).norm(), a.dot(b)))};
  }
  // Where the planes meet; where they meet in no point, the nearest one that none of them cuts off.
  [[nodiscard]] static Placed meeting(std::span<const Plane> planes) {
    // Normals that differ by the facets of a smooth surface only count as one.
    constexpr double kOneNormal = 0.05;  // singular values
    std::vector<Vector> rows;
    std::vector<double> right;
    for (const Plane& p : planes) {
      rows.emplace_back(p.weight * p.normal);
      right.push_back(p.weight);
    }
    Placed out{least_step(rows, right, kOneNormal).step, 0};
    for (const Plane& p : planes) {
      out.worst = std::max(out.worst, std::fabs(p.normal.dot(out.step) - 1));
    }
    if (out.worst <= kMostOff) return out;
    if (const auto beyond = nearest_beyond(planes)) return {*beyond, 0};
    return out;
  }
  // The shortest x with n.x >= 1 for all normals: on one of them, or where two or three meet.
  [[nodiscard]] static std::optional<Vector> nearest_beyond(std::span<const Plane> planes) {
    constexpr std::size_t kMostPlanes = 32;
    if (planes.size() > kMostPlanes) return std::nullopt;
    std::optional<Vector> best;
    const auto consider = [&](const Vector& x) {
      if (!x.allFinite() || (best && x.squaredNorm() >= best->squaredNorm())) return;
      constexpr double kRounding = 1e-9;
      const bool is_beyond = std::all_of(planes.begin(), planes.end(), [&](const Plane& p) {
        return p.normal.dot(x) >= 1 - kRounding;
      });
      if (is_beyond) best = x;
    };
    for (std::size_t i = 0; i < planes.size(); ++i) {
      const Vector& a = planes[i].normal;
      consider(a);
      for (std::size_t j = i + 1; j < planes.size(); ++j) {
        const Vector& b = planes[j].normal;
        consider((a + b) / (1 + a.dot(b)));
        for (std::size_t k = j + 1; k < planes.size(); ++k) {
          const Vector& c = planes[k].normal;
          consider((a.cross(b) + b.cross(c) + c.cross(a)) / a.dot(b.cross(c)));
        }
      }
    }
    return best;
  }
  [[nodiscard]] bool is_good(const Placed& placed) const {
    return placed.step.norm() <= limit_ && placed.worst <= kMostOff;
  }
  // Between the triangles on both sides of a bevelled edge: its plane, also where they are folded
  // onto each other.
  [[nodiscard]] Vector bevel(std::uint32_t corner, std::uint32_t next) const {
    const Vector sum = normal(corner) + normal(next);
    constexpr double kFoldedOver = 1e-3;
    if (sum.norm() > kFoldedOver) return sum.normalized();
    // Out of the triangle, square to the edge, which comes in.
    const Vector in = along(3 * (corner / 3) + (corner % 3 + 2) % 3);
    return in.cross(normal(corner)).stableNormalized();
  }

  void divide(Fan& fan) const {
    std::vector<Plane> planes;
    for (const std::uint32_t c : fan.corners) {
      if (normal(c).allFinite() && normal(c).norm() > 0) planes.push_back(plane(c));
    }
    fan.groups = {0};
    if (planes.empty()) {
      fan.steps = {Vector::Zero()};
      return;
    }
    const Placed all = meeting(planes);
    if (is_good(all)) {
      fan.steps = {all.step};
      return;
    }
    begin_at_sharpest(fan);
    // As many triangles in a row as keep to the limit.
    const std::size_t n = fan.corners.size();
    planes.clear();
    for (std::size_t i = 0; i < n; ++i) {
      planes.push_back(plane(fan.corners[i]));
      if (planes.size() > 1 && !is_good(meeting(planes))) {
        fan.groups.push_back(static_cast<std::uint32_t>(i));
        planes.assign(1, plane(fan.corners[i]));
      }
    }
    place_groups(fan);
  }
  void begin_at_sharpest(Fan& fan) const {
    if (!fan.is_closed) return;
    const std::size_t n = fan.corners.size();
    std::size_t sharpest = 0;
    double least = HUGE_VAL;
    for (std::size_t i = 0; i < n; ++i) {
      const double c = normal(fan.corners[(i + n - 1) % n]).dot(normal(fan.corners[i]));
      if (c < least) {
        least = c;
        sharpest = i;
      }
    }
    std::rotate(fan.corners.begin(), fan.corners.begin() + static_cast<std::ptrdiff_t>(sharpest),
                fan.corners.end());
  }
  void place_groups(Fan& fan) const {
    const std::size_t n = fan.corners.size(), count = fan.groups.size();
    std::vector<Plane> planes;
    for (std::size_t g = 0; g < count; ++g) {
      const std::size_t begin = fan.groups[g], end = group_end(fan, g);
      planes.clear();
      for (std::size_t i = begin; i < end; ++i) planes.push_back(plane(fan.corners[i]));
      const Placed own = meeting(planes);
      const bool has_before = fan.is_closed ? count > 1 : g > 0;
      const bool has_after = fan.is_closed ? count > 1 : g + 1 < count;
      if (has_before) {
        planes.push_back({bevel(fan.corners[(begin + n - 1) % n], fan.corners[begin]), 1});
      }
      if (has_after) planes.push_back({bevel(fan.corners[end - 1], fan.corners[end % n]), 1});
      const Placed bevelled = meeting(planes);
      Vector step = bevelled.step.norm() <= limit_ ? bevelled.step : own.step;
      if (step.norm() > limit_) step *= limit_ / step.norm();
      fan.steps.push_back(step);
    }
  }

  [[nodiscard]] VertexId skin_vertex(std::uint32_t corner) const { return {point_of_[corner]}; }
  void add(const Triangle& t, TriangleId over) {
    if (has_equal_corners(t)) return;
    out_.triangles.push_back(t);
    out_.over.push_back(over);
  }
  void add_wall(const Triangle& t) {
    if (!has_equal_corners(t)) out_.walls.push_back(t);
  }

  // Between the triangles on both sides of an edge, and from rims.
  void add_strips_and_walls() {
    for (std::uint32_t side = 0; side < beside_.size(); ++side) {
      const std::uint32_t t = side / 3, k = side % 3;
      if (has_equal_corners(mesh_.triangles[t])) continue;
      const VertexId a1 = skin_vertex(side), b1 = skin_vertex(3 * t + (k + 1) % 3);
      const std::uint32_t other = beside_[side];
      if (other == kNoIndex) {
        const VertexId a = mesh_.triangles[t][k], b = mesh_.triangles[t][(k + 1) % 3];
        add_wall({{a, b, b1}});
        add_wall({{a, b1, a1}});
        continue;
      }
      if (other < side) continue;
      // The other side runs from b to a.
      const VertexId b2 = skin_vertex(other);
      const VertexId a2 = skin_vertex(3 * (other / 3) + (other % 3 + 1) % 3);
      add({{a2, b2, b1}}, {t});
      add({{a2, b1, a1}}, {t});
    }
  }
  // Groups around a vertex leave a polygon between them; at a rim, it ends in the vertex.
  void add_corner(const Fan& fan) {
    const auto count = static_cast<std::uint32_t>(fan.groups.size());
    const TriangleId over{fan.corners[0] / 3};
    const auto at = [&](std::uint32_t g) { return VertexId{fan.first_point + g % count}; };
    if (!fan.is_closed) {
      for (std::uint32_t g = 0; g + 1 < count; ++g) add_wall({{fan.vertex, at(g), at(g + 1)}});
      return;
    }
    if (count < 3) return;
    Vector mean = Vector::Zero(), middle = Vector::Zero();
    for (const std::uint32_t c : fan.corners) mean += normal(c);
    for (const Vector& s : fan.steps) middle += s / count;
    mean = mean.stableNormalized();
    // A point where the polygon would come nearer than the distance.
    if (middle.dot(mean) >= 1) {
      for (std::uint32_t g = 1; g + 1 < count; ++g) add({{at(0), at(g), at(g + 1)}}, over);
      return;
    }
    const VertexId tip{static_cast<std::uint32_t>(mesh_.points.size() + out_.points.size())};
    out_.points.push_back(mesh_.point(fan.vertex) + distance_ * mean);
    for (std::uint32_t g = 0; g < count; ++g) add({{at(g), at(g + 1), tip}}, over);
  }

  const Mesh& mesh_;
  VertexStars stars_;
  double distance_;
  double limit_;
  std::vector<std::uint32_t> beside_;  // by side (3 t + k): that on the other side of the edge
  std::vector<Vector> normals_;
  std::vector<Fan> fans_;
  std::vector<std::uint32_t> point_of_;  // by corner
  OffsetSkin out_;
};

}  // namespace

OffsetSkin offset_skin(const Mesh& mesh, const EdgeTable& edges, double distance, double limit) {
  return SkinMaker(mesh, edges, distance, limit).run();
}

}  // namespace aguja
