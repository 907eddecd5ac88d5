#include "tests/support/brute_force.h"

#include <array>
#include <map>
#include <set>

#include <gmpxx.h>

namespace aguja::test {
namespace {

using Coordinates = std::array<double, 3>;
using Corners = std::array<int, 3>;
using Side = std::pair<int, int>;

struct Use {
  std::size_t triangle;
  bool forward;
};

bool is_collinear(const Coordinates& a, const Coordinates& b, const Coordinates& c) {
  mpq_class u[3], v[3];
  for (int i = 0; i < 3; ++i) {
    u[i] = mpq_class(b[i]) - mpq_class(a[i]);
    v[i] = mpq_class(c[i]) - mpq_class(a[i]);
  }
  return u[0] * v[1] == u[1] * v[0] && u[1] * v[2] == u[2] * v[1] && u[2] * v[0] == u[0] * v[2];
}

// Number of connected pieces among `items`, joined where `linked(a, b)`.
template <class Item, class Linked>
std::size_t pieces(const std::vector<Item>& items, const Linked& linked) {
  std::vector<bool> seen(items.size());
  std::size_t count = 0;
  for (std::size_t i = 0; i < items.size(); ++i) {
    if (seen[i]) continue;
    ++count;
    std::vector<std::size_t> open = {i};
    seen[i] = true;
    while (!open.empty()) {
      const std::size_t at = open.back();
      open.pop_back();
      for (std::size_t j = 0; j < items.size(); ++j) {
        if (seen[j] || !linked(items[at], items[j])) continue;
        seen[j] = true;
        open.push_back(j);
      }
    }
  }
  return count;
}

}  // namespace

Counts brute_force_counts(const Mesh& mesh) {
  std::map<Coordinates, int> vertex_of;
  std::vector<Coordinates> points;
  std::vector<int> welded;
  for (const Point& p : mesh.points) {
    const Coordinates key = {p.x() + 0.0, p.y() + 0.0, p.z() + 0.0};
    const auto [at, is_new] = vertex_of.try_emplace(key, static_cast<int>(points.size()));
    if (is_new) points.push_back(key);
    welded.push_back(at->second);
  }
  Counts counts;
  counts.triangles = mesh.triangles.size();
  counts.vertices = points.size();

  std::vector<Corners> triangles;  // those with three different corners
  std::map<Side, std::vector<Use>> edges;
  std::map<std::set<int>, std::size_t> same_corners;
  for (const Triangle& t : mesh.triangles) {
    const Corners c = {welded[t[0].value], welded[t[1].value], welded[t[2].value]};
    const bool equal = c[0] == c[1] || c[1] == c[2] || c[2] == c[0];
    counts.zero_area += equal || is_collinear(points[c[0]], points[c[1]], points[c[2]]);
    if (equal) continue;
    for (int i = 0; i < 3; ++i) {
      const int a = c[i], b = c[(i + 1) % 3];
      edges[{std::min(a, b), std::max(a, b)}].push_back({triangles.size(), a < b});
    }
    ++same_corners[{c.begin(), c.end()}];
    triangles.push_back(c);
  }
  for (const auto& [corners, times] : same_corners) counts.duplicates += times - 1;
  counts.edges = edges.size();
  std::vector<Side> naked;
  for (const auto& [side, uses] : edges) {
    if (uses.size() == 1) naked.push_back(side);
    counts.nonmanifold_edges += uses.size() > 2;
    counts.winding_conflicts += uses.size() == 2 && uses[0].forward == uses[1].forward;
  }
  counts.naked_edges = naked.size();

  const auto shared = [](const Corners& a, const Corners& b) {
    int count = 0;
    for (const int x : a) count += x == b[0] || x == b[1] || x == b[2];
    return count;
  };
  counts.components =
      pieces(triangles, [&](const Corners& a, const Corners& b) { return shared(a, b) >= 2; });
  for (int v = 0; v < static_cast<int>(points.size()); ++v) {
    std::vector<Corners> star;
    for (const Corners& c : triangles) {
      if (c[0] == v || c[1] == v || c[2] == v) star.push_back(c);
    }
    // Within a star all share v already: two shared corners are an edge at v.
    counts.nonmanifold_vertices +=
        pieces(star, [&](const Corners& a, const Corners& b) { return shared(a, b) >= 2; }) > 1;
  }
  std::map<int, int> naked_at;
  for (const Side& s : naked) {
    ++naked_at[s.first];
    ++naked_at[s.second];
  }
  // Chains pass through vertices with exactly two naked edges.
  counts.rims = pieces(naked, [&](const Side& a, const Side& b) {
    for (const int v : {a.first, a.second}) {
      if ((b.first == v || b.second == v) && naked_at[v] == 2) return true;
    }
    return false;
  });
  return counts;
}

}  // namespace aguja::test
