#pragma once
/// \file
/// Generalized winding numbers: how much a surface surrounds a point, holes and all.

#include <optional>
#include <span>
#include <vector>

#include "aguja/base/array.h"
#include "aguja/mesh/weld.h"

namespace aguja {

/// The solid angle under which `q` sees the front of a triangle from behind, over 4 pi: between
/// -1/2 and 1/2; 0 for points in the triangle's plane.
/// Source   van Oosterom, Strackee: The Solid Angle of a Plane Triangle, IEEE Trans. Biomed. Eng.
///          30(2), 1983.
[[nodiscard]] double winding_of_triangle(const Point& a, const Point& b, const Point& c,
                                         const Point& q);

/// The same for many triangles, added up: angles are added as complex numbers are multiplied, so
/// that all of them cost one arc tangent.
class WindingSum {
 public:
  void add(const Point& a, const Point& b, const Point& c, const Point& q, bool turned = false);
  [[nodiscard]] double value() const;

 private:
  double real_ = 1, imaginary_ = 0;
  double turns_ = 0;  // how often the sum of half the angles went round
};

/// Do the two lie on each other, whichever way round?
[[nodiscard]] bool join_same_vertices(const Triangle& a, const Triangle& b);

/// The generalized winding number of a set of triangles, some of them perhaps taken turned over.
/// For a closed surface it is the winding number; across an opening it falls off smoothly. On the
/// surface itself it is the mean of its two sides, which differ by one: 1/2 on a sound solid.
///
/// Units    None: a number.
/// Promises Differs from the sum over all triangles by less than 0.01 on surfaces that enclose
///          something (tests hold it), since far groups are taken as their moments; the same bits
///          for any number of threads. `at` may be called from many threads.
/// Cost     Built in O(n log n), parallel; 40 bytes per triangle. A query is O(log n).
/// Source   Jacobson, Kavan, Sorkine: Robust Inside-Outside Segmentation using Generalized Winding
///          Numbers, ACM TOG 32(4), 2013; Barill, Dickson, Schmidt, Levin, Jacobson: Fast Winding
///          Numbers for Soups and Clouds, ACM TOG 37(4), 2018 (moments up to the second order).
class WindingField {
 public:
  /// `turned` (by triangle of the mesh, may be empty): take these turned over. `points` and
  /// `triangles` must outlive the field.
  WindingField(std::span<const Point> points, std::span<const Triangle> triangles,
               std::span<const TriangleId> selection, const std::vector<bool>& turned = {});

  [[nodiscard]] double at(const Point& q) const { return *sum_at(q, kNoIndex, kNoIndex); }
  /// At the middle of a triangle of the mesh, without that triangle and others on the same
  /// three vertices: the mean of the two sides of the surface.
  [[nodiscard]] double at_middle(TriangleId t) const { return *at_middle(t, kNoIndex); }
  /// Where more triangles than this are near, insides are not asked for.
  static constexpr std::uint32_t kMostNear = 2048;
  /// Nothing if more than `most` triangles are too near to be taken by groups: thousands of long
  /// ones that lie across each other, say.
  [[nodiscard]] std::optional<double> at_middle(TriangleId t, std::uint32_t most) const;

 private:
  // A group of triangles from far away, about its centre; relative to `origin_`.
  struct Node {
    float center[3];
    float radius;
    float normal[3];     // sum of area vectors
    float first[3][3];   // of (x - centre), area vector
    float second[6][3];  // of (x - centre)(x - centre): xx yy zz xy yz zx, area vector
    std::uint32_t first_item;
    std::uint32_t count;
  };
  struct Moments;
  struct Placed;
  static constexpr std::size_t kLeaf = 8;
  // How many radii away a group may be taken as its moments.
  static constexpr float kFar = 1.9F;

  Moments build(std::span<Placed> placed, std::uint32_t node, std::uint32_t begin,
                std::uint32_t end);
  [[nodiscard]] Moments moments_of(std::uint32_t begin, std::uint32_t end) const;
  [[nodiscard]] std::optional<double> sum_at(const Point& q, std::uint32_t left_out,
                                             std::uint32_t most) const;
  void add_near(WindingSum& sum, const Node& node, const Point& q, std::uint32_t left_out) const;

  std::span<const Point> points_;
  std::span<const Triangle> triangles_;
  Point origin_ = Point::Zero();
  Array<std::uint32_t> items_;  // triangle * 2 + turned, in the order of the tree
  Array<Node> nodes_;           // left child follows, a subtree over k leaves takes 2k - 1
};

}  // namespace aguja
