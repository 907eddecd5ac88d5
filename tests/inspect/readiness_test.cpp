// What an element size asks of a model; explanations; one kind alone.

#include <gtest/gtest.h>

#include <cmath>

#include "aguja/inspect/inspect.h"
#include "demo/seeded.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace {

using enum FindingKind;

Inspection with_size(const Mesh& mesh, double h) {
  InspectOptions options;
  options.profile.element_size = h;
  return inspect(test::model_of(mesh), options);
}

TEST(Readiness, QualityIsThatOfTheTriangles) {
  // Right isosceles triangles all over.
  const Inspection found = with_size(test::cube({0, 0, 0}, 20), 5);
  ASSERT_TRUE(found.quality);
  const Quality& q = *found.quality;
  EXPECT_EQ(q.triangles, 12u);
  EXPECT_NEAR(q.aspect_ratio.least, 2, 1e-12);
  EXPECT_NEAR(q.aspect_ratio.largest, 2, 1e-12);
  EXPECT_NEAR(q.least_angle.mean, 45, 1e-9);
  EXPECT_NEAR(q.largest_angle.mean, 90, 1e-9);
  EXPECT_NEAR(q.edge_ratio.mean, std::sqrt(2.0), 1e-12);
  EXPECT_NEAR(q.edge_length.largest, 20 * std::sqrt(2.0), 1e-9);
  EXPECT_EQ(q.beyond, 0u);
  for (const QualityMeasure* m :
       {&q.aspect_ratio, &q.least_angle, &q.largest_angle, &q.edge_ratio, &q.edge_length}) {
    std::size_t sum = 0;
    for (const std::size_t c : m->counts) sum += c;
    EXPECT_EQ(sum, 12u);
    EXPECT_EQ(m->bounds.size(), m->counts.size() + 1);
  }
}

TEST(Readiness, QualityHoldsForTheSumOfParts) {
  Model model = test::model_of(test::cube({0, 0, 0}, 20), "one");
  model.parts.push_back(test::model_of(test::sphere(8, 9), "two").parts[0]);
  InspectOptions options;
  options.profile.element_size = 2;
  const Quality both = *inspect(model, options).quality;
  Model as_one_part = test::model_of(test::joined(model.parts[0].mesh, model.parts[1].mesh));
  const Quality one = *inspect(as_one_part, options).quality;
  EXPECT_EQ(both.triangles, one.triangles);
  EXPECT_NEAR(both.aspect_ratio.mean, one.aspect_ratio.mean, 1e-9);
  EXPECT_EQ(both.least_angle.counts, one.least_angle.counts);
}

TEST(Readiness, WallsWithTooFewElementsAcrossAreThin) {
  Mesh plate = test::cube({0, 0, 0}, 1);
  for (Point& p : plate.points) p = p.cwiseProduct(Point(40, 30, 3));
  const auto thin = [&](double h) {
    std::vector<Finding> walls;
    for (const Finding& f : with_size(plate, h).findings) {
      if (f.kind == thin_wall) walls.push_back(f);
    }
    return walls;
  };
  EXPECT_TRUE(thin(1).empty());
  ASSERT_EQ(thin(2).size(), 1u);
  EXPECT_NEAR(thin(2)[0].measure, 3, 1e-12);
  EXPECT_EQ(thin(2)[0].limit, 4);
}

TEST(Readiness, AWedgeIsNotFloodedWithThinWalls) {
  for (const demo::DemoModel& shape : demo::seeded_shapes()) {
    if (shape.name != "wedge") continue;
    InspectOptions options;
    options.profile.element_size = 1;
    for (const Finding& f : inspect(shape.model, options).findings) EXPECT_NE(f.kind, thin_wall);
  }
}

TEST(Readiness, ProposesSizesFromFeatures) {
  const Inspection found = with_size(test::cube({0, 0, 0}, 20), 5);
  ASSERT_TRUE(found.element_sizes);
  EXPECT_GT(found.element_sizes->least, 0);
  EXPECT_LE(found.element_sizes->least, found.element_sizes->largest);
  EXPECT_EQ(found.element_sizes->why.size(), 2u);
  // A small hole makes the least smaller.
  for (const demo::DemoModel& shape : demo::seeded_shapes()) {
    if (shape.name != "box-divided-top") continue;
    InspectOptions options;
    options.profile.element_size = 1;
    const auto sizes = inspect(shape.model, options).element_sizes;
    ASSERT_TRUE(sizes);
    EXPECT_LE(sizes->largest, 5);
  }
}

TEST(Explain, EveryKindHasAllItsTexts) {
  for (const KindInfo& k : all_kinds()) {
    EXPECT_FALSE(k.hints.empty()) << k.slug;
    EXPECT_FALSE(k.picture.empty()) << k.slug;
    EXPECT_EQ(k.picture.back(), '\n') << k.slug;
    std::size_t width = 0;
    for (const char c : k.picture) {
      width = c == '\n' ? 0 : width + 1;
      ASSERT_LE(width, 60u) << k.slug;
    }
    for (const FindingKind w : k.waits_for) EXPECT_NE(w, k.kind);
  }
}

TEST(Explain, WaitingGoesInNoCircle) {
  // Plans are ordered by it.
  for (const KindInfo& k : all_kinds()) {
    std::vector<FindingKind> open(k.waits_for.begin(), k.waits_for.end());
    for (std::size_t i = 0; i < open.size(); ++i) {
      ASSERT_NE(open[i], k.kind) << k.slug;
      ASSERT_LT(open.size(), 1000u);
      const auto& next = info(open[i]).waits_for;
      open.insert(open.end(), next.begin(), next.end());
    }
  }
}

TEST(Only, RunsWhatIsAskedForAlone) {
  Mesh mesh = test::cube({0, 0, 0}, 30);
  mesh.triangles.pop_back();
  mesh.points.emplace_back(99, 0, 0);
  InspectOptions options;
  options.only = {unused_vertex};
  const auto findings = inspect(test::model_of(mesh), options).findings;
  ASSERT_EQ(findings.size(), 1u);
  EXPECT_EQ(findings[0].kind, unused_vertex);
}

TEST(Counts, InvertedShellsAndInternalTriangles) {
  const auto counts = [](const Mesh& mesh) { return inspect(test::model_of(mesh)).counts; };
  const Mesh box = test::cube({0, 0, 0}, 30), inner = test::cube({10, 10, 10}, 5);
  EXPECT_EQ(counts(box).inverted_shells, 0u);
  EXPECT_EQ(counts(test::turned(box)).inverted_shells, 1u);
  // Inside out as a whole: both shells.
  EXPECT_EQ(counts(test::turned(test::joined(box, test::turned(inner)))).inverted_shells, 2u);
  EXPECT_EQ(counts(test::joined(box, test::turned(inner))).internal_triangles, 0u);
  // A body in a body has material on both sides of all its walls.
  EXPECT_EQ(counts(test::joined(box, inner)).internal_triangles, 12u);
  // Two bodies that pass through each other: what lies wholly in the other counts.
  const Mesh bar = test::joined(box, test::cube({25, 12, 12}, 10));
  const Counts c = counts(bar);
  EXPECT_GE(c.crossing_pairs, 1u);
  EXPECT_GE(c.internal_triangles, 2u);
  EXPECT_LE(c.internal_triangles, 10u);
  // An open shell that faces inward is told by winding numbers.
  Mesh open = test::sphere(12, 20);
  open.triangles.pop_back();
  EXPECT_EQ(counts(test::turned(open)).inverted_shells, 1u);
  EXPECT_EQ(counts(open).inverted_shells, 0u);
}

}  // namespace
}  // namespace aguja
