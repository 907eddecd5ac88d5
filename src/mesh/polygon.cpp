#include "aguja/mesh/polygon.h"

#include <algorithm>
#include <atomic>
#include <numeric>
#include <optional>
#include <tuple>
#include <vector>

#include "aguja/base/parallel.h"
#include "aguja/geometry/planar_triangulation.h"
#include "aguja/geometry/predicates.h"

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
    PlanarTriangulation all = triangulate(planar, sides);
    if (!all.refused.empty()) return std::nullopt;
    const std::vector<bool> inside = insides(all, border_of(planar, all));
    std::vector<std::array<std::uint32_t, 3>> chosen;
    for (std::size_t t = 0; t < inside.size(); ++t) {
      if (inside[t]) chosen.push_back(all.triangles[t]);
    }
    // A polygon that touches itself nowhere but in corners has two triangles fewer than corners.
    return chosen.size() + 2 == n ? std::optional(std::move(chosen)) : std::nullopt;
  }

  static std::uint64_t key(std::uint32_t a, std::uint32_t b) {
    return std::uint64_t{std::min(a, b)} << 32 | std::max(a, b);
  }
  // Edges at which it is left or entered, in order: sides that are gone along there and back again
  // are none. Corners in one place are the first of them, as they are in the triangles.
  static std::vector<std::uint64_t> border_of(const std::vector<PlanarPoint>& planar,
                                              const PlanarTriangulation& all) {
    const auto n = static_cast<std::uint32_t>(planar.size());
    std::vector<std::uint32_t> order(n), same(n);
    std::iota(order.begin(), order.end(), 0U);
    std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
      return std::tuple(planar[a].x(), planar[a].y(), a) <
             std::tuple(planar[b].x(), planar[b].y(), b);
    });
    for (std::size_t k = 0; k < n; ++k) {
      const bool again = k > 0 && planar[order[k]] == planar[order[k - 1]];
      same[order[k]] = again ? same[order[k - 1]] : order[k];
    }
    std::vector<std::uint64_t> twice;
    for (std::uint32_t i = 0; i < n; ++i) {
      const std::uint32_t a = same[i], b = same[(i + 1) % n];
      if (a != b) twice.push_back(key(a, b));
    }
    std::sort(twice.begin(), twice.end());
    std::vector<std::uint64_t> even;
    for (std::size_t begin = 0, end = 0; begin < twice.size(); begin = end) {
      while (end < twice.size() && twice[end] == twice[begin]) ++end;
      if ((end - begin) % 2 == 0) even.push_back(twice[begin]);
    }
    std::vector<std::uint64_t> border;
    for (const PlanarEdge& e : all.constrained) {
      const std::uint64_t k = key(e[0], e[1]);
      if (!std::binary_search(even.begin(), even.end(), k)) border.push_back(k);
    }
    std::sort(border.begin(), border.end());
    return border;
  }
  // From outside of the hull inward.
  static std::vector<bool> insides(const PlanarTriangulation& all,
                                   const std::vector<std::uint64_t>& border) {
    struct Side {
      std::uint64_t edge;
      std::uint32_t triangle;
      auto operator<=>(const Side&) const = default;
    };
    std::vector<Side> sides;
    for (std::uint32_t t = 0; t < all.triangles.size(); ++t) {
      const auto& c = all.triangles[t];
      for (std::size_t i = 0; i < 3; ++i) sides.push_back({key(c[i], c[(i + 1) % 3]), t});
    }
    std::sort(sides.begin(), sides.end());
    struct Step {
      std::uint32_t to;
      bool crosses;
    };
    std::vector<std::vector<Step>> steps(all.triangles.size());
    std::vector<std::int8_t> state(all.triangles.size(), -1);
    std::vector<std::uint32_t> pending;
    for (std::size_t k = 0; k < sides.size(); ++k) {
      const Side& s = sides[k];
      const bool crosses = std::binary_search(border.begin(), border.end(), s.edge);
      if (k + 1 < sides.size() && sides[k + 1].edge == s.edge) {
        steps[s.triangle].push_back({sides[k + 1].triangle, crosses});
        steps[sides[k + 1].triangle].push_back({s.triangle, crosses});
        ++k;
      } else if (state[s.triangle] < 0) {
        state[s.triangle] = crosses ? 1 : 0;
        pending.push_back(s.triangle);
      }
    }
    while (!pending.empty()) {
      const std::uint32_t t = pending.back();
      pending.pop_back();
      for (const Step& step : steps[t]) {
        if (state[step.to] >= 0) continue;
        state[step.to] = static_cast<std::int8_t>(step.crosses ? 1 - state[t] : state[t]);
        pending.push_back(step.to);
      }
    }
    std::vector<bool> inside(state.size());
    for (std::size_t t = 0; t < state.size(); ++t) inside[t] = state[t] == 1;
    return inside;
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

void append_fan(Array<Triangle>& triangles, std::span<const VertexId> corners) {
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
