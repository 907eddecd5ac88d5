#include "aguja/mesh/weld.h"

#include <map>

#include <gtest/gtest.h>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace weld_test {

TEST(Welded, MergesEqualPointsAndNothingElse) {
  for (std::uint64_t seed = 1; seed <= 300; ++seed) {
    const Mesh mesh = test::damaged_mesh(seed);
    const Welded welded(mesh);
    std::map<std::array<double, 3>, std::uint32_t> seen;
    for (std::size_t i = 0; i < welded.points().size(); ++i) {
      const Point& p = welded.points()[i];
      // Keys compare 0.0 and -0.0 as equal.
      ASSERT_TRUE(seen.emplace(std::array{p.x(), p.y(), p.z()}, i).second) << "seed " << seed;
    }
    ASSERT_EQ(welded.triangles().size(), mesh.triangles.size());
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
      for (std::size_t c = 0; c < 3; ++c) {
        ASSERT_EQ(welded.point(welded.triangles()[t][c]), mesh.point(mesh.triangles[t][c]));
      }
    }
  }
}

TEST(Welded, RefersToAMeshThatHasNothingToMerge) {
  const Mesh mesh = test::cube();
  const Welded welded(mesh);
  EXPECT_EQ(welded.points().data(), mesh.points.data());
  EXPECT_EQ(welded.triangles().data(), mesh.triangles.data());
}

TEST(Welded, AlsoMergesTheEndsOfWires) {
  Mesh mesh = test::mesh_of({{0, 0, 0}, {1, 0, 0}, {-0.0, 0, 0}}, {});
  mesh.wires = {{VertexId{0}, VertexId{1}}, {VertexId{2}, VertexId{1}}};
  const Welded welded(mesh);
  EXPECT_EQ(welded.wires()[0], welded.wires()[1]);
}

TEST(Welded, StaysValidWhenItIsMoved) {
  Mesh mesh = test::joined(test::cube(), test::cube({1, 0, 0}));
  Welded first(mesh);
  const Welded second = std::move(first);
  EXPECT_EQ(second.points().size(), 12u);
  EXPECT_EQ(second.point(second.triangles()[23][2]), mesh.point(mesh.triangles[23][2]));
}

TEST(UsedPoints, TellsCornersFromEndsOfWires) {
  Mesh mesh = test::mesh_of({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {5, 0, 0}, {6, 0, 0}}, {{0, 1, 2}});
  mesh.wires = {{VertexId{0}, VertexId{3}}};
  EXPECT_EQ(points_of_triangles(mesh), (std::vector<bool>{true, true, true, false, false}));
  EXPECT_EQ(used_points(mesh), (std::vector<bool>{true, true, true, true, false}));
}

TEST(StayDistinct, AsIfAllWereCompared) {
  test::Random random(7);
  std::map<bool, int> seen;
  for (int i = 0; i < 1000; ++i) {
    const auto some = [&](std::size_t count) {
      std::vector<Point> points;
      for (std::size_t k = 0; k < count; ++k) {
        Point p;
        for (int c = 0; c < 3; ++c) {
          p[c] = static_cast<double>(random.index(5)) - 2;
          if (p[c] == 0 && random.chance(0.5)) p[c] = -0.0;
        }
        points.push_back(p);
      }
      return points;
    };
    const auto before = some(random.index(12)), added = some(1 + random.index(6));
    bool distinct = true;
    for (std::size_t a = 0; a < added.size(); ++a) {
      for (const Point& p : before) distinct &= p != added[a];
      for (std::size_t b = 0; b < a; ++b) distinct &= added[b] != added[a];
    }
    EXPECT_EQ(stay_distinct(before, added), distinct);
    ++seen[distinct];
  }
  EXPECT_GT(seen[true], 100);
  EXPECT_GT(seen[false], 100);
}

}  // namespace weld_test
}  // namespace aguja
