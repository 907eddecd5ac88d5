// near-vertices, hanging-vertex: vertices that nearly meet another vertex or a naked edge.

#include <cmath>
#include <unordered_set>

#include "aguja/geometry/box_tree.h"
#include "base/parallel_algorithms.h"
#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

using NearVertices = std::array<VertexId, 2>;

// All pairs of used vertices within `reach`, the lower number first. A vertex is put into every
// cell of a coarse grid that its surroundings touch, so that only equal cells are compared.
std::vector<NearVertices> pairs_within(const Anatomy& a, const std::vector<bool>& used,
                                       double reach) {
  constexpr double kCell = 64;
  struct Entry {
    std::uint64_t cell;
    std::uint32_t vertex;
  };
  const double scale = 1 / (kCell * reach);
  auto entries =
      parallel_collect<Entry>(used.size(), 1 << 14, [&](Range r, std::vector<Entry>& out) {
        for (std::size_t v = r.begin; v < r.end; ++v) {
          if (!used[v]) continue;
          const Point& p = a.welded.points()[v];
          std::array<std::array<std::int64_t, 2>, 3> span{};
          for (std::size_t k = 0; k < 3; ++k) {
            const double c = p[static_cast<Eigen::Index>(k)];
            span[k] = {static_cast<std::int64_t>(std::floor((c - reach) * scale)),
                       static_cast<std::int64_t>(std::floor((c + reach) * scale))};
          }
          for (std::int64_t x = span[0][0]; x <= span[0][1]; ++x) {
            for (std::int64_t y = span[1][0]; y <= span[1][1]; ++y) {
              for (std::int64_t z = span[2][0]; z <= span[2][1]; ++z) {
                std::uint64_t h = static_cast<std::uint64_t>(x) * 0x9E3779B97F4A7C15U;
                h = (h ^ (h >> 29)) + static_cast<std::uint64_t>(y) * 0xBF58476D1CE4E5B9U;
                h = (h ^ (h >> 31)) + static_cast<std::uint64_t>(z) * 0x94D049BB133111EBU;
                out.push_back({h ^ (h >> 30), static_cast<std::uint32_t>(v)});
              }
            }
          }
        }
      });
  parallel_sort(entries.begin(), entries.end(), [](const Entry& x, const Entry& y) {
    return x.cell != y.cell ? x.cell < y.cell : x.vertex < y.vertex;
  });
  std::vector<NearVertices> pairs;
  for (std::size_t begin = 0; begin < entries.size();) {
    std::size_t end = begin + 1;
    while (end < entries.size() && entries[end].cell == entries[begin].cell) ++end;
    for (std::size_t i = begin; i < end; ++i) {
      for (std::size_t j = i + 1; j < end; ++j) {
        const VertexId u{entries[i].vertex}, v{entries[j].vertex};
        if ((a.welded.point(u) - a.welded.point(v)).norm() <= reach) pairs.push_back({u, v});
      }
    }
    begin = end;
  }
  std::sort(pairs.begin(), pairs.end());
  pairs.erase(std::unique(pairs.begin(), pairs.end()), pairs.end());
  return pairs;
}

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
  if (!(limit > 0) || !std::isfinite(1 / limit)) return;
  std::vector<bool> used(a.welded.points().size());
  for (std::uint32_t t = 0; t < a.welded.triangles().size(); ++t) {
    if (!a.components.has({t}) || view.causes.is_surplus({t}) ||
        view.causes.is_stray(a.components.shell_of[t])) {
      continue;
    }
    for (const VertexId v : a.welded.triangles()[t].corner) used[v.value] = true;
  }
  const std::vector<bool> naked = on_rims(a);
  auto pairs = pairs_within(a, used, limit);
  std::erase_if(pairs, [&](const NearVertices& p) {
    // Joined by an edge: a short edge. Both on rims: what faces each other there is a crack.
    return a.edges.find(p[0], p[1]).has_value() || (naked[p[0].value] && naked[p[1].value]);
  });
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
      const double distance = (points.back() - points[points.size() - 2]).norm();
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
  Array<FloatBox> boxes;
  for (const EdgeId e : naked) {
    Box box;
    box.extend(a.welded.point(a.edges.edge(e).low));
    box.extend(a.welded.point(a.edges.edge(e).high));
    boxes.push_back(FloatBox(box));
  }
  const BoxTree tree(std::move(boxes));
  for (const VertexId v : vertices) {
    if (told.contains(v.value)) continue;
    const Point& p = a.welded.point(v);
    Box around;
    around.extend(p - Vector::Constant(reach));
    around.extend(p + Vector::Constant(reach));
    std::optional<double> nearest;
    EdgeId edge{};
    tree.for_each_meeting(FloatBox(around), [&](std::uint32_t i) {
      const Edge& e = a.edges.edge(naked[i]);
      if (e.low == v || e.high == v) return;
      const Point& from = a.welded.point(e.low);
      const Vector along = a.welded.point(e.high) - from;
      const double at = along.dot(p - from) / along.squaredNorm();
      // Near the ends it is the vertex there that it nearly meets.
      if (at * along.norm() <= reach || (1 - at) * along.norm() <= reach) return;
      const double distance = (p - from - at * along).norm();
      if (distance <= reach && (!nearest || distance < *nearest)) {
        nearest = distance;
        edge = naked[i];
      }
    });
    if (!nearest) continue;
    Finding finding;
    finding.kind = FindingKind::hanging_vertex;
    finding.count = 1;
    finding.measure = *nearest;
    finding.limit = reach;
    finding.place = p;
    finding.box.extend(p);
    const Point point = p;
    sink.add(std::move(finding), {&point, 1}, {a.edges.uses(edge)[0].triangle()});
  }
}

}  // namespace aguja
