#include "mend/fill_division.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <set>
#include <unordered_map>

#include <Eigen/Geometry>

#include "aguja/geometry/planar_triangulation.h"
#include "aguja/geometry/predicates.h"
#include "base/numbers.h"

namespace aguja {
namespace {

// ---- Least area.

// Loops longer than this are cut in two.
constexpr std::size_t kLongest = 160;

class TautDivider {
 public:
  TautDivider(std::span<const Point> points, const MayJoin& may_join)
      : points_(points), may_join_(may_join) {}

  bool divide(const DraftLoop& loop) {
    if (loop.size() <= kLongest) return divide_small(loop);
    const auto [i, j] = chord(loop);
    if (i == j) return false;
    const auto at = [&](std::size_t k) { return loop.begin() + static_cast<std::ptrdiff_t>(k); };
    const DraftLoop inner(at(i), at(j + 1));
    DraftLoop outer(at(j), loop.end());
    outer.insert(outer.end(), loop.begin(), at(i + 1));
    return divide(inner) && divide(outer);
  }
  std::vector<DraftTriangle> triangles;

 private:
  // A short chord that leaves a quarter of the loop at least on each side.
  [[nodiscard]] std::pair<std::size_t, std::size_t> chord(const DraftLoop& loop) const {
    const std::size_t n = loop.size();
    const std::size_t step = std::max<std::size_t>(1, n / 700);
    double best = kInfinity;
    std::pair<std::size_t, std::size_t> found{0, 0};
    for (std::size_t i = 0; i < n; i += step) {
      for (std::size_t j = i + n / 4; j <= i + n - n / 4 && j < n; j += step) {
        const double d = (points_[loop[i]] - points_[loop[j]]).squaredNorm();
        if (d > 0 && d < best && may_join_(loop[i], loop[j])) {
          best = d;
          found = {i, j};
        }
      }
    }
    return found;
  }

  [[nodiscard]] double weight(std::uint32_t a, std::uint32_t b, std::uint32_t c) const {
    const Vector ab = points_[b] - points_[a], ac = points_[c] - points_[a];
    const double area = ab.cross(ac).norm();
    const double longest = std::max({ab.squaredNorm(), ac.squaredNorm(), (ab - ac).squaredNorm()});
    // Only what is nearly flat is worth the exact question.
    constexpr double kNearlyFlat = 1e-12;
    if (area < kNearlyFlat * longest && is_collinear(points_[a], points_[b], points_[c]))
      return kInfinity;
    // The square of the longest side keeps ties from slivers, and costs next to nothing else.
    constexpr double kOfLongest = 1e-3;
    return area + kOfLongest * longest;
  }

  bool divide_small(const DraftLoop& loop) {
    const std::size_t n = loop.size();
    std::vector<double> cost(n * n, 0);
    std::vector<std::uint32_t> apex(n * n, 0);
    std::vector<char> allowed(n * n, 1);
    for (std::size_t i = 0; i < n; ++i) {
      for (std::size_t j = i + 2; j < n; ++j) {
        if (i == 0 && j == n - 1) continue;
        allowed[i * n + j] = static_cast<char>(may_join_(loop[i], loop[j]));
      }
    }
    for (std::size_t span = 2; span < n; ++span) {
      for (std::size_t i = 0; i + span < n; ++i) {
        const std::size_t j = i + span;
        double best = kInfinity;
        std::uint32_t at = 0;
        for (std::size_t k = i + 1; k < j && allowed[i * n + j] != 0; ++k) {
          const double parts = cost[i * n + k] + cost[k * n + j];
          if (parts >= best) continue;
          const double all = parts + weight(loop[i], loop[k], loop[j]);
          if (all < best) {
            best = all;
            at = static_cast<std::uint32_t>(k);
          }
        }
        cost[i * n + j] = best;
        apex[i * n + j] = at;
      }
    }
    if (!(cost[n - 1] < kInfinity)) return false;
    std::vector<std::pair<std::size_t, std::size_t>> open = {{0, n - 1}};
    while (!open.empty()) {
      const auto [i, j] = open.back();
      open.pop_back();
      if (j - i < 2) continue;
      const std::size_t k = apex[i * n + j];
      triangles.push_back({loop[i], loop[k], loop[j]});
      open.emplace_back(i, k);
      open.emplace_back(k, j);
    }
    return true;
  }

  std::span<const Point> points_;
  const MayJoin& may_join_;
};

// ---- Edges of a draft.

std::uint64_t edge_key(std::uint32_t a, std::uint32_t b) {
  return (std::uint64_t{std::min(a, b)} << 32) | std::max(a, b);
}

// Which triangles are at each edge: at most two.
struct DraftEdges {
  struct Uses {
    std::uint32_t triangle[2] = {kNone, kNone};
  };
  static constexpr std::uint32_t kNone = 0xFFFFFFFFu;
  std::unordered_map<std::uint64_t, Uses> uses;

  explicit DraftEdges(const std::vector<DraftTriangle>& triangles) {
    uses.reserve(2 * triangles.size());
    for (std::uint32_t t = 0; t < triangles.size(); ++t) add(t, triangles[t]);
  }
  void add(std::uint32_t t, const DraftTriangle& triangle) {
    for (std::size_t c = 0; c < 3; ++c) {
      Uses& u = uses[edge_key(triangle[c], triangle[(c + 1) % 3])];
      (u.triangle[0] == kNone ? u.triangle[0] : u.triangle[1]) = t;
    }
  }
  void remove(std::uint32_t t, const DraftTriangle& triangle) {
    for (std::size_t c = 0; c < 3; ++c) {
      const auto at = uses.find(edge_key(triangle[c], triangle[(c + 1) % 3]));
      Uses& u = at->second;
      if (u.triangle[0] == t) u.triangle[0] = u.triangle[1];
      u.triangle[1] = kNone;
      if (u.triangle[0] == kNone) uses.erase(at);
    }
  }
};

Vector normal_of(const std::vector<Point>& p, const DraftTriangle& t) {
  return (p[t[1]] - p[t[0]]).cross(p[t[2]] - p[t[0]]);
}

class Refiner {
 public:
  Refiner(Draft& draft, const RefineRules& rules)
      : draft_(draft), rules_(rules), edges_(draft.triangles) {
    // A round rim of n equal sides takes n * n / 12; one with sides a thousand times as long as
    // others would take without end.
    if (!rules.off) {
      const std::size_t n = draft.points.size();
      most_points_ = std::clamp(n * n / 4, kFewPoints, kMostPoints);
    }
  }

  void run() {
    flip_all();
    for (int pass = 0; pass < kMostPasses; ++pass) {
      if (split_long() == 0) break;
      flip_all();
      smooth();
      flip_all();
    }
  }

 private:
  static constexpr int kMostPasses = 14;
  static constexpr std::size_t kFewPoints = 1000, kMostPoints = 60000;
  static constexpr double kLong = 1.5;

  std::size_t split_long() {
    struct Candidate {
      double length;
      std::uint64_t edge;
    };
    std::vector<Candidate> candidates;
    for (const auto& [key, uses] : edges_.uses) {
      if (uses.triangle[1] == DraftEdges::kNone) continue;
      const auto a = static_cast<std::uint32_t>(key >> 32), b = static_cast<std::uint32_t>(key);
      const double length = (draft_.points[a] - draft_.points[b]).norm();
      const double wanted = 0.5 * (draft_.size[a] + draft_.size[b]);
      if (length > kLong * wanted || is_off(a, b)) candidates.push_back({length, key});
    }
    std::sort(candidates.begin(), candidates.end(), [](const Candidate& x, const Candidate& y) {
      return x.length != y.length ? x.length > y.length : x.edge < y.edge;
    });
    std::set<std::uint32_t> touched;
    std::size_t count = 0;
    for (const Candidate& c : candidates) {
      if (draft_.points.size() >= most_points_) break;
      const auto [t, u] =
          std::pair(edges_.uses[c.edge].triangle[0], edges_.uses[c.edge].triangle[1]);
      if (touched.contains(t) || touched.contains(u)) continue;
      touched.insert(t);
      touched.insert(u);
      split(c.edge, t, u);
      ++count;
    }
    return count;
  }

  [[nodiscard]] Point place(const Point& p) const { return rules_.place ? rules_.place(p) : p; }
  [[nodiscard]] double off(std::uint32_t a, std::uint32_t b) const {
    return std::fabs(rules_.off(0.5 * (draft_.points[a] + draft_.points[b])));
  }
  [[nodiscard]] bool is_off(std::uint32_t a, std::uint32_t b) const {
    return rules_.off && off(a, b) > rules_.most_off;
  }

  void replace(std::uint32_t t, const DraftTriangle& with) {
    draft_.triangles[t] = with;
    edges_.add(t, with);
  }

  void split(std::uint64_t key, std::uint32_t t, std::uint32_t u) {
    const auto a = static_cast<std::uint32_t>(key >> 32), b = static_cast<std::uint32_t>(key);
    const std::uint32_t m = draft_.add(place(0.5 * (draft_.points[a] + draft_.points[b])),
                                       0.5 * (draft_.size[a] + draft_.size[b]), false);
    for (const std::uint32_t old : {t, u}) {
      const DraftTriangle tri = draft_.triangles[old];
      edges_.remove(old, tri);
      DraftTriangle first = tri, second = tri;
      for (std::size_t c = 0; c < 3; ++c) {
        if (first[c] == a) first[c] = m;
        if (second[c] == b) second[c] = m;
      }
      replace(old, first);
      draft_.triangles.push_back(second);
      edges_.add(static_cast<std::uint32_t>(draft_.triangles.size() - 1), second);
    }
  }

  void flip_all() {
    for (int round = 0; round < 8; ++round) {
      std::vector<std::uint64_t> keys;
      for (const auto& [key, uses] : edges_.uses) {
        if (uses.triangle[1] != DraftEdges::kNone) keys.push_back(key);
      }
      std::sort(keys.begin(), keys.end());
      std::size_t flips = 0;
      for (const std::uint64_t key : keys) flips += static_cast<std::size_t>(flip(key));
      if (flips == 0) return;
    }
  }

  // Flips if the two angles opposite the edge add up to more than half a turn, and the surface
  // does not turn more sharply for it.
  bool flip(std::uint64_t key) {
    const auto at = edges_.uses.find(key);
    if (at == edges_.uses.end() || at->second.triangle[1] == DraftEdges::kNone) return false;
    const std::uint32_t t = at->second.triangle[0], u = at->second.triangle[1];
    const DraftTriangle first = draft_.triangles[t], second = draft_.triangles[u];
    const auto a = static_cast<std::uint32_t>(key >> 32), b = static_cast<std::uint32_t>(key);
    const auto apex_of = [&](const DraftTriangle& tri) {
      for (const std::uint32_t v : tri) {
        if (v != a && v != b) return v;
      }
      return a;
    };
    const std::uint32_t p = apex_of(first), q = apex_of(second);
    if (p == q || edges_.uses.contains(edge_key(p, q))) return false;
    const auto angle = [&](std::uint32_t v) {
      const Vector x = draft_.points[a] - draft_.points[v], y = draft_.points[b] - draft_.points[v];
      return std::atan2(x.cross(y).norm(), x.dot(y));
    };
    const double angles = angle(p) + angle(q);
    constexpr double kOffNoise = 1e-3;               // of the most that is allowed
    constexpr double kHalfTurn = M_PI * (1 + 1e-9);  // rounding of two angles
    if (rules_.off) {
      // The edge that lies nearer to the surface, if one clearly does.
      const double now = off(a, b), then = off(p, q), noise = kOffNoise * rules_.most_off;
      if (then > 0.9 * now + noise && (now <= 0.9 * then + noise || angles <= kHalfTurn)) {
        return false;
      }
      if (then > 1.1 * now + noise) return false;
    } else if (angles <= kHalfTurn) {
      return false;
    }
    // The direction of the sides: in `first` the edge runs from x to y.
    std::uint32_t x = a, y = b;
    for (std::size_t c = 0; c < 3; ++c) {
      if (first[c] == b && first[(c + 1) % 3] == a) x = b, y = a;
    }
    const DraftTriangle one = {p, x, q}, two = {q, y, p};
    const Vector n0 = normal_of(draft_.points, first).normalized();
    const Vector n1 = normal_of(draft_.points, second).normalized();
    const Vector m0 = normal_of(draft_.points, one), m1 = normal_of(draft_.points, two);
    if (!(m0.norm() > 0) || !(m1.norm() > 0)) return false;
    if (m0.dot(n0 + n1) <= 0 || m1.dot(n0 + n1) <= 0) return false;
    if (m0.normalized().dot(m1.normalized()) < std::min(n0.dot(n1), 0.5)) return false;
    const auto flat = [&](const DraftTriangle& tri) {
      return is_collinear(draft_.points[tri[0]], draft_.points[tri[1]], draft_.points[tri[2]]);
    };
    if (flat(one) || flat(two) || !rules_.may_join(p, q)) return false;
    edges_.remove(t, first);
    edges_.remove(u, second);
    replace(t, one);
    replace(u, two);
    return true;
  }

  // New points go to the middle of their neighbours where no triangle turns over for it.
  void smooth() {
    std::vector<std::vector<std::uint32_t>> star(draft_.points.size());
    for (std::uint32_t t = 0; t < draft_.triangles.size(); ++t) {
      for (const std::uint32_t v : draft_.triangles[t]) star[v].push_back(t);
    }
    for (std::uint32_t v = 0; v < draft_.points.size(); ++v) {
      if (draft_.fixed[v] || star[v].empty()) continue;
      Point sum = Point::Zero();
      Vector normal = Vector::Zero();
      for (const std::uint32_t t : star[v]) {
        normal += normal_of(draft_.points, draft_.triangles[t]);
        for (const std::uint32_t w : draft_.triangles[t]) {
          if (w != v) sum += draft_.points[w];
        }
      }
      const Point old = draft_.points[v];
      draft_.points[v] = place(sum / (2.0 * static_cast<double>(star[v].size())));
      constexpr double kTurnedCosine = 1e-3;  // on its edge, as seen from the mean
      const bool turned = std::any_of(star[v].begin(), star[v].end(), [&](std::uint32_t t) {
        const Vector n = normal_of(draft_.points, draft_.triangles[t]);
        return n.dot(normal) <= kTurnedCosine * n.norm() * normal.norm();
      });
      if (turned) draft_.points[v] = old;
    }
  }

  Draft& draft_;
  const RefineRules& rules_;
  std::size_t most_points_ = kMostPoints;
  DraftEdges edges_;
};

}  // namespace

std::optional<std::vector<DraftTriangle>> divide_taut(std::span<const Point> points,
                                                      const DraftLoop& loop,
                                                      const MayJoin& may_join) {
  if (loop.size() < 3) return std::nullopt;
  TautDivider divider(points, may_join);
  if (!divider.divide(loop)) return std::nullopt;
  return std::move(divider.triangles);
}

std::optional<std::vector<DraftTriangle>> divide_flat(std::span<const Point> points,
                                                      std::span<const DraftLoop> loops,
                                                      const Vector& normal,
                                                      const MayJoin& may_join) {
  Eigen::Index axis = 0;
  normal.cwiseAbs().maxCoeff(&axis);
  Eigen::Index x = (axis + 1) % 3, y = (axis + 2) % 3;
  if (normal[axis] < 0) std::swap(x, y);
  std::vector<PlanarPoint> flat;
  std::vector<std::uint32_t> of_draft;
  std::vector<PlanarEdge> sides;
  for (const DraftLoop& loop : loops) {
    const auto first = static_cast<std::uint32_t>(flat.size());
    const auto count = static_cast<std::uint32_t>(loop.size());
    for (std::uint32_t i = 0; i < count; ++i) {
      flat.emplace_back(points[loop[i]][x], points[loop[i]][y]);
      of_draft.push_back(loop[i]);
      sides.push_back({first + i, first + (i + 1) % count});
    }
  }
  const PlanarTriangulation division = triangulate(flat, sides);
  if (!division.refused.empty() || division.constrained.size() != sides.size()) return std::nullopt;
  // Inside is left of the sides, and whatever hangs together with that without crossing one.
  std::map<PlanarEdge, std::uint32_t> left_of;
  for (std::uint32_t t = 0; t < division.triangles.size(); ++t) {
    const auto& tri = division.triangles[t];
    for (std::size_t c = 0; c < 3; ++c) left_of[{tri[c], tri[(c + 1) % 3]}] = t;
  }
  std::set<PlanarEdge> border(sides.begin(), sides.end());
  std::vector<bool> inside(division.triangles.size());
  std::vector<std::uint32_t> open;
  for (const PlanarEdge& side : sides) {
    const auto at = left_of.find(side);
    if (at == left_of.end()) return std::nullopt;  // turned: it lies outside of the hull
    if (!inside[at->second]) open.push_back(at->second);
    inside[at->second] = true;
  }
  while (!open.empty()) {
    const auto tri = division.triangles[open.back()];
    open.pop_back();
    for (std::size_t c = 0; c < 3; ++c) {
      const PlanarEdge side = {tri[c], tri[(c + 1) % 3]};
      const PlanarEdge opposite = {side[1], side[0]};
      if (border.contains(side)) continue;
      if (border.contains(opposite)) return std::nullopt;  // the loop runs the wrong way
      const auto at = left_of.find(opposite);
      if (at == left_of.end()) return std::nullopt;
      if (!inside[at->second]) open.push_back(at->second);
      inside[at->second] = true;
    }
  }
  std::vector<DraftTriangle> triangles;
  for (std::size_t t = 0; t < inside.size(); ++t) {
    if (!inside[t]) continue;
    const auto& tri = division.triangles[t];
    for (std::size_t c = 0; c < 3; ++c) {
      const PlanarEdge side = {tri[c], tri[(c + 1) % 3]};
      if (!border.contains(side) && !may_join(of_draft[side[0]], of_draft[side[1]])) {
        return std::nullopt;
      }
    }
    triangles.push_back({of_draft[tri[0]], of_draft[tri[1]], of_draft[tri[2]]});
  }
  return triangles;
}

std::optional<std::vector<DraftTriangle>> divide_strip(std::span<const Point> points,
                                                       const DraftLoop& first,
                                                       const DraftLoop& second,
                                                       const MayJoin& may_join) {
  const std::size_t m = first.size(), n = second.size();
  if (m + n < 3 || m == 0 || n == 0 || m * n > std::size_t{1} << 26) return std::nullopt;
  // The least cost of having come to the edge between first[i] and second[j].
  std::vector<double> cost(m * n, kInfinity);
  std::vector<char> came(m * n, 0);
  const bool closed_first = m > 1 && first.front() == first.back();
  const bool closed_second = n > 1 && second.front() == second.back();
  const auto across = [&](std::size_t i, std::size_t j) {
    if (first[i] == second[j]) return 0.0;
    const bool end = (i == 0 && j == 0) || (i == m - 1 && j == n - 1);
    // The ends of an open strip may lie on edges that are there; those of a ring must not.
    if ((!end || closed_first || closed_second) && !may_join(first[i], second[j])) return kInfinity;
    return (points[first[i]] - points[second[j]]).norm();
  };
  const auto flat = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c) {
    return a == b || b == c || c == a || is_collinear(points[a], points[b], points[c]);
  };
  cost[0] = 0;
  for (std::size_t i = 0; i < m; ++i) {
    for (std::size_t j = 0; j < n; ++j) {
      if (i == 0 && j == 0) continue;
      const double own = across(i, j);
      double best = kInfinity;
      if (i > 0 && cost[(i - 1) * n + j] < best && !flat(first[i - 1], first[i], second[j])) {
        best = cost[(i - 1) * n + j];
        came[i * n + j] = 1;
      }
      if (j > 0 && cost[i * n + j - 1] < best && !flat(first[i], second[j], second[j - 1])) {
        best = cost[i * n + j - 1];
        came[i * n + j] = 2;
      }
      cost[i * n + j] = best + own;
    }
  }
  if (!(cost[m * n - 1] < kInfinity)) return std::nullopt;
  std::vector<DraftTriangle> triangles;
  for (std::size_t i = m - 1, j = n - 1; i > 0 || j > 0;) {
    if (came[i * n + j] == 1) {
      triangles.push_back({first[i - 1], first[i], second[j]});
      --i;
    } else {
      triangles.push_back({first[i], second[j], second[j - 1]});
      --j;
    }
  }
  std::reverse(triangles.begin(), triangles.end());
  return triangles;
}

void refine(Draft& draft, const RefineRules& rules) { Refiner(draft, rules).run(); }

}  // namespace aguja
