#include "aguja/mend/mend.h"

#include <cmath>
#include <numbers>

#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>
#include <Eigen/Geometry>

#include "aguja/mend/by_hand.h"
#include "aguja/solid/certificate.h"
#include "demo/crack.h"
#include "demo/seeded.h"
#include "tests/support/cases.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"
#include "tests/support/spoilt_solid.h"
#include "tests/support/stop_after.h"

namespace aguja {
namespace mend_test {

using test::Defect;
using test::is_solid;
using test::kDefects;
using test::model_of;
using test::Random;
using test::random_solid;
using test::spoil;

// What must never get worse, by how much it may: not at all.
void expect_no_worse(const Counts& before, const Counts& after) {
  EXPECT_LE(after.naked_edges, before.naked_edges);
  EXPECT_LE(after.nonmanifold_edges, before.nonmanifold_edges);
  EXPECT_LE(after.winding_conflicts, before.winding_conflicts);
  EXPECT_LE(after.zero_area, before.zero_area);
  EXPECT_LE(after.duplicates, before.duplicates);
  EXPECT_LE(after.crossing_pairs, before.crossing_pairs);
}

double diagonal_of(const Mesh& mesh) { return box_of(mesh).diagonal(); }

std::string what_is_left(const MendResult& result) {
  std::string text;
  for (const LedgerLine& line : result.ledger) {
    text += "\n  done: " + std::string(slug(line.remedy)) + " " +
            (line.findings.empty() ? "" : line.findings[0]) + " " + line.method;
    for (const Refusal& r : line.refused)
      text += "; refused: " + std::string(slug(r.reason)) + " " + r.detail;
  }
  for (const StillOpen& open : result.still_open)
    text += "\n  left: " + open.finding.id + ": " + open.why;
  return text;
}

MendOptions everything(double tolerance) {
  MendOptions options;
  options.tolerance = tolerance;
  options.accepted.all = true;
  return options;
}

TEST(Mend, RandomCombinationsOfDefectsEndAsSolidsOfTheKnownVolume) {
  int hard = 0;
  for (std::uint64_t seed = 1; seed <= test::cases(150); ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Random random(seed);
    const test::Whole whole = random_solid(random);
    Mesh mesh = whole.mesh;
    const double width = 1e-4 * diagonal_of(mesh);
    const std::size_t count = 1 + random.index(4);
    std::string names;
    // What is torn apart is whole before: no copies or fins come between the sides of a crack.
    std::vector<Defect> defects;
    for (std::size_t i = 0; i < count; ++i)
      defects.push_back(static_cast<Defect>(random.index(kDefects)));
    std::sort(defects.begin(), defects.end());
    for (const Defect defect : defects) {
      names += std::to_string(static_cast<int>(defect)) + " ";
      spoil(mesh, defect, width, random);
    }
    SCOPED_TRACE(names);
    hard += count > 2;
    const MendResult result = mend(model_of(mesh), everything(2 * width));
    EXPECT_LE(result.deviation(), 2 * width);
    expect_no_worse(result.before.counts, result.after.counts);
    const Certificate certificate = certify(result.model);
    EXPECT_EQ(certificate.verdict, Verdict::solid) << what_is_left(result);
    EXPECT_NEAR(certificate.mass.volume, whole.volume, 4e-3 * whole.volume) << what_is_left(result);
  }
  EXPECT_GE(hard, static_cast<int>(test::cases(50)));
}

TEST(Mend, EveryDemoModelWithItsDefectsEndsAsItsSolidOrSaysWhatWaits) {
  for (const demo::DemoModel& demo : demo::demo_models()) {
    SCOPED_TRACE(demo.name);
    if (triangle_count(demo.model) > 25000) continue;
    MendOptions options;
    options.accepted.all = true;
    if (demo.tear) options.tolerance = demo.tear->stitch_tolerance;
    Model model = demo.tear && demo.tear->as_one ? as_one(demo.model) : demo.model;
    const MendResult result = mend(std::move(model), options);
    expect_no_worse(result.before.counts, result.after.counts);
    const Certificate certificate = certify(result.model);
    if (certificate.verdict == Verdict::solid) {
      if (demo.volume) {
        // Torn surfaces move by up to half the tear, everywhere.
        const double torn = demo.tear ? 0.5 * demo.tear->width * certificate.mass.area : 0;
        EXPECT_NEAR(certificate.mass.volume, *demo.volume, 5e-3 * *demo.volume + torn)
            << what_is_left(result);
      }
      continue;
    }
    // Not a solid: something is named that is left, and why.
    ASSERT_FALSE(result.still_open.empty());
    for (const StillOpen& open : result.still_open) EXPECT_FALSE(open.why.empty());
  }
}

TEST(Mend, NothingGetsWorseOnDamagedMeshes) {
  std::size_t solids = 0;
  for (std::uint64_t seed = 1; seed <= 120; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Mesh mesh = test::damaged_mesh(seed);
    if (mesh.triangles.empty()) continue;
    MendOptions options = everything(1e-3);
    options.accepted.all = seed % 2 == 0;
    const MendResult result = mend(model_of(mesh), options);
    expect_no_worse(result.before.counts, result.after.counts);
    EXPECT_LE(result.deviation(), 1e-3) << what_is_left(result);
    solids += certify(result.model).verdict == Verdict::solid;
  }
  EXPECT_GE(solids, 10u);
}

TEST(Mend, UnaskedOnlyWhatIsSafeIsDone) {
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    Random random(seed);
    Mesh mesh = random_solid(random).mesh;
    const double width = 1e-4 * diagonal_of(mesh);
    for (int i = 0; i < 3; ++i)
      spoil(mesh, static_cast<Defect>(random.index(kDefects)), width, random);
    MendOptions options;
    options.tolerance = 2 * width;
    const MendResult result = mend(model_of(mesh), options);
    for (const LedgerLine& line : result.ledger) {
      if (!line.changed_anything()) continue;
      const bool safe =
          line.remedy == remedies::weld || line.remedy == remedies::stitch ||
          line.remedy == remedies::orient ||
          (line.remedy == remedies::drop && line.findings.at(0).starts_with("duplicate")) ||
          (line.remedy == remedies::fill && line.method.starts_with("flat"));
      EXPECT_TRUE(safe) << seed << " " << slug(line.remedy) << " " << line.method;
    }
    for (const Step& step : result.proposed) EXPECT_FALSE(step.on);
  }
}

TEST(Mend, GivesTheSameForAnyNumberOfThreads) {
  for (std::uint64_t seed = 1; seed <= 12; ++seed) {
    Random random(seed);
    Mesh mesh = random_solid(random).mesh;
    const double width = 1e-4 * diagonal_of(mesh);
    for (int i = 0; i < 3; ++i)
      spoil(mesh, static_cast<Defect>(random.index(kDefects)), width, random);
    const MendResult many = mend(model_of(mesh), everything(2 * width));
    const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    const MendResult single = mend(model_of(mesh), everything(2 * width));
    const Mesh &a = many.model.parts[0].mesh(), &b = single.model.parts[0].mesh();
    ASSERT_EQ(a.points.size(), b.points.size());
    for (std::size_t i = 0; i < a.points.size(); ++i) ASSERT_EQ(a.points[i], b.points[i]);
    ASSERT_EQ(a.triangles.size(), b.triangles.size());
    for (std::size_t i = 0; i < a.triangles.size(); ++i) ASSERT_EQ(a.triangles[i], b.triangles[i]);
    EXPECT_EQ(many.ledger.size(), single.ledger.size());
  }
}

TEST(Mend, ThePlanThatItWroteDoesTheSameAgain) {
  for (std::uint64_t seed = 1; seed <= 25; ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    Mesh mesh = random_solid(random).mesh;
    const double width = 1e-4 * diagonal_of(mesh);
    for (int i = 0; i < 2; ++i)
      spoil(mesh, static_cast<Defect>(random.index(kDefects)), width, random);
    const MendResult first = mend(model_of(mesh), everything(2 * width));
    MendOptions replay;
    replay.plan = first.plan;
    const MendResult again = mend(model_of(mesh), replay);
    EXPECT_EQ(again.tolerance, first.tolerance);
    EXPECT_EQ(test::facets(again.model.parts[0].mesh()), test::facets(first.model.parts[0].mesh()));
  }
}

TEST(Mend, UntilAStepGivesTheStateAfterIt) {
  Random random(3);
  Mesh mesh = test::grid_box(4, {1, 1, 1}, true);
  spoil(mesh, Defect::copies, 0, random);
  spoil(mesh, Defect::turned, 0, random);
  spoil(mesh, Defect::hole, 0, random);
  std::vector<std::vector<std::array<double, 9>>> states;
  MendOptions options = everything(1e-6);
  options.on_state = [&](const MendState& state, std::size_t step) {
    states.resize(std::max(states.size(), step));
    states[step - 1] = test::facets(state.model.parts[0].mesh());
  };
  const MendResult whole = mend(model_of(mesh), options);
  ASSERT_GE(states.size(), 3u);
  options.on_state = nullptr;
  for (std::size_t step = 1; step <= states.size(); ++step) {
    options.until = step;
    EXPECT_EQ(test::facets(mend(model_of(mesh), options).model.parts[0].mesh()), states[step - 1]);
  }
  EXPECT_EQ(states.back(), test::facets(whole.model.parts[0].mesh()));
}

TEST(Mend, StoppedAtAnyMomentItThrowsAndTheStateIsAsItWas) {
  Random random(5);
  Mesh mesh = test::grid_box(6, {1, 1, 1}, true);
  for (const Defect d : {Defect::crack, Defect::hole, Defect::turned, Defect::needle}) {
    spoil(mesh, d, 1e-4, random);
  }
  const MendOptions options = everything(2e-4);
  int stopped = 0;
  for (int calls = 0; calls < 400; calls += 1 + calls / 4) {
    test::StopAfter progress(calls);
    try {
      static_cast<void>(mend(model_of(mesh), options, &progress));
      break;
    } catch (const Cancelled&) {
      ++stopped;
    }
  }
  EXPECT_GE(stopped, 5);
  // A single step, too, leaves what it was given.
  const MendState state{model_of(mesh)};
  const auto before = test::facets(state.model.parts[0].mesh());
  const Inspection found = inspect_for_mending(state.model, {}, 2e-4);
  Step step;
  step.remedy = remedies::stitch;
  test::StopAfter at_once(0);
  EXPECT_THROW(static_cast<void>(run_step(state, found.findings, step, {2e-4}, &at_once)),
               Cancelled);
  EXPECT_EQ(test::facets(state.model.parts[0].mesh()), before);
}

// The top of a box a crack's width above it, and a step that is told more than the budget allows.
TEST(Mend, AStitchBeyondTheBudgetSaysWhichWouldDo) {
  Mesh mesh = test::grid_box(2, {1, 1, 1});
  std::map<VertexId, VertexId> lifted;
  for (Triangle& t : mesh.triangles) {
    const auto on_top = [&](VertexId v) { return mesh.point(v).z() >= 1; };
    if (!on_top(t[0]) || !on_top(t[1]) || !on_top(t[2])) continue;
    for (VertexId& v : t.corner) {
      const auto [at, is_new] = lifted.try_emplace(v, VertexId{});
      if (is_new) {
        at->second = {static_cast<std::uint32_t>(mesh.points.size())};
        mesh.points.push_back(mesh.point(v) + Vector(0, 0, 0.01));
      }
      v = at->second;
    }
  }
  Step step;
  step.remedy = remedies::stitch;
  step.settings["tolerance"] = 0.02;
  const MendState state{model_of(mesh)};
  const auto found = inspect_for_mending(state.model, {}, 0.005).findings;
  const StepResult refused = run_step(state, found, step, {0.005});
  ASSERT_EQ(refused.lines.size(), 1u);
  ASSERT_EQ(refused.lines[0].refused.size(), 1u);
  const Refusal& refusal = refused.lines[0].refused[0];
  EXPECT_EQ(refusal.reason, RefusalReason::beyond_budget);
  ASSERT_TRUE(refusal.detail.starts_with("it needs "));
  const double needed = std::stod(refusal.detail.substr(std::string("it needs ").size()));
  EXPECT_LE(needed, 0.021);
  const StepResult joined = run_step(state, found, step, {needed});
  EXPECT_TRUE(joined.lines[0].refused.empty());
  EXPECT_EQ(test::naked_edges(joined.state.model.parts[0].mesh()), 0u);
}

TEST(Mend, AStepWhoseFindingIsGoneIsAnErrorThatNamesIt) {
  const Mesh mesh = test::grid_box(2, {1, 1, 1});
  MendOptions options;
  options.plan = Plan{};
  Step step;
  step.number = 4;
  step.remedy = remedies::fill;
  step.selection.ids = {"opening-0123abcd"};
  options.plan->steps = {step};
  try {
    static_cast<void>(mend(model_of(mesh), options));
    FAIL();
  } catch (const StepError& error) {
    EXPECT_EQ(std::string(error.what()),
              "step 4: fill: there is no finding opening-0123abcd (any more)");
  }
  options.plan->steps[0].selection = {};
  options.plan->steps[0].settings["metod"] = std::string("flat");
  EXPECT_THROW(static_cast<void>(mend(model_of(mesh), options)), StepError);
}

TEST(Mend, NothingIsNoRemedy) {
  // A sheet alone: dropping it would leave no error, and no part.
  Mesh sheet = test::mesh_of({{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}}, {{0, 1, 2}, {0, 2, 3}});
  const MendResult result = mend(model_of(sheet), everything(1e-6));
  EXPECT_EQ(result.model.parts[0].mesh().triangles.size(), 2u);
}

TEST(Mend, RemediesThatAreNotThereYetAreRefusedAndSaidSo) {
  MendOptions options;
  options.tolerance = 1e-6;
  options.plan = Plan{};
  options.plan->steps.resize(1);
  options.plan->steps[0].number = 1;
  options.plan->steps[0].remedy = remedies::refine;
  const MendResult result = mend(model_of(test::cube()), options);
  EXPECT_EQ(test::facets(result.model.parts[0].mesh()), test::facets(test::cube()));
  ASSERT_EQ(result.ledger.size(), 1u);
  ASSERT_EQ(result.ledger[0].refused.size(), 1u);
  EXPECT_NE(result.ledger[0].refused[0].detail.find("refine is not there yet"), std::string::npos);
}

TEST(Mend, ByHandStepsAreCarriedOutAndFlagged) {
  const Mesh box = test::grid_box(2, {1, 1, 1});
  MendOptions options;
  options.tolerance = 1e-6;
  options.plan = Plan{};
  Step step;
  step.number = 1;
  step.remedy = remedies::delete_;
  step.selection.triangles = {{0, 1}};
  options.plan->steps = {step};
  const MendResult result = mend(model_of(box), options);
  EXPECT_EQ(result.model.parts[0].mesh().triangles.size(), box.triangles.size() - 2);
  ASSERT_EQ(result.ledger.size(), 1u);
  EXPECT_NE(result.ledger[0].worse.find("naked"), std::string::npos) << result.ledger[0].worse;
  EXPECT_NEAR(result.area_removed, 0.25, 1e-12);
  EXPECT_EQ(result.deviation(), 0) << "what is removed is listed, and is no movement";
}

TEST(Mend, TheBudgetHoldsOverTheWholePlan) {
  // Stitched again and again with budgets that add up to more than the whole.
  Random random(9);
  for (int i = 0; i < 10; ++i) {
    Mesh mesh = test::grid_box(5, {1, 1, 1}, true);
    spoil(mesh, Defect::crack, 1e-3, random);
    MendOptions options;
    options.plan = Plan{};
    options.plan->tolerance = 6e-4;
    for (std::size_t n = 1; n <= 4; ++n) {
      Step step;
      step.number = n;
      step.remedy = remedies::stitch;
      step.settings["tolerance"] = 3e-4 * static_cast<double>(n);
      options.plan->steps.push_back(step);
    }
    const MendResult result = mend(model_of(mesh), options);
    EXPECT_LE(result.deviation(), 6e-4);
    EXPECT_LE(result.largest_movement, 6e-4);
  }
}

TEST(Mend, OneOpeningIsFilledByAMethodOfChoice) {
  Mesh mesh = test::without(test::grid_box(6, {1, 1, 1}, true), [](const Point& p) {
    return (p - Point(1, 1, 1)).norm() < 0.3 || (p - Point(0, 0, 0)).norm() < 0.3;
  });
  const Inspection found = inspect_for_mending(model_of(mesh), {}, 1e-6);
  std::vector<const Finding*> openings;
  for (const Finding& f : found.findings) {
    if (f.kind == FindingKind::opening) openings.push_back(&f);
  }
  ASSERT_EQ(openings.size(), 2u);
  MendOptions options;
  options.tolerance = 1e-6;
  options.plan = Plan{};
  for (std::size_t i = 0; i < 2; ++i) {
    Step step;
    step.number = i + 1;
    step.remedy = remedies::fill;
    step.selection.ids = {openings[i]->id};
    step.settings["method"] = std::string(i == 0 ? "extend" : "taut");
    options.plan->steps.push_back(step);
  }
  const MendResult result = mend(model_of(mesh), options);
  EXPECT_TRUE(is_solid(result.model.parts[0].mesh()));
  // One corner came back sharp, the other is cut off.
  const double volume = certify(result.model).mass.volume;
  EXPECT_LT(volume, 1 - 1e-4);
  EXPECT_GT(volume, 1 - 0.3 * 0.3 * 0.3);
  EXPECT_EQ(result.ledger.at(0).method.substr(0, 6), "extend");
}

TEST(Mend, TwoOpeningsNamedTogetherAreBridged) {
  // Two cups that face each other: a tube between their rims closes both.
  const auto cup = [](double from, double to, double open) {
    Mesh mesh = test::cylinder(24, 2, 1, to - from);
    for (Point& p : mesh.points) p.z() += from;
    return test::without(mesh, [&](const Point& p) { return std::fabs(p.z() - open) < 1e-6; });
  };
  const Mesh cups = with_distinct_points(test::joined(cup(0, 1, 1), cup(7, 8, 7)));
  const Inspection found = inspect_for_mending(model_of(cups), {}, 1e-6);
  MendOptions options;
  options.tolerance = 1e-6;
  options.plan = Plan{};
  Step step;
  step.number = 1;
  step.remedy = remedies::fill;
  for (const Finding& f : found.findings) {
    if (f.kind == FindingKind::opening || f.kind == FindingKind::sheet_border) {
      step.selection.ids.push_back(f.id);
    }
  }
  ASSERT_EQ(step.selection.ids.size(), 2u);
  step.settings["method"] = std::string("ruled");
  options.plan->steps = {step};
  const MendResult result = mend(model_of(cups), options);
  EXPECT_TRUE(is_solid(result.model.parts[0].mesh())) << what_is_left(result);
  EXPECT_NEAR(test::volume_of(result.model.parts[0].mesh()),
              test::volume_of(test::cylinder(24, 6, 1, 8)), 1e-9);
}

TEST(Trial, IsComputedOnceAndAcceptedAsItIs) {
  Mesh mesh = test::without(test::sphere(20),
                            [](const Point& p) { return (p - Point(1, 0, 0)).norm() < 0.4; });
  const auto state = std::make_shared<const MendState>(model_of(mesh));
  const Inspection found = inspect_for_mending(state->model, {}, 1e-6);
  FillOptions options;
  options.tolerance = 1e-6;
  const auto opening =
      std::find_if(found.findings.begin(), found.findings.end(),
                   [](const Finding& f) { return f.kind == FindingKind::opening; });
  ASSERT_NE(opening, found.findings.end());
  const Trial trial = try_fills(state, found.findings, opening->id, options);
  int taken = 0;
  for (const FillMethod method : fill_methods()) {
    const Fill* fill = trial.find(method);
    if (fill == nullptr) {
      EXPECT_THROW(static_cast<void>(accept_trial(trial, method, 1e-6)), ArgumentError);
      continue;
    }
    const StepResult result = accept_trial(trial, method, 1e-6);
    if (fill->crossings > 0) {
      EXPECT_FALSE(result.changed) << slug(method);
      ASSERT_EQ(result.lines[0].refused.size(), 1u);
      continue;
    }
    EXPECT_EQ(result.state.model.parts[0].mesh().triangles.size(),
              mesh.triangles.size() + fill->triangles.size());
    EXPECT_TRUE(is_solid(result.state.model.parts[0].mesh())) << slug(method);
    EXPECT_NEAR(result.lines[0].area_added, fill->area, 1e-12);
    ++taken;
  }
  EXPECT_GE(taken, 2);
  EXPECT_THROW(static_cast<void>(try_fills(state, found.findings, "opening-00000000", options)),
               StepError);
}

}  // namespace mend_test
}  // namespace aguja
