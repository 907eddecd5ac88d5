// Object File Format. Source: the format's public description (Geomview manual, "OFF Files").

#include "aguja/formats/read.h"
#include "formats/face_list.h"
#include "formats/rows.h"

namespace aguja {
namespace {

using detail::TextCursor;

constexpr bool kComments = true;

struct OffHeader {
  std::size_t points;
  std::size_t faces;
};

void skip_to_word(TextCursor& cursor) {
  for (cursor.skip_space(); !cursor.at_end() && *cursor.at() == '#'; cursor.skip_space()) {
    cursor.skip_line();
  }
}

std::size_t read_count(TextCursor& cursor, std::string_view what) {
  skip_to_word(cursor);
  const TextCursor before = cursor;
  const long long count = cursor.integer(what);
  if (count < 0) {
    before.fail(InputProblem::wrong_count, std::string(what) + " is negative", "0 or more",
                std::to_string(count));
  }
  return static_cast<std::size_t>(count);
}

// The keyword, then the numbers of points, faces and edges, on any number of lines. Leaves the
// cursor behind them. The number of edges is not used, and some writers leave it out.
OffHeader read_header(TextCursor& cursor) {
  skip_to_word(cursor);
  const TextCursor before = cursor;
  const std::string_view keyword = cursor.word();
  if (!keyword.ends_with("OFF")) before.fail_expected("'OFF'");
  const std::string_view prefix = keyword.substr(0, keyword.size() - 3);
  if (prefix.find_first_of("4n") != std::string_view::npos) {
    before.fail(
        InputProblem::unsupported,
        "points with other than three coordinates (" + std::string(keyword) + ") are not read",
        "three coordinates", std::string(keyword));
  }
  skip_to_word(cursor);
  TextCursor ahead = cursor;
  if (ahead.word() == "BINARY") {
    cursor.fail(InputProblem::unsupported, "binary OFF is not read; write it as text", "text",
                "'BINARY'");
  }
  const std::size_t points = read_count(cursor, "the number of points");
  const std::size_t faces = read_count(cursor, "the number of faces");
  if (!cursor.at_line_end() && *cursor.at() != '#') cursor.integer("the number of edges");
  if (!cursor.at_line_end() && *cursor.at() != '#') cursor.fail_expected("the end of the line");
  return {points, faces};
}

void check_counts(const Source& source, const TextCursor& header, const OffHeader& declared,
                  std::size_t rows) {
  if (declared.points > kMostPoints) {
    header.fail(InputProblem::wrong_count,
                std::to_string(declared.points) + " points are more than a mesh holds",
                "at most " + std::to_string(kMostPoints), std::to_string(declared.points));
  }
  if (declared.points <= rows && declared.faces <= rows - declared.points) return;
  const std::string expected =
      std::to_string(declared.points) + " points and " + std::to_string(declared.faces) + " faces";
  detail::fail_at(source, source.bytes.data() + source.bytes.size(), InputProblem::truncated,
                  expected + " are declared, but only " + std::to_string(rows) + " rows follow",
                  expected, std::to_string(rows) + " rows");
}

struct OffPiece {
  detail::FaceList faces;
  bool extra = false;  // values beside the coordinates
};

void read_face(TextCursor& cursor, std::size_t points, std::vector<VertexId>& corners,
               OffPiece& piece) {
  const TextCursor before = cursor;
  const long long count = cursor.integer("the number of corners");
  if (count < 0) {
    before.fail(InputProblem::wrong_count, "the number of corners is negative", "0 or more",
                std::to_string(count));
  }
  corners.clear();
  for (long long i = 0; i < count; ++i) {
    const TextCursor here = cursor;
    const long long index = cursor.integer("a vertex number");
    if (index < 0 || static_cast<std::size_t>(index) >= points) {
      here.fail(InputProblem::bad_index,
                "the face names vertex " + std::to_string(index) + ", but there are " +
                    std::to_string(points) + ", counted from 0",
                "0 to " + std::to_string(static_cast<long long>(points) - 1),
                std::to_string(index));
    }
    corners.push_back({static_cast<std::uint32_t>(index)});
  }
  piece.faces.add(corners);
}

}  // namespace

Model read_off(const Source& source, const ReadOptions& /*options*/, Progress* progress) {
  TextCursor cursor(source);
  const OffHeader declared = read_header(cursor);
  const TextCursor header_end = cursor;
  cursor.skip_line();
  const auto header_bytes = static_cast<std::size_t>(cursor.at() - source.bytes.data());
  const detail::RowText rows = detail::split_rows(source.bytes.substr(header_bytes), kComments);
  check_counts(source, header_end, declared, rows.rows);

  advance(progress, "read", 0.1);
  SharedArray<Point> points(declared.points);
  std::vector<OffPiece> pieces(rows.pieces.size());
  detail::parse_pieces(pieces.size(), [&](std::size_t i) {
    OffPiece& piece = pieces[i];
    std::vector<VertexId> corners;
    detail::for_each_row(source, rows.pieces[i], kComments, [&](TextCursor& row, std::size_t n) {
      if (n < declared.points) {
        for (int axis = 0; axis < 3; ++axis) points[n][axis] = row.coordinate("a coordinate");
        piece.extra |= !row.at_line_end() && *row.at() != '#';
      } else if (n < declared.points + declared.faces) {
        read_face(row, declared.points, corners, piece);
      }
    });
  });

  advance(progress, "read", 0.8);
  detail::FaceList faces;
  bool extra = false;
  for (OffPiece& piece : pieces) {
    faces.append(piece.faces);
    extra |= piece.extra;
    piece = {};
  }
  Model model = detail::model_of(source, std::move(points), std::move(faces));
  if (extra)
    model.notes.emplace_back("normals, colours or other values beside the points are not kept");
  if (rows.rows > declared.points + declared.faces) {
    model.notes.push_back(std::to_string(rows.rows - declared.points - declared.faces) +
                          " rows after the last face are not read");
  }
  return model;
}

}  // namespace aguja
