#pragma once
// Do the facets of a face stand for it?

#include <cstdint>
#include <optional>
#include <vector>

#include "aguja/mesh/mesh.h"
#include "aguja/surface/tessellate.h"
#include "surface/face_domain.h"

namespace aguja {

// Facets and loops are added as they run about the face's normal. Facets are a face's if they end in
// its loops, along each side as often as it is gone along less how often back, and have its area.
// With the border the mean normal is the surface's, too: it is the border's alone (Stokes).
//
// Cost     O(n log n) for n facets.
class FacetCheck {
 public:
  // `own`: the area of what it stands for, on the surface.
  void add_facet(const Triangle& corners, double area, double own);
  void add_loop(const DividedLoop& loop);

  // `chord`: how far facets may lie from the surface. Loops that are not `directed` may run either
  // way. The first thing wrong.
  [[nodiscard]] std::optional<FaceTrouble> trouble(double chord, bool directed) const;

 private:
  struct Side {
    std::uint32_t low, high;
    int runs;  // from low to high: 1, back: -1
  };
  void add_side(VertexId from, VertexId to, int runs);

  std::vector<Side> sides_;
  double area_ = 0, own_ = 0, around_ = 0;
};

}  // namespace aguja
