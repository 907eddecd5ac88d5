#include "formats/text.h"

#include <algorithm>
#include <limits>

namespace aguja::detail {

bool equals_ignoring_case(std::string_view text, std::string_view lower_case) {
  return std::equal(text.begin(), text.end(), lower_case.begin(), lower_case.end(),
                    [](char a, char b) { return lower(a) == b; });
}

std::string quoted(std::string_view text) {
  constexpr std::size_t kMost = 40;
  if (text.empty()) return "nothing";
  std::string shown = "'";
  for (const char c : text.substr(0, kMost)) shown += c >= ' ' && c <= '~' ? c : '?';
  return shown + (text.size() > kMost ? "...'" : "'");
}

void fail_at_byte(const Source& source, std::size_t byte, InputProblem problem, std::string text,
                  std::string expected, std::string found) {
  throw InputError({problem, source.name, InputPlace{InputPlace::Counts::bytes, byte},
                    std::move(text), std::move(expected), std::move(found)});
}

void fail_at(const Source& source, const char* where, InputProblem problem, std::string text,
             std::string expected, std::string found) {
  const std::string_view before(source.bytes.data(),
                                static_cast<std::size_t>(where - source.bytes.data()));
  auto lines =
      std::count_if(before.begin(), before.end(), [](char c) { return c == '\n' || c == '\v'; });
  if (lines == 0) lines = std::count(before.begin(), before.end(), '\r');
  throw InputError({problem, source.name,
                    InputPlace{InputPlace::Counts::lines, static_cast<std::size_t>(lines) + 1},
                    std::move(text), std::move(expected), std::move(found)});
}

void TextCursor::fail_expected(std::string_view expected) const {
  TextCursor copy = *this;
  copy.skip_blanks();
  const bool ends = copy.at_end();
  const std::string found = ends ? "the end of the file" : quoted(copy.word());
  copy.fail(ends ? InputProblem::truncated : InputProblem::syntax,
            "expected " + std::string(expected) + ", found " + found, std::string(expected), found);
}

double TextCursor::any_number(std::string_view what) {
  skip_space();
  const char* begin = at_;
  if (begin != end_ && *begin == '+') ++begin;
  double value = 0;
  const auto [stop, error] = std::from_chars(begin, end_, value);
  if (error == std::errc() && (stop == end_ || is_space(*stop))) {
    at_ = stop;
    return value;
  }
  const std::string_view text = word();
  // Several libraries print what is not a number in ways of their own: 1.#QNAN, -nan(ind).
  const auto has = [&](char a, char b) {
    return std::any_of(text.begin(), text.end(), [&](char c) { return lower(c) == a || c == b; });
  };
  if (error == std::errc::result_out_of_range || has('n', '#')) {
    return std::numeric_limits<double>::quiet_NaN();
  }
  at_ = text.data();
  bad_number(what, false);
}

double TextCursor::odd_coordinate(std::string_view what, bool out_of_range) {
  if (!out_of_range) bad_number(what, false);
  // Beyond the range of doubles, or so small that it rounds to zero: the first digit that counts
  // and the exponent tell.
  const char* const begin = at_;
  const std::string_view text = word();
  const std::size_t e = std::min(text.find_first_of("eE"), text.size());
  long long exponent = 0;
  if (e < text.size()) {
    std::string_view digits = text.substr(e + 1);
    if (digits.starts_with('+')) digits.remove_prefix(1);
    const auto result = std::from_chars(digits.data(), digits.data() + digits.size(), exponent);
    if (result.ec == std::errc::result_out_of_range) {
      exponent = digits.starts_with('-') ? -1000000000 : 1000000000;
    }
  }
  const std::string_view mantissa = text.substr(0, e);
  const std::size_t point = std::min(mantissa.find('.'), mantissa.size());
  const std::size_t first = mantissa.find_first_of("123456789");
  const long long leading =
      first == std::string_view::npos
          ? -1000000000
          : static_cast<long long>(point) - static_cast<long long>(first) + exponent;
  if (leading < 0) return text.starts_with('-') ? -0.0 : 0.0;
  at_ = begin;
  bad_number(what, true);
}

void TextCursor::bad_number(std::string_view what, bool out_of_range) {
  TextCursor copy = *this;
  if (copy.at_end() || is_line_end(*copy.at_)) {
    copy.fail(copy.at_end() ? InputProblem::truncated : InputProblem::bad_number,
              "expected " + std::string(what) + ", found the end of the " +
                  (copy.at_end() ? "file" : "line"),
              std::string(what), copy.at_end() ? "the end of the file" : "the end of the line");
  }
  const std::string found = quoted(copy.word());
  const std::string why = out_of_range ? " is out of range" : " is not a finite number";
  fail(InputProblem::bad_number, std::string(what) + " " + found + why,
       "a finite number for " + std::string(what), found);
}

std::vector<std::string_view> split_at_lines(std::string_view text, std::size_t size) {
  std::vector<std::string_view> pieces;
  while (!text.empty()) {
    std::size_t cut = std::min(size, text.size());
    const std::size_t line_end = text.find('\n', cut);
    cut = cut == text.size() || line_end == std::string_view::npos ? text.size() : line_end + 1;
    pieces.push_back(text.substr(0, cut));
    text.remove_prefix(cut);
  }
  return pieces;
}

}  // namespace aguja::detail
