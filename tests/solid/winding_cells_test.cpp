#include "aguja/solid/winding_cells.h"

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "tests/support/crossing_soups.h"
#include "tests/support/random_mesh.h"
#include "tests/support/rational.h"
#include "tests/support/sanitized.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace winding_cells_test {

using test::along;
using test::cross;
using test::dot;
using test::joined;
using test::minus;
using test::Random;
using Q = mpq_class;
using V = test::RationalPoint;
using T = std::array<V, 3>;

// How a line from `from` along `d` goes through a triangle: from front to back (+1), the other way,
// not at all; nothing if it meets its rim or runs along it.
struct Through {
  int sign;
  Q at;
};
std::optional<Through> through(const T& t, const V& from, const V& d) {
  const V n = cross(minus(t[1], t[0]), minus(t[2], t[0]));
  const Q down = dot(n, d);
  if (down == 0)
    return dot(n, minus(t[0], from)) == 0 ? std::nullopt : std::optional(Through{0, 0});
  const Q at = dot(n, minus(t[0], from)) / down;
  const V p = along(from, d, at);
  for (std::size_t k = 0; k < 3; ++k) {
    const Q side = dot(n, cross(minus(t[(k + 1) % 3], t[k]), minus(p, t[k])));
    if (side == 0) return std::nullopt;
    if (side < 0) return Through{0, 0};
  }
  return Through{down > 0 ? 1 : -1, at};
}

// By rays in plain rationals: a body is left where its surface is gone through from behind.
std::vector<int> winding_by_rays(const std::vector<T>& triangles,
                                 std::span<const std::uint32_t> label_of, std::size_t labels,
                                 const V& from, Random& random) {
  while (true) {
    const V d = {Q(static_cast<int>(random.index(2001)) - 1000),
                 Q(static_cast<int>(random.index(2001)) - 1000),
                 Q(static_cast<int>(random.index(2001)) - 1000)};
    std::vector<int> winding(labels, 0);
    bool clear = true;
    for (std::size_t i = 0; i < triangles.size() && clear; ++i) {
      const auto t = through(triangles[i], from, d);
      clear = t.has_value();
      if (clear && t->sign != 0 && t->at > 0) winding[label_of[i]] += t->sign;
    }
    if (clear) return winding;
  }
}

V place(const Arrangement& a, ExactPointId p) {
  const auto text = a.points().fractions(p);
  return {Q(text[0]), Q(text[1]), Q(text[2])};
}

// Winding numbers on both sides of every piece, looked up from just beside its middle.
void expect_right_cells(const Mesh& mesh, std::span<const std::uint32_t> label_of,
                        std::size_t labels) {
  Random random(7);
  const Welded welded(mesh);
  const Arrangement a = arrange(welded);
  const WindingCells cells = find_winding_cells(welded, a, label_of, labels);
  std::vector<T> triangles, pieces;
  std::vector<std::uint32_t> label_of_those;
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    T own;
    for (std::size_t k = 0; k < 3; ++k) {
      own[k] = test::rational(mesh.point(mesh.triangles[t][k]));
    }
    if (cross(minus(own[1], own[0]), minus(own[2], own[0])) == V{0, 0, 0}) continue;
    triangles.push_back(own);
    label_of_those.push_back(label_of[t]);
  }
  for (const Arrangement::Piece& p : a.pieces()) {
    pieces.push_back({place(a, p[0]), place(a, p[1]), place(a, p[2])});
  }
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    const T& own = pieces[i];
    const V n = cross(minus(own[1], own[0]), minus(own[2], own[0]));
    // Not the centroid: symmetric models have their edges behind it.
    const V middle =
        along(along(own[0], minus(own[1], own[0]), Q(3, 10)), minus(own[2], own[0]), Q(35, 101));
    for (const int front : {0, 1}) {
      const V d = front == 1 ? n : V{-n[0], -n[1], -n[2]};
      std::optional<Q> nearest;
      for (std::size_t j = 0; j < pieces.size(); ++j) {
        if (j == i) continue;
        const auto t = through(pieces[j], middle, d);
        if (!t) {
          nearest.reset();
          break;
        }
        if (t->sign != 0 && t->at > 0 && (!nearest || t->at < *nearest)) nearest = t->at;
      }
      const V beside = along(middle, d, nearest ? Q(*nearest / 2) : Q(1, 1000003));
      const auto expected = winding_by_rays(triangles, label_of_those, labels, beside, random);
      const auto found = cells.of(front == 1 ? cells.front(i) : cells.back(i));
      ASSERT_TRUE(std::ranges::equal(found, expected))
          << "piece " << i << ", front " << front << ": "
          << testing::PrintToString(std::vector<int>(found.begin(), found.end())) << ", not "
          << testing::PrintToString(expected);
    }
  }
  for (std::size_t set = 0; set < cells.is_open.size(); ++set) EXPECT_FALSE(cells.is_open[set]);
}

struct Bodies {
  Mesh mesh;
  std::vector<std::uint32_t> label_of;
  std::uint32_t count = 0;

  void add(const Mesh& body) {
    mesh = joined(mesh, body);
    label_of.resize(mesh.triangles.size(), count++);
  }
};

TEST(WindingCells, AreThoseThatRaysTell) {
  for (std::uint64_t seed = 0; seed < (test::kSanitized ? 5 : 20); ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    Bodies bodies;
    const std::size_t steps = random.chance(0.6) ? 5 : 1000;
    const auto coordinate = [&] { return static_cast<double>(random.index(steps)); };
    while (bodies.count < 3) {
      std::array<Point, 4> corner;
      for (Point& p : corner) p = {coordinate(), coordinate(), coordinate()};
      if (orient3d(corner[0], corner[1], corner[2], corner[3]) == 0) continue;
      Mesh body = test::tetrahedron(corner);
      if (random.chance(0.3)) body = test::turned(body);
      bodies.add(body);
    }
    expect_right_cells(bodies.mesh, bodies.label_of, bodies.count);
    if (HasFatalFailure()) return;
  }
}

TEST(WindingCells, AreRightForBodiesInEachOtherAndOnEachOther) {
  Bodies bodies;
  bodies.add(test::box_between({0, 0, 0}, {8, 8, 8}));
  bodies.add(test::turned(test::box_between({1, 1, 1}, {7, 7, 7})));  // a cavity
  bodies.add(test::box_between({2, 2, 2}, {4, 4, 4}));                // in it, apart
  bodies.add(test::box_between({4, 4, 4}, {5, 5, 5}));                // a corner shared
  bodies.add(test::box_between({5, 2, 2}, {7, 4, 4}));                // on the cavity's wall
  bodies.add(test::box_between({2, 2, 2}, {4, 4, 4}));                // there twice
  bodies.add(test::box_between({-2, 8, 8}, {0, 9, 9}));               // only an edge's end shared
  bodies.add(test::box_between({8, 8, 2}, {9, 9, 6}));                // part of an edge shared
  // Inside a box, with its corners on the sides.
  bodies.add(test::tetrahedron(
      {Point(2, 2.5, 2.5), Point(4, 2.5, 3.5), Point(3, 2, 3.25), Point(3, 4, 3.25)}));
  expect_right_cells(bodies.mesh, bodies.label_of, bodies.count);
}

TEST(WindingCells, TellWhatIsOpen) {
  Mesh mesh = test::box_between({0, 0, 0}, {4, 4, 4});
  const auto closed = static_cast<std::uint32_t>(mesh.triangles.size());
  Mesh lid = test::box_between({1, 1, 1}, {2, 2, 2});
  lid.triangles.resize(10);
  mesh = joined(mesh, lid);
  const Welded welded(mesh);
  const Arrangement a = arrange(welded);
  const WindingCells cells = find_winding_cells(welded, a);
  ASSERT_EQ(cells.is_open.size(), 2u);
  for (std::uint32_t i = 0; i < a.pieces().size(); ++i) {
    const bool open = a.parents(i)[0].triangle().value >= closed;
    EXPECT_EQ(cells.is_open[cells.set_of[cells.front(i)]], open);
    EXPECT_EQ(cells.of(cells.back(i))[0], 1);
    EXPECT_EQ(cells.of(cells.front(i))[0], open ? 1 : 0);
  }
}

TEST(WindingCells, RefuseLabelsThatDoNotExist) {
  const Mesh mesh = test::cube();
  const Welded welded(mesh);
  const Arrangement a = arrange(welded);
  const std::vector<std::uint32_t> few(3, 0), large(12, 2);
  EXPECT_THROW(static_cast<void>(find_winding_cells(welded, a, few, 1)), ArgumentError);
  EXPECT_THROW(static_cast<void>(find_winding_cells(welded, a, large, 2)), ArgumentError);
}

}  // namespace winding_cells_test
}  // namespace aguja
