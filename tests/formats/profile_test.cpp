#include "aguja/formats/profile.h"

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/inspect/inspect.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace profile_test {

const std::string kHead = "format = \"aguja-profile\"\n";

Profile parse(const std::string& text, LengthUnit unit = LengthUnit::millimetre) {
  return parse_profile(kHead + text, unit);
}

std::string message_of(const std::string& text) {
  try {
    static_cast<void>(parse(text));
  } catch (const InputError& error) {
    return error.what();
  }
  return "";
}

TEST(Profile, ReadsLimitsWithUnitsAndRelativeOnes) {
  const Profile p = parse(
      "element_size = \"2 mm\"\n[limits]\nshort_edge = \"0.1 of element size\"\n"
      "thin_wall = \"0.5mm\"\nsliver_patch = \"1 % of diagonal\"\nknife_edge = 12\n"
      "sliver_triangle = 500\n",
      LengthUnit::inch);
  const ResolvedLimits limits(p, 100, LengthUnit::inch);
  EXPECT_NEAR(limits[Limit::short_edge], 0.2 / 25.4, 1e-15);
  EXPECT_NEAR(limits[Limit::thin_wall], 0.5 / 25.4, 1e-15);
  EXPECT_NEAR(limits[Limit::sliver_patch], 1, 1e-15);
  EXPECT_EQ(limits[Limit::knife_edge], 12);
  EXPECT_EQ(limits[Limit::sliver_triangle], 500);
  // Defaults depend on whether there is an element size.
  EXPECT_NEAR(limits[Limit::tiny_patch], 1 / 25.4, 1e-15);
  EXPECT_NEAR(ResolvedLimits(Profile{}, 100, LengthUnit::inch)[Limit::tiny_patch], 0.2, 1e-15);
}

TEST(Profile, WhatIsWrittenReadsBackToTheSame) {
  Profile p = parse(
      "element_size = 1.5\ntolerance = \"0.02mm\"\nintent = \"sheet\"\n[intents]\n"
      "\"a b\" = \"solid\"\n[limits]\nknife_edge = \"7 deg\"\nthin_wall = \"0.3 of element size\"\n"
      "[severities]\ntouch = \"warning\"\nunit-doubt = \"off\"\n[[waivers]]\nkind = \"opening\"\n"
      "near = [1, 2, 3.5]\nwithin = \"2mm\"\nreason = \"an \\\"inlet\\\"\"\n[[waivers]]\n"
      "id = \"crack-12\"\npart = \"lid\"\nreason = \"glued\"\n");
  const Profile q = parse_profile(profile_text(p, LengthUnit::millimetre), LengthUnit::millimetre);
  EXPECT_EQ(q.limits, p.limits);
  EXPECT_EQ(q.severities, p.severities);
  EXPECT_EQ(q.skipped, p.skipped);
  EXPECT_EQ(q.intents, p.intents);
  EXPECT_EQ(q.intent, p.intent);
  EXPECT_EQ(q.element_size, p.element_size);
  EXPECT_EQ(q.tolerance, p.tolerance);
  ASSERT_EQ(q.waivers.size(), 2u);
  EXPECT_EQ(q.waivers[0].reason, "an \"inlet\"");
  EXPECT_EQ(q.waivers[0].near, p.waivers[0].near);
  EXPECT_EQ(q.waivers[1].id, "crack-12");
  EXPECT_TRUE(parse_profile(profile_text({}, LengthUnit::metre), LengthUnit::metre).limits.empty());
}

TEST(Profile, EveryLimitCanBeWrittenAndRead) {
  for (const LimitInfo& l : all_limits()) {
    EXPECT_EQ(&info(l.limit), &l);
    EXPECT_EQ(parse_limit(l.limit, text_of(l.standard), LengthUnit::metre), l.standard) << l.slug;
    EXPECT_FALSE(l.what.empty() || l.why.empty()) << l.slug;
  }
}

TEST(Profile, AnUnknownWordIsAnErrorThatNamesTheNearest) {
  EXPECT_EQ(message_of("tolerence = 1"),
            "profile: line 2: the key 'tolerence' is not known; the nearest is 'tolerance'");
  EXPECT_EQ(message_of("[limits]\nsliver_pach = 1"),
            "profile: line 3: the limit 'sliver_pach' is not known; the nearest is 'sliver_patch'");
  EXPECT_EQ(message_of("[severities]\nopenning = \"note\""),
            "profile: line 3: the kind 'openning' is not known; the nearest is 'opening'");
  EXPECT_EQ(message_of("[severities]\nopening = \"eror\""),
            "profile: line 3: the severity 'eror' is not known; the nearest is 'error'");
  EXPECT_EQ(message_of("intent = \"sheat\""),
            "profile: line 2: the intent 'sheat' is not known; the nearest is 'sheet'");
}

TEST(Profile, RefusesWhatIsNotWhole) {
  EXPECT_NE(message_of("[limits]\nshort_edge = \"2 furlongs\"").find("line 3"), std::string::npos);
  EXPECT_NE(message_of("[limits]\nshort_edge = -1").find("line 3"), std::string::npos);
  EXPECT_NE(message_of("[[waivers]]\nkind = \"gap\"").find("needs a reason"), std::string::npos);
  EXPECT_NE(message_of("[[waivers]]\nreason = \"so\"").find("id"), std::string::npos);
  EXPECT_NE(message_of("= nonsense").find("line 2"), std::string::npos);
  EXPECT_THROW(static_cast<void>(parse_profile("version = 1", LengthUnit::metre)), InputError);
  EXPECT_THROW(static_cast<void>(read_profile("/no/such/profile.toml", LengthUnit::metre)),
               InputError);
  // Shortened anywhere it is refused or means less, but never breaks.
  const std::string whole = profile_text(parse("element_size = 2"), LengthUnit::millimetre);
  for (std::size_t n = 0; n < whole.size(); n += 7) {
    try {
      static_cast<void>(parse_profile(whole.substr(0, n), LengthUnit::millimetre));
    } catch (const InputError&) {
    }
  }
}

TEST(Profile, SeveritiesWaiversIntentsAndSkippedKindsHold) {
  Mesh open = test::cube({0, 0, 0}, 30);
  open.triangles.pop_back();
  const Model model = test::model_of(open, "lid");
  const auto with = [&](const std::string& text) {
    InspectOptions options;
    options.profile = parse(text);
    return inspect(model, options);
  };
  EXPECT_EQ(with("").count(Severity::error), 1u);
  EXPECT_EQ(with("[severities]\nopening = \"note\"").count(Severity::error), 0u);
  EXPECT_EQ(with("[severities]\nopening = \"note\"").count(Severity::note), 1u);
  EXPECT_TRUE(with("[severities]\nopening = \"off\"").findings.empty());
  EXPECT_TRUE(with("[intents]\nlid = \"sheet\"").findings.empty());
  const Inspection waived = with("[[waivers]]\nkind = \"opening\"\nreason = \"inlet\"");
  EXPECT_EQ(waived.count(Severity::error), 0u);
  EXPECT_EQ(waived.waived(), 1u);
  ASSERT_EQ(waived.findings.size(), 1u);
  EXPECT_EQ(waived.findings[0].waived, "inlet");
  EXPECT_EQ(with("[[waivers]]\nkind = \"opening\"\nnear = [500, 0, 0]\nwithin = 1\nreason = \"x\"")
                .waived(),
            0u);
}

TEST(Profile, TakesTheWaiversOfAPlanAndNothingElse) {
  const std::string plan =
      "format = \"aguja-plan\"\nversion = 1\n[input]\nfile = \"a.stl\"\n"
      "[[steps]]\nremedy = \"fill\"\nid = \"opening-1\"\n"
      "[[waivers]]\nid = \"opening-2\"\nreason = \"inlet\"\n";
  const Profile profile = parse_profile(plan, LengthUnit::millimetre);
  ASSERT_EQ(profile.waivers.size(), 1u);
  EXPECT_EQ(profile.waivers[0].id, "opening-2");
  // Limits are no part of a plan, nor steps of a profile.
  EXPECT_THROW(
      static_cast<void>(parse_profile(plan + "[limits]\nknife_edge = 3\n", LengthUnit::millimetre)),
      InputError);
  EXPECT_THROW(
      static_cast<void>(parse_profile("format = \"aguja-profile\"\n[[steps]]\nremedy = \"fill\"\n",
                                      LengthUnit::millimetre)),
      InputError);
}

TEST(Profile, LettersBeyondAsciiStandInQuotesAndCommentsOnly) {
  const auto read = [](const std::string& text) {
    return parse_profile("format = \"aguja-profile\"\n" + text, LengthUnit::millimetre);
  };
  EXPECT_EQ(read("[intents]\n\"válvula\" = 'sheet' # ñ\n").intents.size(), 1u);
  EXPECT_EQ(
      read("[[waivers]]\nkind = \"gap\"\nreason = \"\"\"dos \\\" líneas\nñ\"\"\"\n").waivers.size(),
      1u);
  for (const char* text : {"ñ = 1\n", "[ñ]\n", "tolerance = Ǽ\n", "[=\n", "[[\n",
                           "tolerance = 1\x01\n", "# \x7f\n", "intent = \"sheet\nñ"}) {
    EXPECT_THROW(static_cast<void>(read(text)), InputError) << text;
  }
  // A quote opens nothing within a word, nor does one that belongs to the text before it.
  EXPECT_EQ(read("[[waivers]]\nkind = \"gap\"\nreason = \"\"\"a\"\"\"\" # ñ\n").waivers.size(), 1u);
  // Some look as if they did: the parser meets what is in them bare.
  EXPECT_THROW(static_cast<void>(read("tolerance = 0ls='''aﻪb\n'''\n")), InputError);
  for (const char* text :
       {"tolerance = +\"ﻪ\"\n", "tolerance = 1'é'\n", "a\"\"\"\né\"\"\" = 1\n"}) {
    try {
      static_cast<void>(read(text));
      ADD_FAILURE() << text;
    } catch (const InputError& error) {
      EXPECT_NE(std::string(error.what()).find("a letter outside of quotes"), std::string::npos)
          << error.what();
    }
  }
}

}  // namespace profile_test
}  // namespace aguja
