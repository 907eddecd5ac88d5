#include "formats/rows.h"

namespace aguja::detail {
namespace {

std::size_t count_rows(std::string_view text, bool with_comments) {
  std::size_t rows = 0;
  const char* at = text.data();
  const char* const end = at + text.size();
  while (true) {
    while (at != end && is_space(*at)) ++at;
    if (at == end) return rows;
    rows += !with_comments || *at != '#';
    while (at != end && !is_line_end(*at)) ++at;
  }
}

}  // namespace

RowText split_rows(std::string_view text, bool with_comments) {
  RowText result;
  for (const std::string_view piece : split_at_lines(text, kPieceBytes)) {
    result.pieces.push_back({piece, 0});
  }
  parallel_tasks(result.pieces.size(), [&](std::size_t i) {
    result.pieces[i].first_row = count_rows(result.pieces[i].text, with_comments);
  });
  for (RowPiece& piece : result.pieces) {
    const std::size_t own = piece.first_row;
    piece.first_row = result.rows;
    result.rows += own;
  }
  return result;
}

}  // namespace aguja::detail
