#include "aguja/mesh/rims.h"

#include <numbers>

#include <gtest/gtest.h>

#include "aguja/mesh/weld.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace rims_test {

EdgeTable table_of(const Mesh& mesh) { return {mesh.triangles, mesh.points.size()}; }

TEST(Rims, AClosedMeshHasNone) {
  const Mesh mesh = test::sphere(6);
  EXPECT_EQ(Rims(table_of(mesh)).size(), 0u);
}

TEST(Rims, ALostTriangleLeavesOneLoop) {
  Mesh mesh = test::cube();
  mesh.triangles.pop_back();
  const EdgeTable table = table_of(mesh);
  const Rims rims(table);
  ASSERT_EQ(rims.size(), 1u);
  EXPECT_TRUE(rims[0].is_loop());
  EXPECT_EQ(rims[0].edges.size(), 3u);
  EXPECT_DOUBLE_EQ(length(rims[0], mesh.points), 2 + std::numbers::sqrt2);
}

TEST(Rims, RunTheWayTheirTrianglesDo) {
  const Mesh mesh = test::mesh_of({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, {{2, 1, 0}});
  const Rims rims(table_of(mesh));
  ASSERT_EQ(rims.size(), 1u);
  const auto v = rims[0].vertices;
  // Edge 0-1 comes first; the triangle runs along it from 1 to 0.
  EXPECT_EQ((std::vector<std::uint32_t>{v[0].value, v[1].value, v[2].value, v[3].value}),
            (std::vector<std::uint32_t>{1, 0, 2, 1}));
}

TEST(Rims, TwoHolesThatMeetInAPointAreTwoLoops) {
  const Mesh mesh = test::mesh_of({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {-1, 0, 0}, {0, -1, 0}},
                                  {{0, 1, 2}, {0, 3, 4}});
  const Rims rims(table_of(mesh));
  ASSERT_EQ(rims.size(), 2u);
  EXPECT_TRUE(rims[0].is_loop());
  EXPECT_TRUE(rims[1].is_loop());
}

TEST(Rims, AFinHasAnOpenRun) {
  Mesh mesh = test::cube();
  mesh.points.emplace_back(0.5, 0.5, 3);
  mesh.triangles.push_back({{{0}, {1}, {8}}});
  const Rims rims(table_of(mesh));
  ASSERT_EQ(rims.size(), 1u);
  EXPECT_FALSE(rims[0].is_loop());
  EXPECT_EQ(rims[0].edges.size(), 2u);
}

TEST(Rims, ConsecutiveEdgesShareTheVertexBetween) {
  for (std::uint64_t seed = 1; seed <= 500; ++seed) {
    const Mesh mesh = test::damaged_mesh(seed);
    const Welded welded(mesh);
    const EdgeTable table(welded.triangles(), welded.points().size());
    const Rims rims(table);
    std::size_t naked = 0;
    for (std::size_t r = 0; r < rims.size(); ++r) {
      const Rim rim = rims[r];
      naked += rim.edges.size();
      for (std::size_t i = 0; i < rim.edges.size(); ++i) {
        const VertexId a = rim.vertices[i], b = rim.vertices[i + 1];
        ASSERT_EQ(table.edge(rim.edges[i]), (Edge{std::min(a, b), std::max(a, b)}));
      }
    }
    ASSERT_EQ(naked, count_edges(table).naked);
  }
}

TEST(Rims, TheMiddleLiesHalfWayAlong) {
  const Mesh mesh = test::mesh_of({{0, 0, 0}, {4, 0, 0}, {4, 2, 0}}, {{0, 1, 2}});
  const Rims rims(table_of(mesh));
  const double half = 0.5 * length(rims[0], mesh.points);
  const Point m = middle(rims[0], mesh.points);
  EXPECT_NEAR(half, 0.5 * (6 + std::sqrt(20.0)), 1e-12);
  EXPECT_NEAR((m - Point(4, half - 4, 0)).norm(), 0, 1e-12);
}

}  // namespace rims_test
}  // namespace aguja
