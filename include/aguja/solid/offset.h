#pragma once
/// \file
/// Walls of a thickness: sheets that get one, solids that are hollowed, skins that grow or shrink.

#include <limits>
#include <string>
#include <vector>

#include "aguja/base/progress.h"
#include "aguja/mesh/mesh_maps.h"
#include "aguja/solid/material_boundary.h"

namespace aguja {

/// Where the new skin lies: behind the triangles, in front of them, or one on each side, half the
/// thickness away.
enum class OffsetSide { in, out, both };

struct OffsetOptions {
  OffsetSide side = OffsetSide::in;
  /// A closed part does not become hollow: it is larger or smaller by the thickness.
  bool whole = false;
  /// Corners are mitred until their point is so many thicknesses away; sharper ones are bevelled at
  /// one thickness from the edge. From 1.5 on.
  double mitre_limit = 2;
  /// A wall is as thick as asked where it is so up to this part of it.
  double within = 0.01;
  /// Coordinates that are made are floats.
  bool to_float = false;
};

/// From the corners and middles of the new skin's triangles to the surface opposite.
struct WallThickness {
  double asked = 0;
  double least = 0;
  double mean = 0;  ///< by area
  double largest = 0;
  Point at_least = Point::Zero();
  Point at_largest = Point::Zero();
  /// Share of the new skin's area that is as far off as asked.
  double kept = 0;
  double area = 0;  ///< of the new skin
};

/// A place where the wall is thinner than asked.
struct ThinPlace {
  Point place = Point::Zero();
  double thickness = 0;
  double area = 0;  ///< of the triangles there that hang together
};

/// Patches keep their numbers; the new skin over patch p is patch p + n, n the number of patches;
/// what closes rims is patch 2 n.
struct OffsetResult : MeshMaps {
  Mesh mesh;
  std::uint32_t patches = 1;  ///< n
  std::string problem;        ///< why nothing was made; empty if something was
  Point place = Point::Zero();
  bool was_closed = false;
  WallThickness thickness;
  std::vector<ThinPlace> thin;  ///< the thinnest first
  std::size_t thin_places = 0;  ///< all of them; at most 100 are listed
  RoundingReport rounding;
};

/// A closed surface gets a wall along it, an open one a thickness with its rims closed. The points of
/// the new skin are where the planes of the triangles around each vertex meet when they are moved by
/// the thickness; where that folds over or passes through itself, what has no material behind it goes.
///
/// Promises  The result is what `boundary_of` promises: closed, free of crossings, verified exactly.
///           Triangles of the given surface that remain stay as they are. The thickness reached is
///           measured, not assumed.
/// Units     `thickness` in model units, > 0.
/// Cost      O(n), and `boundary_of` of twice as many triangles and more.
/// Errors    ArgumentError (a thickness that is not positive and finite, a mitre limit below 1.5);
///           Cancelled.
[[nodiscard]] OffsetResult offset_surface(const Mesh& mesh, double thickness,
                                          const OffsetOptions& options = {},
                                          Progress* progress = nullptr);

}  // namespace aguja
