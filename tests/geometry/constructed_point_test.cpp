#include "aguja/geometry/constructed_point.h"

#include <cmath>
#include <map>

#include <gmpxx.h>
#include <gtest/gtest.h>

#include "tests/support/random_mesh.h"

namespace aguja {
namespace {

using test::Random;
using Q = mpq_class;
using V = std::array<Q, 3>;

V exact(const Point& p) { return {Q(p.x()), Q(p.y()), Q(p.z())}; }
V minus(const V& a, const V& b) { return {a[0] - b[0], a[1] - b[1], a[2] - b[2]}; }
Q dot(const V& a, const V& b) { return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]; }
V cross(const V& a, const V& b) {
  return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}

struct Known {
  ConstructedPoint point;
  V place;
};

class Maker {
 public:
  explicit Maker(std::uint64_t seed) : random_(seed) {
    constexpr double kScales[] = {1, 1e-9, 1e9, 1e-310, 0x1p300};
    scale_ = kScales[random_.index(5)];
    grid_ = random_.chance(0.6);
    nudge_ = random_.chance(0.3) ? 0.3 : 0;
    for (int i = 0; i < 7; ++i) pool_.push_back(fresh());
  }
  Point point() { return pool_[random_.index(pool_.size())]; }
  // By plain rationals, in another way than the code: solve for the parameter, or eliminate.
  std::optional<Known> known() {
    switch (random_.index(3)) {
      case 0: {
        const Point p = point();
        return Known{p, exact(p)};
      }
      case 1: {
        const Point p = point(), q = point();
        const PlanePoints plane = {point(), point(), point()};
        const auto made = ConstructedPoint::line_and_plane(p, q, plane);
        const V n = normal(plane);
        const V along = minus(exact(q), exact(p));
        const Q w = dot(n, along);
        EXPECT_EQ(made.has_value(), w != 0);
        if (!made) return std::nullopt;
        const Q t = dot(n, minus(exact(plane[1]), exact(p))) / w;
        const V o = exact(p);
        return Known{*made, {o[0] + t * along[0], o[1] + t * along[1], o[2] + t * along[2]}};
      }
      default: {
        const PlanePoints planes[3] = {
            {point(), point(), point()}, {point(), point(), point()}, {point(), point(), point()}};
        const auto made = ConstructedPoint::three_planes(planes[0], planes[1], planes[2]);
        const auto solved = solve(planes);
        EXPECT_EQ(made.has_value(), solved.has_value());
        if (!made || !solved) return std::nullopt;
        return Known{*made, *solved};
      }
    }
  }

 private:
  static V normal(const PlanePoints& p) {
    return cross(minus(exact(p[1]), exact(p[0])), minus(exact(p[2]), exact(p[0])));
  }
  static std::optional<V> solve(const PlanePoints (&planes)[3]) {
    Q m[3][4];
    for (int r = 0; r < 3; ++r) {
      const V n = normal(planes[r]);
      for (int c = 0; c < 3; ++c) m[r][c] = n[c];
      m[r][3] = dot(n, exact(planes[r][2]));
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
};

TEST(ConstructedPoint, IsComparedAndOrientedExactly) {
  std::map<PredicateStage, int> stages;
  std::map<int, int> equal;
  int made = 0;
  for (std::uint64_t seed = 1; seed <= 9000; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Maker maker(seed);
    const auto a = maker.known(), b = maker.known(), c = maker.known();
    if (!a || !b || !c) continue;
    ++made;
    for (int axis = 0; axis < 3; ++axis) {
      const StagedSign s = compare_staged(a->point, b->point, axis);
      ASSERT_EQ(s.sign, sgn(a->place[axis] - b->place[axis]));
      ASSERT_EQ(compare_staged(b->point, a->point, axis).sign, -s.sign);
      ++stages[s.stage];
      const int u = (axis + 1) % 3, v = (axis + 2) % 3;
      const V p = minus(b->place, a->place), q = minus(c->place, a->place);
      const StagedSign o = orient2d_staged(a->point, b->point, c->point, axis);
      ASSERT_EQ(o.sign, sgn(Q(p[u] * q[v] - p[v] * q[u])));
      ASSERT_EQ(orient2d(b->point, a->point, c->point, axis), -o.sign);
      ++stages[o.stage];
    }
    ++equal[compare(a->point, b->point)];
    ASSERT_EQ(compare(a->point, b->point) == 0, a->place == b->place);
    const Point x = maker.point(), y = maker.point(), z = maker.point();
    const StagedSign o = orient3d_staged(x, y, z, c->point);
    const V n = cross(minus(exact(y), exact(x)), minus(exact(z), exact(x)));
    ASSERT_EQ(o.sign, sgn(dot(n, minus(c->place, exact(x)))));
    ++stages[o.stage];
  }
  EXPECT_GT(made, 1000);
  EXPECT_GT(equal[0], 50);
  EXPECT_GT(stages[PredicateStage::filter], 3000);
  EXPECT_GT(stages[PredicateStage::rational], 1000);
}

TEST(ConstructedPoint, LiesOnThePlanesThatMakeIt) {
  int points = 0;
  for (std::uint64_t seed = 1; seed <= 1500; ++seed) {
    Maker maker(seed);
    PlanePoints p[3];
    for (auto& plane : p) plane = {maker.point(), maker.point(), maker.point()};
    const auto point = ConstructedPoint::three_planes(p[0], p[1], p[2]);
    if (!point) continue;
    for (const auto& plane : p) EXPECT_EQ(orient3d(plane[0], plane[1], plane[2], *point), 0);
    ++points;
  }
  EXPECT_GT(points, 200);
}

TEST(ConstructedPoint, IsApproximatedWithinAnUlp) {
  int tested = 0;
  for (std::uint64_t seed = 1; seed <= 2000; ++seed) {
    Maker maker(seed);
    const auto known = maker.known();
    if (!known) continue;
    const Point p = known->point.approximation();
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

TEST(ConstructedPoint, IsNoneWherePlanesAndLinesDoNotMeetInAPoint) {
  const PlanePoints floor = {Point(0, 0, 0), Point(1, 0, 0), Point(0, 1, 0)};
  EXPECT_FALSE(ConstructedPoint::line_and_plane({0, 0, 1}, {1, 0, 1}, floor));
  EXPECT_FALSE(ConstructedPoint::line_and_plane({0, 0, 0}, {1, 0, 0}, floor));
  EXPECT_FALSE(ConstructedPoint::line_and_plane({0, 0, 1}, {0, 0, 1}, floor));
  const auto p = ConstructedPoint::line_and_plane({2, 3, 1}, {2, 3, -1}, floor);
  ASSERT_TRUE(p.has_value());
  EXPECT_EQ(p->approximation(), Point(2, 3, 0));
  EXPECT_EQ(compare(*p, Point(2, 3, 0)), 0);
}

}  // namespace
}  // namespace aguja
