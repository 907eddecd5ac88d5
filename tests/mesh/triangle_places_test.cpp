#include "aguja/mesh/triangle_places.h"

#include <vector>

#include <gtest/gtest.h>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace triangle_places_test {

TEST(TrianglePlaces, FindsTheFirstThatComparingAllFinds) {
  std::size_t found = 0, missed = 0;
  for (std::uint64_t seed = 1; seed <= 100; ++seed) {
    test::Random random(seed);
    // Few places, so that many triangles share theirs; both zeros.
    const auto triangle = [&] {
      TriangleCorners corners;
      for (Point& p : corners) {
        p = Point::Zero();
        for (int k = 0; k < 2; ++k)
          p[k] = static_cast<double>(random.index(2)) * (random.chance(0.5) ? 1 : -1);
      }
      return corners;
    };
    std::vector<TriangleCorners> all(1 + random.index(200));
    for (TriangleCorners& t : all) t = triangle();
    const TrianglePlaces places(all.size(), [&](std::size_t i) { return all[i]; });
    for (int k = 0; k < 50; ++k) {
      const TriangleCorners wanted = triangle();
      std::optional<std::uint32_t> first;
      for (std::uint32_t i = 0; i < all.size() && !first; ++i) {
        TriangleCorners own = all[i];
        std::sort(own.begin(), own.end(), lexicographically_less);
        do {
          if (own == wanted) first = i;
        } while (!first && std::next_permutation(own.begin(), own.end(), lexicographically_less));
      }
      EXPECT_EQ(places.find(wanted), first) << "seed " << seed;
      ++(first ? found : missed);
    }
  }
  EXPECT_GE(found, 500u);
  EXPECT_GE(missed, 500u);
}

}  // namespace triangle_places_test
}  // namespace aguja
