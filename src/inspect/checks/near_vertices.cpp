// near-vertices, hanging-vertex: vertices that nearly meet another vertex or a naked edge.

#include <algorithm>
#include <cmath>
#include <limits>
#include <span>
#include <unordered_set>

#include "aguja/geometry/capsule_tree.h"
#include "base/numbers.h"
#include "base/parallel_algorithms.h"
#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

using NearVertices = std::array<VertexId, 2>;

// Also where squares are beyond all numbers.
double apart(const Point& a, const Point& b) {
  const Vector d = a - b;
  const double plain = d.norm();
  return std::isfinite(plain) ? plain : d.stableNorm();
}

// Pairs of used vertices within `reach` that may not be so near, the lower number first. A vertex is
// put into every cell of a coarse grid that its surroundings touch, so that only equal cells are
// compared.
class NearPairs {
 public:
  NearPairs(const Anatomy& a, const std::vector<bool>& used, const std::vector<bool>& naked,
            double reach)
      : a_(a), used_(used), naked_(naked), reach_(reach) {}

  [[nodiscard]] std::vector<NearVertices> find() const {
    constexpr double kCoarse = 64;
    // Not beyond the largest number.
    const double size = std::min(kCoarse * reach_, std::numeric_limits<double>::max());
    const std::vector<Entry> entries = entries_of(size);
    std::vector<NearVertices> pairs;
    std::vector<VertexId> cell;
    for (std::size_t begin = 0, end = 0; begin < entries.size(); begin = end) {
      cell.clear();
      for (; end < entries.size() && entries[end].cell == entries[begin].cell; ++end) {
        cell.push_back({entries[end].vertex});
      }
      if (cell.size() <= kFew) {
        for (std::size_t i = 0; i < cell.size(); ++i) {
          for (std::size_t j = i + 1; j < cell.size(); ++j) add(cell[i], cell[j], pairs);
        }
      } else {
        compare_many(cell, pairs);
      }
    }
    std::sort(pairs.begin(), pairs.end());
    pairs.erase(std::unique(pairs.begin(), pairs.end()), pairs.end());
    return pairs;
  }

 private:
  struct Entry {
    std::uint64_t cell;
    std::uint32_t vertex;
    auto operator<=>(const Entry&) const = default;
  };
  // So many in a coarse cell are all compared.
  static constexpr std::size_t kFew = 256;
  // Of so many that crowd within reach, each is held against the next of them only: they are one
  // group all the same.
  static constexpr std::size_t kMostLookedAt = 256;

  using Cell = std::array<std::int64_t, 3>;
  [[nodiscard]] static std::uint64_t hash(const Cell& cell) {
    std::uint64_t h = static_cast<std::uint64_t>(cell[0]) * 0x9E3779B97F4A7C15U;
    h = (h ^ (h >> 29)) + static_cast<std::uint64_t>(cell[1]) * 0xBF58476D1CE4E5B9U;
    h = (h ^ (h >> 31)) + static_cast<std::uint64_t>(cell[2]) * 0x94D049BB133111EBU;
    return h ^ (h >> 30);
  }
  template <class Visit>
  static void for_each_cell(const Cell& first, const Cell& last, const Visit& visit) {
    for (std::int64_t x = first[0]; x <= last[0]; ++x) {
      for (std::int64_t y = first[1]; y <= last[1]; ++y) {
        for (std::int64_t z = first[2]; z <= last[2]; ++z) visit(hash({x, y, z}));
      }
    }
  }
  // Of cells of a size, the one at the point moved by a part of a cell along each axis.
  [[nodiscard]] static Cell cell_of(const Point& p, double size, double moved = 0) {
    return {cell_number(p.x() / size + moved), cell_number(p.y() / size + moved),
            cell_number(p.z() / size + moved)};
  }
  [[nodiscard]] std::vector<Entry> entries_of(double size) const {
    auto entries =
        parallel_collect<Entry>(used_.size(), 1 << 14, [&](Range r, std::vector<Entry>& out) {
          for (std::size_t v = r.begin; v < r.end; ++v) {
            if (!used_[v]) continue;
            const Point& p = a_.welded.points()[v];
            for_each_cell(cell_of(p, size, -reach_ / size), cell_of(p, size, reach_ / size),
                          [&](std::uint64_t cell) {
                            out.push_back({cell, static_cast<std::uint32_t>(v)});
                          });
          }
        });
    parallel_sort(entries.begin(), entries.end());
    return entries;
  }

  void add(VertexId u, VertexId v, std::vector<NearVertices>& pairs) const {
    // Both on rims: what faces each other there is a crack. Joined by an edge: a short edge.
    if (naked_[u.value] && naked_[v.value]) return;
    if (apart(a_.welded.point(u), a_.welded.point(v)) > reach_) return;
    if (a_.edges.find(u, v).has_value()) return;
    pairs.push_back(u < v ? NearVertices{u, v} : NearVertices{v, u});
  }

  // By finer cells; what is on rims is never held against its like.
  void compare_many(std::span<const VertexId> vertices, std::vector<NearVertices>& pairs) const {
    std::array<std::vector<Entry>, 2> entries;  // inside, on rims
    for (const VertexId v : vertices) {
      entries[naked_[v.value]].push_back({hash(cell_of(a_.welded.point(v), reach_)), v.value});
    }
    for (auto& list : entries) std::sort(list.begin(), list.end());
    for (const VertexId v : vertices) {
      const bool is_naked = naked_[v.value];
      const Cell center = cell_of(a_.welded.point(v), reach_);
      const std::uint64_t home = hash(center);
      std::size_t looked = 0;
      const auto look_in = [&](std::uint64_t cell) {
        for (const bool on_rims : {false, true}) {
          if (on_rims && is_naked) continue;
          // In its own cell each is found by the one before it.
          const std::vector<Entry>& list = entries[on_rims];
          const bool is_among = cell == home && on_rims == is_naked;
          auto at =
              std::lower_bound(list.begin(), list.end(), Entry{cell, is_among ? v.value + 1 : 0});
          for (; at != list.end() && at->cell == cell && looked < kMostLookedAt; ++at, ++looked) {
            add(v, {at->vertex}, pairs);
          }
        }
      };
      look_in(home);
      for_each_cell({center[0] - 1, center[1] - 1, center[2] - 1},
                    {center[0] + 1, center[1] + 1, center[2] + 1}, [&](std::uint64_t cell) {
                      if (cell != home) look_in(cell);
                    });
    }
  }

  const Anatomy& a_;
  const std::vector<bool>& used_;
  const std::vector<bool>& naked_;
  double reach_;
};

std::vector<bool> on_rims(const Anatomy& a) {
  std::vector<bool> naked(a.welded.points().size());
  for (std::size_t i = 0; i < a.rims.size(); ++i) {
    for (const VertexId v : a.rims[i].vertices) naked[v.value] = true;
  }
  return naked;
}

}  // namespace

void check_near_vertices(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  const double limit = view.limits[Limit::near_vertices];
  if (!(limit > 0) || !std::isfinite(limit) || !std::isfinite(1 / limit)) return;
  std::vector<bool> used(a.welded.points().size());
  for (std::uint32_t t = 0; t < a.welded.triangles().size(); ++t) {
    if (!a.components.has({t}) || view.causes.is_surplus({t}) ||
        view.causes.is_stray(a.components.shell_of[t])) {
      continue;
    }
    for (const VertexId v : a.welded.triangles()[t].corner) used[v.value] = true;
  }
  const std::vector<bool> naked = on_rims(a);
  const std::vector<NearVertices> pairs = NearPairs(a, used, naked, limit).find();
  const auto groups = connected_groups(pairs, [](const NearVertices& p, const auto& key) {
    key(p[0].value);
    key(p[1].value);
  });
  for (const auto& group : groups) {
    Finding finding;
    finding.kind = FindingKind::near_vertices;
    finding.limit = limit;
    std::unordered_set<std::uint32_t> vertices;
    std::vector<Point> points;
    finding.measure = limit;
    for (const NearVertices& p : group) {
      vertices.insert({p[0].value, p[1].value});
      points.push_back(a.welded.point(p[0]));
      points.push_back(a.welded.point(p[1]));
      const double distance = apart(points.back(), points[points.size() - 2]);
      if (distance <= finding.measure) {
        finding.measure = distance;
        finding.place = points.back();
      }
    }
    finding.count = vertices.size();
    finding.box = box_of(points);
    finding.waits_for.assign(info(finding.kind).waits_for.begin(),
                             info(finding.kind).waits_for.end());
    sink.add(std::move(finding), points);
  }
}

// Those along cracks and gaps are in their stretches.
void check_hanging_vertices(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  if (a.rims.size() == 0) return;
  const double reach = std::max(view.survey.tolerance, view.limits[Limit::near_vertices]);
  std::unordered_set<std::uint32_t> told;
  for (std::size_t s = 0; s < view.survey.stretches.size(); ++s) {
    if (view.survey.kind[s] == StretchKind::other) continue;
    for (const std::uint32_t p : view.survey.stretches[s].pairs) {
      for (const RimPiece& piece :
           {view.survey.pairing.pairs[p].first, view.survey.pairing.pairs[p].second}) {
        told.insert(view.survey.pairing.naked[piece.naked].from.value);
        told.insert(view.survey.pairing.naked[piece.naked].to.value);
      }
    }
  }
  std::vector<EdgeId> naked;
  std::vector<VertexId> vertices;
  for (std::size_t i = 0; i < a.rims.size(); ++i) {
    if (view.causes.is_explained(a.rims[i])) continue;
    naked.insert(naked.end(), a.rims[i].edges.begin(), a.rims[i].edges.end());
    vertices.insert(vertices.end(), a.rims[i].vertices.begin(), a.rims[i].vertices.end());
  }
  std::sort(vertices.begin(), vertices.end());
  vertices.erase(std::unique(vertices.begin(), vertices.end()), vertices.end());
  std::vector<CapsuleTree::Segment> segments;
  for (const EdgeId e : naked) {
    const auto [low, high] = a.edges.edge(e);
    segments.push_back({a.welded.point(low), a.welded.point(high), 0, {low.value, high.value}});
  }
  const CapsuleTree tree(segments);
  constexpr std::size_t kMostNodes = 512;  // where nearly all are near
  for (const VertexId v : vertices) {
    if (told.contains(v.value)) continue;
    const Point& p = a.welded.point(v);
    const auto squared = [&](std::uint32_t i) {
      const CapsuleTree::Segment& s = segments[i];
      const Vector along = s.to - s.from;
      const double at = along.dot(p - s.from) / along.squaredNorm();
      // Near the ends it is the vertex there that it nearly meets.
      const bool is_inside = at * along.norm() > reach && (1 - at) * along.norm() > reach;
      const bool is_own = s.ends[0] == v.value || s.ends[1] == v.value;
      return is_inside && !is_own ? (p - s.from - at * along).squaredNorm()
                                  : std::numeric_limits<double>::infinity();
    };
    const std::uint32_t near = tree.nearest(
        p, reach * reach,
        [&](const CapsuleTree::Common& c) { return c.ends[0] != v.value && c.ends[1] != v.value; },
        squared, kMostNodes);
    if (near == CapsuleTree::kNone) continue;
    const EdgeId edge = naked[near];
    Finding finding;
    finding.kind = FindingKind::hanging_vertex;
    finding.count = 1;
    finding.measure = std::sqrt(squared(near));
    finding.limit = reach;
    finding.place = p;
    finding.box.extend(p);
    const Point point = p;
    sink.add(std::move(finding), {&point, 1}, {a.edges.uses(edge)[0].triangle()});
  }
}

}  // namespace aguja
