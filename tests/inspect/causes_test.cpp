// Every entity counts under its cause only.

#include <gtest/gtest.h>

#include "aguja/inspect/inspect.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace causes_test {

std::vector<FindingKind> kinds_in(const Mesh& mesh) {
  std::vector<FindingKind> kinds;
  for (const Finding& f : inspect(test::model_of(mesh)).findings) {
    if (f.kind != FindingKind::unit_doubt) kinds.push_back(f.kind);
  }
  return kinds;
}

using Kinds = std::vector<FindingKind>;
using enum FindingKind;

Mesh big_sphere() { return test::sphere(12, 50); }

TEST(Causes, ACopyExplainsTheEdgesItOverloads) {
  Mesh mesh = big_sphere();
  mesh.triangles.push_back(mesh.triangles[40]);
  EXPECT_EQ(kinds_in(mesh), Kinds{duplicate_triangle});
}

TEST(Causes, ATurnedCopyExplainsTheEdgesItOverloads) {
  Mesh mesh = big_sphere();
  const Triangle t = mesh.triangles[40];
  mesh.triangles.push_back({{t[1], t[0], t[2]}});
  EXPECT_EQ(kinds_in(mesh), Kinds{back_to_back});
}

TEST(Causes, AWallWithoutThicknessIsOneFinding) {
  // A closed body with a loose pair of triangles, back to back, on three points of its own.
  Mesh mesh = test::joined(
      big_sphere(), test::mesh_of({{90, 0, 0}, {90, 30, 0}, {90, 0, 30}}, {{0, 1, 2}, {0, 2, 1}}));
  EXPECT_EQ(kinds_in(mesh), Kinds{back_to_back});
}

TEST(Causes, AStrayExplainsItsNakedEdges) {
  Mesh mesh = test::joined(big_sphere(),
                           test::mesh_of({{60, 0, 0}, {60.5, 0, 0}, {60, 0.5, 0}}, {{0, 1, 2}}));
  EXPECT_EQ(kinds_in(mesh), Kinds{stray_shell});
}

TEST(Causes, AFlapExplainsItsFreeBorder) {
  Mesh mesh = big_sphere();
  const Triangle t = mesh.triangles[40];
  mesh.points.push_back(1.5 * mesh.point(t[0]));
  mesh.triangles.push_back({{t[0], t[1], {static_cast<std::uint32_t>(mesh.points.size() - 1)}}});
  EXPECT_EQ(kinds_in(mesh), Kinds{nonmanifold_edge});
}

TEST(Causes, OpeningsThatMeetInAPointExplainThePinch) {
  Mesh mesh = test::cube({0, 0, 0}, 30);
  // Two triangles that share nothing but corner 0 or 7.
  mesh.triangles.erase(mesh.triangles.begin() + 4);
  mesh.triangles.erase(mesh.triangles.begin());
  const Inspection inspection = inspect(test::model_of(mesh));
  for (const Finding& f : inspection.findings) EXPECT_EQ(f.kind, opening);
  EXPECT_GE(inspection.findings.size(), 1u);
}

TEST(Causes, ALooseCapOfNoAreaExplainsItsOwnEdges) {
  Mesh mesh =
      test::joined(big_sphere(), test::mesh_of({{60, 0, 0}, {62, 0, 0}, {70, 0, 0}}, {{0, 1, 2}}));
  EXPECT_EQ(kinds_in(mesh), Kinds{zero_area});
}

TEST(Causes, ACavityInsideAnOpenShellIsJudgedByWindingNumbers) {
  Mesh open = test::sphere(12, 50);
  open.triangles.pop_back();
  for (const bool turned : {false, true}) {
    const Mesh inner = test::sphere(6, 20);
    const Mesh both = test::joined(open, turned ? test::turned(inner) : inner);
    const Inspection inspection = inspect(test::model_of(both));
    EXPECT_TRUE(inspection.waiting.empty());
    ASSERT_EQ(inspection.findings.size(), turned ? 1u : 2u);
    const auto nesting_at = std::find_if(inspection.findings.begin(), inspection.findings.end(),
                                         [](const Finding& f) { return f.kind == nesting; });
    ASSERT_EQ(nesting_at != inspection.findings.end(), !turned);
    if (!turned) {
      EXPECT_EQ(nesting_at->waits_for, Kinds{opening});
    }
  }
}

}  // namespace causes_test
}  // namespace aguja
