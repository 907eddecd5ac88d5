#include "surface/facet_check.h"

#include <algorithm>
#include <cmath>

#include "base/mixed_bits.h"

namespace aguja {
namespace {

// The area may be off by this part, and by the chord height all along the loops.
constexpr double kAreaOff = 0.1;

}  // namespace

void FacetCheck::add_side(VertexId from, VertexId to, bool forward) {
  if (from == to) return;
  const auto [low, high] = std::minmax(from.value, to.value);
  const std::uint64_t side = mixed(std::uint64_t{low} << 32 | high);
  sum_ += (from.value == low) == forward ? side : -side;
  parity_ ^= side;
}

void FacetCheck::add_facet(const Triangle& corners, double area, double own) {
  area_ += area;
  own_ += own;
  for (std::size_t c = 0; c < 3; ++c) add_side(corners[c], corners[(c + 1) % 3], true);
}

void FacetCheck::add_loop(const DividedLoop& loop) {
  if (loop.is_vertex) return;
  const std::size_t n = loop.corners.size();
  for (std::size_t i = 0; i < n; ++i) {
    const auto &a = loop.corners[i], &b = loop.corners[(i + 1) % n];
    around_ += (b.p - a.p).norm();
    add_side(a.vertex, b.vertex, false);
  }
}

std::optional<FaceTrouble> FacetCheck::trouble(double chord, bool directed) const {
  FaceTrouble found;
  // Without loops it ends where its surface does.
  if (around_ > 0 && (directed ? sum_ : parity_) != 0) {
    found.kind = FaceTrouble::Kind::other_border;
    return found;
  }
  if (std::fabs(area_ - own_) > kAreaOff * own_ + chord * around_) {
    found.kind = FaceTrouble::Kind::other_area;
    found.measure = area_ / own_;
    return found;
  }
  return std::nullopt;
}

}  // namespace aguja
