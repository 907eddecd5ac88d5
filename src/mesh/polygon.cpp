#include "aguja/mesh/polygon.h"

#include <atomic>
#include <optional>
#include <vector>

#include "aguja/base/parallel.h"
#include "aguja/geometry/predicates.h"
#include "geometry/planar_region.h"

namespace aguja {
namespace {

// From so many corners on a constrained triangulation takes less time than cutting ears.
constexpr std::size_t kManyCorners = 256;
// Beyond so many, what the triangulation cannot divide is left.
constexpr std::size_t kMostEars = 2048;

// In a coordinate plane.
class PolygonDivider {
 public:
  PolygonDivider(std::span<const Point> points, std::vector<VertexId> corners)
      : points_(points), corners_(std::move(corners)) {
    choose_plane();
    const std::size_t n = corners_.size();
    next_.resize(n);
    previous_.resize(n);
    for (std::size_t i = 0; i < n; ++i) {
      next_[i] = (i + 1) % n;
      previous_[i] = (i + n - 1) % n;
    }
    for (std::size_t i = 0; i < n; ++i) {
      if (turn(previous_[i], i, next_[i]) <= 0) reflex_.push_back(i);
    }
  }

  // Is a fan about corner 0 all that is needed? True for convex polygons.
  [[nodiscard]] bool is_fan_fine() const {
    const std::size_t n = corners_.size();
    for (std::size_t i = 0; i < n; ++i) {
      if (turn(i, (i + 1) % n, (i + 2) % n) <= 0) return false;
    }
    // Turning left everywhere, but perhaps more than once around.
    for (std::size_t i = 1; i + 1 < n; ++i) {
      if (turn(0, i, i + 1) <= 0) return false;
    }
    return true;
  }

  // Writes corners - 2 triangles; false if some of them had to overlap, or are left as they are.
  bool divide(std::span<Triangle> out) {
    if (corners_.size() < kManyCorners) return clip(out);
    if (const auto inside = triangulated()) {
      for (std::size_t i = 0; i < out.size(); ++i) {
        const auto& t = (*inside)[i];
        out[i] = {{corners_[t[0]], corners_[t[1]], corners_[t[2]]}};
      }
      return true;
    }
    return corners_.size() <= kMostEars && clip(out);
  }

 private:
  bool clip(std::span<Triangle> out) {
    std::size_t left = corners_.size();
    std::size_t written = 0;
    std::size_t at = 0;
    std::size_t misses = 0;
    bool clean = true;
    while (left > 3) {
      clean &= misses <= left;
      if (!clean || is_ear(at)) {
        out[written++] = {{corners_[previous_[at]], corners_[at], corners_[next_[at]]}};
        next_[previous_[at]] = next_[at];
        previous_[next_[at]] = previous_[at];
        update_reflex(at);
        // Going on from the corner after next spreads the cuts around the polygon.
        at = next_[next_[at]];
        --left;
        misses = 0;
      } else {
        at = next_[at];
        ++misses;
      }
    }
    out[written] = {{corners_[previous_[at]], corners_[at], corners_[next_[at]]}};
    return clean;
  }

  // Triangles of corners, inside of the polygon; none if it crosses itself.
  [[nodiscard]] std::optional<std::vector<std::array<std::uint32_t, 3>>> triangulated() const {
    const auto n = static_cast<std::uint32_t>(corners_.size());
    std::vector<PlanarPoint> planar;
    std::vector<PlanarEdge> sides;
    for (std::uint32_t i = 0; i < n; ++i) {
      planar.emplace_back(at(i)[u_], at(i)[v_]);
      sides.push_back({i, (i + 1) % n});
    }
    PlanarRegion region = triangulate_region(planar, sides);
    // A polygon that touches itself nowhere but in corners has two triangles fewer than corners.
    if (!region.refused.empty() || region.triangles.size() + 2 != n) return std::nullopt;
    return std::move(region.triangles);
  }

  void choose_plane() {
    Vector normal = Vector::Zero();
    const Point& origin = points_[corners_[0].value];
    for (std::size_t i = 1; i + 1 < corners_.size(); ++i) {
      const Vector a = points_[corners_[i].value] - origin;
      const Vector b = points_[corners_[i + 1].value] - origin;
      normal += Vector(a.y() * b.z() - a.z() * b.y(), a.z() * b.x() - a.x() * b.z(),
                       a.x() * b.y() - a.y() * b.x());
    }
    Eigen::Index axis = 0;
    normal.cwiseAbs().maxCoeff(&axis);
    u_ = (axis + 1) % 3;
    v_ = (axis + 2) % 3;
    if (normal[axis] < 0) std::swap(u_, v_);
  }

  [[nodiscard]] const Point& at(std::size_t i) const { return points_[corners_[i].value]; }
  [[nodiscard]] int turn(std::size_t a, std::size_t b, std::size_t c) const {
    return orient2d(at(a)[u_], at(a)[v_], at(b)[u_], at(b)[v_], at(c)[u_], at(c)[v_]);
  }
  [[nodiscard]] bool same_place(std::size_t a, std::size_t b) const {
    return at(a)[u_] == at(b)[u_] && at(a)[v_] == at(b)[v_];
  }

  // Cutting an ear only ever makes its neighbours less reflex.
  void update_reflex(std::size_t cut) {
    const std::size_t p = previous_[cut];
    const std::size_t n = next_[cut];
    std::erase_if(reflex_, [&](std::size_t k) {
      return k == cut || ((k == p || k == n) && turn(previous_[k], k, next_[k]) > 0);
    });
  }

  // Turns left, and no other corner lies in it or on its border; a corner that does is reflex, or
  // one that is lies nearer.
  [[nodiscard]] bool is_ear(std::size_t i) const {
    const std::size_t p = previous_[i];
    const std::size_t n = next_[i];
    if (turn(p, i, n) <= 0) return false;
    for (const std::size_t k : reflex_) {
      if (same_place(k, p) || same_place(k, i) || same_place(k, n)) continue;
      if (turn(p, i, k) >= 0 && turn(i, n, k) >= 0 && turn(n, p, k) >= 0) return false;
    }
    return true;
  }

  std::span<const Point> points_;
  std::vector<VertexId> corners_;
  std::vector<std::size_t> next_;
  std::vector<std::size_t> previous_;
  std::vector<std::size_t> reflex_;  // corners that do not turn left
  Eigen::Index u_ = 0;
  Eigen::Index v_ = 1;
};

}  // namespace

void append_fan(SharedArray<Triangle>& triangles, std::span<const VertexId> corners) {
  for (std::size_t i = 2; i < corners.size(); ++i) {
    triangles.push_back({{corners[0], corners[i - 1], corners[i]}});
  }
}

std::size_t divide_polygons(std::span<const Point> points, std::span<Triangle> triangles,
                            std::span<const FannedPolygon> polygons) {
  std::atomic<std::size_t> defeated = 0;
  parallel_ranges(polygons.size(), 1024, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      const std::span<Triangle> fan = triangles.subspan(polygons[i].first, polygons[i].corners - 2);
      std::vector<VertexId> corners = {fan[0][0], fan[0][1]};
      for (const Triangle& t : fan) corners.push_back(t[2]);
      PolygonDivider divider(points, std::move(corners));
      if (!divider.is_fan_fine() && !divider.divide(fan)) ++defeated;
    }
  });
  return defeated;
}

}  // namespace aguja
