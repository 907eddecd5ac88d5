// The body of a PLY file: points, faces, strips and edges; the rest is passed over.

#include <algorithm>
#include <array>
#include <atomic>
#include <bit>
#include <optional>

#include "aguja/formats/read.h"
#include "formats/face_list.h"
#include "formats/ply_header.h"
#include "formats/rows.h"

namespace aguja {
namespace {

using detail::TextCursor;

using namespace ply;

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
  [[nodiscard]] bool has_rows(std::size_t rows, std::size_t stride) const {
    return rows <= (source_.bytes.size() - at_) / stride;
  }
  void need_rows(std::size_t rows, std::size_t stride, std::string_view what) const {
    const std::size_t left = source_.bytes.size() - at_;
    if (has_rows(rows, stride)) return;
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

enum class RowKind { face, strip, edge, passed_over };

/// What the rows of an element are to us, and which of their properties count.
struct RowPlan {
  explicit RowPlan(const Element& e) : wanted(e.properties.size(), false) {
    const std::size_t list = e.find({"vertex_indices", "vertex_index"});
    const std::size_t first = e.find({"vertex1"}), second = e.find({"vertex2"});
    if ((e.name == "face" || e.name == "tristrips") && list < wanted.size()) {
      kind = e.name == "face" ? RowKind::face : RowKind::strip;
      wanted[list] = true;
    } else if (e.name == "edge" && first < wanted.size() && second < wanted.size()) {
      kind = RowKind::edge;
      wanted[first] = wanted[second] = true;
    }
  }
  RowKind kind = RowKind::passed_over;
  std::vector<bool> wanted;
};

class BodyReader {
 public:
  BodyReader(const Source& source, const PlyHeader& header) : source_(source), header_(header) {
    for (const Element& e : header.elements) {
      plans_.emplace_back(e);
      if (e.name != "vertex") continue;
      if (e.count > kMostPoints - points_declared_) {
        detail::fail_at_byte(source, 0, InputProblem::wrong_count,
                             std::to_string(e.count) + " points are more than a mesh holds",
                             "at most " + std::to_string(kMostPoints), std::to_string(e.count));
      }
      points_declared_ += e.count;
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
  // ---- binary

  void read_binary() {
    const bool swap =
        (header_.encoding == Encoding::big_endian) == (std::endian::native == std::endian::little);
    BinaryCursor cursor(source_, header_.bytes, swap);
    for (std::size_t i = 0; i < header_.elements.size(); ++i) {
      const Element& e = header_.elements[i];
      if (e.name == "vertex") {
        binary_vertices(cursor, e);
      } else if (!binary_triangles(cursor, e, plans_[i])) {
        binary_rows(cursor, e, plans_[i]);
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

  // The usual case, in parallel: rows of nothing but a list, and every list has three members.
  // False, and nothing is read, if it is not that.
  bool binary_triangles(BinaryCursor& cursor, const Element& e, const RowPlan& plan) {
    if (plan.kind != RowKind::face || e.properties.size() != 1 || !e.properties[0].count_type) {
      return false;
    }
    const Property& list = e.properties[0];
    const std::size_t size = size_of(list.type);
    const std::size_t head = size_of(*list.count_type);
    const std::size_t stride = head + 3 * size;
    if (!cursor.has_rows(e.count, stride)) return false;
    constexpr std::size_t kGrain = std::size_t{1} << 14;
    const auto row_at = [&](std::size_t row) {
      BinaryCursor at = cursor;
      at.skip(row * stride);
      return at;
    };
    std::atomic<bool> uniform = true;
    parallel_ranges(e.count, kGrain, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        if (row_at(i).number(*list.count_type) != 3) uniform = false;
      }
    });
    if (!uniform) return false;

    const std::size_t base = faces_.triangles.size();
    faces_.triangles.resize(base + e.count);
    detail::parse_pieces((e.count + kGrain - 1) / kGrain, [&](std::size_t piece) {
      for (std::size_t i = piece * kGrain; i < std::min(e.count, (piece + 1) * kGrain); ++i) {
        const BinaryCursor row = row_at(i);
        for (std::size_t c = 0; c < 3; ++c) {
          const double index = row.number(list.type, head + c * size);
          check_index(RowKind::face, index, row.at() + head + c * size);
          faces_.triangles[base + i][c] = {static_cast<std::uint32_t>(index)};
        }
      }
    });
    cursor.skip(e.count * stride);
    return true;
  }

  // Faces, strips, edges, and elements that are only passed over: rows of any length.
  void binary_rows(BinaryCursor& cursor, const Element& e, const RowPlan& plan) {
    // A row of no bytes at all would let a declared count keep us busy for nothing.
    if (e.least_bytes() == 0) return;
    const std::string what = "a row of '" + e.name + "'";
    std::vector<double> values;
    for (std::size_t row = 0; row < e.count; ++row) {
      for (std::size_t p = 0; p < e.properties.size(); ++p) {
        const Property& property = e.properties[p];
        const std::size_t length = property.count_type ? list_length(cursor, property) : 1;
        const std::size_t size = size_of(property.type);
        cursor.need(length * size, what);
        for (std::size_t i = 0; plan.wanted[p] && i < length; ++i) {
          const double value = cursor.number(property.type, i * size);
          check_index(plan.kind, value, cursor.at() + i * size);
          values.push_back(value);
        }
        cursor.skip(length * size);
      }
      add_row(plan.kind, values, faces_);
      values.clear();
    }
  }

  static std::size_t list_length(BinaryCursor& cursor, const Property& property) {
    const std::size_t size = size_of(*property.count_type);
    cursor.need(size, "the length of a list");
    const double declared = cursor.number(*property.count_type);
    if (declared < 0) {
      detail::fail_at_byte(cursor.source(), cursor.at(), InputProblem::wrong_count,
                           "the length of a list is negative", "0 or more", shortest(declared));
    }
    cursor.skip(size);
    return static_cast<std::size_t>(declared);
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
    const auto enter = [&] {
      const Element& e = header_.elements[which];
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
      } else if (plans_[which].kind != RowKind::passed_over) {
        text_row(row, e, plans_[which], values);
        add_row(plans_[which].kind, values, faces);
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

  void text_row(TextCursor& row, const Element& e, const RowPlan& plan,
                std::vector<double>& values) const {
    values.clear();
    for (std::size_t p = 0; p < e.properties.size(); ++p) {
      const Property& property = e.properties[p];
      if (!plan.wanted[p]) {
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
        const auto index = static_cast<double>(row.integer("a vertex number"));
        if (!is_index(plan.kind, index)) {
          here.fail(InputProblem::bad_index, index_text(index), index_range(), shortest(index));
        }
        values.push_back(index);
      }
    }
  }

  // ---- both

  [[nodiscard]] bool is_index(RowKind kind, double value) const {
    if (kind == RowKind::strip && value == -1) return true;  // a strip begins anew
    return value >= 0 && value < static_cast<double>(points_declared_) &&
           value == static_cast<double>(static_cast<std::uint64_t>(value));
  }
  [[nodiscard]] std::string index_text(double value) const {
    return "the face names vertex " + shortest(value) + ", but there are " +
           std::to_string(points_declared_) + ", counted from 0";
  }
  [[nodiscard]] std::string index_range() const {
    return "0 to " + std::to_string(static_cast<long long>(points_declared_) - 1);
  }
  void check_index(RowKind kind, double value, std::size_t byte) const {
    if (is_index(kind, value)) return;
    detail::fail_at_byte(source_, byte, InputProblem::bad_index, index_text(value), index_range(),
                         shortest(value));
  }

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
    for (std::size_t i = 0; i < header_.elements.size(); ++i) {
      const Element& e = header_.elements[i];
      std::string names;
      for (std::size_t p = 0; p < e.properties.size(); ++p) {
        const std::string& name = e.properties[p].name;
        const bool is_coordinate =
            e.name == "vertex" && (name == "x" || name == "y" || name == "z");
        if (!is_coordinate && !plans_[i].wanted[p]) names += (names.empty() ? "" : ", ") + name;
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
  const PlyHeader& header_;
  std::vector<RowPlan> plans_;  // by element
  std::size_t points_declared_ = 0;
  SharedArray<Point> points_;
  detail::FaceList faces_;
  std::string extra_;
};

}  // namespace

Model read_ply(const Source& source, const ReadOptions& /*options*/, Progress* progress) {
  const PlyHeader header = parse_header(source);
  return BodyReader(source, header).read(progress);
}

}  // namespace aguja
