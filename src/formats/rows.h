#pragma once
// Text in rows, one element a line, as PLY and OFF have it after their headers: parsed in parallel,
// every piece knowing the number of its first row.

#include "formats/text.h"

namespace aguja::detail {

struct RowPiece {
  std::string_view text;
  std::size_t first_row;
};

struct RowText {
  std::vector<RowPiece> pieces;
  std::size_t rows = 0;
};

/// Lines that are blank, or comments where the format has them, are no rows.
[[nodiscard]] RowText split_rows(std::string_view text, bool with_comments);

/// Calls `row(cursor, number)` with a cursor at the row's first word. What the callback leaves of
/// the line is skipped.
template <class Row>
void for_each_row(const Source& source, const RowPiece& piece, bool with_comments, const Row& row) {
  TextCursor cursor(source, piece.text);
  std::size_t number = piece.first_row;
  for (cursor.skip_space(); !cursor.at_end(); cursor.skip_space()) {
    if (!with_comments || *cursor.at() != '#') row(cursor, number++);
    cursor.skip_line();
  }
}

}  // namespace aguja::detail
