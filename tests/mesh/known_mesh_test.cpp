#include "aguja/mesh/known_mesh.h"

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/mend/change.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace known_mesh_test {

using test::Random;

// Anything: damaged solids, and triangles between few places of a grid, on any vertices.
Mesh any_mesh(Random& random, std::uint64_t seed) {
  if (random.chance(0.4)) return with_distinct_points(test::damaged_mesh(seed));
  Mesh mesh;
  const std::size_t count = 4 + random.index(12);
  const auto coordinate = [&] { return static_cast<double>(random.index(4)); };
  for (std::size_t i = 0; i < count; ++i) {
    mesh.points.emplace_back(coordinate(), coordinate(), coordinate());
  }
  const auto vertex = [&] { return VertexId{static_cast<std::uint32_t>(random.index(count))}; };
  for (std::size_t i = 0; i < 40; ++i) mesh.triangles.push_back({{vertex(), vertex(), vertex()}});
  return with_distinct_points(mesh);
}

// Its first triangles, and the points that they and those before them reach up to.
Mesh beginning_of(const Mesh& mesh, std::size_t triangles, std::size_t points) {
  Mesh out;
  out.triangles.assign(mesh.triangles.begin(),
                       mesh.triangles.begin() + static_cast<std::ptrdiff_t>(triangles));
  for (const Triangle& t : out.triangles) {
    for (const VertexId v : t.corner) points = std::max<std::size_t>(points, v.value + 1);
  }
  out.points.assign(mesh.points.begin(), mesh.points.begin() + static_cast<std::ptrdiff_t>(points));
  out.points_are_distinct = true;
  return out;
}

void expect_same(const EdgeTable& a, const EdgeTable& b) {
  ASSERT_EQ(a.size(), b.size());
  for (std::uint32_t e = 0; e < a.size(); ++e) {
    ASSERT_EQ(a.edge({e}), b.edge({e}));
    const auto x = a.uses({e}), y = b.uses({e});
    ASSERT_TRUE(std::equal(x.begin(), x.end(), y.begin(), y.end())) << "edge " << e;
    ASSERT_EQ(a.find(a.edge({e}).high, a.edge({e}).low), EdgeId{e});
  }
}

void expect_same(const VertexStars& a, const VertexStars& b) {
  ASSERT_EQ(a.vertex_count(), b.vertex_count());
  for (std::uint32_t v = 0; v < a.vertex_count(); ++v) {
    const auto x = a.at({v}), y = b.at({v});
    ASSERT_TRUE(std::equal(x.begin(), x.end(), y.begin(), y.end())) << "vertex " << v;
  }
}

TEST(KnownMesh, OfAMeshThatWasAddedToIsAsIfMadeAnew) {
  std::size_t crossings = 0, added = 0;
  for (std::uint64_t seed = 1; seed <= 400; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    const Mesh whole = any_mesh(random, seed);
    std::vector<std::unique_ptr<const Mesh>> meshes;
    std::shared_ptr<const KnownMesh> known;
    std::size_t triangles = random.index(whole.triangles.size() + 1), points = 0;
    while (true) {
      meshes.push_back(std::make_unique<const Mesh>(beginning_of(whole, triangles, points)));
      const Mesh& mesh = *meshes.back();
      if (known) {
        // What the new triangles would be in was told beforehand.
        const auto told = find_crossings_of_added(
            *known, std::span(mesh.points).subspan(known->mesh().points.size()),
            std::span(mesh.triangles).subspan(known->mesh().triangles.size()));
        std::vector<bool> is_new(mesh.triangles.size());
        for (std::size_t t = known->mesh().triangles.size(); t < is_new.size(); ++t) {
          is_new[t] = true;
          ++added;
        }
        ASSERT_EQ(told, find_crossings_of(Welded(mesh), is_new));
        known =
            std::make_shared<const KnownMesh>(mesh, nullptr, *known, MeshMaps{{}, {}, {}, true});
      } else {
        known = std::make_shared<const KnownMesh>(mesh);
      }
      expect_same(known->edges(), EdgeTable(mesh.triangles, mesh.points.size()));
      expect_same(known->stars(), VertexStars(mesh.triangles, mesh.points.size()));
      const EdgeCounts counts = count_edges(known->edges());
      ASSERT_EQ(known->edge_counts().naked, counts.naked);
      ASSERT_EQ(known->box().low, box_of(mesh).low);
      ASSERT_EQ(known->box().high, box_of(mesh).high);
      ASSERT_EQ(known->crossings().pairs, find_crossings(Welded(mesh)));
      crossings += known->crossings().pairs.size();
      if (testing::Test::HasFatalFailure() || triangles == whole.triangles.size()) break;
      points = mesh.points.size();
      triangles += 1 + random.index(std::min<std::size_t>(8, whole.triangles.size() - triangles));
    }
    if (testing::Test::HasFatalFailure()) FAIL();
  }
  EXPECT_GT(crossings, 10'000u);
  EXPECT_GT(added, 3'000u);
}

// Triangles go, are there twice, or stand elsewhere in the list; vertices move, and may fall together.
Change any_change(Random& random, const Mesh& mesh) {
  Change change;
  change.mesh.points = mesh.points;
  change.vertex_now = unchanged_vertices(mesh);
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    if (random.chance(0.06)) continue;
    change.parent.push_back({t});
    if (random.chance(0.03)) change.parent.push_back({t});
  }
  if (random.chance(0.3)) {
    for (int i = 0; i < 5 && !change.parent.empty(); ++i) {
      std::swap(change.parent[random.index(change.parent.size())], change.parent.back());
    }
  }
  for (const TriangleId p : change.parent) change.mesh.triangles.push_back(mesh.triangle(p));
  const std::size_t moved = random.index(3);
  for (std::size_t i = 0; i < moved; ++i) {
    const Point to = mesh.points[random.index(mesh.points.size())];
    Point& from = change.mesh.points[random.index(mesh.points.size())];
    from = random.chance(0.5) ? to : Point(0.5 * (from + to));
  }
  change.spent.assign(change.parent.size(), 0.0);
  const Mesh between = change.mesh;
  return composed(change, distinct_points(between));
}

// Each triangle whose box meets a box is visited, once.
void expect_trees_hold(const KnownMesh& known, Random& random) {
  const Mesh& mesh = known.mesh();
  Box box;
  box.extend(mesh.points[random.index(mesh.points.size())]);
  box.extend(mesh.points[random.index(mesh.points.size())]);
  std::vector<bool> visited(mesh.triangles.size());
  known.trees().for_each_meeting(FloatBox(box), [&](TriangleId t) {
    ASSERT_LT(t.value, visited.size());
    ASSERT_FALSE(visited[t.value]);
    visited[t.value] = true;
  });
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    Box own;
    for (const VertexId v : mesh.triangles[t].corner) own.extend(mesh.point(v));
    ASSERT_TRUE(visited[t] || !FloatBox(own).meets(FloatBox(box)));
  }
}

TEST(KnownMesh, OfAMeshThatWasChangedIsAsIfMadeAnew) {
  std::size_t crossings = 0, changes = 0;
  for (std::uint64_t seed = 1; seed <= 400; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    std::vector<std::unique_ptr<const Mesh>> meshes;
    meshes.push_back(std::make_unique<const Mesh>(any_mesh(random, seed)));
    auto known = std::make_shared<const KnownMesh>(*meshes.back());
    for (int step = 0; step < 6 && !meshes.back()->triangles.empty(); ++step) {
      if (random.chance(0.9)) static_cast<void>(known->crossings());
      if (random.chance(0.9)) static_cast<void>(known->trees());
      Change change = any_change(random, *meshes.back());
      ASSERT_TRUE(change.mesh.points_are_distinct);
      meshes.push_back(std::make_unique<const Mesh>(std::move(change.mesh)));
      const Mesh& mesh = *meshes.back();
      known = std::make_shared<const KnownMesh>(mesh, nullptr, *known, change);
      expect_same(known->edges(), EdgeTable(mesh.triangles, mesh.points.size()));
      ASSERT_EQ(known->box().high, box_of(mesh).high);
      ASSERT_EQ(known->crossings().pairs, find_crossings(Welded(mesh)));
      crossings += known->crossings().pairs.size();
      expect_trees_hold(*known, random);
      if (testing::Test::HasFatalFailure()) FAIL();
      ++changes;
    }
  }
  EXPECT_GT(crossings, 10'000u);
  EXPECT_GT(changes, 2'000u);
}

TEST(KnownMesh, PointsMustBeDistinct) {
  Mesh mesh = test::cube();
  mesh.points_are_distinct = false;
  const KnownMesh known(mesh);
  EXPECT_THROW(static_cast<void>(known.edges()), ArgumentError);
  EXPECT_THROW(static_cast<void>(known.trees()), ArgumentError);
  EXPECT_THROW(static_cast<void>(known.crossings()), ArgumentError);
}

}  // namespace known_mesh_test
}  // namespace aguja
