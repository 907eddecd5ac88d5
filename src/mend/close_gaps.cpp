#include "aguja/mend/close_gaps.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

#include "aguja/base/error.h"
#include "aguja/mend/fill.h"
#include "aguja/mend/stitch.h"
#include "base/short_text.h"
#include "mend/fill_division.h"

namespace aguja {
namespace {

constexpr std::array<std::string_view, 3> kGapMethods = {"auto", "move", "strip"};

// Chains of naked edges of the triangles, running as filling triangles will.
std::vector<std::vector<VertexId>> chains_of(const Mesh& mesh, const EdgeTable& edges,
                                             std::span<const TriangleId> triangles) {
  std::map<VertexId, VertexId> next;
  std::set<VertexId> has_previous;
  for (const TriangleId t : triangles) {
    const Triangle& tri = mesh.triangle(t);
    for (std::size_t c = 0; c < 3; ++c) {
      const auto e = edges.find(tri[c], tri[(c + 1) % 3]);
      if (!e || !edges.is_naked(*e)) continue;
      next[tri[(c + 1) % 3]] = tri[c];
      has_previous.insert(tri[c]);
    }
  }
  std::vector<std::vector<VertexId>> chains;
  const auto follow = [&](VertexId from) {
    std::vector<VertexId> chain = {from};
    for (auto at = next.find(from); at != next.end(); at = next.find(chain.back())) {
      chain.push_back(at->second);
      next.erase(at);
    }
    chains.push_back(std::move(chain));
  };
  const auto copy = next;
  for (const auto& [from, to] : copy) {
    if (!has_previous.contains(from)) follow(from);
  }
  while (!next.empty()) follow(next.begin()->first);
  return chains;
}

Change strip(const Mesh& mesh, std::span<const TriangleId> triangles, double width,
             const Budget& budget) {
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  const auto refuse = [&](RefusalReason reason, const std::string& detail) {
    Change nothing = unchanged(mesh, budget);
    const Point place =
        triangles.empty() ? Point(Point::Zero()) : mesh.point(mesh.triangle(triangles[0])[0]);
    nothing.refused.push_back({reason, place, detail});
    return nothing;
  };
  const auto chains = chains_of(mesh, edges, triangles);
  if (chains.empty() || chains.size() > 2) {
    return refuse(RefusalReason::does_not_apply,
                  "a strip needs two sides; there are " + std::to_string(chains.size()));
  }
  const auto is_loop = [](const std::vector<VertexId>& c) { return c.front() == c.back(); };
  FillOptions options;
  options.method = FillMethod::ruled;
  options.refine = false;
  const Filler filler(mesh, 0.0);
  if (chains.size() == 1 || (is_loop(chains[0]) && is_loop(chains[1]))) {
    Opening opening;
    for (const auto& chain : chains) {
      if (is_loop(chain)) {
        opening.loops.emplace_back(chain.begin(), chain.end() - 1);
        continue;
      }
      // Both sides and one end: the other end is a short edge that faces nothing.
      const Loops around = find_loops(mesh.points, mesh.triangles, edges);
      const auto whole =
          std::find_if(around.loops.begin(), around.loops.end(), [&](const Loop& loop) {
            return std::all_of(chain.begin(), chain.end(), [&](VertexId v) {
              return std::find(loop.begin(), loop.end(), v) != loop.end();
            });
          });
      if (whole == around.loops.end()) {
        return refuse(RefusalReason::does_not_apply, "its one side is no closed loop");
      }
      opening.loops.push_back(*whole);
    }
    if (opening.loops.size() == 1 && opening.loops[0].size() < 4) {
      options.method = FillMethod::taut;
    }
    return fill(mesh, std::span(&opening, 1), options, budget);
  }
  // Two open sides: both run as the triangles between them will.
  std::vector<Point> points;
  DraftLoop first, second;
  std::vector<VertexId> vertices;
  for (std::size_t k = 0; k < 2; ++k) {
    for (const VertexId v : chains[k]) {
      (k == 0 ? first : second).push_back(static_cast<std::uint32_t>(points.size()));
      points.push_back(mesh.point(v));
      vertices.push_back(v);
    }
  }
  std::reverse(second.begin(), second.end());
  // Ends that meet already are one vertex: the strip begins beyond it.
  if (vertices[first.front()] == vertices[second.front()]) second.erase(second.begin());
  if (!second.empty() && vertices[first.back()] == vertices[second.back()]) second.pop_back();
  const MayJoin may_join = [&](std::uint32_t a, std::uint32_t b) {
    return !edges.find(vertices[a], vertices[b]);
  };
  const auto division = divide_strip(points, first, second, may_join);
  if (!division) return refuse(RefusalReason::does_not_apply, "its sides cannot be joined");
  Fill made;
  made.method = FillMethod::ruled;
  made.why = "a strip between two sides";
  double widest = 0;
  for (const DraftTriangle& t : *division) {
    made.triangles.push_back({{vertices[t[0]], vertices[t[1]], vertices[t[2]]}});
    for (std::size_t c = 0; c < 3; ++c) {
      const bool across = (t[c] < chains[0].size()) != (t[(c + 1) % 3] < chains[0].size());
      if (across) widest = std::max(widest, (points[t[c]] - points[t[(c + 1) % 3]]).norm());
    }
  }
  if (widest > 3 * width) {
    return refuse(RefusalReason::does_not_apply,
                  "its sides are up to " + short_text(widest) + " apart");
  }
  return add_fills(KnownMesh(mesh), std::span(&made, 1), budget);
}

}  // namespace

std::string_view slug(GapMethod method) { return kGapMethods.at(static_cast<std::size_t>(method)); }
std::optional<GapMethod> parse_gap_method(std::string_view slug) {
  for (std::size_t i = 0; i < kGapMethods.size(); ++i) {
    if (kGapMethods[i] == slug) return static_cast<GapMethod>(i);
  }
  return std::nullopt;
}

Change close_gap(const Mesh& mesh, std::span<const TriangleId> triangles, const GapOptions& options,
                 const Budget& budget, Progress* progress) {
  if (!(options.width >= 0) || !std::isfinite(options.width)) {
    throw ArgumentError("close-gaps: the width must be a finite length of 0 or more");
  }
  const Mesh distinct = with_distinct_points(mesh);
  double spent = 0;
  for (const TriangleId t : triangles) spent = std::max(spent, budget.spent_at(t));
  const bool fits = options.width <= budget.distance - spent;
  if (options.method == GapMethod::move || (options.method == GapMethod::automatic && fits)) {
    if (!fits) {
      Change nothing = unchanged(distinct, budget);
      nothing.refused.push_back(
          beyond_budget(distinct.point(distinct.triangle(triangles[0])[0]), options.width + spent));
      return nothing;
    }
    Change moved =
        as_change(stitch(distinct, options.width, {.only = triangles}, nullptr, progress), budget);
    if (moved.done > 0 || options.method == GapMethod::move) return moved;
  }
  return strip(distinct, triangles, options.width, budget);
}

}  // namespace aguja
