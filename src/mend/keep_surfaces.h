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
  std::size_t first_added = 0;                     ///< the patch of the first that was added
};

/// The surfaces of a shape after a change, if facets of its faces are all there, as they were or turned
/// over, or all of one patch with those of another face that lies on the same surface, or all gone, and
/// what was added are faces, too (`faces_of_fills`); none if not, or if there are none. New faces take the numbers after those of the body: patches of `change` are numbered anew for
/// that, and the names of fills (`change.new_patches`) are one for each face; `fills`: how many the part
/// had before.
///
/// Cost     O(n) for n triangles, and what new faces take.
[[nodiscard]] std::optional<KeptSurfaces> keep_surfaces(const Shape& before, Change& change,
                                                        std::size_t fills);

}  // namespace aguja
