#include "aguja/mesh/zip.h"

#include <map>
#include <numbers>
#include <set>

#include <gtest/gtest.h>

#include "aguja/mesh/components.h"
#include "demo/crack.h"
#include "tests/support/shapes.h"
#include "tests/support/spoilt_solid.h"

namespace aguja {
namespace zip_test {

using test::Random;

// A solid torn along its patches, and what is known of its rims.
struct Torn {
  explicit Torn(std::uint64_t seed, double crack_width = 1e-4) : width(crack_width) {
    Random random(seed);
    Mesh whole;
    do {
      whole = test::random_solid(random).mesh;
    } while (whole.patch_of.empty());
    const int pieces = 1 + static_cast<int>(random.index(4));
    demo::CrackOptions how;
    how.width = width;
    how.seed = seed;
    how.pieces = [pieces](PatchId p) { return p.value % 2 == 1 ? pieces : 1; };
    mesh = demo::cracked(whole, how);
    welded = std::make_unique<Welded>(mesh);
    edges = std::make_unique<EdgeTable>(welded->triangles(), welded->points().size());
    components = find_components(welded->triangles(), *edges);
  }
  [[nodiscard]] double length_of(std::uint32_t naked, const RimPairing& pairing) const {
    const NakedEdge& e = pairing.naked[naked];
    return (welded->point(e.to) - welded->point(e.from)).norm();
  }

  double width;
  Mesh mesh;
  std::unique_ptr<Welded> welded;
  std::unique_ptr<EdgeTable> edges;
  Components components;
};

struct PlannedZip {
  explicit PlannedZip(std::uint64_t seed)
      : torn(seed),
        tolerance(2 * torn.width),
        pairing(pair_rims(*torn.welded, *torn.edges, torn.components, tolerance)),
        plan(plan_zip(*torn.welded, *torn.edges, pairing, tolerance)) {}

  Torn torn;
  double tolerance;
  RimPairing pairing;
  ZipPlan plan;
};

TEST(PairRims, CoversTheRimsOfCracksOnceAndNoWiderThanTheReach) {
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Torn torn(seed);
    const double reach = 4 * torn.width;
    const RimPairing pairing = pair_rims(*torn.welded, *torn.edges, torn.components, reach);
    std::map<std::uint32_t, double> covered;
    double last = 0, rims = 0, paired = 0;
    for (const FacingPair& pair : pairing.pairs) {
      EXPECT_LE(pair.largest_width(), reach * (1 + 1e-9));
      EXPECT_GE(pair.width() * (pair.same_way ? 1.5 : 1), last - 1e-15) << "narrowest first";
      last = pair.width() * (pair.same_way ? 1.5 : 1);
      for (const RimPiece& piece : {pair.first, pair.second}) {
        EXPECT_GE(piece.begin, 0);
        EXPECT_LE(piece.end, 1);
        covered[piece.naked] += piece.end - piece.begin;
        paired += (piece.end - piece.begin) * torn.length_of(piece.naked, pairing);
      }
    }
    for (const auto& [naked, part] : covered) EXPECT_LE(part, 1.6) << "taken twice";
    for (std::uint32_t e = 0; e < pairing.naked.size(); ++e) rims += torn.length_of(e, pairing);
    EXPECT_GE(paired, 0.9 * rims);
  }
}

// The lid of a cylinder, torn into needles about one vertex: each side finds the one beside it,
// however many there are.
TEST(PairRims, FindsTheNextOfManyNeedlesAboutAVertex) {
  for (const std::uint32_t count : {40u, 700u}) {
    for (const double turn : {0.0, 0.8}) {
      constexpr double kGap = 1e-6;
      Mesh mesh;
      const auto on_rim = [&](double angle) {
        return Point(std::cos(angle), std::cos(turn) * std::sin(angle),
                     std::sin(turn) * std::sin(angle));
      };
      mesh.points.push_back(Point::Zero());
      for (std::uint32_t i = 0; i < count; ++i) {
        const double step = 2 * std::numbers::pi / count;
        mesh.points.push_back(on_rim(i * step + kGap));
        mesh.points.push_back(on_rim((i + 1) * step - kGap));
        mesh.triangles.push_back({{{0}, {2 * i + 1}, {2 * i + 2}}});
      }
      const Welded welded(mesh);
      const EdgeTable edges(welded.triangles(), welded.points().size());
      const RimPairing pairing =
          pair_rims(welded, edges, find_components(welded.triangles(), edges), 10 * kGap);
      ASSERT_EQ(pairing.naked.size(), 3 * count);
      std::set<std::pair<std::uint32_t, std::uint32_t>> found;
      for (const FacingPair& pair : pairing.pairs) {
        EXPECT_NEAR(pair.largest_width(), 2 * kGap, 1e-9);
        found.insert(std::minmax(pairing.naked[pair.first.naked].triangle.value,
                                 pairing.naked[pair.second.naked].triangle.value));
      }
      std::set<std::pair<std::uint32_t, std::uint32_t>> expected;
      for (std::uint32_t i = 0; i < count; ++i) expected.insert(std::minmax(i, (i + 1) % count));
      EXPECT_EQ(found, expected);
    }
  }
}

TEST(PlanZip, KnotsHoldWhatMeetsWithinTheTolerance) {
  std::size_t knots = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const PlannedZip planned(seed);
    const auto& [torn, tolerance, pairing, plan] = planned;
    std::set<VertexId> taken;
    for (const Knot& knot : plan.knots) {
      ++knots;
      EXPECT_TRUE(knot.members.size() >= 2 || !knot.insertions.empty());
      for (const VertexId v : knot.members) {
        EXPECT_TRUE(taken.insert(v).second) << "a vertex in two knots";
        EXPECT_LE((torn.welded->point(v) - knot.place).norm(), tolerance * (1 + 1e-9));
        for (const VertexId w : knot.members) {
          EXPECT_TRUE(v == w || !torn.edges->find(v, w).has_value());
        }
      }
      for (const Insertion& i : knot.insertions) {
        const NakedEdge& e = pairing.naked[i.naked];
        const Point at = torn.welded->point(e.from) +
                         i.at * (torn.welded->point(e.to) - torn.welded->point(e.from));
        EXPECT_LE((at - knot.place).norm(), tolerance * (1 + 1e-9));
        EXPECT_TRUE(i.at > 0 && i.at < 1);
      }
    }
  }
  EXPECT_GE(knots, 1000u);
}

TEST(ApplyZip, JoinsWhatThePlanSaysAndKeepsTheRest) {
  std::size_t inserted = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const PlannedZip planned(seed);
    const auto& [torn, tolerance, pairing, plan] = planned;
    const Zipped zipped = apply_zip(*torn.welded, torn.mesh.patch_of, pairing, plan);
    EXPECT_EQ(zipped.mesh.triangles.size(), torn.mesh.triangles.size() + zipped.inserted);
    ASSERT_EQ(zipped.parent.size(), zipped.mesh.triangles.size());
    ASSERT_EQ(zipped.new_vertex.size(), torn.welded->points().size());
    EXPECT_TRUE(std::is_sorted(zipped.parent.begin(), zipped.parent.end()));
    for (const Knot& knot : plan.knots) {
      for (const VertexId v : knot.members) {
        const VertexId now = zipped.new_vertex[v.value];
        EXPECT_EQ(zipped.mesh.point(now), knot.place);
        EXPECT_NE(zipped.knot_of[now.value], kNoIndex);
      }
    }
    for (std::size_t t = 0; t < zipped.parent.size(); ++t) {
      EXPECT_EQ(zipped.mesh.patch_of[t], torn.mesh.patch_of[zipped.parent[t].value]);
    }
    EXPECT_LT(test::naked_edges(zipped.mesh), test::naked_edges(torn.mesh) / 4);
    inserted += zipped.inserted;
  }
  EXPECT_GE(inserted, 300u);
}

}  // namespace zip_test
}  // namespace aguja
