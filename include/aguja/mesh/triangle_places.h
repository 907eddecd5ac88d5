#pragma once
/// \file
/// Triangles by where their corners lie, whichever way round they run and however they are numbered.

#include <algorithm>
#include <cstdint>
#include <optional>
#include <utility>

#include "aguja/base/array.h"
#include "aguja/base/parallel.h"
#include "aguja/geometry/distance.h"

namespace aguja {

/// The same for every order of the corners; equal corners give equal numbers, others hardly ever.
[[nodiscard]] std::uint64_t hash_of_corners(const TriangleCorners& corners);
/// Are they the same three places?
[[nodiscard]] bool have_same_corners(TriangleCorners a, TriangleCorners b);

namespace detail {

using HashedTriangle = std::pair<std::uint64_t, std::uint32_t>;
void sort_by_hash(Array<HashedTriangle>& triangles);

}  // namespace detail

/// `corners_of(i)` gives the corners of triangle i of `count`, for as long as it is asked.
///
/// Cost     O(n log n), parallel; 16 bytes a triangle.
template <class CornersOf>
class TrianglePlaces {
 public:
  TrianglePlaces(std::size_t count, CornersOf corners_of) : corners_of_(std::move(corners_of)) {
    sorted_.resize(count);
    parallel_ranges(count, std::size_t{1} << 14, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        sorted_[i] = {hash_of_corners(corners_of_(i)), static_cast<std::uint32_t>(i)};
      }
    });
    detail::sort_by_hash(sorted_);
  }

  /// The first of the triangles with these corners. Cost: O(log n), one or two places of memory.
  [[nodiscard]] std::optional<std::uint32_t> find(const TriangleCorners& corners) const {
    const std::uint64_t hash = hash_of_corners(corners);
    auto at = first_not_below(hash);
    for (; at != sorted_.end() && at->first == hash; ++at) {
      if (have_same_corners(corners, corners_of_(at->second))) return at->second;
    }
    return std::nullopt;
  }

 private:
  // Hashes are spread evenly: it lies near where its share of their range is.
  [[nodiscard]] auto first_not_below(std::uint64_t hash) const {
    const std::size_t n = sorted_.size();
    const auto is_below = [&](std::size_t i) { return sorted_[i].first < hash; };
    std::size_t low = static_cast<std::size_t>((hash >> 32) * n >> 32), high = low;
    for (std::size_t step = 64; low > 0 && !is_below(low - 1); step *= 2) {
      high = low;
      low -= std::min(low, step);
    }
    for (std::size_t step = 64; high < n && is_below(high); step *= 2) {
      low = high + 1;
      high = std::min(n, high + step);
    }
    return std::lower_bound(sorted_.begin() + static_cast<std::ptrdiff_t>(low),
                            sorted_.begin() + static_cast<std::ptrdiff_t>(high),
                            detail::HashedTriangle{hash, 0});
  }

  CornersOf corners_of_;
  Array<detail::HashedTriangle> sorted_;
};

}  // namespace aguja
