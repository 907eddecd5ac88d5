#include "aguja/mesh/arrangement.h"

#include <map>

#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

#include "tests/support/crossing_soups.h"
#include "tests/support/exact_contact.h"
#include "tests/support/random_mesh.h"
#include "tests/support/sanitized.h"
#include "tests/support/shapes.h"
#include "tests/support/stop_after.h"

namespace aguja {
namespace arrangement_test {

using test::cross;
using test::joined;
using test::minus;
using test::rational;
using test::RationalPoint;
using test::RationalTriangle;
using Q = mpq_class;

RationalPoint place(const Arrangement& a, ExactPointId p) {
  const auto text = a.points().fractions(p);
  RationalPoint out;
  for (std::size_t k = 0; k < 3; ++k) {
    out[k] = Q(text[k]);
    out[k].canonicalize();
  }
  return out;
}

RationalPoint normal_of(const RationalTriangle& t) {
  return cross(minus(t.corner[1], t.corner[0]), minus(t.corner[2], t.corner[0]));
}

// What the arrangement promises, by plain rational arithmetic.
void expect_promises(const Welded& mesh, const Arrangement& a) {
  std::map<RationalPoint, ExactPointId> number;
  std::vector<RationalTriangle> pieces;
  for (const Arrangement::Piece& piece : a.pieces()) {
    RationalTriangle r;
    for (std::size_t k = 0; k < 3; ++k) {
      r.corner[k] = place(a, piece[k]);
      r.label[k] = piece[k].value;
      EXPECT_EQ(number.emplace(r.corner[k], piece[k]).first->second, piece[k]);
    }
    pieces.push_back(std::move(r));
  }
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    for (std::size_t j = i + 1; j < pieces.size(); ++j) {
      ASSERT_EQ(contact_by_rationals(pieces[i], pieces[j]), Contact::none) << i << " and " << j;
      auto x = pieces[i].label, y = pieces[j].label;
      std::sort(x.begin(), x.end());
      std::sort(y.begin(), y.end());
      EXPECT_NE(x, y);
    }
  }
  for (std::uint32_t t = 0; t < mesh.triangles().size(); ++t) {
    LabelledTriangle own = labelled(mesh, {t});
    own.label = {0xF0000000, 0xF0000001, 0xF0000002};
    const RationalTriangle whole = rational(own);
    const RationalPoint normal = normal_of(whole);
    const bool has_area = normal[0] != 0 || normal[1] != 0 || normal[2] != 0;
    RationalPoint sum = {0, 0, 0};
    for (std::size_t i = 0; i < pieces.size(); ++i) {
      bool is_parent = false, opposite = false;
      for (const PieceParent p : a.parents(i)) {
        if (p.triangle().value != t) continue;
        EXPECT_FALSE(is_parent);
        is_parent = true;
        opposite = p.opposite();
      }
      const bool lies_in = has_area && contact_by_rationals(whole, pieces[i]) == Contact::overlap;
      ASSERT_EQ(is_parent, lies_in) << "triangle " << t << ", piece " << i;
      if (!is_parent) continue;
      const RationalPoint n = normal_of(pieces[i]);
      for (std::size_t k = 0; k < 3; ++k) sum[k] += opposite ? Q(-n[k]) : n[k];
    }
    EXPECT_EQ(sum, normal) << "triangle " << t;
  }
  for (std::size_t i = 0; i < pieces.size(); ++i) {
    const auto parents = a.parents(i);
    ASSERT_FALSE(parents.empty());
    EXPECT_FALSE(parents[0].opposite());
    EXPECT_TRUE(std::is_sorted(parents.begin(), parents.end()));
  }
}

TEST(Arrangement, KeepsItsPromisesWhereTrianglesMeetInEveryWay) {
  constexpr std::uint64_t kCases = test::kSanitized ? 20 : 120;
  std::size_t cut = 0;
  for (std::uint64_t seed = 0; seed < kCases; ++seed) {
    SCOPED_TRACE(seed);
    const Mesh mesh = test::crossing_triangles(seed);
    const Welded welded(mesh);
    const Arrangement a = arrange(welded);
    cut += static_cast<std::size_t>(a.pieces().size() > mesh.triangles.size());
    expect_promises(welded, a);
    if (HasFatalFailure() || HasNonfatalFailure()) return;
  }
  EXPECT_GT(cut, kCases / 2);
}

TEST(Arrangement, CutsBodiesThatShareSidesEdgesAndCorners) {
  for (std::uint64_t seed = 0; seed < 12; ++seed) {
    SCOPED_TRACE(seed);
    test::Random random(seed);
    Mesh mesh;
    for (int b = 0; b < 3; ++b) {
      const Point low(static_cast<double>(random.index(3)), static_cast<double>(random.index(3)),
                      static_cast<double>(random.index(2)));
      mesh = joined(mesh, test::box_between(low, low + Vector(2, 2, 1), random.bits()));
    }
    const Welded welded(mesh);
    expect_promises(welded, arrange(welded));
    if (HasFatalFailure() || HasNonfatalFailure()) return;
  }
}

TEST(Arrangement, LeavesWhatMeetsNothingAsItIs) {
  const Mesh mesh = joined(test::torus(40, 20, 3, 1), test::box_between({9, 9, 9}, {10, 10, 10}));
  const Welded welded(mesh);
  const Arrangement a = arrange(welded);
  EXPECT_TRUE(a.is_as_given());
  ASSERT_EQ(a.pieces().size(), mesh.triangles.size());
  EXPECT_EQ(a.points().size(), welded.points().size());
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    for (std::size_t k = 0; k < 3; ++k) {
      EXPECT_EQ(a.pieces()[t][k].value, welded.triangles()[t][k].value);
    }
    ASSERT_EQ(a.parents(t).size(), 1u);
    EXPECT_EQ(a.parents(t)[0].triangle().value, t);
  }
}

// So many divisions of one plane on each other, each with triangles in another place.
Mesh layers(int count) {
  test::Random random(3);
  Mesh mesh;
  for (int layer = 0; layer < count; ++layer) {
    Mesh own;
    constexpr std::uint32_t kAcross = 8;
    for (std::uint32_t i = 0; i <= kAcross; ++i) {
      for (std::uint32_t j = 0; j <= kAcross; ++j) {
        const bool rim = i == 0 || j == 0 || i == kAcross || j == kAcross;
        // So little that no triangle turns over.
        const double by = rim ? 0 : 0.2;
        const double x = i + random.between(-by, by);
        const double y = j + random.between(-by, by);
        own.points.emplace_back(x, y, 1.5);
      }
    }
    for (std::uint32_t i = 0; i < kAcross; ++i) {
      for (std::uint32_t j = 0; j < kAcross; ++j) {
        const std::uint32_t v = i * (kAcross + 1) + j, w = v + kAcross + 1;
        own.triangles.push_back({{{v}, {w}, {w + 1}}});
        own.triangles.push_back({{{v}, {w + 1}, {v + 1}}});
      }
    }
    mesh = joined(mesh, own);
  }
  return mesh;
}

TEST(Arrangement, DividesOnePlaneOnce) {
  constexpr std::size_t kLayers = test::kSanitized ? 5 : 10;
  const Mesh mesh = layers(kLayers);
  const Welded welded(mesh);
  const Arrangement a = arrange(welded);
  Q area = 0;
  for (std::size_t i = 0; i < a.pieces().size(); ++i) {
    EXPECT_EQ(a.parents(i).size(), kLayers);
    RationalTriangle r;
    for (std::size_t k = 0; k < 3; ++k) r.corner[k] = place(a, a.pieces()[i][k]);
    area += normal_of(r)[2];
  }
  EXPECT_EQ(area, 2 * 64);
  // Euler: one more than the edges and faces say, without what is outside.
  std::map<std::pair<std::uint32_t, std::uint32_t>, int> edges;
  std::map<std::uint32_t, int> points;
  for (const auto& piece : a.pieces()) {
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint32_t from = piece[k].value, to = piece[(k + 1) % 3].value;
      ++edges[{std::min(from, to), std::max(from, to)}];
      ++points[piece[k].value];
    }
  }
  EXPECT_EQ(points.size() + a.pieces().size(), edges.size() + 1);
}

TEST(Arrangement, IsTheSameForAnyNumberOfThreads) {
  const Mesh mesh = joined(joined(test::sphere(24), test::sphere(20, 1.0, Point(0.3, 0.2, 0.1))),
                           layers(test::kSanitized ? 3 : 10));
  const Welded welded(mesh);
  const auto made = [&](std::size_t threads) {
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                            threads);
    return arrange(welded);
  };
  const Arrangement one = made(1), many = made(6);
  ASSERT_TRUE(std::ranges::equal(one.pieces(), many.pieces()));
  for (std::size_t i = 0; i < one.pieces().size(); ++i) {
    EXPECT_TRUE(std::ranges::equal(one.parents(i), many.parents(i)));
  }
}

TEST(Arrangement, StopsWhenAskedTo) {
  const Mesh mesh = joined(test::sphere(12), test::sphere(10, 1.0, Point(0.3, 0.2, 0.1)));
  const Welded welded(mesh);
  int calls = 0;
  for (bool done = false; !done; ++calls) {
    test::StopAfter stop(calls);
    try {
      static_cast<void>(arrange(welded, &stop));
      done = true;
    } catch (const Cancelled&) {
    }
  }
  EXPECT_GT(calls, 5);
}

TEST(Arrangement, RefusesCoordinatesBeyondItsRange) {
  Mesh mesh = test::cube();
  mesh.points[0].x() = -1e151;
  EXPECT_THROW(static_cast<void>(arrange(Welded(mesh))), ArgumentError);
}

}  // namespace arrangement_test
}  // namespace aguja
