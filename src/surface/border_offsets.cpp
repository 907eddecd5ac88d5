#include "surface/border_offsets.h"

#include <algorithm>

#include "base/mixed_bits.h"
#include "base/numbers.h"

namespace aguja {
namespace {

constexpr double kReach = 10;  // times the largest offset

}  // namespace

BorderOffsets::BorderOffsets(double largest) : reach_(kReach * largest) {}

std::uint64_t BorderOffsets::cell_of(const Point& p, int i, int j, int k) const {
  std::uint64_t key = 0;
  const int by[3] = {i, j, k};
  for (int axis = 0; axis < 3; ++axis) {
    const std::int64_t at = cell_number(p[axis] / reach_) + by[axis];
    key = mixed(key ^ static_cast<std::uint64_t>(at));
  }
  return key;
}

void BorderOffsets::add(const Point& place, const Vector& offset) {
  cells_[cell_of(place, 0, 0, 0)].push_back({place, offset});
}

Vector BorderOffsets::at(const Point& place) const {
  Vector sum = Vector::Zero();
  if (cells_.empty()) return sum;
  double weights = 0, nearest = reach_;
  for (int i = -1; i <= 1; ++i) {
    for (int j = -1; j <= 1; ++j) {
      for (int k = -1; k <= 1; ++k) {
        const auto cell = cells_.find(cell_of(place, i, j, k));
        if (cell == cells_.end()) continue;
        for (const Entry& e : cell->second) {
          const double r = (e.place - place).norm();
          if (r >= reach_) continue;
          if (r == 0) return e.offset;
          // Shepard's weights, kept to what is near.
          const double weight = (reach_ - r) / (reach_ * r);
          sum += weight * weight * e.offset;
          weights += weight * weight;
          nearest = std::min(nearest, r);
        }
      }
    }
  }
  return weights > 0 ? Vector((1 - nearest / reach_) / weights * sum) : Vector(Vector::Zero());
}

}  // namespace aguja
