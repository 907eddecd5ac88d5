#pragma once
// The face that is missing in an opening, where its surface is known.

#include <optional>

#include "aguja/mend/fill.h"
#include "aguja/model/shape.h"
#include "mend/body_rim.h"

namespace aguja {

/// What closes openings of one part. Refers to the shape and the mesh, which is of it: its patches are
/// numbered as the faces are.
class SurfaceFills {
 public:
  SurfaceFills(const Shape& shape, const KnownMesh& mesh);

  /// Facets of the surface of a face beside the opening that goes on in it, on which all edges around it
  /// lie (`extend`), or of the cylinder, cone or torus past circles of these edges, on which all of them
  /// lie (`ruled`); within the chord height of it. Of a mesh with nothing behind it the torus
  /// between two rims, as fine as these are. None where there is no such surface, where the opening is a hole in a face
  /// that its surface would only close again, or where the shape is several bodies.
  ///
  /// Cost     A search of the naked edges of faces along the rim; the triangulation of one face.
  [[nodiscard]] std::optional<Fill> of(const Opening& opening) const;

 private:
  bool has_surfaces_ = false;
  const SurfaceOrigin* origin_ = nullptr;  // of the one body
  const KnownMesh& mesh_;
  std::optional<BodyRim> rim_;
};

}  // namespace aguja
