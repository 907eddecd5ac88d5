#pragma once
/// \file
/// Everything that certificate and checks need to know about one mesh, worked out once.

#include <functional>

#include "aguja/base/progress.h"
#include "aguja/base/stage_times.h"
#include "aguja/mesh/duplicates.h"
#include "aguja/mesh/known_mesh.h"
#include "aguja/mesh/rims.h"
#include "aguja/mesh/zero_area.h"
#include "aguja/solid/shells.h"

namespace aguja {

/// Figures for comparison with any other checker. Identical points are one vertex; a triangle with
/// two equal corners is `zero_area` and in no edge or component; a collinear one is `zero_area` and
/// counts in edges.
struct Counts {
  std::size_t triangles = 0;
  std::size_t vertices = 0;  ///< distinct points, unused ones included
  std::size_t edges = 0;
  std::size_t naked_edges = 0;           ///< exactly one use
  std::size_t nonmanifold_edges = 0;     ///< three or more uses
  std::size_t nonmanifold_vertices = 0;  ///< more than one fan
  std::size_t winding_conflicts = 0;     ///< exactly two uses, both the same way
  std::size_t zero_area = 0;
  std::size_t duplicates = 0;  ///< surplus copies of the same three vertices
  std::size_t components = 0;  ///< sets of triangles that hang together by edges
  std::size_t rims = 0;
  // Unordered pairs of triangles; each counts under the first that is true of it.
  std::size_t crossing_pairs = 0;
  std::size_t overlap_pairs = 0;
  std::size_t touch_pairs = 0;
  bool more_pairs = false;  ///< than these kMostCrossings: nobody looked for the rest
  // Worked out by `inspect` alone.
  std::size_t inverted_shells = 0;  ///< face inward where they should face outward
  /// With material on both sides, whatever it is that put them there.
  std::size_t internal_triangles = 0;

  Counts& operator+=(const Counts& other);
};

/// Meshes of at most so many triangles are looked at side by side; larger ones keep all threads busy.
inline constexpr std::size_t kSmallMesh = 50'000;

/// The parts of a mesh and how they hang together. Refers to `mesh`, which must outlive it.
///
/// Cost     O(n log n + k) for k pairs of crossing triangles; about 120 bytes per triangle at its
///          peak.
/// Errors   ArgumentError as `EdgeTable`; Cancelled. Stages are named `weld`, `edges`,
///          `components`, `fans`, `rims`, `zero-area`, `duplicates`, `shells`,
///          `crossings`.
class Anatomy {
 public:
  /// `meanwhile` is called when all but the crossings is known, and runs beside their search.
  /// `known`: of this mesh, or null; what is worked out of it is found there and kept there.
  explicit Anatomy(const Mesh& mesh, StageTimes* times = nullptr, Progress* progress = nullptr,
                   const std::function<void(const Anatomy&)>& meanwhile = {},
                   const KnownMeshPtr& known = nullptr);

  const Mesh& mesh;
  Welded welded;
  std::shared_ptr<const EdgeTable> kept_edges;
  const EdgeTable& edges;
  EdgeCounts edge_counts;
  Components components;
  std::vector<PinchedVertex> pinched;
  Rims rims;
  std::vector<ZeroAreaTriangle> zero_area;
  std::vector<DuplicateGroup> duplicates;
  std::vector<Shell> shells;
  std::vector<TrianglePair> crossings;  ///< overlaps and touches too; at most kMostCrossings
  bool crossings_are_all = true;

  [[nodiscard]] Counts counts() const;
};

}  // namespace aguja
