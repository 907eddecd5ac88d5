#include "aguja/solid/shells.h"

#include <cmath>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/solid/anatomy.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace shells_test {

struct KnownBox {
  Point low;
  double side;
  int depth;
  int parent;  // -1: none
};

// Boxes within boxes, none touching: each new one goes into a free slot of an older one.
std::vector<KnownBox> random_boxes(test::Random& random) {
  std::vector<KnownBox> boxes;
  std::vector<int> slots_taken;
  const std::size_t count = 1 + random.index(25);
  for (std::size_t i = 0; i < count; ++i) {
    const int parent =
        boxes.empty() || random.chance(0.3) ? -1 : static_cast<int>(random.index(boxes.size()));
    if (parent < 0) {
      boxes.push_back({Point(1000.0 * static_cast<double>(i), 0, 0), 900, 0, -1});
    } else {
      KnownBox& outer = boxes[static_cast<std::size_t>(parent)];
      int& slot = slots_taken[static_cast<std::size_t>(parent)];
      if (slot == 8) continue;
      const double third = outer.side / 3;
      const Point low = outer.low + Point(third / 4, third / 4, third / 4) +
                        1.5 * third * Point(slot & 1, (slot >> 1) & 1, (slot >> 2) & 1);
      ++slot;
      boxes.push_back({low, third, outer.depth + 1, parent});
    }
    slots_taken.push_back(0);
  }
  return boxes;
}

TEST(Shells, NestAsTheBoxesThatTheyAre) {
  std::size_t nested = 0;
  for (std::uint64_t seed = 1; seed <= 300; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    test::Random random(seed);
    const std::vector<KnownBox> boxes = random_boxes(random);
    Mesh mesh;
    std::vector<bool> outward;
    for (const KnownBox& box : boxes) {
      outward.push_back(random.chance(0.5));
      const Mesh one = test::cube(box.low, box.side);
      mesh = test::joined(mesh, outward.back() ? one : test::turned(one));
    }
    const Anatomy anatomy(mesh);
    ASSERT_EQ(anatomy.shells.size(), boxes.size());
    for (std::size_t i = 0; i < boxes.size(); ++i) {
      const Shell& shell = anatomy.shells[i];
      ASSERT_TRUE(shell.closed && shell.manifold && shell.oriented && shell.orientation_decided());
      ASSERT_EQ(shell.genus, 0);
      ASSERT_EQ(shell.volume_sign, outward[i] ? 1 : -1);
      ASSERT_EQ(static_cast<int>(shell.depth), boxes[i].depth);
      ASSERT_EQ(shell.inside_of.has_value(), boxes[i].parent >= 0);
      if (shell.inside_of) {
        ASSERT_EQ(static_cast<int>(*shell.inside_of), boxes[i].parent);
        ++nested;
      }
      ASSERT_EQ(shell.faces_right_way(), outward[i] == (boxes[i].depth % 2 == 0));
      ASSERT_NEAR(std::abs(shell.mass.volume), std::pow(boxes[i].side, 3),
                  1e-9 * std::pow(boxes[i].side, 3));
    }
  }
  EXPECT_GE(nested, 1000u);
}

TEST(Shells, OneThatSharesFacesWithTheOneAroundItIsPlacedByItsOtherCorners) {
  const Anatomy anatomy(test::joined(test::cube(), test::cube({0, 0, 0}, 0.5)));
  ASSERT_EQ(anatomy.shells.size(), 2u);
  EXPECT_TRUE(anatomy.shells[1].nesting_decided);  // its far corner lies inside
  EXPECT_EQ(anatomy.shells[1].depth, 1u);
}

TEST(Shells, AFlatLidOnABoxIsUndecided) {
  // All corners of the small shell lie on a face of the large one.
  const Mesh large = test::cube({0, 0, 0}, 8);
  const Mesh flat = test::mesh_of({{1, 1, 8}, {2, 1, 8}, {2, 2, 8}, {1, 2, 8}},
                                  {{0, 1, 2}, {0, 2, 3}, {0, 3, 1}, {1, 3, 2}});
  const Anatomy anatomy(test::joined(large, flat));
  ASSERT_EQ(anatomy.shells.size(), 2u);
  EXPECT_FALSE(anatomy.shells[1].nesting_decided);
  EXPECT_FALSE(anatomy.shells[1].orientation_decided());
}

TEST(Shells, SumOfAreasIsThatOfTheTriangles) {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    const Mesh mesh = test::damaged_mesh(seed);
    double expected = 0;
    for (const Triangle& t : mesh.triangles) {
      expected +=
          0.5 *
          (mesh.point(t[1]) - mesh.point(t[0])).cross(mesh.point(t[2]) - mesh.point(t[0])).norm();
    }
    double sum = 0;
    for (const Shell& shell : Anatomy(mesh).shells) sum += shell.mass.area;
    ASSERT_NEAR(sum, expected, 1e-9 * (1 + expected)) << "seed " << seed;
  }
}

TEST(Shells, EulerCharacteristicsCountEachShellsOwnVertices) {
  // Two cubes on a common corner: seven vertices of their own each, and the shared one for both.
  const Anatomy anatomy(test::joined(test::cube(), test::cube({1, 1, 1})));
  ASSERT_EQ(anatomy.shells.size(), 2u);
  EXPECT_EQ(anatomy.shells[0].euler, 2);
  EXPECT_EQ(anatomy.shells[1].euler, 2);
  EXPECT_FALSE(anatomy.shells[0].manifold);
}

}  // namespace shells_test
}  // namespace aguja
