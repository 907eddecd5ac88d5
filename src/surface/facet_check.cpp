#include "surface/facet_check.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace aguja {
namespace {

// The area may be off by this part, and by the chord height all along the loops.
constexpr double kAreaOff = 0.1;

}  // namespace

void FacetCheck::add_side(VertexId from, VertexId to, int runs) {
  if (from == to) return;
  if (from.value < to.value) {
    sides_.push_back({from.value, to.value, runs});
  } else {
    sides_.push_back({to.value, from.value, -runs});
  }
}

void FacetCheck::add_facet(const Triangle& corners, double area, double own) {
  area_ += area;
  own_ += own;
  for (std::size_t c = 0; c < 3; ++c) add_side(corners[c], corners[(c + 1) % 3], 1);
}

void FacetCheck::add_loop(const DividedLoop& loop) {
  if (loop.is_vertex) return;
  const std::size_t n = loop.corners.size();
  for (std::size_t i = 0; i < n; ++i) {
    const auto &a = loop.corners[i], &b = loop.corners[(i + 1) % n];
    around_ += (b.p - a.p).norm();
    add_side(a.vertex, b.vertex, -1);
  }
}

std::optional<FaceTrouble> FacetCheck::trouble(double chord, bool directed) const {
  FaceTrouble found;
  std::vector<Side> sides = sides_;
  std::sort(sides.begin(), sides.end(), [](const Side& a, const Side& b) {
    return std::tie(a.low, a.high) < std::tie(b.low, b.high);
  });
  std::size_t left = 0;
  for (std::size_t begin = 0, end = 0; begin < sides.size(); begin = end) {
    int runs = 0;
    for (; end < sides.size() && sides[end].low == sides[begin].low &&
           sides[end].high == sides[begin].high;
         ++end) {
      runs += sides[end].runs;
    }
    if (directed ? runs != 0 : runs % 2 != 0) ++left;
  }
  // Without loops it ends where its surface does.
  if (left > 0 && around_ > 0) {
    found.kind = FaceTrouble::Kind::other_border;
    found.measure = static_cast<double>(left);
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
