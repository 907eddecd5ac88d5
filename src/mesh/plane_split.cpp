#include "aguja/mesh/plane_split.h"

#include <algorithm>
#include <array>
#include <cmath>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"
#include "aguja/mesh/weld.h"

namespace aguja {
namespace {

constexpr std::size_t kSplitGrain = std::size_t{1} << 14;

class PlaneSplitter {
 public:
  PlaneSplitter(const Mesh& mesh, const CutPlane& plane, const PlaneSplitOptions& options)
      : mesh_(mesh), plane_(plane), options_(options), welded_(mesh) {
    if (plane_.axis() < 0) plane_.normal.stableNormalize();
  }

  [[nodiscard]] SplitMesh run() {
    judge_vertices();
    cut_edges();
    for (std::uint32_t t = 0; t < welded_.triangles().size(); ++t) add({t});
    out_.vertex_now.resize(mesh_.points.size());
    for (std::uint32_t v = 0; v < mesh_.points.size(); ++v) {
      out_.vertex_now[v] = welded_.vertex({v});
    }
    for (const Wire& w : welded_.wires()) out_.mesh.wires.push_back(w);
    if (out_.mesh.triangles.size() > kMostTriangles) {
      throw ArgumentError("split_by_plane: more triangles than an index holds");
    }
    return std::move(out_);
  }

 private:
  [[nodiscard]] int sign(VertexId v) const { return sign_[v.value]; }

  void judge_vertices() {
    const std::span<const Point> points = welded_.points();
    distance_.resize(points.size());
    sign_.resize(points.size());
    parallel_ranges(points.size(), kSplitGrain, [&](Range r) {
      for (std::size_t v = r.begin; v < r.end; ++v) {
        const double d = plane_.distance(points[v]);
        distance_[v] = d;
        const bool is_on = std::fabs(d) <= options_.on_within;
        sign_[v] = static_cast<std::int8_t>(is_on ? 0 : d < 0 ? -1 : 1);
      }
    });
    out_.on_plane.resize(points.size());
    for (std::size_t v = 0; v < points.size(); ++v) {
      if (sign_[v] != 0) continue;
      out_.on_plane[v] = true;
      out_.off_plane = std::max(out_.off_plane, std::fabs(distance_[v]));
    }
  }

  using CutEdge = std::array<std::uint32_t, 2>;
  [[nodiscard]] static CutEdge cut_edge(VertexId a, VertexId b) {
    return {std::min(a.value, b.value), std::max(a.value, b.value)};
  }
  void cut_edges() {
    cut_ = parallel_collect<CutEdge>(welded_.triangles().size(), kSplitGrain,
                                     [&](Range r, std::vector<CutEdge>& out) {
                                       for (std::size_t t = r.begin; t < r.end; ++t) {
                                         const Triangle& v = welded_.triangles()[t];
                                         for (std::size_t k = 0; k < 3; ++k) {
                                           const VertexId a = v[k], b = v[(k + 1) % 3];
                                           if (sign(a) * sign(b) < 0) out.push_back(cut_edge(a, b));
                                         }
                                       }
                                     });
    std::sort(cut_.begin(), cut_.end());
    cut_.erase(std::unique(cut_.begin(), cut_.end()), cut_.end());
    out_.made = cut_.size();
    std::vector<Point> made;
    made.reserve(cut_.size());
    for (const CutEdge& e : cut_) made.push_back(meeting_point(e));
    out_.mesh.points.assign(welded_.points().begin(), welded_.points().end());
    out_.fell_together = !stay_distinct(welded_.points(), made);
    for (const Point& p : made) out_.mesh.points.push_back(p);
    out_.mesh.points_are_distinct = !out_.fell_together;
    out_.on_plane.resize(out_.mesh.points.size(), true);
  }
  [[nodiscard]] Point meeting_point(const CutEdge& e) {
    const Point &a = welded_.points()[e[0]], &b = welded_.points()[e[1]];
    const double da = distance_[e[0]], db = distance_[e[1]];
    // From the nearer end, where less is lost.
    const bool from_a = std::fabs(da) <= std::fabs(db);
    Point exact =
        from_a ? Point(a + da / (da - db) * (b - a)) : Point(b + db / (db - da) * (a - b));
    if (const int axis = plane_.axis(); axis >= 0) exact[axis] = plane_.through[axis];
    Point p = options_.to_float ? rounded_to_float(exact) : exact;
    constexpr double kRoundings = 4 * 0x1p-52;
    const double largest = std::max(a.cwiseAbs().maxCoeff(), b.cwiseAbs().maxCoeff());
    out_.moved = std::max(out_.moved, (p - exact).norm() + kRoundings * largest);
    return p;
  }
  [[nodiscard]] VertexId cut_between(VertexId a, VertexId b) const {
    const auto at = std::lower_bound(cut_.begin(), cut_.end(), cut_edge(a, b));
    return {static_cast<std::uint32_t>(welded_.points().size() +
                                       static_cast<std::size_t>(at - cut_.begin()))};
  }

  void add(TriangleId t) {
    const Triangle& v = welded_.triangle(t);
    const auto [low, high] = std::minmax({sign(v[0]), sign(v[1]), sign(v[2])});
    if (low >= 0 || high <= 0 || has_equal_corners(v)) {
      const int side = low < 0 ? -1 : high > 0 ? 1 : side_in_plane(v);
      return push(v, side, t);
    }
    // Turned so that the first corner is alone on its side, or the first is on the plane.
    std::size_t first = 0;
    const bool has_corner_on = sign(v[0]) == 0 || sign(v[1]) == 0 || sign(v[2]) == 0;
    while (has_corner_on ? sign(v[first]) != 0
                         : sign(v[first]) == sign(v[(first + 1) % 3]) ||
                               sign(v[first]) == sign(v[(first + 2) % 3])) {
      ++first;
    }
    const VertexId a = v[first], b = v[(first + 1) % 3], c = v[(first + 2) % 3];
    if (has_corner_on) {
      const VertexId m = cut_between(b, c);
      push({{a, b, m}}, sign(b), t);
      push({{a, m, c}}, sign(c), t);
      return;
    }
    const VertexId p = cut_between(a, b), q = cut_between(a, c);
    push({{a, p, q}}, sign(a), t);
    const auto length = [&](VertexId from, VertexId to) {
      return (out_.mesh.point(from) - out_.mesh.point(to)).squaredNorm();
    };
    if (length(p, c) <= length(b, q)) {
      push({{p, b, c}}, sign(b), t);
      push({{p, c, q}}, sign(b), t);
    } else {
      push({{p, b, q}}, sign(b), t);
      push({{b, c, q}}, sign(b), t);
    }
  }
  [[nodiscard]] int side_in_plane(const Triangle& v) const {
    const Point& a = welded_.point(v[0]);
    const Vector normal = (welded_.point(v[1]) - a).cross(welded_.point(v[2]) - a);
    return normal.dot(plane_.normal) >= 0 ? -1 : 1;
  }
  void push(const Triangle& v, int side, TriangleId parent) {
    out_.mesh.triangles.push_back(v);
    out_.side.push_back(static_cast<std::int8_t>(side));
    out_.parent.push_back(parent);
    if (!mesh_.patch_of.empty()) out_.mesh.patch_of.push_back(mesh_.patch_of[parent.value]);
  }

  const Mesh& mesh_;
  CutPlane plane_;
  const PlaneSplitOptions& options_;
  Welded welded_;
  std::vector<double> distance_;
  std::vector<std::int8_t> sign_;
  std::vector<CutEdge> cut_;  // sorted
  SplitMesh out_;
};

}  // namespace

int CutPlane::axis() const {
  for (int k = 0; k < 3; ++k) {
    if (normal[k] != 0 && normal[(k + 1) % 3] == 0 && normal[(k + 2) % 3] == 0) return k;
  }
  return -1;
}

double CutPlane::distance(const Point& p) const {
  if (const int k = axis(); k >= 0) return normal[k] > 0 ? p[k] - through[k] : through[k] - p[k];
  return normal.stableNormalized().dot(p - through);
}

SplitMesh split_by_plane(const Mesh& mesh, const CutPlane& plane,
                         const PlaneSplitOptions& options) {
  if (!plane.normal.allFinite() || !plane.through.allFinite() || plane.normal.isZero(0)) {
    throw ArgumentError("split_by_plane: a plane needs a finite point and a normal");
  }
  return PlaneSplitter(mesh, plane, options).run();
}

double rounding_off(const Mesh& mesh, const CutPlane& plane) {
  // Floats are off a tilted plane by what they are rounded; but 3e-15 for 0 can be a float, too.
  bool are_rounded_floats = plane.axis() < 0;
  double largest = plane.through.cwiseAbs().maxCoeff();
  for (const Point& p : mesh.points) {
    largest = std::max(largest, p.cwiseAbs().maxCoeff());
    are_rounded_floats = are_rounded_floats && rounded_to_float(p) == p;
  }
  constexpr double kFewFloatRoundings = 4 * 0x1p-24, kFewRoundings = 4 * 0x1p-53;
  return largest * (are_rounded_floats ? kFewFloatRoundings : kFewRoundings);
}

}  // namespace aguja
