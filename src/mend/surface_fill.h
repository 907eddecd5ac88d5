#pragma once
// The face that is missing in an opening of a body, where its surface is known.

#include <optional>

#include "aguja/mend/fill.h"
#include "aguja/model/shape.h"

namespace aguja {

/// Facets of the surface of a face beside the opening that goes on in it, on which all edges around it lie
/// (`extend`), or of the cylinder or cone past two circles of these edges, on which all of them lie
/// (`ruled`); within the chord height of it. None where there is no such surface, where the opening is a
/// hole in a face that its surface would only close again, or where the shape is no one body.
///
/// `mesh`: of the shape, in which the opening is; its patches are numbered as the faces are.
/// Cost     A search of the body's edges along the rim; the triangulation of one face.
[[nodiscard]] std::optional<Fill> surface_fill(const Shape& shape, const KnownMesh& mesh,
                                               const Opening& opening);

}  // namespace aguja
