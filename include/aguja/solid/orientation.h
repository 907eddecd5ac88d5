#pragma once
/// \file
/// Which triangles face the wrong way: against their neighbours, into the material, as a whole
/// shell inside out.

#include <span>
#include <string>
#include <vector>

#include "aguja/base/progress.h"
#include "aguja/mesh/mesh.h"

namespace aguja {

struct OrientationOptions {
  /// Cracks up to this width are thought joined, so that patches on both sides agree.
  double crack_tolerance = 0;
  /// Closed shells inside others that face the same way as those are cavities: turn them too. Else
  /// they are left, since they may be bodies of their own.
  bool cavities = false;
  /// Only these triangles' regions are turned; empty: all.
  std::span<const TriangleId> only = {};
};

struct Orientation {
  std::vector<bool> turned;          ///< by triangle: it should face the other way
  std::size_t count = 0;             ///< how many turns it took
  std::vector<std::string> methods;  ///< how it was told, in words; empty if nothing turns
  /// Regions at odds with their neighbours that the evidence leaves undecided.
  struct Undecided {
    Point place;
    double winding = 0;  ///< on average, see `Region`
  };
  std::vector<Undecided> undecided;
};

/// Closed surfaces are decided exactly, open ones by winding numbers (`find_material`).
///
/// Promises  Nothing that agreed with its neighbours disagrees afterwards.
/// Cost      As `find_material`; an anatomy without crossings.
/// Errors    Cancelled.
[[nodiscard]] Orientation find_orientation(const Mesh& mesh, const OrientationOptions& options = {},
                                           Progress* progress = nullptr);

/// Turns them. Only the order of corners changes.
void apply(const Orientation& orientation, Mesh& mesh);

}  // namespace aguja
