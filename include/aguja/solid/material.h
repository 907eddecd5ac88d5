#pragma once
/// \file
/// Where the material is: which regions of a surface bound it, which of them face the wrong way,
/// and which have the same on both sides.

#include <cmath>
#include <cstdint>
#include <vector>

#include "aguja/mesh/joined_surface.h"

namespace aguja {

enum class RegionRole : std::uint8_t {
  boundary,   ///< material behind it, none in front
  turned,     ///< the other way round: it must be turned over
  internal,   ///< material on both sides
  outside,    ///< none on either side: a sheet, or a flap
  undecided,  ///< the evidence contradicts itself, or there is none
};

/// Triangles that hang together by edges with two triangles that run opposite ways along them.
struct Region {
  RegionRole role = RegionRole::undecided;
  std::size_t triangles = 0;
  double area = 0;
  std::uint32_t body = 0;  ///< which set of triangles that hang together by any edges
  /// The mean of the winding number in front and behind, all regions taken as they should face:
  /// 1/2 on the boundary of material, 1 inside of it, 0 outside.
  double winding = 0.5;
  double margin = 0;   ///< how clear the answer is: 1 not to be shaken, 0 a guess
  bool exact = false;  ///< from closed cells; else from generalized winding numbers
};

/// What a body (a component of the joined surface) is.
struct MaterialBody {
  bool closed = false;    ///< no naked edge
  bool turned = false;    ///< it faces the wrong way as a whole: most of its area does
  std::size_t depth = 0;  ///< how many other bodies it lies in
  double margin = 0;      ///< as for regions
  double area = 0;
  Box box;
  /// What it encloses once every rim is capped by a fan about its centre, its triangles taken as
  /// they should face; next to nothing for sheets.
  double capped_volume = 0;
  /// It faces the same way as the body around it: a cavity turned wrong, or a body in a body.
  bool same_as_around = false;
};

struct Material {
  std::vector<std::uint32_t> region_of;  ///< by triangle of the joined surface; kNoIndex: none
  std::vector<Region> regions;
  std::vector<MaterialBody> bodies;
};

/// Does the body enclose next to nothing: less than area x diagonal x `fraction`?
[[nodiscard]] inline bool is_sheet(const MaterialBody& body, double fraction) {
  return !body.closed && std::fabs(body.capped_volume) < fraction * body.area * body.box.diagonal();
}

/// A margin below this leaves a region undecided.
inline constexpr double kClearMargin = 0.2;

/// Finds which way everything should face, in this order: neighbours across edges and across
/// joined cracks agree with each other; closed bodies by their cells (exact order around edges,
/// volumes in floating point, whose sign is clear); open pieces are voted on together, so that the
/// generalized winding number on all surfaces comes nearest to 1/2; then, with everything turned as
/// it should, the winding number on each region tells its role.
///
/// `left_out`: by triangle as read, those that are taken as not there (surplus copies, say); empty:
/// none. `crossings`: where triangles pass through each other the cells are not to be trusted; all
/// is decided by winding numbers then.
/// Cost     O(n log n), and up to 4 M far fields or solid angles for the vote; it is worth its time
///          only if something is open, non-manifold or in conflict.
/// Source   Takayama, Jacobson, Kavan, Sorkine: A Simple Method for Correcting Facet Orientations
///          in Polygon Meshes Based on Ray Casting, JCGT 3(4), 2014 (votes per patch; ours votes
///          with winding numbers); see also winding_field.h.
[[nodiscard]] Material find_material(const JoinedSurface& surface,
                                     const std::vector<bool>& left_out, bool crossings);

}  // namespace aguja
