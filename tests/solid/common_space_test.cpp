#include "aguja/solid/common_space.h"

#include <array>
#include <random>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "tests/support/shapes.h"

namespace aguja {
namespace common_space_test {

Mesh moved(Mesh mesh, const Vector& by) {
  for (Point& p : mesh.points) p += by;
  return mesh;
}

CommonSpace common(const Mesh& a, const Mesh& b) {
  return common_space(SearchedMesh(a), true, SearchedMesh(b), true);
}

using Tetrahedron = std::array<Point, 4>;

Mesh mesh_of(const Tetrahedron& t) {
  Mesh mesh;
  mesh.points.assign(t.begin(), t.end());
  mesh.triangles = {{{{0}, {2}, {1}}}, {{{0}, {1}, {3}}}, {{{1}, {2}, {3}}}, {{{2}, {0}, {3}}}};
  return mesh;
}

double volume(const Tetrahedron& t) {
  return (t[1] - t[0]).cross(t[2] - t[0]).dot(t[3] - t[0]) / 6;
}

// Of the part of a tetrahedron behind all planes from `next` on: cut into tetrahedra by each.
double clipped(const Tetrahedron& t, const std::vector<std::array<Point, 3>>& planes,
               std::size_t next) {
  if (next == planes.size()) return std::fabs(volume(t));
  const auto& plane = planes[next];
  const Vector n = (plane[1] - plane[0]).cross(plane[2] - plane[0]);
  std::vector<Point> in, out;
  for (const Point& p : t) (n.dot(p - plane[0]) <= 0 ? in : out).push_back(p);
  const auto cut = [&](const Point& p, const Point& q) {
    const double a = n.dot(p - plane[0]), b = n.dot(q - plane[0]);
    return Point(p + a / (a - b) * (q - p));
  };
  const auto rest = [&](const Point& a, const Point& b, const Point& c, const Point& d) {
    return clipped({a, b, c, d}, planes, next + 1);
  };
  // A wedge with the triangles abc and def is three tetrahedra.
  const auto wedge = [&](const Point& a, const Point& b, const Point& c, const Point& d,
                         const Point& e, const Point& f) {
    return rest(a, b, c, d) + rest(b, c, d, e) + rest(c, d, e, f);
  };
  switch (in.size()) {
    case 0:
      return 0;
    case 1:
      return rest(in[0], cut(in[0], out[0]), cut(in[0], out[1]), cut(in[0], out[2]));
    case 2:
      return wedge(in[0], cut(in[0], out[0]), cut(in[0], out[1]), in[1], cut(in[1], out[0]),
                   cut(in[1], out[1]));
    case 3:
      return wedge(in[0], in[1], in[2], cut(in[0], out[0]), cut(in[1], out[0]), cut(in[2], out[0]));
    default:
      return clipped(t, planes, next + 1);
  }
}

TEST(CommonSpace, OfBoxesOnOneGrid) {
  // Faces, edges and corners fall together in most of these.
  std::mt19937 random(1);
  const auto draw = [&](int low, int high) {
    return std::uniform_int_distribution<int>(low, high)(random);
  };
  std::size_t apart = 0, touching = 0, overlapping = 0;
  for (int round = 0; round < 1500; ++round) {
    std::array<std::array<int, 3>, 2> low{}, size{};
    std::array<Mesh, 2> boxes;
    for (std::size_t i = 0; i < 2; ++i) {
      for (std::size_t k = 0; k < 3; ++k) low[i][k] = draw(0, 3), size[i][k] = draw(1, 3);
      boxes[i] = moved(test::grid_box(draw(1, 3), Vector(size[i][0], size[i][1], size[i][2])),
                       Vector(low[i][0], low[i][1], low[i][2]));
    }
    double expected = 1;
    bool meet = true;
    for (std::size_t k = 0; k < 3; ++k) {
      const int side =
          std::min(low[0][k] + size[0][k], low[1][k] + size[1][k]) - std::max(low[0][k], low[1][k]);
      meet = meet && side >= 0;
      expected *= std::max(side, 0);
    }
    const CommonSpace found = common(boxes[0], boxes[1]);
    ASSERT_NEAR(*found.volume, expected, 1e-12) << round;
    ASSERT_NEAR(*common(boxes[1], boxes[0]).volume, expected, 1e-12) << round;
    ASSERT_GE(found.first->area, -1e-12);
    ASSERT_LE(found.first->area, SearchedMesh(boxes[0]).area + 1e-12);
    ++(expected > 0 ? overlapping : meet ? touching : apart);
  }
  EXPECT_GT(apart, 100u);
  EXPECT_GT(touching, 100u);
  EXPECT_GT(overlapping, 250u);
}

TEST(CommonSpace, OfTetrahedraOnAGridAsCutPieceByPiece) {
  std::mt19937 random(2);
  std::size_t some = 0;
  for (int round = 0; round < 2000; ++round) {
    std::array<Tetrahedron, 2> t;
    for (Tetrahedron& one : t) {
      do {
        for (Point& p : one) {
          for (int k = 0; k < 3; ++k) p[k] = std::uniform_int_distribution<int>(0, 4)(random);
        }
      } while (volume(one) <= 0);
    }
    std::vector<std::array<Point, 3>> planes;
    const Mesh second = mesh_of(t[1]);
    for (const Triangle& c : second.triangles) {
      planes.push_back(
          {second.points[c[0].value], second.points[c[1].value], second.points[c[2].value]});
    }
    const double expected = clipped(t[0], planes, 0);
    ASSERT_NEAR(*common(mesh_of(t[0]), second).volume, expected, 1e-11) << round;
    some += expected > 0;
  }
  EXPECT_GT(some, 500u);
}

TEST(CommonSpace, OfABarThroughATorusTube) {
  const Mesh ring = test::torus(96, 48, 10, 3);
  const Mesh box = moved(test::grid_box(4, Vector(40, 40, 40)), Vector(-20, 0, -20));
  // Half of the ring lies in the box.
  EXPECT_NEAR(*common(ring, box).volume, 0.5 * test::volume_of(ring), 1e-9);
  EXPECT_NEAR(*common(box, ring).volume, 0.5 * test::volume_of(ring), 1e-9);
  // A body in the other: all of it, and its surface.
  const Mesh large = moved(test::grid_box(2, Vector(100, 100, 100)), Vector(-50, -50, -50));
  const CommonSpace all = common(ring, large);
  EXPECT_NEAR(*all.volume, test::volume_of(ring), 1e-9);
  EXPECT_NEAR(all.first->area, SearchedMesh(ring).area, 1e-9);
  EXPECT_NEAR(all.second->area, 0, 1e-9);
}

TEST(CommonSpace, SamplesLieInside) {
  const Mesh ring = test::torus(24, 12, 10, 3);
  const Mesh bar = moved(test::grid_box(1, Vector(40, 1, 1)), Vector(-20, -0.5, -0.5));
  const CommonSpace found = common(bar, ring);
  // None of the bar's corners is inside, none of its triangles: the middles of edges are.
  ASSERT_EQ(found.first->samples.size() % 2, 0u);
  EXPECT_GE(found.first->samples.size(), 8u);
  for (const Point& p : found.first->samples) EXPECT_NEAR(std::fabs(p.x()), 10, 1);
}

}  // namespace common_space_test
}  // namespace aguja
