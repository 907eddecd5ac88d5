#pragma once
// Long thin triangles, so many side by side that the boxes around them meet for nothing.

#include <cstdint>
#include <span>
#include <vector>

#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/capsule_tree.h"
#include "aguja/mesh/weld.h"

namespace aguja {

// A triangle lies within its height of its longest side: two such can only meet where these sides
// come as near as both heights together.
class Needles {
 public:
  // Finds any only if they are worth it: the box of each meets those of hundreds, as `tree`, which
  // is of all triangles, shows of some.
  // Cost     O(n), and O(k log k) for k needles if they are worth it. Parallel.
  Needles(const Welded& mesh, const BoxTree& tree, std::span<const std::uint32_t> crowd_of);

  // Would it find any? The tree may be of some triangles.
  [[nodiscard]] static bool are_in(const Welded& mesh, const BoxTree& tree);

  [[nodiscard]] bool empty() const { return list_.empty(); }
  [[nodiscard]] std::size_t size() const { return list_.size(); }
  [[nodiscard]] std::uint32_t triangle(std::size_t i) const { return list_[i].triangle; }

  // `visit(triangle)` for those that the i-th may meet; of two that may meet each other one is told
  // of the other. Those of its crowd are left out. Ends where `visit` returns false.
  template <class Visit>
  void for_each_near(std::size_t i, const Visit& visit) const {
    const Needle& own = list_[i];
    bool goes_on = true;
    for (std::size_t k = 0; k <= own.group && goes_on; ++k) {
      const Group& group = groups_[k];
      group.tree.for_each_near(
          own.from, own.to, own.reach + group.reach,
          [&](const CapsuleTree::Common& c) {
            return c.group == CapsuleTree::kNone || c.group != own.crowd;
          },
          [&](std::uint32_t item) {
            const std::uint32_t other = group.first + item;
            if (k == own.group && other >= i) return true;
            const bool same = own.crowd != BoxTree::kNone && own.crowd == list_[other].crowd;
            if (!same) goes_on = visit(list_[other].triangle);
            return goes_on;
          });
    }
  }

 private:
  struct Needle {
    Point from, to;  // its longest side
    double reach;
    std::uint32_t triangle, crowd;
    std::size_t group;
  };
  // Of about one height.
  struct Group {
    std::uint32_t first = 0;  // in the list
    double reach = 0;         // the largest
    CapsuleTree tree = {};
  };

  std::vector<Needle> list_;  // by group
  std::vector<Group> groups_;
};

}  // namespace aguja
