#include "aguja/mesh/components.h"

#include <gtest/gtest.h>

#include "aguja/mesh/weld.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace components_test {

// By spreading from triangle to triangle over all pairs that share a joining edge.
std::vector<std::uint32_t> brute_force(const Welded& mesh, const EdgeTable& edges,
                                       Joining joining) {
  const std::size_t n = mesh.triangles().size();
  std::vector<std::uint32_t> label(n, kNoIndex);
  std::uint32_t next = 0;
  for (std::size_t start = 0; start < n; ++start) {
    if (label[start] != kNoIndex || has_equal_corners(mesh.triangles()[start])) continue;
    std::vector<std::size_t> open = {start};
    label[start] = next;
    while (!open.empty()) {
      const std::size_t at = open.back();
      open.pop_back();
      for (std::uint32_t e = 0; e < edges.size(); ++e) {
        const auto uses = edges.uses({e});
        if (joining != Joining::any_edge && uses.size() != 2) continue;
        if (joining == Joining::agreeing_edge && uses[0].forward() == uses[1].forward()) continue;
        const bool here = std::any_of(uses.begin(), uses.end(),
                                      [&](EdgeUse use) { return use.triangle().value == at; });
        if (!here) continue;
        for (const EdgeUse use : uses) {
          if (label[use.triangle().value] != kNoIndex) continue;
          label[use.triangle().value] = next;
          open.push_back(use.triangle().value);
        }
      }
    }
    ++next;
  }
  return label;
}

TEST(Components, AreThoseThatSpreadingFinds) {
  std::size_t several = 0;
  for (std::uint64_t seed = 1; seed <= 400; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Mesh mesh = test::damaged_mesh(seed);
    const Welded welded(mesh);
    const EdgeTable edges(welded.triangles(), welded.points().size());
    for (const Joining joining :
         {Joining::any_edge, Joining::manifold_edge, Joining::agreeing_edge}) {
      const Components found = find_components(welded.triangles(), edges, joining);
      const auto expected = brute_force(welded, edges, joining);
      for (std::size_t t = 0; t < expected.size(); ++t) {
        ASSERT_EQ(found.shell_of[t].value, expected[t]) << "triangle " << t;
      }
      several += found.count > 1;
    }
  }
  EXPECT_GE(several, 300u);
}

TEST(Components, AFlapIsApartByManifoldEdgesOnly) {
  Mesh mesh = test::cube();
  mesh.points.emplace_back(0.5, 0.5, 3);
  const Triangle t = mesh.triangles[0];
  mesh.triangles.push_back({{t[0], t[1], {8}}});
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  EXPECT_EQ(find_components(mesh.triangles, edges).count, 1u);
  const Components regions = find_components(mesh.triangles, edges, Joining::manifold_edge);
  EXPECT_EQ(regions.count, 2u);
  EXPECT_EQ(regions.shell_of[12].value, 1u);
}

TEST(Components, ATurnedTriangleIsApartByAgreeingEdgesOnly) {
  Mesh mesh = test::cube();
  std::swap(mesh.triangles[5][0], mesh.triangles[5][1]);
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  EXPECT_EQ(find_components(mesh.triangles, edges, Joining::manifold_edge).count, 1u);
  EXPECT_EQ(find_components(mesh.triangles, edges, Joining::agreeing_edge).count, 2u);
}

}  // namespace components_test
}  // namespace aguja
