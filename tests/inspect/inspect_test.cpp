#include "aguja/inspect/inspect.h"

#include <algorithm>
#include <set>

#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

#include "aguja/inspect/check.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"
#include "tests/support/stop_after.h"

namespace aguja {
namespace inspect_test {

using enum FindingKind;

std::vector<std::string> ids(const Inspection& inspection) {
  std::vector<std::string> result;
  for (const Finding& f : inspection.findings) result.push_back(f.id);
  return result;
}

TEST(Kinds, HaveTextsAndSlugsThatNameThem) {
  std::set<std::string_view> slugs;
  for (const KindInfo& k : all_kinds()) {
    EXPECT_EQ(&info(k.kind), &k);
    EXPECT_EQ(parse_finding_kind(k.slug), k.kind);
    EXPECT_TRUE(slugs.insert(k.slug).second);
    for (const std::string_view text : {k.family, k.measure_name, k.what, k.why, k.remedy}) {
      EXPECT_FALSE(text.empty()) << k.slug;
    }
  }
  EXPECT_FALSE(parse_finding_kind("no-such-kind"));
}

TEST(Registry, NamesEachCheckOnce) {
  std::set<std::string_view> names;
  for (const Check& check : all_checks()) {
    EXPECT_TRUE(names.insert(check.name).second);
    EXPECT_NE(check.on_part != nullptr, check.on_model != nullptr);
  }
}

TEST(Inspect, FindsNothingInCleanModels) {
  for (const Mesh& mesh : {test::cube({0, 0, 0}, 10), test::sphere(20, 30),
                           test::joined(test::sphere(9, 20), test::turned(test::sphere(9, 10))),
                           test::joined(test::cube({0, 0, 0}, 10), test::cube({20, 0, 0}, 10))}) {
    EXPECT_TRUE(inspect(test::model_of(mesh)).findings.empty());
  }
}

TEST(Inspect, IdsDoNotDependOnOrderOrThreads) {
  std::size_t with_findings = 0;
  for (std::uint64_t seed = 1; seed <= 300; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    Model model = test::model_of(test::damaged_mesh(seed));
    const auto before = ids(inspect(model));
    test::Random random(seed + 1000);
    test::edit(model, [&](Mesh& mesh) {
      std::shuffle(mesh.triangles.begin(), mesh.triangles.end(), random.engine());
    });
    const oneapi::tbb::global_control limit(oneapi::tbb::global_control::max_allowed_parallelism,
                                            1);
    auto after = ids(inspect(model));
    // A winding conflict between two halves of equal size may be blamed on either.
    const auto ambiguous = [](const std::string& id) { return id.starts_with("winding"); };
    auto expected = before;
    std::erase_if(expected, ambiguous);
    std::erase_if(after, ambiguous);
    std::sort(expected.begin(), expected.end());
    std::sort(after.begin(), after.end());
    EXPECT_EQ(after, expected);
    with_findings += !before.empty();
  }
  EXPECT_GE(with_findings, 150u);
}

TEST(Inspect, FindingsAreWorstFirst) {
  for (std::uint64_t seed = 1; seed <= 200; ++seed) {
    const auto findings = inspect(test::model_of(test::damaged_mesh(seed))).findings;
    for (std::size_t i = 1; i < findings.size(); ++i) {
      ASSERT_LE(findings[i - 1].severity, findings[i].severity);
      if (findings[i - 1].kind == findings[i].kind) {
        const bool rising = info(findings[i].kind).smaller_is_worse;
        const double worse = findings[i - 1].measure, other = findings[i].measure;
        ASSERT_TRUE(rising ? worse <= other : worse >= other);
      }
    }
  }
}

TEST(Inspect, ASheetIsNotAnOpening) {
  const Mesh sheet =
      test::mesh_of({{0, 0, 0}, {20, 0, 0}, {20, 20, 0}, {0, 20, 0}}, {{0, 1, 2}, {0, 2, 3}});
  const auto findings = inspect(test::model_of(sheet)).findings;
  ASSERT_EQ(findings.size(), 1u);
  EXPECT_EQ(findings[0].kind, sheet_border);
  EXPECT_DOUBLE_EQ(findings[0].measure, 80);

  Mesh open_box = test::cube({0, 0, 0}, 20);
  open_box.triangles.resize(10);
  const auto openings = inspect(test::model_of(open_box)).findings;
  ASSERT_EQ(openings.size(), 1u);
  EXPECT_EQ(openings[0].kind, opening);
}

TEST(Inspect, AFlatClosedShellHasZeroVolume) {
  // Two different divisions of the same square, back to back.
  const Mesh flat = test::mesh_of({{0, 0, 0}, {9, 0, 0}, {9, 9, 0}, {0, 9, 0}},
                                  {{0, 1, 2}, {0, 2, 3}, {0, 3, 1}, {1, 3, 2}});
  const auto findings = inspect(test::model_of(flat)).findings;
  ASSERT_EQ(findings.size(), 1u);
  EXPECT_EQ(findings[0].kind, zero_volume);
}

TEST(Inspect, TheSmallerSideOfAConflictIsTheTurnedOne) {
  Mesh mesh = test::sphere(10, 30);
  for (const std::size_t t : {100u, 101u, 103u}) {
    std::swap(mesh.triangles[t][0], mesh.triangles[t][1]);
  }
  const auto findings = inspect(test::model_of(mesh)).findings;
  ASSERT_EQ(findings.size(), 1u);
  EXPECT_EQ(findings[0].kind, winding_conflict);
  ASSERT_EQ(findings[0].triangle_total, 3u);
  EXPECT_EQ(findings[0].triangles[0].value, 100u);
}

TEST(Inspect, DoubtsTheUnit) {
  const auto kinds = [](double size) {
    const auto findings = inspect(test::model_of(test::cube({0, 0, 0}, size))).findings;
    return findings.empty() ? 0 : findings[0].kind == unit_doubt ? 1 : 2;
  };
  EXPECT_EQ(kinds(1e-4), 1);
  EXPECT_EQ(kinds(100), 0);
  EXPECT_EQ(kinds(1e6), 1);
}

TEST(Inspect, PartsSideBySideAreWhatTheyAreAlone) {
  Model model;
  for (std::uint64_t seed = 0; seed < 12; ++seed) {
    Mesh mesh = test::grid_box(2 + static_cast<int>(seed % 5), {1, 2, 3});
    for (std::uint64_t k = 0; k < seed % 4; ++k) mesh.triangles.erase(mesh.triangles.begin() + 5);
    model.parts.emplace_back("part" + std::to_string(seed), std::move(mesh));
  }
  const auto together = inspect_parts(model);
  ASSERT_EQ(together.size(), model.parts.size());
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    const auto alone = inspect_shape(*model.parts[p].shape(), Intent::solid, model.unit);
    EXPECT_EQ(together[p]->counts.naked_edges, alone->counts.naked_edges);
    ASSERT_EQ(together[p]->findings.size(), alone->findings.size());
    for (std::size_t f = 0; f < alone->findings.size(); ++f) {
      EXPECT_EQ(together[p]->findings[f].identity, alone->findings[f].identity);
    }
  }
  // What is known already is not looked at again.
  const auto again = inspect_parts(model, together);
  EXPECT_EQ(again, together);
}

TEST(Inspect, StopsWhenAsked) {
  const Model model = test::model_of(test::sphere(8));
  int stopped = 0;
  for (int calls = 0; calls < 1000; ++calls) {
    test::StopAfter progress(calls);
    try {
      static_cast<void>(inspect(model, {}, nullptr, &progress));
      break;
    } catch (const Cancelled&) {
      ++stopped;
    }
  }
  EXPECT_GE(stopped, 10);
  EXPECT_LT(stopped, 1000);
}

TEST(Inspect, NamesItsStages) {
  StageTimes times;
  static_cast<void>(inspect(test::model_of(test::cube()), {}, &times));
  std::set<std::string> stages;
  for (const auto& [stage, seconds] : times.stages()) stages.insert(stage);
  for (const char* expected : {"weld", "edges", "rims", "winding", "unit"}) {
    EXPECT_TRUE(stages.contains(expected)) << expected;
  }
}

TEST(Inspect, GivesTheVerdictOfCertify) {
  InspectOptions options;
  options.certify = true;
  std::set<Verdict> verdicts;
  for (std::uint64_t seed = 1; seed <= 120; ++seed) {
    SCOPED_TRACE(seed);
    const Model model =
        test::model_of(seed % 6 == 0 ? test::sphere(8, 10) : test::damaged_mesh(seed));
    const Certificate alone = certify(model);
    const auto with = inspect(model, options).certificate;
    ASSERT_TRUE(with);
    EXPECT_EQ(with->verdict, alone.verdict);
    EXPECT_EQ(with->encloses, alone.encloses);
    ASSERT_EQ(with->reasons.size(), alone.reasons.size());
    for (std::size_t i = 0; i < alone.reasons.size(); ++i) {
      EXPECT_EQ(with->reasons[i].text, alone.reasons[i].text);
    }
    EXPECT_EQ(with->mass.volume, alone.mass.volume);
    EXPECT_EQ(with->shells.size(), alone.shells.size());
    verdicts.insert(alone.verdict);
  }
  EXPECT_GE(verdicts.size(), 2u);
  EXPECT_FALSE(inspect(test::model_of(test::cube())).certificate);
  EXPECT_EQ(inspect(Model{}, options).certificate->verdict, certify(Model{}).verdict);
}

TEST(Crossings, TellTheDepthOfBodiesThatHaveAnInside) {
  const auto box = [](const Vector& low, const Vector& size) {
    Mesh mesh = test::grid_box(3, size);
    for (Point& p : mesh.points) p += low;
    return mesh;
  };
  const auto crossings = [](const Mesh& mesh) {
    std::vector<Finding> found = inspect(test::model_of(mesh)).findings;
    std::erase_if(found, [](const Finding& f) { return f.kind != crossing; });
    return found;
  };
  const Mesh block = box({0, 0, 0}, {10, 10, 10});
  // However far their triangles reach, they go into each other by so much.
  for (const double deep : {0.0001, 0.01, 0.5}) {
    const Mesh peg = box({3.1, 3.1, 10 - deep}, {4, 4, 20});
    for (const Finding& f : crossings(test::joined(block, peg))) {
      ASSERT_TRUE(f.depth.has_value());
      EXPECT_NEAR(*f.depth, deep, 1e-9);
      EXPECT_GE(*f.reach, 0);
    }
    EXPECT_GE(crossings(test::joined(block, peg)).size(), 1u);
    // One that is open has no inside.
    const Mesh open = test::without(peg, [](const Point& p) { return p.z() > 29.4; });
    ASSERT_GE(crossings(test::joined(block, open)).size(), 1u);
    EXPECT_FALSE(crossings(test::joined(block, open))[0].depth.has_value());
  }
}

}  // namespace inspect_test
}  // namespace aguja
