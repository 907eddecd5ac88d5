#include <algorithm>
#include <atomic>

#include "aguja/formats/read.h"
#include "aguja/mesh/point_indexer.h"
#include "formats/stl_layout.h"
#include "formats/text.h"

namespace aguja {
namespace detail {

bool looks_like_ascii_stl(std::string_view bytes) {
  // Names may hold anything, to the ends of the first line and of the one after the facets.
  const std::size_t name_ends = bytes.substr(0, 4096).find('\n');
  std::string_view head = bytes.substr(name_ends == std::string_view::npos ? 0 : name_ends, 1024);
  constexpr std::string_view kEnd = "endsolid";
  const auto end = std::search(head.begin(), head.end(), kEnd.begin(), kEnd.end(),
                               [](char a, char b) { return (a | 0x20) == b; });
  return std::none_of(head.begin(), end, [](char c) {
    return c == '\0' || (static_cast<unsigned char>(c) < ' ' && !is_space(c));
  });
}

}  // namespace detail

namespace {

using detail::TextCursor;

VertexId* corners_of(SharedArray<Triangle>& triangles, std::size_t first) {
  return reinterpret_cast<VertexId*>(triangles.data() + first);  // three ids and nothing else
}
static_assert(sizeof(Triangle) == 3 * sizeof(VertexId));

void finish(PartDraft& part, PointIndexer& indexer) {
  part.mesh.points =
      indexer.finish({corners_of(part.mesh.triangles, 0), part.mesh.triangles.size() * 3});
  part.mesh.points_are_distinct = !indexer.has_negative_zero();
}

// ------------------------------------------------------------------------------------- binary

struct FloatTriple {
  float x, y, z;
};

FloatTriple load_triple(const char* at) {
  FloatTriple t;
  std::memcpy(&t, at, sizeof(t));
  return t;
}

Vector to_vector(const FloatTriple& t) { return {t.x, t.y, t.z}; }

void check_binary_size(const Source& source) {
  const std::string_view bytes = source.bytes;
  if (bytes.size() < detail::kStlStart) {
    detail::fail_at_byte(source, bytes.size(), InputProblem::truncated,
                         "expected a header of 84 bytes, found the end of the file after " +
                             std::to_string(bytes.size()),
                         "84 bytes", std::to_string(bytes.size()));
  }
  const std::size_t declared = detail::stl_declared_count(bytes);
  const std::size_t follow = bytes.size() - detail::kStlStart;
  const std::size_t whole = follow / detail::kStlFacet;
  if (declared == whole && whole > kMostTriangles) {
    detail::fail_at_byte(source, detail::kStlHeader, InputProblem::too_large,
                         std::to_string(whole) + " triangles are more than the " +
                             std::to_string(kMostTriangles) + " that a mesh holds",
                         "at most " + std::to_string(kMostTriangles), std::to_string(whole));
  }
  // A few bytes after the last facet are read over, and noted; whole facets more than declared, or
  // fewer, mean that one of the two is a lie.
  if (declared == whole) return;
  detail::fail_at_byte(
      source, detail::kStlHeader,
      declared > whole ? InputProblem::truncated : InputProblem::wrong_count,
      std::to_string(declared) + (declared == 1 ? " triangle is" : " triangles are") +
          " declared (" + std::to_string(declared * detail::kStlFacet) + " bytes), but " +
          std::to_string(follow) + " bytes follow; " + std::to_string(whole) + " are whole",
      std::to_string(declared * detail::kStlFacet) + " bytes", std::to_string(follow) + " bytes");
}

[[noreturn]] void fail_at_odd_corner(const Source& source, std::size_t triangles) {
  for (std::size_t t = 0; t < triangles; ++t) {
    for (std::size_t c = 0; c < 3; ++c) {
      const std::size_t at = detail::kStlStart + detail::kStlFacet * t + 12 + 12 * c;
      const FloatTriple p = load_triple(source.bytes.data() + at);
      if (std::isfinite(p.x) && std::isfinite(p.y) && std::isfinite(p.z)) continue;
      const bool is_nan = std::isnan(p.x) || std::isnan(p.y) || std::isnan(p.z);
      const std::string found = is_nan ? "NaN" : "an infinite number";
      detail::fail_at_byte(source, at, InputProblem::bad_number,
                           "corner " + std::to_string(c + 1) + " of triangle " + std::to_string(t) +
                               ": expected finite coordinates, found " + found,
                           "finite coordinates", found);
    }
  }
  throw InternalError("stl: a point that is not finite came from no triangle");
}

FacetRecords read_records(const Source& source, std::size_t count) {
  FacetRecords records;
  records.normals.resize(count);
  records.attributes.resize(count);
  for (std::size_t t = 0; t < count; ++t) {
    const char* const at = source.bytes.data() + detail::kStlStart + detail::kStlFacet * t;
    records.normals[t] = to_vector(load_triple(at));
    std::memcpy(&records.attributes[t], at + 48, sizeof(std::uint16_t));
  }
  return records;
}

Model read_binary(const Source& source, const ReadOptions& options, Progress* progress) {
  check_binary_size(source);
  const std::size_t count = (source.bytes.size() - detail::kStlStart) / detail::kStlFacet;
  Model model;
  model.header = source.bytes.substr(0, detail::kStlHeader);
  const std::size_t rest = (source.bytes.size() - detail::kStlStart) % detail::kStlFacet;
  if (rest != 0) {
    model.notes.push_back(std::to_string(rest) + " bytes after the last triangle are not read");
  }
  PartDraft part;
  part.mesh.triangles.resize(count);
  PointIndexer indexer(count / 2 + 8);
  // In large pieces, so that work can be stopped in between.
  constexpr std::size_t kPiece = std::size_t{1} << 21;
  for (std::size_t begin = 0; begin < count; begin += kPiece) {
    advance(progress, "read", static_cast<double>(begin) / static_cast<double>(count));
    const char* const base = source.bytes.data() + detail::kStlStart + detail::kStlFacet * begin;
    indexer.add(
        3 * std::min(kPiece, count - begin),
        [base](std::size_t i) {
          return to_vector(load_triple(base + detail::kStlFacet * (i / 3) + 12 + 12 * (i % 3)));
        },
        corners_of(part.mesh.triangles, begin));
  }
  finish(part, indexer);

  const SharedArray<Point>& points = part.mesh.points;
  std::atomic<bool> finite = true;
  parallel_ranges(points.size(), std::size_t{1} << 16, [&](Range r) {
    double sum = 0;  // 0 x infinite and 0 x NaN are NaN
    for (std::size_t i = r.begin; i < r.end; ++i) sum += 0.0 * points[i].sum();
    if (sum != 0) finite = false;
  });
  if (!finite) fail_at_odd_corner(source, count);
  if (options.keep_facet_records) part.facets = read_records(source, count);
  model.parts.emplace_back(std::move(part));
  return model;
}

// --------------------------------------------------------------------------------------- text

// What one piece of text holds. Solids begin and end at certain facets of it.
struct StlPiece {
  struct Event {
    std::size_t facet;  // before which it happens
    bool begins;
    std::string name;
    const char* where;
  };
  SharedArray<Point> corners;
  Array<Vector> normals;
  std::vector<Event> events;
  bool odd_normals = false;
  std::size_t colors = 0;
};

bool is_word(std::string_view word, std::string_view lower_case) {
  return detail::equals_ignoring_case(word, lower_case);
}

void expect(TextCursor& cursor, std::string_view lower_case) {
  cursor.skip_space();
  TextCursor ahead = cursor;
  if (!is_word(ahead.word(), lower_case)) {
    cursor.fail_expected("'" + std::string(lower_case) + "'");
  }
  cursor = ahead;
}

void parse_normal(TextCursor& cursor, StlPiece& piece, bool keep) {
  Vector normal = Vector::Zero();
  TextCursor ahead = cursor;
  ahead.skip_space();
  if (is_word(ahead.word(), "normal")) {
    cursor = ahead;
    for (int axis = 0; axis < 3; ++axis) normal[axis] = cursor.any_number("a normal");
    piece.odd_normals |= !normal.allFinite();
  }
  if (keep) piece.normals.push_back(normal);
}

void parse_facet(TextCursor& cursor, StlPiece& piece, bool keep_normals) {
  parse_normal(cursor, piece, keep_normals);
  expect(cursor, "outer");
  expect(cursor, "loop");
  for (int corner = 0; corner < 3; ++corner) {
    expect(cursor, "vertex");
    Point p;
    for (int axis = 0; axis < 3; ++axis) p[axis] = cursor.coordinate("a coordinate");
    piece.corners.push_back(p);
  }
  expect(cursor, "endloop");
  expect(cursor, "endfacet");
}

void parse_piece(const Source& source, std::string_view text, bool keep_normals, StlPiece& piece) {
  TextCursor cursor(source, text);
  piece.corners.reserve(text.size() / 60);
  for (cursor.skip_space(); !cursor.at_end(); cursor.skip_space()) {
    const TextCursor before = cursor;
    const std::string_view word = cursor.word();
    if (is_word(word, "facet")) {
      parse_facet(cursor, piece, keep_normals);
    } else if (is_word(word, "endsolid")) {
      cursor.skip_line();
      piece.events.push_back({piece.corners.size() / 3, false, "", before.at()});
    } else if (is_word(word, "solid")) {
      cursor.skip_blanks();
      piece.events.push_back(
          {piece.corners.size() / 3, true, std::string(cursor.rest_of_line()), before.at()});
    } else if (is_word(word, "color")) {
      cursor.skip_line();
      ++piece.colors;
    } else {
      before.fail_expected("'facet', 'endsolid' or 'solid'");
    }
  }
}

// The next line after `from` that begins with `facet`, where a piece may begin; or the end.
std::size_t next_facet_line(std::string_view text, std::size_t from) {
  while (true) {
    const std::size_t line_end = text.find('\n', from);
    if (line_end == std::string_view::npos) return text.size();
    std::size_t at = line_end + 1;
    while (at < text.size() && detail::is_blank(text[at])) ++at;
    if (is_word(text.substr(at, 5), "facet") && at + 5 < text.size() &&
        detail::is_space(text[at + 5])) {
      return line_end + 1;
    }
    from = line_end + 1;
  }
}

class SolidBuilder {
 public:
  SolidBuilder(const Source& source, Model& model) : source_(source), model_(model) {}

  void add(const StlPiece& piece) {
    std::size_t done = 0;
    const std::size_t facets = piece.corners.size() / 3;
    for (const StlPiece::Event& event : piece.events) {
      add_facets(piece, done, event.facet);
      done = event.facet;
      event.begins ? begin(piece, event) : end(event);
    }
    add_facets(piece, done, facets);
    odd_normals_ |= piece.odd_normals;
    colors_ += piece.colors;
  }

  void finish_file() {
    if (indexer_) {
      const char* const end = source_.bytes.data() + source_.bytes.size();
      detail::fail_at(source_, end, InputProblem::truncated,
                      "expected 'endsolid', found the end of the file; if the file is whole, end "
                      "it with a line 'endsolid'",
                      "'endsolid'", "the end of the file");
    }
    if (odd_normals_) model_.notes.emplace_back("some stored facet normals are not numbers");
    if (colors_ > 0) model_.notes.push_back(std::to_string(colors_) + " color lines are not kept");
  }

 private:
  // How many facets a solid that begins here is likely to have: exactly known if it ends in the
  // same piece; for the first solid of a file, which mostly is the only one, all that the rest of
  // the file would hold at some 200 bytes each; else a start to grow from.
  [[nodiscard]] std::size_t expected_facets(const StlPiece& piece,
                                            const StlPiece::Event& event) const {
    const auto next = static_cast<std::size_t>(&event - piece.events.data()) + 1;
    if (next < piece.events.size()) return piece.events[next].facet - event.facet;
    if (model_.parts.empty()) {
      return static_cast<std::size_t>(source_.bytes.data() + source_.bytes.size() - event.where) /
             200;
    }
    return std::size_t{1} << 14;
  }

  void begin(const StlPiece& piece, const StlPiece::Event& event) {
    if (indexer_) {
      detail::fail_at(source_, event.where, InputProblem::syntax,
                      "expected 'endsolid' before the next 'solid'", "'endsolid'", "'solid'");
    }
    part_.name = event.name;
    const std::size_t facets = expected_facets(piece, event);
    indexer_.emplace(facets / 2);
    part_.mesh.triangles.reserve(facets);
  }

  void end(const StlPiece::Event& event) {
    if (!indexer_) {
      detail::fail_at(source_, event.where, InputProblem::syntax,
                      "expected 'solid', found 'endsolid'", "'solid'", "'endsolid'");
    }
    finish(part_, *indexer_);
    indexer_.reset();
    model_.parts.emplace_back(std::exchange(part_, {}));
  }

  void add_facets(const StlPiece& piece, std::size_t begin, std::size_t end) {
    if (begin == end) return;
    if (!indexer_) {
      detail::fail_at(source_, piece.events.empty() ? source_.bytes.data() : piece.events[0].where,
                      InputProblem::syntax, "a facet stands outside of any solid", "'solid'",
                      "'facet'");
    }
    SharedArray<Triangle>& triangles = part_.mesh.triangles;
    const std::size_t first = triangles.size();
    if (first + (end - begin) > kMostTriangles) {
      detail::fail_at_byte(source_, 0, InputProblem::too_large,
                           "a solid has more than " + std::to_string(kMostTriangles) +
                               " triangles, the most that a mesh holds");
    }
    triangles.resize(first + (end - begin));
    const Point* const corners = piece.corners.data() + 3 * begin;
    indexer_->add(
        3 * (end - begin), [corners](std::size_t i) { return corners[i]; },
        corners_of(triangles, first));
    if (!piece.normals.empty()) {
      part_.facets.normals.insert(part_.facets.normals.end(), piece.normals.begin() + begin,
                                  piece.normals.begin() + end);
    }
  }

  const Source& source_;
  Model& model_;
  PartDraft part_;                       // the solid that is being read
  std::optional<PointIndexer> indexer_;  // of its points
  bool odd_normals_ = false;
  std::size_t colors_ = 0;
};

Model read_ascii(const Source& source, const ReadOptions& options, Progress* progress) {
  Model model;
  SolidBuilder builder(source, model);
  std::size_t at = 0;
  while (at < source.bytes.size()) {
    advance(progress, "read", static_cast<double>(at) / static_cast<double>(source.bytes.size()));
    // A batch of pieces at a time bounds the memory for corners that are not indexed yet.
    std::vector<std::string_view> texts;
    for (std::size_t i = 0; i < 4 * thread_count() && at < source.bytes.size(); ++i) {
      const std::size_t cut = std::min(at + detail::kPieceBytes, source.bytes.size());
      const std::size_t stop = next_facet_line(source.bytes, cut);
      texts.push_back(source.bytes.substr(at, stop - at));
      at = stop;
    }
    std::vector<StlPiece> pieces(texts.size());
    detail::parse_pieces(texts.size(), [&](std::size_t i) {
      parse_piece(source, texts[i], options.keep_facet_records, pieces[i]);
    });
    for (const StlPiece& piece : pieces) builder.add(piece);
  }
  builder.finish_file();
  return model;
}

bool is_ascii(const Source& source) {
  if (detail::is_whole_binary_stl(source.bytes)) return false;
  TextCursor cursor(source);
  cursor.skip_space();
  const std::string_view word = cursor.word();
  return is_word(word.substr(0, 5), "solid") && detail::looks_like_ascii_stl(source.bytes);
}

}  // namespace

Model read_stl(const Source& source, const ReadOptions& options, Progress* progress) {
  return is_ascii(source) ? read_ascii(source, options, progress)
                          : read_binary(source, options, progress);
}

}  // namespace aguja
