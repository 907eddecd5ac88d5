#pragma once
// One face as triangles.

#include "surface/face_domain.h"
#include "surface/face_sizes.h"

namespace aguja {

/// Vertices from here on are the face's own: number minus this is the place in `points`.
inline constexpr std::uint32_t kOwnVertices = 0x80000000u;

struct FaceMesh {
  std::vector<Point> points;  ///< inside of the face
  std::vector<Triangle> triangles;
  std::vector<FaceTrouble> troubles;  ///< without the face's number
  /// How far facets were found from the face at most, at middles of their sides and their own; above
  /// the chord height where no more points brought them nearer.
  double deviation = 0;
  /// Straight in one direction, it took more points to get there than its border's.
  bool much_refined = false;
  double largest_off = 0;
  Point off_at = Point::Zero();
  /// Do its loops say that it faces the other way? So do they where it lies on their far side.
  bool is_against_loops = false;
  bool either_side = false;  ///< what lies on the other side of its loops would be a face, too
  FaceCells cells;           ///< its triangles in parameters; if asked for
  FaceSizes sizes;           ///< left to the caller
};

/// How fine a face is to be.
struct FaceFineness {
  double chord = 0;
  double angle = 0;
  double longest = 0;
  double tolerance = 0;  ///< what is nearer than this to a pole is the pole
  /// No facet has two sides on the border: where both faces at a curved edge cut the same corner
  /// off, their facets would be the same.
  bool no_ears = false;
  bool cells = false;  ///< whether its triangles in parameters are wanted
};

/// `loops`: those of the face as its edges were divided. `same_sense` stands for the face's own.
[[nodiscard]] FaceMesh mesh_face(const Face& face, bool same_sense,
                                 const std::vector<DividedLoop>& loops,
                                 const FaceFineness& fineness);

}  // namespace aguja
