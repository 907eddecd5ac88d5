#include "aguja/geometry/box_tree.h"

#include <algorithm>
#include <functional>
#include <limits>
#include <mutex>
#include <set>

#include <gtest/gtest.h>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace box_tree_test {

using test::Random;

std::vector<Box> random_boxes(std::uint64_t seed) {
  Random random(seed);
  std::vector<Box> boxes(random.index(400));
  const double scale = random.chance(0.1) ? 1e300 : random.chance(0.1) ? 1e-300 : 1.0;
  const double size = random.chance(0.3) ? 0 : random.between(0, 0.3);
  const bool flat = random.chance(0.3);
  for (Box& box : boxes) {
    const Point p{random.unit(), random.unit(), flat ? 0.5 : random.unit()};
    box.extend(Point(p * scale));
    box.extend(Point((p + size * Point{random.unit(), random.unit(), random.unit()}) * scale));
    if (random.chance(0.05)) box = boxes[0];
  }
  return boxes;
}

BoxTree tree_of(const std::vector<Box>& boxes) {
  Array<FloatBox> float_boxes;
  for (const Box& b : boxes) float_boxes.push_back(FloatBox(b));
  return BoxTree(std::move(float_boxes));
}

TEST(FloatBox, IsNeverTooSmall) {
  Random random(5);
  for (int i = 0; i < 20000; ++i) {
    const double scale = std::ldexp(1.0, static_cast<int>(random.index(600)) - 300);
    const Point p = scale * Point{random.unit() - 0.5, random.unit(), -random.unit()};
    const FloatBox box(Box{p, p});
    for (int k = 0; k < 3; ++k) {
      EXPECT_LE(static_cast<double>(box.low[k]), p[k]);
      EXPECT_GE(static_cast<double>(box.high[k]), p[k]);
    }
  }
}

TEST(BoxTree, FindsEveryPairThatTryingAllFinds) {
  std::size_t found_in_all = 0;
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    const std::vector<Box> boxes = random_boxes(seed);
    const BoxTree tree = tree_of(boxes);
    std::set<std::pair<std::uint32_t, std::uint32_t>> found;
    std::mutex mutex;
    tree.for_each_block_pair([&](std::size_t, const BoxTree::Block& a, const BoxTree::Block& b) {
      const std::lock_guard lock(mutex);
      const bool same = a.items.data() == b.items.data();
      for (std::size_t i = 0; i < a.items.size(); ++i) {
        for (std::size_t j = same ? i + 1 : 0; j < b.items.size(); ++j) {
          const auto pair = std::minmax(a.items[i], b.items[j]);
          EXPECT_TRUE(found.insert(pair).second) << "seed " << seed << ": a pair came twice";
        }
      }
    });
    for (std::uint32_t i = 0; i < boxes.size(); ++i) {
      for (std::uint32_t j = i + 1; j < boxes.size(); ++j) {
        if (!boxes[i].meets(boxes[j])) continue;
        ASSERT_TRUE(found.contains({i, j})) << "seed " << seed;
        ++found_in_all;
      }
    }
  }
  EXPECT_GT(found_in_all, 10000u);
}

TEST(BoxTree, LeavesOutPairsWithinOneClass) {
  std::size_t spared = 0, asked = 0;
  for (std::uint64_t seed = 1; seed <= 100; ++seed) {
    const std::vector<Box> boxes = random_boxes(seed);
    Random random(seed);
    std::vector<std::uint32_t> class_of(boxes.size());
    for (std::size_t i = 0; i < boxes.size(); ++i) {
      // Mostly by place, as neighbours have one class.
      class_of[i] = random.chance(0.1)                           ? BoxTree::kNone
                    : boxes[i].low.x() < 0.6 * boxes[0].high.x() ? 1
                                                                 : 2;
    }
    Array<FloatBox> float_boxes;
    for (const Box& b : boxes) float_boxes.push_back(FloatBox(b));
    const BoxTree tree(std::move(float_boxes), class_of);
    std::set<std::pair<std::uint32_t, std::uint32_t>> found;
    for (std::size_t list = 0; list < tree.list_count(); ++list) {
      tree.for_each_block_pair_of(list, [&](const BoxTree::Block& a, const BoxTree::Block& b) {
        for (const std::uint32_t i : a.items) {
          for (const std::uint32_t j : b.items) found.insert(std::minmax(i, j));
        }
        return true;
      });
    }
    for (std::uint32_t i = 0; i < boxes.size(); ++i) {
      for (std::uint32_t j = i + 1; j < boxes.size(); ++j) {
        if (!boxes[i].meets(boxes[j])) continue;
        const bool is_spared = class_of[i] == class_of[j] && class_of[i] != BoxTree::kNone;
        if (!is_spared) {
          ASSERT_TRUE(found.contains({i, j})) << seed;
        }
        ++(is_spared && !found.contains({i, j}) ? spared : asked);
      }
    }
  }
  EXPECT_GT(spared, 1000u);
  EXPECT_GT(asked, 1000u);
}

TEST(BoxTree, FindsWhatMeetsABox) {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    const std::vector<Box> boxes = random_boxes(seed);
    const std::vector<Box> queries = random_boxes(seed + 1000);
    const BoxTree tree = tree_of(boxes);
    for (const Box& query : queries) {
      std::set<std::uint32_t> found;
      tree.for_each_meeting(FloatBox(query),
                            [&](std::uint32_t i) { EXPECT_TRUE(found.insert(i).second); });
      for (std::uint32_t i = 0; i < boxes.size(); ++i) {
        if (boxes[i].meets(query)) {
          ASSERT_TRUE(found.contains(i)) << "seed " << seed;
        }
      }
    }
  }
}

TEST(BoxTree, LeavesOutWhatLiesBelowNodesThatAreNotAdmitted) {
  std::size_t found_in_all = 0, visited_in_all = 0, wanted_in_all = 0;
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    std::vector<Box> boxes = random_boxes(seed);
    const BoxTree tree = tree_of(boxes);
    // Kinds by place, so that nodes hold few of them.
    const auto kind = [&](std::uint32_t i) {
      return boxes[i].center().x() < boxes[0].center().x() ? 1u : 2u;
    };
    const Array<unsigned> below = tree.by_node<unsigned>(kind, std::bit_or<>());
    for (const unsigned wanted : {1u, 2u}) {
      Box box = boxes.empty() ? Box() : boxes[seed % boxes.size()];
      if (!boxes.empty()) box.extend(boxes[0].center());
      FloatBox query(box);
      std::set<std::uint32_t> found;
      tree.for_each_meeting(
          query, [&](std::uint32_t node) { return (below[node] & wanted) != 0; },
          [&](std::uint32_t i) {
            ++visited_in_all;
            if (kind(i) == wanted) found.insert(i);
          });
      for (std::uint32_t i = 0; i < boxes.size(); ++i) {
        if (kind(i) != wanted) continue;
        ++wanted_in_all;
        EXPECT_EQ(found.contains(i), FloatBox(boxes[i]).meets(query)) << "seed " << seed;
      }
      found_in_all += found.size();
      // Once the box is shrunk to nothing no more is met.
      std::size_t visits = 0;
      tree.for_each_meeting(
          query, [](std::uint32_t) { return true; },
          [&](std::uint32_t) {
            ++visits;
            query.low.fill(std::numeric_limits<float>::quiet_NaN());
          });
      EXPECT_LE(visits, BoxTree::kBlock);
    }
  }
  EXPECT_GT(found_in_all, 5000u);
  EXPECT_LT(visited_in_all, wanted_in_all);
}

TEST(BoxTree, BoxesWithoutEndMeetOnlyWhatIsThere) {
  constexpr double kMost = std::numeric_limits<double>::max();
  for (std::size_t count = 1; count < 10; ++count) {
    std::vector<Box> boxes(count, Box{Point(-kMost, -kMost, -kMost), Point(kMost, kMost, kMost)});
    const BoxTree tree = tree_of(boxes);
    std::set<std::uint32_t> found;
    tree.for_each_meeting(FloatBox(boxes[0]), [&](std::uint32_t i) { found.insert(i); });
    EXPECT_EQ(found.size(), count);
    EXPECT_LT(*found.rbegin(), count);
  }
}

TEST(BoxTree, FindsTheNearest) {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    Random random(seed);
    std::vector<Point> points(1 + random.index(300));
    std::vector<Box> boxes;
    for (Point& p : points) {
      p = {random.unit(), random.unit(), random.chance(0.5) ? 0.0 : random.unit()};
      boxes.push_back({p, p});
    }
    const BoxTree tree = tree_of(boxes);
    for (int i = 0; i < 20; ++i) {
      const Point q{random.between(-1, 2), random.unit(), random.unit()};
      const auto squared = [&](std::uint32_t k) { return (points[k] - q).squaredNorm(); };
      std::uint32_t best = 0;
      for (std::uint32_t k = 1; k < points.size(); ++k) {
        if (squared(k) < squared(best)) best = k;
      }
      EXPECT_EQ(tree.nearest(q, 1e300, squared), best);
      EXPECT_EQ(tree.nearest(q, 0.5 * squared(best), squared), BoxTree::kNone);
    }
  }
}

TEST(BoxTree, OfNothingFindsNothing) {
  const BoxTree tree{Array<FloatBox>{}};
  tree.for_each_block_pair([](std::size_t, const auto&, const auto&) { FAIL(); });
  tree.for_each_meeting(FloatBox(Box{{0, 0, 0}, {1, 1, 1}}), [](std::uint32_t) { FAIL(); });
  EXPECT_EQ(tree.nearest({0, 0, 0}, 1, [](std::uint32_t) { return 0.0; }), BoxTree::kNone);
}

TEST(BoxTree, TakesEachItemOutOnce) {
  std::size_t taken = 0, met = 0;
  for (std::uint64_t seed = 1; seed <= 300; ++seed) {
    const std::vector<Box> boxes = random_boxes(seed);
    const BoxTree tree = tree_of(boxes);
    BoxTree::Remaining left(tree);
    std::set<std::uint32_t> expected;
    for (std::uint32_t i = 0; i < boxes.size(); ++i) expected.insert(i);
    for (std::size_t i = 0; i < boxes.size(); i += 7) {
      const FloatBox box(boxes[i]);
      std::set<std::uint32_t> found, want;
      left.take_meeting(box, [&](std::uint32_t j) { EXPECT_TRUE(found.insert(j).second); });
      tree.for_each_meeting(box, [&](std::uint32_t j) {
        ++met;
        if (expected.erase(j) > 0) want.insert(j);
      });
      ASSERT_EQ(found, want) << "seed " << seed;
      taken += found.size();
    }
  }
  EXPECT_GT(taken, 5000u);
  EXPECT_GT(met, taken);
}

}  // namespace box_tree_test
}  // namespace aguja
