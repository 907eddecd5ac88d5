#pragma once
/// \file
/// The shells of a part: which are closed, which way they face, which lies inside which.

#include <optional>
#include <vector>

#include "aguja/mesh/components.h"
#include "aguja/mesh/fans.h"
#include "aguja/solid/mass_properties.h"

namespace aguja {

/// An edge-connected set of triangles and what it encloses.
struct Shell {
  std::size_t triangles = 0;
  TriangleId first_triangle{};
  Box box;
  bool closed = false;    ///< no edge is naked, and each is used equally often both ways
  bool manifold = false;  ///< every edge has at most two triangles, every vertex one fan
  bool oriented = false;  ///< no edge is used twice the same way: neighbours face the same way
  MassProperties mass;    ///< the volume and what follows from it: only if closed
  int volume_sign = 0;    ///< exact; only if closed
  long long euler = 0;    ///< vertices - edges + triangles
  std::optional<long long> genus;  ///< of closed, manifold, oriented shells
  // Nesting, among closed shells of the part; crossings are not looked at here.
  std::optional<std::size_t> inside_of;  ///< the innermost closed shell around this one
  std::size_t depth = 0;                 ///< number of closed shells around this one
  bool nesting_decided = true;           ///< false: every point tried lies on another shell
  /// A shell that is not closed and whose box holds this one: whether this one is inside of it, and
  /// so which way it should face, cannot be told before that one is mended.
  std::optional<std::size_t> waits_for_shell;

  /// Closed, and turned as its depth demands: bodies outward, cavities inward.
  /// Meaningful if `orientation_decided()`.
  [[nodiscard]] bool faces_right_way() const {
    return closed && volume_sign == (depth % 2 == 0 ? 1 : -1);
  }
  [[nodiscard]] bool orientation_decided() const {
    return closed && nesting_decided && !waits_for_shell;
  }
};

/// One entry per component, in their order.
/// Cost     O(n) beside the nesting; that is O(n log s) for s closed shells unless many boxes
///          overlap. Parallel; the same bits for any number of threads.
[[nodiscard]] std::vector<Shell> find_shells(const Welded& mesh, const EdgeTable& edges,
                                             const Components& components, const VertexStars& stars,
                                             std::span<const PinchedVertex> pinched);

/// Triangles grouped by component, rising within each.
class TrianglesByShell {
 public:
  explicit TrianglesByShell(const Components& components);
  [[nodiscard]] std::span<const TriangleId> operator[](std::size_t shell) const {
    return {triangles_.data() + first_[shell], triangles_.data() + first_[shell + 1]};
  }

 private:
  std::vector<std::size_t> first_;
  Array<TriangleId> triangles_;
};

}  // namespace aguja
