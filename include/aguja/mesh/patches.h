#pragma once
/// \file
/// Patches: regions that were one face of the CAD model, as the file says or as recognised.

#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "aguja/geometry/primitive.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"

namespace aguja {

struct PatchOptions {
  /// Edges at which the surface turns by more than this are borders, radians.
  double sharp_angle = 35 * 0.017453292519943295;
  /// Vertices of a recognised surface lie within this of it, model units, > 0.
  double fit = 0;
};

struct Patch {
  /// What it was recognised as; empty: a free-form surface, or one that nothing was fitted to.
  std::optional<Primitive> surface;
  double fit_error = 0;  ///< the largest distance of its vertices from `surface`
  std::size_t triangles = 0;
  double area = 0;
};

struct Patches {
  SharedArray<PatchId> patch_of;  ///< by triangle; kNoIndex for those with two equal corners
  std::vector<Patch> patches;
  bool from_file = false;
};

/// What was recognised on the pieces into which sharp edges divide a surface. A piece that is the same
/// again, whatever became of the others, is not looked at again.
///
/// Memory    4 bytes per triangle: the pieces of the last call. Small pieces are not remembered.
/// Threads   Any; calls at the same time do not see what the other recognises.
class PatchMemory {
 public:
  PatchMemory();
  ~PatchMemory();
  PatchMemory(const PatchMemory&) = delete;
  PatchMemory& operator=(const PatchMemory&) = delete;
  /// Triangles that the last call did not look at.
  [[nodiscard]] std::size_t remembered() const;

 private:
  friend class PatchSearch;
  class Pieces;
  std::unique_ptr<Pieces> pieces_;
};

/// Divides a surface where it turns sharply, and where one plane, cylinder, cone, sphere or torus
/// ends and another surface begins, however smoothly. Faces of one and the same surface that meet
/// smoothly become one patch: nothing in a tessellation parts them.
///
/// Promises  Every triangle with three different corners is in one patch; every vertex of a patch
///           with a `surface` lies within `fit` of it (taken as fitted, in floating point);
///           the same patches for any number of threads.
///           What is recognised on one side of a sharp edge does not depend on the other side.
/// Cost      O(n log n): about a microsecond per triangle; 40 bytes per triangle while it works.
///           Parallel over pieces between sharp edges.
/// Errors    ArgumentError (fit not above 0).
/// Source    Growing from seeds as in Besl, Jain: Segmentation Through Variable-Order Surface
///           Fitting, IEEE PAMI 10(2), 1988; surfaces of revolution from normals as in Pottmann,
///           Randrup: Rotational and Helical Surface Approximation, Computing 60, 1998. Vertices
///           are tested, not facets: those of a tessellation lie on the surface, whatever its
///           chords.
[[nodiscard]] Patches recognise_patches(const Welded& mesh, const EdgeTable& edges,
                                        const PatchOptions& options, PatchMemory* memory = nullptr);

/// The patches that the file brings, each with the surface that fits all of it, if one does.
[[nodiscard]] Patches patches_of_file(const Welded& mesh, std::span<const PatchId> patch_of,
                                      const PatchOptions& options);

/// The file's if it brings any (`patch_of` is not empty), else recognised ones.
[[nodiscard]] Patches patches_of(const Welded& mesh, const EdgeTable& edges,
                                 std::span<const PatchId> patch_of, const PatchOptions& options);

/// The grid that all of them lie on, a power of ten of the unit, wider than `finest`: decimals cut
/// short, or a model that was drawn on it. From a sample; none of fewer than 50 points.
[[nodiscard]] std::optional<double> decimal_grid(std::span<const Point> points, double finest);

/// A fit for these points: `wanted`, but not less than their numbers can hold: single precision, or
/// the decimals that a text file gave (told from a sample; at most a five-thousandth of the
/// diagonal, since a model on a coarse grid may be drawn so).
[[nodiscard]] double fit_for(std::span<const Point> points, double wanted);
/// The default of `wanted`, as a part of the diagonal: the precision of exported coordinates.
inline constexpr double kFitOfDiagonal = 2e-6;

}  // namespace aguja
