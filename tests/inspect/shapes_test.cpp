// What is found of shapes that parts share, and of surfaces.

#include <set>

#include <gtest/gtest.h>

#include "aguja/formats/read_surfaces.h"
#include "aguja/inspect/inspect.h"
#include "aguja/model/transform.h"
#include "aguja/solid/prepare.h"
#include "demo/surface_models.h"
#include "tests/support/random_mesh.h"
#include "tests/support/spoilt_solid.h"

namespace aguja {
namespace shapes_test {

Model model_of_step(const std::string& text, const PrepareOptions& options = {}) {
  return prepare(read_surface_model({"x.step", text}), options);
}

std::set<std::string> ids_of(const Inspection& inspection) {
  std::set<std::string> ids;
  for (const Finding& f : inspection.findings) ids.insert(f.id);
  return ids;
}

TEST(SharedShapes, EveryPartHasItsFindingsWhereItIs) {
  Mesh open = test::cube({0, 0, 0}, 10);
  open.triangles.pop_back();
  Model model = test::model_of(open, "bolt-0");
  const Placement turned = turned_by(Vector(0, 0, 1), 0.3);
  std::vector<Placement> places = {{}};
  for (int i = 1; i < 5; ++i) {
    places.push_back(moved_by(Vector(30.0 * i, 0, 0)) * turned);
    model.parts.emplace_back("bolt-" + std::to_string(i), model.parts[0].shape(), places.back());
  }
  InspectOptions options;
  options.certify = true;
  const Inspection found = inspect(model, options);
  ASSERT_EQ(found.findings.size(), 5u);
  EXPECT_EQ(ids_of(found).size(), 5u);
  const Finding alone = inspect(test::model_of(open)).findings.at(0);
  for (const Finding& f : found.findings) {
    EXPECT_EQ(f.kind, FindingKind::opening);
    EXPECT_LT((f.place - places[*f.part_index](alone.place)).norm(), 1e-12);
    EXPECT_TRUE(placed(alone.box, places[*f.part_index]).contains(f.place));
    EXPECT_EQ(f.part, "bolt-" + std::to_string(*f.part_index));
  }
  EXPECT_EQ(found.counts.naked_edges, 15u);
  EXPECT_EQ(found.certificate->shells.size(), 5u);
}

TEST(SharedShapes, MassIsThatOfThePartsAsPlaced) {
  const Mesh box = test::extruded({{0, 0, 0}, {4, 0, 0}, {4, 1, 0}, {0, 1, 0}}, 2);
  Model shared = test::model_of(box, "a");
  const Placement mirrored = moved_by(Vector(10, 3, 1)) * turned_by(Vector(1, 2, 2) / 3, 0.7) *
                             Placement{Vector(-1, 1, 1).asDiagonal(), Vector::Zero()};
  shared.parts.emplace_back("b", shared.parts[0].shape(), mirrored);
  shared.parts.emplace_back("c", shared.parts[0].shape(),
                            moved_by(Vector(40, 0, 0)) * scaled_by(3.0));
  Model baked;
  for (const Part& part : shared.parts) baked.parts.emplace_back(part.name, part.mesh());
  const Certificate a = certify(shared), b = certify(baked);
  EXPECT_EQ(a.verdict, Verdict::solid);
  EXPECT_EQ(b.verdict, Verdict::solid);
  EXPECT_NEAR(a.mass.volume, b.mass.volume, 1e-12 * b.mass.volume);
  EXPECT_NEAR(a.mass.area, b.mass.area, 1e-12 * b.mass.area);
  EXPECT_LT((a.mass.centroid - b.mass.centroid).norm(), 1e-12);
  EXPECT_LT((a.mass.inertia - b.mass.inertia).norm(), 1e-9);
  for (std::size_t i = 0; i < 3; ++i) {
    EXPECT_GT(a.shells[i].shell.mass.volume, 0);
    EXPECT_LT((a.shells[i].shell.box.center() - b.shells[i].shell.box.center()).norm(), 1e-12);
  }
}

TEST(Counts, DoNotDependOnWhatIsLookedFor) {
  int worth = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    test::Random random(seed);
    Mesh mesh = test::joined(test::random_solid(random).mesh, test::turned(test::cube({5, 5, 5})));
    mesh.patch_of.clear();
    test::spoil(mesh, static_cast<test::Defect>(random.index(test::kDefects)), 1e-4, random);
    const Model model = test::model_of(mesh);
    const Counts all = inspect(model).counts;
    InspectOptions few;
    few.only = {FindingKind::unit_doubt};
    const Counts some = inspect(model, few).counts;
    EXPECT_EQ(all.inverted_shells, some.inverted_shells);
    EXPECT_EQ(all.internal_triangles, some.internal_triangles);
    EXPECT_EQ(all.crossing_pairs, some.crossing_pairs);
    worth += all.inverted_shells > 0;
  }
  EXPECT_GE(worth, 40);
}

TEST(Ids, OfSurfaceModelsDoNotDependOnTheChordHeight) {
  std::size_t compared = 0;
  for (const auto& demo : demo::surface_demos()) {
    SCOPED_TRACE(demo.name);
    std::set<std::string> first;
    for (const double chord : {0.3, 0.1, 0.02}) {
      PrepareOptions options;
      options.tessellation.chord = chord;
      const Inspection found = inspect(model_of_step(demo.text, options));
      std::set<std::string> ids;
      for (const Finding& f : found.findings) {
        // Which faces have material on both sides hangs on the facets while the body is open.
        if (f.severity == Severity::error && f.kind != FindingKind::internal_face) ids.insert(f.id);
      }
      if (chord == 0.3) first = ids;
      EXPECT_EQ(ids, first) << chord;
      compared += ids.size();
    }
  }
  EXPECT_GE(compared, 9u);
}

TEST(Ids, OfMeshesDoNotDependOnLimits) {
  test::Random random(3);
  Mesh mesh = test::random_solid(random).mesh;
  test::spoil(mesh, test::Defect::hole, 0, random);
  test::spoil(mesh, test::Defect::copies, 0, random);
  const Model model = test::model_of(mesh);
  InspectOptions other;
  other.profile.limits[Limit::sharp_edge] = {20, LimitBasis::degrees};
  other.profile.severities[FindingKind::opening] = Severity::note;
  other.most_triangles = 1;
  const auto is_there = ids_of(inspect(model, other));
  for (const Finding& f : inspect(model).findings) {
    if (f.severity != Severity::error) continue;
    EXPECT_TRUE(is_there.contains(f.id)) << f.id;
  }
}

TEST(Surfaces, AreTheSameFindingsInSeveralFilesAndUnits) {
  std::size_t told = 0;
  for (const auto& demo : demo::surface_demos()) {
    if (demo.defects.empty()) continue;
    SCOPED_TRACE(demo.name);
    Model model = model_of_step(demo.text);
    Model inches = model_of_step(demo.text);
    inches.unit = LengthUnit::inch;
    append(model, std::move(inches), "other.step");
    ASSERT_EQ(model.sources.size(), 2u);
    EXPECT_DOUBLE_EQ(model.sources[1].to_model, 25.4);
    const Inspection found = inspect(model);
    for (const Finding& f : found.findings) {
      if (!f.part_index || *f.part_index != 0 || info(f.kind).family != "surfaces") continue;
      if (info(f.kind).measures != Dimension::length || f.measure == 0) continue;
      const auto twin =
          std::find_if(found.findings.begin(), found.findings.end(), [&](const Finding& other) {
            return other.part_index == 1u && other.kind == f.kind && other.face == f.face &&
                   (other.place - 25.4 * f.place).norm() < 1e-9 * (1 + 25.4 * f.place.norm());
          });
      ASSERT_NE(twin, found.findings.end()) << f.id;
      EXPECT_NEAR(twin->measure, 25.4 * f.measure, 1e-9 * twin->measure);
      EXPECT_EQ(twin->entity, f.entity);
      ++told;
    }
  }
  EXPECT_GE(told, 2u);
}

TEST(Surfaces, AreNamedTooWherePartsAreTakenAsOne) {
  std::size_t named = 0;
  for (const auto& demo : demo::surface_demos()) {
    Model two = model_of_step(demo.text);
    Model other = model_of_step(demo.text);
    transform(other, moved_by(Vector(0, 0, 1000)));
    append(two, std::move(other), "other");
    const Inspection apart = inspect(two), one = inspect(as_one(two));
    for (const Finding& f : one.findings) {
      if (!f.face) continue;
      ++named;
      EXPECT_TRUE(f.entity.has_value());
    }
    EXPECT_EQ(apart.count(Severity::error), one.count(Severity::error)) << demo.name;
  }
  EXPECT_GE(named, 6u);
}

TEST(Surfaces, AMeshThatWasChangedHasNoneBehindIt) {
  const Model model = model_of_step(demo::surface_demos().at(0).text);
  const Shape& shape = *model.parts[0].shape();
  ASSERT_EQ(shape.surfaces.size(), 1u);
  const std::optional<FaceOrigin> face = face_of(shape, {0});
  ASSERT_TRUE(face.has_value());
  EXPECT_EQ(face->face, shape.mesh.patch_of[0].value);
  EXPECT_FALSE(face_of(*test::model_of(test::cube()).parts[0].shape(), {0}).has_value());
}

}  // namespace shapes_test
}  // namespace aguja
