#include "aguja/report/data_json.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include "aguja/base/error.h"
#include "aguja/inspect/inspect.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace data_json_test {

using Json = nlohmann::ordered_json;

Inspection inspected(std::uint64_t seed) {
  InspectOptions options;
  options.certify = true;
  Waiver waiver;
  waiver.kind = FindingKind::zero_area;
  waiver.reason = "a \"reason\"\nof two lines";
  options.profile.waivers = {waiver};
  return inspect(test::model_of(test::damaged_mesh(seed), "pärt"), options);
}

TEST(DataJson, WhatIsWrittenReadsBackToTheSame) {
  std::size_t findings = 0, shells = 0;
  for (std::uint64_t seed = 1; seed <= 150; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const Inspection found = inspected(seed);
    for (Finding f : found.findings) {
      f.further_parts.resize(findings % 3);
      for (PartEntities& p : f.further_parts) p = {"o\"ther", findings, f.triangles, 1 + findings};
      const std::string text = data_json(f).dump();
      const Finding back = finding_of(Json::parse(text));
      EXPECT_EQ(data_json(back).dump(), text);
      EXPECT_EQ(back.id, f.id);
      EXPECT_EQ(back.kind, f.kind);
      EXPECT_EQ(back.severity, f.severity);
      EXPECT_EQ(back.place, f.place);
      EXPECT_EQ(back.box.high, f.box.high);
      EXPECT_EQ(back.measure, f.measure);
      EXPECT_EQ(back.triangles, f.triangles);
      EXPECT_EQ(back.cause_of, f.cause_of);
      EXPECT_EQ(back.waived, f.waived);
      EXPECT_EQ(back.part_index, f.part_index);
      EXPECT_EQ(back.further_parts, f.further_parts);
      ++findings;
    }
    const std::string counts = data_json(found.counts).dump();
    EXPECT_EQ(data_json(counts_of(Json::parse(counts))).dump(), counts);
    const std::string text = data_json(*found.certificate).dump();
    const Certificate back = certificate_of(Json::parse(text));
    EXPECT_EQ(data_json(back).dump(), text);
    EXPECT_EQ(back.verdict, found.certificate->verdict);
    EXPECT_EQ(back.mass.inertia, found.certificate->mass.inertia);
    shells += back.shells.size();
  }
  EXPECT_GE(findings, 500u);
  EXPECT_GE(shells, 150u);
}

TEST(DataJson, PairsOfPartsReadBack) {
  Model model = test::model_of(test::cube(), "a");
  model.parts.emplace_back("b", test::sphere(4, 0.5));
  model.parts.emplace_back("c", test::cube());
  const Certificate found = certify(model);
  EXPECT_GE(found.pairs.size(), 3u);
  const std::string text = data_json(found).dump();
  const Certificate back = certificate_of(Json::parse(text));
  EXPECT_EQ(data_json(back).dump(), text);
  EXPECT_EQ(back.pairs.size(), found.pairs.size());
  EXPECT_EQ(back.pairs.back().relation, found.pairs.back().relation);
  EXPECT_EQ(back.part_verdicts, found.part_verdicts);
}

TEST(DataJson, WhatIsMissingOrOfAnotherTypeIsAnErrorThatNamesIt) {
  const Inspection found = inspected(3);
  ASSERT_FALSE(found.findings.empty());
  const Json whole = data_json(found.findings[0]);
  const Json certificate = data_json(*found.certificate);
  std::size_t refused = 0;
  const auto expect_error = [&](const Json& broken, const std::string& key, const auto& read) {
    try {
      static_cast<void>(read(broken));
      ADD_FAILURE() << key << " " << broken.dump();
    } catch (const InputError& error) {
      EXPECT_NE(std::string(error.what()).find(key), std::string::npos) << error.what();
      ++refused;
    }
  };
  for (const auto& [key, value] : whole.items()) {
    Json without = whole, other = whole;
    without.erase(key);
    other[key] = Json::object({{"x", 1}});
    expect_error(without, key, finding_of);
    expect_error(other, key, finding_of);
  }
  for (const auto& [key, value] : certificate.items()) {
    Json without = certificate, other = certificate;
    without.erase(key);
    other[key] = -1;
    expect_error(without, key, certificate_of);
    expect_error(other, key, certificate_of);
  }
  EXPECT_THROW(static_cast<void>(counts_of(Json::array())), InputError);
  EXPECT_GE(refused, 50u);
}

}  // namespace data_json_test
}  // namespace aguja
