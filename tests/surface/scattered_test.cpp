// Sewing bodies whose every face was moved a little by itself, as careless exchanges leave them.

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <numbers>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/solid/certificate.h"
#include "aguja/solid/prepare.h"
#include "tests/support/cases.h"
#include "tests/support/drawn_body.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace scattered_test {

using test::Random;

constexpr double kQuarter = std::numbers::pi / 2;

// Faces share nothing: each has its own edges and vertices, and is moved by less than `shift`.
class Scattered {
 public:
  Scattered(double shift, std::uint64_t seed) : shift_(shift), random_(seed) {}
  struct Side {
    CurvePtr curve;
    double from, to;
  };
  using Make = std::function<SurfacePtr(const Vector&)>;

  void face(const Make& surface, const std::vector<Side>& loop) {
    Vector by;
    do {
      by = Vector(random_.between(-1, 1), random_.between(-1, 1), random_.between(-1, 1));
    } while (by.norm() > 1);
    Placement place;
    place.shift = shift_ * by;
    std::vector<std::uint32_t> corners;
    for (const Side& side : loop)
      corners.push_back(drawing_.vertex(place(side.curve->point(side.from))));
    FaceLoop own;
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const std::uint32_t edge =
          drawing_.edge(make_moved(loop[i].curve, place), {loop[i].from, loop[i].to}, corners[i],
                        corners[(i + 1) % corners.size()]);
      own.edges.push_back({edge, true, nullptr});
    }
    drawing_.face_of_loops(surface(place.shift), {own});
    drawing_.body().faces.back().loops_directed = false;
  }
  void polygon(const std::vector<Point>& corners) {
    std::vector<Side> loop;
    for (std::size_t i = 0; i < corners.size(); ++i) {
      const Point &a = corners[i], &b = corners[(i + 1) % corners.size()];
      loop.push_back({make_line(a, b - a), 0, 1});
    }
    const Vector x = corners[1] - corners[0];
    const Vector normal = x.cross(corners[2] - corners[1]).normalized();
    face([&](const Vector& by) { return make_plane(Frame::from(corners[0] + by, normal, x)); },
         loop);
  }
  [[nodiscard]] SurfaceModel model() const { return drawing_.model(); }

 private:
  double shift_;
  Random random_;
  test::Drawing drawing_;
};

// Two faces across an axis of a box, all corners within `low` and `high` along the others.
void add_planes(Scattered& s, int axis, double low, double high, double near, double far) {
  const int u = (axis + 1) % 3, v = (axis + 2) % 3;
  for (const bool is_far : {false, true}) {
    std::vector<Point> corners;
    for (const auto& [x, y] : {std::pair{low, low}, {high, low}, {high, high}, {low, high}}) {
      Point p;
      p[axis] = is_far ? far : near;
      p[u] = x;
      p[v] = y;
      corners.push_back(p);
    }
    if (!is_far) std::reverse(corners.begin(), corners.end());
    s.polygon(corners);
  }
}

constexpr double kSide = 20, kRadius = 2;

SurfaceModel rounded_block(double shift, std::uint64_t seed) {
  Scattered s(shift, seed);
  const double low = kRadius, high = kSide - kRadius;
  for (int axis = 0; axis < 3; ++axis) add_planes(s, axis, low, high, 0, kSide);
  const auto arc = [&](const Point& center, const Vector& x, const Vector& y) {
    return make_circle(Frame::from(center, x.cross(y), x), kRadius);
  };
  for (int axis = 0; axis < 3; ++axis) {
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    for (const double x : {low, high}) {
      for (const double y : {low, high}) {
        Point a, b;
        a[axis] = low, b[axis] = high;
        a[u] = b[u] = x;
        a[v] = b[v] = y;
        Vector to_u = Vector::Zero(), to_v = Vector::Zero();
        to_u[u] = x == high ? 1 : -1;
        to_v[v] = y == high ? 1 : -1;
        s.face(
            [&](const Vector& by) {
              return make_cylinder(Frame::from(a + by, to_u.cross(to_v), to_u), kRadius);
            },
            {{arc(a, to_u, to_v), 0, kQuarter},
             {make_line(a + kRadius * to_v, b - a), 0, 1},
             {arc(b, to_u, to_v), kQuarter, 0},
             {make_line(b + kRadius * to_u, a - b), 0, 1}});
      }
    }
  }
  for (int corner = 0; corner < 8; ++corner) {
    Point center;
    std::array<Vector, 3> to = {Vector::Zero(), Vector::Zero(), Vector::Zero()};
    for (int axis = 0; axis < 3; ++axis) {
      const bool is_high = (corner >> axis & 1) != 0;
      center[axis] = is_high ? high : low;
      to[axis][axis] = is_high ? 1 : -1;
    }
    s.face(
        [&](const Vector& by) {
          return make_sphere(Frame::from(center + by, Vector::UnitZ(), Vector::UnitX()), kRadius);
        },
        {{arc(center, to[0], to[1]), 0, kQuarter},
         {arc(center, to[1], to[2]), 0, kQuarter},
         {arc(center, to[2], to[0]), 0, kQuarter}});
  }
  return s.model();
}
double rounded_volume() {
  const double a = kSide - 2 * kRadius;
  return a * a * a + 6 * a * a * kRadius + 3 * a * std::numbers::pi * kRadius * kRadius +
         4 * std::numbers::pi / 3 * kRadius * kRadius * kRadius;
}

// `strip`: a sliver across the top, or from its middle to one side only (`ends_inside`).
SurfaceModel box_with_strip(double shift, std::uint64_t seed, double strip, bool ends_inside) {
  Scattered s(shift, seed);
  const double a = kSide, h = kSide / 2;
  add_planes(s, 0, 0, a, 0, a);
  add_planes(s, 1, 0, a, 0, a);
  s.polygon({{0, a, 0}, {a, a, 0}, {a, 0, 0}, {0, 0, 0}});
  if (strip == 0) {
    s.polygon({{0, 0, a}, {a, 0, a}, {a, a, a}, {0, a, a}});
  } else if (!ends_inside) {
    s.polygon({{0, 0, a}, {h, 0, a}, {h, a, a}, {0, a, a}});
    s.polygon({{h, 0, a}, {h + strip, 0, a}, {h + strip, a, a}, {h, a, a}});
    s.polygon({{h + strip, 0, a}, {a, 0, a}, {a, a, a}, {h + strip, a, a}});
  } else {
    s.polygon({{0, 0, a}, {a, 0, a}, {a, h, a}, {0, h, a}});
    s.polygon({{0, h, a}, {h, h, a}, {h, a, a}, {0, a, a}});
    s.polygon({{h, h, a}, {h + strip, h, a}, {h + strip, a, a}, {h, a, a}});
    s.polygon({{h + strip, h, a}, {a, h, a}, {a, a, a}, {h + strip, a, a}});
  }
  return s.model();
}

// How often more tolerance closed less.
std::size_t expect_closed(const SurfaceModel& model, double shift, double volume) {
  PrepareOptions options;
  options.tessellation.chord = 0.2;
  std::size_t open = std::numeric_limits<std::size_t>::max(), less = 0;
  // Places of two faces lie 2 shifts apart at most; with less, some are joined.
  for (const double times : {0.5, 1.0, 1.5, 2.0, 2.5, 3.0, 4.0, 8.0}) {
    SCOPED_TRACE(testing::Message() << "sewn at " << times << " shifts");
    options.sew = times * shift;
    const Model p = prepare(model, options);
    const SewReport& sewing = p.sources[0].bodies[0]->sewing;
    EXPECT_LE(sewing.largest_gap, times * shift);
    less += sewing.open_after > open;
    open = sewing.open_after;
    if (times < 4) continue;
    EXPECT_EQ(open, 0u);
    const Certificate c = certify(p);
    EXPECT_EQ(c.verdict, Verdict::solid) << (c.reasons.empty() ? "" : c.reasons[0].text);
    EXPECT_NEAR(c.mass.volume, volume, 6 * kSide * kSide * (shift + 0.2));
  }
  return less;
}

TEST(Scattered, ARoundedBlockClosesAtTwiceTheLargestGap) {
  for (const double shift : {0.002, 0.05, 0.2}) {
    for (std::uint64_t seed = 1; seed <= test::cases(2); ++seed) {
      SCOPED_TRACE(testing::Message() << "shift " << shift << ", seed " << seed);
      EXPECT_EQ(expect_closed(rounded_block(shift, seed), shift, rounded_volume()), 0u);
    }
  }
}

TEST(Scattered, BoxesCloseWithSliversAndWhereTheyEndInside) {
  // Slivers that are as wide as faces were moved may be joined to the wrong side.
  std::size_t less = 0;
  for (const double strip : {0.0, 0.3, 1.5, 3.0, 20.0}) {
    for (const bool ends_inside : {false, true}) {
      for (std::uint64_t seed = 1; seed <= test::cases(8); ++seed) {
        const double shift = seed % 2 == 0 ? 0.002 : 0.05;
        SCOPED_TRACE(testing::Message()
                     << "shift " << shift << ", strip " << strip
                     << (ends_inside ? ", ends inside" : "") << ", seed " << seed);
        less += expect_closed(box_with_strip(shift, seed, strip * shift, ends_inside), shift,
                              kSide * kSide * kSide);
      }
    }
  }
  EXPECT_EQ(less, 0u);
}

// Edges shorter than the tolerance are features where faces can be joined without merging them.
TEST(Scattered, PlatesThinnerThanTheToleranceKeepTheirThickness) {
  constexpr double kThickness = 0.1, kShift = 0.002;
  for (std::uint64_t seed = 1; seed <= 4; ++seed) {
    Scattered s(kShift, seed);
    const double a = kSide, h = kThickness;
    s.polygon({{0, a, 0}, {a, a, 0}, {a, 0, 0}, {0, 0, 0}});
    s.polygon({{0, 0, h}, {a, 0, h}, {a, a, h}, {0, a, h}});
    const std::array<Point, 4> corners = {Point{0, 0, 0}, {a, 0, 0}, {a, a, 0}, {0, a, 0}};
    for (std::size_t i = 0; i < 4; ++i) {
      const Point p = corners[i], q = corners[(i + 1) % 4];
      s.polygon({p, q, q + Vector(0, 0, h), p + Vector(0, 0, h)});
    }
    const SurfaceModel model = s.model();
    for (const double tolerance : {0.01, 0.05, 0.12, 0.2, 0.5}) {
      SCOPED_TRACE(testing::Message() << "seed " << seed << ", sewn at " << tolerance);
      PrepareOptions options;
      options.sew = tolerance;
      const Model p = prepare(model, options);
      const Certificate c = certify(p);
      EXPECT_EQ(c.verdict, Verdict::solid) << (c.reasons.empty() ? "" : c.reasons[0].text);
      EXPECT_NEAR(c.mass.volume, a * a * h, a * a * 3 * kShift);
      EXPECT_TRUE(p.sources[0].bodies[0]->healed.empty());
    }
  }
}

}  // namespace scattered_test
}  // namespace aguja
