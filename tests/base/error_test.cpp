#include "aguja/base/error.h"

#include <gtest/gtest.h>

#include <set>

#include "aguja/base/progress.h"
#include "aguja/base/stage_times.h"

namespace aguja {
namespace error_test {

TEST(InputError, NamesFileAndPlaceBeforeTheSentence) {
  const auto text = [](std::optional<InputPlace> place) {
    return std::string(
        InputError({InputProblem::syntax, "lid.obj", place, "something is odd", "a", "b"}).what());
  };
  EXPECT_EQ(text(std::nullopt), "lid.obj: something is odd");
  EXPECT_EQ(text(InputPlace{InputPlace::Counts::lines, 218}),
            "lid.obj: line 218: something is odd");
  EXPECT_EQ(text(InputPlace{InputPlace::Counts::bytes, 80}), "lid.obj: byte 80: something is odd");
}

TEST(InputError, SlugsAreDistinct) {
  std::set<std::string_view> slugs;
  for (int p = 0; p <= static_cast<int>(InputProblem::too_large); ++p) {
    EXPECT_TRUE(slugs.insert(slug(static_cast<InputProblem>(p))).second);
  }
}

TEST(Progress, StopsTheWorkByThrowing) {
  struct Once : Progress {
    bool advance(std::string_view, double) override { return calls++ < 1; }
    int calls = 0;
  } progress;
  EXPECT_NO_THROW(advance(&progress, "read", 0));
  EXPECT_THROW(advance(&progress, "read", 0.5), Cancelled);
  EXPECT_NO_THROW(advance(nullptr, "read", 0));
}

TEST(StageTimes, AddsUpStagesInTheOrderOfTheirFirstEntry) {
  StageTimes times;
  EXPECT_EQ(times.time("read", [] { return 7; }), 7);
  times.add("weld", 0.25);
  times.add("read", 1.0);
  EXPECT_THROW(times.time("edges", []() -> int { throw Cancelled(); }), Cancelled);
  StageTimes other;
  other.add("weld", 0.5);
  times.add(other);
  ASSERT_EQ(times.stages().size(), 3u);  // a stage that failed took time too
  EXPECT_EQ(times.stages()[0].first, "read");
  EXPECT_GE(times.stages()[0].second, 1.0);
  EXPECT_EQ(times.stages()[1], (StageTimes::Stage{"weld", 0.75}));
}

}  // namespace error_test
}  // namespace aguja
