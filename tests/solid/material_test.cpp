// Where the material is, held against bodies made of cubes, whose every wall is known.

#include "aguja/solid/material.h"

#include <gtest/gtest.h>

#include <array>
#include <map>
#include <numeric>

#include <oneapi/tbb/global_control.h>
#include <Eigen/Geometry>

#include "aguja/solid/anatomy.h"
#include "aguja/solid/cells.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace material_test {

using test::Random;

// Cubes of a grid, some of material; the walls between material and air face the air, and some
// walls between two cubes of material are there too, facing either way.
class Cubes {
 public:
  static constexpr int kSide = 3;

  explicit Cubes(std::uint64_t seed, double walls) {
    Random random(seed);
    for (auto& full : material_) full = random.chance(0.6);
    for (int axis = 0; axis < 3; ++axis) {
      std::array<int, 3> at{};
      for (at[0] = 0; at[0] <= kSide; ++at[0]) {
        for (at[1] = 0; at[1] <= kSide; ++at[1]) {
          for (at[2] = 0; at[2] <= kSide; ++at[2]) {
            const auto u = static_cast<std::size_t>((axis + 1) % 3);
            const auto v = static_cast<std::size_t>((axis + 2) % 3);
            if (at[u] == kSide || at[v] == kSide) continue;
            auto below = at;
            --below[static_cast<std::size_t>(axis)];
            const bool low = is_full(below), high = is_full(at);
            if (low != high) {
              quad(axis, at, low, false);
            } else if (low && random.chance(walls)) {
              quad(axis, at, random.chance(0.5), true);
            }
          }
        }
      }
    }
  }

  Mesh mesh;
  std::vector<bool> internal;  // by triangle

 private:
  [[nodiscard]] bool is_full(const std::array<int, 3>& at) const {
    for (const int c : at) {
      if (c < 0 || c >= kSide) return false;
    }
    return material_[static_cast<std::size_t>((at[0] * kSide + at[1]) * kSide + at[2])];
  }
  VertexId vertex(const std::array<int, 3>& at) {
    const auto [found, is_new] =
        ids_.try_emplace(at, static_cast<std::uint32_t>(mesh.points.size()));
    if (is_new) mesh.points.emplace_back(at[0], at[1], at[2]);
    return {found->second};
  }
  // The face of the cube `at` that looks down `axis`; its normal up the axis if `up`.
  void quad(int axis, const std::array<int, 3>& at, bool up, bool inside) {
    const auto u = static_cast<std::size_t>((axis + 1) % 3);
    const auto v = static_cast<std::size_t>((axis + 2) % 3);
    auto b = at, c = at, d = at;
    ++b[u];
    ++c[u];
    ++c[v];
    ++d[v];
    std::array<VertexId, 4> q = {vertex(at), vertex(b), vertex(c), vertex(d)};
    if (!up) std::swap(q[1], q[3]);
    mesh.triangles.push_back({{q[0], q[1], q[2]}});
    mesh.triangles.push_back({{q[0], q[2], q[3]}});
    internal.insert(internal.end(), 2, inside);
  }

  std::array<bool, kSide * kSide * kSide> material_{};
  std::map<std::array<int, 3>, std::uint32_t> ids_;
};

struct Examined {
  explicit Examined(const Mesh& mesh, bool crossings = false)
      : anatomy(mesh),
        survey(survey_rims(anatomy.welded, mesh.patch_of, anatomy.edges, anatomy.components)),
        joined(anatomy.welded, anatomy.edges, anatomy.components, anatomy.rims, survey),
        material(find_material(joined, {}, crossings)) {}
  [[nodiscard]] const Region& region(std::uint32_t t) const {
    return material.regions[material.region_of[t]];
  }
  Anatomy anatomy;
  RimSurvey survey;
  JoinedSurface joined;
  Material material;
};

TEST(Cells, OfCubesAreTheirEmptyAndFullRegions) {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Cubes cubes(seed, 1.0);
    if (cubes.mesh.triangles.empty()) continue;
    const Welded welded(cubes.mesh);
    const EdgeTable edges(welded.triangles(), welded.points().size());
    std::vector<TriangleId> all(cubes.mesh.triangles.size());
    for (std::uint32_t t = 0; t < all.size(); ++t) all[t] = {t};
    std::vector<EdgeId> all_edges(edges.size());
    for (std::uint32_t e = 0; e < all_edges.size(); ++e) all_edges[e] = {e};
    std::vector<std::uint32_t> place(all.size());
    std::iota(place.begin(), place.end(), 0u);
    const Cells cells =
        find_cells(welded.points(), welded.triangles(), edges, {all, all_edges, place});
    // With every wall there each full cube is a cell; what is empty may be several, too.
    double full = 0;
    double sum = 0;
    for (const Cell& c : cells.cells) {
      sum += c.volume;
      if (std::fabs(c.volume - 1) < 1e-9) ++full;
    }
    // Each wall is counted from both sides.
    EXPECT_NEAR(sum, 0, 1e-9);
    EXPECT_GE(full, 1);
    for (std::uint32_t t = 0; t < all.size(); ++t) {
      EXPECT_NE(cells.of_side[2 * t], cells.of_side[2 * t + 1]);
    }
  }
}

TEST(Cells, UsesAroundAnEdgeAreInTheOrderOfTheirAngles) {
  Random random(5);
  for (int i = 0; i < 300; ++i) {
    std::vector<Point> points = {{0, 0, 0}, {0, 0, 1}};
    std::vector<Triangle> triangles;
    std::vector<double> angle;
    const std::uint32_t n = 3 + static_cast<std::uint32_t>(random.index(6));
    for (std::uint32_t k = 0; k < n; ++k) {
      angle.push_back(2 * 3.14159 * random.unit());
      points.emplace_back(std::cos(angle[k]), std::sin(angle[k]), random.unit());
      const VertexId apex{k + 2};
      triangles.push_back(random.chance(0.5) ? Triangle{{{0}, {1}, apex}}
                                             : Triangle{{{1}, {0}, apex}});
    }
    const EdgeTable edges(triangles, points.size());
    const EdgeId e = *edges.find({0}, {1});
    const auto sorted = uses_by_angle(points, triangles, edges.edge(e), edges.uses(e));
    ASSERT_EQ(sorted.size(), n);
    const double first = angle[sorted[0].triangle().value];
    double last = -1;
    for (const EdgeUse use : sorted) {
      double turn = angle[use.triangle().value] - first;
      if (turn < 0) turn += 2 * 3.14159;
      EXPECT_GT(turn, last - 1e-12);
      last = turn;
    }
  }
}

TEST(Material, OfCubesIsKnownWallByWall) {
  std::size_t walls = 0;
  for (std::uint64_t seed = 1; seed <= 300; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Cubes cubes(seed, seed % 3 == 0 ? 0.0 : 0.3);
    if (cubes.mesh.triangles.empty()) continue;
    const Examined found(cubes.mesh);
    for (std::uint32_t t = 0; t < cubes.internal.size(); ++t) {
      const RegionRole role = found.region(t).role;
      ASSERT_EQ(role == RegionRole::internal, cubes.internal[t]) << "triangle " << t;
      if (!cubes.internal[t]) {
        ASSERT_EQ(role, RegionRole::boundary) << "triangle " << t;
      }
      walls += cubes.internal[t];
    }
  }
  EXPECT_GE(walls, 2000u);
}

TEST(Material, IsTheSameTurnedInsideOutButForTheSense) {
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Cubes cubes(seed, 0.0);
    if (cubes.mesh.triangles.empty()) continue;
    const Examined turned(test::turned(cubes.mesh));
    const Examined upright(cubes.mesh);
    for (std::uint32_t b = 0; b < upright.material.bodies.size(); ++b) {
      if (upright.material.bodies[b].depth > 0) continue;
      EXPECT_FALSE(upright.material.bodies[b].turned);
      EXPECT_TRUE(turned.material.bodies[b].turned);
    }
  }
}

TEST(Material, OfOpenShellsIsVotedOn) {
  int decided = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    Mesh ball = test::sphere(14, 3);
    // A fifth of it is lost, in one piece.
    const Point hole = ball.points[random.index(ball.points.size())];
    erase_if(ball.triangles,
             [&](const Triangle& t) { return (ball.point(t[0]) - hole).norm() < 2.2; });
    const bool turned = random.chance(0.5);
    const Examined found(turned ? test::turned(ball) : ball);
    for (const MaterialBody& b : found.material.bodies) {
      if (b.area < 10) continue;
      EXPECT_EQ(b.turned, turned);
      EXPECT_GE(b.margin, kClearMargin);
      ++decided;
    }
  }
  EXPECT_GE(decided, 55);
}

TEST(Material, PiecesApartFromEachOtherAreTurnedTogether) {
  // The six sides of a box, shrunk so that wide gaps part them; any of them may face inward.
  for (std::uint64_t seed = 1; seed <= 64; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Mesh box = test::cube({0, 0, 0}, 10);
    Mesh apart;
    std::vector<bool> turned;
    for (int axis = 0; axis < 3; ++axis) {
      for (const double side : {0.0, 10.0}) {
        const bool turn = ((seed >> turned.size()) & 1U) != 0;
        std::vector<Triangle> own;
        Point middle = Point::Constant(5);
        middle[axis] = side;
        for (const Triangle& t : box.triangles) {
          if (box.point(t[0])[axis] != side || box.point(t[1])[axis] != side ||
              box.point(t[2])[axis] != side) {
            continue;
          }
          const auto base = static_cast<std::uint32_t>(apart.points.size());
          for (const VertexId v : t.corner) {
            apart.points.push_back(middle + 0.9 * (box.point(v) - middle));
          }
          apart.triangles.push_back({{{base}, {base + (turn ? 2 : 1)}, {base + (turn ? 1 : 2)}}});
        }
        turned.push_back(turn);
      }
    }
    const Examined found(apart);
    for (std::uint32_t t = 0; t < apart.triangles.size(); ++t) {
      const RegionRole role = found.region(t).role;
      EXPECT_EQ(role, turned[t / 2] ? RegionRole::turned : RegionRole::boundary) << t;
    }
  }
}

TEST(Material, IsTheSameForAnyNumberOfThreads) {
  // Loose triangles, every third of them there twice, back to back: these have one middle.
  {
    Random random(1);
    Mesh soup;
    for (int i = 0; i < 20000; ++i) {
      const Point middle(random.unit(), random.unit(), random.unit());
      const auto first = static_cast<std::uint32_t>(soup.points.size());
      for (int c = 0; c < 3; ++c) {
        soup.points.push_back(middle + 0.01 * Point(random.unit(), random.unit(), random.unit()));
      }
      soup.triangles.push_back({{{first}, {first + 1}, {first + 2}}});
      if (i % 3 == 0) soup.triangles.push_back({{{first}, {first + 2}, {first + 1}}});
    }
    const auto found = [&](std::size_t threads) {
      const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                              threads);
      return Examined(soup);
    };
    const Material one = found(1).material, many = found(6).material;
    EXPECT_EQ(one.region_of, many.region_of);
    ASSERT_EQ(one.regions.size(), many.regions.size());
    for (std::size_t r = 0; r < one.regions.size(); ++r) {
      EXPECT_EQ(one.regions[r].role, many.regions[r].role);
      EXPECT_EQ(one.regions[r].winding, many.regions[r].winding);
      EXPECT_EQ(one.regions[r].margin, many.regions[r].margin);
    }
  }
}

TEST(Material, AMoebiusStripHasNoSides) {
  Mesh strip;
  constexpr std::uint32_t kSteps = 24;
  for (std::uint32_t i = 0; i < kSteps; ++i) {
    const double u = 2 * 3.14159265358979 * i / kSteps;
    for (const double v : {-1.0, 1.0}) {
      const double r = 5 + v * std::cos(u / 2);
      strip.points.emplace_back(r * std::cos(u), r * std::sin(u), v * std::sin(u / 2));
    }
  }
  const auto id = [](std::uint32_t i, std::uint32_t side) {
    return VertexId{i < kSteps ? 2 * i + side : side == 0 ? 1U : 0U};
  };
  for (std::uint32_t i = 0; i < kSteps; ++i) {
    strip.triangles.push_back({{id(i, 0), id(i + 1, 0), id(i + 1, 1)}});
    strip.triangles.push_back({{id(i, 0), id(i + 1, 1), id(i, 1)}});
  }
  const Examined found(strip);
  for (const Region& r : found.material.regions) EXPECT_EQ(r.role, RegionRole::undecided);
}

}  // namespace material_test
}  // namespace aguja
