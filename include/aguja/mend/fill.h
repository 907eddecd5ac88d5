#pragma once
/// \file
/// Filling: openings get the surface that is missing.

#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "aguja/base/progress.h"
#include "aguja/mend/change.h"
#include "aguja/mend/openings.h"
#include "aguja/mesh/known_mesh.h"

namespace aguja {

enum class FillMethod {
  automatic,  ///< the first of the others that fits, in the order of what it assumes
  flat,       ///< in the plane of the rim, islands left out
  extend,     ///< the neighbouring planes, cylinders, ... carried on until they meet
  fair,       ///< continues the curvature around it
  crease,     ///< sharp edges that end on the rim are carried across, the parts between filled
  ruled,      ///< straight lines from one rim, or side of a rim, to the other
  taut,       ///< the least area
};
[[nodiscard]] std::string_view slug(FillMethod method);
/// One line for people.
[[nodiscard]] std::string_view text(FillMethod method);
[[nodiscard]] std::optional<FillMethod> parse_fill_method(std::string_view slug);
/// All but `automatic`, in the order in which that tries them.
[[nodiscard]] std::span<const FillMethod> fill_methods();

struct FillOptions {
  FillMethod method = FillMethod::automatic;
  /// `automatic` tries this one first.
  std::optional<FillMethod> prefer = {};
  /// How far a rim may be off a plane to be called flat, and neighbours off the surface that they
  /// are taken for; model units, >= 0.
  double tolerance = 0;
  /// Openings whose rims are longer or shorter are refused.
  double least_size = 0;
  std::optional<double> largest_size = {};
  /// `ruled`: the two places that are joined first, one on each rim or side; found if left out.
  std::optional<Point> start = {};
  std::optional<Point> other_start = {};
  /// `ruled` between two rims: the second runs the other way round.
  bool reverse = false;
  /// Divide the fill until its triangles are of the size of those around it.
  bool refine = true;
};

/// Surface for one opening, not yet part of the mesh.
struct Fill {
  FillMethod method = FillMethod::automatic;
  std::string why;            ///< one clause: what speaks for the method here
  std::vector<Point> points;  ///< new ones: numbered on from those of the mesh
  std::vector<Triangle> triangles;
  double area = 0;
  double largest_angle = 0;   ///< by which the surface turns across the rim or in the fill, radians
  std::size_t crossings = 0;  ///< pairs in which its triangles would meet others or each other
};

/// What the fill of one opening came to.
using FillOutcome = std::variant<Fill, Refusal>;

/// Works out fills for openings of one mesh; what they need of it is made once. `mesh` has distinct
/// points (`with_distinct_points`) and outlives it.
class Filler {
 public:
  explicit Filler(const Mesh& mesh, double tolerance);
  explicit Filler(const KnownMesh& mesh, double tolerance);
  ~Filler();

  /// One method for one opening. Crossings are not looked at.
  ///
  /// Guarantees  The triangles run along every edge of the rim once, opposite to the triangle that
  ///             is there; none has no area; no inner edge is an edge of the mesh.
  /// Cost        `taut`: O(k^3) for rims of up to 160 vertices, longer ones are divided first; the
  ///             others O(k^2) at most, and what solving for the new points takes.
  [[nodiscard]] FillOutcome fill(const Opening& opening, const FillOptions& options) const;

  /// A fill that was made elsewhere, measured, if it closes the opening as those made here do.
  [[nodiscard]] FillOutcome checked(const Opening& opening, Fill fill) const;

  /// Every method that applies, with crossings counted, in the order of `fill_methods`; `known` (see
  /// `FillWish`) in the place of what its method would make.
  [[nodiscard]] std::vector<FillOutcome> try_all(const Opening& opening, const FillOptions& options,
                                                 std::optional<Fill> known = {}) const;

 private:
  friend class FillDraft;
  struct Context;
  std::unique_ptr<Context> context_;
};

/// Fills openings. An opening that would cross the model is filled by the next method that does not
/// if `automatic`, else refused; each fill is a patch of its own, named after its method.
///
/// Promises  Only adds triangles; the rim stays as it is; no triangle crosses, overlaps or touches
///           another that did not before; each refused opening is as it was.
/// Cost      That of the fills, and an edge table and a search for crossings per round.
/// Errors    ArgumentError (a value out of range), Cancelled. Geometry never throws.
/// Source    `taut`: Barequet, Sharir: Filling Gaps in the Boundary of a Polyhedron, CAGD 12, 1995;
///           refinement and `fair`: Liepa: Filling Holes in Meshes, SGP 2003; cotangent Laplacian:
///           Pinkall, Polthier: Computing Discrete Minimal Surfaces, Experimental Mathematics 2,
///           1993.
[[nodiscard]] Change fill(const Mesh& mesh, std::span<const Opening> openings,
                          const FillOptions& options = {}, const Budget& budget = {},
                          Progress* progress = nullptr);
[[nodiscard]] Change fill(const KnownMesh& mesh, std::span<const Opening> openings,
                          const FillOptions& options = {}, const Budget& budget = {},
                          Progress* progress = nullptr);

/// An opening that is to be filled in its own way.
struct FillWish {
  Opening opening;
  FillOptions options;
  /// What closes it where more is known of it than the mesh tells; taken before all others if its method
  /// is asked for, or `automatic`.
  std::optional<Fill> known = {};
};
struct FilledWishes {
  Change change;
  std::vector<std::uint32_t> wish_of;  ///< by patch of `change.new_patches`: the wish it is for
  std::vector<std::string> how;        ///< by patch of `change.new_patches`: the method, and why
  std::vector<std::vector<Refusal>> refused;  ///< by wish; none of those that were filled
};
/// As `fill`, each opening by its own options; all are examined together. `tolerance` is that of
/// the surroundings (see `Filler`).
[[nodiscard]] FilledWishes fill_each(const KnownMesh& mesh, std::span<const FillWish> wishes,
                                     double tolerance, const Budget& budget = {},
                                     Progress* progress = nullptr);

/// Adds fills that were worked out before (`Filler`), as they are; those that cross are refused.
[[nodiscard]] Change add_fills(const KnownMesh& mesh, std::span<const Fill> fills,
                               const Budget& budget = {});

}  // namespace aguja
