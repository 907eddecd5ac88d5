#pragma once
// What a face covers, as closed polygons in the parameters of its surface.

#include <functional>
#include <string>
#include <variant>
#include <vector>

#include "aguja/mesh/ids.h"
#include "aguja/surface/tessellate.h"

namespace aguja {

/// A corner of a polygon: several may be one vertex in space (both sides of a seam, poles).
struct DomainPoint {
  Parameters uv = Parameters::Zero();
  VertexId vertex{0};
};

/// A loop of a face as its edges were divided.
struct DividedLoop {
  struct Corner {
    VertexId vertex;
    Point p;
  };
  std::vector<Corner> corners;  ///< closed: the first is not repeated
  bool is_vertex = false;       ///< a place, no line
};

/// Gives points on seams their vertices.
using NewVertex = std::function<VertexId(const Point&)>;

/// Polygons that together bound the face: outer ones counter-clockwise in (u, v), holes clockwise.
struct FaceDomain {
  std::vector<std::vector<DomainPoint>> polygons;
  /// A place that is no line, to be put into the triangulation.
  std::vector<DomainPoint> places;
  double largest_off = 0;  ///< of loops from the surface, model units
  Point off_at = Point::Zero();
  /// Places of loops that run with the face on their right.
  std::vector<Point> turned;
  bool outer_turned = false;  ///< those of its outside are among them
  bool either_side = false;   ///< what lies on the other side of its loops would be a face, too
};
struct DomainFailure {
  FaceTrouble::Kind kind;
  Point place;
  double measure = 0;
};

/// `step_u`, `step_v`: how finely seams and poles are divided there. Where loops are `directed`
/// they run with the face on their left, seen against the surface's normal: around holes alone a
/// closed surface's rest is meant. Else what they enclose is.
[[nodiscard]] std::variant<FaceDomain, DomainFailure> find_domain(
    const Surface& surface, const std::vector<DividedLoop>& loops, bool directed, double tolerance,
    double step_u, double step_v, const NewVertex& new_vertex);

/// Twice the directed area.
[[nodiscard]] double area_of(const std::vector<DomainPoint>& polygon);
[[nodiscard]] bool contains(const std::vector<DomainPoint>& polygon, const Parameters& uv);

}  // namespace aguja
