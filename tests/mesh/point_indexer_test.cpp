#include "aguja/mesh/point_indexer.h"

#include <map>

#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace point_indexer_test {

struct Indexed {
  std::vector<std::uint32_t> ids;
  std::vector<std::array<std::uint64_t, 3>> points;
  friend bool operator==(const Indexed&, const Indexed&) = default;
};

Indexed index(const std::vector<Point>& corners, std::size_t expected, std::size_t batch) {
  Array<VertexId> ids(corners.size());
  PointIndexer indexer(expected);
  for (std::size_t at = 0; at < corners.size(); at += batch) {
    indexer.add(
        std::min(batch, corners.size() - at), [&](std::size_t i) { return corners[at + i]; },
        ids.data() + at);
  }
  Indexed result;
  for (const Point& p : indexer.finish(ids)) {
    result.points.push_back({std::bit_cast<std::uint64_t>(p.x()),
                             std::bit_cast<std::uint64_t>(p.y()),
                             std::bit_cast<std::uint64_t>(p.z())});
  }
  for (const VertexId v : ids) result.ids.push_back(v.value);
  return result;
}

std::vector<Point> some_corners(std::uint64_t seed, std::size_t count, std::size_t variety) {
  test::Random random(seed);
  std::vector<Point> corners;
  for (std::size_t i = 0; i < count; ++i) {
    const double x = static_cast<double>(random.index(variety)) - 3;
    corners.emplace_back(x, random.chance(0.5) ? 0.0 : -0.0, 0.1 * x);
  }
  return corners;
}

TEST(PointIndexer, NumbersPointsByFirstAppearance) {
  for (std::uint64_t seed = 1; seed <= 20; ++seed) {
    const auto corners = some_corners(seed, 20000, seed * 500);
    const Indexed found = index(corners, 5000, 777);
    std::map<std::array<std::uint64_t, 3>, std::uint32_t> seen;
    for (std::size_t i = 0; i < corners.size(); ++i) {
      const Point& p = corners[i];
      const std::array<std::uint64_t, 3> key = {std::bit_cast<std::uint64_t>(p.x()),
                                                std::bit_cast<std::uint64_t>(p.y()),
                                                std::bit_cast<std::uint64_t>(p.z())};
      const auto [at, is_new] = seen.try_emplace(key, static_cast<std::uint32_t>(seen.size()));
      ASSERT_EQ(found.ids[i], at->second);
      ASSERT_EQ(found.points[at->second], key);
    }
    ASSERT_EQ(found.points.size(), seen.size());
  }
}

TEST(PointIndexer, IsTheSameForAnyThreadsGuessAndBatches) {
  const auto corners = some_corners(5, 60000, 30000);
  std::vector<Indexed> results;
  for (const std::size_t threads : {1u, 2u, 7u}) {
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                            threads);
    for (const std::size_t expected : {0u, 10u, 50000u}) {
      for (const std::size_t batch : {1000u, 60000u}) {
        results.push_back(index(corners, expected, batch));
      }
    }
  }
  for (const Indexed& r : results) ASSERT_EQ(r, results[0]);
}

TEST(PointIndexer, SeesNegativeZeros) {
  Array<VertexId> ids(2);
  PointIndexer without(2), with(2);
  without.add(
      2, [](std::size_t i) { return Point(static_cast<double>(i), 0.0, 1); }, ids.data());
  EXPECT_FALSE(without.has_negative_zero());
  with.add(
      2, [](std::size_t i) { return Point(static_cast<double>(i), -0.0, 1); }, ids.data());
  EXPECT_TRUE(with.has_negative_zero());
}

}  // namespace point_indexer_test
}  // namespace aguja
