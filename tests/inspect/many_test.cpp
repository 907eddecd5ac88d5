// Models in which there is a great deal of one thing: what is found must still be right, and each
// of these took minutes when some step looked at all pairs.

#include <gtest/gtest.h>

#include "aguja/inspect/inspect.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace many_test {

// Triangles that share nothing, too large for strays.
Mesh soup(std::uint32_t count) {
  Mesh mesh;
  for (std::uint32_t i = 0; i < count; ++i) {
    const Point at((i % 40) * 5.0, (i / 40 % 40) * 5.0, (i / 1600) * 6.0);
    mesh.points.insert(mesh.points.end(), {at, at + Point(4, 0, 0), at + Point(0, 4, 1)});
    mesh.triangles.push_back({{{3 * i}, {3 * i + 1}, {3 * i + 2}}});
  }
  return mesh;
}

TEST(Many, LooseTrianglesAreASheetEach) {
  const Inspection inspection = inspect(test::model_of(soup(12000)));
  EXPECT_EQ(inspection.counts.components, 12000u);
  EXPECT_EQ(inspection.counts.rims, 12000u);
  EXPECT_EQ(inspection.findings.size(), 12000u);
  for (const Finding& f : inspection.findings) ASSERT_EQ(f.kind, FindingKind::sheet_border);
}

TEST(Many, ShellsThatMeetInOneVertex) {
  // Tetrahedra that share the origin and nothing else; no box holds another.
  Mesh mesh;
  mesh.points.emplace_back(0, 0, 0);
  constexpr std::uint32_t kCount = 3000;
  for (std::uint32_t i = 0; i < kCount; ++i) {
    const double x = 1 + i, z = kCount - i;
    mesh.points.insert(mesh.points.end(), {{x, 0, z}, {x, 1, z}, {x, 0, z + 0.5}});
    const VertexId o{0}, a{3 * i + 1}, b{3 * i + 2}, c{3 * i + 3};
    for (const Triangle& t :
         {Triangle{{o, b, a}}, Triangle{{o, c, b}}, Triangle{{o, a, c}}, Triangle{{a, b, c}}}) {
      mesh.triangles.push_back(t);
    }
  }
  const Anatomy anatomy(mesh);
  ASSERT_EQ(anatomy.shells.size(), kCount);
  for (const Shell& shell : anatomy.shells) ASSERT_EQ(shell.euler, 2);
  ASSERT_EQ(anatomy.pinched.size(), 1u);
  EXPECT_EQ(anatomy.pinched[0].fans, kCount);
}

TEST(Many, FinsInARowAreAFlapEach) {
  // A long double strip (a closed flat tube) with a fin on every other rung.
  Mesh mesh = test::sphere(100, 50);
  std::size_t fins = 0;
  const std::size_t count = mesh.triangles.size();
  for (std::size_t t = 401; t + 400 < count; t += 8) {
    const Triangle triangle = mesh.triangles[t];
    const Point tip = 1.1 * mesh.point(triangle[0]);
    mesh.points.push_back(tip);
    mesh.triangles.push_back(
        {{triangle[0], triangle[1], {static_cast<std::uint32_t>(mesh.points.size() - 1)}}});
    ++fins;
  }
  std::size_t found = 0;
  for (const Finding& f : inspect(test::model_of(mesh)).findings) {
    ASSERT_EQ(f.kind, FindingKind::nonmanifold_edge);
    found += f.count;
  }
  EXPECT_EQ(found, fins);
}

TEST(Many, TrianglesTurnedAtRandomAreFewFindings) {
  Mesh mesh = test::sphere(120, 50);
  test::Random random(4);
  for (Triangle& t : mesh.triangles) {
    if (random.chance(0.5)) std::swap(t[0], t[1]);
  }
  const Inspection inspection = inspect(test::model_of(mesh));
  EXPECT_GT(inspection.counts.winding_conflicts, 30000u);
  EXPECT_LT(inspection.findings.size(), 2000u);
  std::size_t edges = 0;
  for (const Finding& f : inspection.findings) edges += f.count;
  EXPECT_EQ(edges, inspection.counts.winding_conflicts);
}

TEST(Many, NestedShellsAlternate) {
  Mesh mesh;
  for (int i = 0; i < 40; ++i) {
    const Mesh shell = test::sphere(4, 1.0 + i);
    mesh = test::joined(mesh, i % 2 == 0 ? test::turned(shell) : shell);
  }
  EXPECT_TRUE(inspect(test::model_of(mesh)).findings.empty());
  mesh = test::joined(mesh, test::sphere(4, 60.0));
  EXPECT_EQ(inspect(test::model_of(mesh)).findings.size(), 40u);
}

}  // namespace many_test
}  // namespace aguja
