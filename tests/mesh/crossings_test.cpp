#include "aguja/mesh/crossings.h"

#include <cmath>

#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

#include "aguja/geometry/predicates.h"
#include "mesh/crowds.h"
#include "mesh/needles.h"
#include "tests/support/exact_contact.h"
#include "tests/support/random_mesh.h"
#include "tests/support/sanitized.h"

namespace aguja {
namespace crossings_test {

using test::Random;

bool has_area(const Welded& mesh, std::uint32_t t) {
  const LabelledTriangle l = labelled(mesh, {t});
  return !has_equal_corners(mesh.triangle({t})) &&
         !is_collinear(l.corner[0], l.corner[1], l.corner[2]);
}

Box box_of(const Welded& mesh, std::uint32_t t) {
  Box box;
  for (const VertexId v : mesh.triangle({t}).corner) box.extend(mesh.point(v));
  return box;
}

std::vector<TrianglePair> by_brute_force(const Welded& mesh) {
  std::vector<TrianglePair> pairs;
  const auto n = static_cast<std::uint32_t>(mesh.triangles().size());
  for (std::uint32_t i = 0; i < n; ++i) {
    for (std::uint32_t j = i + 1; j < n; ++j) {
      if (!box_of(mesh, i).meets(box_of(mesh, j))) continue;
      if (!has_area(mesh, i) || !has_area(mesh, j)) continue;
      const Contact c = test::contact_by_rationals(labelled(mesh, {i}), labelled(mesh, {j}));
      if (c != Contact::none) pairs.push_back({{i}, {j}, c});
    }
  }
  return pairs;
}

// Soups on a small grid, damaged meshes, two bodies in each other; scaled, shifted, turned.
Mesh adversarial_mesh(std::uint64_t seed) {
  Random random(seed);
  Mesh mesh;
  switch (random.index(4)) {
    case 0: {
      const auto grid = 2 + random.index(3);
      const auto coordinate = [&] { return static_cast<double>(random.index(grid)); };
      for (int i = 0; i < 12; ++i)
        mesh.points.emplace_back(coordinate(), coordinate(), coordinate());
      for (int i = 0; i < 14; ++i) {
        const auto v = [&] { return VertexId{static_cast<std::uint32_t>(random.index(12))}; };
        mesh.triangles.push_back({{v(), v(), v()}});
      }
      break;
    }
    case 1:
      mesh = test::damaged_mesh(seed);
      break;
    case 2:
      mesh = test::joined(test::cube(), test::cube({0.5 * static_cast<double>(random.index(3)), 0,
                                                    random.chance(0.5) ? 0.5 : 0.0},
                                                   random.chance(0.5) ? 1 : 0.5));
      break;
    default:
      mesh = test::joined(test::sphere(3), test::sphere(3, 1, {random.unit(), 0, 0}));
      break;
  }
  if (mesh.triangles.size() > 40) mesh.triangles.resize(40);
  constexpr double kScales[] = {1, 1e-9, 1e9};
  const double scale = kScales[random.index(3)];
  const double shift = random.chance(0.3) ? 1e6 : 0;
  const bool turned = random.chance(0.3);
  for (Point& p : mesh.points) {
    if (turned) p = Point(0.6 * p.x() - 0.8 * p.y(), 0.8 * p.x() + 0.6 * p.y(), p.z());
    p = (p + Point::Constant(shift)) * scale;
  }
  return mesh;
}

TEST(Crossings, AgreeWithBruteForceInRationals) {
  constexpr std::uint64_t kSeeds = test::kSanitized ? 200 : 800;
  ContactCounts seen;
  for (std::uint64_t seed = 1; seed <= kSeeds; ++seed) {
    const Mesh mesh = adversarial_mesh(seed);
    const Welded welded(mesh);
    const auto expected = by_brute_force(welded);
    const auto found = find_crossings(welded);
    ASSERT_EQ(found, expected) << "seed " << seed;
    const ContactCounts c = count_contacts(found);
    seen.crossing += c.crossing;
    seen.overlap += c.overlap;
    seen.touch += c.touch;
  }
  EXPECT_GT(seen.crossing, kSeeds / 2);
  EXPECT_GT(seen.overlap, kSeeds / 2);
  EXPECT_GT(seen.touch, kSeeds / 2);
}

// One triangle or a few of them are there again and again, turned or not: what stands for all of
// them meets what they meet.
TEST(Crossings, TrianglesThatAreThereManyTimesAgreeWithBruteForce) {
  std::size_t seen = 0;
  for (std::uint64_t seed = 1; seed <= 6; ++seed) {
    Random random(seed);
    Mesh mesh = adversarial_mesh(4 * seed + 1);
    const std::size_t count = mesh.triangles.size();
    if (count == 0) continue;
    for (int copy = 0; copy < 80; ++copy) {
      Triangle t = mesh.triangles[random.index(std::min<std::size_t>(count, 2))];
      if (random.chance(0.5)) std::swap(t[0], t[1]);
      mesh.triangles.push_back(t);
    }
    std::shuffle(mesh.triangles.begin(), mesh.triangles.end(), random.engine());
    const Welded welded(mesh);
    const auto expected = by_brute_force(welded);
    ASSERT_EQ(find_crossings(welded), expected) << "seed " << seed;
    seen += expected.size();
  }
  EXPECT_GT(seen, 100u);
}

// Discs, books and bundles of needles about one vertex, flat, coplanar in part, passing through each
// other, two of them over each other.
Mesh crowded_mesh(std::uint64_t seed, std::uint32_t count) {
  Random random(seed);
  Mesh mesh;
  const auto add = [&](const Point& p) {
    mesh.points.push_back(p);
    return VertexId{static_cast<std::uint32_t>(mesh.points.size() - 1)};
  };
  const auto on_circle = [&](double part, double z) {
    return Point(std::cos(6.283185 * part), std::sin(6.283185 * part), z);
  };
  const VertexId hub = add(Point::Zero()), top = add({0, 0, random.chance(0.5) ? 1.0 : 0.01});
  const std::size_t family = seed % 4;
  const double turn = random.chance(0.5) ? 0.0 : 0.7;
  std::vector<VertexId> rim;
  for (std::uint32_t i = 0; i < count; ++i) {
    const double part = random.chance(0.05) ? random.unit() : i / double(count);
    rim.push_back(add(on_circle(part, family == 1 && random.chance(0.3) ? 0.1 : 0.0)));
  }
  for (std::uint32_t i = 0; i < count; ++i) {
    const VertexId a = rim[i], b = rim[(i + 1) % count];
    if (family == 0) mesh.triangles.push_back({{hub, a, b}});
    if (family == 1) mesh.triangles.push_back({{hub, top, a}});
    if (family == 2) {
      mesh.triangles.push_back({{hub, a, b}});
      mesh.triangles.push_back({{top, b, a}});
    }
    if (family == 3) {
      Point end{random.unit() - 0.5, random.unit() - 0.5, random.unit() - 0.5};
      if (random.chance(0.2)) end = -end;
      const Point beside = end + Point(0.05 * random.unit(), 0.05 * random.unit(), 0);
      mesh.triangles.push_back({{hub, add(end), random.chance(0.3) ? a : add(beside)}});
    }
  }
  for (int i = 0; i < 10; ++i) {
    mesh.triangles.push_back({{rim[random.index(count)], rim[random.index(count)],
                               random.chance(0.5) ? top : add(on_circle(random.unit(), 0.2))}});
  }
  for (Point& p : mesh.points) {
    p = Point(p.x(), std::cos(turn) * p.y() - std::sin(turn) * p.z(),
              std::sin(turn) * p.y() + std::cos(turn) * p.z());
  }
  std::shuffle(mesh.triangles.begin(), mesh.triangles.end(), random.engine());
  return mesh;
}

TEST(Crossings, OfTrianglesThatCrowdAboutAVertexOrAnEdgeAgreeWithBruteForce) {
  constexpr std::uint64_t kSeeds = test::kSanitized ? 4 : 8;
  ContactCounts seen;
  std::size_t in_crowds = 0, in_smaller_ones = 0;
  for (std::uint64_t seed = 1; seed <= kSeeds; ++seed) {
    const Mesh mesh = crowded_mesh(seed, 110);
    const Welded welded(mesh);
    Crowds crowds(welded);
    for (const Crowd& c : crowds.list()) {
      in_crowds += c.triangles.size();
      in_smaller_ones += c.crowd_of.empty() ? c.triangles.size() : 0;
    }
    const auto found = find_crossings(welded);
    ASSERT_EQ(found, by_brute_force(welded)) << "seed " << seed;
    const ContactCounts c = count_contacts(found);
    seen.crossing += c.crossing;
    seen.overlap += c.overlap;
    seen.touch += c.touch;
  }
  EXPECT_GT(in_crowds, 125 * kSeeds);
  EXPECT_GT(in_smaller_ones, 25 * kSeeds);
  EXPECT_GT(seen.crossing, 25 * kSeeds);
  EXPECT_GT(seen.overlap, 25 * kSeeds);
  EXPECT_GT(seen.touch, 2 * kSeeds);
}

TEST(Crossings, StopAtALimitTheSameForAnyNumberOfThreads) {
  Random random(8);
  Mesh mesh;
  for (std::uint32_t t = 0; t < 400; ++t) {
    for (int k = 0; k < 3; ++k) {
      mesh.points.emplace_back(random.unit(), random.unit(), random.unit());
    }
    mesh.triangles.push_back({{{3 * t}, {3 * t + 1}, {3 * t + 2}}});
  }
  const Welded welded(mesh);
  const auto all = find_crossings(welded);
  ASSERT_GT(all.size(), 10'000u);
  for (const std::size_t most : {std::size_t{0}, std::size_t{1}, all.size() / 3, all.size() - 1}) {
    SCOPED_TRACE(most);
    const SomeCrossings some = find_crossings_up_to(welded, most);
    EXPECT_FALSE(some.are_all);
    EXPECT_EQ(some.pairs.size(), most);
    EXPECT_TRUE(std::includes(all.begin(), all.end(), some.pairs.begin(), some.pairs.end()));
    const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    EXPECT_EQ(find_crossings_up_to(welded, most).pairs, some.pairs);
  }
  for (const std::size_t most : {all.size(), 2 * all.size()}) {
    const SomeCrossings some = find_crossings_up_to(welded, most);
    EXPECT_TRUE(some.are_all);
    EXPECT_EQ(some.pairs, all);
  }
}

TEST(Crossings, OfSomeTrianglesAreThoseOfAllThatNameThem) {
  std::size_t named = 0;
  for (std::uint64_t seed = 1; seed <= 300; ++seed) {
    Random random(seed);
    const Mesh mesh = adversarial_mesh(seed);
    const Welded welded(mesh);
    std::vector<bool> wanted(mesh.triangles.size());
    for (std::size_t t = 0; t < wanted.size(); ++t) wanted[t] = random.chance(0.3);
    std::vector<TrianglePair> expected;
    for (const TrianglePair& p : find_crossings(welded)) {
      if (wanted[p.first.value] || wanted[p.second.value]) expected.push_back(p);
    }
    ASSERT_EQ(find_crossings_of(welded, wanted), expected) << "seed " << seed;
    named += expected.size();
  }
  EXPECT_GT(named, 300u);
}

// Needles of many heights, side by side and across each other, some about common vertices: in such
// numbers that their boxes are not asked any more.
TEST(Crossings, OfNeedlesAgreeWithBruteForce) {
  std::size_t pairs = 0;
  for (std::uint64_t seed = 1; seed <= 2; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    const auto somewhere = [&] { return Point(random.unit(), random.unit(), random.unit()); };
    Mesh mesh;
    const Point hub = somewhere();
    mesh.points.push_back(hub);
    for (std::uint32_t t = 0; t < 2400; ++t) {
      const auto first = static_cast<std::uint32_t>(mesh.points.size());
      const bool at_hub = random.chance(seed == 2 ? 0.1 : 0.02);
      const Point from = at_hub ? hub : somewhere();
      const Point to =
          random.chance(0.3) ? Point(from + Point(0.7, 0.7, 0.01 * random.unit())) : somewhere();
      const double height = std::pow(10.0, random.between(-9, random.chance(0.1) ? 0 : -2));
      mesh.points.push_back(from);
      mesh.points.push_back(to);
      mesh.points.push_back(to + height * (somewhere() - Point::Constant(0.5)));
      mesh.triangles.push_back({{{at_hub ? 0 : first}, {first + 1}, {first + 2}}});
    }
    const Welded welded(mesh);
    Array<FloatBox> boxes;
    for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
      boxes.push_back(FloatBox(box_of(welded, t)));
    }
    ASSERT_GE(Needles(welded, BoxTree(std::move(boxes)), {}).size(), 2000u);
    std::vector<TrianglePair> expected;
    for (std::uint32_t i = 0; i < mesh.triangles.size(); ++i) {
      for (std::uint32_t j = i + 1; j < mesh.triangles.size(); ++j) {
        if (!box_of(welded, i).meets(box_of(welded, j))) continue;
        const Contact c = classify(labelled(welded, {i}), labelled(welded, {j}));
        if (c != Contact::none) expected.push_back({{i}, {j}, c});
      }
    }
    const auto found = find_crossings(welded);
    ASSERT_EQ(found, expected);
    std::vector<bool> wanted(mesh.triangles.size(), true);
    for (std::size_t t = 0; t < wanted.size(); t += 3) wanted[t] = false;
    std::vector<TrianglePair> some;
    for (const TrianglePair& p : found) {
      if (wanted[p.first.value] || wanted[p.second.value]) some.push_back(p);
    }
    ASSERT_EQ(find_crossings_of(welded, wanted), some);
    pairs += found.size();
  }
  EXPECT_GT(pairs, 200u);
}

TEST(Crossings, AreNoneInCleanSolids) {
  for (const double turn : {0.0, 0.3}) {
    Mesh mesh = test::joined(test::sphere(40), test::cube({3, 0, 0}));
    for (Point& p : mesh.points) {
      p = Point(std::cos(turn) * p.x() - std::sin(turn) * p.y(),
                std::sin(turn) * p.x() + std::cos(turn) * p.y(), p.z());
    }
    EXPECT_TRUE(find_crossings(Welded(mesh)).empty());
  }
}

TEST(Crossings, AreTheSameForAnyNumberOfThreads) {
  const Mesh mesh = test::joined(test::sphere(40), test::sphere(37, 1, {0.7, 0.1, 0}));
  const Welded welded(mesh);
  const auto all = find_crossings(welded);
  EXPECT_GT(all.size(), 100u);
  for (const std::size_t threads : {1, 2, 5}) {
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                            threads);
    EXPECT_EQ(find_crossings(welded), all);
  }
}

TEST(Crossings, CanBeStopped) {
  class StopAt : public Progress {
   public:
    explicit StopAt(double done) : stop_(done) {}
    bool advance(std::string_view, double done) override { return done < stop_; }

   private:
    double stop_;
  };
  const Mesh mesh = test::sphere(40);
  for (const double at : {0.0, 0.3}) {
    StopAt progress(at);
    EXPECT_THROW(static_cast<void>(find_crossings(Welded(mesh), &progress)), Cancelled);
  }
  StopAt never(2.0);
  EXPECT_TRUE(find_crossings(Welded(mesh), &never).empty());
}

TEST(ContactShape, TellsLengthAreaDepthAndPlace) {
  // A blade through a plate: cut from x = 1 to x = 3 at y = 1, half a unit deep.
  const Mesh blade =
      test::mesh_of({{0, 0, 0}, {8, 0, 0}, {0, 8, 0}, {1, 1, -0.5}, {3, 1, -0.5}, {2, 1, 4}},
                    {{0, 1, 2}, {3, 4, 5}});
  const auto pairs = find_crossings(Welded(blade));
  ASSERT_EQ(pairs.size(), 1u);
  const ContactShape cut = shape_of(Welded(blade), pairs[0]);
  EXPECT_NEAR((cut.to - cut.from).norm(), 2 * 4 / 4.5, 1e-12);
  EXPECT_NEAR((cut.place - Point(2, 1, 0)).norm(), 0, 1e-12);
  EXPECT_NEAR(cut.reach, 0.5, 1e-12);

  const Mesh plates = test::mesh_of(
      {{0, 0, 0}, {4, 0, 0}, {0, 4, 0}, {1, 1, 0}, {5, 1, 0}, {1, 5, 0}}, {{0, 1, 2}, {3, 4, 5}});
  const auto over = find_crossings(Welded(plates));
  ASSERT_EQ(over.size(), 1u);
  EXPECT_EQ(over[0].contact, Contact::overlap);
  EXPECT_NEAR(shape_of(Welded(plates), over[0]).area, 2.0, 1e-12);
}

}  // namespace crossings_test
}  // namespace aguja
