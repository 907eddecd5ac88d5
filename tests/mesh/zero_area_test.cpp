#include "aguja/mesh/zero_area.h"

#include <gtest/gtest.h>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace zero_area_test {

TEST(ZeroArea, NamesTheShape) {
  Mesh mesh = test::mesh_of({{0, 0, 0}, {1, 1, 1}, {3, 3, 3}, {0, 1, 0}, {-0.0, 0, 0}},
                            {{0, 1, 2}, {0, 0, 1}, {0, 4, 0}, {0, 1, 3}, {4, 1, 0}});
  const auto found = find_zero_area(Welded(mesh));
  ASSERT_EQ(found.size(), 4u);
  EXPECT_EQ(found[0].shape, ZeroAreaShape::cap);
  EXPECT_EQ(found[1].shape, ZeroAreaShape::needle);
  EXPECT_EQ(found[2].shape, ZeroAreaShape::point);
  EXPECT_EQ(found[3].triangle.value, 4u);
  EXPECT_EQ(found[3].shape, ZeroAreaShape::needle);  // 0.0 and -0.0 are the same point
}

TEST(ZeroArea, AVeryThinTriangleIsNotOne) {
  const Mesh mesh = test::mesh_of({{0, 0, 0}, {1e6, 0, 0}, {5e5, 5e-324, 0}}, {{0, 1, 2}});
  EXPECT_TRUE(find_zero_area(Welded(mesh)).empty());
}

}  // namespace zero_area_test
}  // namespace aguja
