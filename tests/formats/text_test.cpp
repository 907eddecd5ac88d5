#include "formats/text.h"

#include <random>

#include <gtest/gtest.h>

#include "aguja/base/units.h"
#include "formats/rows.h"

namespace aguja::detail {
namespace text_test {

TEST(TextCursor, ReadsBackTheShortestDecimalOfEveryDouble) {
  std::mt19937_64 random(11);
  int tried = 0;
  while (tried < 20000) {
    const double x = std::bit_cast<double>(random());
    if (!std::isfinite(x)) continue;
    ++tried;
    const std::string text = shortest(x);
    const Source source{"t", text};
    TextCursor cursor(source);
    ASSERT_EQ(std::bit_cast<std::uint64_t>(cursor.coordinate("x")), std::bit_cast<std::uint64_t>(x))
        << text;
  }
}

TEST(TextCursor, RoundsNumbersBelowTheRangeToZeroAndRefusesThoseAbove) {
  const auto read = [](const std::string& text) {
    const Source source{"t", text};
    TextCursor cursor(source);
    return cursor.coordinate("x");
  };
  for (const char* text : {"1e-400", "0.0001e-330", "100e-500", "1e-99999999999", "0e999999"}) {
    EXPECT_EQ(read(text), 0.0) << text;
  }
  for (const char* text : {"1e400", "0.0001e400", "1e99999999999", "123456789e305"}) {
    EXPECT_THROW(static_cast<void>(read(text)), InputError) << text;
  }
}

TEST(SplitAtLines, PiecesAreWholeLinesAndMakeUpTheText) {
  std::string text;
  for (int i = 0; i < 1000; ++i) text += std::string(static_cast<std::size_t>(i % 37), 'x') + "\n";
  for (const std::size_t size : {1u, 10u, 999u, 100000u}) {
    std::string all;
    for (const std::string_view piece : split_at_lines(text, size)) {
      EXPECT_EQ(piece.back(), '\n');
      all += piece;
    }
    EXPECT_EQ(all, text);
  }
}

TEST(SplitRows, NumbersRowsAcrossPiecesAndPassesOverBlankLines) {
  std::string text;
  for (int i = 0; i < 60000; ++i) {
    text += std::to_string(i) + "\n";
    if (i % 7 == 0) text += "  \n# a comment\n";
  }
  const Source source{"t", text};
  const RowText rows = split_rows(text, true);
  EXPECT_EQ(rows.rows, 60000u);
  EXPECT_GT(rows.pieces.size(), 1u);
  for (const RowPiece& piece : rows.pieces) {
    for_each_row(source, piece, true, [](TextCursor& cursor, std::size_t n) {
      ASSERT_EQ(cursor.integer("row"), static_cast<long long>(n));
    });
  }
}

TEST(ParsePieces, ThrowsTheFirstErrorOfTheText) {
  for (int round = 0; round < 20; ++round) {
    try {
      parse_pieces(50, [](std::size_t i) {
        if (i >= 3) throw std::runtime_error(std::to_string(i));
      });
      FAIL();
    } catch (const std::runtime_error& error) {
      EXPECT_STREQ(error.what(), "3");
    }
  }
}

}  // namespace text_test
}  // namespace aguja::detail
