#include "aguja/geometry/capsule_tree.h"

#include <set>

#include <gtest/gtest.h>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace capsule_tree_test {

using test::Random;

constexpr std::uint32_t kNone = CapsuleTree::kNone;

Point anywhere(Random& random) { return {random.unit(), random.unit(), random.unit()}; }

// Loose, about one point, side by side, or all nearly one.
std::vector<CapsuleTree::Segment> random_segments(Random& random) {
  const std::size_t family = random.index(4);
  const double scale = random.chance(0.2) ? 1e100 : random.chance(0.2) ? 1e-100 : 1.0;
  const double noise = random.chance(0.5) ? 1e-7 : 0.1;
  const Point hub = anywhere(random), other = anywhere(random);
  std::vector<CapsuleTree::Segment> segments(random.index(300));
  for (std::uint32_t i = 0; i < segments.size(); ++i) {
    Point from = family == 0 || family == 2 ? anywhere(random) : hub;
    Point to = family == 2   ? Point(from + (other - hub))
               : family == 3 ? Point(other + noise * anywhere(random))
                             : anywhere(random);
    if (family == 3) from += noise * anywhere(random);
    if (random.chance(0.05)) to = from;
    const std::uint32_t at_hub = family == 1 ? 7 : 1000 + 2 * i;
    segments[i] = {from * scale,
                   to * scale,
                   static_cast<std::uint32_t>(random.index(2)),
                   {at_hub, 1001 + 2 * i}};
    if (random.chance(0.5)) {
      std::swap(segments[i].from, segments[i].to);
      std::swap(segments[i].ends[0], segments[i].ends[1]);
    }
  }
  return segments;
}

double extent(const std::vector<CapsuleTree::Segment>& segments) {
  Box box;
  for (const auto& s : segments) box.extend(s.from), box.extend(s.to);
  return box.diagonal();
}

TEST(SquaredDistance, OfSegmentsIsThatOfManyPlacesOnThem) {
  Random random(3);
  for (int i = 0; i < 2000; ++i) {
    const Point p = anywhere(random), r = anywhere(random);
    const Point q = random.chance(0.1) ? p : anywhere(random);
    const Point s = random.chance(0.2) ? Point(r + 0.7 * (q - p)) : anywhere(random);
    double least = 10;
    constexpr int kPlaces = 60;
    for (int a = 0; a <= kPlaces; ++a) {
      for (int b = 0; b <= kPlaces; ++b) {
        const Point x = p + a / double{kPlaces} * (q - p), y = r + b / double{kPlaces} * (s - r);
        least = std::min(least, (x - y).norm());
      }
    }
    const double found = std::sqrt(squared_distance(p, q, r, s));
    EXPECT_LE(found, least + 1e-12);
    EXPECT_GE(found, least - ((q - p).norm() + (s - r).norm()) / kPlaces);
    EXPECT_NEAR(found, std::sqrt(squared_distance(r, s, p, q)), 1e-7);
  }
}

TEST(CapsuleTree, FindsWhatTryingAllFinds) {
  std::size_t found_in_all = 0, left_out_in_all = 0;
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    const auto segments = random_segments(random);
    const CapsuleTree tree(segments);
    const double size = extent(segments);
    for (int query = 0; query < 20 && !segments.empty(); ++query) {
      const auto& own = segments[random.index(segments.size())];
      const Point q = random.chance(0.5) ? own.to : Point(size * anywhere(random));
      const double reach = random.chance(0.2) ? 0 : size * std::pow(random.unit(), 4);
      // What the caller does not want: a group, or whatever has an end at the hub.
      const auto group = static_cast<std::uint32_t>(random.index(3));
      const bool no_hub = random.chance(0.3);
      const auto admits = [&](std::uint32_t of, const std::array<std::uint32_t, 2>& ends) {
        return of != group && !(no_hub && (ends[0] == 7 || ends[1] == 7));
      };
      const auto admits_any = [&](const CapsuleTree::Common& c) { return admits(c.group, c.ends); };
      std::multiset<std::uint32_t> found, expected;
      tree.for_each_near(own.from, q, reach, admits_any, [&](std::uint32_t i) {
        if (admits(segments[i].group, segments[i].ends)) found.insert(i);
        return true;
      });
      std::uint32_t nearest = kNone;
      double least = size * size;
      const auto squared = [&](std::uint32_t i) {
        if (!admits(segments[i].group, segments[i].ends)) {
          return std::numeric_limits<double>::infinity();
        }
        return squared_distance(q, q, segments[i].from, segments[i].to);
      };
      for (std::uint32_t i = 0; i < segments.size(); ++i) {
        const auto& s = segments[i];
        const double d = squared_distance(own.from, q, s.from, s.to);
        if (d <= reach * reach && admits(s.group, s.ends)) expected.insert(i);
        left_out_in_all += d > reach * reach;
        if (squared(i) < least) least = squared(nearest = i);
      }
      EXPECT_EQ(found, expected);
      EXPECT_EQ(tree.nearest(q, size * size, admits_any, squared), nearest);
      found_in_all += found.size();
    }
  }
  EXPECT_GT(found_in_all, 10'000u);
  EXPECT_GT(left_out_in_all, 10'000u);
}

// Boxes would hold them all against each other.
TEST(CapsuleTree, LooksAtFewOfABundle) {
  constexpr std::uint32_t kCount = 4000;
  const Vector axis = Vector(1, 1, 1).normalized(), u = Vector(1, -1, 0).normalized();
  const Vector v(-1 / std::sqrt(6), -1 / std::sqrt(6), 2 / std::sqrt(6));
  std::vector<CapsuleTree::Segment> fan, beam;
  for (std::uint32_t i = 0; i < kCount; ++i) {
    const double angle = 6.283 * i / kCount;
    fan.push_back({Point::Zero(), std::cos(angle) * u + std::sin(angle) * v, 0, {0, i + 1}});
    const Vector to = (i % 60) * u + (i / 60) * v;
    beam.push_back({to, to + 1000 * axis, 0, {2 * i, 2 * i + 1}});
  }
  for (const auto* segments : {&fan, &beam}) {
    const CapsuleTree tree(*segments);
    std::size_t looked = 0;
    for (std::uint32_t i = 0; i < kCount; ++i) {
      const auto& s = (*segments)[i];
      const Point p = 0.3 * s.from + 0.7 * s.to;
      const std::uint32_t found = tree.nearest(
          p, 1e300, [](const auto&) { return true; },
          [&](std::uint32_t j) {
            ++looked;
            const auto& other = (*segments)[j];
            return squared_distance(p, p, other.from, other.to);
          });
      EXPECT_LT(squared_distance(p, p, (*segments)[found].from, (*segments)[found].to), 1e-20);
    }
    EXPECT_LT(looked, 100u * kCount);
  }
}

TEST(CapsuleTree, OfNothingFindsNothing) {
  const CapsuleTree tree(std::span<const CapsuleTree::Segment>{});
  const auto all = [](const auto&) { return true; };
  tree.for_each_near({0, 0, 0}, {1, 0, 0}, 10, all, [](std::uint32_t) {
    ADD_FAILURE();
    return true;
  });
  EXPECT_EQ(tree.nearest({0, 0, 0}, 10, all, [](std::uint32_t) { return 0.0; }), kNone);
}

}  // namespace capsule_tree_test
}  // namespace aguja
