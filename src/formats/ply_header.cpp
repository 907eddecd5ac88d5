#include "formats/ply_header.h"

#include <algorithm>
#include <array>

#include "formats/text.h"

namespace aguja::ply {
namespace {

using detail::TextCursor;

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

class HeaderParser {
 public:
  explicit HeaderParser(const Source& source) : cursor_(source) {}

  PlyHeader parse() {
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
  PlyHeader header_;
  bool has_format_ = false;
};

}  // namespace

std::size_t size_of(Type type) {
  constexpr std::array<std::size_t, 8> kSizes = {1, 1, 2, 2, 4, 4, 4, 8};
  return kSizes.at(static_cast<std::size_t>(type));
}

std::size_t Element::find(std::initializer_list<std::string_view> names) const {
  for (std::size_t i = 0; i < properties.size(); ++i) {
    if (std::find(names.begin(), names.end(), properties[i].name) != names.end()) return i;
  }
  return properties.size();
}

bool Element::has_lists() const {
  return std::any_of(properties.begin(), properties.end(),
                     [](const Property& p) { return p.count_type.has_value(); });
}

std::size_t Element::least_bytes() const {
  std::size_t bytes = 0;
  for (const Property& p : properties) bytes += size_of(p.count_type.value_or(p.type));
  return bytes;
}

PlyHeader parse_header(const Source& source) { return HeaderParser(source).parse(); }

}  // namespace aguja::ply
