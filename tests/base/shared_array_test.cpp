#include "aguja/base/shared_array.h"

#include <thread>
#include <vector>

#include <gtest/gtest.h>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace shared_array_test {

using Numbers = SharedArray<int>;

std::vector<int> list(const Numbers& a) { return {a.begin(), a.end()}; }

// Many copies of each other, changed in every way, beside plain vectors.
TEST(SharedArray, CopiesAreWorthWhatVectorsAre) {
  std::size_t shared = 0;
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    test::Random random(seed);
    std::vector<Numbers> arrays(5);
    std::vector<std::vector<int>> vectors(5);
    for (int step = 0; step < 200; ++step) {
      const std::size_t i = random.index(5), j = random.index(5);
      Numbers& a = arrays[i];
      std::vector<int>& v = vectors[i];
      const auto at = v.empty() ? 0 : static_cast<std::ptrdiff_t>(random.index(v.size()));
      switch (random.index(12)) {
        case 0:
          a = arrays[j];
          v = vectors[j];
          break;
        case 1:
          a.push_back(step);
          v.push_back(step);
          break;
        case 2: {
          // Of itself, too.
          const std::vector<int> others = vectors[j];
          a.append(std::as_const(arrays[j]).begin(), std::as_const(arrays[j]).end());
          v.insert(v.end(), others.begin(), others.end());
          break;
        }
        case 3:
          if (!v.empty()) a[static_cast<std::size_t>(at)] = v[static_cast<std::size_t>(at)] = step;
          break;
        case 4:
          a.resize(v.size() / 2);
          v.resize(v.size() / 2);
          break;
        case 5:
          a.resize(v.size() + 3, step);
          v.resize(v.size() + 3, step);
          break;
        case 6:
          if (v.empty()) break;
          a.erase(a.begin() + at);
          v.erase(v.begin() + at);
          break;
        case 7: {
          const std::vector<int> more = {step, step + 1};
          a.insert(a.begin() + at, more.begin(), more.end());
          v.insert(v.begin() + at, more.begin(), more.end());
          break;
        }
        case 8:
          EXPECT_EQ(erase_if(a, [](int x) { return x % 3 == 0; }),
                    std::erase_if(v, [](int x) { return x % 3 == 0; }));
          break;
        case 9:
          if (i == j) break;
          a = std::move(arrays[j]);
          v = std::move(vectors[j]);
          arrays[j].clear();
          vectors[j].clear();
          break;
        case 10:
          a.reserve(v.size() + 10);
          break;
        default:
          a.assign(4, step);
          v.assign(4, step);
      }
      for (std::size_t k = 0; k < 5; ++k) {
        ASSERT_EQ(list(arrays[k]), vectors[k]) << "seed " << seed << ", step " << step;
        const Numbers& other = arrays[(k + 1) % 5];
        shared += static_cast<std::size_t>(!other.empty() &&
                                           std::as_const(arrays[k]).data() == other.data());
      }
    }
  }
  EXPECT_GT(shared, 2000u);
}

TEST(SharedArray, CopiesThatGrowShareWhatTheyHaveInCommon) {
  Numbers first(1000, 7);
  std::vector<Numbers> states = {first};
  std::size_t moved = 0;
  for (int i = 0; i < 500; ++i) {
    Numbers next = states.back();
    next.push_back(i);
    moved +=
        static_cast<std::size_t>(std::as_const(next).data() != std::as_const(states.back()).data());
    states.push_back(std::move(next));
  }
  EXPECT_LE(moved, 12u);
  for (std::size_t i = 0; i < states.size(); ++i) {
    ASSERT_EQ(states[i].size(), 1000 + i);
    if (i > 0) {
      ASSERT_EQ(std::as_const(states[i])[999 + i], static_cast<int>(i - 1));
    }
  }
  // Another one that goes on from the middle writes nothing of theirs.
  Numbers branch = states[100];
  branch.push_back(-1);
  EXPECT_EQ(std::as_const(states[101]).back(), 100);
  EXPECT_EQ(std::as_const(branch).back(), -1);
}

TEST(SharedArray, ValuesMayComeFromItself) {
  Numbers a = {1, 2, 3};
  for (int i = 0; i < 100; ++i) {
    a.push_back(std::as_const(a)[1]);
    a.resize(a.size() + 1, std::as_const(a)[2]);
  }
  ASSERT_EQ(a.size(), 203u);
  for (std::size_t i = 3; i < a.size(); ++i) EXPECT_EQ(std::as_const(a)[i], i % 2 == 1 ? 2 : 3);
}

TEST(SharedArray, ThreadsAppendToCopiesOfTheirOwn) {
  Numbers common(100, 1);
  common.reserve(10'000);
  std::vector<Numbers> own(4, common);
  std::vector<std::thread> threads;
  for (int t = 0; t < 4; ++t) {
    threads.emplace_back([&, t] {
      for (int i = 0; i < 1000; ++i) own[static_cast<std::size_t>(t)].push_back(t);
    });
  }
  for (std::thread& t : threads) t.join();
  for (int t = 0; t < 4; ++t) {
    const auto values = list(own[static_cast<std::size_t>(t)]);
    ASSERT_EQ(values.size(), 1100u);
    EXPECT_EQ(std::count(values.begin() + 100, values.end(), t), 1000);
  }
  EXPECT_EQ(list(common), std::vector<int>(100, 1));
}

}  // namespace shared_array_test
}  // namespace aguja
