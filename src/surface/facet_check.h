#pragma once
// Do the facets of a face stand for it?

#include <cstdint>
#include <optional>

#include "aguja/mesh/mesh.h"
#include "aguja/surface/tessellate.h"
#include "surface/face_domain.h"

namespace aguja {

// Facets and loops are added as they run about the face's normal. Facets are a face's if they end in
// its loops, along each side as often as it is gone along less how often back, and have its area.
// With the border the mean normal is the surface's, too: it is the border's alone (Stokes).
//
// Sides are summed as hashes of 64 bits: facets that end elsewhere pass once in 2^64 times.
//
// Cost     O(n) for n facets, no memory.
class FacetCheck {
 public:
  // `own`: the area of what it stands for, on the surface.
  void add_facet(const Triangle& corners, double area, double own);
  void add_loop(const DividedLoop& loop);

  // `chord`: how far facets may lie from the surface. Loops that are not `directed` may run either
  // way. The first thing wrong.
  [[nodiscard]] std::optional<FaceTrouble> trouble(double chord, bool directed) const;

 private:
  void add_side(VertexId from, VertexId to, bool forward);

  std::uint64_t sum_ = 0, parity_ = 0;  // of sides, with their directions and without
  double area_ = 0, own_ = 0, around_ = 0;
};

}  // namespace aguja
