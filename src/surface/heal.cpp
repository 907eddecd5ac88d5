#include "aguja/surface/heal.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "aguja/base/error.h"
#include "aguja/surface/tessellate.h"
#include "base/short_text.h"
#include "surface/edge_fit.h"

namespace aguja {
namespace {

struct HealingInfo {
  Healing healing;
  std::string_view slug, explanation;
  bool is_safe;
};
constexpr std::array<HealingInfo, 6> kHealings = {{
    {Healing::loop_order, "loop-order", "edges of loops put in order and turned", true},
    {Healing::short_edge, "short-edge", "edges shorter than the tolerance merged", true},
    {Healing::loop_gap, "loop-gap", "gaps in loops closed within the tolerance", true},
    {Healing::space_curve, "space-curve", "edges off their surface taken from its parameters",
     false},
    {Healing::parameter_curve, "parameter-curve", "curves in parameters made anew", true},
    {Healing::natural_bounds, "natural-bounds", "faces rebuilt from the bounds of their surface",
     false},
}};
const HealingInfo& info(Healing h) { return kHealings[static_cast<std::size_t>(h)]; }

// Beyond so many tolerances a curve is said to run elsewhere; the checks tell the same.
constexpr double kElsewhere = 10;

std::uint32_t start_of(const Body& body, const EdgeUseOfFace& u) {
  return u.forward ? body.edges[u.edge].start : body.edges[u.edge].end;
}
std::uint32_t end_of(const Body& body, const EdgeUseOfFace& u) {
  return u.forward ? body.edges[u.edge].end : body.edges[u.edge].start;
}

// Vertices that may become one: all of a group lie within the tolerance of its first.
class Groups {
 public:
  Groups(const Body& body, double tolerance) : body_(body), tolerance_(tolerance) {
    root_.resize(body.vertices.size());
    std::iota(root_.begin(), root_.end(), 0u);
  }
  [[nodiscard]] std::uint32_t find(std::uint32_t v) {
    while (root_[v] != v) v = root_[v] = root_[root_[v]];
    return v;
  }
  bool unite(std::uint32_t a, std::uint32_t b) {
    a = find(a);
    b = find(b);
    if (a == b) return true;
    if (b < a) std::swap(a, b);
    const Point& first = body_.vertices[a].point;
    std::vector<std::uint32_t>& gone = members_[b];
    if (gone.empty()) gone = {b};
    for (const std::uint32_t v : gone) {
      if (!((body_.vertices[v].point - first).norm() <= tolerance_)) return false;
    }
    std::vector<std::uint32_t>& kept = members_[a];
    if (kept.empty()) kept = {a};
    kept.insert(kept.end(), gone.begin(), gone.end());
    members_.erase(b);
    root_[b] = a;
    return true;
  }

 private:
  const Body& body_;
  double tolerance_;
  std::vector<std::uint32_t> root_;
  std::map<std::uint32_t, std::vector<std::uint32_t>> members_;
};

void renumber(BodyChange& change, Groups& groups) {
  Body& body = change.body;
  EntityMap merged;
  for (std::uint32_t v = 0; v < body.vertices.size(); ++v) {
    const std::uint32_t first = groups.find(v);
    if (first == v) continue;
    merged.set(v, {first});
    const double apart = (body.vertices[v].point - body.vertices[first].point).norm();
    change.largest_movement = std::max(change.largest_movement, apart);
  }
  change.maps.vertices.then(merged);
  for (BodyEdge& e : body.edges) {
    e.start = groups.find(e.start);
    e.end = groups.find(e.end);
  }
  for (Face& f : body.faces) {
    for (FaceLoop& l : f.loops) {
      if (l.vertex) l.vertex = groups.find(*l.vertex);
    }
  }
}

class Healer {
 public:
  Healer(const Body& body, double tolerance, double short_edge)
      : before_(body), tolerance_(tolerance), short_edge_(short_edge) {
    result_.body = body;
  }

  HealResult run(std::span<const Healing> wanted) {
    for (const HealingInfo& h : kHealings) {
      if (std::find(wanted.begin(), wanted.end(), h.healing) != wanted.end()) heal(h.healing);
    }
    note_unused(before_, result_);
    return std::move(result_);
  }

 private:
  Body& body() { return result_.body; }
  void heal(Healing h) {
    switch (h) {
      case Healing::loop_order:
        return order_loops();
      case Healing::short_edge:
        return merge_short_edges();
      case Healing::loop_gap:
        return close_gaps();
      case Healing::space_curve:
        return take_space_curves();
      case Healing::parameter_curve:
        return make_parameter_curves();
      case Healing::natural_bounds:
        return rebuild_faces();
    }
  }

  void order_loops() {
    for (std::uint32_t f = 0; f < body().faces.size(); ++f) {
      std::vector<FaceLoop> loops;
      for (FaceLoop& l : body().faces[f].loops) {
        std::string why;
        auto ordered = ordered_loops(body(), l, tolerance_, &why);
        if (!ordered || (ordered->moved == 0 && ordered->turned == 0)) {
          // Gaps are no matter of order.
          if (!ordered && why.starts_with("a vertex"))
            result_.refused.push_back({Healing::loop_order, f, l.entity, place_of(l), 0, why});
          loops.push_back(std::move(l));
          continue;
        }
        std::string detail = std::to_string(ordered->moved) + " edges moved, " +
                             std::to_string(ordered->turned) + " turned";
        if (ordered->loops.size() > 1)
          detail += "; parted into " + std::to_string(ordered->loops.size()) + " loops";
        result_.healed.push_back({Healing::loop_order, f, l.entity, place_of(l), 0, detail});
        for (FaceLoop& own : ordered->loops) loops.push_back(std::move(own));
      }
      body().faces[f].loops = std::move(loops);
    }
  }
  Point place_of(const FaceLoop& l) {
    return l.edges.empty() ? Point(Point::Zero())
                           : body().vertices[start_of(body(), l.edges[0])].point;
  }

  // Longer ones are not measured to their end.
  [[nodiscard]] double length_if_short(const BodyEdge& e) {
    constexpr int kPieces = 16;
    double length = 0;
    Point last = e.curve->point(e.range().low);
    for (int i = 1; i <= kPieces && length <= short_edge_; ++i) {
      const Point p = e.curve->point(e.range().low + e.range().width() * i / kPieces);
      length += (p - last).norm();
      last = p;
    }
    return length;
  }
  void merge_short_edges() {
    if (!(short_edge_ > 0)) return;
    struct Short {
      double length;
      std::uint32_t edge;
      auto operator<=>(const Short&) const = default;
    };
    std::vector<Short> found;
    const std::vector<std::uint32_t> uses = edge_uses(body());
    for (std::uint32_t e = 0; e < body().edges.size(); ++e) {
      const BodyEdge& edge = body().edges[e];
      if (uses[e] == 0 || !has_ends(edge)) continue;
      const double apart =
          (body().vertices[edge.start].point - body().vertices[edge.end].point).norm();
      if (!(apart <= short_edge_)) continue;
      const double length = length_if_short(edge);
      if (length <= short_edge_) found.push_back({length, e});
    }
    if (found.empty()) return;
    std::sort(found.begin(), found.end());
    std::map<std::uint32_t, std::vector<std::pair<std::uint32_t, std::size_t>>> loops_of;
    std::vector<std::vector<std::size_t>> left(body().faces.size());  // edges of each loop
    for (std::uint32_t f = 0; f < body().faces.size(); ++f) {
      for (std::size_t l = 0; l < body().faces[f].loops.size(); ++l) {
        left[f].push_back(body().faces[f].loops[l].edges.size());
        for (const EdgeUseOfFace& u : body().faces[f].loops[l].edges)
          loops_of[u.edge].emplace_back(f, l);
      }
    }
    Groups groups(body(), short_edge_);
    std::set<std::uint32_t> gone;
    for (const Short& s : found) {
      const auto& own = loops_of[s.edge];
      const BodyEdge& edge = body().edges[s.edge];
      Healed entry{Healing::short_edge,
                   own[0].first,
                   edge.entity,
                   body().vertices[edge.start].point,
                   s.length,
                   {}};
      std::map<std::pair<std::uint32_t, std::size_t>, std::size_t> taken;
      for (const auto& at : own) ++taken[at];
      const bool empties = std::any_of(taken.begin(), taken.end(), [&](const auto& t) {
        return left[t.first.first][t.first.second] <= t.second;
      });
      if (empties || !groups.unite(edge.start, edge.end)) {
        entry.detail = empties ? "nothing would be left of its loop"
                               : "vertices would be moved by more than the tolerance";
        result_.refused.push_back(std::move(entry));
        continue;
      }
      for (const auto& [at, count] : taken) left[at.first][at.second] -= count;
      gone.insert(s.edge);
      entry.detail = "merged into one vertex";
      result_.healed.push_back(std::move(entry));
    }
    for (Face& f : body().faces) {
      for (FaceLoop& l : f.loops)
        std::erase_if(l.edges, [&](const EdgeUseOfFace& u) { return gone.contains(u.edge); });
    }
    renumber(result_, groups);
  }

  void close_gaps() {
    Groups groups(body(), tolerance_);
    // Edges whose two ends must stay two.
    std::map<std::uint32_t, std::set<std::uint32_t>> other_end;
    for (const BodyEdge& e : body().edges) {
      if (e.start == e.end) continue;
      other_end[e.start].insert(e.end);
      other_end[e.end].insert(e.start);
    }
    bool any = false;
    for (std::uint32_t f = 0; f < body().faces.size(); ++f) {
      for (const FaceLoop& l : body().faces[f].loops) {
        const std::size_t n = l.edges.size();
        for (std::size_t i = 0; i < n; ++i) {
          const std::uint32_t a = groups.find(end_of(body(), l.edges[i])),
                              b = groups.find(start_of(body(), l.edges[(i + 1) % n]));
          if (a == b) continue;
          const double gap = (body().vertices[a].point - body().vertices[b].point).norm();
          if (!(gap <= tolerance_)) continue;
          const std::uint32_t kept = std::min(a, b), gone = std::max(a, b);
          Healed entry{Healing::loop_gap, f, l.entity, body().vertices[kept].point, gap, {}};
          if (other_end[a].contains(b) || !groups.unite(a, b)) {
            entry.detail = other_end[a].contains(b)
                               ? "an edge would lose its length"
                               : "vertices would be moved by more than the tolerance";
            result_.refused.push_back(std::move(entry));
            continue;
          }
          for (const std::uint32_t o : other_end[gone]) {
            other_end[o].erase(gone);
            other_end[o].insert(kept);
            other_end[kept].insert(o);
          }
          other_end.erase(gone);
          any = true;
          entry.detail = "closed";
          result_.healed.push_back(std::move(entry));
        }
      }
    }
    if (any) renumber(result_, groups);
  }

  void take_space_curves() {
    const double limit = kElsewhere * tolerance_;
    std::map<std::uint32_t, std::vector<std::uint32_t>> faces_of;
    for (std::uint32_t f = 0; f < body().faces.size(); ++f) {
      for (const FaceLoop& l : body().faces[f].loops) {
        for (const EdgeUseOfFace& u : l.edges) faces_of[u.edge].push_back(f);
      }
    }
    for (std::uint32_t f = 0; f < body().faces.size(); ++f) {
      for (const FaceLoop& l : body().faces[f].loops) {
        for (const EdgeUseOfFace& u : l.edges) {
          BodyEdge& edge = body().edges[u.edge];
          if (!u.in_parameters || !has_ends(edge) || !u.in_parameters->domain().is_finite())
            continue;
          const double off = off_of_edge(body().faces[f], edge);
          if (!(off > limit)) continue;
          Healed entry{Healing::space_curve,
                       f,
                       edge.entity,
                       edge.curve->point(edge.range().middle()),
                       off,
                       {}};
          if (const auto better = from_parameters(f, u, limit)) {
            const bool harms = std::any_of(
                faces_of[u.edge].begin(), faces_of[u.edge].end(), [&](std::uint32_t other) {
                  return other != f && off_of_edge(body().faces[other], *better) >
                                           std::max(limit, off_of_edge(body().faces[other], edge));
                });
            if (!harms) {
              edge = *better;
              entry.detail = "lies on its surface now";
              result_.healed.push_back(std::move(entry));
              continue;
            }
            entry.detail = "it would be farther from another face's surface";
          } else {
            entry.detail = "the curve in parameters does not end in its vertices";
          }
          result_.refused.push_back(std::move(entry));
        }
      }
    }
  }
  std::optional<BodyEdge> from_parameters(std::uint32_t f, const EdgeUseOfFace& u, double limit) {
    BodyEdge edge = body().edges[u.edge];
    edge.curve = make_curve_on_surface(body().faces[f].surface, u.in_parameters);
    const Interval d = edge.curve->domain();
    const Point low = edge.curve->point(d.low), high = edge.curve->point(d.high);
    const Point &a = body().vertices[edge.start].point, &b = body().vertices[edge.end].point;
    const double along = std::max((low - a).norm(), (high - b).norm());
    const double against = std::max((low - b).norm(), (high - a).norm());
    if (!(std::min(along, against) <= limit)) return std::nullopt;
    edge.from = along <= against ? d.low : d.high;
    edge.to = along <= against ? d.high : d.low;
    return edge;
  }

  void make_parameter_curves() {
    const double limit = kElsewhere * tolerance_;
    for (std::uint32_t f = 0; f < body().faces.size(); ++f) {
      Face& face = body().faces[f];
      for (FaceLoop& l : face.loops) {
        for (EdgeUseOfFace& u : l.edges) {
          const BodyEdge& edge = body().edges[u.edge];
          if (!u.in_parameters || !has_ends(edge)) continue;
          const auto [off, where] = off_in_parameters(face.surface, u.in_parameters, edge, limit);
          if (!(off > limit)) continue;
          u.in_parameters = curve_in_parameters(*face.surface, edge, tolerance_);
          result_.healed.push_back({Healing::parameter_curve, f, edge.entity, where, off,
                                    "made anew from the curve in space"});
        }
      }
    }
  }

  void rebuild_faces() {
    const TessellatedBody tried = tessellate(body(), {});
    std::map<std::uint32_t, Point> unusable;
    for (const FaceTrouble& t : tried.troubles) {
      using Kind = FaceTrouble::Kind;
      if (t.kind == Kind::open_loop || t.kind == Kind::no_facets || t.kind == Kind::loop_crossing)
        unusable.try_emplace(t.face, t.place);
    }
    // Loops that are open in space are closed by a straight line in parameters: a guess.
    for (std::uint32_t f = 0; f < body().faces.size(); ++f) {
      for (const FaceLoop& l : body().faces[f].loops) {
        for (std::size_t i = 0; i < l.edges.size(); ++i) {
          const Point
              &a = body().vertices[end_of(body(), l.edges[i])].point,
              &b = body().vertices[start_of(body(), l.edges[(i + 1) % l.edges.size()])].point;
          if ((a - b).norm() > tolerance_) unusable.try_emplace(f, a);
        }
      }
    }
    for (const auto& [f, place] : unusable) {
      Face& face = body().faces[f];
      Healed entry{Healing::natural_bounds, f, face.entity, place, 0, {}};
      try {
        face.loops = put_into(body(), natural_bounds(face.surface, body(), face.entity));
        entry.detail = "its loops could not be used";
        result_.healed.push_back(std::move(entry));
      } catch (const ArgumentError& error) {
        entry.detail = error.what();
        result_.refused.push_back(std::move(entry));
      }
    }
  }

  const Body& before_;
  double tolerance_;
  double short_edge_;
  HealResult result_;
};

}  // namespace

std::string_view slug(Healing h) { return info(h).slug; }
std::string_view explanation(Healing h) { return info(h).explanation; }

std::span<const Healing> all_healings() {
  static constexpr auto all = [] {
    std::array<Healing, kHealings.size()> list{};
    for (std::size_t i = 0; i < list.size(); ++i) list[i] = kHealings[i].healing;
    return list;
  }();
  return all;
}
std::vector<Healing> safe_healings() {
  std::vector<Healing> safe;
  for (const HealingInfo& h : kHealings) {
    if (h.is_safe) safe.push_back(h.healing);
  }
  return safe;
}
std::optional<Healing> parse_healing(std::string_view slug) {
  for (const HealingInfo& h : kHealings) {
    if (h.slug == slug) return h.healing;
  }
  return std::nullopt;
}

HealResult heal(const Body& body, double tolerance, std::span<const Healing> wanted,
                std::optional<double> short_edge) {
  if (!(tolerance >= 0) || !std::isfinite(tolerance)) {
    throw ArgumentError("heal: tolerance must be a finite length of 0 or more; got " +
                        short_text(tolerance));
  }
  if (short_edge && !(*short_edge >= 0 && *short_edge <= tolerance)) {
    throw ArgumentError("heal: a short edge must be 0 or more, and within the tolerance; got " +
                        short_text(*short_edge));
  }
  return Healer(body, tolerance, short_edge.value_or(tolerance)).run(wanted);
}

CurvePtr curve_in_parameters(const Surface& surface, const BodyEdge& edge, double tolerance) {
  if (!has_ends(edge)) throw ArgumentError("an edge without a curve that ends");
  constexpr std::size_t kMost = 4096;
  const SurfaceFoot foot(surface);
  for (std::size_t n = 8;; n *= 2) {
    std::vector<Point> flat;
    std::optional<Parameters> last;
    double off = 0;
    const double step = (edge.to - edge.from) / static_cast<double>(n);
    for (std::size_t i = 0; i <= n; ++i) {
      Parameters uv = foot.of(edge.curve->point(edge.from + step * static_cast<double>(i)), last);
      const double period[2] = {surface.period_u(), surface.period_v()};
      for (int k = 0; last && k < 2; ++k) {
        if (period[k] > 0) uv[k] += period[k] * std::round(((*last)[k] - uv[k]) / period[k]);
      }
      if (last) {
        const Point between = edge.curve->point(edge.from + step * (static_cast<double>(i) - 0.5));
        off = std::max(off, (surface.point(Parameters(0.5 * (*last + uv))) - between).norm());
      }
      flat.emplace_back(uv[0], uv[1], 0);
      last = uv;
    }
    if (off <= tolerance || n >= kMost) return make_polyline(std::move(flat));
  }
}

std::optional<OrderedLoops> ordered_loops(const Body& body, const FaceLoop& loop, double tolerance,
                                          std::string* why) {
  const auto refuse = [&](const std::string& text) {
    if (why != nullptr) *why = text;
    return std::nullopt;
  };
  const std::size_t n = loop.edges.size();
  if (n == 0) return OrderedLoops{{loop}, 0, 0};
  // Vertices near each other are one place.
  std::vector<std::uint32_t> vertices;
  for (const EdgeUseOfFace& u : loop.edges) {
    vertices.push_back(body.edges[u.edge].start);
    vertices.push_back(body.edges[u.edge].end);
  }
  std::sort(vertices.begin(), vertices.end());
  vertices.erase(std::unique(vertices.begin(), vertices.end()), vertices.end());
  std::vector<std::uint32_t> by_x = vertices;
  std::sort(by_x.begin(), by_x.end(), [&](std::uint32_t a, std::uint32_t b) {
    return std::pair(body.vertices[a].point.x(), a) < std::pair(body.vertices[b].point.x(), b);
  });
  Groups groups(body, tolerance);
  for (std::size_t i = 0; i < by_x.size(); ++i) {
    const Point& p = body.vertices[by_x[i]].point;
    for (std::size_t j = i + 1; j < by_x.size(); ++j) {
      const Point& q = body.vertices[by_x[j]].point;
      if (!(q.x() - p.x() <= tolerance)) break;
      if ((q - p).norm() <= tolerance) groups.unite(by_x[i], by_x[j]);
    }
  }
  const auto from = [&](const EdgeUseOfFace& u) { return groups.find(start_of(body, u)); };
  const auto to = [&](const EdgeUseOfFace& u) { return groups.find(end_of(body, u)); };
  bool in_order = true;
  for (std::size_t i = 0; i < n; ++i)
    in_order &= to(loop.edges[i]) == from(loop.edges[(i + 1) % n]);
  if (in_order) return OrderedLoops{{loop}, 0, 0};

  std::map<std::uint32_t, std::vector<std::size_t>> at;  // uses by place
  for (std::size_t i = 0; i < n; ++i) {
    at[from(loop.edges[i])].push_back(i);
    at[to(loop.edges[i])].push_back(i);
  }
  std::size_t loose = 0;
  for (const auto& [place, uses] : at) {
    if (uses.size() > 2)
      return refuse("a vertex with " + std::to_string(uses.size()) + " edges of the loop");
    loose += uses.size() == 1;
  }
  if (loose > 0) return refuse(std::to_string(loose) + " ends of edges lie apart from all others");

  OrderedLoops out;
  std::vector<bool> done(n);
  for (std::size_t first = 0; first < n; ++first) {
    if (done[first]) continue;
    FaceLoop own;
    own.entity = loop.entity;
    std::vector<std::size_t> order;
    std::size_t turned = 0;
    EdgeUseOfFace use = loop.edges[first];
    for (std::size_t i = first;;) {
      done[i] = true;
      order.push_back(i);
      turned += use.forward != loop.edges[i].forward;
      own.edges.push_back(use);
      const std::uint32_t place = to(use);
      const auto& uses = at[place];
      const std::size_t next = uses[0] == i ? uses[1] : uses[0];
      if (done[next]) break;
      use = loop.edges[next];
      if (from(use) != place) use.forward = !use.forward;
      i = next;
    }
    if (2 * turned > order.size()) {
      std::reverse(own.edges.begin(), own.edges.end());
      std::reverse(order.begin(), order.end());
      for (EdgeUseOfFace& u : own.edges) u.forward = !u.forward;
      turned = order.size() - turned;
    }
    out.turned += turned;
    for (std::size_t k = 0; k < order.size(); ++k) {
      out.moved += order[(k + 1) % order.size()] != (order[k] + 1) % n;
    }
    out.loops.push_back(std::move(own));
  }
  return out;
}

}  // namespace aguja
