#include "base/numbers.h"

#include <gtest/gtest.h>

#include "base/short_text.h"

namespace aguja {
namespace numbers_test {

TEST(CellNumber, IsTheFloorAsFarAsThereAreFractions) {
  for (const double at : {-3.5, -1.0, -0.25, 0.0, 0.75, 41.999, 1e15 + 0.5}) {
    const double cell = static_cast<double>(cell_number(at));
    EXPECT_LE(cell, at);
    EXPECT_GT(cell + 1, at);
  }
  const auto last = static_cast<std::int64_t>(0x1p52);
  EXPECT_EQ(cell_number(1e300), last);
  EXPECT_EQ(cell_number(kInfinity), last);
  EXPECT_EQ(cell_number(-kInfinity), -last);
  EXPECT_EQ(cell_number(std::numeric_limits<double>::quiet_NaN()), last);
}

TEST(ShortText, HasItsDigitsAndNoExponentWherePeopleWriteNone) {
  EXPECT_EQ(short_text(0.0123456), "0.0123");
  EXPECT_EQ(short_text(24812.3), "24800");
  EXPECT_EQ(short_text(-24812.3), "-24800");
  EXPECT_EQ(short_text(1.2026379e-6, 6), "1.20264e-06");
  EXPECT_EQ(short_text(24812345.6, 6), "24812300");
  EXPECT_EQ(short_text(999.6), "1000");
  EXPECT_EQ(short_text(3e12), "3e+12");
}

}  // namespace numbers_test
}  // namespace aguja
