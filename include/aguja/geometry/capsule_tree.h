#pragma once
/// \file
/// A tree of segments: which come near a segment, which is nearest to a point.

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <limits>
#include <span>
#include <vector>

#include "aguja/base/array.h"
#include "aguja/geometry/box_tree.h"

namespace aguja {

/// The least squared distance between the segments from `p` to `q` and from `r` to `s`, within
/// 1e-7 of their lengths where they are nearly parallel; each may be a point.
[[nodiscard]] double squared_distance(const Point& p, const Point& q, const Point& r,
                                      const Point& s);

/// Segments that run alike lie in a common capsule: a middle segment and how far the others get
/// from it. So long segments in one bundle, about one point or side by side, are told from each
/// other, which the boxes beside them cannot do.
///
/// Promises  Finds what trying all segments finds. The same for any number of threads.
/// Cost      Built in O(n log n), parallel; 130 bytes per segment, and 64 more while it is built.
class CapsuleTree {
 public:
  struct Segment {
    Point from, to;
    std::uint32_t group;                ///< what it belongs to
    std::array<std::uint32_t, 2> ends;  ///< which vertices it joins
  };
  static constexpr std::uint32_t kNone = 0xFFFFFFFFu;
  static constexpr std::size_t kNoLimit = std::numeric_limits<std::size_t>::max();

  /// What all segments below a node have in common.
  struct Common {
    FloatBox along;                     ///< their unit vectors
    std::uint32_t group;                ///< kNone if there are several
    std::array<std::uint32_t, 2> ends;  ///< vertices of all; kNone if there are none such
  };

  CapsuleTree() = default;
  explicit CapsuleTree(std::span<const Segment> segments);

  /// `visit(item)` for every segment within `reach` of the one from `p` to `q`, but for those below
  /// nodes of which `admits(Common)` is false; ends where `visit` returns false, and after `most`
  /// nodes. Were these all?
  template <class Admits, class Visit>
  bool for_each_near(const Point& p, const Point& q, double reach, const Admits& admits,
                     const Visit& visit, std::size_t most = kNoLimit) const;

  /// The item with the least `squared(item)`, the lowest of equal ones; kNone if that is beyond
  /// `limit`. `squared` must not be less than the square of the segment's distance from `p`. After
  /// `most` nodes the best so far is taken: a near one, where very many are near.
  template <class Admits, class Squared>
  [[nodiscard]] std::uint32_t nearest(const Point& p, double limit, const Admits& admits,
                                      const Squared& squared, std::size_t most = kNoLimit) const;

 private:
  static constexpr std::uint32_t kLeaf = BoxTree::kBlock;  // segments
  static constexpr int kDeepest = 64;                      // leaves are halved
  struct Node {
    FloatBox box;
    Point from, to;  // the middle segment
    double radius;
    bool slim;  // else the box tells as much
    Common common;
    std::uint32_t first;   // leaf
    std::uint32_t leaves;  // 1: a leaf; else the left child follows
  };
  struct Key;
  struct Ends;

  [[nodiscard]] std::uint32_t left(std::uint32_t node) const { return node + 1; }
  [[nodiscard]] std::uint32_t right(std::uint32_t node) const {
    return node + 2 * nodes_[node + 1].leaves;
  }
  [[nodiscard]] std::span<const std::uint32_t> items(const Node& leaf) const {
    const std::size_t begin = std::size_t{leaf.first} * kLeaf;
    return std::span(items_).subspan(begin, std::min<std::size_t>(kLeaf, items_.size() - begin));
  }
  // Not more than the square of the distance from `p` to anything below the node; no better than it
  // takes to tell that this is beyond `limit`.
  [[nodiscard]] double squared_bound(const Node& node, const Point& p, double limit) const;
  [[nodiscard]] bool may_be_near(const Node& node, const Point& p, const Point& q,
                                 double reach) const;
  [[nodiscard]] static FloatBox around(const Point& p, const Point& q, double reach);
  Ends build(std::span<Key> keys, std::span<const Segment> segments, std::uint32_t node,
             std::uint32_t first, std::uint32_t leaves);

  Array<std::uint32_t> items_;
  Array<BoxTree::Boxes> boxes_;           // by leaf
  Array<std::array<Point, 2>> segments_;  // as given
  Array<Node> nodes_;
};

template <class Admits, class Visit>
bool CapsuleTree::for_each_near(const Point& p, const Point& q, double reach, const Admits& admits,
                                const Visit& visit, std::size_t most) const {
  if (nodes_.empty()) return true;
  const FloatBox whole = around(p, q, reach);
  std::uint32_t stack[kDeepest];
  int depth = 0;
  stack[depth++] = 0;
  for (std::size_t looked = 0; depth > 0; ++looked) {
    if (looked == most) return false;
    const std::uint32_t at = stack[--depth];
    const Node& node = nodes_[at];
    if (!node.box.meets(whole) || !admits(node.common)) continue;
    if (node.slim && !may_be_near(node, p, q, reach)) continue;
    if (node.leaves > 1) {
      stack[depth++] = right(at);
      stack[depth++] = left(at);
      continue;
    }
    for (unsigned bits = boxes_[node.first].meeting(whole); bits != 0; bits &= bits - 1) {
      const std::uint32_t item = items(node)[static_cast<std::size_t>(std::countr_zero(bits))];
      const auto& [from, to] = segments_[item];
      if (squared_distance(p, q, from, to) <= reach * reach && !visit(item)) return false;
    }
  }
  return true;
}

template <class Admits, class Squared>
std::uint32_t CapsuleTree::nearest(const Point& p, double limit, const Admits& admits,
                                   const Squared& squared, std::size_t most) const {
  std::uint32_t best = kNone;
  if (nodes_.empty()) return best;
  double best_squared = limit;
  struct Pending {
    std::uint32_t node;
    double squared;
  };
  Pending stack[kDeepest];
  int depth = 0;
  stack[depth++] = {0, squared_bound(nodes_[0], p, limit)};
  for (std::size_t looked = 0; depth > 0 && looked < most; ++looked) {
    const Pending at = stack[--depth];
    const Node& node = nodes_[at.node];
    if (at.squared > best_squared || !admits(node.common)) continue;
    if (node.leaves > 1) {
      Pending near{left(at.node), squared_bound(nodes_[left(at.node)], p, best_squared)};
      Pending far{right(at.node), squared_bound(nodes_[right(at.node)], p, best_squared)};
      if (far.squared < near.squared) std::swap(near, far);
      stack[depth++] = far;
      stack[depth++] = near;
      continue;
    }
    const std::span<const std::uint32_t> own = items(node);
    for (std::size_t i = 0; i < own.size(); ++i) {
      if (boxes_[node.first][i].squared_distance(p) > best_squared) continue;
      const std::uint32_t item = own[i];
      const double s = squared(item);
      if (s < best_squared || (s == best_squared && item < best)) {
        best = item;
        best_squared = s;
      }
    }
  }
  return best;
}

}  // namespace aguja
