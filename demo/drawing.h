#pragma once
// Bodies of planes, cylinders, cones, spheres and tori with the edges that their faces share, drawn
// from profiles and outlines, so that their volumes are known in closed form.

#include <string>
#include <vector>

#include "aguja/surface/curve.h"

namespace aguja::demo {

struct DrawnCurve {
  enum class Kind { line, circle } kind = Kind::line;
  Frame frame;        ///< of circles
  double radius = 0;  ///< of circles
};
/// From one vertex to another along its curve; circles run counter-clockwise about their z.
struct DrawnEdge {
  int start = 0, end = 0;
  DrawnCurve curve;
};
struct DrawnUse {
  int edge = 0;
  bool forward = true;
};
struct DrawnSurface {
  enum class Kind { plane, cylinder, cone, sphere, torus } kind = Kind::plane;
  Frame frame;
  double radius = 0;  ///< at the frame's origin; of a torus the major one
  double second = 0;  ///< a cone's half angle, a torus' minor radius
};
struct DrawnFace {
  DrawnSurface surface;
  bool same_sense = true;
  std::vector<std::vector<DrawnUse>> loops;  ///< the face on their left, seen from outside
};
struct DrawnBody {
  std::string name;
  std::vector<Point> vertices;
  std::vector<DrawnEdge> edges;
  std::vector<DrawnFace> faces;
  std::vector<std::vector<int>>
      shells;  ///< the outer one, then voids, drawn as bodies of their own
  double volume = 0;
  double area = 0;
};

/// A corner of a profile in (r, z). `arc_radius`: the way to the next corner is an arc, above 0
/// with its centre on the left of the way, below 0 on the right.
struct ProfileCorner {
  double r = 0, z = 0;
  double arc_radius = 0;
};
/// The profile turned about z, its corners counter-clockwise; material on its left.
[[nodiscard]] DrawnBody turned_profile(const std::vector<ProfileCorner>& profile);

/// An outline in (x, y), counter-clockwise, with round holes, from z = low to z = high.
struct OutlineCorner {
  double x = 0, y = 0;
  double arc_radius = 0;  ///< as in profiles
};
struct RoundHole {
  double x = 0, y = 0, radius = 0;
};
[[nodiscard]] DrawnBody raised_outline(const std::vector<OutlineCorner>& outline,
                                       const std::vector<RoundHole>& holes, double low,
                                       double high);

/// The first with the second as a void.
[[nodiscard]] DrawnBody with_void(DrawnBody body, const DrawnBody& inner);

/// Every face gets vertices and edges of its own.
[[nodiscard]] DrawnBody apart(const DrawnBody& body);

}  // namespace aguja::demo
