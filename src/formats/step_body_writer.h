#pragma once
// Bodies of surfaces as boundary representations of ISO 10303-42.

#include <string>
#include <vector>

#include "aguja/model/shape.h"
#include "formats/step_writer.h"

namespace aguja::detail {

/// What the triangles of a shape, as they are, were made of, if that can be written in their place:
/// whole faces, and nothing beside them.
struct WholeFaces {
  struct OfBody {
    std::vector<std::vector<TriangleId>> facets;  ///< by face
    /// No face that has triangles is missing: nor are those that never had any.
    bool is_complete = true;
  };
  std::vector<OfBody> bodies;  ///< by surface origin
  std::string why_not;         ///< empty: they are
};
/// Cost     O(n) for n triangles.
[[nodiscard]] WholeFaces find_whole_faces(const Shape& shape);

struct WrittenBody {
  std::size_t fitted = 0;               ///< curves and surfaces
  double fitted_off = 0;                ///< the farthest that any was seen from what it stands for
  std::vector<EntityNumber> undivided;  ///< faces that have no triangles, written all the same
};

/// One body with its faces, edges and vertices, each once, as solids and open shells of what hangs
/// together by edges. Which way faces and loops run is told by the triangles.
///
/// Cost     O(n log n) for n triangles, and an evaluation or a few of each curve and surface.
WrittenBody write_step_body(StepEntities& out, StepStyles& styles, const Shape& shape,
                            const SurfaceOrigin& origin, const WholeFaces::OfBody& faces,
                            double fit_within, const std::string& name, StepItems& to);

}  // namespace aguja::detail
