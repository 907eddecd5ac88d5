#include "aguja/solid/winding.h"

#include <numeric>

#include <gtest/gtest.h>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace winding_test {

std::vector<std::optional<int>> winding(Mesh mesh, const std::vector<Point>& queries) {
  std::vector<TriangleId> all(mesh.triangles.size());
  for (std::uint32_t i = 0; i < all.size(); ++i) all[i] = {i};
  return winding_numbers(Welded(mesh), all, queries);
}

TEST(Winding, OfAGridOfPointsAboutACube) {
  // Rays along x from these points pass through corners, along edges and diagonals, and in faces.
  std::vector<Point> queries;
  for (int x = -1; x <= 5; ++x) {
    for (int y = -1; y <= 5; ++y) {
      for (int z = -1; z <= 5; ++z) queries.emplace_back(0.25 * x, 0.25 * y, 0.25 * z);
    }
  }
  const auto found = winding(test::cube(), queries);
  const auto turned = winding(test::turned(test::cube()), queries);
  std::array<int, 3> seen{};
  for (std::size_t i = 0; i < queries.size(); ++i) {
    const Eigen::Array3d p = queries[i].array();
    if ((p > 0).all() && (p < 1).all()) {
      EXPECT_EQ(found[i], 1);
      EXPECT_EQ(turned[i], -1);
      ++seen[0];
    } else if ((p < 0).any() || (p > 1).any()) {
      EXPECT_EQ(found[i], 0) << queries[i].transpose();
      ++seen[1];
    } else {
      EXPECT_FALSE(found[i].has_value()) << queries[i].transpose();
      ++seen[2];
    }
  }
  EXPECT_EQ(seen[0], 27);
  EXPECT_EQ(seen[2], 98);
}

TEST(Winding, OfPointsOnCommonPlanesWithASphere) {
  // All y and z coordinates of the sphere's own points are used: every ray is degenerate.
  const Mesh mesh = test::sphere(6);
  std::vector<Point> queries;
  for (const Point& p : mesh.points) {
    for (const double s : {0.0, 0.5, 0.9}) queries.push_back(s * p);
    queries.push_back(1.1 * p);
    queries.emplace_back(-3, p.y(), p.z());
  }
  const auto found = winding(mesh, queries);
  for (std::size_t i = 0; i < queries.size(); ++i) {
    EXPECT_EQ(found[i], i % 5 < 3 ? 1 : 0) << queries[i].transpose();
  }
}

TEST(Winding, AddsUpOverNestedBodies) {
  const Mesh nested = test::joined(test::sphere(6, 2.0), test::sphere(6, 1.0));
  EXPECT_EQ(winding(nested, {{0, 0, 0}})[0], 2);
  EXPECT_EQ(winding(nested, {{1.5, 0.1, 0}})[0], 1);
  const Mesh hollow = test::joined(test::sphere(6, 2.0), test::turned(test::sphere(6, 1.0)));
  EXPECT_EQ(winding(hollow, {{0.1, 0, 0}})[0], 0);
}

}  // namespace winding_test
}  // namespace aguja
