#include "geometry/point_removal.h"

#include <algorithm>

#include "aguja/geometry/predicates.h"

namespace aguja {

PointRemoval::PointRemoval(std::span<const PlanarPoint> points,
                           std::vector<std::array<std::uint32_t, 3>>& triangles)
    : points_(points), triangles_(triangles), about_(points.size()) {
  for (std::uint32_t t = 0; t < triangles.size(); ++t) {
    for (const std::uint32_t v : triangles[t]) about_[v].push_back(t);
  }
}

std::span<const std::uint32_t> PointRemoval::remove(std::uint32_t point) {
  if (!find_rim(point) || !divide_hole()) return {};
  const std::vector<std::uint32_t> old = std::move(about_[point]);
  about_[point].clear();
  for (const std::uint32_t t : old) {
    for (const std::uint32_t v : triangles_[t]) {
      if (v != point) unlink(v, t);
    }
    triangles_[t].fill(point);
  }
  numbers_.assign(old.begin(), old.begin() + static_cast<std::ptrdiff_t>(divided_.size()));
  for (std::size_t i = 0; i < numbers_.size(); ++i) {
    triangles_[numbers_[i]] = divided_[i];
    for (const std::uint32_t v : divided_[i]) about_[v].push_back(numbers_[i]);
  }
  return numbers_;
}

void PointRemoval::sweep() { std::erase_if(triangles_, is_gone); }

// What the triangles about the point have opposite of it, as one closed way.
bool PointRemoval::find_rim(std::uint32_t point) {
  const std::vector<std::uint32_t>& about = about_[point];
  const auto side_of = [&](std::uint32_t t) -> PlanarEdge {
    const auto& c = triangles_[t];
    const std::size_t own = c[0] == point ? 0 : c[1] == point ? 1 : 2;
    return {c[(own + 1) % 3], c[(own + 2) % 3]};
  };
  rim_.clear();
  if (about.size() < 3) return false;
  const std::uint32_t first = side_of(about[0])[0];
  std::uint32_t at = first;
  do {
    const auto next = std::find_if(about.begin(), about.end(),
                                   [&](std::uint32_t t) { return side_of(t)[0] == at; });
    if (next == about.end() || rim_.size() == about.size()) return false;
    rim_.push_back(at);
    at = side_of(*next)[1];
  } while (at != first);
  return rim_.size() == about.size();
}

bool PointRemoval::divide_hole() {
  divided_.clear();
  while (rim_.size() > 3) {
    std::size_t ear = rim_.size();
    for (const bool empty_circle : {true, false}) {
      for (std::size_t i = 0; i < rim_.size() && ear == rim_.size(); ++i) {
        if (is_ear(i, empty_circle)) ear = i;
      }
    }
    if (ear == rim_.size()) return false;
    const std::size_t n = rim_.size();
    divided_.push_back({rim_[(ear + n - 1) % n], rim_[ear], rim_[(ear + 1) % n]});
    rim_.erase(rim_.begin() + static_cast<std::ptrdiff_t>(ear));
  }
  divided_.push_back({rim_[0], rim_[1], rim_[2]});
  const PlanarPoint &a = points_[rim_[0]], &b = points_[rim_[1]], &c = points_[rim_[2]];
  return orient2d(a.x(), a.y(), b.x(), b.y(), c.x(), c.y()) > 0;
}

bool PointRemoval::is_ear(std::size_t at, bool empty_circle) const {
  const std::size_t n = rim_.size();
  const std::size_t before = (at + n - 1) % n, after = (at + 1) % n;
  const PlanarPoint &a = points_[rim_[before]], &b = points_[rim_[at]], &c = points_[rim_[after]];
  const auto side = [](const PlanarPoint& p, const PlanarPoint& q, const PlanarPoint& r) {
    return orient2d(p.x(), p.y(), q.x(), q.y(), r.x(), r.y());
  };
  if (side(a, b, c) <= 0) return false;
  for (std::size_t i = 0; i < n; ++i) {
    if (i == before || i == at || i == after) continue;
    const PlanarPoint& p = points_[rim_[i]];
    if (empty_circle ? in_circle(a.x(), a.y(), b.x(), b.y(), c.x(), c.y(), p.x(), p.y()) > 0
                     : side(a, b, p) >= 0 && side(b, c, p) >= 0 && side(c, a, p) >= 0) {
      return false;
    }
  }
  return true;
}

void PointRemoval::unlink(std::uint32_t point, std::uint32_t triangle) {
  std::vector<std::uint32_t>& about = about_[point];
  about.erase(std::find(about.begin(), about.end(), triangle));
}

}  // namespace aguja
