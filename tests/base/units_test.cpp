#include "aguja/base/units.h"

#include <gtest/gtest.h>

#include "aguja/base/error.h"

namespace aguja {
namespace units_test {

TEST(Units, SymbolsAndUnitsNameEachOther) {
  for (const LengthUnit unit : all_length_units()) EXPECT_EQ(parse_length_unit(symbol(unit)), unit);
  EXPECT_FALSE(parse_length_unit("furlong"));
  EXPECT_EQ(name(LengthUnit::micrometre), "micrometres");
  EXPECT_EQ(name(LengthUnit::foot), "feet");
}

TEST(Units, ConversionsAreRoundedOnce) {
  EXPECT_EQ(conversion(LengthUnit::inch, LengthUnit::millimetre), 25.4);
  EXPECT_EQ(conversion(LengthUnit::foot, LengthUnit::inch), 12.0);
  EXPECT_EQ(conversion(LengthUnit::metre, LengthUnit::millimetre), 1000.0);
  EXPECT_EQ(conversion(LengthUnit::millimetre, LengthUnit::metre), 0.001);
  EXPECT_EQ(conversion(LengthUnit::micrometre, LengthUnit::micrometre), 1.0);
}

TEST(Units, LengthsMayCarryAUnit) {
  EXPECT_EQ(parse_length("0.05mm", LengthUnit::millimetre), 0.05);
  EXPECT_EQ(parse_length("2e-3in", LengthUnit::millimetre), 2e-3 * 25.4);
  EXPECT_EQ(parse_length("+7", LengthUnit::inch), 7.0);
  EXPECT_EQ(parse_length("1 m", LengthUnit::millimetre), 1000.0);
}

TEST(Units, VolumesMassesAndDensities) {
  EXPECT_DOUBLE_EQ(parse_volume("1l", LengthUnit::millimetre), 1e6);
  EXPECT_DOUBLE_EQ(parse_volume("2in3", LengthUnit::inch), 2.0);
  EXPECT_DOUBLE_EQ(parse_volume("1cm^3", LengthUnit::millimetre), 1000.0);
  EXPECT_EQ(parse_volume("5", LengthUnit::foot), 5.0);
  EXPECT_DOUBLE_EQ(parse_mass("2lb"), 0.90718474);
  EXPECT_DOUBLE_EQ(parse_mass("150g"), 0.15);
  EXPECT_DOUBLE_EQ(parse_density("7.85g/cm3"), 7850.0);
  EXPECT_NEAR(parse_density("7.85e-9t/mm3"), 7850.0, 1e-9);
  EXPECT_DOUBLE_EQ(parse_density("1050"), 1050.0);
  EXPECT_DOUBLE_EQ(parse_angle("180deg"), 3.14159265358979323846);
  EXPECT_DOUBLE_EQ(parse_percentage("0.5%"), 0.005);
}

TEST(Units, RefusesWhatIsNoQuantity) {
  for (const char* text : {"", "mm", "1..2", "nan", "inf", "1e999", "5 parsec", "1mm2"}) {
    EXPECT_THROW(static_cast<void>(parse_length(text, LengthUnit::millimetre)), ArgumentError)
        << text;
  }
  EXPECT_THROW(static_cast<void>(parse_density("3kg")), ArgumentError);
  EXPECT_THROW(static_cast<void>(parse_volume("3mm", LengthUnit::metre)), ArgumentError);
  EXPECT_THROW(static_cast<void>(parse_mass("3stone")), ArgumentError);
}

TEST(Units, ErrorsNameWhatWasFoundAndWhatIsKnown) {
  try {
    static_cast<void>(parse_length("3 ell", LengthUnit::metre));
    FAIL();
  } catch (const ArgumentError& error) {
    EXPECT_STREQ(error.what(), "length: unknown unit 'ell'; known are um, mm, cm, m, in, ft");
  }
}

}  // namespace units_test
}  // namespace aguja
