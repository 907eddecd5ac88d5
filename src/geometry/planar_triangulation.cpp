#include "aguja/geometry/planar_triangulation.h"

#include <algorithm>
#include <deque>
#include <numeric>
#include <optional>

#include "aguja/base/error.h"
#include "aguja/geometry/predicates.h"

namespace aguja {
namespace {

constexpr std::uint32_t kNoFace = 0xFFFFFFFFu;

struct FlatFace {
  std::array<std::uint32_t, 3> corner;
  std::array<std::uint32_t, 3> beyond;  // the face opposite of each corner, or kNoFace
  std::array<bool, 3> fixed;            // is the side opposite of the corner a constraint?
};

// A side of a face: opposite of its k-th corner.
struct FlatSide {
  std::uint32_t face;
  int k;
};

// What the triangulation asks of its points: `turn`, `in_circle`, and `compare` along u (0) and v (1).
class PointsInPlane {
 public:
  explicit PointsInPlane(std::span<const PlanarPoint> points) : points_(points) {}
  [[nodiscard]] std::size_t size() const { return points_.size(); }
  [[nodiscard]] int turn(std::uint32_t a, std::uint32_t b, std::uint32_t c) const {
    return orient2d(points_[a].x(), points_[a].y(), points_[b].x(), points_[b].y(), points_[c].x(),
                    points_[c].y());
  }
  [[nodiscard]] int in_circle(std::uint32_t i, std::uint32_t j, std::uint32_t k,
                              std::uint32_t l) const {
    const PlanarPoint &a = points_[i], &b = points_[j], &c = points_[k], &d = points_[l];
    return aguja::in_circle(a.x(), a.y(), b.x(), b.y(), c.x(), c.y(), d.x(), d.y());
  }
  [[nodiscard]] int compare(std::uint32_t a, std::uint32_t b, int axis) const {
    const double p = points_[a][axis], q = points_[b][axis];
    return static_cast<int>(p > q) - static_cast<int>(p < q);
  }

 private:
  std::span<const PlanarPoint> points_;
};

// Exact points as seen along an axis, from the side that a plane faces.
class ExactPointsInPlane {
 public:
  ExactPointsInPlane(const ExactPoints& points, std::span<const ExactPointId> ids,
                     const ExactPoints::View& view)
      : points_(points), ids_(ids), view_(view) {}
  [[nodiscard]] std::size_t size() const { return ids_.size(); }
  [[nodiscard]] int turn(std::uint32_t a, std::uint32_t b, std::uint32_t c) const {
    return view_.sign * points_.orient2d(ids_[a], ids_[b], ids_[c], view_.axis);
  }
  [[nodiscard]] int in_circle(std::uint32_t a, std::uint32_t b, std::uint32_t c,
                              std::uint32_t d) const {
    return view_.sign *
           points_.in_circle_staged(ids_[a], ids_[b], ids_[c], ids_[d], view_.axis).sign;
  }
  [[nodiscard]] int compare(std::uint32_t a, std::uint32_t b, int axis) const {
    const bool first = (axis == 0) == (view_.sign > 0);
    return points_.compare(ids_[a], ids_[b], (view_.axis + (first ? 1 : 2)) % 3);
  }

 private:
  const ExactPoints& points_;
  std::span<const ExactPointId> ids_;
  ExactPoints::View view_;
};

// Delaunay triangulation of very many points by dividing them in two, again and again, and merging:
// O(n log n) whatever their places, where turning the edges of any triangulation may take n^2 turns.
template <class Points>
class DividedDelaunay {
 public:
  // `order`: the points by x, then y, each once.
  DividedDelaunay(const Points& points, std::span<const std::uint32_t> order)
      : points_(points), order_(order) {
    if (order.size() >= 2) static_cast<void>(merged(0, order.size()));
  }

  // `visit(edge, edge, edge)` for every triangle, its edges counter-clockwise.
  template <class Visit>
  void for_each_triangle(const Visit& visit) const {
    std::vector<bool> seen(from_.size());
    for (std::uint32_t e = 0; e < from_.size(); ++e) {
      if (seen[e] || is_gone(e)) continue;
      const std::uint32_t f = left_next(e), g = left_next(f);
      if (left_next(g) != e || points_.turn(from_[e], from_[f], from_[g]) <= 0) continue;
      seen[e] = seen[f] = seen[g] = true;
      visit(e, f, g);
    }
  }
  [[nodiscard]] std::uint32_t from(std::uint32_t e) const { return from_[e]; }
  // Edges in both directions have numbers that differ in the last bit.
  [[nodiscard]] static std::uint32_t reverse(std::uint32_t e) { return e ^ 1U; }
  [[nodiscard]] std::size_t edge_count() const { return from_.size(); }

 private:
  // Edges of the hull: counter-clockwise from its first point, clockwise from its last.
  struct Ends {
    std::uint32_t left, right;
  };

  [[nodiscard]] std::uint32_t to(std::uint32_t e) const { return from_[reverse(e)]; }
  // The edge that follows around the face on its left, and those before it on either side.
  [[nodiscard]] std::uint32_t left_next(std::uint32_t e) const { return before_[reverse(e)]; }
  [[nodiscard]] std::uint32_t right_previous(std::uint32_t e) const { return after_[reverse(e)]; }
  [[nodiscard]] bool is_gone(std::uint32_t e) const { return from_[e] == kNoFace; }
  [[nodiscard]] bool is_left(std::uint32_t p, std::uint32_t e) const {
    return points_.turn(p, from_[e], to(e)) > 0;
  }
  [[nodiscard]] bool is_right(std::uint32_t p, std::uint32_t e) const {
    return points_.turn(p, to(e), from_[e]) > 0;
  }
  [[nodiscard]] bool is_in_circle(std::uint32_t a, std::uint32_t b, std::uint32_t c,
                                  std::uint32_t d) const {
    return points_.in_circle(a, b, c, d) > 0;
  }

  std::uint32_t add(std::uint32_t a, std::uint32_t b) {
    const auto e = static_cast<std::uint32_t>(from_.size());
    for (const std::uint32_t own : {e, reverse(e)}) {
      from_.push_back(own == e ? a : b);
      after_.push_back(own);
      before_.push_back(own);
    }
    return e;
  }
  // Into the ring around the same point, counter-clockwise after `e`.
  void put_after(std::uint32_t e, std::uint32_t added) {
    const std::uint32_t next = after_[e];
    after_[e] = added;
    before_[added] = e;
    after_[added] = next;
    before_[next] = added;
  }
  // From the end of `a` to the start of `b`, which lie on the same face on their left.
  std::uint32_t connect(std::uint32_t a, std::uint32_t b) {
    const std::uint32_t e = add(to(a), from_[b]);
    put_after(before_[reverse(a)], e);
    put_after(b, reverse(e));
    return e;
  }
  void remove(std::uint32_t e) {
    for (const std::uint32_t own : {e, reverse(e)}) {
      after_[before_[own]] = after_[own];
      before_[after_[own]] = before_[own];
    }
    from_[e] = from_[reverse(e)] = kNoFace;
  }

  Ends merged(std::size_t begin, std::size_t end) {
    if (end - begin == 2) {
      const std::uint32_t e = add(order_[begin], order_[begin + 1]);
      return {e, reverse(e)};
    }
    if (end - begin == 3) {
      const std::uint32_t a = add(order_[begin], order_[begin + 1]);
      const std::uint32_t b = add(order_[begin + 1], order_[begin + 2]);
      put_after(reverse(a), b);
      const int turn = points_.turn(order_[begin], order_[begin + 1], order_[begin + 2]);
      if (turn == 0) return {a, reverse(b)};
      const std::uint32_t c = connect(b, a);
      return turn > 0 ? Ends{a, reverse(b)} : Ends{reverse(c), c};
    }
    const std::size_t middle = begin + (end - begin) / 2;
    const Ends first = merged(begin, middle), second = merged(middle, end);
    std::uint32_t left = first.left, right = second.right;
    std::uint32_t own = first.right, other = second.left;
    // Down to the edge under both.
    while (true) {
      if (is_left(from_[other], own)) {
        own = left_next(own);
      } else if (is_right(from_[own], other)) {
        other = right_previous(other);
      } else {
        break;
      }
    }
    std::uint32_t base = connect(reverse(other), own);
    if (from_[own] == from_[left]) left = reverse(base);
    if (from_[other] == from_[right]) right = base;
    rise(base);
    return {left, right};
  }
  // From the lowest edge between two triangulations to the highest.
  void rise(std::uint32_t base) {
    while (true) {
      const auto is_above = [&](std::uint32_t e) { return is_right(to(e), base); };
      std::uint32_t l = after_[reverse(base)];
      while (is_above(l) && is_in_circle(to(base), from_[base], to(l), to(after_[l]))) {
        const std::uint32_t next = after_[l];
        remove(l);
        l = next;
      }
      std::uint32_t r = before_[base];
      while (is_above(r) && is_in_circle(to(base), from_[base], to(r), to(before_[r]))) {
        const std::uint32_t next = before_[r];
        remove(r);
        r = next;
      }
      const bool can_left = is_above(l), can_right = is_above(r);
      if (!can_left && !can_right) return;
      const bool takes_right =
          !can_left || (can_right && is_in_circle(to(l), from_[l], from_[r], to(r)));
      base = takes_right ? connect(r, reverse(base)) : connect(reverse(base), reverse(l));
    }
  }

  const Points& points_;
  std::span<const std::uint32_t> order_;
  std::vector<std::uint32_t> from_;            // by directed edge
  std::vector<std::uint32_t> after_, before_;  // around its first point, counter-clockwise
};

template <class Points>
class Triangulator {
 public:
  Triangulator(const Points& points, std::size_t divided_from)
      : points_(points), first_of_(points.size()), face_at_(points.size(), kNoFace) {
    order();
    if (order_.size() >= divided_from) {
      divide();
    } else {
      sweep();
      make_delaunay();
    }
  }

  // Empty if it crosses a constraint; then nothing has changed but for pieces before that.
  bool constrain(std::uint32_t a, std::uint32_t b) {
    a = first_of_[a];
    b = first_of_[b];
    if (a == b || faces_.empty()) return true;
    // A constraint that must be refused is refused as a whole.
    std::vector<std::pair<std::uint32_t, std::uint32_t>> pieces;
    for (std::uint32_t from = a; from != b;) {
      const std::optional<std::uint32_t> to = next_on_way(from, b);
      if (!to) return false;
      pieces.emplace_back(from, *to);
      from = *to;
    }
    for (const auto& [from, to] : pieces) force(from, to);
    return true;
  }

  PlanarTriangulation result() const {
    PlanarTriangulation r;
    for (const FlatFace& f : faces_) {
      r.triangles.push_back(f.corner);
      for (int k = 0; k < 3; ++k) {
        const std::uint32_t a = f.corner[(k + 1) % 3], b = f.corner[(k + 2) % 3];
        if (f.fixed[k]) r.constrained.push_back({std::min(a, b), std::max(a, b)});
      }
    }
    std::sort(r.constrained.begin(), r.constrained.end());
    r.constrained.erase(std::unique(r.constrained.begin(), r.constrained.end()),
                        r.constrained.end());
    return r;
  }

 private:
  [[nodiscard]] int turn(std::uint32_t a, std::uint32_t b, std::uint32_t c) const {
    return points_.turn(a, b, c);
  }

  [[nodiscard]] int compare(std::uint32_t a, std::uint32_t b) const {
    const int first = points_.compare(a, b, 0);
    return first != 0 ? first : points_.compare(a, b, 1);
  }
  // By x, then y; equal points are the first of them.
  void order() {
    order_.resize(points_.size());
    std::iota(order_.begin(), order_.end(), 0u);
    std::sort(order_.begin(), order_.end(), [&](std::uint32_t a, std::uint32_t b) {
      const int where = compare(a, b);
      return where != 0 ? where < 0 : a < b;
    });
    std::size_t kept = 0;
    for (const std::uint32_t v : order_) {
      if (kept > 0 && compare(order_[kept - 1], v) == 0) {
        first_of_[v] = order_[kept - 1];
        continue;
      }
      first_of_[v] = v;
      order_[kept++] = v;
    }
    order_.resize(kept);
  }

  std::uint32_t add_face(std::uint32_t a, std::uint32_t b, std::uint32_t c) {
    const auto id = static_cast<std::uint32_t>(faces_.size());
    faces_.push_back({{a, b, c}, {kNoFace, kNoFace, kNoFace}, {false, false, false}});
    for (const std::uint32_t v : {a, b, c}) face_at_[v] = id;
    return id;
  }
  void join(FlatSide s, FlatSide t) {
    faces_[s.face].beyond[s.k] = t.face;
    faces_[t.face].beyond[t.k] = s.face;
  }

  void divide() {
    const DividedDelaunay<Points> divided(points_, order_);
    std::vector<FlatSide> side(divided.edge_count(), FlatSide{kNoFace, 0});
    divided.for_each_triangle([&](std::uint32_t e, std::uint32_t f, std::uint32_t g) {
      const std::uint32_t face = add_face(divided.from(e), divided.from(f), divided.from(g));
      side[f] = {face, 0};
      side[g] = {face, 1};
      side[e] = {face, 2};
    });
    for (std::uint32_t e = 0; e < side.size(); e += 2) {
      const FlatSide s = side[e], t = side[divided.reverse(e)];
      if (s.face != kNoFace && t.face != kNoFace) join(s, t);
    }
  }

  // Every point lies outside of the hull of those before it. Hull edges are kept by their first
  // point, counter-clockwise.
  void sweep() {
    std::size_t first = 2;
    while (first < order_.size() && turn(order_[0], order_[1], order_[first]) == 0) ++first;
    if (first >= order_.size()) return;
    next_.assign(points_.size(), kNoFace);
    previous_.assign(points_.size(), kNoFace);
    hull_side_.assign(points_.size(), FlatSide{kNoFace, 0});
    start(first);
    for (std::size_t i = first + 1; i < order_.size(); ++i) add_point(order_[i], order_[i - 1]);
  }

  // The points before `first` lie on a line: they are fanned out from it.
  void start(std::size_t first) {
    const std::uint32_t apex = order_[first];
    const bool left = turn(order_[0], order_[1], apex) > 0;
    std::vector<std::uint32_t> line(order_.begin(),
                                    order_.begin() + static_cast<std::ptrdiff_t>(first));
    if (!left) std::reverse(line.begin(), line.end());
    std::uint32_t before = kNoFace;
    for (std::size_t i = 0; i + 1 < line.size(); ++i) {
      const std::uint32_t f = add_face(line[i], line[i + 1], apex);
      if (before != kNoFace) join({before, 0}, {f, 1});
      hull_side_[line[i]] = {f, 2};
      link(line[i], line[i + 1]);
      before = f;
    }
    hull_side_[line.back()] = {before, 0};
    link(line.back(), apex);
    hull_side_[apex] = {0, 1};
    link(apex, line.front());
  }
  void link(std::uint32_t a, std::uint32_t b) {
    next_[a] = b;
    previous_[b] = a;
  }

  // The hull edges that the new point sees hang together, and one of them is at the last point.
  void add_point(std::uint32_t p, std::uint32_t last) {
    const auto sees = [&](std::uint32_t from) { return turn(from, next_[from], p) < 0; };
    std::uint32_t begin = last;
    while (sees(previous_[begin])) begin = previous_[begin];
    std::uint32_t end = last;
    while (sees(end)) end = next_[end];
    std::uint32_t before = kNoFace;
    for (std::uint32_t a = begin; a != end; a = next_[a]) {
      const std::uint32_t b = next_[a];
      const std::uint32_t f = add_face(b, a, p);
      join({f, 2}, hull_side_[a]);
      if (before == kNoFace) {
        hull_side_[begin] = {f, 0};  // a to p
      } else {
        join({before, 1}, {f, 0});
      }
      before = f;
    }
    link(begin, p);
    link(p, end);
    hull_side_[p] = {before, 1};
  }

  [[nodiscard]] int index_of(std::uint32_t face, std::uint32_t corner) const {
    const auto& c = faces_[face].corner;
    return c[0] == corner ? 0 : c[1] == corner ? 1 : 2;
  }
  [[nodiscard]] FlatSide other_side(FlatSide s) const {
    const std::uint32_t g = faces_[s.face].beyond[s.k];
    if (g == kNoFace) return {kNoFace, 0};
    // The corner of g that is none of the common ones.
    const std::uint32_t a = faces_[s.face].corner[(s.k + 1) % 3];
    const int at_a = index_of(g, a);
    return {g, (at_a + 1) % 3};
  }

  // Turns the diagonal of the two faces on a side. Corners: s is p, a, b; beyond is q, b, a.
  // Afterwards the faces are p, a, q and q, b, p; the new diagonal is opposite of a and of b.
  void flip(FlatSide s) {
    const FlatSide t = other_side(s);
    FlatFace& f = faces_[s.face];
    FlatFace& g = faces_[t.face];
    const std::uint32_t p = f.corner[s.k], a = f.corner[(s.k + 1) % 3], b = f.corner[(s.k + 2) % 3],
                        q = g.corner[t.k];
    const std::uint32_t over_a = f.beyond[(s.k + 1) % 3];   // beyond b, p
    const std::uint32_t over_b = f.beyond[(s.k + 2) % 3];   // beyond p, a
    const std::uint32_t under_b = g.beyond[(t.k + 1) % 3];  // beyond a, q
    const std::uint32_t under_a = g.beyond[(t.k + 2) % 3];  // beyond q, b
    const bool fix_bp = f.fixed[(s.k + 1) % 3], fix_pa = f.fixed[(s.k + 2) % 3],
               fix_aq = g.fixed[(t.k + 1) % 3], fix_qb = g.fixed[(t.k + 2) % 3];
    f = {{p, a, q}, {under_b, t.face, over_b}, {fix_aq, false, fix_pa}};
    g = {{q, b, p}, {over_a, s.face, under_a}, {fix_bp, false, fix_qb}};
    rewire(under_b, t.face, s.face);
    rewire(over_a, s.face, t.face);
    face_at_[p] = face_at_[a] = face_at_[q] = s.face;
    face_at_[b] = t.face;
  }
  void rewire(std::uint32_t face, std::uint32_t from, std::uint32_t to) {
    if (face == kNoFace) return;
    for (std::uint32_t& n : faces_[face].beyond) {
      if (n == from) {
        n = to;
        return;
      }
    }
  }

  [[nodiscard]] bool should_flip(FlatSide s) const {
    const FlatFace& f = faces_[s.face];
    if (f.fixed[s.k]) return false;
    const FlatSide t = other_side(s);
    if (t.face == kNoFace) return false;
    return points_.in_circle(f.corner[0], f.corner[1], f.corner[2], faces_[t.face].corner[t.k]) > 0;
  }

  void make_delaunay() {
    std::vector<FlatSide> stack;
    for (std::uint32_t f = 0; f < faces_.size(); ++f) {
      for (int k = 0; k < 3; ++k) {
        if (faces_[f].beyond[k] != kNoFace && faces_[f].beyond[k] > f) stack.push_back({f, k});
      }
    }
    relax(stack);
  }
  // An entry whose face has changed meanwhile names some side all the same: asking it does no harm.
  void relax(std::vector<FlatSide>& stack) {
    while (!stack.empty()) {
      const FlatSide s = stack.back();
      stack.pop_back();
      if (!should_flip(s)) continue;
      const std::uint32_t g = faces_[s.face].beyond[s.k];
      flip(s);
      for (const std::uint32_t face : {s.face, g}) {
        stack.push_back({face, 0});
        stack.push_back({face, 2});
      }
    }
  }

  // All faces at a vertex, from one on the hull if there is one.
  template <class Visit>
  void for_each_face_at(std::uint32_t v, const Visit& visit) const {
    const std::uint32_t begin = face_at_[v];
    std::uint32_t f = begin;
    do {
      if (!visit(f)) return;
      f = faces_[f].beyond[(index_of(f, v) + 1) % 3];  // over the side that ends at v
    } while (f != kNoFace && f != begin);
    if (f == begin) return;
    f = faces_[begin].beyond[(index_of(begin, v) + 2) % 3];
    while (f != kNoFace) {
      if (!visit(f)) return;
      f = faces_[f].beyond[(index_of(f, v) + 2) % 3];
    }
  }

  // Does b lie ahead of `from` in the direction of `p`, all three on one line?
  [[nodiscard]] bool is_ahead(std::uint32_t from, std::uint32_t p, std::uint32_t b) const {
    const int way = points_.compare(b, from, 0);
    if (way != 0) return points_.compare(p, from, 0) == way;
    return points_.compare(p, from, 1) == points_.compare(b, from, 1);
  }

  // Where the segment from `from` to `b` leaves `from`: along an edge to a vertex, or through the
  // side opposite of `from`.
  struct Leave {
    std::uint32_t vertex = kNoFace;
    FlatSide side{kNoFace, 0};
  };
  [[nodiscard]] Leave leave(std::uint32_t from, std::uint32_t b) const {
    Leave result;
    for_each_face_at(from, [&](std::uint32_t f) {
      const int k = index_of(f, from);
      const std::uint32_t p = faces_[f].corner[(k + 1) % 3], q = faces_[f].corner[(k + 2) % 3];
      const int right = turn(from, p, b);
      const int left = turn(from, q, b);
      if (right == 0 && is_ahead(from, p, b)) {
        result.vertex = p;
      } else if (left == 0 && is_ahead(from, q, b)) {
        result.vertex = q;
      } else if (right > 0 && left < 0) {
        result.side = {f, k};
      } else {
        return true;
      }
      return false;
    });
    return result;
  }

  // The first vertex on the way from `from` to `b`; empty if a constraint is crossed before.
  [[nodiscard]] std::optional<std::uint32_t> next_on_way(std::uint32_t from,
                                                         std::uint32_t b) const {
    const Leave start = leave(from, b);
    if (start.vertex != kNoFace) return start.vertex;
    FlatSide s = start.side;
    while (true) {
      if (faces_[s.face].fixed[s.k]) return std::nullopt;
      const FlatSide t = other_side(s);
      const std::uint32_t v = faces_[t.face].corner[t.k];
      const int where = turn(from, b, v);
      if (where == 0) return v;
      s = through(t, where);
    }
  }
  // The side by which the segment leaves the face that it entered through `t`, whose corner
  // opposite of `t` lies to the left (+1) or to the right of the segment.
  [[nodiscard]] static FlatSide through(FlatSide t, int where) {
    return {t.face, (t.k + (where > 0 ? 1 : 2)) % 3};
  }

  // Makes the edge between two vertices that see each other but for edges that are no constraints.
  void force(std::uint32_t a, std::uint32_t b) {
    std::deque<std::pair<std::uint32_t, std::uint32_t>> crossed;
    Leave start = leave(a, b);
    if (start.vertex == kNoFace) {
      FlatSide s = start.side;
      while (true) {
        const FlatFace& f = faces_[s.face];
        crossed.emplace_back(f.corner[(s.k + 1) % 3], f.corner[(s.k + 2) % 3]);
        const FlatSide t = other_side(s);
        const std::uint32_t v = faces_[t.face].corner[t.k];
        if (v == b) break;
        s = through(t, turn(a, b, v));
      }
    }
    std::vector<FlatSide> stack;
    std::vector<std::pair<std::uint32_t, std::uint32_t>> made;
    while (!crossed.empty()) {
      const auto [x, y] = crossed.front();
      crossed.pop_front();
      const FlatSide s = side_of(x, y);
      const FlatSide t = other_side(s);
      const std::uint32_t p = faces_[s.face].corner[s.k], q = faces_[t.face].corner[t.k];
      // Only the diagonal of a convex quadrilateral can be turned.
      if (turn(p, q, x) * turn(p, q, y) >= 0) {
        crossed.emplace_back(x, y);
        continue;
      }
      flip(s);
      const bool still = p != a && p != b && q != a && q != b && turn(a, b, p) * turn(a, b, q) < 0;
      (still ? static_cast<void>(crossed.emplace_back(p, q))
             : static_cast<void>(made.emplace_back(p, q)));
    }
    const FlatSide s = side_of(a, b);
    const FlatSide t = other_side(s);
    faces_[s.face].fixed[s.k] = true;
    if (t.face != kNoFace) faces_[t.face].fixed[t.k] = true;
    for (const auto& [p, q] : made) stack.push_back(side_of(p, q));
    relax(stack);
  }

  // The side between two vertices that an edge joins.
  [[nodiscard]] FlatSide side_of(std::uint32_t a, std::uint32_t b) const {
    FlatSide result{kNoFace, 0};
    for_each_face_at(a, [&](std::uint32_t f) {
      const int k = index_of(f, a);
      if (faces_[f].corner[(k + 1) % 3] == b) {
        result = {f, (k + 2) % 3};
      } else if (faces_[f].corner[(k + 2) % 3] == b) {
        result = {f, (k + 1) % 3};
      } else {
        return true;
      }
      return false;
    });
    return result;
  }

  Points points_;
  std::vector<std::uint32_t> order_;
  std::vector<std::uint32_t> first_of_;
  std::vector<FlatFace> faces_;
  std::vector<std::uint32_t> face_at_;
  std::vector<std::uint32_t> next_, previous_;
  std::vector<FlatSide> hull_side_;
};

template <class Points>
PlanarTriangulation triangulated(const Points& points, std::span<const PlanarEdge> constraints,
                                 std::size_t divided_from) {
  for (const PlanarEdge& e : constraints) {
    if (e[0] >= points.size() || e[1] >= points.size()) {
      throw ArgumentError("triangulate: a constraint names a point that does not exist");
    }
  }
  Triangulator triangulator(points, divided_from);
  std::vector<std::size_t> refused;
  for (std::size_t i = 0; i < constraints.size(); ++i) {
    if (!triangulator.constrain(constraints[i][0], constraints[i][1])) refused.push_back(i);
  }
  PlanarTriangulation result = triangulator.result();
  result.refused = std::move(refused);
  return result;
}

}  // namespace

PlanarTriangulation triangulate(std::span<const PlanarPoint> points,
                                std::span<const PlanarEdge> constraints, std::size_t divided_from) {
  return triangulated(PointsInPlane(points), constraints, divided_from);
}

PlanarTriangulation triangulate(const ExactPoints& points, std::span<const ExactPointId> ids,
                                const ExactPoints::View& view,
                                std::span<const PlanarEdge> constraints, std::size_t divided_from) {
  return triangulated(ExactPointsInPlane(points, ids, view), constraints, divided_from);
}

}  // namespace aguja
