#pragma once
/// \file
/// A tree of boxes: which boxes meet each other, which meet a given one, what is nearest.

#if defined(__SSE2__)
#include <emmintrin.h>
#endif

#include <array>
#include <bit>
#include <cstdint>
#include <limits>
#include <optional>
#include <span>
#include <vector>

#include "aguja/base/array.h"
#include "aguja/base/parallel.h"
#include "aguja/geometry/box.h"

namespace aguja {

/// A box with float corners, rounded outward: half the memory, never too small.
struct FloatBox {
  std::array<float, 3> low;
  std::array<float, 3> high;

  FloatBox() = default;
  explicit FloatBox(const Box& box);
  [[nodiscard]] bool meets(const FloatBox& other) const {
    // All six are compared: a branch that is guessed wrong costs more.
    return ((low[0] <= other.high[0]) & (other.low[0] <= high[0]) & (low[1] <= other.high[1]) &
            (other.low[1] <= high[1]) & (low[2] <= other.high[2]) & (other.low[2] <= high[2])) != 0;
  }
  void extend(const FloatBox& other);
  [[nodiscard]] float extent() const;  ///< sum of the three sides
  /// Not more than the square of the distance from `p` to anything in the box.
  [[nodiscard]] double squared_distance(const Point& p) const;
};

/// Items are numbered 0, 1, ... as their boxes are given. The tree knows boxes only: what they hold
/// is the caller's to test.
///
/// Promises  Finds every pair of boxes that meet, and perhaps a few that miss each other by the
///           rounding to float. The same order of visits for any number of threads.
/// Cost      Built in O(n log n), parallel; 44 bytes per item, and 8 more while it is built.
/// Source    Lauterbach et al.: Fast BVH Construction on GPUs, Computer Graphics Forum 28(2), 2009
///           (splits where Morton codes differ first).
class BoxTree {
 public:
  BoxTree() = default;
  /// `class_of` (by item; may be empty): pairs within one class are not asked for; kNone is no
  /// class.
  explicit BoxTree(Array<FloatBox> boxes, std::span<const std::uint32_t> class_of = {});

  [[nodiscard]] std::size_t size() const { return items_.size(); }

  /// Blocks of at most kBlock items that lie near each other.
  static constexpr std::size_t kBlock = 4;
  /// Their boxes, side by side so that four are compared at once; unused places hold empty boxes.
  struct alignas(16) Boxes {
    float low[3][kBlock];
    float high[3][kBlock];

    [[nodiscard]] FloatBox operator[](std::size_t i) const {
      FloatBox box;
      for (std::size_t k = 0; k < 3; ++k) box.low[k] = low[k][i], box.high[k] = high[k][i];
      return box;
    }
    /// Bit i is set if box i meets `box`.
    [[nodiscard]] unsigned meeting(const FloatBox& box) const;
  };
  struct Block {
    std::span<const std::uint32_t> items;
    const Boxes& boxes;
  };

  /// Pairs of blocks (perhaps of one with itself) that may hold boxes that meet, each once, cut
  /// into lists that are worked on in parallel: `visit(list, Block, Block)`; the number of lists
  /// depends on the tree alone. Items of two different blocks are different. Pairs within one class
  /// may be among them.
  template <class Visit>
  void for_each_block_pair(const Visit& visit) const;
  [[nodiscard]] std::size_t list_count() const { return tasks_.size(); }
  /// One of these lists: `visit(Block, Block)`, until it returns false.
  template <class Visit>
  void for_each_block_pair_of(std::size_t list, const Visit& visit) const;

  /// `visit(item)` for every item whose box meets `box`.
  template <class Visit>
  void for_each_meeting(const FloatBox& box, const Visit& visit) const {
    for_each_meeting(
        box, [](std::uint32_t) { return true; }, visit);
  }
  /// Of them, those that lie below no node of which `admits(node)` is false. `visit` may shrink the
  /// box: what only the rest met is not visited any more.
  template <class Admits, class Visit>
  void for_each_meeting(const FloatBox& box, const Admits& admits, const Visit& visit) const;

  /// What is known of all items below each node, by node: `join` of `of(item)`.
  template <class T, class Of, class Join>
  [[nodiscard]] Array<T> by_node(const Of& of, const Join& join) const;

  /// Visits items near `p`, nearest boxes first as far as the tree tells: `squared(item)` gives the
  /// square of the item's distance; items in boxes farther than the best so far are left out.
  /// Returns the item with the least, the lowest of equal ones; kNone beyond `limit` (squared).
  /// After `most` nodes the best so far is taken: a near one, where very many are near.
  template <class Squared>
  [[nodiscard]] std::uint32_t nearest(const Point& p, double limit, const Squared& squared,
                                      std::size_t most = kNoLimit) const;
  static constexpr std::uint32_t kNone = 0xFFFFFFFFu;
  static constexpr std::size_t kNoLimit = std::numeric_limits<std::size_t>::max();

  struct RayHit {
    std::uint32_t item;
    double along;  ///< in lengths of the ray's direction
  };
  /// The nearest item that the ray from `origin` meets: `along(item)` says where, negative if not
  /// at all. Nearer boxes first as far as the tree tells; the lowest of items equally near.
  template <class Along>
  [[nodiscard]] std::optional<RayHit> first_hit(const Point& origin, const Vector& direction,
                                                const Along& along) const;

  /// Items that are taken out as they are found, so that each is found once, however many boxes meet
  /// each other. The tree must outlive it.
  class Remaining {
   public:
    explicit Remaining(const BoxTree& tree);
    /// `visit(item)` for those that are left and whose boxes meet `box`.
    /// Cost     O(log n) for each, and for each call.
    template <class Visit>
    void take_meeting(const FloatBox& box, const Visit& visit) {
      if (!tree_.nodes_.empty()) take(0, box, visit);
    }

   private:
    template <class Visit>
    std::uint32_t take(std::uint32_t node, const FloatBox& box, const Visit& visit);

    const BoxTree& tree_;
    std::vector<std::uint32_t> left_;  // by node: items
    std::vector<unsigned> gone_;       // by block: its items, as bits
  };

 private:
  struct Node {
    FloatBox box;
    std::uint32_t first;   // block
    std::uint32_t blocks;  // 1: a leaf; else the left child follows, and `right()` tells the other
  };
  struct Task {
    std::uint32_t a;
    std::uint32_t b;
  };

  // Each child has an eighth of its parent's blocks at least: 2^30 blocks are 156 levels deep.
  static constexpr int kDeepest = 160;

  // A subtree over k blocks takes 2k - 1 nodes.
  [[nodiscard]] std::uint32_t left(std::uint32_t node) const { return node + 1; }
  [[nodiscard]] std::uint32_t right(std::uint32_t node) const {
    return node + 2 * nodes_[node + 1].blocks;
  }
  [[nodiscard]] Block block(std::uint32_t index) const {
    const std::size_t begin = index * kBlock;
    const std::size_t count = std::min(kBlock, items_.size() - begin);
    return {{items_.data() + begin, count}, boxes_[index]};
  }
  void build(std::span<const std::uint64_t> keys, std::uint32_t node, std::uint32_t first,
             std::uint32_t blocks);
  void classify(std::span<const std::uint32_t> class_of);
  [[nodiscard]] bool may_meet(Task t) const {
    if (!class_of_node_.empty() && class_of_node_[t.a] != kNone &&
        class_of_node_[t.a] == class_of_node_[t.b]) {
      return false;
    }
    return t.a == t.b || nodes_[t.a].box.meets(nodes_[t.b].box);
  }
  void make_tasks();
  /// Appends the one or more pairs that a pair falls into.
  template <class Push>
  void divide(Task task, const Push& push) const;
  [[nodiscard]] bool is_leaf_pair(Task t) const {
    return nodes_[t.a].blocks == 1 && nodes_[t.b].blocks == 1;
  }

  Array<std::uint32_t> items_;
  Array<Boxes> boxes_;  // by block
  Array<Node> nodes_;
  Array<std::uint32_t> class_of_node_;  // kNone: of several, or of none
  std::vector<Task> tasks_;
};

inline unsigned BoxTree::Boxes::meeting(const FloatBox& box) const {
#if defined(__SSE2__)
  __m128 all = _mm_castsi128_ps(_mm_set1_epi32(-1));
  for (std::size_t k = 0; k < 3; ++k) {
    all = _mm_and_ps(all, _mm_cmple_ps(_mm_load_ps(low[k]), _mm_set1_ps(box.high[k])));
    all = _mm_and_ps(all, _mm_cmple_ps(_mm_set1_ps(box.low[k]), _mm_load_ps(high[k])));
  }
  return static_cast<unsigned>(_mm_movemask_ps(all));
#else
  unsigned bits = 0;
  for (std::size_t i = 0; i < kBlock; ++i) {
    bits |= static_cast<unsigned>((*this)[i].meets(box)) << i;
  }
  return bits;
#endif
}

template <class Push>
void BoxTree::divide(Task task, const Push& push) const {
  const auto [a, b] = task;
  if (a == b) {
    push(Task{left(a), left(a)});
    push(Task{right(a), right(a)});
    push(Task{left(a), right(a)});
    return;
  }
  const bool open_a = nodes_[b].blocks == 1 ||
                      (nodes_[a].blocks > 1 && nodes_[a].box.extent() >= nodes_[b].box.extent());
  if (open_a) {
    push(Task{left(a), b});
    push(Task{right(a), b});
  } else {
    push(Task{a, left(b)});
    push(Task{a, right(b)});
  }
}

template <class Visit>
void BoxTree::for_each_block_pair_of(std::size_t list, const Visit& visit) const {
  std::vector<Task> stack = {tasks_[list]};
  while (!stack.empty()) {
    const Task task = stack.back();
    stack.pop_back();
    if (!may_meet(task)) continue;
    if (is_leaf_pair(task)) {
      if (!visit(block(nodes_[task.a].first), block(nodes_[task.b].first))) return;
    } else {
      divide(task, [&](Task t) { stack.push_back(t); });
    }
  }
}

template <class Visit>
void BoxTree::for_each_block_pair(const Visit& visit) const {
  parallel_tasks(tasks_.size(), [&](std::size_t list) {
    for_each_block_pair_of(list, [&](const Block& a, const Block& b) {
      visit(list, a, b);
      return true;
    });
  });
}

template <class Admits, class Visit>
void BoxTree::for_each_meeting(const FloatBox& box, const Admits& admits,
                               const Visit& visit) const {
  if (nodes_.empty()) return;
  std::uint32_t stack[kDeepest];
  int depth = 0;
  stack[depth++] = 0;
  while (depth > 0) {
    const std::uint32_t node = stack[--depth];
    if (!nodes_[node].box.meets(box) || !admits(node)) continue;
    if (nodes_[node].blocks > 1) {
      stack[depth++] = right(node);
      stack[depth++] = left(node);
      continue;
    }
    const Block own = block(nodes_[node].first);
    for (unsigned bits = own.boxes.meeting(box); bits != 0; bits &= bits - 1) {
      visit(own.items[static_cast<std::size_t>(std::countr_zero(bits))]);
    }
  }
}

template <class T, class Of, class Join>
Array<T> BoxTree::by_node(const Of& of, const Join& join) const {
  Array<T> values(nodes_.size());
  // Children come after their parents.
  for (auto node = static_cast<std::uint32_t>(nodes_.size()); node-- > 0;) {
    if (nodes_[node].blocks > 1) {
      values[node] = join(values[left(node)], values[right(node)]);
      continue;
    }
    const std::span<const std::uint32_t> items = block(nodes_[node].first).items;
    values[node] = of(items[0]);
    for (const std::uint32_t item : items.subspan(1)) values[node] = join(values[node], of(item));
  }
  return values;
}

template <class Visit>
std::uint32_t BoxTree::Remaining::take(std::uint32_t node, const FloatBox& box,
                                       const Visit& visit) {
  const Node& own = tree_.nodes_[node];
  if (left_[node] == 0 || !own.box.meets(box)) return 0;
  std::uint32_t taken = 0;
  if (own.blocks > 1) {
    taken = take(tree_.left(node), box, visit);
    taken += take(tree_.right(node), box, visit);
  } else {
    const Block block = tree_.block(own.first);
    const unsigned found = block.boxes.meeting(box) & ~gone_[own.first];
    gone_[own.first] |= found;
    for (unsigned bits = found; bits != 0; bits &= bits - 1, ++taken) {
      visit(block.items[static_cast<std::size_t>(std::countr_zero(bits))]);
    }
  }
  left_[node] -= taken;
  return taken;
}

template <class Squared>
std::uint32_t BoxTree::nearest(const Point& p, double limit, const Squared& squared,
                               std::size_t most) const {
  std::uint32_t best = kNone;
  double best_squared = limit;
  if (nodes_.empty()) return best;
  struct Pending {
    std::uint32_t node;
    double squared;
  };
  Pending stack[kDeepest];
  int depth = 0;
  stack[depth++] = {0, nodes_[0].box.squared_distance(p)};
  for (std::size_t looked = 0; depth > 0 && looked < most; ++looked) {
    const Pending at = stack[--depth];
    if (at.squared > best_squared) continue;
    if (nodes_[at.node].blocks > 1) {
      Pending near{left(at.node), nodes_[left(at.node)].box.squared_distance(p)};
      Pending far{right(at.node), nodes_[right(at.node)].box.squared_distance(p)};
      if (far.squared < near.squared) std::swap(near, far);
      stack[depth++] = far;
      stack[depth++] = near;
      continue;
    }
    const Block own = block(nodes_[at.node].first);
    for (std::size_t i = 0; i < own.items.size(); ++i) {
      if (own.boxes[i].squared_distance(p) > best_squared) continue;
      const double s = squared(own.items[i]);
      if (s < best_squared || (s == best_squared && (best == kNone || own.items[i] < best))) {
        best = own.items[i];
        best_squared = s;
      }
    }
  }
  return best;
}

template <class Along>
std::optional<BoxTree::RayHit> BoxTree::first_hit(const Point& origin, const Vector& direction,
                                                  const Along& along) const {
  std::optional<RayHit> best;
  if (nodes_.empty()) return best;
  const Vector inverse = direction.cwiseInverse();
  constexpr double kMissed = -1;
  const auto entry = [&](const FloatBox& box) {
    double enters = 0, leaves = best ? best->along : std::numeric_limits<double>::infinity();
    for (std::size_t k = 0; k < 3; ++k) {
      const auto axis = static_cast<Eigen::Index>(k);
      const double low = static_cast<double>(box.low[k]), high = static_cast<double>(box.high[k]);
      if (direction[axis] == 0) {
        if (origin[axis] < low || origin[axis] > high) return kMissed;
        continue;
      }
      const double a = (low - origin[axis]) * inverse[axis];
      const double b = (high - origin[axis]) * inverse[axis];
      enters = std::max(enters, std::min(a, b));
      leaves = std::min(leaves, std::max(a, b));
    }
    return enters <= leaves ? enters : kMissed;
  };
  struct Pending {
    std::uint32_t node;
    double enters;
  };
  Pending stack[kDeepest];
  int depth = 0;
  if (const double at = entry(nodes_[0].box); at >= 0) stack[depth++] = {0, at};
  while (depth > 0) {
    const Pending top = stack[--depth];
    if (best && top.enters > best->along) continue;
    if (nodes_[top.node].blocks > 1) {
      Pending near{left(top.node), entry(nodes_[left(top.node)].box)};
      Pending far{right(top.node), entry(nodes_[right(top.node)].box)};
      if (far.enters >= 0 && far.enters < near.enters) std::swap(near, far);
      if (far.enters >= 0) stack[depth++] = far;
      if (near.enters >= 0) stack[depth++] = near;
      continue;
    }
    const Block own = block(nodes_[top.node].first);
    for (std::size_t i = 0; i < own.items.size(); ++i) {
      if (entry(own.boxes[i]) < 0) continue;
      const std::uint32_t item = own.items[i];
      const double at = along(item);
      if (at < 0) continue;
      if (!best || at < best->along || (at == best->along && item < best->item)) {
        best = RayHit{item, at};
      }
    }
  }
  return best;
}

}  // namespace aguja
