#pragma once
// How far edges lie from what they should lie on.

#include <array>
#include <utility>

#include "aguja/surface/body.h"

namespace aguja {

/// A curve, between finite parameters.
[[nodiscard]] bool has_ends(const BodyEdge& edge);
/// Where its curve ends, as the edge runs.
[[nodiscard]] std::array<Point, 2> ends_of(const BodyEdge& edge);
/// From the surface, at five places of the edge.
[[nodiscard]] double off_of_edge(const Face& face, const BodyEdge& edge);
/// From a curve in the surface's parameters that may hold more than the edge, and where: the
/// farthest of some places; looked for no nearer than `limit`.
[[nodiscard]] std::pair<double, Point> off_in_parameters(const SurfacePtr& surface,
                                                         const CurvePtr& flat, const BodyEdge& edge,
                                                         double limit);

}  // namespace aguja
