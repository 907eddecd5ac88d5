#pragma once
// Where an open surface goes on below another one, or over it: borders that overlap like shingles.

#include <cstdint>
#include <vector>

#include "aguja/mesh/joined_surface.h"

namespace aguja {

struct Shingle {
  std::vector<std::uint32_t> rims;    // of the joined surface, ascending
  double apart = 0;                   // the farthest that they lie from the other surface
  Point middle = Point::Zero();       // of that area
  double area = 0;                    // of what lies over what
  std::vector<TriangleId> triangles;  // of the joined surface that take part, ascending
};

// Rims that lie, with nearly all of their length, along the inside of another surface that faces the
// same way, within `reach` of it and farther from its own rim than from it; those of one overlap
// together, in the order of their rims.
//
// Cost     Nothing if no edge is naked; else a tree over what lies near rims, and a query for each edge
//          of them.
[[nodiscard]] std::vector<Shingle> find_shingles(const JoinedSurface& surface, double reach);

}  // namespace aguja
