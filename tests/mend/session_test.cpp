#include "aguja/mend/session.h"

#include <thread>

#include <gtest/gtest.h>

#include "aguja/inspect/check.h"
#include "aguja/mend/mend.h"
#include "tests/support/shapes.h"
#include "tests/support/spoilt_solid.h"
#include "tests/support/stop_after.h"

namespace aguja {
namespace session_test {

using test::model_of;
using test::Random;

std::vector<std::string> ids_of(const Inspection& inspection) {
  std::vector<std::string> ids;
  for (const Finding& f : inspection.findings) ids.push_back(f.id + " " + std::to_string(f.count));
  return ids;
}

std::vector<std::array<double, 9>> facets_of(const Model& model) {
  std::vector<std::array<double, 9>> all;
  for (const Part& part : model.parts) {
    const auto own = test::facets(part.mesh());
    all.insert(all.end(), own.begin(), own.end());
  }
  return all;
}

Step deletion(std::uint32_t last, std::size_t number = 1) {
  Step step;
  step.number = number;
  step.remedy = remedies::delete_;
  step.selection.triangles = {{0, last}};
  return step;
}

// Several parts, each spoilt in some way.
Model spoilt_parts(std::uint64_t seed) {
  Random random(seed);
  Model model;
  for (std::size_t p = 0; p < 2 + random.index(3); ++p) {
    Mesh mesh = test::random_solid(random).mesh;
    for (std::size_t d = 0; d < random.index(3); ++d) {
      test::spoil(mesh, static_cast<test::Defect>(random.index(test::kDefects)), 1e-6, random);
    }
    for (Point& point : mesh.points) point.x() += 20.0 * static_cast<double>(p);
    model.parts.emplace_back(random.chance(0.5) ? "part" : "part " + std::to_string(p),
                             std::move(mesh));
  }
  return model;
}

TEST(Session, UndoesAndRedoesAnyNumberOfSteps) {
  const Mesh box = test::grid_box(2, {1, 1, 1});
  MendSession session(model_of(box), {.tolerance = 0});
  std::vector<std::size_t> sizes = {box.triangles.size()};
  for (std::uint32_t i = 0; i < 4; ++i) {
    EXPECT_TRUE(session.run(deletion(i, i + 1)).changed);
    sizes.push_back(session.model().parts[0].mesh().triangles.size());
  }
  EXPECT_EQ(session.ledger().size(), 4u);
  EXPECT_EQ(session.undo(3), 3u);
  EXPECT_EQ(session.model().parts[0].mesh().triangles.size(), sizes[1]);
  EXPECT_EQ(session.ledger().size(), 1u);
  EXPECT_EQ(session.redo(2), 2u);
  EXPECT_EQ(session.model().parts[0].mesh().triangles.size(), sizes[3]);
  EXPECT_EQ(session.redo(9), 1u);
  EXPECT_EQ(session.undo(9), 4u);
  EXPECT_EQ(test::facets(session.model().parts[0].mesh()), test::facets(box));
  EXPECT_TRUE(session.run(deletion(0)).changed);
  EXPECT_EQ(session.size(), 2u);
  EXPECT_EQ(session.redo(), 0u);
}

TEST(Session, FindsWhatAWholeInspectionFindsAfterEveryStep) {
  std::size_t steps = 0, findings = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    MendSession session(spoilt_parts(seed), {.tolerance = 2e-6});
    for (int round = 0; round < 6; ++round) {
      const Inspection whole = inspect_for_mending(session.model(), {}, session.tolerance());
      const Inspection& own = session.inspect();
      ASSERT_EQ(ids_of(own), ids_of(whole));
      ASSERT_EQ(own.counts.naked_edges, whole.counts.naked_edges);
      findings += own.findings.size();
      bool changed = false;
      for (const Step& step : session.propose({.kinds = {}, .all = true})) {
        changed = session.run(step).changed;
        if (changed) break;
      }
      if (!changed) break;
      ++steps;
    }
  }
  EXPECT_GE(steps, 60u);
  EXPECT_GE(findings, 100u);
}

TEST(Session, FillsTogetherGiveWhatTheyGiveOneAfterAnother) {
  std::size_t filled = 0;
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    Model model;
    for (int p = 0; p < 2; ++p) {
      Mesh mesh = test::random_solid(random).mesh;
      for (int i = 0; i < 4; ++i) test::spoil(mesh, test::Defect::hole, 0, random);
      for (Point& point : mesh.points) point.x() += 20.0 * p;
      model.parts.emplace_back("part " + std::to_string(p), std::move(mesh));
    }
    MendSession together(model, {.tolerance = 1e-6}), single(model, {.tolerance = 1e-6});
    std::vector<Step> fills;
    for (const Step& step : together.propose({.kinds = {}, .all = true})) {
      if (step.remedy == remedies::fill) fills.push_back(step);
    }
    for (std::size_t i = 0; i < fills.size(); ++i) fills[i].number = i + 1;
    const std::vector<StepReport> reports = together.run(fills);
    ASSERT_EQ(reports.size(), fills.size());
    for (std::size_t i = 0; i < fills.size(); ++i) {
      const StepReport alone = single.run(fills[i]);
      ASSERT_EQ(alone.lines.size(), reports[i].lines.size());
      for (std::size_t k = 0; k < alone.lines.size(); ++k) {
        const LedgerLine &a = alone.lines[k], &b = reports[i].lines[k];
        EXPECT_EQ(a.done, b.done);
        EXPECT_EQ(a.method, b.method);
        EXPECT_EQ(a.triangles_added, b.triangles_added);
        EXPECT_EQ(a.findings, b.findings);
        EXPECT_EQ(a.part_id, b.part_id);
        EXPECT_NEAR(a.area_added, b.area_added, 1e-12);
        filled += b.done;
      }
    }
    EXPECT_EQ(facets_of(together.model()), facets_of(single.model()));
    EXPECT_EQ(ids_of(together.inspect()), ids_of(single.inspect()));
  }
  EXPECT_GE(filled, 150u);
}

TEST(Session, FillsByIdHoldWhereRimsAreDividedAtHangingVertices) {
  // Two openings; a vertex of the rim of the first hangs on the inside of one of its edges.
  Mesh mesh = test::without(test::grid_box(6, {1, 1, 1}), [](const Point& p) {
    return p.z() > 0.999 &&
           ((p - Point(0.25, 0.25, 1)).norm() < 0.2 || (p - Point(0.75, 0.75, 1)).norm() < 0.2);
  });
  EdgeTable edges(mesh.triangles, mesh.points.size());
  const auto naked = select_edges(edges, [&](EdgeId e) { return edges.is_naked(e); });
  const TriangleId beside = edges.uses(naked[0])[0].triangle();
  const Triangle whole = mesh.triangle(beside);
  const Edge& e = edges.edge(naked[0]);
  VertexId apex{0};
  for (const VertexId v : whole.corner) {
    if (v != e.low && v != e.high) apex = v;
  }
  // The neighbour across another edge of the triangle gets a vertex there that it has not.
  const VertexId middle{static_cast<std::uint32_t>(mesh.points.size())};
  mesh.points.push_back(0.5 * (mesh.point(e.low) + mesh.point(apex)));
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    if (t == beside.value) continue;
    Triangle& other = mesh.triangles[t];
    for (std::size_t c = 0; c < 3; ++c) {
      const VertexId a = other[c], b = other[(c + 1) % 3], far = other[(c + 2) % 3];
      const bool shared = (a == e.low && b == apex) || (a == apex && b == e.low);
      if (!shared) continue;
      other = {{a, middle, far}};
      mesh.triangles.push_back({{middle, b, far}});
      t = mesh.triangles.size();
      break;
    }
  }
  MendSession session(model_of(mesh), {.tolerance = 1e-6});
  std::vector<Step> fills;
  for (const Finding& f : session.inspect().findings) {
    if (f.kind != FindingKind::opening) continue;
    Step step;
    step.number = fills.size() + 1;
    step.remedy = remedies::fill;
    step.selection.ids = {f.id};
    fills.push_back(step);
  }
  ASSERT_GE(fills.size(), 2u);
  for (const Step& step : fills) {
    const StepReport report = session.run(step);
    EXPECT_TRUE(report.changed) << step.selection.ids[0];
  }
  for (const Finding& f : session.inspect().findings) EXPECT_NE(f.kind, FindingKind::opening);
}

TEST(Session, StoppedOrRefusedStepsLeaveItAsItWas) {
  Random random(5);
  Mesh mesh = test::grid_box(6, {1, 1, 1}, true);
  test::spoil(mesh, test::Defect::crack, 1e-4, random);
  MendSession session(model_of(mesh), {.tolerance = 2e-4});
  const auto found = ids_of(session.inspect());
  Step wrong;
  wrong.remedy = remedies::fill;
  wrong.selection.ids = {"opening-0000000000000000"};
  EXPECT_THROW(session.run(wrong), StepError);
  Step refused;
  refused.remedy = remedies::drop;
  refused.selection.triangles = {{0, 3}};
  const StepReport report = session.run(refused);
  EXPECT_FALSE(report.changed);
  ASSERT_EQ(report.lines.size(), 1u);
  EXPECT_EQ(report.lines[0].refused.size(), 1u);
  EXPECT_EQ(session.size(), 1u);
  EXPECT_EQ(ids_of(session.inspect()), found);
  EXPECT_EQ(session.ledger().size(), 1u);
}

TEST(Session, CanBeStoppedFromAnotherThread) {
  struct Pause : Progress {
    MendSession* session = nullptr;
    bool advance(std::string_view, double) override {
      std::thread([this] { session->stop(); }).join();
      return true;
    }
  } pause;
  Random random(5);
  Mesh mesh = test::grid_box(6, {1, 1, 1}, true);
  test::spoil(mesh, test::Defect::crack, 1e-4, random);
  MendSession session(model_of(mesh), {.tolerance = 2e-4}, &pause);
  pause.session = &session;
  EXPECT_THROW(static_cast<void>(session.inspect()), Cancelled);
  EXPECT_EQ(session.size(), 1u);
}

TEST(Session, AFillThatWasTriedIsTakenWithItsLine) {
  const Mesh mesh = with_distinct_points(test::without(
      test::sphere(20), [](const Point& p) { return (p - Point(1, 0, 0)).norm() < 0.4; }));
  MendSession session(model_of(mesh), {.tolerance = 1e-6});
  const std::string id = session.inspect().findings.at(0).id;
  FillOptions options;
  options.tolerance = 1e-6;
  const Trial trial = session.try_fills(id, options);
  const StepReport report = session.take(trial, FillMethod::taut, 1);
  EXPECT_TRUE(report.changed);
  // What is known of the mesh is taken on.
  EXPECT_TRUE(session.part_changes()[0].maps[0].only_adds);
  ASSERT_EQ(session.ledger().size(), 1u);
  EXPECT_EQ(session.ledger()[0].step, 1u);
  EXPECT_EQ(session.steps().at(0).selection.ids.at(0), id);
  EXPECT_THROW(session.take(trial, FillMethod::taut, 2), ArgumentError);
  const MendResult result = mend(session, {});
  ASSERT_EQ(result.ledger.size(), 1u);
  EXPECT_EQ(result.plan.steps.at(0).why, "chosen from a trial");
  EXPECT_EQ(result.before.findings.at(0).id, id);
  EXPECT_TRUE(test::is_solid(result.model.parts[0].mesh()));
}

TEST(Session, APartOfWhichNothingIsLeftIsGone) {
  Model model = model_of(test::cube(), "kept");
  model.parts.emplace_back("lost", test::cube({5, 0, 0}));
  MendSession session(model, {.tolerance = 0});
  Step step;
  step.number = 1;
  step.remedy = remedies::delete_;
  step.selection.part = "lost";
  step.selection.triangles = {{0, 11}};
  const StepReport report = session.run(step);
  EXPECT_TRUE(report.changed);
  EXPECT_EQ(report.lines.at(0).part_id, 2u);
  ASSERT_EQ(session.model().parts.size(), 1u);
  EXPECT_EQ(session.model().parts[0].name, "kept");
  EXPECT_NEAR(report.lines[0].area_removed, 6, 1e-12);
  EXPECT_TRUE(session.inspect().findings.empty());
  const MendResult result = mend(session, {});
  EXPECT_NEAR(result.deviation(), 0, 1e-12);
  session.undo();
  EXPECT_EQ(session.model().parts.size(), 2u);
}

TEST(Session, BareEdgesAreRefusedUnlessToldOtherwise) {
  MendSession session(model_of(test::grid_box(3, {1, 1, 1})), {.tolerance = 0});
  Step step;
  step.remedy = remedies::drop;
  step.selection.triangles = {{0, 0}};
  EXPECT_FALSE(session.run(step).changed);
  step.settings["may_bare"] = false;
  EXPECT_FALSE(session.run(step).changed);
  step.settings["may_bare"] = true;
  EXPECT_TRUE(session.run(step).changed);
}

TEST(Session, ShapesThatNoStepTouchedAreNotLookedAtAgain) {
  struct Counting : Progress {
    int inspected = 0;
    bool advance(std::string_view stage, double) override {
      inspected += stage == "weld";
      return true;
    }
  } counting;
  Model model = model_of(test::grid_box(3, {1, 1, 1}), "a");
  for (int p = 1; p < 6; ++p) {
    model.parts.emplace_back("b" + std::to_string(p), model.parts[0].shape(),
                             moved_by(Vector(3.0 * p, 0, 0)));
  }
  MendSession session(model, {.tolerance = 0}, &counting);
  static_cast<void>(session.inspect());
  EXPECT_EQ(counting.inspected, 1);
  Step step = deletion(0);
  step.selection.part = "b3";
  EXPECT_TRUE(session.run(step).changed);
  EXPECT_EQ(session.inspect().findings.size(), 1u);
  EXPECT_EQ(counting.inspected, 2);
  session.undo();
  EXPECT_TRUE(session.inspect().findings.empty());
  session.redo();
  EXPECT_EQ(session.inspect().findings.at(0).part, "b3");
  EXPECT_EQ(counting.inspected, 2);
}

TEST(Session, AFindingBetweenPartsIsMendedInEachOfThem) {
  // Of every two neighbours, what lies in the plane between them.
  Check check{.name = "faces-between", .kinds = {FindingKind::overlap}};
  check.on_model = [](const Model& model, const ResolvedLimits&, FindingSink& sink) {
    const auto in_plane = [&](std::size_t p, double x) {
      std::vector<TriangleId> own;
      const Mesh& mesh = model.parts[p].mesh();
      for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
        const auto corners = mesh.triangles[t].corner;
        if (std::all_of(corners, corners + 3, [&](VertexId v) { return mesh.point(v).x() == x; })) {
          own.push_back({t});
        }
      }
      return own;
    };
    for (std::size_t p = 0; p + 1 < model.parts.size(); ++p) {
      const auto x = static_cast<double>(p + 1);
      const auto first = in_plane(p, x), second = in_plane(p + 1, x);
      if (first.empty() || second.empty()) continue;
      Finding f;
      f.kind = FindingKind::overlap;
      f.part_index = p;
      f.place = {x, 0.5, 0.5};
      f.count = first.size() + second.size();
      f.further_parts.push_back({"", p + 1, second, 0});
      Identity identity;
      identity.add_number(p);
      sink.add(std::move(f), identity, first);
    }
  };
  Model model;
  for (int p = 0; p < 3; ++p) {
    model.parts.emplace_back("part " + std::to_string(p), test::cube({1.0 * p, 0, 0}));
  }
  MendSession session(model, {.tolerance = 0, .more_checks = std::span(&check, 1)});
  ASSERT_EQ(session.inspect().findings.size(), 2u);
  const Finding f = session.inspect().findings[0];
  ASSERT_EQ(f.further_parts.size(), 1u);
  EXPECT_EQ(part_names(f), f.part + ", " + f.further_parts[0].part);
  EXPECT_EQ(f.further_parts[0].triangle_total, 2u);
  EXPECT_TRUE(is_about(f, "part 1"));
  Selection in_last;
  in_last.part = "part 2";
  in_last.kinds = {FindingKind::overlap};
  EXPECT_EQ(select_findings(in_last, session.inspect().findings).size(), 1u);

  Step step;
  step.remedy = remedies::delete_;
  step.selection.ids = {f.id};
  const StepReport report = session.run(step);
  ASSERT_EQ(report.lines.size(), 2u);
  EXPECT_EQ(report.lines[0].findings, report.lines[1].findings);
  EXPECT_NE(report.lines[0].part_id, report.lines[1].part_id);
  EXPECT_EQ(session.part_changes().size(), 2u);
  for (const std::size_t p : {*f.part_index, f.further_parts[0].part_index}) {
    EXPECT_EQ(session.model().parts[p].mesh().triangles.size(), 10u);
  }
  EXPECT_EQ(triangle_count(session.model()), 32u);
}

TEST(Session, WhatSquaresOfAreasCannotHoldIsNotMended) {
  const auto session_of = [](double size) {
    MendSession session(model_of(test::cube({0, 0, 0}, size)), {.tolerance = 0});
    return session.propose().size();
  };
  EXPECT_EQ(session_of(1e70), 0u);
  EXPECT_THROW(session_of(1e76), ArgumentError);
  EXPECT_THROW(session_of(-std::numeric_limits<double>::max()), ArgumentError);
}

TEST(Session, SettingsBeyondSenseAreErrors) {
  MendSession session(model_of(test::cube()), {.tolerance = 0});
  Step step;
  step.remedy = remedies::stitch;
  for (const double steps : {1e300, -1.0, std::numeric_limits<double>::quiet_NaN()}) {
    step.settings["steps"] = steps;
    EXPECT_THROW(session.run(step), StepError);
  }
  Mesh nothing;
  MendSession empty(model_of(nothing), {.tolerance = 0});
  Step move;
  move.remedy = remedies::move;
  move.settings["at"] = std::vector<double>{0, 0, 0};
  move.settings["by"] = std::vector<double>{0, 0, 1};
  EXPECT_THROW(empty.run(move), StepError);
}

}  // namespace session_test
}  // namespace aguja
