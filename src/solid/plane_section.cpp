#include "aguja/solid/plane_section.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

#include <Eigen/Geometry>

#include "geometry/small_matrix.h"

namespace aguja {
namespace {

class OutlineChains {
 public:
  OutlineChains(std::span<const Point> points, std::span<const Wire> edges, const Vector& normal)
      : points_(points), edges_(edges.begin(), edges.end()), normal_(normal) {
    std::sort(edges_.begin(), edges_.end());
    used_.assign(edges_.size(), false);
    for (const Wire& e : edges_) {
      ++surplus_[e[0].value];
      --surplus_[e[1].value];
    }
  }

  [[nodiscard]] std::vector<SectionOutline> run() {
    std::vector<SectionOutline> outlines;
    // First those that have a start.
    for (const bool closed : {false, true}) {
      for (std::size_t i = 0; i < edges_.size(); ++i) {
        while (!used_[i] && (closed || surplus_[edges_[i][0].value] > 0)) {
          if (!closed) --surplus_[edges_[i][0].value];
          outlines.push_back(follow(i));
          if (!closed) break;
        }
      }
    }
    return outlines;
  }

 private:
  [[nodiscard]] const Point& at(VertexId v) const { return points_[v.value]; }

  [[nodiscard]] SectionOutline follow(std::size_t first) {
    SectionOutline outline;
    const VertexId start = edges_[first][0];
    for (std::size_t edge = first;;) {
      used_[edge] = true;
      outline.points.push_back(at(edges_[edge][0]));
      outline.length += (at(edges_[edge][1]) - at(edges_[edge][0])).norm();
      if (edges_[edge][1] == start) {
        outline.is_closed = true;
        return outline;
      }
      const std::size_t next = next_of(edge);
      if (next == edges_.size()) {
        outline.points.push_back(at(edges_[edge][1]));
        return outline;
      }
      edge = next;
    }
  }
  // Of the ways on, the first clockwise from the one back: between them is material.
  [[nodiscard]] std::size_t next_of(std::size_t edge) const {
    const auto [from, to] = edges_[edge];
    std::size_t best = edges_.size();
    double least = 0;
    const auto begin = std::lower_bound(edges_.begin(), edges_.end(), Wire{to, VertexId{0}});
    for (auto e = begin; e != edges_.end() && (*e)[0] == to; ++e) {
      const auto i = static_cast<std::size_t>(e - edges_.begin());
      if (used_[i]) continue;
      const double turn = clockwise(at(from) - at(to), at((*e)[1]) - at(to));
      if (best != edges_.size() && turn >= least) continue;
      best = i;
      least = turn;
    }
    return best;
  }
  [[nodiscard]] double clockwise(const Vector& from, const Vector& to) const {
    const double angle = std::atan2(normal_.dot(to.cross(from)), from.dot(to));
    return angle > 0 ? angle : angle + 2 * std::numbers::pi;
  }

  std::span<const Point> points_;
  std::vector<Wire> edges_;
  Vector normal_;
  std::vector<bool> used_;
  std::map<std::uint32_t, int> surplus_;  // by vertex: how many more edges start than end there
};

// Sums over fans of triangles from the origin.
struct SectionSums {
  double area = 0;
  Vector first = Vector::Zero();
  Eigen::Matrix3d second = Eigen::Matrix3d::Zero();

  void add(const Vector& p, const Vector& q, const Vector& normal) {
    const double a = 0.5 * normal.dot(p.cross(q));
    const Vector sum = p + q;
    area += a;
    first += a / 3 * sum;
    second += a / 12 * (p * p.transpose() + q * q.transpose() + sum * sum.transpose());
  }
};

}  // namespace

bool PlaneSection::is_open() const {
  return std::any_of(outlines.begin(), outlines.end(),
                     [](const SectionOutline& o) { return !o.is_closed; });
}

std::array<double, 2> PlaneSection::main_moments() const {
  const PrincipalAxes axes = principal_axes(second_moments);
  return {axes.values[1], axes.values[2]};
}

PlaneSection section_of(std::span<const Point> points, std::span<const Wire> edges,
                        const CutPlane& plane) {
  PlaneSection section;
  section.plane = plane;
  const Vector normal = plane.normal.stableNormalized();
  section.outlines = OutlineChains(points, edges, normal).run();
  Box box;
  for (const SectionOutline& o : section.outlines) {
    for (const Point& p : o.points) box.extend(p);
  }
  const Point origin = box.center();
  SectionSums sums;
  Vector along = Vector::Zero();
  for (SectionOutline& o : section.outlines) {
    SectionSums own;
    const std::size_t n = o.points.size();
    for (std::size_t i = 0; i + (o.is_closed ? 0 : 1) < n; ++i) {
      const Vector p = o.points[i] - origin, q = o.points[(i + 1) % n] - origin;
      if (o.is_closed) own.add(p, q, normal);
      along += 0.5 * (q - p).norm() * (p + q);
    }
    o.area = own.area;
    section.length += o.length;
    sums.area += own.area;
    sums.first += own.first;
    sums.second += own.second;
  }
  section.area = section.is_open() ? 0 : sums.area;
  if (section.area != 0) {
    const Vector mean = sums.first / sums.area;
    section.centroid = origin + mean;
    section.second_moments = sums.second - sums.area * mean * mean.transpose();
  } else if (section.length > 0) {
    section.centroid = origin + along / section.length;
  }
  std::stable_sort(
      section.outlines.begin(), section.outlines.end(),
      [](const SectionOutline& a, const SectionOutline& b) { return a.length > b.length; });
  return section;
}

}  // namespace aguja
