#pragma once
/// \file
/// What people measure by hand: distances, angles and radii of points, patches and rims.

#include <array>
#include <deque>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "aguja/base/progress.h"
#include "aguja/mesh/patches.h"
#include "aguja/mesh/rims.h"
#include "aguja/mesh/weld.h"
#include "aguja/model/model.h"

namespace aguja {

/// From one place to another; the components are those of `to - from`.
struct Distance {
  Point from = Point::Zero();
  Point to = Point::Zero();
  [[nodiscard]] Vector components() const { return to - from; }
  [[nodiscard]] double value() const { return components().stableNorm(); }
};

/// Triangles of a mesh: a patch, say.
struct TriangleSet {
  const Welded* mesh = nullptr;
  std::vector<TriangleId> triangles;
};

/// The nearest places of two triangles; equal ones if they meet. Floating point.
/// Source   Ericson: Real-Time Collision Detection, 2005, sections 5.1.5, 5.1.9 and 5.1.10.
[[nodiscard]] Distance nearest_places(const std::array<Point, 3>& a, const std::array<Point, 3>& b);
/// The nearest places of two sets of triangles, and of a point and a set.
/// Cost     O(n log m) where they are apart; more the longer they run side by side.
/// Errors   ArgumentError (an empty set).
[[nodiscard]] Distance nearest_places(const TriangleSet& a, const TriangleSet& b);
[[nodiscard]] Distance nearest_place(const Point& p, const TriangleSet& set);

/// How much material lies between two sets, straight through from the middle of each triangle of
/// the first, against its normal, to the second.
struct Thickness {
  double least = 0;
  double mean = 0;  ///< weighted by area
  double largest = 0;
  Distance at_least;   ///< where it is least
  double covered = 0;  ///< share of the first set's area that the second lies behind
};
/// Nothing if no triangle has the second set behind it.
[[nodiscard]] std::optional<Thickness> thickness_between(const TriangleSet& a,
                                                         const TriangleSet& b);

/// The angle at `vertex` in radians; nothing if two of the points are one.
[[nodiscard]] std::optional<double> angle_at(const Point& a, const Point& vertex, const Point& b);

struct CircleThrough {
  Point center = Point::Zero();
  Vector axis = Vector::Zero();  ///< unit
  double radius = 0;
};
/// Nothing for points on a line.
[[nodiscard]] std::optional<CircleThrough> circle_through(const Point& a, const Point& b,
                                                          const Point& c);

struct MeasuredRim {
  std::string part;
  std::size_t edges = 0;
  bool is_loop = false;
  double length = 0;
  Point center = Point::Zero();  ///< mean of its edges by length
  Box box;
};
/// By part, longest first.
[[nodiscard]] std::vector<MeasuredRim> measure_rims(const Model& model);

struct MeasuredPatch {
  std::string part;
  std::string name;  ///< empty if the file gives none
  Patch patch;
  Point center = Point::Zero();  ///< of its area
  Box box;
  TriangleSet set;
};

/// The patches of all parts, those of the file or recognised ones, numbered in that order. Refers
/// to the model, which must outlive it.
class PatchCatalogue {
 public:
  explicit PatchCatalogue(const Model& model, Progress* progress = nullptr);
  [[nodiscard]] const std::vector<MeasuredPatch>& patches() const { return patches_; }
  /// By number, by name, or by `part/name`; of equal names the first.
  /// Errors: ArgumentError that says which exist.
  [[nodiscard]] const MeasuredPatch& find(const std::string& name) const;

 private:
  std::deque<Welded> welded_;
  std::vector<MeasuredPatch> patches_;
};

}  // namespace aguja
