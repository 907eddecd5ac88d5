#pragma once
// What the readers of text formats share: a cursor, numbers, errors that know their line, and texts
// cut into pieces at line ends so that they can be parsed in parallel.

#include <charconv>
#include <cmath>
#include <cstring>
#include <exception>
#include <string>
#include <string_view>
#include <vector>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"
#include "aguja/formats/format.h"

namespace aguja::detail {

inline bool is_blank(char c) { return c == ' ' || c == '\t' || c == '\v' || c == '\f'; }
inline bool is_line_end(char c) { return c == '\n' || c == '\r'; }
inline bool is_space(char c) { return is_blank(c) || is_line_end(c); }

inline char lower(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c; }
[[nodiscard]] bool equals_ignoring_case(std::string_view text, std::string_view lower_case);

/// What stands there, short and printable, for messages.
[[nodiscard]] std::string quoted(std::string_view text);

[[noreturn]] void fail_at_byte(const Source& source, std::size_t byte, InputProblem problem,
                               std::string text, std::string expected = {}, std::string found = {});
/// The line is counted only now.
[[noreturn]] void fail_at(const Source& source, const char* where, InputProblem problem,
                          std::string text, std::string expected = {}, std::string found = {});

/// Reads words and numbers one after another. `source` is the whole file, for line numbers.
class TextCursor {
 public:
  TextCursor(const Source& source, std::string_view piece)
      : source_(&source), at_(piece.data()), end_(piece.data() + piece.size()) {}
  explicit TextCursor(const Source& source) : TextCursor(source, source.bytes) {}

  [[nodiscard]] const Source& source() const { return *source_; }
  [[nodiscard]] const char* at() const { return at_; }
  [[nodiscard]] bool at_end() const { return at_ == end_; }
  void skip_blanks() {
    while (at_ != end_ && is_blank(*at_)) ++at_;
  }
  void skip_space() {
    while (at_ != end_ && is_space(*at_)) ++at_;
  }
  /// Is nothing but blanks left on the line? Skips them.
  [[nodiscard]] bool at_line_end() {
    skip_blanks();
    return at_ == end_ || is_line_end(*at_);
  }
  void skip_line() {
    while (at_ != end_ && !is_line_end(*at_)) ++at_;
    if (at_ != end_) ++at_;
  }
  /// Up to the next space; empty at the end. Does not skip anything first.
  std::string_view word() {
    const char* const begin = at_;
    while (at_ != end_ && !is_space(*at_)) ++at_;
    return {begin, static_cast<std::size_t>(at_ - begin)};
  }
  std::string_view rest_of_line() {
    const char* const begin = at_;
    while (at_ != end_ && !is_line_end(*at_)) ++at_;
    const char* last = at_;
    while (last != begin && is_blank(last[-1])) --last;
    return {begin, static_cast<std::size_t>(last - begin)};
  }

  /// A finite coordinate after blanks (not line ends); anything else is an InputError.
  double coordinate(std::string_view what) {
    skip_blanks();
    return coordinate_here(what);
  }
  /// As `coordinate`, but line ends may come first.
  double coordinate_after_space(std::string_view what) {
    skip_space();
    return coordinate_here(what);
  }
  /// A number that may also be NaN or infinite (stored normals).
  double any_number(std::string_view what);
  /// A decimal integer after blanks.
  long long integer(std::string_view what) {
    skip_blanks();
    long long value = 0;
    const char* begin = at_;
    if (begin != end_ && *begin == '+') ++begin;
    const auto [stop, error] = std::from_chars(begin, end_, value);
    if (error != std::errc()) bad_number(what, error == std::errc::result_out_of_range);
    at_ = stop;
    return value;
  }

  [[noreturn]] void fail(InputProblem problem, std::string text, std::string expected = {},
                         std::string found = {}) const {
    fail_at(*source_, at_, problem, std::move(text), std::move(expected), std::move(found));
  }
  [[noreturn]] void fail_expected(std::string_view expected) const;

 private:
  double coordinate_here(std::string_view what) {
    double value = 0;
    const char* begin = at_;
    if (begin != end_ && *begin == '+') ++begin;
    const auto [stop, error] = std::from_chars(begin, end_, value);
    if (error != std::errc() || !std::isfinite(value) || (stop != end_ && !is_space(*stop)))
        [[unlikely]] {
      return odd_coordinate(what, error == std::errc::result_out_of_range);
    }
    at_ = stop;
    return value;
  }
  double odd_coordinate(std::string_view what, bool out_of_range);
  [[noreturn]] void bad_number(std::string_view what, bool out_of_range);

  const Source* source_;
  const char* at_;
  const char* end_;
};

/// Cuts `text` at line ends into pieces of about `size` bytes.
[[nodiscard]] std::vector<std::string_view> split_at_lines(std::string_view text, std::size_t size);

/// Calls `parse(index)` for all pieces in parallel; if some throw, the error of the first one in
/// the text is the one that is thrown.
template <class Parse>
void parse_pieces(std::size_t count, const Parse& parse) {
  std::vector<std::exception_ptr> errors(count);
  parallel_tasks(count, [&](std::size_t i) {
    try {
      parse(i);
    } catch (...) {
      errors[i] = std::current_exception();
    }
  });
  for (const std::exception_ptr& error : errors) {
    if (error) std::rethrow_exception(error);
  }
}

inline constexpr std::size_t kPieceBytes = std::size_t{1} << 18;

}  // namespace aguja::detail
