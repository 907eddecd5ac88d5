// Every topological figure against the brute force, on meshes with every kind of damage.

#include <gtest/gtest.h>

#include <oneapi/tbb/global_control.h>
#include <oneapi/tbb/task_arena.h>

#include "aguja/solid/anatomy.h"
#include "tests/support/brute_force.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace topology_test {

using test::damaged_mesh;

void expect_equal(const Counts& found, const Counts& expected) {
  EXPECT_EQ(found.triangles, expected.triangles);
  EXPECT_EQ(found.vertices, expected.vertices);
  EXPECT_EQ(found.edges, expected.edges);
  EXPECT_EQ(found.naked_edges, expected.naked_edges);
  EXPECT_EQ(found.nonmanifold_edges, expected.nonmanifold_edges);
  EXPECT_EQ(found.nonmanifold_vertices, expected.nonmanifold_vertices);
  EXPECT_EQ(found.winding_conflicts, expected.winding_conflicts);
  EXPECT_EQ(found.zero_area, expected.zero_area);
  EXPECT_EQ(found.duplicates, expected.duplicates);
  EXPECT_EQ(found.components, expected.components);
  EXPECT_EQ(found.rims, expected.rims);
}

TEST(Topology, CountsWhatTheBruteForceCounts) {
  Counts seen;
  for (std::uint64_t seed = 1; seed <= 3000; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Mesh mesh = damaged_mesh(seed);
    const Counts expected = test::brute_force_counts(mesh);
    expect_equal(Anatomy(mesh).counts(), expected);
    if (HasFailure()) return;
    seen += expected;
  }
  for (const std::size_t worth :
       {seen.naked_edges, seen.nonmanifold_edges, seen.nonmanifold_vertices, seen.winding_conflicts,
        seen.zero_area, seen.duplicates, seen.rims}) {
    EXPECT_GE(worth, 500u) << "damaged_mesh no longer makes damage worth testing";
  }
}

// A mesh large enough for every parallel path, with damage all over.
Mesh large_mesh() {
  Mesh mesh = test::sphere(100);
  for (std::size_t t = 0; t < mesh.triangles.size(); t += 97) {
    std::swap(mesh.triangles[t][0], mesh.triangles[t][1]);
  }
  for (std::size_t t = 50; t < mesh.triangles.size(); t += 211) {
    mesh.triangles[t][0] = mesh.triangles[t][1];
  }
  const std::size_t n = mesh.triangles.size();
  for (std::size_t t = 10; t < n; t += 301) mesh.triangles.push_back(mesh.triangles[t]);
  return mesh;
}

std::vector<std::uint32_t> topology_of(const Mesh& mesh) {
  const Anatomy a(mesh);
  std::vector<std::uint32_t> all;
  for (std::uint32_t e = 0; e < a.edges.size(); ++e) {
    all.push_back(a.edges.edge({e}).low.value);
    all.push_back(a.edges.edge({e}).high.value);
    for (const EdgeUse use : a.edges.uses({e})) all.push_back(use.triangle().value);
  }
  for (const ShellId s : a.components.shell_of) all.push_back(s.value);
  for (std::size_t r = 0; r < a.rims.size(); ++r) {
    for (const VertexId v : a.rims[r].vertices) all.push_back(v.value);
  }
  const VertexStars stars(a.welded.triangles(), a.welded.points().size());
  for (std::uint32_t v = 0; v < stars.vertex_count(); ++v) {
    for (const TriangleId t : stars.at({v})) all.push_back(t.value);
    all.push_back(v);
  }
  return all;
}

TEST(Topology, IsTheSameForAnyNumberOfThreads) {
  const Mesh mesh = large_mesh();
  const auto digest = [&](std::size_t threads) {
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                            threads);
    oneapi::tbb::task_arena arena(static_cast<int>(threads));
    return arena.execute([&] {
      EXPECT_EQ(thread_count(), threads);
      return topology_of(mesh);
    });
  };
  const auto one = digest(1);
  EXPECT_EQ(one, digest(2));
  EXPECT_EQ(one, digest(5));
  EXPECT_EQ(one, digest(64));
}

TEST(EdgeTable, HasEverySideOfEveryTriangleExactlyOnce) {
  for (std::uint64_t seed = 1; seed <= 300; ++seed) {
    const Mesh mesh = damaged_mesh(seed);
    const Welded welded(mesh);
    const EdgeTable table(welded.triangles(), welded.points().size());
    std::vector<int> times(3 * mesh.triangles.size(), 0);
    for (std::uint32_t i = 0; i < table.size(); ++i) {
      const Edge& edge = table.edge({i});
      ASSERT_LT(edge.low, edge.high);
      if (i > 0) {
        const Edge& before = table.edge({i - 1});
        ASSERT_TRUE(before.low < edge.low || (before.low == edge.low && before.high < edge.high));
      }
      ASSERT_EQ(table.find(edge.high, edge.low)->value, i);
      for (const EdgeUse use : table.uses({i})) {
        const Triangle& t = welded.triangle(use.triangle());
        const VertexId from = t[use.corner()], to = t[(use.corner() + 1) % 3];
        ASSERT_EQ(use.forward(), from < to);
        ASSERT_EQ(edge, (Edge{std::min(from, to), std::max(from, to)}));
        ++times[3 * use.triangle().value + use.corner()];
      }
    }
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
      const int expected = has_equal_corners(welded.triangles()[t]) ? 0 : 1;
      for (std::size_t c = 0; c < 3; ++c) ASSERT_EQ(times[3 * t + c], expected) << "seed " << seed;
    }
  }
}

TEST(EdgeTable, RefusesATriangleWithoutItsVertex) {
  const Mesh mesh = test::mesh_of({{0, 0, 0}, {1, 0, 0}}, {{0, 1, 2}});
  EXPECT_THROW(EdgeTable(mesh.triangles, mesh.points.size()), std::runtime_error);
}

TEST(EdgeTable, FindsNoEdgeThatIsNotThere) {
  const Mesh mesh = test::cube();
  const EdgeTable table(mesh.triangles, mesh.points.size());
  EXPECT_EQ(table.size(), 18u);
  EXPECT_FALSE(table.find({0}, {7}));
  EXPECT_FALSE(table.find({0}, {99}));
  EXPECT_FALSE(table.find({99}, {100}));
}

TEST(Fans, CountsManyFansAtAVertexWithManyTriangles) {
  // 40 triangles about the origin, in 20 pairs that share an edge.
  Mesh mesh;
  mesh.points.emplace_back(0, 0, 0);
  for (std::uint32_t i = 0; i < 20; ++i) {
    const double z = i;
    mesh.points.insert(mesh.points.end(), {{1, 0, z}, {0, 1, z}, {-1, 1, z}});
    mesh.triangles.push_back({{{0}, {3 * i + 1}, {3 * i + 2}}});
    mesh.triangles.push_back({{{0}, {3 * i + 2}, {3 * i + 3}}});
  }
  const auto pinched =
      find_pinched_vertices(mesh.triangles, VertexStars(mesh.triangles, mesh.points.size()));
  ASSERT_EQ(pinched.size(), 1u);
  EXPECT_EQ(pinched[0].vertex.value, 0u);
  EXPECT_EQ(pinched[0].fans, 20u);
}

TEST(Duplicates, TellsCopiesFromTurnedOnes) {
  const Mesh mesh = test::mesh_of({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}},
                                  {{0, 1, 2}, {2, 0, 1}, {0, 2, 1}, {1, 2, 0}});
  const EdgeTable table(mesh.triangles, mesh.points.size());
  const auto groups = find_duplicates(mesh.triangles, table);
  ASSERT_EQ(groups.size(), 1u);
  EXPECT_EQ(groups[0].same.size(), 3u);
  EXPECT_EQ(groups[0].opposite.size(), 1u);
  EXPECT_EQ(groups[0].opposite[0].value, 2u);
  EXPECT_EQ(count_surplus(groups), 3u);
}

TEST(Duplicates, AreTheSameWithAndWithoutEdges) {
  std::size_t found = 0;
  for (std::uint64_t seed = 0; seed < 200; ++seed) {
    SCOPED_TRACE(seed);
    const Mesh mesh = test::damaged_mesh(seed);
    const Welded welded(mesh);
    const std::size_t vertices = welded.points().size();
    const auto sorted = [](std::vector<DuplicateGroup> groups) {
      std::vector<std::pair<std::vector<TriangleId>, std::vector<TriangleId>>> out;
      for (DuplicateGroup& g : groups) out.emplace_back(g.same, g.opposite);
      std::sort(out.begin(), out.end());
      return out;
    };
    const auto with =
        sorted(find_duplicates(welded.triangles(), EdgeTable(welded.triangles(), vertices)));
    EXPECT_EQ(sorted(find_duplicates(welded.triangles(), vertices)), with);
    found += with.size();
  }
  EXPECT_GT(found, 100u);
}

}  // namespace topology_test
}  // namespace aguja
