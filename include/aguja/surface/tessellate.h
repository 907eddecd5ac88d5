#pragma once
/// \file
/// Tessellation: bodies become meshes that are closed because their faces share edges.

#include "aguja/base/progress.h"
#include "aguja/surface/body.h"

namespace aguja {

struct TessellationOptions {
  /// How far a facet may lie from its face; model units. Left out: a thousandth of the model's
  /// diagonal.
  std::optional<double> chord = {};
  /// By how much an edge may turn from facet to facet, radians.
  double angle = 0.35;
  /// No facet's side is longer; 0: any.
  double longest = 0;
  /// Whether the faces themselves are measured.
  bool sizes = false;
};

/// A face that could not be made into facets properly.
struct FaceTrouble {
  std::uint32_t face = 0;
  enum class Kind {
    open_loop,      ///< its edges do not close, in space or in its parameters
    loop_crossing,  ///< its loops cross themselves or each other
    off_surface,    ///< its edges do not lie on its surface
    no_facets,      ///< nothing came of it
    other_border,   ///< its facets do not end in its loops
    other_area,     ///< its facets have another area than it; so many times
    turned,         ///< facets face against the surface they stand for
    turned_loop,    ///< a loop runs with the face on its right
    against_loops,  ///< its flag says that it faces the other way than its loops do; they are followed
    folds_back,  ///< as its flag has it, it turns back at its neighbours; the other side is taken
  } kind = Kind::no_facets;
  double measure = 0;
  Point place = Point::Zero();
};

/// How well the edges of a face, and its facets, lie on its surface.
struct FaceFit {
  double largest_off = 0;  ///< of points of its edges, as divided
  Point at = Point::Zero();
  /// Of its facets at their middles and those of their sides, no more; beyond the chord height where
  /// more points brought them no nearer.
  double facets_off = 0;
};

/// Of a face itself, by quadrature over its surface up to the curves of its edges.
struct FaceSizes {
  double area = 0;
  double volume = 0;       ///< of the cone to it from the middle of the body's box; signed
  double area_within = 0;  ///< how far it may be from that; infinite where it is not known
  double volume_within = 0;
  /// First and second moments of that cone's volume about the same middle: the integrals of p and of
  /// p p^T.
  Vector first = Vector::Zero();
  Eigen::Matrix3d second = Eigen::Matrix3d::Zero();
  /// As of the face turned over.
  void turn() {
    volume = -volume;
    first = -first;
    second = -second;
  }
};

struct TessellatedBody {
  Mesh mesh;  ///< distinct points only where the body's are; a patch per face, by its number
  std::vector<FaceTrouble> troubles;
  double chord = 0;              ///< the least that was used
  std::vector<FaceFit> fits;     ///< by face
  std::vector<FaceSizes> sizes;  ///< by face, as its facets are turned; if asked for
};

/// A body as triangles.
///
/// Each edge is divided once, and its faces use these very points; in each face they are brought
/// into the surface's parameters, and what lies between is triangulated there and refined until it
/// lies within the chord height. Faces whose facets would cross others are made finer, with their
/// edges.
///
/// A face whose flag contradicts its loops faces as these say, unless most of a body's do: then all
/// their loops are taken to run the other way. Where both sides of its loops would be a face (on
/// spheres and tori), and at most of its smooth edges it would turn back upon its neighbours, it is
/// the other side.
///
/// Promises  Edges that faces share are edges that their triangles share. The same triangles for
///           any number of threads.
/// Cost      Linear in the number of triangles beside the triangulation of each face; faces in
///           parallel.
/// Errors    ArgumentError (a chord that is not above 0), Cancelled. Bad geometry is a trouble.
[[nodiscard]] TessellatedBody tessellate(const Body& body, const TessellationOptions& options,
                                         Progress* progress = nullptr);

/// The chord height that bodies of this size get: the one asked for, or a thousandth of the
/// diagonal.
/// Errors    ArgumentError (a chord that is not above 0, an angle that is not, a longest side below
///           0).
[[nodiscard]] double chosen_chord(const TessellationOptions& options, const Box& box);

}  // namespace aguja
