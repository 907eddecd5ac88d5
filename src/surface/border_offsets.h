#pragma once
// A face whose border lies beside its surface: how the facets between the two make up for it.

#include <cstdint>
#include <unordered_map>
#include <vector>

#include "aguja/geometry/point.h"

namespace aguja {

/// Offsets at places of a border, continued to what is near it: as large as at the border beside it,
/// and fading to nothing within a reach that is long against them, so that facets neither fold nor
/// stand on their surface.
class BorderOffsets {
 public:
  BorderOffsets() = default;
  /// `largest`: no offset is longer; > 0.
  explicit BorderOffsets(double largest);

  /// `place`: on the surface, where the border is beside it by `offset`.
  void add(const Point& place, const Vector& offset);
  /// Of a place on the surface; zero far from the border.
  [[nodiscard]] Vector at(const Point& place) const;

 private:
  struct Entry {
    Point place;
    Vector offset;
  };
  [[nodiscard]] std::uint64_t cell_of(const Point& p, int i, int j, int k) const;

  double reach_ = 0;
  std::unordered_map<std::uint64_t, std::vector<Entry>> cells_;  // as large as the reach
};

}  // namespace aguja
