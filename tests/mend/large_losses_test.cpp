// Nothing large goes by itself.

#include <gtest/gtest.h>

#include "aguja/formats/plan.h"
#include "aguja/formats/read.h"
#include "aguja/formats/write.h"
#include "aguja/mend/given_up.h"
#include "aguja/mend/mend.h"
#include "tests/support/files.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace large_losses_test {

using test::model_of;

MendOptions all_accepted() {
  MendOptions options;
  options.accepted.all = true;
  return options;
}

std::size_t refused_for_size(const MendResult& result) {
  std::size_t count = 0;
  for (const LedgerLine& line : result.ledger) {
    for (const Refusal& r : line.refused) count += r.reason == RefusalReason::large ? 1 : 0;
  }
  return count;
}

Mesh joined(const Mesh& a, const Mesh& b) {
  Mesh both = a;
  const auto shift = static_cast<std::uint32_t>(a.points.size());
  both.points.insert(both.points.end(), b.points.begin(), b.points.end());
  for (Triangle t : b.triangles) {
    for (VertexId& v : t.corner) v.value += shift;
    both.triangles.push_back(t);
  }
  both.points_are_distinct = false;
  return both;
}

Mesh moved(Mesh mesh, const Vector& by) {
  for (Point& p : mesh.points) p += by;
  return mesh;
}

Mesh turned(Mesh mesh) {
  for (Triangle& t : mesh.triangles) std::swap(t.corner[1], t.corner[2]);
  return mesh;
}

// A square in the plane z = 0, of so many triangles.
Mesh sheet(int steps, double side) {
  Mesh mesh;
  for (int i = 0; i <= steps; ++i) {
    for (int j = 0; j <= steps; ++j)
      mesh.points.emplace_back(side * i / steps, side * j / steps, 0);
  }
  const auto at = [&](int i, int j) {
    return VertexId{static_cast<std::uint32_t>(i * (steps + 1) + j)};
  };
  for (int i = 0; i < steps; ++i) {
    for (int j = 0; j < steps; ++j) {
      mesh.triangles.push_back({{at(i, j), at(i + 1, j), at(i + 1, j + 1)}});
      mesh.triangles.push_back({{at(i, j), at(i + 1, j + 1), at(i, j + 1)}});
    }
  }
  mesh.points_are_distinct = true;
  return mesh;
}

// Shapes whose rest a fill would have made a patch that bulges beyond its own border.
std::vector<Mesh> shapes() {
  return {test::grid_box(6, {3, 2, 1}), test::torus(40, 20, 3, 1), test::cylinder(32, 6, 1, 4)};
}

TEST(LargeLosses, AFillIsNoGroundForGivingUpTheRest) {
  for (const Mesh& whole : shapes()) {
    for (const std::size_t lost : {std::size_t{7}, whole.triangles.size() / 2}) {
      Mesh mesh = whole;
      mesh.triangles.erase(mesh.triangles.begin() + static_cast<std::ptrdiff_t>(lost));
      const MendResult mended = mend(model_of(mesh), all_accepted());
      EXPECT_EQ(mended.area_removed, 0) << lost;
      EXPECT_TRUE(mended.after.findings.empty());
      EXPECT_NEAR(size_of(mended.model.parts[0].mesh()).volume, test::volume_of(whole),
                  0.01 * test::volume_of(whole));
      EXPECT_TRUE(mended.unexplained.empty());
      // Nor is it for the next run.
      for (const Format format : {Format::obj, Format::ply}) {
        const Model again = read_model(Source{"x", test::written(mended.model, format)});
        const MendResult second = mend(again, all_accepted());
        EXPECT_TRUE(second.before.findings.empty()) << slug(format);
        EXPECT_EQ(second.area_removed, 0);
      }
    }
  }
}

TEST(LargeLosses, AGroupOfFacesIsNoFace) {
  // One group for all, and another one for one triangle: as some programs write it.
  Mesh mesh = test::grid_box(6, {3, 2, 1});
  mesh.patch_of.assign(mesh.triangles.size(), PatchId{0});
  mesh.patch_of[20] = {1};
  for (const Finding& f : inspect(model_of(mesh)).findings) {
    EXPECT_NE(f.kind, FindingKind::runaway_face);
  }
}

TEST(LargeLosses, SheetsThatAreMostOfAPartStayUntilTheyAreNamed) {
  // Two blades on a small hub.
  const Mesh hub = test::grid_box(2, {1, 1, 1});
  Mesh mesh = joined(hub, moved(sheet(4, 3), {2, 0, 0.5}));
  mesh = joined(mesh, moved(sheet(4, 2), {-4, 0, 0.5}));
  const Model model = model_of(mesh);
  const MendResult by_all = mend(model, all_accepted());
  EXPECT_EQ(by_all.area_removed, 0);
  EXPECT_GE(refused_for_size(by_all), 1u);
  EXPECT_GE(by_all.large_refusals, 1u);
  EXPECT_EQ(triangle_count(by_all.model), mesh.triangles.size());
  // Whoever runs the plan that is written does not get them dropped either.
  for (const Step& step : by_all.plan.steps) EXPECT_FALSE(step.on && step.remedy == remedies::drop);
  const Plan plan = parse_plan(plan_text(by_all.plan, model.unit), model.unit);
  MendOptions options;
  options.plan = plan;
  EXPECT_EQ(mend(model, options).area_removed, 0);

  MendOptions named;
  for (const Finding& f : by_all.before.findings) {
    if (f.kind == FindingKind::loose_sheet || f.kind == FindingKind::sheet_border) {
      named.accepted.ids.push_back(f.id);
    }
  }
  ASSERT_FALSE(named.accepted.ids.empty());
  const MendResult by_id = mend(model, named);
  EXPECT_NEAR(by_id.area_removed, 13, 1e-9);
  EXPECT_EQ(by_id.large_refusals, 0u);
  double share = 0;
  for (const LedgerLine& line : by_id.ledger) share = std::max(share, line.given_up_share);
  EXPECT_NEAR(share, 13.0 / 19, 1e-9);
  // An id that is not there is an error, not a step that does nothing.
  named.accepted.ids = {"loose-sheet-0000000000000000"};
  EXPECT_THROW(static_cast<void>(mend(model, named)), ArgumentError);
}

TEST(LargeLosses, SmallOnesGoWhileLargeOnesStay) {
  const Mesh hub = test::grid_box(4, {2, 2, 2});
  Mesh mesh = joined(hub, moved(sheet(3, 3), {4, 0, 1}));
  const std::size_t large = mesh.triangles.size();
  mesh = joined(mesh, moved(sheet(1, 0.05), {-1, 0, 1}));
  const MendResult result = mend(model_of(mesh), all_accepted());
  EXPECT_EQ(triangle_count(result.model), large);
  EXPECT_GE(refused_for_size(result), 1u);
  // What is left out by name stays, too.
  MendOptions options = all_accepted();
  options.accepted.left = {"loose-sheet", "sheet-border", "stray-shell"};
  EXPECT_EQ(triangle_count(mend(model_of(mesh), options).model), mesh.triangles.size());
}

TEST(LargeLosses, AClosedShellIsNeverCrumbs) {
  // A thousandth of the part, but it encloses volume.
  const Mesh mesh = joined(test::grid_box(6, {10, 10, 10}),
                           moved(test::grid_box(1, {0.01, 0.01, 0.01}), {20, 0, 0}));
  const MendResult result = mend(model_of(mesh), all_accepted());
  EXPECT_EQ(triangle_count(result.model), mesh.triangles.size());
  MendOptions named;
  for (const Finding& f : result.before.findings) {
    if (f.kind == FindingKind::stray_shell) named.accepted.ids.push_back(f.id);
  }
  ASSERT_EQ(named.accepted.ids.size(), 1u);
  EXPECT_EQ(triangle_count(mend(model_of(mesh), named).model), 6u * 6 * 6 * 2);
}

TEST(LargeLosses, OfAShellThatIsThereTwiceOneStaysAndFacesOutward) {
  for (const Mesh& one : shapes()) {
    for (const bool inward_first : {false, true}) {
      const Mesh mesh = inward_first ? joined(turned(one), one) : joined(one, turned(one));
      const MendResult result = mend(model_of(mesh), all_accepted());
      ASSERT_EQ(result.model.parts.size(), 1u);
      EXPECT_EQ(test::facets(result.model.parts[0].mesh()), test::facets(one));
      EXPECT_EQ(refused_for_size(result), 0u);
    }
  }
}

// Whatever is wrong with a model: without a name, no more goes than is said.
TEST(LargeLosses, HoldForRandomModels) {
  test::Random random(16);
  std::size_t lost = 0;
  for (int i = 0; i < 150; ++i) {
    SCOPED_TRACE(testing::Message() << "model " << i);
    Mesh mesh = shapes()[random.index(3)];
    for (std::size_t k = random.index(4); k > 0; --k) {
      const double side = random.between(0.02, 3);
      const Vector by(random.between(-6, 6), random.between(-6, 6), random.between(-6, 6));
      mesh = joined(mesh, moved(sheet(2, side), by));
    }
    for (std::size_t k = random.index(3); k > 0; --k) {
      mesh = joined(mesh, moved(test::grid_box(1, {0.1, 0.1, 0.1}), {random.between(7, 9), 0, 0}));
    }
    mesh.triangles.erase(mesh.triangles.begin() +
                         static_cast<std::ptrdiff_t>(random.index(mesh.triangles.size())));
    const double before = area_without_copies(mesh);
    const MendResult result = mend(model_of(mesh), all_accepted());
    EXPECT_LE(result.area_removed, 0.02 * before * (1 + 1e-12));
    lost += result.area_removed > 0 ? 1 : 0;
    ASSERT_EQ(result.model.parts.size(), 1u);
    EXPECT_EQ(refused_for_size(result) > 0, result.large_refusals > 0);
  }
  EXPECT_GE(lost, 5u) << "the models no longer lose anything";
}

TEST(GivenUp, ACopyThatIsLeftMeansNothingIsLost) {
  const Mesh one = test::grid_box(3, {1, 2, 3});
  Mesh twice = one;
  twice.triangles.insert(twice.triangles.end(), one.triangles.begin(), one.triangles.end());
  EXPECT_DOUBLE_EQ(area_without_copies(twice), 22);
  Change change = unchanged(one);
  for (std::uint32_t t = 0; t < one.triangles.size(); ++t) change.dropped.push_back({t});
  EXPECT_TRUE(given_up(twice, change).empty());
  change.mesh.triangles.resize(10);
  const std::vector<TriangleId> goes = given_up(twice, change);
  EXPECT_EQ(goes.size(), one.triangles.size() - 10);
  EXPECT_TRUE(closed_shells_among(KnownMesh(one), goes).empty());
  EXPECT_EQ(closed_shells_among(KnownMesh(one), change.dropped).size(), one.triangles.size());
}

}  // namespace large_losses_test
}  // namespace aguja
