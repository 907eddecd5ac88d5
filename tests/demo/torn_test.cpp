// The torn demo models become the solids they were made of, at the right tolerance; stay open at
// one far too small; and take no harm from one far too large.

#include <gtest/gtest.h>

#include "aguja/mend/stitch.h"
#include "aguja/solid/certificate.h"
#include "demo/seeded.h"
#include "tests/support/sanitized.h"

namespace aguja {
namespace torn_test {

Model torn_model(const demo::DemoModel& demo) {
  return demo.tear->as_one ? as_one(demo.model) : demo.model;
}

class Torn : public testing::TestWithParam<std::string> {
 protected:
  void SetUp() override {
    if (test::kSanitized && GetParam() == "pod-cracked-1-to-100") {
      GTEST_SKIP() << "a minute under a sanitizer";
    }
  }
  static const demo::DemoModel& demo() {
    static const std::vector<demo::DemoModel> models = demo::demo_models();
    for (const demo::DemoModel& m : models) {
      if (m.name == GetParam()) return m;
    }
    throw std::out_of_range(GetParam());
  }
};

TEST_P(Torn, BecomesASolidOfItsVolumeAtTheRightTolerance) {
  const demo::Tear& tear = *demo().tear;
  const StitchedModel stitched = stitch(torn_model(demo()), tear.stitch_tolerance);
  EXPECT_EQ(stitched.total.naked_before, tear.naked_edges);
  EXPECT_EQ(stitched.total.naked_after, 0u);
  EXPECT_LE(stitched.total.largest_movement, tear.width);
  const Certificate c = certify(stitched.model);
  EXPECT_EQ(slug(c.verdict), "solid") << (c.reasons.empty() ? "" : c.reasons[0].text);
  EXPECT_NEAR(c.mass.volume, *demo().volume, 0.5 * tear.width * c.mass.area);
}

TEST_P(Torn, StaysOpenAtATinyTolerance) {
  const demo::Tear& tear = *demo().tear;
  const StitchedModel stitched = stitch(torn_model(demo()), 1e-4 * tear.width);
  EXPECT_EQ(stitched.total.naked_after, tear.naked_edges);
  EXPECT_EQ(certify(stitched.model).verdict, Verdict::not_solid);
}

TEST_P(Torn, TakesNoHarmFromALargeTolerance) {
  const demo::Tear& tear = *demo().tear;
  const StitchedModel stitched = stitch(torn_model(demo()), 100 * tear.width);
  const Certificate c = certify(stitched.model);
  EXPECT_EQ(slug(c.verdict), "solid") << (c.reasons.empty() ? "" : c.reasons[0].text);
  EXPECT_NEAR(c.mass.volume, *demo().volume, tear.width * c.mass.area);
}

INSTANTIATE_TEST_SUITE_P(Demo, Torn,
                         testing::Values("pod-cracked", "pod-cracked-1-to-5",
                                         "pod-cracked-1-to-100", "plate-thin",
                                         "box-parallel-cracks", "box-three-way",
                                         "boxes-a-hair-apart", "ball-of-400-objects"),
                         [](const auto& of) {
                           std::string name;
                           for (const char c : of.param) name += c == '-' ? '_' : c;
                           return name;
                         });

}  // namespace torn_test
}  // namespace aguja
