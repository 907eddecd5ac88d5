#pragma once
// Threads that own ranges of vertices, and the triangles that each has to read.

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "aguja/base/array.h"
#include "aguja/base/parallel.h"
#include "aguja/mesh/mesh.h"
#include "aguja/mesh/weld.h"

namespace aguja {

/// As many owners as threads; each owns `piece_of(vertex_count, size(), owner)`.
///
/// Promises  What is visited does not depend on the number of threads, but for who visits it.
/// Cost      O(n), whatever the number of owners; 4 to 12 bytes per triangle from kFewOwners on.
class OwnedTriangles {
 public:
  OwnedTriangles(std::span<const Triangle> triangles, std::size_t vertex_count)
      : triangles_(triangles),
        vertex_count_(vertex_count),
        owners_(triangles.size() < 4096 ? 1 : thread_count()) {
    if (owners_ > kFewOwners) make_lists();
  }

  [[nodiscard]] std::size_t size() const { return owners_; }

  /// `visit(t)` in rising order for every triangle with three corners that has a vertex of the
  /// owner, and perhaps for others.
  template <class Visit>
  void for_each(std::size_t owner, const Visit& visit) const {
    if (owners_ <= kFewOwners) {
      for (std::size_t t = 0; t < triangles_.size(); ++t) {
        if (!has_equal_corners(triangles_[t])) visit(t);
      }
      return;
    }
    const std::size_t begin = begin_[owner * owners_], end = begin_[(owner + 1) * owners_];
    for (std::size_t i = begin; i < end; ++i) visit(std::size_t{listed_[i]});
  }

 private:
  // So few read everything in less time than lists are made in.
  static constexpr std::size_t kFewOwners = 4;

  [[nodiscard]] std::size_t owner_of(std::uint32_t vertex) const {
    std::size_t owner = vertex * owners_ / vertex_count_;
    while (vertex >= piece_of(vertex_count_, owners_, owner).end) ++owner;
    return owner;
  }

  // The owners of one stretch of the triangles, each once.
  template <class Visit>
  void for_each_owner(std::size_t stretch, const Visit& visit) const {
    const Range own = piece_of(triangles_.size(), owners_, stretch);
    for (std::size_t t = own.begin; t < own.end; ++t) {
      const Triangle& triangle = triangles_[t];
      if (has_equal_corners(triangle)) continue;
      const std::size_t a = owner_of(triangle[0].value);
      const std::size_t b = owner_of(triangle[1].value);
      const std::size_t c = owner_of(triangle[2].value);
      visit(t, a);
      if (b != a) visit(t, b);
      if (c != a && c != b) visit(t, c);
    }
  }

  // Stretches are read at once; the lists of an owner follow each other by stretch.
  void make_lists() {
    begin_.assign(owners_ * owners_ + 1, 0);
    parallel_tasks(owners_, [&](std::size_t stretch) {
      std::vector<std::size_t> count(owners_);
      for_each_owner(stretch, [&](std::size_t, std::size_t owner) { ++count[owner]; });
      for (std::size_t o = 0; o < owners_; ++o) begin_[o * owners_ + stretch + 1] = count[o];
    });
    for (std::size_t i = 1; i < begin_.size(); ++i) begin_[i] += begin_[i - 1];
    listed_.resize(begin_.back());
    parallel_tasks(owners_, [&](std::size_t stretch) {
      std::vector<std::size_t> next(owners_);
      for (std::size_t o = 0; o < owners_; ++o) next[o] = begin_[o * owners_ + stretch];
      for_each_owner(stretch, [&](std::size_t t, std::size_t owner) {
        listed_[next[owner]++] = static_cast<std::uint32_t>(t);
      });
    });
  }

  std::span<const Triangle> triangles_;
  std::size_t vertex_count_;
  std::size_t owners_;
  std::vector<std::size_t> begin_;  // by owner, then stretch
  Array<std::uint32_t> listed_;
};

}  // namespace aguja
