#pragma once
// A body through a step that drops, turns, joins or adds whole faces: it stays a body.

#include <optional>
#include <vector>

#include "aguja/mend/change.h"
#include "aguja/model/shape.h"

namespace aguja {

/// What became of the surfaces of a part in a step.
struct KeptSurfaces {
  std::vector<SurfaceOrigin> surfaces;
  std::size_t dropped = 0, turned = 0, added = 0;  ///< faces
  std::size_t divided = 0;                         ///< that stayed, with other facets
  std::size_t apart = 0;                           ///< that were to be joined, and are not
  std::size_t first_added = 0;                     ///< the patch of the first that was added
};

/// The surfaces of a shape after a change; none if they are so no longer, or there are none.
///
/// They are if facets of each face are all there, as they were or turned over, or all gone; or others
/// stand for it as well (`other_facets`); or all are of one patch with those of another face that lies on
/// the same surface; and what was added are faces, too (`faces_of_fills`). New faces take the numbers
/// after those of the body: patches of `change` are numbered anew for that, and the names of fills
/// (`change.new_patches`) are one for each face; `fills`: how many the part had before. Patches that were
/// joined although no face could stand for all of theirs are parted again.
///
/// Cost     O(n) for n triangles, and what new faces take.
[[nodiscard]] std::optional<KeptSurfaces> keep_surfaces(const Shape& before, Change& change,
                                                        std::size_t fills);

}  // namespace aguja
