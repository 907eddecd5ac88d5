#include "aguja/surface/sew.h"

#include <algorithm>
#include <array>
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
    const std::vector<std::uint32_t> open = open_edges();
    result_.open_before = open.size();
    for (const BodyEdge& e : body().edges) own_off_.push_back(off_its_vertices(e));
    const std::vector<double> rungs = rungs_to(tolerance, options.steps);
    for (const double now : rungs) {
      join_vertices(now);
      divide_edges(now, tolerance);
      join_edges(now, now == rungs.back());
    }
    count_open(open);
    turn_faces();
    note_unused(before_, result_);
    result_.largest_movement = std::max(result_.largest_movement, result_.largest_gap);
    return std::move(result_);
  }

  // Is an open edge within the tolerance of another edge? Else it is the border of what is missing.
  [[nodiscard]] bool is_contested(double tolerance) {
    const std::vector<std::uint32_t> uses = edge_uses(body());
    std::vector<std::uint32_t> used;
    Array<FloatBox> boxes;
    for (std::uint32_t e = 0; e < uses.size(); ++e) {
      if (uses[e] == 0 || !body().edges[e].curve || !body().edges[e].range().is_finite()) continue;
      used.push_back(e);
      Box box = box_of_edge(body().edges[e]);
      box.low.array() -= tolerance;
      box.high.array() += tolerance;
      boxes.push_back(FloatBox(box));
    }
    const BoxTree tree(std::move(boxes));
    return std::any_of(used.begin(), used.end(), [&](std::uint32_t e) {
      if (uses[e] != 1) return false;
      const Point p = body().edges[e].curve->point(body().edges[e].range().middle());
      bool is_near = false;
      tree.for_each_meeting(around(p, 0), [&](std::uint32_t i) {
        if (is_near || used[i] == e) return;
        const BodyEdge& other = body().edges[used[i]];
        const double t = nearest_parameter(*other.curve, other.range(), p);
        is_near = (other.curve->point(t) - p).norm() <= tolerance;
      });
      return is_near;
    });
  }

 private:
  Body& body() { return result_.body; }

  // What is nearer is joined first. Powers of two, so that a larger tolerance begins with what a
  // smaller one does.
  static std::vector<double> rungs_to(double tolerance, int steps) {
    constexpr int kLowerRungs = 8;
    std::vector<double> rungs;
    if (tolerance > 0) {
      const int top = std::ilogb(tolerance);
      for (int k = top - kLowerRungs; k <= top; ++k) {
        if (std::ldexp(1.0, k) < tolerance) rungs.push_back(std::ldexp(1.0, k));
      }
    }
    for (int step = 1; step <= steps; ++step) rungs.push_back(tolerance * step / steps);
    std::sort(rungs.begin(), rungs.end());
    return rungs;
  }

  // Edges that one face uses, once.
  std::vector<std::uint32_t> open_edges() {
    const std::vector<std::uint32_t> uses = edge_uses(body());
    std::vector<std::uint32_t> open;
    for (std::uint32_t e = 0; e < uses.size(); ++e) {
      if (uses[e] == 1 && body().edges[e].curve) open.push_back(e);
    }
    return open;
  }
  // Of the file's edges, however many pieces they are in by now.
  void count_open(const std::vector<std::uint32_t>& before) {
    const std::vector<std::uint32_t> uses = edge_uses(body());
    for (const std::uint32_t e : before) {
      const std::vector<std::uint32_t> now = result_.maps.edges.now(e);
      const auto shared = static_cast<std::size_t>(std::count_if(
          now.begin(), now.end(), [&](std::uint32_t piece) { return uses[piece] > 1; }));
      result_.open_after += shared < now.size();
    }
  }
  // How far the ends of its curve are from its vertices in the file.
  [[nodiscard]] double off_its_vertices(const BodyEdge& e) {
    if (!e.curve || !e.range().is_finite()) return 0;
    return std::max((e.curve->point(e.from) - body().vertices[e.start].point).norm(),
                    (e.curve->point(e.to) - body().vertices[e.end].point).norm());
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
    members_.resize(body().vertices.size());
    for (const Pair& p : pairs) {
      const std::uint32_t a = find(p.a), b = find(p.b);
      if (a == b) continue;
      // Not both ends of one edge; and all that become one lie within the tolerance of each other.
      if (other_end[a].contains(b) || !are_within(tolerance, a, b)) continue;
      const std::uint32_t keep = std::min(a, b), gone = std::max(a, b);
      root[gone] = keep;
      members_[keep].push_back(gone);
      members_[keep].insert(members_[keep].end(), members_[gone].begin(), members_[gone].end());
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
    }
    for (const std::uint32_t v : list) {
      for (const std::uint32_t member : members_[v]) {
        const double apart = (body().vertices[v].point - body().vertices[member].point).norm();
        result_.largest_movement = std::max(result_.largest_movement, apart);
      }
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

  // Vertices and those that were joined to them, where they were.
  [[nodiscard]] bool are_within(double tolerance, std::uint32_t a, std::uint32_t b) {
    const auto apart = [&](std::uint32_t v, std::uint32_t w) {
      return (body().vertices[v].point - body().vertices[w].point).norm() > tolerance;
    };
    const auto any_apart = [&](std::uint32_t v) {
      return apart(v, b) || std::any_of(members_[b].begin(), members_[b].end(),
                                        [&](std::uint32_t w) { return apart(v, w); });
    };
    return !any_apart(a) && std::none_of(members_[a].begin(), members_[a].end(), any_apart);
  }

  // A vertex of an open edge that lies on the inside of another divides it; pieces are long against
  // the tolerance to come.
  void divide_edges(double tolerance, double to_come) {
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
    // Ends of short edges may come to lie near each other on the edge that they belong to.
    std::set<std::pair<std::uint32_t, std::uint32_t>> joined_by_edge;
    for (const std::uint32_t e : open) {
      joined_by_edge.insert(std::minmax(body().edges[e].start, body().edges[e].end));
    }
    const auto have_edge = [&](std::uint32_t a, std::uint32_t b) {
      return joined_by_edge.contains(std::minmax(a, b));
    };
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
        const double least = kSamePlace * (foot.norm() + 1);
        const auto beside = [&](std::uint32_t end, double at) {
          const double off = std::min((foot - body().vertices[end].point).norm(),
                                      (foot - edge.curve->point(at)).norm());
          return off <= least || (off <= 2 * to_come && !have_edge(v, end));
        };
        if (beside(edge.start, edge.from) || beside(edge.end, edge.to)) return;
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
          if (apart.back().vertex == c.vertex) continue;
          if (way <= 2 * to_come && !have_edge(apart.back().vertex, c.vertex)) continue;
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
        own_off_.push_back(own_off_[e]);
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
          const BodyEdge &a = body().edges[edges[i]], &b = body().edges[edges[j]];
          const auto m = match(a, b, tolerance);
          if (!m) continue;
          const double at_ends = end_distance(a, b, m->same_way);
          if (at_ends > tolerance + own_off_[edges[i]] + own_off_[edges[j]]) continue;
          seams.push_back({m->distance, edges[i], edges[j], m->same_way});
        }
      }
    }
    std::sort(seams.begin(), seams.end(), [](const Seam& x, const Seam& y) {
      return std::tuple(x.distance, x.a, x.b) < std::tuple(y.distance, y.a, y.b);
    });
    std::map<std::uint32_t, std::pair<std::uint32_t, bool>> becomes;  // edge, same way
    std::set<std::uint32_t> taken;
    for (const Seam& s : seams) {
      if (taken.contains(s.a) || taken.contains(s.b)) continue;
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
    if (last) refuse_third(between, taken, tolerance);
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
  // What is open still because two others were joined there.
  void refuse_third(
      const std::map<std::pair<std::uint32_t, std::uint32_t>, std::vector<std::uint32_t>>& open,
      const std::set<std::uint32_t>& taken, double tolerance) {
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::vector<std::uint32_t>> sewn;
    for (std::uint32_t e = 0; e < body().edges.size(); ++e) {
      const BodyEdge& edge = body().edges[e];
      if (edge.sewn) sewn[std::minmax(edge.start, edge.end)].push_back(e);
    }
    for (const auto& [ends, edges] : open) {
      const auto there = sewn.find(ends);
      if (there == sewn.end()) continue;
      for (const std::uint32_t e : edges) {
        const bool is_third =
            !taken.contains(e) &&
            std::any_of(there->second.begin(), there->second.end(), [&](std::uint32_t other) {
              return match(body().edges[e], body().edges[other], tolerance).has_value();
            });
        if (is_third) result_.refused.push_back({e, "a third face at an edge"});
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
  std::vector<double> own_off_;                      // by edge
  std::vector<std::vector<std::uint32_t>> members_;  // by vertex: those that became it
};

}  // namespace

namespace {

// Faces with nothing of their border farther than the tolerance from another side of it.
std::vector<std::uint32_t> narrow_faces(const Body& body, double tolerance) {
  std::vector<std::uint32_t> narrow;
  for (std::uint32_t f = 0; f < body.faces.size(); ++f) {
    const Face& face = body.faces[f];
    if (!face.is_used || face.loops.size() != 1) continue;
    const auto& uses = face.loops[0].edges;
    constexpr std::size_t kMostSides = 12;
    if (uses.size() < 2 || uses.size() > kMostSides) continue;
    const bool is_narrow = std::all_of(uses.begin(), uses.end(), [&](const EdgeUseOfFace& use) {
      const BodyEdge& edge = body.edges[use.edge];
      if (!edge.curve || !edge.range().is_finite()) return false;
      for (const double part : {0.1, 0.3, 0.5, 0.7, 0.9}) {
        const Point p = edge.curve->point(edge.from + part * (edge.to - edge.from));
        const bool beside = std::any_of(uses.begin(), uses.end(), [&](const EdgeUseOfFace& other) {
          const BodyEdge& o = body.edges[other.edge];
          if (other.edge == use.edge || !o.curve || !o.range().is_finite()) return false;
          return (o.curve->point(nearest_parameter(*o.curve, o.range(), p)) - p).norm() <=
                 tolerance;
        });
        if (!beside) return false;
      }
      return true;
    });
    if (is_narrow) narrow.push_back(f);
  }
  return narrow;
}

Body without_faces(const Body& body, const std::vector<std::uint32_t>& faces) {
  Body without = body;
  for (const std::uint32_t f : faces) {
    without.faces[f].loops.clear();
    without.faces[f].is_used = false;
  }
  for (BodyShell& shell : without.shells) {
    std::erase_if(shell.faces, [&](const BodyShell::Use& use) {
      return std::binary_search(faces.begin(), faces.end(), use.face);
    });
  }
  return without;
}

// Tolerances to try below one, down to a hundredth, the largest first: round numbers, which are what
// people type, so that what closes at one of them closes with every larger tolerance.
std::vector<double> lower_tolerances(double tolerance) {
  constexpr std::array<double, 12> kRoundSteps = {1, 1.2, 1.5, 1.8, 2, 2.5, 3, 4, 5, 6, 7, 8};
  constexpr int kDecades = 2;
  constexpr double kLowestPart = 100;
  std::vector<double> lower;
  const int top = static_cast<int>(std::floor(std::log10(tolerance)));
  for (int decade = top - kDecades; decade <= top; ++decade) {
    for (const double step : kRoundSteps) {
      // As the number is read from text: 3 / 10 is 0.3, and 3 * 0.1 is not.
      const double power = std::pow(10.0, std::abs(decade));
      const double at = decade < 0 ? step / power : step * power;
      if (at < tolerance && at >= tolerance / kLowestPart) lower.push_back(at);
    }
  }
  std::reverse(lower.begin(), lower.end());
  return lower;
}

// Less than the tolerance may close more, and so may doing without faces that are narrower.
SewResult best_of(const Body& body, double tolerance, const SewOptions& options, SewResult first) {
  SewResult best = std::move(first);
  const auto try_body = [&](const Body& tried, double at) {
    SewResult result = Sewer(tried).run(at, options);
    if (result.open_after >= best.open_after) return false;
    best = std::move(result);
    return true;
  };
  const std::size_t before = best.open_before;
  const std::vector<double> lower = lower_tolerances(tolerance);
  for (const double at : lower) {
    if (best.open_after == 0) return best;
    try_body(body, at);
  }
  const auto try_without_narrow = [&](double at) {
    const std::vector<std::uint32_t> narrow = narrow_faces(body, at);
    if (narrow.empty() || !try_body(without_faces(body, narrow), at)) return;
    EntityMap gone;
    for (const std::uint32_t f : narrow) gone.set(f, {});
    best.maps.faces.then(gone);
    best.closed_away = narrow;
    best.open_before = before;
  };
  try_without_narrow(tolerance);
  for (const double at : lower) {
    if (best.open_after == 0) return best;
    try_without_narrow(at);
  }
  return best;
}

}  // namespace

SewResult sew(const Body& body, double tolerance, const SewOptions& options) {
  if (!(tolerance >= 0) || !std::isfinite(tolerance)) {
    throw ArgumentError("sew: the tolerance must be a finite length of 0 or more");
  }
  if (options.steps < 1) throw ArgumentError("sew: one step at least is needed");
  SewResult result = Sewer(body).run(tolerance, options);
  if (result.open_after == 0 || tolerance == 0) return result;
  if (!Sewer(result.body).is_contested(tolerance)) return result;
  return best_of(body, tolerance, options, std::move(result));
}

}  // namespace aguja
