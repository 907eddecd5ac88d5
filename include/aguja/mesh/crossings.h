#pragma once
/// \file
/// All pairs of triangles that meet anywhere but in a vertex or edge that they share.

#include <optional>
#include <vector>

#include "aguja/base/progress.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/triangle_pair.h"
#include "aguja/mesh/weld.h"

namespace aguja {

struct TrianglePair {
  TriangleId first;  ///< the lower number
  TriangleId second;
  Contact contact;
  friend auto operator<=>(const TrianglePair&, const TrianglePair&) = default;
};

struct ContactCounts {
  std::size_t crossing = 0;
  std::size_t overlap = 0;
  std::size_t touch = 0;
};
[[nodiscard]] ContactCounts count_contacts(std::span<const TrianglePair> pairs);

/// Every such pair once, sorted. Triangles of no area are left out; so are pairs of triangles on
/// the same three vertices, which are duplicates.
///
/// Decides  Exactly; see `classify_staged`.
/// Cost     O(n log n + k) for k pairs; 50 bytes per triangle and 12 per pair on top of the mesh.
///          Any number of triangles may share a vertex or an edge. Parallel; the same for any
///          number of threads.
/// Errors   Cancelled.
[[nodiscard]] std::vector<TrianglePair> find_crossings(const Welded& mesh,
                                                       Progress* progress = nullptr);

/// Where nearly all triangles meet each other, there are more pairs than anybody can use.
inline constexpr std::size_t kMostCrossings = 1'000'000;
struct SomeCrossings {
  std::vector<TrianglePair> pairs;  ///< sorted
  bool are_all = true;              ///< else there are more
};
/// As above, but no more than `most` pairs: those of some places, the same for any number of
/// threads. `tree` gets the tree over all triangles' boxes, if one was made that others can use.
[[nodiscard]] SomeCrossings find_crossings_up_to(const Welded& mesh, std::size_t most,
                                                 Progress* progress = nullptr,
                                                 std::optional<BoxTree>* tree = nullptr);

/// Only pairs of which one triangle at least is `wanted` (by triangle).
/// Cost     O(n log m + k) for m wanted triangles; 50 bytes per wanted one. Parallel.
[[nodiscard]] std::vector<TrianglePair> find_crossings_of(const Welded& mesh,
                                                          const std::vector<bool>& wanted);

/// The triangle with what `classify` needs.
[[nodiscard]] inline LabelledTriangle labelled(const Welded& mesh, TriangleId t) {
  const Triangle& triangle = mesh.triangle(t);
  return {{mesh.point(triangle[0]), mesh.point(triangle[1]), mesh.point(triangle[2])},
          {triangle[0].value, triangle[1].value, triangle[2].value}};
}

/// Where two triangles meet, for people: a stretch of curve, a region, or a point. Floating point.
struct ContactShape {
  Point place = Point::Zero();
  Point from = Point::Zero();  ///< of a stretch; equal to `to` for a point
  Point to = Point::Zero();
  double area = 0;   ///< of an overlap
  double reach = 0;  ///< of a crossing: how far the one that reaches less far goes past the other
  double inset = 0;  ///< of a crossing: how far from the sides of one of the triangles it gets
};
[[nodiscard]] ContactShape shape_of(const Welded& mesh, const TrianglePair& pair);

}  // namespace aguja
