#pragma once
/// \file
/// One clean boundary of what bodies fill together: of their union, their difference, or any other
/// rule on how often each of them winds around a place.

#include <cstdint>
#include <functional>
#include <limits>
#include <map>
#include <span>

#include "aguja/base/progress.h"
#include "aguja/mesh/arrangement.h"
#include "aguja/mesh/mesh_maps.h"
#include "aguja/solid/winding_cells.h"

namespace aguja {

/// Triangles of one or several bodies, and the cells into which they divide space.
class DividedSpace {
 public:
  /// `label_of`: by triangle, which body it is of, below `labels`; empty: all are of one. `mesh` and
  /// `label_of` must outlive it.
  /// Cost     `arrange` and `find_winding_cells`.
  /// Errors   Cancelled; ArgumentError as of both.
  explicit DividedSpace(const Mesh& mesh, std::span<const std::uint32_t> label_of = {},
                        std::size_t labels = 1, Progress* progress = nullptr);

  [[nodiscard]] const Mesh& mesh() const { return mesh_; }
  [[nodiscard]] std::span<const std::uint32_t> label_of() const { return label_of_; }
  [[nodiscard]] const Welded& welded() const { return welded_; }
  /// All triangles that meet, see `find_crossings`.
  [[nodiscard]] std::span<const TrianglePair> pairs() const { return pairs_; }
  [[nodiscard]] const Arrangement& arrangement() const { return arrangement_; }
  [[nodiscard]] const WindingCells& cells() const { return cells_; }
  /// Some edge is not used as often one way as the other: there is no inside.
  [[nodiscard]] bool is_open() const;
  /// How much space each winding number has, all labels added up; 0 left out. Model units, floating
  /// point.
  [[nodiscard]] std::map<std::int32_t, double> volumes() const;

 private:
  const Mesh& mesh_;
  std::span<const std::uint32_t> label_of_;
  Welded welded_;
  std::vector<TrianglePair> pairs_;
  Arrangement arrangement_;
  WindingCells cells_;
};

/// Is a place with these winding numbers, one for each label, within the material?
using MaterialRule = std::function<bool(std::span<const std::int32_t>)>;
/// Where any label winds around it more often than not at all.
[[nodiscard]] bool is_in_union(std::span<const std::int32_t> winding);

struct RoundingOptions {
  /// Coordinates are to be floats; those that are given should be.
  bool to_float = false;
  /// What is brought together is no farther apart than this, model units.
  double most_moved = std::numeric_limits<double>::infinity();
};

/// What rounding the points of the boundary to coordinates did.
struct RoundingReport {
  int rounds = 0;            ///< how often it was cut and rounded: 1 if the first time did
  double moved = 0;          ///< no point is farther from where it should be, model units
  std::size_t points = 0;    ///< how many were made by cutting
  std::size_t crossing = 0;  ///< pairs of triangles that still cross: the result is not to be used
};

struct MaterialBoundary {
  /// Material behind every triangle, none in front. Every edge is used as often one way as the other;
  /// no triangle is without area, crosses, overlaps or touches another one beyond vertices and edges
  /// that both have. Points are distinct. Bodies may still meet in an edge or a vertex.
  Mesh mesh;
  MeshMaps maps;  ///< from the mesh of the space
  /// Triangles of that mesh of which nothing is left, rising.
  std::vector<TriangleId> given_up;
  /// What else is not left: pieces of triangles of which others are.
  Mesh cut_off;
  /// By triangle of `cut_off`: one of those that it was part of.
  std::vector<TriangleId> cut_off_of;
  /// By triangle of `cut_off`: it lay on what is left.
  std::vector<bool> cut_off_is_copy;
  std::size_t pairs = 0;  ///< of triangles that met, of what it is about
  RoundingReport rounding;
};

/// The boundary between what is material by the rule and what is not: walls with material on both
/// sides and sheets with none go. Triangles that are not cut stay as they are, in their order.
///
/// Promises
///  1. Which pieces remain is decided exactly, and of the points only those that are made are
///     rounded. Where that makes triangles cross, what is nearly in one place there (8 units in the
///     last place of the largest coordinate, and more for each time that it does not do) is brought
///     together and cut again.
///  2. Nothing crosses in the result, verified exactly, or `rounding.crossing` is not 0.
///  3. The same for any number of threads.
/// Cost     O(n), and for each round the search for crossings of what was made.
/// Errors   ArgumentError (the space is open); Cancelled.
[[nodiscard]] MaterialBoundary boundary_of(const DividedSpace& space, const MaterialRule& rule,
                                           const RoundingOptions& options = {},
                                           Progress* progress = nullptr);

/// The same for the union of all labels where the space is open: by `judge_open_regions`. What is not
/// judged, or not clearly, stays or goes as it says there. Edges that were used once only stay so.
/// Cost     `judge_open_regions` once more for each round.
/// Errors   Cancelled.
[[nodiscard]] MaterialBoundary boundary_of_open(const DividedSpace& space,
                                                const RoundingOptions& options = {},
                                                Progress* progress = nullptr);

/// Of a boundary of the space only what comes of some triangles, and of all that must change with
/// them: what they cross, what goes together with that, and what was cut along an edge in common. The
/// rest stays bit for bit as it is in the space, crossings and all.
/// Cost     O(n), and the search for crossings of what changed.
/// Errors   ArgumentError (a triangle that is not there).
[[nodiscard]] MaterialBoundary only_about(const DividedSpace& space, const MaterialBoundary& whole,
                                          std::span<const TriangleId> triangles);

/// Some pieces of the space (by piece: does it remain?), facing as the first of their parents that
/// are of `label`, whether or not they bound anything. Rounded once.
/// Cost     O(n), and the search for crossings of what was made.
/// Errors   ArgumentError (a piece that no triangle of the label lies in).
[[nodiscard]] MaterialBoundary pieces_of_surface(const DividedSpace& space,
                                                 const std::vector<bool>& remains,
                                                 std::uint32_t label,
                                                 const RoundingOptions& options = {});

}  // namespace aguja
