// Polygon File Format. Source: Greg Turk, "The PLY Polygon File Format", Stanford 1994.

#include <algorithm>
#include <array>
#include <bit>
#include <optional>

#include "aguja/formats/read.h"
#include "formats/face_list.h"
#include "formats/rows.h"

namespace aguja {
namespace {

using detail::TextCursor;

enum class Type { int8, uint8, int16, uint16, int32, uint32, float32, float64 };
constexpr std::array<std::size_t, 8> kSizes = {1, 1, 2, 2, 4, 4, 4, 8};
std::size_t size_of(Type type) { return kSizes.at(static_cast<std::size_t>(type)); }

std::optional<Type> parse_type(std::string_view name) {
  constexpr std::array<std::array<std::string_view, 2>, 8> kNames = {{{"char", "int8"},
                                                                      {"uchar", "uint8"},
                                                                      {"short", "int16"},
                                                                      {"ushort", "uint16"},
                                                                      {"int", "int32"},
                                                                      {"uint", "uint32"},
                                                                      {"float", "float32"},
                                                                      {"double", "float64"}}};
  for (std::size_t i = 0; i < kNames.size(); ++i) {
    if (name == kNames[i][0] || name == kNames[i][1]) return static_cast<Type>(i);
  }
  return std::nullopt;
}

struct Property {
  std::string name;
  Type type;
  std::optional<Type> count_type;  // of lists
};

struct Element {
  std::string name;
  std::size_t count = 0;
  std::vector<Property> properties;

  // Index of the first property with one of these names; the number of properties if none.
  [[nodiscard]] std::size_t find(std::initializer_list<std::string_view> names) const {
    for (std::size_t i = 0; i < properties.size(); ++i) {
      if (std::find(names.begin(), names.end(), properties[i].name) != names.end()) return i;
    }
    return properties.size();
  }
  [[nodiscard]] bool has_lists() const {
    return std::any_of(properties.begin(), properties.end(),
                       [](const Property& p) { return p.count_type.has_value(); });
  }
  // Bytes of a row, or at least so many if there are lists.
  [[nodiscard]] std::size_t least_bytes() const {
    std::size_t bytes = 0;
    for (const Property& p : properties) bytes += size_of(p.count_type.value_or(p.type));
    return bytes;
  }
};

enum class Encoding { text, little_endian, big_endian };

struct Header {
  Encoding encoding = Encoding::text;
  std::vector<Element> elements;
  std::size_t bytes = 0;  // length of the header
  std::size_t odd_lines = 0;
};

class HeaderParser {
 public:
  explicit HeaderParser(const Source& source) : cursor_(source) {}

  Header parse() {
    cursor_.skip_space();
    if (cursor_.word() != "ply") TextCursor(cursor_.source()).fail_expected("'ply'");
    while (true) {
      cursor_.skip_line();
      cursor_.skip_space();
      if (cursor_.at_end()) cursor_.fail_expected("'end_header'");
      const TextCursor line = cursor_;
      const std::string_view word = cursor_.word();
      if (word == "end_header") break;
      if (word == "format") {
        format();
      } else if (word == "element") {
        element();
      } else if (word == "property") {
        property(line);
      } else if (word != "comment" && word != "obj_info") {
        ++header_.odd_lines;
      }
    }
    if (!has_format_) cursor_.fail_expected("a 'format' line before 'end_header'");
    // Exactly one line end: binary data may begin with a byte that looks like another.
    if (!cursor_.at_line_end()) cursor_.fail_expected("the end of the line");
    const std::string_view bytes = cursor_.source().bytes;
    auto at = static_cast<std::size_t>(cursor_.at() - bytes.data());
    if (bytes.substr(at, 2) == "\r\n") ++at;
    header_.bytes = std::min(at + 1, bytes.size());
    return header_;
  }

 private:
  std::string_view next_word(std::string_view expected) {
    if (cursor_.at_line_end()) cursor_.fail_expected(expected);
    return cursor_.word();
  }

  void format() {
    const TextCursor before = cursor_;
    const std::string_view name = next_word("an encoding");
    has_format_ = true;
    if (name == "ascii") {
      header_.encoding = Encoding::text;
    } else if (name == "binary_little_endian") {
      header_.encoding = Encoding::little_endian;
    } else if (name == "binary_big_endian") {
      header_.encoding = Encoding::big_endian;
    } else {
      before.fail_expected("'ascii', 'binary_little_endian' or 'binary_big_endian'");
    }
  }

  void element() {
    Element element;
    element.name = next_word("the name of an element");
    cursor_.skip_blanks();
    const TextCursor before = cursor_;
    const long long count = cursor_.integer("the number of elements");
    if (count < 0) {
      before.fail(InputProblem::wrong_count, "the number of elements is negative", "0 or more",
                  std::to_string(count));
    }
    element.count = static_cast<std::size_t>(count);
    header_.elements.push_back(std::move(element));
  }

  void property(const TextCursor& line) {
    if (header_.elements.empty()) {
      line.fail(InputProblem::syntax, "a property stands before the first element", "'element'",
                "'property'");
    }
    Property property;
    cursor_.skip_blanks();
    TextCursor ahead = cursor_;
    if (ahead.word() == "list") {
      cursor_ = ahead;
      const TextCursor before = cursor_;
      property.count_type = type();
      if (*property.count_type >= Type::float32) {
        before.fail_expected("an integer type for the length of a list");
      }
    }
    property.type = type();
    property.name = next_word("the name of a property");
    header_.elements.back().properties.push_back(std::move(property));
  }

  Type type() {
    const TextCursor before = cursor_;
    const auto type = parse_type(next_word("a type"));
    if (!type) before.fail_expected("a type such as 'float' or 'uchar'");
    return *type;
  }

  TextCursor cursor_;
  Header header_;
  bool has_format_ = false;
};

// Numbers of a binary body, in order. Every read is checked against the bytes that are there.
class BinaryCursor {
 public:
  BinaryCursor(const Source& source, std::size_t at, bool swap)
      : source_(source), at_(at), swap_(swap) {}

  [[nodiscard]] std::size_t at() const { return at_; }
  void need(std::size_t bytes, std::string_view what) const {
    if (bytes <= source_.bytes.size() - at_) return;
    const std::size_t left = source_.bytes.size() - at_;
    detail::fail_at_byte(source_, at_, InputProblem::truncated,
                         "expected " + std::to_string(bytes) + " bytes for " + std::string(what) +
                             ", but " + std::to_string(left) + " follow",
                         std::to_string(bytes) + " bytes", std::to_string(left) + " bytes");
  }
  void need_rows(std::size_t rows, std::size_t stride, std::string_view what) const {
    const std::size_t left = source_.bytes.size() - at_;
    if (rows <= left / stride) return;
    detail::fail_at_byte(source_, at_, InputProblem::truncated,
                         std::to_string(rows) + " " + std::string(what) + " of " +
                             std::to_string(stride) + " bytes are declared, but " +
                             std::to_string(left) + " bytes follow",
                         std::to_string(rows) + " rows of " + std::to_string(stride) + " bytes",
                         std::to_string(left) + " bytes");
  }
  void skip(std::size_t bytes) { at_ += bytes; }

  /// Unchecked: `need` was asked.
  template <class T>
  [[nodiscard]] T load(std::size_t offset = 0) const {
    std::array<char, sizeof(T)> bytes;
    std::memcpy(bytes.data(), source_.bytes.data() + at_ + offset, sizeof(T));
    if (swap_) std::reverse(bytes.begin(), bytes.end());
    return std::bit_cast<T>(bytes);
  }
  [[nodiscard]] double number(Type type, std::size_t offset = 0) const {
    switch (type) {
      case Type::int8:
        return load<std::int8_t>(offset);
      case Type::uint8:
        return load<std::uint8_t>(offset);
      case Type::int16:
        return load<std::int16_t>(offset);
      case Type::uint16:
        return load<std::uint16_t>(offset);
      case Type::int32:
        return load<std::int32_t>(offset);
      case Type::uint32:
        return load<std::uint32_t>(offset);
      case Type::float32:
        return load<float>(offset);
      case Type::float64:
        return load<double>(offset);
    }
    return 0;
  }
  [[nodiscard]] const Source& source() const { return source_; }

 private:
  const Source& source_;
  std::size_t at_;
  bool swap_;
};

/// Where the wanted properties of each kind of element stand.
struct VertexLayout {
  std::size_t axis[3];
};
VertexLayout vertex_layout(const Source& source, const Element& element) {
  VertexLayout layout{{element.find({"x"}), element.find({"y"}), element.find({"z"})}};
  for (int axis = 0; axis < 3; ++axis) {
    const std::size_t at = layout.axis[axis];
    if (at == element.properties.size() || element.properties[at].count_type) {
      detail::fail_at_byte(source, 0, InputProblem::syntax,
                           std::string("expected a number '") + "xyz"[axis] +
                               "' among the properties of 'vertex', found none",
                           "properties x, y and z", "");
    }
  }
  return layout;
}

class BodyReader {
 public:
  BodyReader(const Source& source, const Header& header) : source_(source), header_(header) {
    for (const Element& e : header.elements) {
      if (e.name == "vertex") points_declared_ += e.count;
    }
    if (points_declared_ > kMostPoints) {
      detail::fail_at_byte(source, 0, InputProblem::wrong_count,
                           std::to_string(points_declared_) +
                               " points are declared, more than a "
                               "mesh holds",
                           "at most " + std::to_string(kMostPoints),
                           std::to_string(points_declared_));
    }
  }

  Model read(Progress* progress) {
    advance(progress, "read", 0.1);
    header_.encoding == Encoding::text ? read_text() : read_binary();
    advance(progress, "read", 0.8);
    Model model = detail::model_of(source_, std::move(points_), std::move(faces_));
    note_losses(model);
    return model;
  }

 private:
  enum class RowKind { face, strip, edge, passed_over };

  // ---- binary

  void read_binary() {
    const bool swap =
        (header_.encoding == Encoding::big_endian) == (std::endian::native == std::endian::little);
    BinaryCursor cursor(source_, header_.bytes, swap);
    for (const Element& e : header_.elements) {
      if (e.name == "vertex") {
        binary_vertices(cursor, e);
      } else {
        binary_rows(cursor, e);
      }
    }
    const std::size_t left = source_.bytes.size() - cursor.at();
    if (left > 0) extra_ = std::to_string(left) + " bytes after the last element are not read";
  }

  void binary_vertices(BinaryCursor& cursor, const Element& e) {
    const VertexLayout layout = vertex_layout(source_, e);
    if (e.has_lists()) {
      detail::fail_at_byte(source_, cursor.at(), InputProblem::unsupported,
                           "lists among the properties of 'vertex' are not read", "numbers",
                           "a list");
    }
    const std::size_t stride = e.least_bytes();
    cursor.need_rows(e.count, stride, "vertices");
    std::size_t offset[3];
    for (int axis = 0; axis < 3; ++axis) {
      offset[axis] = 0;
      for (std::size_t p = 0; p < layout.axis[axis]; ++p) {
        offset[axis] += size_of(e.properties[p].type);
      }
    }
    const std::size_t base = points_.size();
    points_.resize(base + e.count);
    constexpr std::size_t kGrain = std::size_t{1} << 14;
    detail::parse_pieces((e.count + kGrain - 1) / kGrain, [&](std::size_t piece) {
      BinaryCursor row = cursor;
      row.skip(piece * kGrain * stride);
      for (std::size_t i = piece * kGrain; i < std::min(e.count, (piece + 1) * kGrain); ++i) {
        for (int axis = 0; axis < 3; ++axis) {
          const double x = row.number(e.properties[layout.axis[axis]].type, offset[axis]);
          if (!std::isfinite(x)) fail_at_odd_number(row.at() + offset[axis], i, x);
          points_[base + i][axis] = x;
        }
        row.skip(stride);
      }
    });
    cursor.skip(e.count * stride);
  }

  [[noreturn]] void fail_at_odd_number(std::size_t byte, std::size_t vertex, double x) const {
    const std::string found = std::isnan(x) ? "NaN" : "an infinite number";
    detail::fail_at_byte(
        source_, byte, InputProblem::bad_number,
        "vertex " + std::to_string(vertex) + ": expected a finite coordinate, found " + found,
        "a finite coordinate", found);
  }

  // Faces, strips, edges, and elements that are only passed over: rows of any length.
  void binary_rows(BinaryCursor& cursor, const Element& e) {
    const RowKind kind = kind_of(e);
    std::vector<double> values;
    // A row of no bytes at all would let a declared count keep us busy for nothing.
    if (e.least_bytes() == 0) return;
    for (std::size_t row = 0; row < e.count; ++row) {
      for (std::size_t p = 0; p < e.properties.size(); ++p) {
        const Property& property = e.properties[p];
        std::size_t length = 1;
        if (property.count_type) {
          cursor.need(size_of(*property.count_type), "the length of a list");
          const double declared = cursor.number(*property.count_type);
          if (declared < 0) {
            detail::fail_at_byte(source_, cursor.at(), InputProblem::wrong_count,
                                 "the length of a list is negative", "0 or more",
                                 std::to_string(static_cast<long long>(declared)));
          }
          cursor.skip(size_of(*property.count_type));
          length = static_cast<std::size_t>(declared);
        }
        const std::size_t size = size_of(property.type);
        cursor.need(length * size, "'" + e.name + "' " + std::to_string(row));
        if (is_wanted(kind, e, p)) {
          const std::size_t before = values.size();
          for (std::size_t i = 0; i < length; ++i) {
            values.push_back(cursor.number(property.type, i * size));
          }
          check_indices(kind, std::span(values).subspan(before), cursor.at());
        }
        cursor.skip(length * size);
      }
      add_row(kind, values);
      values.clear();
    }
  }

  // ---- text

  void read_text() {
    const detail::RowText rows = detail::split_rows(source_.bytes.substr(header_.bytes), false);
    std::size_t declared = 0;
    for (const Element& e : header_.elements) {
      if (e.count > rows.rows - std::min(declared, rows.rows)) {
        detail::fail_at(
            source_, source_.bytes.data() + source_.bytes.size(), InputProblem::truncated,
            std::to_string(e.count) + " rows of '" + e.name + "' are declared, but only " +
                std::to_string(rows.rows) + " rows follow the header in all",
            std::to_string(e.count) + " rows", std::to_string(rows.rows) + " rows");
      }
      declared += e.count;
    }
    points_.resize(points_declared_);
    std::vector<detail::FaceList> faces(rows.pieces.size());
    detail::parse_pieces(rows.pieces.size(),
                         [&](std::size_t i) { text_piece(rows.pieces[i], faces[i]); });
    for (detail::FaceList& f : faces) {
      faces_.append(f);
      f = {};
    }
    if (rows.rows > declared) {
      extra_ = std::to_string(rows.rows - declared) + " rows after the last element are not read";
    }
  }

  void text_piece(const detail::RowPiece& piece, detail::FaceList& faces) {
    std::vector<double> values;
    // Rows come in order: the element that a row belongs to only ever moves on.
    std::size_t which = 0;
    std::size_t begins = 0;
    std::size_t point = 0;
    std::optional<VertexLayout> layout;
    RowKind kind = RowKind::passed_over;
    const auto enter = [&] {
      const Element& e = header_.elements[which];
      kind = kind_of(e);
      if (e.name == "vertex") layout = vertex_layout(source_, e);
    };
    if (!header_.elements.empty()) enter();
    detail::for_each_row(source_, piece, false, [&](TextCursor& row, std::size_t number) {
      while (which < header_.elements.size() && number >= begins + header_.elements[which].count) {
        begins += header_.elements[which].count;
        if (header_.elements[which].name == "vertex") point += header_.elements[which].count;
        if (++which < header_.elements.size()) enter();
      }
      if (which == header_.elements.size()) return;
      const Element& e = header_.elements[which];
      if (e.name == "vertex") {
        text_vertex(row, e, *layout, points_[point + number - begins]);
      } else if (kind != RowKind::passed_over) {
        text_row(row, e, kind, values, faces);
      }
    });
  }

  static void text_vertex(TextCursor& row, const Element& e, const VertexLayout& layout,
                          Point& point) {
    const std::size_t last = std::max({layout.axis[0], layout.axis[1], layout.axis[2]});
    for (std::size_t p = 0; p <= last; ++p) {
      int axis = 0;
      while (axis < 3 && layout.axis[axis] != p) ++axis;
      if (axis < 3) {
        // Also where the type is float: the decimal as it stands is what is written back.
        point[axis] = row.coordinate("a coordinate");
      } else {
        skip_property(row, e.properties[p]);
      }
    }
  }

  static void skip_property(TextCursor& row, const Property& property) {
    long long length = 1;
    if (property.count_type) length = row.integer("the length of a list");
    for (long long i = 0; i < length; ++i) {
      if (row.at_line_end()) row.fail_expected("'" + property.name + "'");
      row.word();
    }
  }

  void text_row(TextCursor& row, const Element& e, RowKind kind, std::vector<double>& values,
                detail::FaceList& faces) {
    values.clear();
    for (std::size_t p = 0; p < e.properties.size(); ++p) {
      const Property& property = e.properties[p];
      if (!is_wanted(kind, e, p)) {
        skip_property(row, property);
        continue;
      }
      row.skip_blanks();
      const TextCursor before = row;
      const long long length = property.count_type ? row.integer("the number of corners") : 1;
      if (length < 0) {
        before.fail(InputProblem::wrong_count, "the length of a list is negative", "0 or more",
                    std::to_string(length));
      }
      for (long long i = 0; i < length; ++i) {
        row.skip_blanks();
        const TextCursor here = row;
        const long long index = row.integer("a vertex number");
        if (!is_index(kind, static_cast<double>(index))) {
          here.fail(InputProblem::bad_index, index_text(static_cast<double>(index)),
                    "0 to " + std::to_string(points_declared_), std::to_string(index));
        }
        values.push_back(static_cast<double>(index));
      }
    }
    add_row(kind, values, faces);
  }

  // ---- both

  static RowKind kind_of(const Element& e) {
    const bool has_list = e.find({"vertex_indices", "vertex_index"}) < e.properties.size();
    if (e.name == "face" && has_list) return RowKind::face;
    if (e.name == "tristrips" && has_list) return RowKind::strip;
    if (e.name == "edge" && e.find({"vertex1"}) < e.properties.size() &&
        e.find({"vertex2"}) < e.properties.size()) {
      return RowKind::edge;
    }
    return RowKind::passed_over;
  }
  static bool is_wanted(RowKind kind, const Element& e, std::size_t property) {
    const std::string& name = e.properties[property].name;
    if (kind == RowKind::passed_over) return false;
    if (kind == RowKind::edge) return name == "vertex1" || name == "vertex2";
    return property == e.find({"vertex_indices", "vertex_index"});
  }

  [[nodiscard]] bool is_index(RowKind kind, double value) const {
    if (kind == RowKind::strip && value == -1) return true;  // a strip begins anew
    return value >= 0 && value < static_cast<double>(points_declared_) &&
           value == static_cast<double>(static_cast<std::uint64_t>(value));
  }
  [[nodiscard]] std::string index_text(double value) const {
    return "the face names vertex " + shortest(value) + ", but there are " +
           std::to_string(points_declared_) + ", counted from 0";
  }
  void check_indices(RowKind kind, std::span<const double> values, std::size_t byte) const {
    for (const double v : values) {
      if (is_index(kind, v)) continue;
      detail::fail_at_byte(source_, byte, InputProblem::bad_index, index_text(v),
                           "0 to " + std::to_string(points_declared_), shortest(v));
    }
  }

  void add_row(RowKind kind, std::span<const double> values) { add_row(kind, values, faces_); }
  static void add_row(RowKind kind, std::span<const double> values, detail::FaceList& faces) {
    if (kind == RowKind::passed_over) return;
    if (kind == RowKind::strip) return add_strip(values, faces);
    thread_local std::vector<VertexId> corners;
    corners.clear();
    for (const double v : values) corners.push_back({static_cast<std::uint32_t>(v)});
    faces.add(corners);
  }
  static void add_strip(std::span<const double> values, detail::FaceList& faces) {
    std::vector<VertexId> run;
    for (const double v : values) {
      if (v < 0) {
        run.clear();
        continue;
      }
      run.push_back({static_cast<std::uint32_t>(v)});
      const std::size_t n = run.size();
      if (n < 3) continue;
      // Every other triangle of a strip runs the other way round.
      const bool odd = n % 2 == 0;
      faces.triangles.push_back(
          {{odd ? run[n - 2] : run[n - 3], odd ? run[n - 3] : run[n - 2], run[n - 1]}});
    }
  }

  void note_losses(Model& model) const {
    for (const Element& e : header_.elements) {
      std::string names;
      for (const Property& p : e.properties) {
        const bool kept = e.name == "vertex" ? p.name == "x" || p.name == "y" || p.name == "z"
                                             : is_wanted(kind_of(e), e, e.find({p.name}));
        if (!kept) names += (names.empty() ? "" : ", ") + p.name;
      }
      if (!names.empty() && e.count > 0) {
        model.notes.push_back("properties of '" + e.name + "' that are not kept: " + names);
      }
    }
    if (!extra_.empty()) model.notes.push_back(extra_);
    if (header_.odd_lines > 0) {
      model.notes.push_back(std::to_string(header_.odd_lines) +
                            " header lines that PLY does not know were passed over");
    }
  }

  const Source& source_;
  const Header& header_;
  std::size_t points_declared_ = 0;
  Array<Point> points_;
  detail::FaceList faces_;
  std::string extra_;
};

}  // namespace

Model read_ply(const Source& source, const ReadOptions& /*options*/, Progress* progress) {
  const Header header = HeaderParser(source).parse();
  return BodyReader(source, header).read(progress);
}

}  // namespace aguja
