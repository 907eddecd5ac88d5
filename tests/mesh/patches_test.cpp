// Known surfaces come back as what they are, triangle by triangle.

#include "aguja/mesh/patches.h"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <map>
#include <numbers>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace patches_test {

constexpr double kPi = std::numbers::pi;

// A mesh with the patch that each triangle really belongs to.
class Known {
 public:
  void next() { ++patch_; }
  void quad(const Point& a, const Point& b, const Point& c, const Point& d) {
    triangle(a, b, c);
    triangle(a, c, d);
  }
  void triangle(const Point& a, const Point& b, const Point& c) {
    if (a == b || b == c || c == a) return;
    mesh.triangles.push_back({{add(a), add(b), add(c)}});
    truth.push_back(patch_);
  }
  // A grid of quads over two parameters.
  void grid(int n, int m, const std::function<Point(int, int)>& at) {
    for (int i = 0; i < n; ++i) {
      for (int j = 0; j < m; ++j) quad(at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1));
    }
    next();
  }

  Mesh mesh;
  std::vector<std::uint32_t> truth;

 private:
  VertexId add(const Point& p) {
    // Coordinates as files have them.
    const Point q = rounded_to_float(p);
    const auto key = std::array{q.x() + 0.0, q.y() + 0.0, q.z() + 0.0};
    const auto [at, is_new] = ids_.try_emplace(key, static_cast<std::uint32_t>(mesh.points.size()));
    if (is_new) mesh.points.push_back(q);
    return {at->second};
  }
  std::uint32_t patch_ = 0;
  std::map<std::array<double, 3>, std::uint32_t> ids_;
};

Point around(double r, double z, double angle) {
  return {r * std::cos(angle), r * std::sin(angle), z};
}

// Revolves an outline; each stretch of it is a patch.
Known turned_part(int segments, const std::vector<std::vector<Eigen::Vector2d>>& stretches) {
  Known known;
  for (const auto& run : stretches) {
    known.grid(segments, static_cast<int>(run.size()) - 1, [&](int i, int j) {
      const auto& p = run[static_cast<std::size_t>(j)];
      return around(p.x(), p.y(), 2 * kPi * (i % segments) / segments);
    });
  }
  return known;
}

std::vector<Eigen::Vector2d> arc(double x, double z, double r, double from, double to, int n) {
  std::vector<Eigen::Vector2d> run;
  for (int i = 0; i <= n; ++i) {
    const double a = from + (to - from) * i / n;
    run.emplace_back(x + r * std::cos(a), z + r * std::sin(a));
  }
  return run;
}

// A shaft: lid, torus fillet, cylinder, cone, cylinder, sphere cap.
Known shaft(int segments) {
  std::vector<std::vector<Eigen::Vector2d>> s;
  s.push_back({{0, 0}, {16, 0}});
  s.push_back(arc(16, 4, 4, -kPi / 2, 0, 6));
  s.push_back({{20, 4}, {20, 14}, {20, 30}});
  s.push_back({{20, 30}, {12, 36}});
  s.push_back({{12, 36}, {12, 50}});
  s.push_back(arc(0, 50, 12, 0, kPi / 2, 8));
  s.back().back().x() = 0;
  return turned_part(segments, s);
}

// A box with all edges and corners rounded: 6 planes, 12 cylinders, 8 spheres.
Known rounded_box(int steps) {
  Known known;
  const double r = 3;
  const Point half(20, 14, 9);
  for (int axis = 0; axis < 3; ++axis) {
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    for (const double side : {-1.0, 1.0}) {
      const auto at = [&](double x, double y) {
        Point p;
        p[axis] = side * (half[axis] + r);
        p[u] = x * half[u];
        p[v] = y * half[v];
        return p;
      };
      if (side > 0) {
        known.quad(at(-1, -1), at(1, -1), at(1, 1), at(-1, 1));
      } else {
        known.quad(at(-1, -1), at(-1, 1), at(1, 1), at(1, -1));
      }
      known.next();
    }
    // Rounded edges along this axis.
    for (int quarter = 0; quarter < 4; ++quarter) {
      const double su = quarter == 0 || quarter == 3 ? 1 : -1, sv = quarter < 2 ? 1 : -1;
      known.grid(steps, 1, [&](int i, int j) {
        const double angle = kPi / 2 * (quarter + static_cast<double>(i) / steps);
        Point p;
        p[axis] = (j == 0 ? 1 : -1) * half[axis];
        p[u] = su * half[u] + r * std::cos(angle);
        p[v] = sv * half[v] + r * std::sin(angle);
        return p;
      });
    }
  }
  for (int corner = 0; corner < 8; ++corner) {
    const Vector s(corner & 1 ? 1 : -1, corner & 2 ? 1 : -1, corner & 4 ? 1 : -1);
    known.grid(steps, steps, [&](int i, int j) {
      const double a = kPi / 2 * i / steps, b = kPi / 2 * j / steps;
      const Vector d(std::cos(b) * std::cos(a), std::cos(b) * std::sin(a), std::sin(b));
      return Point(half.cwiseProduct(s) + r * s.cwiseProduct(j == steps ? Vector(0, 0, 1) : d));
    });
  }
  return known;
}

struct Score {
  std::size_t right = 0;
  std::size_t all = 0;
  std::map<std::string, int> kinds;
};

// A triangle is right if it is in the patch that has most of its true patch, and that patch has
// most of its triangles from there.
Score score(const Known& known, const Eigen::Affine3d& place) {
  Mesh mesh = known.mesh;
  for (Point& p : mesh.points) p = rounded_to_float(place * p);
  const Welded welded(mesh);
  const EdgeTable edges(welded.triangles(), welded.points().size());
  const Box box = box_of(welded.points());
  const double spacing =
      1.2e-7 * std::max(box.low.cwiseAbs().maxCoeff(), box.high.cwiseAbs().maxCoeff());
  const PatchOptions options{.fit = std::max(2e-6 * box.diagonal(), 2 * spacing)};
  const Patches found = recognise_patches(welded, edges, options);
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::size_t> common;
  for (std::size_t t = 0; t < known.truth.size(); ++t) {
    ++common[{known.truth[t], found.patch_of[t].value}];
  }
  std::map<std::uint32_t, std::pair<std::size_t, std::uint32_t>> of_truth, of_found;
  for (const auto& [pair, count] : common) {
    of_truth[pair.first] = std::max(of_truth[pair.first], {count, pair.second});
    of_found[pair.second] = std::max(of_found[pair.second], {count, pair.first});
  }
  Score s;
  s.all = known.truth.size();
  for (std::size_t t = 0; t < s.all; ++t) {
    const std::uint32_t patch = found.patch_of[t].value;
    s.right += of_truth[known.truth[t]].second == patch && of_found[patch].second == known.truth[t];
    // The promise.
    const auto& surface = found.patches[patch].surface;
    for (const VertexId v : welded.triangles()[t].corner) {
      if (surface) {
        EXPECT_LE(std::fabs(surface->distance(welded.point(v))), options.fit);
      }
    }
  }
  for (const Patch& p : found.patches) {
    ++s.kinds[p.surface ? std::string(slug(p.surface->kind)) : "free"];
  }
  return s;
}

std::vector<Eigen::Affine3d> places() {
  const Eigen::AngleAxisd turn(0.7, Vector(1, 2, 3).normalized());
  return {Eigen::Affine3d::Identity(), Eigen::Affine3d(turn),
          Eigen::Translation3d(300, -200, 500) * Eigen::Affine3d(turn),
          Eigen::Affine3d(Eigen::Scaling(1e-3)) * turn};
}

TEST(Patches, AShaftComesBackAsItsSurfaces) {
  for (const int segments : {16, 36, 96}) {
    for (const auto& place : places()) {
      SCOPED_TRACE(testing::Message() << segments << " segments");
      Score s = score(shaft(segments), place);
      EXPECT_GE(static_cast<double>(s.right), 0.99 * static_cast<double>(s.all));
      EXPECT_EQ(s.kinds["plane"], 1);
      EXPECT_EQ(s.kinds["cylinder"], 2);
      EXPECT_EQ(s.kinds["cone"], 1);
      EXPECT_EQ(s.kinds["torus"], 1);
      EXPECT_EQ(s.kinds["sphere"], 1);
    }
  }
}

TEST(Patches, ARoundedBoxComesBackAsItsSurfaces) {
  for (const int steps : {4, 8, 20}) {
    for (const auto& place : places()) {
      SCOPED_TRACE(testing::Message() << steps << " steps");
      Score s = score(rounded_box(steps), place);
      EXPECT_GE(static_cast<double>(s.right), 0.99 * static_cast<double>(s.all));
      EXPECT_EQ(s.kinds["plane"], 6);
      EXPECT_EQ(s.kinds["cylinder"], 12);
      EXPECT_EQ(s.kinds["sphere"], 8);
    }
  }
}

TEST(Patches, AreRecognisedThoughDecimalsWereCutShort) {
  // Three decimals, as some exporters write.
  Known known = shaft(48);
  for (Point& p : known.mesh.points) p = (p * 1000).array().round().matrix() / 1000;
  Mesh mesh = known.mesh;
  const Welded welded(mesh);
  const EdgeTable edges(welded.triangles(), welded.points().size());
  const double diagonal = box_of(welded.points()).diagonal();
  const double fit = fit_for(welded.points(), kFitOfDiagonal * diagonal);
  EXPECT_NEAR(fit, 0.0009, 1e-9);
  std::map<std::string, int> kinds;
  for (const Patch& p : recognise_patches(welded, edges, {.fit = fit}).patches) {
    ++kinds[p.surface ? std::string(slug(p.surface->kind)) : "free"];
  }
  EXPECT_EQ(kinds["cylinder"], 2);
  EXPECT_EQ(kinds["cone"], 1);
  EXPECT_EQ(kinds["torus"], 1);
  EXPECT_EQ(kinds["sphere"], 1);
  // Points with all their digits are taken at their word.
  const Mesh ball = test::sphere(12, 7.3);
  EXPECT_LT(fit_for(ball.points, 1e-9), 1e-5);
}

TEST(Patches, APrismIsPlanesAndAFinerOneACylinder) {
  for (const int sides : {6, 8, 10}) {
    Score s = score(turned_part(sides, {{{10, 0}, {10, 30}}}), places()[0]);
    EXPECT_EQ(s.kinds["plane"], sides);
  }
  Score s = score(turned_part(12, {{{10, 0}, {10, 30}}}), places()[0]);
  EXPECT_EQ(s.kinds["cylinder"], 1);
  EXPECT_EQ(s.kinds.size(), 1u);
}

TEST(Patches, AnEllipsoidIsNoneOfThem) {
  // Every band of it lies on a cone and on a sphere.
  std::vector<Eigen::Vector2d> run;
  for (int i = 0; i <= 24; ++i) {
    const double a = kPi * i / 24 - kPi / 2;
    run.emplace_back(i == 0 || i == 24 ? 0 : 20 * std::cos(a), 11 * std::sin(a));
  }
  Score s = score(turned_part(60, {run}), places()[0]);
  EXPECT_EQ(s.right, s.all);
  EXPECT_EQ(s.kinds["free"], 1);
}

TEST(Patches, EveryTriangleIsInOneAndThreadsDoNotShow) {
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    const Mesh mesh = test::damaged_mesh(seed);
    const Welded welded(mesh);
    const EdgeTable edges(welded.triangles(), welded.points().size());
    const PatchOptions options{.fit = 1e-6};
    const Patches a = recognise_patches(welded, edges, options);
    std::vector<std::size_t> count(a.patches.size());
    for (std::size_t t = 0; t < a.patch_of.size(); ++t) {
      const bool flat = has_equal_corners(welded.triangles()[t]);
      ASSERT_EQ(a.patch_of[t].value == kNoIndex, flat);
      if (!flat) ++count[a.patch_of[t].value];
    }
    for (std::size_t p = 0; p < count.size(); ++p) EXPECT_EQ(count[p], a.patches[p].triangles);
    EXPECT_EQ(a.patch_of, recognise_patches(welded, edges, options).patch_of);
  }
}

Mesh moved_along(Mesh mesh, double by) {
  for (Point& p : mesh.points) p.x() += by;
  return mesh;
}

Mesh both_of(const Mesh& a, const Mesh& b) {
  Mesh both = a;
  const auto points = static_cast<std::uint32_t>(a.points.size());
  for (const Point& p : b.points) both.points.push_back(p);
  for (Triangle t : b.triangles) {
    for (VertexId& v : t.corner) v.value += points;
    both.triangles.push_back(t);
  }
  both.points_are_distinct = false;
  return both;
}

Patches recognised(const Mesh& mesh, PatchMemory* memory = nullptr) {
  const Welded welded(mesh);
  return recognise_patches(welded, EdgeTable(welded.triangles(), welded.points().size()),
                           {.fit = 1e-6}, memory);
}

TEST(Patches, OfOneBodyDoNotDependOnAnother) {
  std::size_t patches = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    const Mesh a = test::damaged_mesh(seed);
    const Mesh b = moved_along(test::damaged_mesh(seed + 1000), 100);
    const Patches alone = recognised(a), both = recognised(both_of(a, b));
    std::map<std::uint32_t, std::uint32_t> number;
    for (std::size_t t = 0; t < a.triangles.size(); ++t) {
      const auto [at, is_new] = number.try_emplace(alone.patch_of[t].value, both.patch_of[t].value);
      ASSERT_EQ(at->second, both.patch_of[t].value) << "seed " << seed;
    }
    for (const auto& [one, other] : number) {
      if (one == kNoIndex) continue;
      ASSERT_EQ(alone.patches[one].triangles, both.patches[other].triangles);
      ASSERT_EQ(alone.patches[one].surface.has_value(), both.patches[other].surface.has_value());
      ++patches;
    }
  }
  EXPECT_GT(patches, 500u);
}

TEST(Patches, WhatIsRememberedIsAsIfLookedAtAnew) {
  PatchMemory memory;
  Mesh other = test::sphere(8);
  std::size_t kept = 0;  // triangles of the one that stays, if it is one piece
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    // One body goes and another comes; the one that stays gets other numbers.
    const bool is_ball = seed % 3 == 0;
    const Mesh next = moved_along(
        is_ball ? test::sphere(8 + static_cast<int>(seed % 5)) : test::damaged_mesh(seed),
        100 * static_cast<double>(seed));
    const Mesh both = seed % 2 == 0 ? both_of(other, next) : both_of(next, other);
    const Patches a = recognised(both, &memory), b = recognised(both);
    EXPECT_GE(memory.remembered(), kept);
    ASSERT_EQ(a.patch_of, b.patch_of) << "seed " << seed;
    ASSERT_EQ(a.patches.size(), b.patches.size());
    for (std::size_t p = 0; p < a.patches.size(); ++p) {
      ASSERT_EQ(a.patches[p].triangles, b.patches[p].triangles);
      ASSERT_EQ(a.patches[p].fit_error, b.patches[p].fit_error);
    }
    other = next;
    kept = is_ball ? next.triangles.size() : 0;
  }
}

TEST(Patches, WantAFit) {
  const Mesh mesh = test::cube();
  const Welded welded(mesh);
  const EdgeTable edges(welded.triangles(), welded.points().size());
  EXPECT_THROW(static_cast<void>(recognise_patches(welded, edges, {})), ArgumentError);
}

}  // namespace patches_test
}  // namespace aguja
