#include "surface/face_domain.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include "surface/limits.h"

namespace aguja {

double area_of(const std::vector<DomainPoint>& polygon) {
  double area = 0;
  for (std::size_t i = 0; i < polygon.size(); ++i) {
    const Parameters &a = polygon[i].uv, &b = polygon[(i + 1) % polygon.size()].uv;
    area += a[0] * b[1] - a[1] * b[0];
  }
  return area;
}

bool contains(const std::vector<DomainPoint>& polygon, const Parameters& uv) {
  bool inside = false;
  for (std::size_t i = 0; i < polygon.size(); ++i) {
    const Parameters &a = polygon[i].uv, &b = polygon[(i + 1) % polygon.size()].uv;
    if ((a[1] > uv[1]) == (b[1] > uv[1])) continue;
    const double at = a[0] + (uv[1] - a[1]) / (b[1] - a[1]) * (b[0] - a[0]);
    if (uv[0] < at) inside = !inside;
  }
  return inside;
}

namespace {

// Cuts that run along the closing direction are tried first: what they go aside counts by this part.
constexpr double kCutSlant = 1e-6;
// Loops leave room for a cut where the gap between them is at least this part of a turn.
constexpr double kLeastFreeCut = 1e-6;

// A loop that encloses less than this part of the square of its length runs neither way.
constexpr double kLeastLoopArea = 1e-12;

double length_of(const std::vector<DomainPoint>& polygon) {
  double length = 0;
  for (std::size_t i = 0; i < polygon.size(); ++i) {
    length += (polygon[(i + 1) % polygon.size()].uv - polygon[i].uv).norm();
  }
  return length;
}

// A loop in parameters, followed continuously: it may end whole periods from where it began.
struct Followed {
  std::vector<DomainPoint> points;
  int turns_u = 0;
  int turns_v = 0;
  bool at_pole = false;

  void turn_round() {
    std::reverse(points.begin(), points.end());
    turns_u = -turns_u;
    turns_v = -turns_v;
  }
};

// Do two segments meet, ends included? What rounding cannot tell meets.
bool meet(const Parameters& a, const Parameters& b, const Parameters& c, const Parameters& d) {
  const auto side = [](const Parameters& p, const Parameters& q, const Parameters& r) {
    const double x = (q[0] - p[0]) * (r[1] - p[1]), y = (q[1] - p[1]) * (r[0] - p[0]);
    return std::fabs(x - y) <= kParameterRounding * (std::fabs(x) + std::fabs(y)) ? 0
           : x > y                                                                ? 1
                                                                                  : -1;
  };
  for (int k = 0; k < 2; ++k) {
    if (std::max(a[k], b[k]) < std::min(c[k], d[k]) || std::max(c[k], d[k]) < std::min(a[k], b[k]))
      return false;
  }
  return side(a, b, c) * side(a, b, d) <= 0 && side(c, d, a) * side(c, d, b) <= 0;
}

class DomainFinder {
 public:
  DomainFinder(const Surface& surface, double tolerance, double step_u, double step_v,
               const NewVertex& new_vertex)
      : surface_(surface),
        foot_(surface),
        tolerance_(tolerance),
        step_{step_u, step_v},
        new_vertex_(new_vertex),
        poles_(surface.poles()) {
    period_ = {surface.period_u(), surface.period_v()};
  }

  std::variant<FaceDomain, DomainFailure> run(const std::vector<DividedLoop>& loops,
                                              bool directed) {
    std::vector<Followed> around;
    for (const DividedLoop& loop : loops) {
      if (loop.is_vertex) {
        for (const auto& c : loop.corners) place_vertex(c);
        continue;
      }
      if (loop.corners.size() < 2) continue;
      Followed f = follow(loop);
      (f.turns_u != 0 || f.turns_v != 0 ? around : plain_).push_back(std::move(f));
    }
    for (Followed& f : around) {
      if (!close_around(f)) return failure(FaceTrouble::Kind::open_loop, f.points[0]);
    }
    // Where loops do not tell their side they may all run the other way.
    if (!connect(around)) {
      const DomainPoint at = around.empty() ? DomainPoint{} : around[0].points[0];
      for (Followed& f : around) f.turn_round();
      domain_.polygons.clear();
      if (!connect(around)) return failure(FaceTrouble::Kind::open_loop, at);
      if (directed) {
        domain_.turned.push_back(surface_.point(at.uv));
        domain_.outer_turned = true;
      }
    }
    std::stable_sort(plain_.begin(), plain_.end(), [](const Followed& a, const Followed& b) {
      return std::fabs(area_of(a.points)) > std::fabs(area_of(b.points));
    });
    if (domain_.polygons.empty()) {
      // Around holes alone the rest of a closed surface is meant.
      const bool is_rest =
          plain_.empty() || (directed && area_of(plain_[0].points) < 0 && is_closed());
      if (is_rest && !whole_surface()) {
        return plain_.empty() ? failure(FaceTrouble::Kind::no_facets, {})
                              : failure(FaceTrouble::Kind::open_loop, plain_[0].points[0]);
      }
    }
    domain_.either_side = directed && is_closed() && !(around.empty() && plain_.empty());
    add_plain(directed);
    for (DomainPoint& place : domain_.places) move_into_polygons(place);
    return std::move(domain_);
  }

 private:
  [[nodiscard]] DomainFailure failure(FaceTrouble::Kind kind, const DomainPoint& at) const {
    return {kind, surface_.point(at.uv), 0};
  }

  // The pole that a point is, if any; nearer than the edges' own accuracy tells.
  [[nodiscard]] const Pole* pole_at(const Point& p) const {
    for (const Pole& pole : poles_) {
      if ((pole.place - p).norm() <= tolerance_) return &pole;
    }
    return nullptr;
  }

  void note_off(const Parameters& uv, const Point& p) {
    const double off = (surface_.point(uv) - p).norm();
    if (off > domain_.largest_off) {
      domain_.largest_off = off;
      domain_.off_at = p;
    }
  }

  [[nodiscard]] Parameters nearest_turn(Parameters uv, const Parameters& to) const {
    for (int k = 0; k < 2; ++k) {
      if (period_[k] > 0) uv[k] += period_[k] * std::round((to[k] - uv[k]) / period_[k]);
    }
    return uv;
  }

  void place_vertex(const DividedLoop::Corner& c) {
    if (pole_at(c.p) != nullptr) return;  // it bounds nothing: the pole closes by itself
    domain_.places.push_back({foot_.of(c.p), c.vertex});
  }

  void move_into_polygons(DomainPoint& place) const {
    for (int a = -2; a <= 2; ++a) {
      for (int b = -2; b <= 2; ++b) {
        const Parameters uv = place.uv + Parameters(a * period_[0], b * period_[1]);
        if ((a != 0 && period_[0] == 0) || (b != 0 && period_[1] == 0)) continue;
        for (const auto& polygon : domain_.polygons) {
          if (contains(polygon, uv)) {
            place.uv = uv;
            return;
          }
        }
      }
    }
  }

  Followed follow(const DividedLoop& loop) {
    const std::size_t n = loop.corners.size();
    Followed out;
    std::vector<Parameters> uv(n);
    std::vector<const Pole*> pole(n);
    std::optional<Parameters> last;
    // Begin at a corner that is no pole.
    std::size_t first = 0;
    for (std::size_t i = 0; i < n; ++i) pole[i] = pole_at(loop.corners[i].p);
    while (first < n && pole[first] != nullptr) ++first;
    if (first == n) first = 0;
    bool jumped = false;
    std::optional<std::size_t> jump_at;  // in `points`: the first after the last pole
    for (std::size_t k = 0; k < n; ++k) {
      const std::size_t i = (first + k) % n;
      const DividedLoop::Corner& c = loop.corners[i];
      if (pole[i] != nullptr) {
        // Twice: as the end of what comes before, and the start of what follows.
        Parameters at = last.value_or(Parameters(0, 0));
        at[pole[i]->at_u ? 0 : 1] = pole[i]->value;
        out.points.push_back({at, c.vertex});
        out.points.push_back({at, c.vertex});
        jumped = true;
        out.at_pole = true;
        continue;
      }
      Parameters here = foot_.of(c.p, last);
      note_off(here, c.p);
      if (last) here = nearest_turn(here, *last);
      if (jumped) {
        // The pole's second point takes over the direction in which the loop goes on.
        DomainPoint& start = out.points.back();
        const Pole* p = pole[(i + n - 1) % n];
        start.uv = here;
        if (p != nullptr) start.uv[p->at_u ? 0 : 1] = p->value;
        jump_at = out.points.size() - 1;
        jumped = false;
      }
      uv[i] = here;
      last = here;
      out.points.push_back({here, c.vertex});
    }
    const DomainPoint& start = out.points.front();
    const Parameters back = nearest_turn(start.uv, out.points.back().uv);
    int turns[2] = {0, 0};
    for (int k = 0; k < 2; ++k) {
      if (period_[k] > 0)
        turns[k] = static_cast<int>(std::lround((back[k] - start.uv[k]) / period_[k]));
    }
    if (jumped) {
      // The loop ends in a pole: on to where it began.
      const Pole* p = pole[(first + n - 1) % n];
      out.points.back().uv = start.uv;
      if (p != nullptr) out.points.back().uv[p->at_u ? 0 : 1] = p->value;
      turns[0] = turns[1] = 0;
    } else if (jump_at && (turns[0] != 0 || turns[1] != 0)) {
      // What closes it is the way around the pole.
      for (std::size_t i = *jump_at; i < out.points.size(); ++i) {
        for (int k = 0; k < 2; ++k) out.points[i].uv[k] -= turns[k] * period_[k];
      }
      turns[0] = turns[1] = 0;
    }
    out.turns_u = turns[0];
    out.turns_v = turns[1];
    if (out.at_pole) face_left(out);
    return out;
  }

  // Between two poles either way around is possible: the one with the face on its left is meant.
  void face_left(Followed& f) const {
    if (f.turns_u != 0 || f.turns_v != 0 || area_of(f.points) > 0) return;
    std::vector<std::size_t> jumps;
    for (std::size_t i = 0; i < f.points.size(); ++i) {
      const DomainPoint &a = f.points[i], &b = f.points[(i + 1) % f.points.size()];
      if (a.vertex == b.vertex) jumps.push_back(i + 1);
    }
    if (jumps.size() != 2) return;
    const int k = poles_[0].at_u ? 1 : 0;
    for (const double sign : {1.0, -1.0}) {
      Followed other = f;
      for (std::size_t i = jumps[0]; i < jumps[1]; ++i) {
        other.points[i].uv[k] += sign * period_[k];
      }
      if (area_of(other.points) > 0) {
        f = other;
        return;
      }
    }
  }

  // Only once around, and in one direction.
  [[nodiscard]] static bool close_around(const Followed& f) {
    return std::abs(f.turns_u) + std::abs(f.turns_v) == 1;
  }

  // Points on the straight line in parameters from one to another, both excluded.
  std::vector<DomainPoint> seam(const DomainPoint& a, const DomainPoint& b) {
    const Parameters d = b.uv - a.uv;
    double pieces = 1;
    for (int k = 0; k < 2; ++k) pieces = std::max(pieces, std::ceil(std::fabs(d[k]) / step_[k]));
    const auto count = static_cast<int>(std::clamp(pieces, 1.0, 2000.0));
    std::vector<DomainPoint> out;
    for (int i = 1; i < count; ++i) {
      const Parameters uv = a.uv + d * (static_cast<double>(i) / count);
      out.push_back({uv, new_vertex_(surface_.point(uv))});
    }
    return out;
  }
  static std::vector<DomainPoint> shifted(std::vector<DomainPoint> points, int k, double by) {
    for (DomainPoint& p : points) p.uv[k] += by;
    return points;
  }
  static void append(std::vector<DomainPoint>& to, const std::vector<DomainPoint>& more) {
    to.insert(to.end(), more.begin(), more.end());
  }

  // Loops that go all around are cut open, and joined in pairs or to a pole.
  bool connect(std::vector<Followed> around) {
    if (around.empty()) return true;
    const int k = around[0].turns_u != 0 ? 0 : 1;  // goes around in this direction
    const int across = 1 - k;
    std::vector<std::size_t> left, right;  // running with the direction, and against it
    for (std::size_t i = 0; i < around.size(); ++i) {
      const int turns = k == 0 ? around[i].turns_u : around[i].turns_v;
      if (turns == 0) return false;
      // With the face on its left, the face lies on the far side in v of a loop along u, on the
      // near side in u of a loop along v.
      (turns > 0 ? left : right).push_back(i);
    }
    const double up = k == 0 ? 1 : -1;
    const auto mean = [&](const Followed& f) {
      double sum = 0;
      for (const DomainPoint& p : f.points) sum += p.uv[across];
      return sum / static_cast<double>(f.points.size());
    };
    for (const std::size_t i : left) {
      Followed& low = around[i];
      // The nearest of the others beyond it.
      double nearest = std::numeric_limits<double>::infinity();
      std::size_t partner = around.size();
      double shift = 0;
      for (const std::size_t j : right) {
        if (around[j].points.empty()) continue;
        double way = up * (mean(around[j]) - mean(low));
        double by = 0;
        if (period_[across] > 0) {
          by = -period_[across] * std::floor(way / period_[across]);
          if (way + by <= 0) by += period_[across];
          way += by;
        }
        if (way <= 0 || way >= nearest) continue;
        nearest = way;
        partner = j;
        shift = up * by;
      }
      if (partner == around.size()) {
        if (!join_to_pole(low, k, up)) return false;
        continue;
      }
      if (!join(low, around[partner], k, shift)) return false;
      around[partner].points.clear();
    }
    for (const std::size_t j : right) {
      if (!around[j].points.empty() && !join_to_pole(around[j], k, -up)) return false;
    }
    return true;
  }

  // `a` runs with the direction, `b` against it, beyond; one polygon with a seam between.
  bool join(const Followed& a, const Followed& b, int k, double shift) {
    const double period = period_[k];
    const std::vector<DomainPoint> other = shifted(b.points, 1 - k, shift);
    // Where the two are nearest along the direction, and nothing is between.
    struct Cut {
      double off;
      std::size_t from, to;
    };
    std::vector<Cut> cuts;
    const std::size_t tried = std::min(a.points.size(), kMostCuts);
    for (std::size_t i = 0; i < tried; ++i) {
      const std::size_t at = i * a.points.size() / tried;
      for (std::size_t j = 0; j < other.size(); ++j) {
        const double d = a.points[at].uv[k] - other[j].uv[k];
        cuts.push_back({std::fabs(d - period * std::round(d / period)) +
                            kCutSlant * std::fabs(a.points[at].uv[1 - k] - other[j].uv[1 - k]),
                        at, j});
      }
    }
    std::stable_sort(cuts.begin(), cuts.end(),
                     [](const Cut& x, const Cut& y) { return x.off < y.off; });
    cuts.resize(std::min(cuts.size(), kMostTried));
    for (const Cut& cut : cuts) {
      const Parameters &p = a.points[cut.from].uv, q = other[cut.to].uv;
      Parameters end = q;
      end[k] += period * std::round((p[k] - q[k]) / period);
      if (is_blocked(p, end) || runs_into(a.points, cut.from, p, end, k) ||
          runs_into(other, cut.to, p, end, k))
        continue;
      const std::vector<DomainPoint> first = opened(a.points, cut.from, k, period);
      std::vector<DomainPoint> second = opened(other, cut.to, k, -period);
      // The second begins where the first ends.
      const double d = first.back().uv[k] - second.front().uv[k];
      second = shifted(std::move(second), k, period * std::round(d / period));
      const std::vector<DomainPoint> up = seam(first.back(), second.front());
      std::vector<DomainPoint> polygon = first;
      append(polygon, up);
      append(polygon, second);
      std::vector<DomainPoint> down(up.rbegin(), up.rend());
      append(polygon, shifted(std::move(down), k, -period));
      domain_.polygons.push_back(std::move(polygon));
      return true;
    }
    return false;
  }

  // Does a loop that does not go around, or a place, lie in the way, wherever it is repeated?
  [[nodiscard]] bool is_blocked(const Parameters& a, const Parameters& b) const {
    for (const Followed& f : plain_) {
      for (std::size_t i = 0; i < f.points.size(); ++i) {
        if (meets_repeated(a, b, f.points[i].uv, f.points[(i + 1) % f.points.size()].uv))
          return true;
      }
    }
    return std::any_of(domain_.places.begin(), domain_.places.end(),
                       [&](const DomainPoint& p) { return meets_repeated(a, b, p.uv, p.uv); });
  }
  [[nodiscard]] bool meets_repeated(const Parameters& a, const Parameters& b, const Parameters& c,
                                    const Parameters& d) const {
    int low[2] = {0, 0}, high[2] = {0, 0};
    for (int k = 0; k < 2; ++k) {
      if (period_[k] == 0) continue;
      low[k] = static_cast<int>(
          std::ceil((std::min(a[k], b[k]) - std::max(c[k], d[k])) / period_[k] - kSameParameter));
      high[k] = static_cast<int>(
          std::floor((std::max(a[k], b[k]) - std::min(c[k], d[k])) / period_[k] + kSameParameter));
    }
    for (int i = low[0]; i <= high[0]; ++i) {
      for (int j = low[1]; j <= high[1]; ++j) {
        const Parameters by(i * period_[0], j * period_[1]);
        if (meet(a, b, c + by, d + by)) return true;
      }
    }
    return false;
  }
  // Does the way from one of its own points run into the loop again?
  [[nodiscard]] bool runs_into(const std::vector<DomainPoint>& loop, std::size_t own,
                               const Parameters& a, const Parameters& b, int k) const {
    const std::size_t n = loop.size();
    for (std::size_t i = 0; i < n; ++i) {
      const std::size_t next = (i + 1) % n;
      if (i == own || next == own) continue;
      Parameters d = loop[next].uv;
      if (next == 0) d[k] += period_[k] * std::round((loop[i].uv[k] - d[k]) / period_[k]);
      if (meets_repeated(a, b, loop[i].uv, d)) return true;
    }
    return false;
  }

  // The loop from one of its points once around to the same point, a period on.
  static std::vector<DomainPoint> opened(const std::vector<DomainPoint>& points, std::size_t from,
                                         int k, double period) {
    std::vector<DomainPoint> out(points.begin() + static_cast<std::ptrdiff_t>(from), points.end());
    for (std::size_t i = 0; i <= from; ++i) {
      out.push_back(points[i]);
      out.back().uv[k] += period;
    }
    return out;
  }

  bool join_to_pole(const Followed& loop, int k, double way) {
    const Pole* pole = nullptr;
    double nearest = std::numeric_limits<double>::infinity();
    for (const Pole& p : poles_) {
      if (p.at_u != (k == 1)) continue;
      const double d = way * (p.value - loop.points[0].uv[1 - k]);
      if (d > 0 && d < nearest) nearest = d, pole = &p;
    }
    if (pole == nullptr) return false;
    const int turns = k == 0 ? loop.turns_u : loop.turns_v;
    const double period = turns * period_[k];
    // From where the way to the pole is free.
    std::optional<std::size_t> from;
    const std::size_t tried = std::min(loop.points.size(), kMostCuts);
    for (std::size_t i = 0; i < tried && !from; ++i) {
      const std::size_t at = i * loop.points.size() / tried;
      Parameters end = loop.points[at].uv;
      end[1 - k] = pole->value;
      if (!is_blocked(loop.points[at].uv, end) &&
          !runs_into(loop.points, at, loop.points[at].uv, end, k))
        from = at;
    }
    if (!from) return false;
    std::vector<DomainPoint> polygon = opened(loop.points, *from, k, period);
    const VertexId tip = new_vertex_(pole->place);
    DomainPoint end{polygon.back().uv, tip};
    end.uv[1 - k] = pole->value;
    const std::vector<DomainPoint> up = seam(polygon.back(), end);
    append(polygon, up);
    append(polygon, pole_line(end, k, -period, tip));
    std::vector<DomainPoint> down(up.rbegin(), up.rend());
    append(polygon, shifted(std::move(down), k, -period));
    domain_.polygons.push_back(std::move(polygon));
    return true;
  }

  // A pole as a side of the domain, both ends included.
  [[nodiscard]] std::vector<DomainPoint> pole_line(const DomainPoint& from, int k, double length,
                                                   VertexId tip) const {
    const auto count =
        static_cast<int>(std::clamp(std::ceil(std::fabs(length) / step_[k]), 1.0, 2000.0));
    std::vector<DomainPoint> out;
    for (int i = 0; i <= count; ++i) {
      out.push_back({from.uv, tip});
      out.back().uv[k] += length * i / count;
    }
    return out;
  }

  // Without a border: each direction closes on itself, or ends in poles.
  [[nodiscard]] bool is_closed() const {
    const auto ends_in_poles = [&](bool at_u) {
      return std::count_if(poles_.begin(), poles_.end(),
                           [&](const Pole& p) { return p.at_u == at_u; }) == 2;
    };
    return (period_[0] > 0 || ends_in_poles(true)) && (period_[1] > 0 || ends_in_poles(false));
  }

  // Where a closed direction is cut open so that no loop is cut: in the middle of what is widest
  // free of them. Nothing if none is.
  [[nodiscard]] std::optional<double> free_cut(int k, double low) const {
    const double period = period_[k];
    std::vector<Interval> taken;
    for (const Followed& f : plain_) {
      Interval own{f.points[0].uv[k], f.points[0].uv[k]};
      for (const DomainPoint& p : f.points) {
        own.low = std::min(own.low, p.uv[k]);
        own.high = std::max(own.high, p.uv[k]);
      }
      const double by = period * std::floor((own.low - low) / period);
      taken.push_back({own.low - by, own.high - by});
    }
    for (const DomainPoint& p : domain_.places) {
      const double at = p.uv[k] - period * std::floor((p.uv[k] - low) / period);
      taken.push_back({at, at});
    }
    if (taken.empty()) return low;
    std::sort(taken.begin(), taken.end(),
              [](const Interval& a, const Interval& b) { return a.low < b.low; });
    // What reaches over the end covers the start.
    double reached = low;
    for (const Interval& t : taken) reached = std::max(reached, t.high - period);
    double widest = 0, cut = 0;
    const auto look = [&](double from, double to) {
      if (to - from > widest) widest = to - from, cut = 0.5 * (from + to);
    };
    const double first = reached;
    for (const Interval& t : taken) {
      look(reached, t.low);
      reached = std::max(reached, t.high);
    }
    look(reached, first > low ? low + period : taken[0].low + period);
    return widest > kLeastFreeCut * period ? std::optional(cut) : std::nullopt;
  }

  // No loop bounds it from outside: the whole of a closed surface, or of a bounded domain.
  bool whole_surface() {
    Interval u = surface_.domain_u(), v = surface_.domain_v();
    if (!u.is_finite() || !v.is_finite()) return false;
    for (const int k : {0, 1}) {
      Interval& own = k == 0 ? u : v;
      if (period_[k] == 0) continue;
      const auto cut = free_cut(k, own.low);
      if (!cut) return false;
      own = {*cut, *cut + period_[k]};
    }
    const Parameters corner[4] = {
        {u.low, v.low}, {u.high, v.low}, {u.high, v.high}, {u.low, v.high}};
    const auto pole_of = [&](const Parameters& a, const Parameters& b) -> const Pole* {
      for (const Pole& p : poles_) {
        const int fixed = p.at_u ? 0 : 1;
        const double reach = kSameParameter * (p.at_u ? u : v).width();
        if (std::fabs(a[fixed] - p.value) <= reach && std::fabs(b[fixed] - p.value) <= reach)
          return &p;
      }
      return nullptr;
    };
    const Pole* side_pole[4];
    for (int side = 0; side < 4; ++side)
      side_pole[side] = pole_of(corner[side], corner[(side + 1) % 4]);
    // Vertices of the corners: one where sides are one, or one point.
    int first[4] = {0, 1, 2, 3};
    const auto unite = [&](int x, int y) {
      const int from = std::max(first[x], first[y]), to = std::min(first[x], first[y]);
      for (int& c : first) {
        if (c == from) c = to;
      }
    };
    for (int side = 0; side < 4; ++side) {
      if (side_pole[side] != nullptr) unite(side, (side + 1) % 4);
    }
    if (period_[0] > 0) unite(0, 1), unite(3, 2);
    if (period_[1] > 0) unite(0, 3), unite(1, 2);
    VertexId id[4] = {};
    for (int c = 0; c < 4; ++c)
      id[c] = first[c] == c ? new_vertex_(surface_.point(corner[c])) : id[first[c]];
    std::vector<std::vector<DomainPoint>> sides(4);
    for (int s = 0; s < 4; ++s) {
      const DomainPoint a{corner[s], id[s]}, b{corner[(s + 1) % 4], id[(s + 1) % 4]};
      const int along = s % 2 == 0 ? 0 : 1;
      if (side_pole[s] != nullptr) {
        sides[s] = pole_line(a, along, b.uv[along] - a.uv[along], id[s]);
        sides[s].pop_back();
        continue;
      }
      sides[s] = {a};
      // The far side of a closed direction is the near one again.
      const int near = s == 2 ? 0 : s == 3 ? 1 : -1;
      if (near >= 0 && period_[1 - along] > 0 && side_pole[near] == nullptr) {
        std::vector<DomainPoint> again(sides[near].rbegin(), sides[near].rend() - 1);
        for (DomainPoint& p : again) p.uv[1 - along] = a.uv[1 - along];
        append(sides[s], again);
        continue;
      }
      append(sides[s], seam(a, b));
    }
    std::vector<DomainPoint> polygon;
    for (const auto& side : sides) append(polygon, side);
    domain_.polygons.push_back(std::move(polygon));
    return true;
  }

  // Loops that do not go around: outer ones, and holes moved to where what they are in is.
  void add_plain(bool directed) {
    const std::size_t bands = domain_.polygons.size();
    for (Followed& f : plain_) {
      if (!domain_.polygons.empty()) move_inside(f.points);
      // Outer ones and holes follow each other inwards, and run opposite ways.
      std::size_t outside = 0;
      for (const auto& polygon : domain_.polygons) {
        outside += contains(polygon, f.points[0].uv);
      }
      const double area = area_of(f.points), length = length_of(f.points);
      if (directed && !f.at_pole && std::fabs(area) > kLeastLoopArea * length * length &&
          (area > 0) != (outside % 2 == 0) && (bands == 0 || outside > 0)) {
        domain_.turned.push_back(surface_.point(f.points[0].uv));
        domain_.outer_turned |= outside == 0;
      }
      domain_.polygons.push_back(std::move(f.points));
    }
  }
  void move_inside(std::vector<DomainPoint>& points) const {
    const auto is_inside = [&](const Parameters& by) {
      const std::size_t tried = std::min<std::size_t>(points.size(), 5);
      return std::any_of(domain_.polygons.begin(), domain_.polygons.end(),
                         [&](const auto& polygon) {
                           std::size_t in = 0;
                           for (std::size_t i = 0; i < tried; ++i)
                             in += contains(polygon, points[i * points.size() / tried].uv + by);
                           return 2 * in > tried;
                         });
    };
    for (const int a : {0, 1, -1, 2, -2}) {
      for (const int b : {0, 1, -1, 2, -2}) {
        if ((a != 0 && period_[0] == 0) || (b != 0 && period_[1] == 0)) continue;
        const Parameters by(a * period_[0], b * period_[1]);
        if (!is_inside(by)) continue;
        for (DomainPoint& p : points) p.uv += by;
        return;
      }
    }
  }

  // Places that are tried to cut open what goes around.
  static constexpr std::size_t kMostCuts = 64, kMostTried = 4096;

  const Surface& surface_;
  SurfaceFoot foot_;
  double tolerance_;
  std::array<double, 2> step_;
  const NewVertex& new_vertex_;
  std::vector<Pole> poles_;
  Parameters period_;
  std::vector<Followed> plain_;  // loops that do not go around
  FaceDomain domain_;
};

}  // namespace

std::variant<FaceDomain, DomainFailure> find_domain(const Surface& surface,
                                                    const std::vector<DividedLoop>& loops,
                                                    bool directed, double tolerance, double step_u,
                                                    double step_v, const NewVertex& new_vertex) {
  return DomainFinder(surface, tolerance, step_u, step_v, new_vertex).run(loops, directed);
}

}  // namespace aguja
