// Numbers of vertices, edges and faces through healing, sewing and closing.

#include "aguja/surface/body.h"

#include <gtest/gtest.h>

#include "aguja/formats/read_surfaces.h"
#include "aguja/surface/prepared_body.h"
#include "demo/surface_models.h"
#include "demo/surface_text.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace body_test {

using test::Random;

// Each face with edges and vertices of its own, these a little off; some edges in two pieces, some
// faces gone.
Body torn(std::uint64_t seed, double off) {
  Random random(seed);
  const auto drawn = seed % 2 == 0 ? demo::draw_clamp() : demo::draw_pod();
  Body body =
      read_surface_model({"x", demo::step_text(demo::apart(drawn), {.solid = false})}).bodies[0];
  for (BodyVertex& v : body.vertices) {
    if (random.chance(0.3)) v.point += off * Vector(random.unit(), random.unit(), random.unit());
  }
  const std::size_t edges = body.edges.size();
  std::map<std::uint32_t, std::uint32_t> second;
  for (std::uint32_t e = 0; e < edges; ++e) {
    if (!random.chance(0.1) || body.edges[e].is_closed()) continue;
    BodyEdge& first = body.edges[e];
    BodyEdge piece = first;
    piece.from = first.to = first.from + random.between(0.3, 0.7) * (first.to - first.from);
    body.vertices.push_back({first.curve->point(first.to), 0});
    piece.start = first.end = static_cast<std::uint32_t>(body.vertices.size() - 1);
    body.edges.push_back(piece);
    second[e] = static_cast<std::uint32_t>(body.edges.size() - 1);
  }
  for (Face& face : body.faces) {
    for (FaceLoop& loop : face.loops) {
      std::vector<EdgeUseOfFace> uses;
      for (const EdgeUseOfFace& u : loop.edges) {
        const auto at = second.find(u.edge);
        uses.push_back(u);
        if (at == second.end()) continue;
        uses.push_back({at->second, u.forward, nullptr});
        if (!u.forward) std::swap(uses[uses.size() - 1], uses[uses.size() - 2]);
      }
      loop.edges = std::move(uses);
    }
  }
  if (random.chance(0.5) && !body.shells.empty()) body.shells[0].faces.pop_back();
  return body;
}

struct Seen {
  std::size_t merged = 0, divided = 0, joined = 0, unused = 0;
};

void check(const Body& before, const Body& after, const BodyMaps& maps, double tolerance,
           Seen& seen) {
  ASSERT_GE(after.faces.size(), before.faces.size());
  for (std::uint32_t f = 0; f < before.faces.size(); ++f) {
    ASSERT_EQ(after.faces[f].surface, before.faces[f].surface);
    ASSERT_EQ(after.faces[f].entity, before.faces[f].entity);
    ASSERT_EQ(maps.faces.now(f), std::vector<std::uint32_t>{f});
  }
  const std::vector<std::uint32_t> uses_before = edge_uses(before), uses = edge_uses(after);
  for (std::uint32_t v = 0; v < before.vertices.size(); ++v) {
    ASSERT_EQ(after.vertices[v].point, before.vertices[v].point);
    for (const std::uint32_t now : maps.vertices.now(v)) {
      const double apart = (after.vertices[now].point - before.vertices[v].point).norm();
      ASSERT_LE(apart, 2 * tolerance);
      seen.merged += static_cast<std::size_t>(now != v);
    }
  }
  for (std::uint32_t e = 0; e < before.edges.size(); ++e) {
    if (uses_before[e] == 0) continue;
    const BodyEdge& was = before.edges[e];
    const std::vector<std::uint32_t> now = maps.edges.now(e);
    seen.unused += static_cast<std::size_t>(now.empty());
    if (now.empty()) {
      ASSERT_EQ(uses[e], 0u);
      continue;
    }
    // Where it ran, what it is now runs, in one piece or several.
    double left = 0;
    for (int i = 0; i <= 64; ++i) {
      const Point p = was.curve->point(was.from + (was.to - was.from) * i / 64.0);
      double nearest = std::numeric_limits<double>::infinity();
      for (const std::uint32_t n : now) {
        ASSERT_GT(uses[n], 0u) << "edge " << e << " became " << n << ", which is not used";
        const BodyEdge& is = after.edges[n];
        const double t = nearest_parameter(*is.curve, is.range(), p);
        nearest = std::min(nearest, (is.curve->point(t) - p).norm());
      }
      left = std::max(left, nearest);
    }
    ASSERT_LE(left, 2 * tolerance) << "edge " << e;
    seen.divided += static_cast<std::size_t>(now.size() > 1);
    seen.joined += static_cast<std::size_t>(now.size() == 1 && now[0] != e);
  }
  // An edge that is used is one that something became, or was added.
  for (std::uint32_t e = 0; e < before.edges.size(); ++e) {
    if (uses[e] > 0 && uses_before[e] > 0) {
      ASSERT_EQ(maps.edges.now(e), std::vector<std::uint32_t>{e});
    }
  }
}

TEST(Body, NumbersKeepTheirMeaningThroughHealingSewingAndClosing) {
  Seen seen;
  for (std::uint64_t seed = 1; seed <= 20; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const double tolerance = 0.02;
    const Body body = torn(seed, 0.25 * tolerance);
    const HealResult healed = heal(body, tolerance, all_healings());
    check(body, healed.body, healed.maps, tolerance, seen);
    EXPECT_LE(healed.largest_movement, tolerance);
    const SewResult sewn = sew(healed.body, tolerance, {.steps = 1 + static_cast<int>(seed % 3)});
    check(healed.body, sewn.body, sewn.maps, tolerance, seen);
    EXPECT_LE(sewn.largest_movement, 2 * tolerance);
    const ClosePlanesResult closed = close_planes(sewn.body, tolerance);
    check(sewn.body, closed.body, closed.maps, tolerance, seen);
    PrepareOptions options;
    options.heal.assign(all_healings().begin(), all_healings().end());
    options.sew_steps = 1 + static_cast<int>(seed % 3);
    options.close_planes = true;
    const PreparedBody all = prepare_body(body, {tolerance, "a test"}, options);
    check(body, all.body, all.maps, tolerance, seen);
    if (HasFatalFailure()) return;
    EXPECT_EQ(all.body.edges.size(), closed.body.edges.size());
  }
  EXPECT_GT(seen.merged, 400u);
  EXPECT_GT(seen.divided, 40u);
  EXPECT_GT(seen.joined, 400u);
}

TEST(EntityMap, OneAfterTheOther) {
  EntityMap first, second;
  first.set(1, {4, 5});
  first.set(2, {0});
  first.set(3, {});
  second.set(5, {6, 7});
  second.set(0, {8});
  first.then(second);
  using List = std::vector<std::uint32_t>;
  EXPECT_EQ(first.now(1), (List{4, 6, 7}));
  EXPECT_EQ(first.now(2), List{8});
  EXPECT_EQ(first.now(0), List{8});
  EXPECT_TRUE(first.now(3).empty());
  EXPECT_TRUE(first.is_unchanged(4));
  EXPECT_EQ(first.size(), 5u);
  first.keep_below(4);
  EXPECT_EQ(first.now(5), List{5});
}

}  // namespace body_test
}  // namespace aguja
