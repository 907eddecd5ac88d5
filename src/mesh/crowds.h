#pragma once
// Triangles about one vertex or edge, so many that boxes in space would hold each against all.

#include <cstdint>
#include <span>
#include <vector>

#include "aguja/base/array.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/mesh/weld.h"

namespace aguja {

// Triangles that share a vertex meet anywhere else only if, seen from it, they lie in one
// direction; those that share an edge only if they stand at one angle about it. The boxes are of
// these directions, in a unit sphere: where two miss each other, so do the triangles.
struct Crowd {
  std::vector<std::uint32_t> triangles;
  Array<FloatBox> boxes;                // by place in `triangles`
  std::vector<std::uint32_t> crowd_of;  // likewise: its smaller crowd, if any
};

class Crowds {
 public:
  // Cost     O(n), and O(k log k) for k triangles in crowds. Parallel.
  explicit Crowds(const Welded& mesh, std::size_t least = kLeast);

  [[nodiscard]] static bool are_in(const Welded& mesh, std::size_t least = kLeast);

  // By triangle: kNone if in no crowd. Empty if there are none. Pairs within one are the crowd's.
  [[nodiscard]] std::span<const std::uint32_t> crowd_of() const { return crowd_of_; }
  [[nodiscard]] std::vector<Crowd>& list() { return list_; }

  static constexpr std::uint32_t kNone = BoxTree::kNone;
  static constexpr std::size_t kLeast = 96;

 private:
  std::vector<std::uint32_t> crowd_of_;
  std::vector<Crowd> list_;
};

}  // namespace aguja
