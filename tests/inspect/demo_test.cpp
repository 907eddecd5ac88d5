// `inspect` finds exactly what was seeded in the demo models: that kind, that place, that size,
// once.

#include <gtest/gtest.h>

#include <filesystem>
#include <map>
#include <set>

#include "aguja/base/error.h"
#include "aguja/formats/read.h"
#include "aguja/inspect/inspect.h"
#include "demo/write_demo.h"

namespace aguja {
namespace demo_test {

class Demo : public testing::Test {
 protected:
  void SetUp() override {
    folder_ = std::filesystem::path(testing::TempDir()) /
              (std::string("aguja-demo-") +
               testing::UnitTest::GetInstance()->current_test_info()->name());
    std::filesystem::remove_all(folder_);
    written_ = demo::write_demo(folder_, false);
  }
  void TearDown() override { std::filesystem::remove_all(folder_); }

  std::filesystem::path folder_;
  std::vector<demo::WrittenDemo> written_;
};

void expect_found(const Inspection& inspection, const demo::SeededDefect& seeded, double unit) {
  std::size_t matches = 0;
  for (const Finding& f : inspection.findings) {
    // Binary STL rounds to float; places are means of a few points.
    const double near = 1e-5 * unit;
    if (f.kind != seeded.kind) continue;
    // A wall or a long crack is shown at one place of many.
    const bool anywhere = f.kind == FindingKind::thin_wall || f.kind == FindingKind::crack;
    const Point nearest = seeded.place.cwiseMax(f.box.low).cwiseMin(f.box.high);
    const double away = ((anywhere ? nearest : f.place) - seeded.place).norm();
    if (away > 0.02 * unit + 0.01 * seeded.size) continue;
    ++matches;
    if (seeded.count) {
      EXPECT_EQ(f.count, *seeded.count) << f.id;
    }
    EXPECT_NEAR(f.measure, seeded.size, near + 1e-5 * seeded.size) << f.id;
    EXPECT_EQ(f.part, seeded.part) << f.id;
  }
  EXPECT_EQ(matches, 1u) << slug(seeded.kind) << " at " << seeded.place.transpose();
}

TEST_F(Demo, FindsExactlyWhatWasSeeded) {
  std::size_t seeded = 0;
  for (const demo::WrittenDemo& w : written_) {
    SCOPED_TRACE(w.demo.name);
    ReadOptions options;
    options.keep_facet_records = true;
    const Model model = read_model(w.model, options);
    if (w.demo.tear) continue;
    const Inspection inspection = inspect(model);
    EXPECT_EQ(inspection.findings.size(), w.demo.defects.size());
    const double unit = box_of(model).diagonal() / 100;
    for (const demo::SeededDefect& d : w.demo.defects) expect_found(inspection, d, unit);
    seeded += w.demo.defects.size();
  }
  EXPECT_GE(seeded, 15u);
}

TEST_F(Demo, FindsNothingButTheCracksOfWhatIsTorn) {
  const std::map<std::string, double> narrow = {{"plate-thin", 0.03},
                                                {"box-parallel-cracks", 0.04}};
  std::size_t torn = 0;
  for (const demo::WrittenDemo& w : written_) {
    if (!w.demo.tear) continue;
    SCOPED_TRACE(w.demo.name);
    const demo::Tear& tear = *w.demo.tear;
    Model model = read_model(w.model);
    if (tear.as_one) {
      const Inspection parts = inspect(model);
      ASSERT_EQ(parts.hints.size(), 1u);
      EXPECT_NE(parts.hints[0].find("--as-one"), std::string::npos);
      model = as_one(std::move(model));
    }
    const Inspection inspection = inspect(model);
    std::size_t naked = 0;
    for (const Finding& f : inspection.findings) {
      // Some of them are thin or have a narrow strip on purpose.
      if (narrow.contains(w.demo.name) &&
          (f.kind == FindingKind::sliver_patch || f.kind == FindingKind::thin_wall)) {
        EXPECT_NEAR(f.measure, narrow.at(w.demo.name), 2 * tear.width);
        continue;
      }
      EXPECT_EQ(slug(f.kind), "crack") << f.id << " at " << f.place.transpose();
      EXPECT_LE(f.measure, tear.width * 1.001);
      naked += f.count;
    }
    EXPECT_GE(naked, tear.naked_edges);
    EXPECT_EQ(inspection.counts.naked_edges, tear.naked_edges);
    ASSERT_TRUE(inspection.proposed_tolerance.has_value());
    EXPECT_LE(inspection.proposed_tolerance->value, 1.6 * tear.width);
    EXPECT_EQ(inspection.proposed_tolerance->closes, inspection.proposed_tolerance->of);
    ++torn;
  }
  EXPECT_GE(torn, 8u);
}

TEST_F(Demo, EveryPartCheckThatCanFindSomethingIsSeededOnce) {
  std::set<FindingKind> seeded;
  for (const demo::WrittenDemo& w : written_) {
    for (const demo::SeededDefect& d : w.demo.defects) seeded.insert(d.kind);
  }
  for (const KindInfo& k : all_kinds()) {
    // A sheet or a flat closed shell is no part of a float: tests/inspect/inspect_test.cpp has
    // them, and gaps, too. Quality and slots are asked with an element size. Surfaces have tests
    // of their own.
    if (k.kind == FindingKind::sheet_border || k.kind == FindingKind::zero_volume ||
        k.kind == FindingKind::gap || k.kind == FindingKind::element_quality ||
        k.kind == FindingKind::narrow_slot || k.family == "surfaces") {
      continue;
    }
    EXPECT_TRUE(seeded.contains(k.kind)) << k.slug;
  }
}

TEST_F(Demo, WritesTheSameBytesTwice) {
  const std::filesystem::path again = folder_ / "again";
  const auto second = demo::write_demo(again, false);
  for (std::size_t i = 0; i < written_.size(); ++i) {
    EXPECT_EQ(InputFile(written_[i].model).digest(), InputFile(second[i].model).digest());
    EXPECT_EQ(InputFile(written_[i].record).digest(), InputFile(second[i].record).digest());
  }
}

TEST_F(Demo, OverwritesNothingUnlessAsked) {
  EXPECT_THROW(static_cast<void>(demo::write_demo(folder_, false)), OutputError);
  EXPECT_NO_THROW(static_cast<void>(demo::write_demo(folder_, true)));
}

}  // namespace demo_test
}  // namespace aguja
