#include "aguja/geometry/box_tree.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>
#include "base/parallel_algorithms.h"

namespace aguja {
namespace {

constexpr float kFloatInfinity = std::numeric_limits<float>::infinity();

// The compiler keeps these two comparisons honest: see rounded_to_float.
float below(double x) {
  const volatile auto f = static_cast<float>(x);
  const float value = f;
  return static_cast<double>(value) <= x ? value : std::nextafterf(value, -kFloatInfinity);
}
float above(double x) {
  const volatile auto f = static_cast<float>(x);
  const float value = f;
  return static_cast<double>(value) >= x ? value : std::nextafterf(value, kFloatInfinity);
}

// 21 bits with two zeros between any two.
std::uint64_t spread(std::uint64_t x) {
  x &= 0x1FFFFFu;
  x = (x | x << 32) & 0x1F00000000FFFFu;
  x = (x | x << 16) & 0x1F0000FF0000FFu;
  x = (x | x << 8) & 0x100F00F00F00F00Fu;
  x = (x | x << 4) & 0x10C30C30C30C30C3u;
  return (x | x << 2) & 0x1249249249249249u;
}

// Morton code of the middle of each box above its number: sorted by place, and never equal.
class MortonKeys {
 public:
  MortonKeys(std::span<const FloatBox> boxes, const FloatBox& all)
      : item_bits_(std::max(1, static_cast<int>(std::bit_width(boxes.size())))) {
    axis_bits_ = std::min(21, (64 - item_bits_) / 3);
    float largest = 0;
    for (int k = 0; k < 3; ++k) largest = std::max(largest, all.high[k] * 0.5f - all.low[k] * 0.5f);
    // Infinite and empty extents give one cell: a slow tree, but a right one.
    const bool usable = std::isfinite(largest) && largest > 0;
    for (int k = 0; k < 3; ++k) low_[k] = usable ? all.low[k] : 0.0;
    scale_ = usable ? std::ldexp(1.0, axis_bits_) / (2.0 * static_cast<double>(largest)) : 0.0;
  }
  [[nodiscard]] std::uint64_t key(const FloatBox& box, std::size_t item) const {
    std::uint64_t code = 0;
    for (int k = 0; k < 3; ++k) {
      const double middle =
          0.5 * static_cast<double>(box.low[k]) + 0.5 * static_cast<double>(box.high[k]);
      const double cell = (middle - low_[k]) * scale_;
      const double last = std::ldexp(1.0, axis_bits_) - 1;
      const auto i = static_cast<std::uint64_t>(cell > 0 ? std::min(cell, last) : 0.0);
      code |= spread(i) << k;
    }
    return code << item_bits_ | item;
  }
  [[nodiscard]] std::uint32_t item(std::uint64_t key) const {
    return static_cast<std::uint32_t>(key & ((std::uint64_t{1} << item_bits_) - 1));
  }

 private:
  int item_bits_;
  int axis_bits_;
  double low_[3];
  double scale_;
};

constexpr std::size_t kBoxesATask = std::size_t{1} << 14;

}  // namespace

FloatBox::FloatBox(const Box& box) {
  for (int k = 0; k < 3; ++k) {
    low[k] = below(box.low[k]);
    high[k] = above(box.high[k]);
  }
}

void FloatBox::extend(const FloatBox& other) {
  for (int k = 0; k < 3; ++k) {
    low[k] = std::min(low[k], other.low[k]);
    high[k] = std::max(high[k], other.high[k]);
  }
}

float FloatBox::extent() const {
  return (high[0] - low[0]) + (high[1] - low[1]) + (high[2] - low[2]);
}

double FloatBox::squared_distance(const Point& p) const {
  double sum = 0;
  for (int k = 0; k < 3; ++k) {
    const double d =
        std::max({static_cast<double>(low[k]) - p[k], p[k] - static_cast<double>(high[k]), 0.0});
    sum += d * d;
  }
  return sum;
}

BoxTree::BoxTree(Array<FloatBox> boxes, std::span<const std::uint32_t> class_of) {
  if (boxes.empty()) return;
  FloatBox all = boxes[0];
  for (const FloatBox& some : parallel_map(boxes.size(), kBoxesATask, [&](Range r) {
         FloatBox box = boxes[r.begin];
         for (std::size_t i = r.begin + 1; i < r.end; ++i) box.extend(boxes[i]);
         return box;
       })) {
    all.extend(some);
  }
  const MortonKeys morton(boxes, all);
  Array<std::uint64_t> keys(boxes.size());
  parallel_ranges(boxes.size(), kBoxesATask, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) keys[i] = morton.key(boxes[i], i);
  });
  parallel_sort(keys.begin(), keys.end());

  const auto blocks = static_cast<std::uint32_t>((boxes.size() + kBlock - 1) / kBlock);
  items_.resize(boxes.size());
  boxes_.resize(blocks);
  parallel_ranges(blocks, kBoxesATask / kBlock, [&](Range r) {
    for (std::size_t b = r.begin; b < r.end; ++b) {
      for (std::size_t slot = 0; slot < kBlock; ++slot) {
        const std::size_t i = b * kBlock + slot;
        // What fills up the last block meets nothing, not even a box without end.
        FloatBox box;
        box.low.fill(std::numeric_limits<float>::quiet_NaN());
        box.high.fill(std::numeric_limits<float>::quiet_NaN());
        if (i < items_.size()) {
          items_[i] = morton.item(keys[i]);
          box = boxes[items_[i]];
        }
        for (std::size_t k = 0; k < 3; ++k) {
          boxes_[b].low[k][slot] = box.low[k];
          boxes_[b].high[k][slot] = box.high[k];
        }
      }
    }
  });
  boxes = {};
  nodes_.resize(2 * std::size_t{blocks} - 1);
  build(keys, 0, 0, blocks);
  if (!class_of.empty()) classify(class_of);
  make_tasks();
}

void BoxTree::classify(std::span<const std::uint32_t> class_of) {
  class_of_node_ =
      by_node<std::uint32_t>([&](std::uint32_t item) { return class_of[item]; },
                             [](std::uint32_t a, std::uint32_t b) { return a == b ? a : kNone; });
}

void BoxTree::build(std::span<const std::uint64_t> keys, std::uint32_t node, std::uint32_t first,
                    std::uint32_t blocks) {
  Node& own = nodes_[node];
  own.first = first;
  own.blocks = blocks;
  if (blocks == 1) {
    const Block items = block(first);
    own.box = items.boxes[0];
    for (std::size_t i = 1; i < items.items.size(); ++i) own.box.extend(items.boxes[i]);
    return;
  }
  // Split at the block nearest to where the highest differing bit changes.
  const std::size_t begin = first * kBlock;
  const std::size_t end = std::min(keys.size(), (std::size_t{first} + blocks) * kBlock);
  const auto bit = static_cast<int>(std::bit_width(keys[begin] ^ keys[end - 1])) - 1;
  const std::uint64_t middle = (keys[end - 1] >> bit) << bit;
  const auto at = static_cast<std::size_t>(
      std::lower_bound(keys.begin() + static_cast<std::ptrdiff_t>(begin),
                       keys.begin() + static_cast<std::ptrdiff_t>(end), middle) -
      keys.begin());
  auto split = static_cast<std::uint32_t>((at - begin + kBlock / 2) / kBlock);
  // Lopsided splits are bounded, so that the tree's depth is.
  const std::uint32_t least = std::max(1u, blocks / 8);
  split = std::clamp(split, least, blocks - least);
  const auto build_left = [&] { build(keys, node + 1, first, split); };
  const auto build_right = [&] { build(keys, node + 2 * split, first + split, blocks - split); };
  if (blocks > 4096) {
    parallel_invoke(build_left, build_right);
  } else {
    build_left();
    build_right();
  }
  own.box = nodes_[node + 1].box;
  own.box.extend(nodes_[node + 2 * split].box);
}

void BoxTree::make_tasks() {
  // Breadth first, so that the pieces are of similar size.
  constexpr std::size_t kEnough = 512;
  tasks_ = {{0, 0}};
  while (tasks_.size() < kEnough) {
    std::vector<Task> next;
    bool divided = false;
    for (const Task& task : tasks_) {
      if (is_leaf_pair(task)) {
        next.push_back(task);
        continue;
      }
      divided = true;
      divide(task, [&](Task t) {
        if (may_meet(t)) next.push_back(t);
      });
    }
    tasks_ = std::move(next);
    if (!divided) return;
  }
}

BoxTree::Remaining::Remaining(const BoxTree& tree)
    : tree_(tree), left_(tree.nodes_.size()), gone_(tree.boxes_.size()) {
  // Children come after their parents.
  for (std::size_t i = left_.size(); i-- > 0;) {
    const auto node = static_cast<std::uint32_t>(i);
    const Node& own = tree.nodes_[i];
    left_[i] = own.blocks == 1 ? static_cast<std::uint32_t>(tree.block(own.first).items.size())
                               : left_[tree.left(node)] + left_[tree.right(node)];
  }
}

}  // namespace aguja
