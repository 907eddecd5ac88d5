#include "surface/facet_check.h"

#include <cmath>
#include <numbers>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace facet_check_test {

using test::Random;

// A cylinder of radius and height 1 in rows of facets, about its own normal.
struct Tube {
  std::vector<Point> points;
  std::vector<Triangle> facets;
  std::vector<DividedLoop> loops;

  Tube(std::uint32_t around, std::uint32_t rows, bool zigzag) {
    for (std::uint32_t j = 0; j <= rows; ++j) {
      for (std::uint32_t i = 0; i < around; ++i) {
        const double angle =
            2 * std::numbers::pi * (i + (zigzag && j % 2 == 1 ? 0.5 : 0.0)) / around;
        points.emplace_back(std::cos(angle), std::sin(angle), static_cast<double>(j) / rows);
      }
    }
    const auto at = [&](std::uint32_t i, std::uint32_t j) {
      return VertexId{j * around + i % around};
    };
    for (std::uint32_t j = 0; j < rows; ++j) {
      for (std::uint32_t i = 0; i < around; ++i) {
        facets.push_back({{at(i, j), at(i + 1, j), at(i, j + 1)}});
        facets.push_back({{at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)}});
      }
    }
    for (const std::uint32_t j : {0U, rows}) {
      DividedLoop loop;
      for (std::uint32_t k = 0; k < around; ++k) {
        const VertexId v = at(j == 0 ? k : around - k, j);
        loop.corners.push_back({v, points[v.value]});
      }
      loops.push_back(loop);
    }
  }
  [[nodiscard]] double area(const Triangle& t) const {
    const Point& a = points[t[0].value];
    return 0.5 * (points[t[1].value] - a).cross(points[t[2].value] - a).norm();
  }
  [[nodiscard]] std::optional<FaceTrouble> trouble() const {
    FacetCheck check;
    const double own = 2 * std::numbers::pi / static_cast<double>(facets.size());
    for (const Triangle& t : facets) check.add_facet(t, area(t), own);
    for (const DividedLoop& l : loops) check.add_loop(l);
    return check.trouble(1e-3, true);
  }
};

TEST(FacetCheck, IsContentWithFacetsOfTheFace) {
  for (const std::uint32_t around : {12U, 40U, 200U})
    EXPECT_FALSE(Tube(around, 5, false).trouble());
  Tube without_loops(12, 5, false);
  without_loops.loops.clear();
  EXPECT_FALSE(without_loops.trouble());
}

TEST(FacetCheck, TellsFacetsThatEndElsewhere) {
  for (std::uint64_t seed = 1; seed <= 100; ++seed) {
    Random random(seed);
    Tube tube(12 + static_cast<std::uint32_t>(random.index(40)), 5, false);
    const std::size_t some = random.index(tube.facets.size());
    switch (seed % 4) {
      case 0:  // missing
        tube.facets.erase(tube.facets.begin() + static_cast<std::ptrdiff_t>(some));
        break;
      case 1:  // twice
        tube.facets.push_back(tube.facets[some]);
        break;
      case 2:  // turned over
        std::swap(tube.facets[some][1], tube.facets[some][2]);
        break;
      default:  // a loop that is left out
        tube.loops.pop_back();
    }
    const auto found = tube.trouble();
    ASSERT_TRUE(found);
    EXPECT_EQ(found->kind, FaceTrouble::Kind::other_border);
  }
}

// Schwarz's lantern: rows so low against their sides that facets come to stand on the surface.
TEST(FacetCheck, TellsFacetsThatStandOnTheSurface) {
  EXPECT_FALSE(Tube(12, 4, true).trouble());
  const auto found = Tube(12, 400, true).trouble();
  ASSERT_TRUE(found);
  EXPECT_EQ(found->kind, FaceTrouble::Kind::other_area);
  EXPECT_GT(found->measure, 2);
}

}  // namespace facet_check_test
}  // namespace aguja
