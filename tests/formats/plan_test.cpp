#include "aguja/formats/plan.h"

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace plan_test {

const std::string kHead = "format = \"aguja-plan\"\n";  // line 1

Plan parse(const std::string& text, LengthUnit unit = LengthUnit::millimetre) {
  return parse_plan(kHead + text, unit);
}

std::string message_of(const std::string& text) {
  try {
    static_cast<void>(parse(text));
  } catch (const InputError& error) {
    return error.what();
  }
  return "";
}

// A step with everything that its remedy may be told.
Step full_step(Remedy remedy, test::Random& random, std::size_t number) {
  Step s;
  s.number = number;
  s.remedy = remedy;
  s.on = random.chance(0.5);
  s.why = "because \"so\"\nand \\ so";
  s.method = "flat: within 1e-3";
  if (random.chance(0.5)) s.budget = random.unit();
  s.selection.part = "a part";
  s.selection.ids = {"opening-0123abcd", "crack-0123abce"};
  s.selection.kinds = {FindingKind::crack, FindingKind::opening};
  s.selection.near = Point(random.unit(), -random.unit(), 1e-300);
  s.selection.within = random.unit();
  Box box;
  box.extend(Point(random.unit(), 2, 3));
  box.extend(Point(4, 5, random.unit()));
  s.selection.box = box;
  s.selection.patches = {"lid", "7"};
  s.selection.triangles = {{0, 4}, {9, 9}};
  s.selection.but = {"crack-00000000"};
  for (const SettingInfo& setting : info(remedy).settings) {
    const std::string key(setting.key);
    switch (setting.type) {
      case SettingType::flag:
        s.settings[key] = random.chance(0.5);
        break;
      case SettingType::number:
        s.settings[key] = 3.0;
        break;
      case SettingType::length:
        s.settings[key] = random.unit() * 1e-3;
        break;
      case SettingType::word:
        s.settings[key] = std::string("auto");
        break;
      case SettingType::point:
        s.settings[key] = std::vector<double>{1, random.unit(), -3};
        break;
      case SettingType::points:
        s.settings[key] = std::vector<double>{1, random.unit(), -3, 4, 5, 6};
        break;
    }
  }
  return s;
}

TEST(Plan, WhatIsWrittenReadsBackToTheSameForEveryRemedyAndSetting) {
  for (const LengthUnit unit : {LengthUnit::millimetre, LengthUnit::inch, LengthUnit::metre}) {
    test::Random random(7);
    Plan plan;
    plan.file = "a \"b\".stl";
    plan.digest = "sha256:00";
    plan.tolerance = 0.03;
    for (const Remedy r : all_remedies()) {
      plan.steps.push_back(full_step(r, random, plan.steps.size() + 1));
    }
    Waiver waiver;
    waiver.id = "opening-0123abcd";
    waiver.reason = "inlet";
    plan.waivers = {waiver};
    const std::string text = plan_text(plan, unit);
    const Plan back = parse_plan(text, unit);
    EXPECT_EQ(plan_text(back, unit), text);
    EXPECT_EQ(back.file, plan.file);
    EXPECT_EQ(back.digest, plan.digest);
    EXPECT_EQ(back.tolerance, plan.tolerance);
    ASSERT_EQ(back.steps.size(), plan.steps.size());
    for (std::size_t i = 0; i < plan.steps.size(); ++i) {
      const Step &a = plan.steps[i], &b = back.steps[i];
      SCOPED_TRACE(slug(a.remedy));
      EXPECT_EQ(b.number, a.number);
      EXPECT_EQ(b.remedy, a.remedy);
      EXPECT_EQ(b.on, a.on);
      EXPECT_EQ(b.why, a.why);
      EXPECT_EQ(b.budget, a.budget);
      EXPECT_EQ(b.settings, a.settings);
      EXPECT_EQ(text_of(b.selection), text_of(a.selection));
      EXPECT_EQ(b.selection.within, a.selection.within);
      EXPECT_EQ(b.selection.near, a.selection.near);
    }
    ASSERT_EQ(back.waivers.size(), 1u);
    EXPECT_EQ(back.waivers[0].reason, "inlet");
  }
}

TEST(Plan, ReadsWhatThePageSaves) {
  const Plan plan = parse(
      "version = 1\n[input]\nfile = \"pod.stl\"\ndigest = \"sha256:70b5\"\n[[steps]]\n"
      "remedy = \"fill\"\nid = \"opening-c9bfd761\"\nkind = \"opening\"\npart = \"pod\"\n"
      "near = [-39.941, 0, 60]\nwithin = \"1.4e-4 mm\"\nwhy = \"decided on the page\"\n"
      "[[waivers]]\nid = \"opening-cce587d4\"\nkind = \"opening\"\nreason = \"inlet\"\n");
  ASSERT_EQ(plan.steps.size(), 1u);
  EXPECT_TRUE(plan.steps[0].on);
  EXPECT_EQ(plan.steps[0].selection.ids.at(0), "opening-c9bfd761");
  EXPECT_EQ(plan.steps[0].number, 1u);
  EXPECT_EQ(plan.waivers.size(), 1u);
}

TEST(Plan, CoordinatesMayCarryUnitsAndPatchesMayBeNumbers) {
  const Plan plan = parse_plan(
      "format = \"aguja-plan\"\nversion = 1\n\n[[steps]]\nremedy = \"drop\"\npatch = 3\n"
      "box = [[\"-0.1 mm\", 0, \"1cm\"], [\"2in\", 1, 20]]\nbut = [4, \"box:0,0,0,1mm,2,3\", "
      "\"triangles:2\"]\n"
      "\n[[steps]]\nremedy = \"move\"\nat = [\"1 mm\", 2, 3]\nto = [1, \"0.2cm\", 3]\n",
      LengthUnit::millimetre);
  ASSERT_EQ(plan.steps.size(), 2u);
  const Selection& s = plan.steps[0].selection;
  EXPECT_EQ(s.patches, std::vector<std::string>{"3"});
  EXPECT_EQ(s.box->low, Point(-0.1, 0, 10));
  EXPECT_EQ(s.box->high, Point(50.8, 1, 20));
  EXPECT_EQ(s.but, std::vector<std::string>{"4"});
  EXPECT_EQ(s.but_boxes.at(0).high, Point(1, 2, 3));
  EXPECT_EQ(s.but_triangles.at(0).first, 2u);
  const Plan again = parse_plan(plan_text(plan, LengthUnit::millimetre), LengthUnit::millimetre);
  EXPECT_EQ(text_of(again.steps[0].selection), text_of(s));
  EXPECT_EQ(again.steps[1].settings, plan.steps[1].settings);
}

TEST(Plan, LengthsMayCarryUnits) {
  const Plan plan =
      parse("tolerance = \"1mm\"\n[[steps]]\nremedy = \"stitch\"\ntolerance = \"0.1in\"\n",
            LengthUnit::inch);
  EXPECT_NEAR(plan.tolerance, 1 / 25.4, 1e-15);
  EXPECT_EQ(std::get<double>(plan.steps.at(0).settings.at("tolerance")), 0.1);
}

TEST(Plan, WhatIsWrongIsNamedWithItsLine) {
  EXPECT_EQ(message_of("[[steps]]\nremedy = \"stich\"\n"),
            "plan: line 3: the remedy 'stich' is not known; the nearest is 'stitch'");
  EXPECT_EQ(message_of("[[steps]]\nremedy = \"fill\"\nmetod = \"flat\"\n"),
            "plan: line 4: the key 'metod' is not known; the nearest is 'method'");
  EXPECT_NE(message_of("[[steps]]\nwhy = \"\"\n"), "");
  EXPECT_NE(message_of("[[steps]]\nremedy = \"fill\"\nstep = 0\n"), "");
  EXPECT_NE(message_of(
                "[[steps]]\nremedy = \"fill\"\nstep = 2\n[[steps]]\nremedy = \"fill\"\nstep = 2\n"),
            "");
  for (const std::string step : {"1.5", "1e300", "nan", "-inf", "1000001"})
    EXPECT_NE(message_of("[[steps]]\nremedy = \"fill\"\nstep = " + step + "\n"), "") << step;
  EXPECT_NE(message_of("[[steps]]\nremedy = \"fill\"\nstep = 1000000\n[[steps]]\nremedy = "
                       "\"fill\"\n"),
            "");
  EXPECT_NE(message_of("[[steps]]\nremedy = \"fill\"\nrefine = 3\n"), "");
  EXPECT_NE(message_of("[[steps]]\nremedy = \"move\"\nat = [1, 2]\n"), "");
  EXPECT_NE(message_of("tolerance = -1\n"), "");
  EXPECT_NE(message_of("version = 2\n"), "");
  EXPECT_THROW(static_cast<void>(parse_plan("steps = 1", LengthUnit::millimetre)), InputError);
  EXPECT_THROW(static_cast<void>(parse_plan("", LengthUnit::millimetre)), InputError);
}

}  // namespace plan_test
}  // namespace aguja
