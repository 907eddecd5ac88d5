#include "aguja/geometry/triangle_pair.h"

#include <algorithm>

namespace aguja {
namespace {

using Signs = std::array<int, 3>;

// SideSigns along an axis, turned so that what runs counter-clockwise has its normal towards us.
struct SideSigns {
  int u, v;
  explicit SideSigns(int axis) : u((axis + 1) % 3), v((axis + 2) % 3) {}
  [[nodiscard]] int filter(const Point& a, const Point& b, const Point& c) const {
    return orient2d_filter(a[u], a[v], b[u], b[v], c[u], c[v]);
  }
  [[nodiscard]] int exact(const Point& a, const Point& b, const Point& c) const {
    return orient2d(a[u], a[v], b[u], b[v], c[u], c[v]);
  }
};

// Which corners are common: index in a and in b, up to three of them.
struct Shared {
  int count = 0;
  std::array<int, 3> in_a{};
  std::array<int, 3> in_b{};
};

Shared shared_corners(const std::array<std::uint32_t, 3>& a,
                      const std::array<std::uint32_t, 3>& b) {
  Shared shared;
  for (int i = 0; i < 3; ++i) {
    for (int j = 0; j < 3; ++j) {
      if (a[i] != b[j]) continue;
      shared.in_a[shared.count] = i;
      shared.in_b[shared.count] = j;
      ++shared.count;
      break;
    }
  }
  return shared;
}

// ---- Filters: true only if the triangles certainly meet in nothing but what they share.

bool plane_apart(const PreparedTriangle& a, const PreparedTriangle& b, int except) {
  int sign = 0;
  for (int i = 0; i < 3; ++i) {
    if (i == except) continue;
    const int side = a.side_filter(b.corner(i));
    if (side == 0 || side == -sign) return false;
    sign = side;
  }
  return true;
}

// Is all of b clearly beyond one of a's sides?
bool beyond_a_side(const PreparedTriangle& a, int turn, const PreparedTriangle& b, SideSigns seen) {
  for (int i = 0; i < 3; ++i) {
    const Point& p = a.corner(i);
    const Point& q = a.corner((i + 1) % 3);
    if (seen.filter(p, q, b.corner(0)) == -turn && seen.filter(p, q, b.corner(1)) == -turn &&
        seen.filter(p, q, b.corner(2)) == -turn) {
      return true;
    }
  }
  return false;
}

int turn_of(const PreparedTriangle& t, SideSigns seen) {
  return seen.filter(t.corner(0), t.corner(1), t.corner(2));
}

bool projections_apart(const PreparedTriangle& a, const PreparedTriangle& b) {
  if (a.turn() == 0) return false;
  const SideSigns seen(a.axis());
  if (beyond_a_side(a, a.turn(), b, seen)) return true;
  const int turn = b.axis() == a.axis() ? b.turn() : turn_of(b, seen);
  return turn != 0 && beyond_a_side(b, turn, a, seen);
}

// Is there a side of a at the apex with the rest of a clearly on one side and b clearly on the
// other?
bool wedge_apart(const PreparedTriangle& a, int apex_a, const PreparedTriangle& b, int apex_b,
                 SideSigns seen) {
  const Point& apex = a.corner(apex_a);
  const Point& d = b.corner((apex_b + 1) % 3);
  const Point& e = b.corner((apex_b + 2) % 3);
  for (int k = 1; k <= 2; ++k) {
    const Point& along = a.corner((apex_a + k) % 3);
    const Point& other = a.corner((apex_a + 3 - k) % 3);
    const int beyond = seen.filter(apex, along, d);
    if (beyond != 0 && seen.filter(apex, along, e) == beyond &&
        seen.filter(apex, along, other) == -beyond) {
      return true;
    }
  }
  return false;
}

bool filters_apart_at_vertex(const PreparedTriangle& a, const PreparedTriangle& b, int apex_a,
                             int apex_b) {
  const SideSigns seen(a.axis());
  return wedge_apart(a, apex_a, b, apex_b, seen) || wedge_apart(b, apex_b, a, apex_a, seen);
}

bool filters_apart_at_edge(const PreparedTriangle& a, const PreparedTriangle& b,
                           const Shared& shared) {
  const int tip_a = 3 - shared.in_a[0] - shared.in_a[1];
  const int tip_b = 3 - shared.in_b[0] - shared.in_b[1];
  const SideSigns seen(a.axis());
  const Point& p = a.corner(shared.in_a[0]);
  const Point& q = a.corner(shared.in_a[1]);
  const int side = seen.filter(p, q, a.corner(tip_a));
  return side != 0 && seen.filter(p, q, b.corner(tip_b)) == -side;
}

// ---- Exact.

Signs sides(const LabelledTriangle& plane, const LabelledTriangle& of, const int* shared_in_of,
            int shared) {
  Signs signs{};
  for (int i = 0; i < 3; ++i) {
    const bool common = std::find(shared_in_of, shared_in_of + shared, i) != shared_in_of + shared;
    signs[i] =
        common ? 0 : orient3d(plane.corner[0], plane.corner[1], plane.corner[2], of.corner[i]);
  }
  return signs;
}

int count(const Signs& signs, int sign) {
  return static_cast<int>(std::count(signs.begin(), signs.end(), sign));
}

// Where a side of a triangle meets the other's plane: it runs from the plane's upper side (or the
// plane itself) down to its lower side (or the plane itself), never along it.
struct Crosspoint {
  const Point* upper;
  const Point* lower;
};

// What a triangle has in common with the other's plane: a piece of the common line of both planes,
// perhaps just a point.
struct SharedPiece {
  Crosspoint first, last;  // along the common line
  bool is_point;
  bool straddles;  // the triangle has points on both sides of the plane
};

// The common line runs along normal x other normal, or against it if `reversed`.
SharedPiece piece_on_line(const LabelledTriangle& t, const Signs& signs, bool reversed) {
  const int above = count(signs, 1);
  const int below = count(signs, -1);
  // The corner that is alone: on its side of the plane, or in the plane.
  bool alone_is_upper;
  int alone_sign;
  if (above == 1) {
    alone_is_upper = true, alone_sign = 1;
  } else if (below == 1) {
    alone_is_upper = false, alone_sign = -1;
  } else {
    alone_is_upper = below == 2, alone_sign = 0;
  }
  const auto k =
      static_cast<int>(std::find(signs.begin(), signs.end(), alone_sign) - signs.begin());
  const Point& alone = t.corner[k];
  const Point& next = t.corner[(k + 1) % 3];
  const Point& previous = t.corner[(k + 2) % 3];
  const auto crosspoint = [&](const Point& other) {
    return alone_is_upper ? Crosspoint{&alone, &other} : Crosspoint{&other, &alone};
  };
  // SideSigns against the normal, the upper corner is to the right of the line from the first to
  // the last point; so its next side is met last.
  SharedPiece piece{crosspoint(previous), crosspoint(next), alone_sign == 0,
                    above > 0 && below > 0};
  if (alone_is_upper == reversed) std::swap(piece.first, piece.last);
  return piece;
}

// Sign of q - p along the common line, for p of the first triangle and q of the second.
int order(const Crosspoint& p, const Crosspoint& q) {
  return orient3d(*p.upper, *p.lower, *q.upper, *q.lower);
}

Contact classify_planes_differ(const LabelledTriangle& a, const LabelledTriangle& b,
                               const Signs& a_signs, const Signs& b_signs, int shared) {
  if (shared == 2) return Contact::none;
  const SharedPiece in_a = piece_on_line(a, a_signs, false);
  const SharedPiece in_b = piece_on_line(b, b_signs, true);
  const int b_after_a = order(in_a.last, in_b.first);
  const int a_before_b = order(in_a.first, in_b.last);
  if (b_after_a > 0 || a_before_b < 0) return Contact::none;
  const bool point = b_after_a == 0 || a_before_b == 0 || in_a.is_point || in_b.is_point;
  if (point) return shared == 1 ? Contact::none : Contact::touch;
  return in_a.straddles && in_b.straddles ? Contact::crossing : Contact::touch;
}

// The larger of the signs of b's corners beyond the sides of a: -1 clearly beyond some side, 0 in
// contact with one at most, +1 not beyond any.
struct Separation {
  int value = 1;
  int side = -1;  // of a, where the value is 0
};

Separation separation(const LabelledTriangle& a, int turn, const LabelledTriangle& b,
                      SideSigns seen) {
  Separation result;
  for (int i = 0; i < 3; ++i) {
    int largest = -1;
    for (const Point& p : b.corner) {
      largest = std::max(largest, turn * seen.exact(a.corner[i], a.corner[(i + 1) % 3], p));
    }
    if (largest < result.value) result = {largest, i};
  }
  return result;
}

// The separating line is a side of `a` through the common vertex or not; do both triangles have a
// side in it that begins at the common vertex and runs the same way?
bool share_a_stretch(const LabelledTriangle& a, int side, int apex_a, const LabelledTriangle& b,
                     int apex_b, SideSigns seen) {
  const Point& p = a.corner[side];
  const Point& q = a.corner[(side + 1) % 3];
  if (seen.exact(p, q, a.corner[apex_a]) != 0) return false;
  const Point& apex = a.corner[apex_a];
  const Point& end_a = a.corner[side == apex_a ? (side + 1) % 3 : side];
  for (int k = 1; k <= 2; ++k) {
    const Point& end_b = b.corner[(apex_b + k) % 3];
    if (seen.exact(p, q, end_b) != 0) continue;
    for (const int axis : {seen.u, seen.v}) {
      const int way_a = (end_a[axis] > apex[axis]) - (end_a[axis] < apex[axis]);
      const int way_b = (end_b[axis] > apex[axis]) - (end_b[axis] < apex[axis]);
      if (way_a != 0 || way_b != 0) return way_a == way_b;
    }
  }
  return false;
}

Contact classify_coplanar(const LabelledTriangle& a, const LabelledTriangle& b,
                          const Shared& shared) {
  int axis = 0;
  int turn_a = 0;
  for (; axis < 3; ++axis) {
    turn_a = SideSigns(axis).exact(a.corner[0], a.corner[1], a.corner[2]);
    if (turn_a != 0) break;
  }
  if (turn_a == 0) return Contact::none;
  const SideSigns seen(axis);
  const int turn_b = seen.exact(b.corner[0], b.corner[1], b.corner[2]);
  const Separation by_a = separation(a, turn_a, b, seen);
  const Separation by_b = separation(b, turn_b, a, seen);
  const int apart = std::min(by_a.value, by_b.value);
  if (apart < 0) return Contact::none;
  if (apart > 0) return Contact::overlap;
  if (shared.count == 0) return Contact::touch;
  if (shared.count == 2) return Contact::none;
  const int apex_a = shared.in_a[0];
  const int apex_b = shared.in_b[0];
  const bool stretch = by_a.value == 0 ? share_a_stretch(a, by_a.side, apex_a, b, apex_b, seen)
                                       : share_a_stretch(b, by_b.side, apex_b, a, apex_a, seen);
  return stretch ? Contact::touch : Contact::none;
}

Contact classify_exact(const LabelledTriangle& a, const LabelledTriangle& b, const Shared& shared) {
  const Signs b_signs = sides(a, b, shared.in_b.data(), shared.count);
  if (count(b_signs, 1) == 3 || count(b_signs, -1) == 3) return Contact::none;
  if (count(b_signs, 0) == 3) return classify_coplanar(a, b, shared);
  const Signs a_signs = sides(b, a, shared.in_a.data(), shared.count);
  if (count(a_signs, 1) == 3 || count(a_signs, -1) == 3) return Contact::none;
  return classify_planes_differ(a, b, a_signs, b_signs, shared.count);
}

}  // namespace

std::string_view slug(Contact contact) {
  constexpr std::array<std::string_view, 4> kSlugs = {"none", "touch", "overlap", "crossing"};
  return kSlugs.at(static_cast<std::size_t>(contact));
}

StagedContact classify_staged(const PreparedTriangle& a, const PreparedTriangle& b) {
  const Shared shared = shared_corners(a.triangle().label, b.triangle().label);
  constexpr StagedContact kByPlane{Contact::none, PairStage::plane_filter};
  constexpr StagedContact kByProjection{Contact::none, PairStage::projection_filter};
  switch (shared.count) {
    case 0:
      if (plane_apart(a, b, -1) || plane_apart(b, a, -1)) return kByPlane;
      if (projections_apart(a, b)) return kByProjection;
      break;
    case 1:
      if (plane_apart(a, b, shared.in_b[0]) || plane_apart(b, a, shared.in_a[0])) return kByPlane;
      if (filters_apart_at_vertex(a, b, shared.in_a[0], shared.in_b[0])) return kByProjection;
      break;
    case 2:
      if (a.side_filter(b.corner(3 - shared.in_b[0] - shared.in_b[1])) != 0) return kByPlane;
      if (filters_apart_at_edge(a, b, shared)) return kByProjection;
      break;
    default:
      return {Contact::none, PairStage::exact};
  }
  return {classify_exact(a.triangle(), b.triangle(), shared), PairStage::exact};
}

Contact classify(const LabelledTriangle& a, const LabelledTriangle& b) {
  return classify_staged(PreparedTriangle(a), PreparedTriangle(b)).contact;
}

Contact classify_exact(const LabelledTriangle& a, const LabelledTriangle& b) {
  const Shared shared = shared_corners(a.label, b.label);
  if (shared.count == 3) return Contact::none;
  return classify_exact(a, b, shared);
}

}  // namespace aguja
