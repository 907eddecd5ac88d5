#include "aguja/geometry/exact_points.h"

#include <cmath>
#include <map>
#include <thread>

#include <gmpxx.h>
#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/geometry/planar_triangulation.h"
#include "tests/support/random_mesh.h"
#include "tests/support/rational.h"

namespace aguja {
namespace exact_points_test {

using test::cross;
using test::dot;
using test::minus;
using test::Random;
using Q = mpq_class;
using V = test::RationalPoint;

V exact(const Point& p) { return test::rational(p); }

struct Known {
  ExactPointId id;
  V place;
};

// A few given points, on a grid or not, and points made of them.
class Maker {
 public:
  explicit Maker(std::uint64_t seed, std::size_t count = 7) : random_(seed) {
    constexpr double kScales[] = {1, 1e-9, 1e9, 1e-310, 0x1p300};
    scale_ = kScales[random_.index(5)];
    grid_ = random_.chance(0.6);
    nudge_ = random_.chance(0.3) ? 0.3 : 0;
    for (std::size_t i = 0; i < count; ++i) pool_.push_back(fresh());
    points_.emplace(pool_);
  }
  [[nodiscard]] const ExactPoints& points() const { return *points_; }
  ExactPoints& points() { return *points_; }
  Random& random() { return random_; }
  std::uint32_t any() { return static_cast<std::uint32_t>(random_.index(pool_.size())); }
  PlaneOfPoints any_plane() { return {any(), any(), any()}; }
  [[nodiscard]] V at(std::uint32_t i) const { return exact(pool_[i]); }
  [[nodiscard]] const Point& given(std::uint32_t i) const { return pool_[i]; }

  // By plain rationals, in another way than the code: solve for the parameter, or eliminate.
  std::optional<Known> known() {
    switch (random_.index(3)) {
      case 0: {
        const std::uint32_t p = any();
        return Known{{p}, at(p)};
      }
      case 1:
        return on_line({any(), any()}, any_plane());
      default:
        return on_planes(any_plane(), any_plane(), any_plane());
    }
  }
  std::optional<Known> on_line(const LineOfPoints& line, const PlaneOfPoints& plane) {
    const auto made = points_->add(line, plane);
    const V n = normal(plane);
    const V o = at(line[0]), along = minus(at(line[1]), o);
    const Q w = dot(n, along);
    EXPECT_EQ(made.has_value(), w != 0);
    if (!made || w == 0) return std::nullopt;
    const Q t = dot(n, minus(at(plane[1]), o)) / w;
    return Known{*made, {o[0] + t * along[0], o[1] + t * along[1], o[2] + t * along[2]}};
  }
  std::optional<Known> on_planes(const PlaneOfPoints& a, const PlaneOfPoints& b,
                                 const PlaneOfPoints& c) {
    const auto made = points_->add(a, b, c);
    const auto solved = solve({a, b, c});
    EXPECT_EQ(made.has_value(), solved.has_value());
    if (!made || !solved) return std::nullopt;
    return Known{*made, *solved};
  }
  [[nodiscard]] V normal(const PlaneOfPoints& p) const {
    return cross(minus(at(p[1]), at(p[0])), minus(at(p[2]), at(p[0])));
  }

 private:
  [[nodiscard]] std::optional<V> solve(const std::array<PlaneOfPoints, 3>& planes) const {
    Q m[3][4];
    for (std::size_t r = 0; r < 3; ++r) {
      const V n = normal(planes[r]);
      for (std::size_t c = 0; c < 3; ++c) m[r][c] = n[c];
      m[r][3] = dot(n, at(planes[r][2]));
    }
    for (int c = 0; c < 3; ++c) {
      int pivot = c;
      while (pivot < 3 && m[pivot][c] == 0) ++pivot;
      if (pivot == 3) return std::nullopt;
      std::swap(m[c], m[pivot]);
      for (int r = 0; r < 3; ++r) {
        if (r == c) continue;
        const Q f = m[r][c] / m[c][c];
        for (int k = c; k < 4; ++k) m[r][k] -= f * m[c][k];
      }
    }
    return V{m[0][3] / m[0][0], m[1][3] / m[1][1], m[2][3] / m[2][2]};
  }
  Point fresh() {
    Point p;
    for (int k = 0; k < 3; ++k) {
      p[k] = grid_ ? static_cast<double>(random_.index(4)) : random_.unit();
      p[k] *= scale_;
      if (random_.chance(nudge_)) p[k] = std::nextafter(p[k], 1e308);
    }
    return p;
  }

  Random random_;
  double scale_;
  bool grid_;
  double nudge_;
  std::vector<Point> pool_;
  std::optional<ExactPoints> points_;
};

int flat_turn(const V& a, const V& b, const V& c, int axis) {
  const std::size_t u = (axis + 1) % 3, v = (axis + 2) % 3;
  const V p = minus(b, a), q = minus(c, a);
  return sgn(Q(p[u] * q[v] - p[v] * q[u]));
}

int flat_circle(const V& a, const V& b, const V& c, const V& d, int axis) {
  const std::size_t u = (axis + 1) % 3, v = (axis + 2) % 3;
  Q det = 0;
  const V r[3] = {minus(a, d), minus(b, d), minus(c, d)};
  for (int i = 0; i < 3; ++i) {
    const V &p = r[i], &q = r[(i + 1) % 3], &s = r[(i + 2) % 3];
    det += (p[u] * p[u] + p[v] * p[v]) * (q[u] * s[v] - q[v] * s[u]);
  }
  return sgn(det);
}

TEST(ExactPoints, AreComparedAndOrientedExactly) {
  std::map<PredicateStage, int> stages;
  std::map<int, int> equal, circles;
  int made = 0;
  for (std::uint64_t seed = 1; seed <= 14000; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Maker maker(seed);
    const auto a = maker.known(), b = maker.known(), c = maker.known(), d = maker.known();
    if (!a || !b || !c || !d) continue;
    ++made;
    const ExactPoints& points = maker.points();
    for (int axis = 0; axis < 3; ++axis) {
      const StagedSign s = points.compare_staged(a->id, b->id, axis);
      ASSERT_EQ(s.sign, sgn(a->place[axis] - b->place[axis]));
      ASSERT_EQ(points.compare(b->id, a->id, axis), -s.sign);
      ++stages[s.stage];
      const StagedSign o = points.orient2d_staged(a->id, b->id, c->id, axis);
      ASSERT_EQ(o.sign, flat_turn(a->place, b->place, c->place, axis));
      ASSERT_EQ(points.orient2d(b->id, a->id, c->id, axis), -o.sign);
      ++stages[o.stage];
      const StagedSign in = points.in_circle_staged(a->id, b->id, c->id, d->id, axis);
      ASSERT_EQ(in.sign, flat_circle(a->place, b->place, c->place, d->place, axis));
      ++stages[in.stage];
      ++circles[in.sign];
    }
    ++equal[points.compare(a->id, b->id)];
    ASSERT_EQ(points.compare(a->id, b->id) == 0, a->place == b->place);
    const PlaneOfPoints plane = maker.any_plane();
    const StagedSign o = points.orient3d_staged(plane, c->id);
    ASSERT_EQ(o.sign, sgn(dot(maker.normal(plane), minus(c->place, maker.at(plane[0])))));
    ++stages[o.stage];
    const ExactPoints::View view = points.view_of(plane);
    const V n = maker.normal(plane);
    ASSERT_EQ(view.sign == 0, n == V({0, 0, 0}));
    ASSERT_EQ(view.sign, sgn(n[view.axis]));
  }
  EXPECT_GT(made, 1000);
  EXPECT_GT(equal[0], 50);
  EXPECT_GT(circles[0], 100);
  for (const auto stage : {PredicateStage::filter, PredicateStage::zero_column,
                           PredicateStage::by_definition, PredicateStage::whole}) {
    EXPECT_GT(stages[stage], 100) << static_cast<int>(stage);
  }
}

TEST(ExactPoints, LieOnWhatMakesThemWithoutWholeNumbers) {
  int points = 0, on_line = 0;
  for (std::uint64_t seed = 1; seed <= 2500; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Maker maker(seed);
    ExactPoints& all = maker.points();
    const PlaneOfPoints p[4] = {maker.any_plane(), maker.any_plane(), maker.any_plane(),
                                maker.any_plane()};
    const auto first = all.add(p[0], p[1], p[2]), second = all.add(p[0], p[1], p[3]);
    if (!first) continue;
    for (int k = 0; k < 3; ++k) {
      const StagedSign s = all.orient3d_staged(p[k], *first);
      EXPECT_EQ(s.sign, 0);
      EXPECT_NE(s.stage, PredicateStage::whole);
    }
    ++points;
    // The sides of one triangle in the plane of the other, and two planes more, on both.
    for (std::size_t k = 0; k < 3 && second; ++k) {
      const auto third = all.add(LineOfPoints{p[0][k], p[0][(k + 1) % 3]}, p[1]);
      if (!third) continue;
      for (int axis = 0; axis < 3; ++axis) {
        const StagedSign s = all.orient2d_staged(*first, *second, *third, axis);
        EXPECT_EQ(s.sign, 0);
        EXPECT_NE(s.stage, PredicateStage::whole);
      }
      ++on_line;
    }
  }
  EXPECT_GT(points, 200);
  EXPECT_GT(on_line, 200);
}

TEST(ExactPoints, AreApproximatedWithinAnUlp) {
  int tested = 0;
  for (std::uint64_t seed = 1; seed <= 2000; ++seed) {
    Maker maker(seed);
    const auto known = maker.known();
    if (!known) continue;
    const Point p = maker.points().approximation(known->id);
    for (int k = 0; k < 3; ++k) {
      if (!std::isfinite(p[k])) continue;
      const double low = std::nextafter(p[k], -HUGE_VAL), high = std::nextafter(p[k], HUGE_VAL);
      if (!std::isfinite(low) || !std::isfinite(high)) continue;
      EXPECT_GE(known->place[k], Q(low)) << "seed " << seed;
      EXPECT_LE(known->place[k], Q(high)) << "seed " << seed;
      ++tested;
    }
  }
  EXPECT_GT(tested, 3000);
}

TEST(ExactPoints, AreNoneWherePlanesAndLinesDoNotMeetInAPoint) {
  const std::vector<Point> given = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1},
                                    {1, 0, 1}, {2, 3, 1}, {2, 3, -1}};
  ExactPoints points(given);
  const PlaneOfPoints floor = {0, 1, 2};
  EXPECT_FALSE(points.add({3, 4}, floor));
  EXPECT_FALSE(points.add({0, 1}, floor));
  EXPECT_FALSE(points.add({3, 3}, floor));
  const auto p = points.add({5, 6}, floor);
  ASSERT_TRUE(p.has_value());
  EXPECT_EQ(points.approximation(*p), Point(2, 3, 0));
  EXPECT_EQ(points.size(), 8u) << "what is none takes no place";
}

TEST(ExactPoints, AnswerTheSameToManyThreads) {
  Maker maker(11, 60);
  std::vector<Known> all;
  while (all.size() < 80) {
    if (const auto k = maker.known()) all.push_back(*k);
  }
  const auto signs = [&] {
    std::vector<int> out;
    for (std::size_t i = 0; i + 2 < all.size(); ++i) {
      for (std::size_t j = i % 7; j + 1 < all.size(); j += 7) {
        out.push_back(maker.points().orient2d(all[i].id, all[j].id, all[i + 2].id, 1));
        out.push_back(maker.points().compare(all[i].id, all[j].id));
      }
    }
    return out;
  };
  std::vector<int> found[4];
  {
    std::vector<std::jthread> threads;
    for (auto& own : found) threads.emplace_back([&] { own = signs(); });
  }
  for (const auto& own : found) EXPECT_EQ(own, found[0]);
}

// Points in the plane of a triangle: its corners, where lines go through it, where planes cross it.
struct InPlane {
  PlaneOfPoints plane;
  ExactPoints::View view;
  std::vector<ExactPointId> ids;
  std::vector<V> places;
};
std::optional<InPlane> points_in_plane(Maker& maker) {
  InPlane in;
  in.plane = maker.any_plane();
  in.view = maker.points().view_of(in.plane);
  if (in.view.sign == 0) return std::nullopt;
  for (const std::uint32_t v : in.plane) {
    in.ids.push_back({v});
    in.places.push_back(maker.at(v));
  }
  for (int i = 0; i < 12; ++i) {
    const auto k = i % 2 == 0 ? maker.on_line({maker.any(), maker.any()}, in.plane)
                              : maker.on_planes(in.plane, maker.any_plane(), maker.any_plane());
    if (!k) continue;
    in.ids.push_back(k->id);
    in.places.push_back(k->place);
  }
  return in;
}

TEST(ExactPoints, AreTriangulatedAsTheirPlacesAre) {
  std::size_t triangles = 0, constraints = 0;
  for (std::uint64_t seed = 1; seed <= 1000; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Maker maker(seed);
    const auto in = points_in_plane(maker);
    if (!in) continue;
    std::vector<PlanarEdge> edges;
    for (int i = 0; i < 4; ++i) {
      edges.push_back({static_cast<std::uint32_t>(maker.random().index(in->ids.size())),
                       static_cast<std::uint32_t>(maker.random().index(in->ids.size()))});
    }
    const PlanarTriangulation t = triangulate(maker.points(), in->ids, in->view, edges);
    const auto turn = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c) {
      return in->view.sign * flat_turn(in->places[a], in->places[b], in->places[c], in->view.axis);
    };
    std::map<PlanarEdge, int> sides;
    for (const auto& f : t.triangles) {
      ASSERT_GT(turn(f[0], f[1], f[2]), 0);
      for (std::size_t k = 0; k < 3; ++k) ++sides[{f[k], f[(k + 1) % 3]}];
      ++triangles;
    }
    // Each side once each way, but those around, which every point lies to the left of.
    for (const auto& [side, count] : sides) {
      ASSERT_EQ(count, 1);
      const bool is_inner = sides.contains({side[1], side[0]});
      for (std::uint32_t v = 0; v < in->ids.size() && !is_inner; ++v) {
        ASSERT_GE(turn(side[0], side[1], v), 0);
      }
    }
    // Every point is a corner, or is where one is; no circle holds a corner beyond a free side.
    for (std::size_t v = 0; v < in->places.size(); ++v) {
      bool is_there = false;
      for (const auto& f : t.triangles) {
        for (const std::uint32_t c : f) is_there |= in->places[c] == in->places[v];
      }
      ASSERT_TRUE(is_there);
    }
    for (const auto& f : t.triangles) {
      for (const auto& g : t.triangles) {
        for (const std::uint32_t v : g) {
          const auto common = [&](std::uint32_t c) {
            return std::find(g.begin(), g.end(), c) != g.end();
          };
          if (common(f[0]) + common(f[1]) + common(f[2]) != 2 || v == f[0] || v == f[1] ||
              v == f[2]) {
            continue;
          }
          PlanarEdge between{};
          std::size_t n = 0;
          for (const std::uint32_t c : f) {
            if (common(c)) between[n++] = c;
          }
          std::sort(between.begin(), between.end());
          if (std::binary_search(t.constrained.begin(), t.constrained.end(), between)) continue;
          ASSERT_LE(in->view.sign * flat_circle(in->places[f[0]], in->places[f[1]],
                                                in->places[f[2]], in->places[v], in->view.axis),
                    0);
        }
      }
    }
    constraints += t.constrained.size();
  }
  EXPECT_GT(triangles, 2000u);
  EXPECT_GT(constraints, 500u);
}

TEST(OrderAround, IsThatOfTheAngles) {
  std::size_t sorted = 0, together = 0;
  for (std::uint64_t seed = 1; seed <= 1500; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Maker maker(seed, 9);
    const std::uint32_t from = maker.any(), to = maker.any();
    const V o = maker.at(from), d = minus(maker.at(to), o);
    std::vector<HalfPlane> planes;
    std::vector<V> places;
    for (int i = 0; i < 8; ++i) {
      PlaneOfPoints plane = {from, to, maker.any()};
      std::shuffle(plane.begin(), plane.end(), maker.random().engine());
      if (maker.points().view_of(plane).sign == 0) continue;
      // A corner, or where a line meets it.
      std::optional<Known> apex;
      const std::uint32_t corner = plane[0] != from && plane[0] != to   ? plane[0]
                                   : plane[1] != from && plane[1] != to ? plane[1]
                                                                        : plane[2];
      if (i % 2 == 0) {
        apex = Known{{corner}, maker.at(corner)};
      } else {
        apex = maker.on_line({maker.any(), maker.any()}, plane);
      }
      if (!apex || cross(d, minus(apex->place, o)) == V({0, 0, 0})) continue;
      planes.push_back({plane, apex->id});
      places.push_back(minus(apex->place, o));
    }
    if (planes.size() < 2) continue;
    const auto groups = order_around(maker.points(), {from}, {to}, planes);
    // The angle from the first, as something that grows with it: quarter, then cosine or sine.
    const V x = cross(d, cross(places[0], d)), y = cross(d, places[0]);
    const auto angle = [&](std::uint32_t i) {
      const V across = cross(d, cross(places[i], d));
      const Q c = dot(across, x), s = dot(across, y);
      // x and y are not equally long: scale the squares.
      const Q cc = c * c / dot(x, x), ss = s * s / dot(y, y);
      const Q part = ss / (cc + ss);
      if (s >= 0 && c > 0) return Q(part);
      if (s > 0 && c <= 0) return Q(2 - part);
      if (s <= 0 && c < 0) return Q(2 + part);
      return Q(4 - part);
    };
    Q last = -1;
    std::size_t count = 0;
    for (const auto& group : groups) {
      for (const std::uint32_t i : group) ASSERT_EQ(angle(i), angle(group[0]));
      ASSERT_TRUE(std::is_sorted(group.begin(), group.end()));
      ASSERT_GT(angle(group[0]), last);
      last = angle(group[0]);
      count += group.size();
      together += group.size() - 1;
    }
    ASSERT_EQ(groups[0][0], 0u);
    ASSERT_EQ(count, planes.size());
    sorted += count;
  }
  EXPECT_GT(sorted, 3000u);
  EXPECT_GT(together, 500u);
}

TEST(OrderAround, RefusesApexesOnTheLine) {
  const std::vector<Point> given = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
  const ExactPoints points(given);
  const HalfPlane bad{{0, 1, 2}, {1}};
  EXPECT_THROW(static_cast<void>(order_around(points, {0}, {1}, std::span(&bad, 1))),
               ArgumentError);
}

}  // namespace exact_points_test
}  // namespace aguja
