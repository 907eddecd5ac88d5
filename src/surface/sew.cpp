#include "aguja/surface/sew.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "aguja/base/error.h"
#include "aguja/geometry/box_tree.h"
#include "surface/limits.h"

namespace aguja {
namespace {

class Sewer {
 public:
  explicit Sewer(const Body& body) : before_(body) { result_.body = body; }

  SewResult run(double tolerance, const SewOptions& options) {
    result_.open_before = open_edges().size();
    for (int step = 1; step <= options.steps; ++step) {
      const double now = tolerance * step / options.steps;
      join_vertices(now);
      divide_edges(now);
      join_edges(now, step == options.steps);
    }
    result_.open_after = open_edges().size();
    turn_faces();
    note_unused(before_, result_);
    result_.largest_movement = std::max(result_.largest_movement, result_.largest_gap);
    return std::move(result_);
  }

 private:
  Body& body() { return result_.body; }

  // Edges that one face uses, once.
  std::vector<std::uint32_t> open_edges() {
    const std::vector<std::uint32_t> uses = edge_uses(body());
    std::vector<std::uint32_t> open;
    for (std::uint32_t e = 0; e < uses.size(); ++e) {
      if (uses[e] == 1 && body().edges[e].curve) open.push_back(e);
    }
    return open;
  }
  static FloatBox around(const Point& p, double reach) {
    return FloatBox(Box{p.array() - reach, p.array() + reach});
  }
  Box box_of_edge(const BodyEdge& e) {
    Box box;
    box.extend(body().vertices[e.start].point);
    box.extend(body().vertices[e.end].point);
    double longest = 0;
    Point last = e.curve->point(e.range().low);
    for (int i = 1; i <= 16; ++i) {
      const Point p = e.curve->point(e.range().low + e.range().width() * i / 16);
      box.extend(p);
      longest = std::max(longest, (p - last).norm());
      last = p;
    }
    // Between the places that were looked at it bulges no farther than they lie apart.
    if (e.curve->kind() != CurveKind::line) {
      box.low.array() -= 0.5 * longest;
      box.high.array() += 0.5 * longest;
    }
    return box;
  }

  // Ends of open edges that lie within the tolerance become one vertex, nearest first.
  void join_vertices(double tolerance) {
    std::set<std::uint32_t> ends;
    std::map<std::uint32_t, std::set<std::uint32_t>> other_end;
    for (const std::uint32_t e : open_edges()) {
      const BodyEdge& edge = body().edges[e];
      ends.insert(edge.start);
      ends.insert(edge.end);
    }
    for (const BodyEdge& edge : body().edges) {
      if (edge.start == edge.end) continue;
      other_end[edge.start].insert(edge.end);
      other_end[edge.end].insert(edge.start);
    }
    const std::vector<std::uint32_t> list(ends.begin(), ends.end());
    Array<FloatBox> boxes;
    for (const std::uint32_t v : list)
      boxes.push_back(around(body().vertices[v].point, 0.5 * tolerance));
    const Array<FloatBox> kept = boxes;
    const BoxTree tree(std::move(boxes));
    struct Pair {
      double distance;
      std::uint32_t a, b;
    };
    std::vector<Pair> pairs;
    for (std::uint32_t i = 0; i < list.size(); ++i) {
      tree.for_each_meeting(kept[i], [&](std::uint32_t j) {
        if (j <= i) return;
        const double d = (body().vertices[list[i]].point - body().vertices[list[j]].point).norm();
        if (d <= tolerance) pairs.push_back({d, list[i], list[j]});
      });
    }
    std::sort(pairs.begin(), pairs.end(), [](const Pair& x, const Pair& y) {
      return std::tuple(x.distance, x.a, x.b) < std::tuple(y.distance, y.a, y.b);
    });
    std::vector<std::uint32_t> root(body().vertices.size());
    std::iota(root.begin(), root.end(), 0u);
    const auto find = [&](std::uint32_t v) {
      while (root[v] != v) v = root[v] = root[root[v]];
      return v;
    };
    for (const Pair& p : pairs) {
      const std::uint32_t a = find(p.a), b = find(p.b);
      if (a == b) continue;
      // Not both ends of one edge; and all of the two groups within the tolerance of the first.
      if (other_end[a].contains(b)) continue;
      if ((body().vertices[a].point - body().vertices[b].point).norm() > tolerance) continue;
      const std::uint32_t keep = std::min(a, b), gone = std::max(a, b);
      root[gone] = keep;
      for (const std::uint32_t o : other_end[gone]) {
        other_end[o].erase(gone);
        other_end[o].insert(keep);
        other_end[keep].insert(o);
      }
      other_end.erase(gone);
    }
    EntityMap merged;
    for (std::uint32_t v = 0; v < root.size(); ++v) {
      const std::uint32_t first = find(v);
      if (first == v) continue;
      merged.set(v, {first});
      const double apart = (body().vertices[v].point - body().vertices[first].point).norm();
      result_.largest_movement = std::max(result_.largest_movement, apart);
    }
    result_.maps.vertices.then(merged);
    for (BodyEdge& e : body().edges) {
      e.start = find(e.start);
      e.end = find(e.end);
    }
    for (Face& f : body().faces) {
      for (FaceLoop& l : f.loops) {
        if (l.vertex) l.vertex = find(*l.vertex);
      }
    }
  }

  // A vertex of an open edge that lies on the inside of another divides it.
  void divide_edges(double tolerance) {
    const std::vector<std::uint32_t> open = open_edges();
    Array<FloatBox> boxes;
    for (const std::uint32_t e : open) {
      Box box = box_of_edge(body().edges[e]);
      box.low.array() -= tolerance;
      box.high.array() += tolerance;
      boxes.push_back(FloatBox(box));
    }
    const BoxTree tree(std::move(boxes));
    std::set<std::uint32_t> ends;
    for (const std::uint32_t e : open) {
      ends.insert(body().edges[e].start);
      ends.insert(body().edges[e].end);
    }
    struct Cut {
      double t;
      std::uint32_t vertex;
    };
    std::map<std::uint32_t, std::vector<Cut>> cuts;
    for (const std::uint32_t v : ends) {
      const Point& p = body().vertices[v].point;
      tree.for_each_meeting(around(p, 0), [&](std::uint32_t i) {
        const std::uint32_t e = open[i];
        const BodyEdge& edge = body().edges[e];
        if (edge.start == v || edge.end == v) return;
        const double t = nearest_parameter(*edge.curve, edge.range(), p);
        const Point foot = edge.curve->point(t);
        if ((foot - p).norm() > tolerance) return;
        // Not next to its ends, which would be one vertex with it then.
        const double off = std::min({(foot - body().vertices[edge.start].point).norm(),
                                     (foot - body().vertices[edge.end].point).norm(),
                                     (foot - edge.curve->point(edge.from)).norm(),
                                     (foot - edge.curve->point(edge.to)).norm()});
        if (off <= std::max(2 * tolerance, kSamePlace * (foot.norm() + 1))) return;
        cuts[e].push_back({t, v});
      });
    }
    if (cuts.empty()) return;
    std::map<std::uint32_t, std::vector<std::uint32_t>> pieces;  // from start to end
    for (auto& [e, list] : cuts) {
      const BodyEdge whole = body().edges[e];
      const bool rising = whole.from < whole.to;
      std::sort(list.begin(), list.end(), [&](const Cut& a, const Cut& b) {
        return rising ? std::tuple(a.t, a.vertex) < std::tuple(b.t, b.vertex)
                      : std::tuple(-a.t, a.vertex) < std::tuple(-b.t, b.vertex);
      });
      // One vertex a place.
      std::vector<Cut> apart;
      for (const Cut& c : list) {
        if (!apart.empty()) {
          const double way = (whole.curve->point(c.t) - whole.curve->point(apart.back().t)).norm();
          if (way <= 2 * tolerance || apart.back().vertex == c.vertex) continue;
        }
        apart.push_back(c);
      }
      std::vector<std::uint32_t>& own = pieces[e];
      double from = whole.from;
      std::uint32_t start = whole.start;
      for (std::size_t i = 0; i <= apart.size(); ++i) {
        BodyEdge piece = whole;
        piece.from = from;
        piece.start = start;
        piece.to = i < apart.size() ? apart[i].t : whole.to;
        piece.end = i < apart.size() ? apart[i].vertex : whole.end;
        from = piece.to;
        start = piece.end;
        body().edges.push_back(piece);
        own.push_back(static_cast<std::uint32_t>(body().edges.size() - 1));
      }
      ++result_.divided;
    }
    EntityMap divided;
    for (const auto& [e, own] : pieces) divided.set(e, own);
    result_.maps.edges.then(divided);
    for (Face& f : body().faces) {
      for (FaceLoop& l : f.loops) {
        std::vector<EdgeUseOfFace> uses;
        for (const EdgeUseOfFace& u : l.edges) {
          const auto at = pieces.find(u.edge);
          if (at == pieces.end()) {
            uses.push_back(u);
            continue;
          }
          std::vector<std::uint32_t> own = at->second;
          if (!u.forward) std::reverse(own.begin(), own.end());
          for (const std::uint32_t e : own) uses.push_back({e, u.forward, u.in_parameters});
        }
        l.edges = std::move(uses);
      }
    }
  }

  // How far b is from a at worst, over places on both; and whether it runs the same way.
  struct Match {
    double distance;
    bool same_way;
  };
  std::optional<Match> match(const BodyEdge& a, const BodyEdge& b, double tolerance) {
    double largest = 0;
    for (const auto& [one, other] : {std::pair(&a, &b), std::pair(&b, &a)}) {
      for (const double part : {0.5, 0.25, 0.75, 0.125, 0.875}) {
        const Point p = one->curve->point(one->range().low + part * one->range().width());
        const double t = nearest_parameter(*other->curve, other->range(), p);
        const double d = (other->curve->point(t) - p).norm();
        if (!(d <= tolerance)) return std::nullopt;
        largest = std::max(largest, d);
      }
    }
    bool same = a.start == b.start && a.end == b.end;
    if (a.start == a.end) {
      // Closed: by where a quarter of the way lies.
      const Point quarter = a.curve->point(a.from + 0.25 * (a.to - a.from));
      const Point there = b.curve->point(b.from + 0.25 * (b.to - b.from));
      const Point back = b.curve->point(b.from + 0.75 * (b.to - b.from));
      same = (quarter - there).norm() <= (quarter - back).norm();
    }
    return Match{largest, same};
  }

  void join_edges(double tolerance, bool last) {
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::vector<std::uint32_t>> between;
    for (const std::uint32_t e : open_edges()) {
      const BodyEdge& edge = body().edges[e];
      between[std::minmax(edge.start, edge.end)].push_back(e);
    }
    struct Seam {
      double distance;
      std::uint32_t a, b;
      bool same_way;
    };
    std::vector<Seam> seams;
    for (const auto& [ends, edges] : between) {
      for (std::size_t i = 0; i < edges.size(); ++i) {
        for (std::size_t j = i + 1; j < edges.size(); ++j) {
          if (const auto m = match(body().edges[edges[i]], body().edges[edges[j]], tolerance)) {
            seams.push_back({m->distance, edges[i], edges[j], m->same_way});
          }
        }
      }
    }
    std::sort(seams.begin(), seams.end(), [](const Seam& x, const Seam& y) {
      return std::tuple(x.distance, x.a, x.b) < std::tuple(y.distance, y.a, y.b);
    });
    std::map<std::uint32_t, std::pair<std::uint32_t, bool>> becomes;  // edge, same way
    std::set<std::uint32_t> taken;
    for (const Seam& s : seams) {
      const bool free = !taken.contains(s.a) && !taken.contains(s.b);
      if (!free) {
        for (const std::uint32_t e : {s.a, s.b}) {
          if (last && !taken.contains(e)) result_.refused.push_back({e, "a third face at an edge"});
        }
        continue;
      }
      taken.insert(s.a);
      taken.insert(s.b);
      becomes[s.b] = {s.a, s.same_way};
      BodyEdge& kept = body().edges[s.a];
      const double ends = std::max(end_distance(kept, body().edges[s.b], s.same_way), s.distance);
      kept.tolerance = std::max(kept.tolerance, ends);
      kept.sewn = true;
      result_.largest_gap = std::max(result_.largest_gap, kept.tolerance);
      ++result_.joined;
    }
    EntityMap joined;
    for (const auto& [e, seam] : becomes) joined.set(e, {seam.first});
    result_.maps.edges.then(joined);
    for (Face& f : body().faces) {
      for (FaceLoop& l : f.loops) {
        for (EdgeUseOfFace& u : l.edges) {
          const auto at = becomes.find(u.edge);
          if (at == becomes.end()) continue;
          u.edge = at->second.first;
          if (!at->second.second) u.forward = !u.forward;
        }
      }
    }
  }
  static double end_distance(const BodyEdge& a, const BodyEdge& b, bool same) {
    const Point a0 = a.curve->point(a.from), a1 = a.curve->point(a.to);
    Point b0 = b.curve->point(b.from), b1 = b.curve->point(b.to);
    if (!same) std::swap(b0, b1);
    return std::max((a0 - b0).norm(), (a1 - b1).norm());
  }

  // Neighbours use their edge in opposite ways; who does not is turned.
  void turn_faces() {
    std::map<std::uint32_t, std::vector<std::pair<std::uint32_t, bool>>> uses;  // face, way
    std::vector<bool> forward(body().faces.size(), true);
    for (const BodyShell& s : body().shells) {
      for (const BodyShell::Use& u : s.faces) forward[u.face] = u.forward;
    }
    for (std::uint32_t f = 0; f < body().faces.size(); ++f) {
      for (const FaceLoop& l : body().faces[f].loops) {
        for (const EdgeUseOfFace& u : l.edges) uses[u.edge].emplace_back(f, u.forward);
      }
    }
    std::vector<std::vector<std::pair<std::uint32_t, bool>>> neighbours(body().faces.size());
    for (const auto& [edge, list] : uses) {
      if (list.size() != 2 || list[0].first == list[1].first) continue;
      const bool agree = list[0].second != list[1].second;
      neighbours[list[0].first].emplace_back(list[1].first, agree);
      neighbours[list[1].first].emplace_back(list[0].first, agree);
    }
    std::vector<int> turned(body().faces.size(), -1);
    for (std::uint32_t seed = 0; seed < turned.size(); ++seed) {
      if (turned[seed] >= 0) continue;
      turned[seed] = 0;
      std::vector<std::uint32_t> pending = {seed}, piece;
      while (!pending.empty()) {
        const std::uint32_t f = pending.back();
        pending.pop_back();
        piece.push_back(f);
        for (const auto& [other, agree] : neighbours[f]) {
          if (turned[other] >= 0) continue;
          // As the uses stand in their shells.
          const bool agrees = agree == (forward[f] == forward[other]);
          turned[other] = agrees ? turned[f] : 1 - turned[f];
          pending.push_back(other);
        }
      }
      // The lesser part is turned.
      const auto count = static_cast<std::size_t>(std::count_if(
          piece.begin(), piece.end(), [&](std::uint32_t f) { return turned[f] == 1; }));
      if (2 * count > piece.size()) {
        for (const std::uint32_t f : piece) turned[f] = 1 - turned[f];
      }
    }
    for (BodyShell& s : body().shells) {
      for (BodyShell::Use& u : s.faces) {
        if (turned[u.face] == 1) u.forward = !u.forward;
      }
    }
    for (std::uint32_t f = 0; f < turned.size(); ++f) {
      if (turned[f] == 1) result_.turned.push_back(f);
    }
  }

  const Body& before_;
  SewResult result_;
};

}  // namespace

SewResult sew(const Body& body, double tolerance, const SewOptions& options) {
  if (!(tolerance >= 0) || !std::isfinite(tolerance)) {
    throw ArgumentError("sew: the tolerance must be a finite length of 0 or more");
  }
  if (options.steps < 1) throw ArgumentError("sew: one step at least is needed");
  return Sewer(body).run(tolerance, options);
}

}  // namespace aguja
