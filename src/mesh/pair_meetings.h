#pragma once
// What two triangles have in common, by the vertices and edges of both.

#include <array>
#include <compare>
#include <cstdint>
#include <vector>

#include "aguja/geometry/point.h"
#include "aguja/mesh/ids.h"

namespace aguja {

// A triangle with the numbers of its vertices and edges; edge k runs from corner k to the next.
struct EdgedTriangle {
  TriangleId id;
  std::array<std::uint32_t, 3> vertex;
  std::array<std::uint32_t, 3> edge;
  std::array<const Point*, 3> corner;
};

// A point as what it is made of: the same for whoever finds it, but that an edge may go through two
// triangles in one place.
struct MeetingPoint {
  enum class Kind : std::uint8_t { vertex, edge_in_triangle, edge_on_edge };
  Kind kind = Kind::vertex;
  std::uint32_t a = kNoIndex;  // a vertex, or an edge
  std::uint32_t b = kNoIndex;  // the triangle, or the edge, whose number is larger
  // Of two edges: the one that goes through the plane of a triangle of the other, and that triangle;
  // none if the edges lie in one plane.
  std::uint32_t line = kNoIndex;
  std::uint32_t through = kNoIndex;

  friend auto operator<=>(const MeetingPoint&, const MeetingPoint&) = default;
  [[nodiscard]] bool is_same(const MeetingPoint& o) const {
    return kind == o.kind && a == o.a && b == o.b;
  }
};

// What the meeting of two triangles asks of one of them or of an edge.
struct Incision {
  enum class Kind : std::uint8_t {
    on_edge,  // the point divides edge `of`
    inside,   // the point lies inside of triangle `of`
    segment,  // triangle `of` is to be cut from `p` to `q`, along triangle `by`
  };
  Kind kind;
  std::uint32_t of;
  std::uint32_t by = kNoIndex;
  MeetingPoint p;
  MeetingPoint q = {};
};

// Appends what two triangles that meet, and are not the same three vertices, ask of each other. Both
// have area. Of two in one plane that is what they ask of edges, and points inside are left out.
// Decides  Exactly.
void append_incisions(const EdgedTriangle& a, const EdgedTriangle& b, std::vector<Incision>& out);

}  // namespace aguja
