#include "aguja/solid/material_boundary.h"

#include <numbers>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/mesh/duplicates.h"
#include "aguja/mesh/zero_area.h"
#include "tests/support/convex_volume.h"
#include "tests/support/crossing_soups.h"
#include "tests/support/random_mesh.h"
#include "tests/support/sanitized.h"
#include "tests/support/shapes.h"
#include "tests/support/stop_after.h"

namespace aguja {
namespace material_boundary_test {

using test::joined;
using test::Random;
using test::volume_of;

// Nothing crosses, every edge is used as often both ways, nothing is without area or there twice.
void expect_boundary(const Mesh& mesh) {
  const Welded welded(mesh);
  EXPECT_EQ(welded.points().size(), mesh.points.size());
  EXPECT_TRUE(find_crossings(welded).empty());
  const EdgeTable edges(welded.triangles(), welded.points().size());
  EXPECT_EQ(count_edges(edges).unbalanced, 0u);
  EXPECT_TRUE(find_duplicates(welded.triangles(), edges).empty());
  EXPECT_TRUE(find_zero_area(welded).empty());
}

struct Bodies {
  Mesh mesh;
  std::vector<std::uint32_t> label_of;
  std::vector<Mesh> own;
  std::vector<test::ConvexBody> convex;

  void add(const Mesh& body) {
    label_of.resize(label_of.size() + body.triangles.size(),
                    static_cast<std::uint32_t>(own.size()));
    mesh = joined(mesh, body);
    own.push_back(body);
    convex.push_back(test::convex_body(body));
  }
};

// Convex bodies: boxes and tetrahedra on a grid or not, tilted prisms, far off or tiny.
Bodies some_bodies(std::uint64_t seed, std::size_t count) {
  Random random(seed);
  const bool grid = random.chance(0.5);
  const auto coordinate = [&] {
    return grid ? static_cast<double>(random.index(4)) : random.between(0, 3);
  };
  const auto place = [&] { return Point(coordinate(), coordinate(), coordinate()); };
  const double scale = random.chance(0.2) ? 1e-6 : random.chance(0.2) ? 25.4 : 1;
  const Vector off = random.chance(0.2) ? Vector(1e5, -3e4, 7e5) : Vector(0, 0, 0);
  Bodies bodies;
  while (bodies.own.size() < count) {
    Mesh body;
    const std::size_t kind = random.index(4);
    if (kind == 3 && !bodies.own.empty()) {
      bodies.add(Mesh(bodies.own.back()));  // there twice
      continue;
    }
    if (kind == 0) {
      std::array<Point, 4> corner = {place(), place(), place(), place()};
      for (Point& p : corner) p = scale * p + off;
      const Vector a = corner[1] - corner[0], b = corner[2] - corner[0], c = corner[3] - corner[0];
      if (std::fabs(a.dot(b.cross(c))) < 0.01 * scale * scale * scale) continue;
      body = test::tetrahedron(corner);
    } else if (kind == 1) {
      const Point low = place();
      body = test::box_between(low, low + Vector(1 + coordinate(), 1 + coordinate(), 1),
                               random.bits());
      for (Point& p : body.points) p = scale * p + off;
    } else {  // a prism about z
      const std::size_t around = 3 + random.index(6);
      std::vector<Point> outline;
      const Point middle = place();
      for (std::size_t i = 0; i < around; ++i) {
        const double angle =
            2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(around);
        outline.push_back(middle + Vector(std::cos(angle), std::sin(angle), 0));
      }
      body = test::extruded(outline, 1 + random.unit());
      for (Point& p : body.points) p = scale * p + off;
    }
    bodies.add(body);
  }
  return bodies;
}

double number(const mpq_class& q) { return q.get_d(); }

TEST(MaterialBoundary, OfUnionsHasTheVolumeThatInclusionAndExclusionGive) {
  for (std::uint64_t seed = 0; seed < (test::kSanitized ? 10 : 60); ++seed) {
    SCOPED_TRACE(seed);
    const Bodies bodies = some_bodies(seed, 3);
    const DividedSpace space(bodies.mesh, bodies.label_of, 3);
    ASSERT_FALSE(space.is_open());
    const MaterialBoundary all = boundary_of(space, is_in_union);
    ASSERT_EQ(all.rounding.crossing, 0u);
    expect_boundary(all.mesh);
    // Prisms have sides that bend by rounding: they are convex but for that.
    const double extent = box_of(bodies.mesh).diagonal();
    const double size = std::pow(extent, 3);
    const double ulp = 1e-15 * box_of(bodies.mesh).high.cwiseAbs().maxCoeff() * extent * extent;
    const double slack = 1e-10 * size + 100 * ulp;
    const double expected = number(test::filled_volume(bodies.convex));
    EXPECT_NEAR(volume_of(all.mesh), expected, slack);
    const auto common = boundary_of(
        space, [](std::span<const std::int32_t> w) { return w[0] > 0 && w[1] > 0 && w[2] > 0; });
    expect_boundary(common.mesh);
    EXPECT_NEAR(volume_of(common.mesh), number(test::common_volume(bodies.convex)), slack);
    const auto first_alone = boundary_of(
        space, [](std::span<const std::int32_t> w) { return w[0] > 0 && w[1] <= 0 && w[2] <= 0; });
    expect_boundary(first_alone.mesh);
    EXPECT_NEAR(volume_of(first_alone.mesh),
                expected - number(test::filled_volume({bodies.convex[1], bodies.convex[2]})),
                slack);
  }
}

TEST(MaterialBoundary, OfABoundaryIsTheSame) {
  for (std::uint64_t seed = 100; seed < 120; ++seed) {
    SCOPED_TRACE(seed);
    const Bodies bodies = some_bodies(seed, 4);
    const MaterialBoundary once =
        boundary_of(DividedSpace(bodies.mesh, bodies.label_of, 4), is_in_union);
    const MaterialBoundary twice = boundary_of(DividedSpace(once.mesh), is_in_union);
    EXPECT_EQ(twice.mesh.points, once.mesh.points);
    EXPECT_EQ(twice.mesh.triangles, once.mesh.triangles);
    EXPECT_EQ(twice.rounding.moved, 0);
    // Nor does the order of bodies change it.
    Mesh backward;
    for (auto b = bodies.own.rbegin(); b != bodies.own.rend(); ++b) backward = joined(backward, *b);
    const MaterialBoundary other = boundary_of(DividedSpace(backward), is_in_union);
    EXPECT_NEAR(volume_of(other.mesh), volume_of(once.mesh), 1e-12 * volume_of(once.mesh));
  }
}

TEST(MaterialBoundary, KeepsWhatIsNotCutAndNamesParents) {
  Mesh mesh = joined(test::torus(24, 12, 3, 1), test::sphere(16, 0.7, Point(3.5, 0, 0.8)));
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) mesh.patch_of.push_back({t % 7});
  const MaterialBoundary b = boundary_of(DividedSpace(mesh), is_in_union);
  expect_boundary(b.mesh);
  ASSERT_EQ(b.maps.parent.size(), b.mesh.triangles.size());
  ASSERT_EQ(b.maps.vertex_now.size(), mesh.points.size());
  EXPECT_GT(b.rounding.points, 20u);
  EXPECT_LT(b.rounding.moved, 1e-14);
  std::size_t same = 0;
  for (std::uint32_t t = 0; t < b.mesh.triangles.size(); ++t) {
    const TriangleId parent = b.maps.parent[t];
    ASSERT_LT(parent.value, mesh.triangles.size());
    EXPECT_EQ(b.mesh.patch_of[t], mesh.patch_of[parent.value]);
    bool is_same = true;
    for (std::size_t k = 0; k < 3; ++k) {
      is_same &= b.mesh.point(b.mesh.triangles[t][k]) == mesh.point(mesh.triangle(parent)[k]);
    }
    same += is_same ? 1 : 0;
  }
  EXPECT_GT(same, mesh.triangles.size() / 2);
  for (std::uint32_t v = 0; v < mesh.points.size(); ++v) {
    const VertexId now = b.maps.vertex_now[v];
    if (now.value == kNoIndex) continue;
    EXPECT_EQ(b.mesh.point(now), mesh.points[v]);
  }
}

TEST(MaterialBoundary, StaysWithinFloats) {
  Random random(5);
  for (int round = 0; round < 10; ++round) {
    Mesh mesh;
    for (int b = 0; b < 4; ++b) {
      mesh = joined(mesh, test::sphere(10, 1 + random.unit(),
                                       Point(random.unit(), random.unit(), random.unit())));
    }
    for (Point& p : mesh.points) p = rounded_to_float(p + Vector(40, 40, 40));
    const MaterialBoundary b = boundary_of(DividedSpace(mesh), is_in_union, {.to_float = true});
    ASSERT_EQ(b.rounding.crossing, 0u);
    expect_boundary(b.mesh);
    for (const Point& p : b.mesh.points) EXPECT_EQ(p, rounded_to_float(p));
    EXPECT_LT(b.rounding.moved, 1e-4);
  }
}

// Slabs that cross at a millionth of a degree: their corners lie on each other's sides but for a hair.
TEST(MaterialBoundary, IsFoundWhereRoundingMakesThingsCross) {
  std::size_t again = 0;
  for (std::uint64_t seed = 0; seed < (test::kSanitized ? 3 : 8); ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    Mesh mesh;
    for (int b = 0; b < 5; ++b) {
      Mesh slab = test::grid_box(3, {1, 1, 0.5});
      const Eigen::AngleAxisd turn(random.between(-1e-13, 1e-13),
                                   Vector(random.unit(), random.unit(), 0.1).normalized());
      for (Point& p : slab.points) p = turn * p + Vector(7, 3, 5);
      mesh = joined(mesh, slab);
    }
    const MaterialBoundary b = boundary_of(DividedSpace(mesh), is_in_union);
    ASSERT_EQ(b.rounding.crossing, 0u);
    expect_boundary(b.mesh);
    EXPECT_NEAR(volume_of(b.mesh), 0.5, 1e-9);
    EXPECT_LT(b.rounding.moved, 1e-10);
    again += b.rounding.rounds > 1 ? 1 : 0;
  }
  EXPECT_GT(again, 1u);
}

TEST(MaterialBoundary, RefusesWhatIsOpenAndStops) {
  Mesh open = test::cube();
  open.triangles.resize(11);
  const DividedSpace space(open);
  EXPECT_TRUE(space.is_open());
  EXPECT_THROW(static_cast<void>(boundary_of(space, is_in_union)), ArgumentError);
  const Mesh two = joined(test::sphere(8), test::sphere(8, 1.0, Point(0.5, 0.1, 0.2)));
  const DividedSpace closed(two);
  test::StopAfter stop(0);
  EXPECT_THROW(static_cast<void>(boundary_of(closed, is_in_union, {}, &stop)), Cancelled);
}

TEST(MaterialBoundary, TellsVolumesByWindingNumber) {
  const Mesh mesh = joined(joined(test::cube(Point(0, 0, 0), 2), test::cube(Point(1, 1, 1), 2)),
                           test::turned(test::cube(Point(9, 0, 0), 3)));
  const auto volumes = DividedSpace(mesh).volumes();
  ASSERT_EQ(volumes.size(), 3u);
  EXPECT_NEAR(volumes.at(1), 14, 1e-12);
  EXPECT_NEAR(volumes.at(2), 1, 1e-12);
  EXPECT_NEAR(volumes.at(-1), 27, 1e-12);
}

}  // namespace material_boundary_test
}  // namespace aguja
