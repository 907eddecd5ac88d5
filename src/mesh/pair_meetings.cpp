#include "mesh/pair_meetings.h"

#include <algorithm>
#include <optional>

#include "aguja/base/error.h"
#include "aguja/geometry/predicates.h"

namespace aguja {
namespace {

constexpr std::size_t kNext[3] = {1, 2, 0};

// Where in a triangle a point lies: at a corner, on an edge, or inside.
struct WhereIn {
  enum class Kind : std::uint8_t { corner, edge, inside };
  Kind kind = Kind::inside;
  std::size_t index = 0;

  // The edges that it lies on, as bits.
  [[nodiscard]] unsigned edges() const {
    if (kind == Kind::inside) return 0;
    const unsigned own = 1U << index;
    return kind == Kind::edge ? own : own | 1U << (index + 2) % 3;
  }
};

// From the signs of the point against the three edges, +1 inside.
std::optional<WhereIn> where_by_signs(const std::array<int, 3>& sign) {
  std::size_t zeros = 0, zero = 0, other = 0;
  for (std::size_t k = 0; k < 3; ++k) {
    if (sign[k] < 0) return std::nullopt;
    if (sign[k] == 0) {
      ++zeros;
      zero = k;
    } else {
      other = k;
    }
  }
  if (zeros == 0) return WhereIn{};
  if (zeros == 1) return WhereIn{WhereIn::Kind::edge, zero};
  // On the edges k and k + 1 lies corner k + 1; the edge that it is not on is opposite.
  return WhereIn{WhereIn::Kind::corner, (other + 2) % 3};
}

class InPlane {
 public:
  explicit InPlane(const EdgedTriangle& t) : t_(t) {
    for (axis_ = 0; axis_ < 3; ++axis_) {
      turn_ = turn(*t.corner[0], *t.corner[1], *t.corner[2]);
      if (turn_ != 0) return;
    }
    throw InternalError("a triangle of no area is to be cut");
  }
  [[nodiscard]] int turn(const Point& a, const Point& b, const Point& c) const {
    const int u = (axis_ + 1) % 3, v = (axis_ + 2) % 3;
    return orient2d(a[u], a[v], b[u], b[v], c[u], c[v]);
  }
  // Of a point in the plane.
  [[nodiscard]] std::optional<WhereIn> where(const Point& p) const {
    std::array<int, 3> sign{};
    for (std::size_t k = 0; k < 3; ++k) {
      sign[k] = turn_ * turn(*t_.corner[k], *t_.corner[kNext[k]], p);
    }
    return where_by_signs(sign);
  }

 private:
  const EdgedTriangle& t_;
  int axis_ = 0;
  int turn_ = 0;
};

using Sides = std::array<int, 3>;

// Sides of the plane of `of` on which the corners of `t` lie.
Sides sides_of(const EdgedTriangle& of, const EdgedTriangle& t) {
  Sides sides{};
  for (std::size_t i = 0; i < 3; ++i) {
    const bool common =
        std::find(of.vertex.begin(), of.vertex.end(), t.vertex[i]) != of.vertex.end();
    sides[i] = common ? 0 : orient3d(*of.corner[0], *of.corner[1], *of.corner[2], *t.corner[i]);
  }
  return sides;
}

// Where the line from p, on that side of the triangle's plane, to q on the other goes through it.
std::optional<WhereIn> where_through(const EdgedTriangle& t, const Point& p, const Point& q,
                                     int side_of_p) {
  std::array<int, 3> sign{};
  for (std::size_t k = 0; k < 3; ++k) {
    sign[k] = -side_of_p * orient3d(p, q, *t.corner[k], *t.corner[kNext[k]]);
  }
  return where_by_signs(sign);
}

struct Meeting {
  MeetingPoint point;
  WhereIn in[2];  // of the first triangle and of the second
};

class PairMeetings {
 public:
  PairMeetings(const EdgedTriangle& a, const EdgedTriangle& b) : t_{&a, &b} {}

  [[nodiscard]] std::vector<Meeting> find(const Sides& of_a, const Sides& of_b) {
    boundary_meets(0, of_a);
    boundary_meets(1, of_b);
    return std::move(found_);
  }
  [[nodiscard]] std::vector<Meeting> find_in_plane() {
    vertices_meet(0);
    vertices_meet(1);
    for (std::size_t i = 0; i < 3; ++i) {
      for (std::size_t j = 0; j < 3; ++j) edges_cross(i, j);
    }
    return std::move(found_);
  }

 private:
  void add(MeetingPoint point, std::size_t of, WhereIn in_own, WhereIn in_other) {
    Meeting m;
    m.point = point;
    m.in[of] = in_own;
    m.in[1 - of] = in_other;
    const bool known = std::any_of(found_.begin(), found_.end(), [&](const Meeting& other) {
      return other.point.is_same(m.point);
    });
    if (!known) found_.push_back(m);
  }

  // Points of the boundary of one triangle that lie in the other.
  void boundary_meets(std::size_t of, const Sides& sides) {
    const EdgedTriangle &own = *t_[of], &other = *t_[1 - of];
    const InPlane plane(other);
    for (std::size_t i = 0; i < 3; ++i) {
      if (sides[i] != 0) continue;
      if (const auto in = plane.where(*own.corner[i])) add_vertex(of, i, *in);
    }
    for (std::size_t i = 0; i < 3; ++i) {
      const std::size_t j = kNext[i];
      if (sides[i] * sides[j] >= 0) continue;
      const auto in = where_through(other, *own.corner[i], *own.corner[j], sides[i]);
      if (in) add_on_edge(of, i, *in);
    }
  }
  void add_vertex(std::size_t of, std::size_t corner, WhereIn in) {
    add({MeetingPoint::Kind::vertex, t_[of]->vertex[corner]}, of, {WhereIn::Kind::corner, corner},
        in);
  }
  void add_on_edge(std::size_t of, std::size_t side, WhereIn in) {
    const EdgedTriangle &own = *t_[of], &other = *t_[1 - of];
    MeetingPoint point;
    switch (in.kind) {
      case WhereIn::Kind::corner:
        point = {MeetingPoint::Kind::vertex, other.vertex[in.index]};
        break;
      case WhereIn::Kind::edge:
        point = on_edges(own.edge[side], other.edge[in.index]);
        point.line = own.edge[side];
        point.through = other.id.value;
        break;
      case WhereIn::Kind::inside:
        point = {MeetingPoint::Kind::edge_in_triangle, own.edge[side], other.id.value};
        break;
    }
    add(point, of, {WhereIn::Kind::edge, side}, in);
  }
  [[nodiscard]] static MeetingPoint on_edges(std::uint32_t e, std::uint32_t f) {
    return {MeetingPoint::Kind::edge_on_edge, std::min(e, f), std::max(e, f)};
  }

  void vertices_meet(std::size_t of) {
    const InPlane plane(*t_[1 - of]);
    for (std::size_t i = 0; i < 3; ++i) {
      if (const auto in = plane.where(*t_[of]->corner[i])) add_vertex(of, i, *in);
    }
  }
  void edges_cross(std::size_t i, std::size_t j) {
    const EdgedTriangle &a = *t_[0], &b = *t_[1];
    const InPlane plane(a);
    const Point &p = *a.corner[i], &q = *a.corner[kNext[i]];
    const Point &r = *b.corner[j], &s = *b.corner[kNext[j]];
    if (plane.turn(p, q, r) * plane.turn(p, q, s) >= 0) return;
    if (plane.turn(r, s, p) * plane.turn(r, s, q) >= 0) return;
    add(on_edges(a.edge[i], b.edge[j]), 0, {WhereIn::Kind::edge, i}, {WhereIn::Kind::edge, j});
  }

  const EdgedTriangle* t_[2];
  std::vector<Meeting> found_;
};

bool are_zero(const Sides& s) { return s[0] == 0 && s[1] == 0 && s[2] == 0; }

}  // namespace

void append_incisions(const EdgedTriangle& a, const EdgedTriangle& b, std::vector<Incision>& out) {
  const EdgedTriangle* both[2] = {&a, &b};
  const Sides of_a = sides_of(b, a);
  const bool coplanar = are_zero(of_a);
  PairMeetings meetings(a, b);
  const std::vector<Meeting> found =
      coplanar ? meetings.find_in_plane() : meetings.find(of_a, sides_of(a, b));
  for (const Meeting& m : found) {
    for (std::size_t k = 0; k < 2; ++k) {
      if (m.in[k].kind != WhereIn::Kind::edge) continue;
      out.push_back({Incision::Kind::on_edge, both[k]->edge[m.in[k].index], kNoIndex, m.point});
    }
  }
  if (coplanar || found.empty()) return;
  if (found.size() > 2) throw InternalError("two planes meet in more than a line");
  for (std::size_t k = 0; k < 2; ++k) {
    const std::uint32_t own = both[k]->id.value, other = both[1 - k]->id.value;
    if (found.size() == 1) {
      if (found[0].in[k].kind == WhereIn::Kind::inside) {
        out.push_back({Incision::Kind::inside, own, other, found[0].point});
      }
    } else if ((found[0].in[k].edges() & found[1].in[k].edges()) == 0) {
      out.push_back({Incision::Kind::segment, own, other, found[0].point, found[1].point});
    }
  }
}

}  // namespace aguja
