// What an element size asks of a model; explanations; one kind alone.

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include <Eigen/Geometry>

#include "aguja/inspect/inspect.h"
#include "demo/seeded.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace readiness_test {

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
  Model as_one_part = test::model_of(test::joined(model.parts[0].mesh(), model.parts[1].mesh()));
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

TEST(Readiness, WallsAreFoundWhicheverWayTheyFace) {
  // Faces that are turned against each other by up to 19 degrees, seen from everywhere.
  for (const double slope : {0.0, 10.0, 19.0}) {
    Mesh plate = test::cube({0, 0, 0}, 1);
    for (Point& p : plate.points) {
      const double rise = p.z() * p.x() * std::tan(slope * std::numbers::pi / 180);
      p = Point(10 * p.x(), 8 * p.y(), p.z() + 10 * rise);
    }
    const auto measure = [](const Mesh& mesh) {
      for (const Finding& f : with_size(mesh, 3).findings) {
        if (f.kind == thin_wall) return f.measure;
      }
      return 0.0;
    };
    const double known = measure(plate);
    ASSERT_GT(known, 0.9);
    test::Random random(7);
    for (int turn = 0; turn < 200; ++turn) {
      const Vector axis(random.unit() - 0.5, random.unit() - 0.5, random.unit() - 0.5);
      const Eigen::AngleAxisd rotation(6 * random.unit(), axis.normalized());
      Mesh turned = plate;
      for (Point& p : turned.points) p = rotation * p;
      EXPECT_NEAR(measure(turned), known, 1e-9) << slope << " degrees, turn " << turn;
    }
  }
}

TEST(Readiness, AWedgeIsNotFloodedWithThinWalls) {
  for (const demo::DemoModel& shape : demo::seeded_shapes()) {
    if (shape.name != "wedge") continue;
    InspectOptions options;
    options.profile.element_size = 1;
    for (const Finding& f : inspect(shape.model, options).findings) EXPECT_NE(f.kind, thin_wall);
  }
}

TEST(Readiness, SlotsNarrowerThanAnElementAreFound) {
  // A fork: two prongs with 3 of air between, 20 deep.
  const Mesh fork = test::extruded({{0, 0, 0},
                                    {23, 0, 0},
                                    {23, 30, 0},
                                    {13, 30, 0},
                                    {13, 10, 0},
                                    {10, 10, 0},
                                    {10, 30, 0},
                                    {0, 30, 0}},
                                   15);
  const auto slots = [&](const Mesh& mesh, double h) {
    auto all = with_size(mesh, h).findings;
    std::erase_if(all, [](const Finding& f) { return f.kind != narrow_slot; });
    return all;
  };
  EXPECT_TRUE(slots(fork, 2.9).empty());
  ASSERT_EQ(slots(fork, 3.1).size(), 1u);
  const Finding slot = slots(fork, 3.1)[0];
  EXPECT_NEAR(slot.measure, 3, 1e-12);
  EXPECT_EQ(slot.limit, 3.1);
  EXPECT_TRUE(slot.box.low.x() == 10 && slot.box.high.x() == 13);
  EXPECT_EQ(slot.count, 4u);
  // Two bodies of one part, a little apart; a notch that runs to a point is no slot.
  ASSERT_EQ(slots(test::joined(test::cube({0, 0, 0}, 20), test::cube({20.5, 0, 0}, 20)), 1).size(),
            1u);
  const Mesh notch = test::extruded(
      {{0, 0, 0}, {21, 0, 0}, {21, 30, 0}, {11.5, 30, 0}, {10.5, 10, 0}, {9.5, 30, 0}, {0, 30, 0}},
      15);
  EXPECT_TRUE(slots(notch, 3).empty());
  // Without a size there is nothing to hold it against, but the profile may ask.
  InspectOptions options;
  EXPECT_TRUE(inspect(test::model_of(fork), options).findings.empty());
  options.profile.limits[Limit::narrow_slot] = {3.5, LimitBasis::length, LengthUnit::millimetre};
  ASSERT_EQ(inspect(test::model_of(fork), options).findings.size(), 1u);
  EXPECT_EQ(inspect(test::model_of(fork), options).findings[0].kind, narrow_slot);
}

TEST(Readiness, DecimalsCutShortAreDoubted) {
  const auto rounded = [](Mesh mesh, double grid) {
    for (Point& p : mesh.points) p = (p / grid).array().round().matrix() * grid;
    return mesh;
  };
  const auto doubts = [](const Mesh& mesh) {
    auto all = inspect(test::model_of(mesh), {}).findings;
    std::erase_if(all, [](const Finding& f) { return f.kind != precision_doubt; });
    return all;
  };
  std::vector<Point> circle;
  for (int i = 0; i < 64; ++i) {
    const double angle = 2 * std::numbers::pi * i / 64;
    circle.emplace_back(7.3 * std::cos(angle), 7.3 * std::sin(angle), 0);
  }
  const Mesh rod = test::extruded(circle, 20);
  EXPECT_TRUE(doubts(rod).empty());
  EXPECT_TRUE(doubts(rounded(rod, 1e-5)).empty());
  const auto coarse = doubts(rounded(rod, 1e-3));
  ASSERT_EQ(coarse.size(), 1u);
  EXPECT_NEAR(coarse[0].measure, 1e-3, 1e-12);
  // What was drawn on whole millimetres lies where it was drawn.
  std::vector<Point> comb = {{0, 0, 0}, {60, 0, 0}};
  for (int i = 14; i >= 0; --i) {
    for (const Point& p : {Point(4 * i + 3, 20, 0), Point(4 * i + 3, 5, 0), Point(4 * i + 1, 5, 0),
                           Point(4 * i + 1, 20, 0)}) {
      comb.push_back(p);
    }
  }
  EXPECT_TRUE(doubts(test::extruded(comb, 12)).empty());
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

}  // namespace readiness_test
}  // namespace aguja
