#include "aguja/mend/change.h"

#include <map>
#include <set>

#include <gtest/gtest.h>

#include "aguja/mend/by_hand.h"
#include "aguja/mend/drop.h"
#include "aguja/mend/harm.h"
#include "aguja/mend/mend.h"
#include "aguja/mend/orient.h"
#include "aguja/mend/weld.h"
#include "mend/edge_operations.h"
#include "mend/same_triangle.h"
#include "tests/support/shapes.h"
#include "tests/support/spoilt_solid.h"

namespace aguja {
namespace change_test {

using test::model_of;
using test::Random;

using PointKey = std::tuple<double, double, double>;
PointKey key(const Point& p) { return {p.x() + 0.0, p.y() + 0.0, p.z() + 0.0}; }

struct MapCounts {
  std::size_t kept = 0, merged = 0, gone = 0, adds = 0;
};

// What the maps say must be what the two meshes show.
void check_maps(const Mesh& before, const MeshMaps& maps, const Mesh& after, MapCounts& counts) {
  ASSERT_EQ(maps.parent.size(), after.triangles.size());
  ASSERT_EQ(maps.vertex_now.size(), before.points.size());
  ASSERT_TRUE(std::is_sorted(maps.further_parents.begin(), maps.further_parents.end()));
  for (std::size_t i = 0; i < maps.further_parents.size(); ++i) {
    const FurtherParent& f = maps.further_parents[i];
    ASSERT_LT(f.triangle.value, after.triangles.size());
    ASSERT_LT(f.parent.value, before.triangles.size());
    ASSERT_NE(f.parent, maps.parent[f.triangle.value]);
    if (i > 0) {
      ASSERT_NE(f, maps.further_parents[i - 1]);
    }
  }
  if (maps.only_adds) {
    ++counts.adds;
    ASSERT_GE(after.points.size(), before.points.size());
    ASSERT_TRUE(std::equal(before.points.begin(), before.points.end(), after.points.begin()));
    ASSERT_GE(after.triangles.size(), before.triangles.size());
    ASSERT_TRUE(
        std::equal(before.triangles.begin(), before.triangles.end(), after.triangles.begin()));
    for (std::uint32_t t = 0; t < after.triangles.size(); ++t) {
      ASSERT_EQ(maps.parent[t].value, t < before.triangles.size() ? t : kNoIndex);
    }
  }
  std::set<PointKey> places;
  for (std::uint32_t t = 0; t < after.triangles.size(); ++t) {
    const TriangleId p = maps.parent[t];
    for (const VertexId v : after.triangles[t].corner) places.insert(key(after.point(v)));
    if (p.value == kNoIndex) continue;
    ASSERT_LT(p.value, before.triangles.size());
    if (same_triangle(before, p, after, {t}) != Sameness::same) continue;
    // A triangle that stayed: its corners did, too.
    std::set<VertexId> now, told;
    for (const VertexId v : after.triangles[t].corner) now.insert(v);
    for (const VertexId v : before.triangle(p).corner) told.insert(maps.vertex_now[v.value]);
    ASSERT_EQ(now, told) << "triangle " << t;
    ++counts.kept;
  }
  std::map<VertexId, Point> first;
  for (std::size_t v = 0; v < before.points.size(); ++v) {
    const VertexId now = maps.vertex_now[v];
    if (now.value == kNoIndex) {
      ASSERT_FALSE(places.contains(key(before.points[v]))) << "vertex " << v << " is still there";
      ++counts.gone;
      continue;
    }
    ASSERT_LT(now.value, after.points.size());
    const auto [at, is_new] = first.emplace(now, before.points[v]);
    counts.merged += static_cast<std::size_t>(!is_new && at->second != before.points[v]);
  }
}

TEST(Change, MapsSayWhatTheMeshesShowAfterEveryStep) {
  MapCounts counts;
  std::size_t steps = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    Mesh mesh = seed % 3 == 0 ? test::damaged_mesh(seed) : test::random_solid(random).mesh;
    for (std::size_t d = 0; d < 2; ++d) {
      test::spoil(mesh, static_cast<test::Defect>(random.index(test::kDefects)), 1e-3, random);
    }
    MendSession session(model_of(mesh), {.tolerance = 2e-3});
    for (Step& step : session.propose({.all = true})) {
      if (!info(step.remedy).is_there()) continue;
      step.is_decided = true;
      const Model before = session.model();
      const auto findings = session.inspect().findings;
      if (!missing_ids(step.selection, findings).empty()) continue;
      if (!session.run(step).changed) continue;
      ASSERT_EQ(session.part_changes().size(), 1u);
      const PartChange& change = session.part_changes()[0];
      if (change.fate == PartFate::gone) break;
      ASSERT_EQ(change.fate, PartFate::changed);
      check_maps(before.parts[0].mesh(), change.maps[0], session.model().parts[0].mesh(), counts);
      Change whole;
      static_cast<MeshMaps&>(whole) = change.maps[0];
      whole.mesh = session.model().parts[0].mesh();
      ASSERT_EQ(harm_of(before.parts[0].mesh(), whole),
                harm_by_counting(before.parts[0].mesh(), whole));
      if (testing::Test::HasFatalFailure()) FAIL() << slug(step.remedy);
      ++steps;
    }
  }
  EXPECT_GE(steps, 100u);
  EXPECT_GE(counts.kept, 1000u);
  EXPECT_GE(counts.merged, 100u);
  EXPECT_GE(counts.gone, 20u);
  EXPECT_GE(counts.adds, 5u);
}

TEST(Harm, ADividedNakedEdgeIsNoMoreThanItWas) {
  const Mesh mesh =
      with_distinct_points(test::mesh_of({{0, 0, 0}, {4, 0, 0}, {0, 4, 0}}, {{0, 1, 2}}));
  const auto harm = [&](std::initializer_list<Point> points,
                        std::initializer_list<std::initializer_list<std::uint32_t>> triangles) {
    Change change = unchanged(mesh);
    change.mesh = with_distinct_points(test::mesh_of(points, triangles));
    change.parent.assign(change.mesh.triangles.size(), {0});
    change.spent.assign(change.mesh.triangles.size(), 0);
    const std::string by_difference = harm_of(KnownMesh(mesh), change);
    EXPECT_EQ(by_difference, harm_by_counting(mesh, change));
    return by_difference;
  };
  EXPECT_EQ(harm({{0, 0, 0}, {4, 0, 0}, {0, 4, 0}, {1, 0, 0}}, {{0, 3, 2}, {3, 1, 2}}), "");
  // Off the edge, by however little.
  EXPECT_NE(harm({{0, 0, 0}, {4, 0, 0}, {0, 4, 0}, {1, -1e-9, 0}}, {{0, 3, 2}, {3, 1, 2}}), "");
  // On it, and a part of it twice.
  EXPECT_NE(harm({{0, 0, 0}, {4, 0, 0}, {0, 4, 0}, {1, 0, 0}, {3, 0, 0}, {2, 1, 0}},
                 {{0, 1, 2}, {3, 4, 5}}),
            "");
}

TEST(Harm, OfWhatChangedIsThatOfTheWhole) {
  // Anything done to anything: triangles dropped, turned, doubled, moved and joined.
  std::map<bool, std::size_t> harmful;
  std::size_t adds = 0;
  for (std::uint64_t seed = 1; seed <= 400; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    const Mesh mesh = with_distinct_points(test::damaged_mesh(seed));
    if (mesh.triangles.size() < 4) continue;
    Change change = adding(mesh, {}, {}, {});
    const auto follow = [&](Change next) { change = composed(change, std::move(next)); };
    for (std::size_t i = 0; i < 1 + random.index(3); ++i) {
      const auto count = static_cast<std::uint32_t>(change.mesh.triangles.size());
      if (count < 4) break;
      const std::vector<TriangleId> some = {{static_cast<std::uint32_t>(random.index(count))}};
      const Triangle t = change.mesh.triangle(some[0]);
      switch (random.index(5)) {
        case 0:
          follow(drop_triangles(change.mesh, some, {.may_bare = true}));
          break;
        case 1:
          follow(turn(change.mesh, some));
          break;
        case 2:
          if (!has_equal_corners(t)) follow(add_triangle(change.mesh, {t[0], t[2], t[1]}));
          adds += static_cast<std::size_t>(change.only_adds);
          break;
        case 3:
          follow(weld(move_vertices(change.mesh,
                                    std::vector<VertexMove>{{t[0], Point(random.unit(), 0.5, 0.5)}})
                          .mesh));
          break;
        default:
          if (t[0] != t[1]) {
            follow(join_vertices(change.mesh, std::vector<VertexId>{t[0], t[1]},
                                 change.mesh.point(t[0])));
          }
      }
    }
    const std::string harm = harm_of(mesh, change);
    ASSERT_EQ(harm, harm_by_counting(mesh, change));
    ++harmful[!harm.empty()];
  }
  EXPECT_GE(harmful[true], 100u);
  EXPECT_GE(harmful[false], 50u);
  EXPECT_GE(adds, 20u);
}

TEST(Change, AFlippedEdgeHasBothItsTrianglesAsParents) {
  const Mesh mesh = test::grid_box(2, {2, 2, 2});
  const VertexStars stars(mesh.triangles, mesh.points.size());
  std::size_t flipped = 0;
  for (const Triangle& t : mesh.triangles) {
    EditableMesh edited(mesh, stars, {1e-9, {}});
    const auto r = flip(edited, t[0], t[1]);
    if (!r || edited.examine(*r, 0)) continue;
    edited.apply(*r, 0);
    // Flipped back, its triangles still stand for both.
    for (int turn = 0; turn < 2; ++turn) {
      const Change change = edited.finish().change;
      MapCounts counts;
      check_maps(mesh, change, change.mesh, counts);
      ASSERT_EQ(change.further_parents.size(), 2u);
      const auto first = change.further_parents[0].triangle,
                 second{change.further_parents[1].triangle};
      EXPECT_EQ(parents_of(change, first), parents_of(change, second));
      if (const auto back = flip(edited, r->add[0].triangle[1], r->add[0].triangle[2])) {
        edited.apply_unexamined(*back, 1);
      }
    }
    ++flipped;
  }
  EXPECT_GE(flipped, 24u);
}

TEST(Change, APieceThatIsPutBackKeepsTrackOfItsVertices) {
  MapCounts counts;
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    const Mesh mesh = with_distinct_points(test::damaged_mesh(seed));
    std::vector<TriangleId> piece, some;
    for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
      if (random.chance(0.4)) piece.push_back({t});
    }
    if (piece.empty()) continue;
    const TakenOut taken = take_out(mesh, piece);
    const Change turned = turn(taken.mesh, std::vector<TriangleId>{{0}});
    check_maps(mesh, put_back(taken, turned), put_back(taken, turned).mesh, counts);
    if (testing::Test::HasFatalFailure()) return;
  }
  EXPECT_GE(counts.kept, 1000u);
}

TEST(Change, ComposedIsOneAfterTheOther) {
  for (std::uint64_t seed = 1; seed <= 100; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    const auto maps = [&](std::size_t before, std::size_t after) {
      MeshMaps m;
      for (std::uint32_t t = 0; t < after; ++t) {
        const auto p = static_cast<std::uint32_t>(random.index(before));
        m.parent.push_back({random.chance(0.2) ? kNoIndex : p});
        const auto q = static_cast<std::uint32_t>(random.index(before));
        if (m.parent[t].value != kNoIndex && q != p) m.further_parents.push_back({{t}, {q}});
      }
      for (std::size_t v = 0; v < before; ++v) {
        m.vertex_now.push_back(
            {random.chance(0.2) ? kNoIndex : static_cast<std::uint32_t>(random.index(after))});
      }
      return m;
    };
    const MeshMaps first = maps(9, 7), second = maps(7, 8);
    const MeshMaps both = composed_maps(first, second);
    for (std::uint32_t t = 0; t < 8; ++t) {
      std::set<TriangleId> told, want;
      for (const TriangleId p : parents_of(both, {t})) EXPECT_TRUE(told.insert(p).second);
      for (const TriangleId m : parents_of(second, {t})) {
        for (const TriangleId p : parents_of(first, m)) want.insert(p);
      }
      // Where the first one is surface that was added, it is that.
      if (both.parent[t].value == kNoIndex) want.clear();
      EXPECT_EQ(told, want);
    }
    const ChildrenOf children(both, 9);
    for (std::uint32_t p = 0; p < 9; ++p) {
      std::vector<TriangleId> want;
      for (std::uint32_t t = 0; t < 8; ++t) {
        const auto own = parents_of(both, {t});
        if (std::find(own.begin(), own.end(), TriangleId{p}) != own.end()) want.push_back({t});
      }
      const auto told = children.of({p});
      EXPECT_EQ(std::vector<TriangleId>(told.begin(), told.end()), want);
      const VertexId middle = first.vertex_now[p];
      EXPECT_EQ(both.vertex_now[p].value,
                middle.value == kNoIndex ? kNoIndex : second.vertex_now[middle.value].value);
    }
  }
}

Finding about(std::vector<std::pair<std::size_t, std::vector<TriangleId>>> parts) {
  Finding f;
  f.part_index = parts[0].first;
  f.triangles = parts[0].second;
  for (std::size_t i = 1; i < parts.size(); ++i) {
    f.further_parts.push_back({"", parts[i].first, parts[i].second, parts[i].second.size()});
  }
  return f;
}

TEST(PartChange, PartsAreMergedSplitAndBornAndFindingsFollow) {
  Model model = model_of(test::cube(), "first");
  model.parts.emplace_back("second", test::cube({5, 0, 0}));
  model.parts.emplace_back("third", test::cube({9, 0, 0}));
  const MendState start(model);
  MendState state = start;
  std::vector<PartChange> changes;

  // The first and the third become one.
  const Mesh both = test::joined(model.parts[0].mesh(), model.parts[2].mesh());
  Change merged = unchanged(both);
  merged.new_patches = {"fill-flat"};
  merged.mesh.patch_of.assign(24, PatchId{0});
  std::vector<PartOutcome> outcomes(1);
  outcomes[0] = {"both", merged};
  const std::size_t pair[] = {0, 2};
  changes.push_back(accept(state, pair, std::move(outcomes)));
  EXPECT_EQ(changes.back().fate, PartFate::merged);
  EXPECT_EQ(changes.back().before, (std::vector<PartId>{1, 3}));
  EXPECT_EQ(changes.back().after, (std::vector<PartId>{1}));
  ASSERT_EQ(state.model.parts.size(), 2u);
  EXPECT_EQ(state.model.parts[0].name, "both");

  // It falls apart the other way round; one triangle is given up.
  std::vector<PartOutcome> halves(2);
  for (std::size_t half = 0; half < 2; ++half) {
    Change& change = halves[half].change;
    change.mesh = model.parts[half == 0 ? 2 : 0].mesh();
    change.vertex_now.assign(both.points.size(), VertexId{kNoIndex});
    for (std::uint32_t t = 0; t < 12; ++t) {
      change.parent.push_back({t + (half == 0 ? 12 : 0)});
      change.spent.push_back(0.25);
    }
    for (std::uint32_t v = 0; v < 8; ++v) change.vertex_now[v + (half == 0 ? 8 : 0)] = {v};
  }
  halves[1].change.mesh.triangles.pop_back();
  halves[1].change.parent.pop_back();
  halves[1].change.spent.pop_back();
  halves[1].change.dropped = {{11}};
  halves[0].name = "third again";
  halves[1].name = "first again";
  const std::size_t zero = 0;
  changes.push_back(accept(state, std::span(&zero, 1), std::move(halves)));
  EXPECT_EQ(changes.back().fate, PartFate::split);
  EXPECT_EQ(changes.back().after, (std::vector<PartId>{1, 4}));
  ASSERT_EQ(state.model.parts.size(), 3u);
  EXPECT_EQ(state.model.parts[1].name, "first again");
  EXPECT_EQ(state.traces[0]->removed.triangles.size(), 1u);
  EXPECT_EQ(state.traces[1]->spent.at(0), 0.25);

  std::vector<PartOutcome> one(1);
  one[0] = {"born", unchanged(test::cube({20, 0, 0}))};
  one[0].change.parent.assign(12, TriangleId{kNoIndex});
  changes.push_back(accept(state, {}, std::move(one)));
  EXPECT_EQ(changes.back().fate, PartFate::born);
  EXPECT_EQ(changes.back().after, (std::vector<PartId>{5}));
  EXPECT_TRUE(state.traces.back()->added.at(0));

  // The second goes.
  std::vector<PartOutcome> none;
  const std::size_t second = 2;
  changes.push_back(accept(state, std::span(&second, 1), std::move(none)));
  EXPECT_EQ(changes.back().fate, PartFate::gone);
  EXPECT_EQ(state.gone.size(), 1u);
  EXPECT_EQ(state.gone[0]->removed.triangles.size(), 12u);
  const std::size_t falling[] = {1, 0};
  EXPECT_THROW(accept(state, falling, {}), ArgumentError);

  const std::vector<Finding> before = {about({{0, {{3}}}}), about({{0, {{11}}}}),
                                       about({{1, {{2}}}}),
                                       about({{0, {{1}}}, {1, {{4}}}, {2, {{5}, {6}}}})};
  const auto after = carried(before, named_parts(start), changes, named_parts(state));
  ASSERT_EQ(after.size(), 2u) << "what lay on the lost triangle and in the lost part is gone";
  EXPECT_EQ(after[0].part, "first again");
  EXPECT_EQ(after[0].part_index, 1u);
  EXPECT_EQ(after[0].triangles, (std::vector<TriangleId>{{3}}));
  EXPECT_EQ(after[1].part, "third again");
  EXPECT_EQ(after[1].triangles, (std::vector<TriangleId>{{5}, {6}}));
  ASSERT_EQ(after[1].further_parts.size(), 1u);
  EXPECT_EQ(after[1].further_parts[0].part, "first again");
  EXPECT_EQ(after[1].further_parts[0].triangles, (std::vector<TriangleId>{{1}}));
}

}  // namespace change_test
}  // namespace aguja
