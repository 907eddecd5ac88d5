#pragma once
// How trees over places are divided.

#include <algorithm>
#include <array>
#include <cstddef>
#include <span>

namespace aguja {

// Puts the `count` lowest first, along the coordinate in which they spread most. `Placed` has its
// coordinates `at`, and an `item` that tells equal ones apart.
template <class Placed>
void split_at_widest(std::span<Placed> placed, std::size_t count) {
  auto low = placed[0].at, high = low;
  for (const Placed& p : placed) {
    for (std::size_t k = 0; k < low.size(); ++k) {
      low[k] = std::min(low[k], p.at[k]);
      high[k] = std::max(high[k], p.at[k]);
    }
  }
  std::size_t widest = 0;
  for (std::size_t k = 1; k < low.size(); ++k) {
    if (high[k] - low[k] > high[widest] - low[widest]) widest = k;
  }
  std::nth_element(placed.begin(), placed.begin() + static_cast<std::ptrdiff_t>(count),
                   placed.end(), [widest](const Placed& a, const Placed& b) {
                     return a.at[widest] != b.at[widest] ? a.at[widest] < b.at[widest]
                                                         : a.item < b.item;
                   });
}

}  // namespace aguja
