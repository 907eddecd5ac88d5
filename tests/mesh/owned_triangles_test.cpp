#include "mesh/owned_triangles.h"

#include <algorithm>
#include <iterator>

#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>
#include <oneapi/tbb/task_arena.h>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace owned_triangles_test {

// Every owner has what it owns, in order; all of them together read three times the mesh at most.
TEST(OwnedTriangles, EveryOneHasItsOwnAndReadsLittleElse) {
  Mesh mesh = test::sphere(40);
  for (std::size_t t = 0; t < mesh.triangles.size(); t += 31) {
    mesh.triangles[t][2] = mesh.triangles[t][0];
  }
  ASSERT_GE(mesh.triangles.size(), 4096u);
  for (const std::size_t threads : {1, 3, 7, 64}) {
    SCOPED_TRACE(testing::Message() << threads << " threads");
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                            threads);
    oneapi::tbb::task_arena arena(static_cast<int>(threads));
    const auto owned =
        arena.execute([&] { return OwnedTriangles(mesh.triangles, mesh.points.size()); });
    ASSERT_EQ(owned.size(), threads);
    std::size_t read = 0;
    for (std::size_t owner = 0; owner < threads; ++owner) {
      const Range own = piece_of(mesh.points.size(), threads, owner);
      std::vector<std::size_t> visited;
      owned.for_each(owner, [&](std::size_t t) { visited.push_back(t); });
      EXPECT_TRUE(std::is_sorted(visited.begin(), visited.end()));
      read += visited.size();
      for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
        const Triangle& triangle = mesh.triangles[t];
        const bool has_own =
            std::any_of(std::begin(triangle.corner), std::end(triangle.corner),
                        [&](VertexId v) { return v.value >= own.begin && v.value < own.end; });
        if (has_own && !has_equal_corners(triangle)) {
          EXPECT_TRUE(std::binary_search(visited.begin(), visited.end(), t));
        }
      }
    }
    EXPECT_LE(read, 3 * mesh.triangles.size());
  }
}

}  // namespace owned_triangles_test
}  // namespace aguja
