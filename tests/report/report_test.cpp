#include <algorithm>
#include <cmath>

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include "aguja/report/table.h"
#include "aguja/report/text.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/measure.h"
#include "demo/seeded.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace report_test {

const demo::DemoModel& demo_model(const std::string& name) {
  static const std::vector<demo::DemoModel> models = demo::demo_models();
  return *std::find_if(models.begin(), models.end(), [&](const auto& m) { return m.name == name; });
}

TEST(TextTable, AlignsCutsWrapsAndCountsCharactersNotBytes) {
  TextTable table({{"kind", Align::left}, {"n", Align::right}, {"what", Align::left}});
  table.add({"é", "7", "a rather long explanation of it"});
  table.add({"crack", "1000", "short"});
  EXPECT_EQ(table.text(30),
            "  kind      n  what\n"
            "  é         7  a rather long …\n"
            "  crack  1000  short\n");
  EXPECT_EQ(table.text(36),
            "  kind      n  what\n"
            "  é         7  a rather long\n"
            "               explanation of it\n"
            "  crack  1000  short\n");
  EXPECT_EQ(TextTable({{"a"}}).text(30), "");
}

TEST(Text, NumbersAndParagraphs) {
  EXPECT_EQ(grouped(0), "0");
  EXPECT_EQ(grouped(1234567), "1 234 567");
  EXPECT_EQ(wrapped("one two three four", 12, 2), "  one two\n  three four\n");
  EXPECT_EQ(brief(0.1 + 0.2), "0.3");
  EXPECT_EQ(brief(-0.0), "0");
  EXPECT_EQ(brief(Point(12.5, 1e-15, -3)), "(12.5, 0, -3)");
}

TEST(InspectText, GivesTheAnswerTheTableAndWhatToDo) {
  const Model& model = demo_model("pod-missing-triangles").model;
  const std::string text = inspect_text(model, inspect(model), "pod.stl");
  EXPECT_NE(text.find("Not a solid yet: 2 errors."), std::string::npos) << text;
  EXPECT_NE(text.find("■ error   opening       2        12"), std::string::npos) << text;
  EXPECT_NE(text.find("opening: fill"), std::string::npos);
  EXPECT_NE(text.find("the inside runs out through it"), std::string::npos);
}

TEST(InspectText, ACleanModelHasNothingToDo) {
  const Model& model = demo_model("garza").model;
  const std::string text = inspect_text(model, inspect(model), "garza.obj");
  EXPECT_NE(text.find("No errors."), std::string::npos) << text;
  EXPECT_EQ(text.find("What to do"), std::string::npos);
}

TEST(InspectText, RowsPerKindOrPerFinding) {
  const Model& model = demo_model("pod-strays").model;
  const Inspection inspection = inspect(model);
  const auto rows = [&](bool every) {
    const std::string text = inspect_text(model, inspection, "x", {.every_finding = every});
    std::size_t count = 0;
    for (std::size_t at = text.find("◆ warning"); at != std::string::npos;
         at = text.find("◆ warning", at + 1)) {
      ++count;
    }
    return count;
  };
  EXPECT_EQ(rows(false), 1u);
  EXPECT_EQ(rows(true), 2u);
}

TEST(InspectText, FitsTheWidthItIsGiven) {
  for (const demo::DemoModel& demo : demo::demo_models()) {
    const std::string text = inspect_text(demo.model, inspect(demo.model), "m", {.width = 100});
    std::size_t begin = text.find('\n') + 1;  // the first line names the file, however long
    while (begin < text.size()) {
      const std::size_t end = text.find('\n', begin);
      const auto characters =
          std::count_if(text.begin() + static_cast<std::ptrdiff_t>(begin),
                        text.begin() + static_cast<std::ptrdiff_t>(end),
                        [](char c) { return (static_cast<unsigned char>(c) & 0xC0u) != 0x80u; });
      EXPECT_LE(characters, 100) << text.substr(begin, end - begin);
      begin = end + 1;
    }
  }
}

TEST(CertifyText, ShowsVerdictReasonsShellsAndExpectations) {
  const Model& model = demo_model("garza").model;
  const Expectation missed{"mass", 1, 0.29, 0.01};
  const std::string text =
      certify_text(model, certify(model), "garza.obj", "sha256:00", Density{1050}, {&missed, 1});
  for (const char* part : {"Verdict: solid", "ballast-ring", "inward", "mass      0.28974",
                           "expected  mass 1: MISSED, 71 % off", "digest    sha256:00"}) {
    EXPECT_NE(text.find(part), std::string::npos) << part << "\n" << text;
  }
}

TEST(MeasureText, SaysWhyAnOpenModelHasNoVolume) {
  const Model& model = demo_model("pod-missing-triangles").model;
  const std::string text =
      measure_text(model, measure_parts(model), "pod.stl", {.density = Density{1}});
  EXPECT_NE(text.find("volume    none: some edge is not used equally often both ways"),
            std::string::npos)
      << text;
  EXPECT_EQ(text.find("kg at"), std::string::npos);
}

TEST(MeasureText, SaysOfAVolumeThatItIsThatOfNoBody) {
  Mesh inward = test::cube();
  for (Triangle& t : inward.triangles) std::swap(t.corner[1], t.corner[2]);
  Mesh crossing = test::cube();
  const Mesh second = test::cube({0.3, 0.4, 0.5});
  for (Triangle t : second.triangles) {
    for (VertexId& v : t.corner) v.value += static_cast<std::uint32_t>(crossing.points.size());
    crossing.triangles.push_back(t);
  }
  crossing.points.insert(crossing.points.end(), second.points.begin(), second.points.end());
  for (const auto& [mesh, why] :
       {std::pair(inward, "it faces inward"), std::pair(crossing, "counts twice")}) {
    const Model model = test::model_of(mesh);
    const auto parts = measure_parts(model);
    const std::string text = measure_text(model, parts, "x", {.density = Density{1}});
    EXPECT_NE(text.find(why), std::string::npos) << text;
    EXPECT_EQ(text.find("kg at"), std::string::npos);
    const auto json = measure_json(model, parts, {.density = Density{1}}, {});
    EXPECT_TRUE(json["total"]["mass"].is_null());
    EXPECT_NE(json["parts"][0]["volume_doubt"].get<std::string>().find(why), std::string::npos);
    EXPECT_FALSE(volume_doubt(certify(model)).empty());
  }
  EXPECT_TRUE(volume_doubt(certify(test::model_of(test::cube()))).empty());
}

TEST(MeasureJson, TotalsAreThoseOfTheParts) {
  const Model& model = demo_model("garza").model;
  const auto json = measure_json(model, measure_parts(model), {.density = Density{1000}}, {});
  double volume = 0, mass = 0;
  for (const auto& part : json["parts"]) {
    volume += part["volume"].get<double>();
    mass += part["mass"].get<double>();
  }
  EXPECT_NEAR(json["total"]["volume"].get<double>(), volume, 1e-6);
  EXPECT_NEAR(json["total"]["mass"].get<double>(), mass, 1e-12);
  EXPECT_EQ(json["total"]["size"], (nlohmann::ordered_json{104.0, 104.0, 147.0}));
}

TEST(InspectJson, HasEveryDocumentedField) {
  const Model& model = demo_model("pod-fin").model;
  const auto json = inspect_json(model, inspect(model), 100, {});
  EXPECT_EQ(json["schema"]["name"], "aguja.inspect");
  EXPECT_EQ(json["counts"]["nonmanifold_edges"], 1);
  ASSERT_EQ(json["findings"].size(), 1u);
  for (const char* key : {"id", "kind", "severity", "part", "count", "place", "box", "measure",
                          "limit", "unit", "triangles", "remedy", "waits_for"}) {
    EXPECT_TRUE(json["findings"][0].contains(key)) << key;
  }
  EXPECT_EQ(json["findings"][0]["triangles"].size(), 3u);
}

TEST(InspectJson, CapsTheListButCountsAll) {
  const Model& model = demo_model("pod-missing-triangles").model;
  const auto json = inspect_json(model, inspect(model), 1, {});
  EXPECT_EQ(json["findings"].size(), 1u);
  EXPECT_EQ(json["findings_total"], 2);
}

TEST(CertifyJson, GivesVerdictMassShellsAndCrossings) {
  const Model& model = demo_model("garza").model;
  const auto json = certify_json(model, certify(model), "sha256:0", Density{1000}, {}, {});
  EXPECT_EQ(json["verdict"], "solid");
  EXPECT_EQ(json["solid"], true);
  EXPECT_TRUE(json["reasons"].empty());
  EXPECT_NEAR(json["mass"].get<double>(), json["volume"].get<double>() * 1e-9 * 1000, 1e-12);
  EXPECT_EQ(json["shells"][1]["inside_of"], 0);
  EXPECT_EQ(json["shells"][1]["faces"], "inward");
  EXPECT_EQ(json["crossings"]["crossing"], 0);
  EXPECT_EQ(json["crossings"]["touch"], 0);
}

TEST(CertifyJson, AnOpenModelHasNoVolume) {
  const Model& model = demo_model("pod-missing-triangles").model;
  const auto json = certify_json(model, certify(model), "", {}, {}, {});
  EXPECT_TRUE(json["volume"].is_null());
  EXPECT_GT(json["area"].get<double>(), 0);
}

TEST(Expectation, IsMetWithinItsFraction) {
  EXPECT_TRUE((Expectation{"volume", 100, 100.9, 0.01}.is_met()));
  EXPECT_FALSE((Expectation{"volume", 100, 101.1, 0.01}.is_met()));
  EXPECT_FALSE((Expectation{"volume", 100, std::nan(""), 0.01}.is_met()));
}

StitchReport report_of(const Model& model, double tolerance) {
  StitchReport report;
  report.tolerance = tolerance;
  report.tolerance_why = "tolerance as given";
  StitchedModel stitched = stitch(model, tolerance);
  report.certificate = certify(stitched.model);
  report.result = std::move(stitched.total);
  return report;
}

TEST(StitchText, SaysWhatWasJoinedMovedRefusedAndLeft) {
  const Model& model = demo_model("pod-cracked").model;
  StitchReport report = report_of(model, 0.03);
  std::string text = stitch_text(model, report, "pod.stl");
  for (const char* part : {"Stitching at 0.03 mm: 2 784 naked edges would become 0.",
                           "joined    1 392 edges", "Verdict: solid", "this was a dry run"}) {
    EXPECT_NE(text.find(part), std::string::npos) << part << "\n" << text;
  }
  report.output = "out.stl";
  report.digest = "sha256:1";
  EXPECT_NE(stitch_text(model, report, "pod.stl").find("became 0"), std::string::npos);
  text = stitch_text(model, report_of(model, 0.003), "pod.stl");
  for (const char* part : {"joins refused", "rims still open", "Verdict: not-solid"}) {
    EXPECT_NE(text.find(part), std::string::npos) << part << "\n" << text;
  }
}

TEST(StitchJson, HoldsEveryFigure) {
  const Model& model = demo_model("pod-cracked").model;
  const auto json = stitch_json(model, report_of(model, 0.03), {});
  EXPECT_EQ(json["naked_before"], 2784);
  EXPECT_EQ(json["joined"], 1392);
  EXPECT_LE(json["largest_movement"].get<double>(), 0.02);
  EXPECT_TRUE(json["output"].is_null());
  EXPECT_EQ(json["certificate"]["verdict"], "solid");
  EXPECT_TRUE(json["certificate"]["digest"].is_null());
}

TEST(CompareText, SaysHowFarAndWhere) {
  const Model& a = demo_model("pod-cracked").model;
  const Model& b = demo_model("pod").model;
  const std::string text = compare_text(a, "torn.stl", "pod.stl", compare(a, b));
  EXPECT_EQ(text.find("The two lie up to 0.00"), 0u) << text;
  EXPECT_NE(text.find("A to B"), std::string::npos);
  EXPECT_NE(text.find("By patch of B"), std::string::npos) << text;
  EXPECT_EQ(compare_text(b, "a", "b", compare(b, b)).find("The two lie"), 0u);
  const auto json = compare_json(a, b, compare(a, b), {});
  EXPECT_GT(json["deviation"]["b_to_a"]["patches"].size(), 10u);
}

TEST(InspectText, ProposesATolerance) {
  const Model& model = demo_model("pod-cracked").model;
  const std::string text = inspect_text(model, inspect(model), "pod.stl");
  EXPECT_NE(text.find("stitch --tolerance 0.024mm reaches over 26 of 26 narrow"), std::string::npos)
      << text;
}

}  // namespace report_test
}  // namespace aguja
