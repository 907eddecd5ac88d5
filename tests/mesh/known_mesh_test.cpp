#include "aguja/mesh/known_mesh.h"

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/mend/change.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace {

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
        known = std::make_shared<const KnownMesh>(mesh, nullptr, *known);
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

TEST(KnownMesh, PointsMustBeDistinct) {
  Mesh mesh = test::cube();
  mesh.points_are_distinct = false;
  const KnownMesh known(mesh);
  EXPECT_THROW(static_cast<void>(known.edges()), ArgumentError);
  EXPECT_THROW(static_cast<void>(known.trees()), ArgumentError);
  EXPECT_THROW(static_cast<void>(known.crossings()), ArgumentError);
}

}  // namespace
}  // namespace aguja
