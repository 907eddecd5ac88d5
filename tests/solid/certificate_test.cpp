#include "aguja/solid/certificate.h"

#include <algorithm>

#include <gtest/gtest.h>

#include "demo/seeded.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace certificate_test {

bool has(const Certificate& c, ReasonKind kind) {
  return std::any_of(c.reasons.begin(), c.reasons.end(),
                     [&](const Reason& r) { return r.kind == kind; });
}

Certificate certificate_of(const Mesh& mesh) { return certify(test::model_of(mesh)); }

TEST(Certificate, ASoundBoxIsASolid) {
  const Certificate c = certificate_of(test::cube());
  EXPECT_EQ(c.verdict, Verdict::solid);
  EXPECT_TRUE(c.reasons.empty());
  EXPECT_TRUE(c.encloses);
}

TEST(Certificate, CrossingOverlapAndTouchEachRefuteASolid) {
  struct Case {
    Point at;
    ReasonKind kind;
  };
  // A second box in one part: through the first, face on face, corner in a face.
  for (const Case& c :
       {Case{{0.6, 0.6, 0.6}, ReasonKind::crossing}, Case{{1, 0.25, 0.25}, ReasonKind::overlap}}) {
    const Certificate found = certificate_of(test::joined(test::cube(), test::cube(c.at, 0.5)));
    EXPECT_EQ(found.verdict, Verdict::not_solid);
    EXPECT_TRUE(has(found, c.kind)) << slug(c.kind);
  }
  Mesh spike = test::cube({1, 0.25, 0.25}, 0.5);
  for (Point& p : spike.points) p.x() += (p.y() + p.z()) * 0.5 - 0.25;  // now a corner leads
  const Certificate touching = certificate_of(test::joined(test::cube(), spike));
  EXPECT_EQ(touching.verdict, Verdict::not_solid);
  ASSERT_EQ(touching.reasons.size(), 1u);
  EXPECT_EQ(touching.reasons[0].kind, ReasonKind::touch);
}

// Slats across slats: every one of them passes through all of the others.
TEST(Certificate, SaysWhereThereAreMorePairsThanAnybodyCanUse) {
  const auto slats = [](std::uint32_t count) {
    Mesh mesh;
    for (std::uint32_t i = 0; i < count; ++i) {
      const double at = 2.0 * i / count - 1;
      for (const bool across : {false, true}) {
        const auto first = static_cast<std::uint32_t>(mesh.points.size());
        for (const Point& p : {Point(at, -9, -1), Point(at, 9, -1), Point(at, 0, 9)}) {
          mesh.points.push_back(across ? Point(p.y(), p.x(), p.z()) : p);
        }
        mesh.triangles.push_back({{{first}, {first + 1}, {first + 2}}});
      }
    }
    return mesh;
  };
  for (const std::uint32_t count : {50u, 1010u}) {
    const std::size_t pairs = std::size_t{count} * count;
    const bool are_all = pairs <= kMostCrossings;
    const Certificate c = certificate_of(slats(count));
    EXPECT_EQ(c.verdict, Verdict::not_solid);
    EXPECT_EQ(c.counts.crossing_pairs, std::min(pairs, kMostCrossings));
    EXPECT_EQ(c.counts.more_pairs, !are_all);
    for (const Reason& r : c.reasons) {
      if (r.kind != ReasonKind::crossing) continue;
      EXPECT_EQ(r.text.find("there are more") == std::string::npos, are_all) << r.text;
    }
  }
}

TEST(Certificate, GivesGenusAndEulerCharacteristic) {
  EXPECT_EQ(certificate_of(test::sphere(7)).shells[0].shell.genus, 0);
  for (const demo::DemoModel& model : demo::demo_models()) {
    if (model.name != "garza") continue;
    const Certificate c = certify(model.model);
    ASSERT_EQ(c.shells.size(), 4u);
    EXPECT_EQ(c.shells[0].shell.genus, 8);  // eight bolt holes
    EXPECT_EQ(c.shells[1].shell.genus, 0);
    EXPECT_EQ(c.shells[2].shell.genus, 1);
    EXPECT_EQ(c.shells[3].shell.euler, 2);
    EXPECT_EQ(c.shells[1].inside_of, 0u);
    EXPECT_FALSE(c.shells[2].inside_of.has_value());
    EXPECT_NEAR(c.mass.volume, *model.volume, 1e-9 * *model.volume);
  }
}

TEST(Certificate, RefutesEachFault) {
  Mesh open = test::cube();
  open.triangles.pop_back();
  EXPECT_TRUE(has(certificate_of(open), ReasonKind::naked_edges));
  EXPECT_FALSE(certificate_of(open).encloses);

  Mesh conflict = test::cube();
  std::swap(conflict.triangles[3][0], conflict.triangles[3][1]);
  EXPECT_TRUE(has(certificate_of(conflict), ReasonKind::winding_conflicts));

  EXPECT_TRUE(has(certificate_of(test::turned(test::cube())), ReasonKind::inverted_shell));
  EXPECT_TRUE(has(certificate_of(test::joined(test::cube(), test::cube({1, 1, 1}))),
                  ReasonKind::nonmanifold_vertices));
  EXPECT_TRUE(has(certificate_of(test::joined(test::sphere(5, 2), test::sphere(5, 1))),
                  ReasonKind::nesting));
  EXPECT_TRUE(
      has(certificate_of(test::mesh_of({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, {{0, 1, 2}, {0, 2, 1}})),
          ReasonKind::zero_volume));
  EXPECT_TRUE(has(certificate_of(Mesh{}), ReasonKind::no_triangles));
  EXPECT_TRUE(has(certify(Model{}), ReasonKind::no_triangles));
  for (const Mesh& mesh : {open, conflict}) {
    EXPECT_EQ(certificate_of(mesh).verdict, Verdict::not_solid);
  }
}

TEST(Certificate, TwoCubesOnACommonEdgeAreNotManifold) {
  const Certificate c = certificate_of(test::joined(test::cube(), test::cube({1, 1, 0})));
  EXPECT_TRUE(has(c, ReasonKind::nonmanifold_edges));
  EXPECT_FALSE(c.shells[0].shell.manifold);
  EXPECT_FALSE(c.shells[0].shell.genus.has_value());
}

TEST(Certificate, ACavityIsRightOnlyIfItFacesInward) {
  const Mesh hollow = test::joined(test::sphere(6, 2), test::turned(test::sphere(6, 1)));
  const Certificate c = certificate_of(hollow);
  EXPECT_EQ(c.verdict, Verdict::solid);
  EXPECT_EQ(c.shells[1].inside_of, 0u);
  // A body inside the cavity faces outward again.
  const Certificate deeper = certificate_of(test::joined(hollow, test::sphere(6, 0.5)));
  EXPECT_EQ(deeper.verdict, Verdict::solid);
  EXPECT_EQ(deeper.shells[2].inside_of, 1u);
  EXPECT_EQ(deeper.shells[2].shell.depth, 2u);
}

TEST(Certificate, NestingWaitsForAnOpenShellAround) {
  Mesh open = test::sphere(6, 2);
  open.triangles.pop_back();
  const Certificate c = certificate_of(test::joined(open, test::turned(test::sphere(6, 1))));
  EXPECT_FALSE(has(c, ReasonKind::inverted_shell));
  EXPECT_EQ(c.shells[1].shell.waits_for_shell, 0u);
}

TEST(Certificate, JudgesPartsByThemselvesAndThenTogether) {
  Model model = test::model_of(test::sphere(5, 2), "outer");
  model.parts.emplace_back("inner", test::sphere(5, 1));
  const Certificate apart = certify(model, {.parts_apart = true});
  EXPECT_EQ(apart.verdict, Verdict::solid);
  EXPECT_FALSE(apart.shells[1].inside_of.has_value());
  EXPECT_TRUE(apart.pairs.empty());
  const Certificate together = certify(model);
  EXPECT_EQ(together.verdict, Verdict::not_solid);
  EXPECT_TRUE(has(together, ReasonKind::part_inside));
  EXPECT_EQ(together.part_verdicts, std::vector(2, Verdict::solid));
  EXPECT_EQ(together.pairs.at(0).first, 1u);
  EXPECT_FALSE(volume_doubt(together).empty());
  // Meant to be so: it is listed, and speaks against nothing.
  const Certificate meant =
      certify(model, {.is_meant = [](const Model&, const PartPair&) { return true; }});
  EXPECT_EQ(meant.verdict, Verdict::solid);
  EXPECT_EQ(meant.pairs.size(), 1u);
  EXPECT_EQ(certify(as_one(model)).verdict, Verdict::not_solid);
}

TEST(Certificate, AgreesWithTheCountsOnDamagedMeshes) {
  std::size_t fine = 0;
  for (std::uint64_t seed = 1; seed <= 400; ++seed) {
    const Certificate c = certificate_of(test::damaged_mesh(seed));
    const Counts& n = c.counts;
    const bool damaged = n.naked_edges + n.nonmanifold_edges + n.nonmanifold_vertices +
                             n.winding_conflicts + n.zero_area + n.duplicates + n.crossing_pairs +
                             n.overlap_pairs + n.touch_pairs >
                         0;
    if (damaged) {
      ASSERT_EQ(c.verdict, Verdict::not_solid) << "seed " << seed;
    }
    fine += c.verdict == Verdict::solid;
  }
  EXPECT_GE(fine, 20u);
}

}  // namespace certificate_test
}  // namespace aguja
