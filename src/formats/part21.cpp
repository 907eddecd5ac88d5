#include "formats/part21.h"

#if defined(__SSE2__)
#include <emmintrin.h>
#endif

#include <algorithm>
#include <array>
#include <atomic>
#include <bit>
#include <charconv>
#include <cmath>
#include <cstring>
#include <iterator>
#include <limits>
#include <optional>

#include "aguja/base/parallel.h"

namespace aguja::detail {
namespace {

// Values in values in values: no file that is meant well goes deeper.
constexpr int kMostDepth = 40;

[[noreturn]] void fail(const Source& source, InputProblem problem, std::size_t at, std::string text,
                       std::string expected, std::string found) {
  throw InputError({problem, source.name, InputPlace{InputPlace::Counts::bytes, at},
                    std::move(text), std::move(expected), std::move(found)});
}

bool is_part21_space(char c) {
  return c == ' ' || c == '\t' || c == '\r' || c == '\n' || c == '\f' || c == '\v';
}
bool is_digit(char c) { return c >= '0' && c <= '9'; }
bool is_word(char c) {
  static constexpr auto table = [] {
    std::array<bool, 256> is{};
    for (unsigned i = 0; i < 26; ++i) is['A' + i] = is['a' + i] = true;
    for (unsigned i = 0; i < 10; ++i) is['0' + i] = true;
    is['_'] = is['-'] = true;
    return is;
  }();
  return table[static_cast<unsigned char>(c)];
}

// Over the bytes of the whole file.
class Scanner {
 public:
  explicit Scanner(const Source& source, std::size_t at = 0)
      : source_(source), bytes_(source.bytes), at_(at) {}

  [[nodiscard]] bool at_end() const { return at_ >= bytes_.size(); }
  [[nodiscard]] std::size_t at() const { return at_; }
  [[nodiscard]] char look() const { return at_end() ? '\0' : bytes_[at_]; }
  void step() { ++at_; }

  void skip_space() {
    while (!at_end()) {
      const char c = bytes_[at_];
      if (is_part21_space(c)) {
        ++at_;
      } else if (c == '/' && at_ + 1 < bytes_.size() && bytes_[at_ + 1] == '*') {
        skip_comment();
      } else {
        return;
      }
    }
  }
  void skip_comment() {
    const std::size_t end = bytes_.find("*/", at_ + 2);
    if (end == std::string_view::npos) {
      fail(source_, InputProblem::truncated, at_, "a comment has no end", "*/",
           "the end of the file");
    }
    at_ = end + 2;
  }
  // Behind the closing quote.
  void skip_text() {
    const std::size_t start = at_;
    ++at_;
    while (true) {
      const void* quote =
          at_end() ? nullptr : std::memchr(bytes_.data() + at_, '\'', bytes_.size() - at_);
      if (quote == nullptr) {
        fail(source_, InputProblem::truncated, start, "a text has no end", "'",
             "the end of the file");
      }
      at_ = static_cast<std::size_t>(static_cast<const char*>(quote) - bytes_.data()) + 1;
      if (look() != '\'') return;
      ++at_;
    }
  }
  // To before the semicolon that ends what begins here; false if there is none.
  bool to_semicolon() {
    for (to_special(); !at_end(); to_special()) {
      const char c = bytes_[at_];
      if (c == ';') return true;
      if (c == '\'') {
        skip_text();
      } else if (c == '/' && at_ + 1 < bytes_.size() && bytes_[at_ + 1] == '*') {
        skip_comment();
      } else {
        ++at_;
      }
    }
    return false;
  }
  std::string_view word() {
    const std::size_t start = at_;
    while (!at_end() && is_word(bytes_[at_])) ++at_;
    return bytes_.substr(start, at_ - start);
  }
  void jump_to(const char* p) { at_ = static_cast<std::size_t>(p - bytes_.data()); }
  [[nodiscard]] std::string_view from(std::size_t start) const {
    return bytes_.substr(start, at_ - start);
  }

 private:
  // To the next semicolon, quote or slash.
  void to_special() {
#if defined(__SSE2__)
    const __m128i semicolon = _mm_set1_epi8(';'), quote = _mm_set1_epi8('\''),
                  slash = _mm_set1_epi8('/');
    for (; at_ + 16 <= bytes_.size(); at_ += 16) {
      const __m128i some = _mm_loadu_si128(reinterpret_cast<const __m128i*>(bytes_.data() + at_));
      const __m128i any =
          _mm_or_si128(_mm_or_si128(_mm_cmpeq_epi8(some, semicolon), _mm_cmpeq_epi8(some, quote)),
                       _mm_cmpeq_epi8(some, slash));
      const auto bits = static_cast<unsigned>(_mm_movemask_epi8(any));
      if (bits == 0) continue;
      at_ += static_cast<std::size_t>(std::countr_zero(bits));
      return;
    }
#endif
    while (!at_end() && bytes_[at_] != ';' && bytes_[at_] != '\'' && bytes_[at_] != '/') ++at_;
  }

  const Source& source_;
  std::string_view bytes_;
  std::size_t at_ = 0;
};

// Over the text of one entity.
class ValueParser {
 public:
  ValueParser(std::string_view text, std::uint64_t number) : text_(text), number_(number) {}

  std::vector<Record> records() {
    std::vector<Record> all;
    skip_space();
    if (look() != '(') {
      all.push_back(record());
    } else {
      ++at_;
      for (skip_space(); look() != ')'; skip_space()) {
        if (at_ >= text_.size()) fail("')' at the end of its records");
        all.push_back(record());
      }
      ++at_;
    }
    skip_space();
    if (at_ != text_.size()) fail("';' after it");
    return all;
  }

 private:
  [[nodiscard]] char look() const { return at_ < text_.size() ? text_[at_] : '\0'; }
  void skip_space() {
    while (at_ < text_.size()) {
      if (is_part21_space(text_[at_])) {
        ++at_;
      } else if (text_.substr(at_, 2) == "/*") {
        at_ = std::min(text_.size(), text_.find("*/", at_ + 2) + 2);
      } else {
        return;
      }
    }
  }
  [[noreturn]] void fail(const std::string& expected) const {
    const std::string_view rest = text_.substr(std::min(at_, text_.size()), 20);
    throw EntityError(number_, "expected " + expected + "; found '" + std::string(rest) + "'");
  }
  std::string_view word() {
    const std::size_t start = at_;
    while (at_ < text_.size() && is_word(text_[at_])) ++at_;
    return text_.substr(start, at_ - start);
  }
  Record record() {
    Record r;
    if (look() == '!') ++at_;
    r.type = word();
    if (r.type.empty()) fail("a type");
    skip_space();
    if (look() != '(') fail("'(' after " + std::string(r.type));
    r.values = list(0);
    return r;
  }
  // From the opening bracket to behind the closing one.
  std::vector<Value> list(int depth) {
    if (depth > kMostDepth)
      fail("values no deeper than " + std::to_string(kMostDepth) + " brackets");
    std::vector<Value> all;
    ++at_;
    skip_space();
    if (look() == ')') {
      ++at_;
      return all;
    }
    while (true) {
      all.push_back(value(depth));
      skip_space();
      if (look() == ')') {
        ++at_;
        return all;
      }
      if (look() != ',') fail("',' or ')'");
      ++at_;
      skip_space();
    }
  }
  Value value(int depth) {
    Value v;
    const char c = look();
    if (c == '$') {
      ++at_;
    } else if (c == '*') {
      ++at_;
      v.kind = Value::Kind::derived;
    } else if (c == '#') {
      ++at_;
      v.kind = Value::Kind::reference;
      const auto [end, error] =
          std::from_chars(text_.data() + at_, text_.data() + text_.size(), v.reference);
      if (error != std::errc()) fail("the number of an entity after #");
      at_ = static_cast<std::size_t>(end - text_.data());
    } else if (c == '(') {
      v.kind = Value::Kind::list;
      v.items = list(depth + 1);
    } else if (c == '\'') {
      v.kind = Value::Kind::text;
      const std::size_t start = ++at_;
      while (true) {
        const std::size_t quote = text_.find('\'', at_);
        if (quote == std::string_view::npos) fail("the end of a text");
        at_ = quote + 1;
        if (look() != '\'') break;
        ++at_;
      }
      v.text = text_.substr(start, at_ - 1 - start);
    } else if (c == '"') {
      v.kind = Value::Kind::binary;
      const std::size_t end = text_.find('"', at_ + 1);
      if (end == std::string_view::npos) fail("the end of a binary");
      v.text = text_.substr(at_ + 1, end - at_ - 1);
      at_ = end + 1;
    } else if (c == '.' && at_ + 1 < text_.size() && !is_digit(text_[at_ + 1])) {
      v.kind = Value::Kind::word;
      ++at_;
      v.text = word();
      if (look() != '.') fail("'.' after an enumeration");
      ++at_;
    } else if (is_digit(c) || c == '+' || c == '-' || c == '.') {
      v.kind = Value::Kind::number;
      v.number = number();
    } else if (is_word(c)) {
      v.kind = Value::Kind::typed;
      v.text = word();
      skip_space();
      if (look() != '(') fail("'(' after " + std::string(v.text));
      v.items = list(depth + 1);
    } else {
      fail("a value");
    }
    return v;
  }
  double number() {
    if (look() == '+') ++at_;
    // "1.E5" and "1." are the standard's; some write "1.D5".
    double x = 0;
    const auto [end, error] = std::from_chars(text_.data() + at_, text_.data() + text_.size(), x);
    if (error == std::errc::result_out_of_range) {
      // Too small is zero; too large is no number.
      const std::string_view read(text_.data() + at_,
                                  static_cast<std::size_t>(end - (text_.data() + at_)));
      const std::size_t e = read.find_first_of("Ee");
      if (e == std::string_view::npos || read.substr(e + 1, 1) != "-")
        fail("a number that doubles hold");
      at_ += read.size();
      return 0;
    }
    if (error != std::errc()) fail("a number");
    at_ = static_cast<std::size_t>(end - text_.data());
    if ((look() == 'D' || look() == 'd') && at_ + 1 < text_.size()) {
      int power = 0;
      std::size_t from = at_ + 1;
      if (text_[from] == '+') ++from;
      const auto [stop, bad] =
          std::from_chars(text_.data() + from, text_.data() + text_.size(), power);
      if (bad == std::errc()) {
        at_ = static_cast<std::size_t>(stop - text_.data());
        x *= std::pow(10.0, power);
      }
    }
    if (!std::isfinite(x)) fail("a finite number");
    return x;
  }

  std::string_view text_;
  std::uint64_t number_;
  std::size_t at_ = 0;
};

}  // namespace

const Record* Entity::find(std::string_view type) const {
  for (const Record& r : records) {
    if (r.type == type) return &r;
  }
  return nullptr;
}

const Record& Entity::record(std::string_view type) const {
  const Record* r = find(type);
  if (r == nullptr) {
    throw EntityError(number, "expected " + std::string(type) + "; found " +
                                  (records.empty() ? "nothing" : std::string(records[0].type)));
  }
  return *r;
}

const Value& Fields::at(std::size_t i) const {
  if (i >= record_.values.size()) {
    throw EntityError(entity_.number,
                      std::string(record_.type) + " has " + std::to_string(record_.values.size()) +
                          " values; at least " + std::to_string(i + 1) + " are needed");
  }
  return record_.values[i];
}
void Fields::fail(std::size_t i, const std::string& expected) const {
  throw EntityError(entity_.number, std::string(record_.type) + ": expected " + expected +
                                        " as value " + std::to_string(i + 1));
}
double Fields::number(std::size_t i) const {
  const Value* v = &at(i);
  if (v->kind == Value::Kind::typed && v->items.size() == 1) v = &v->items[0];
  if (v->kind != Value::Kind::number) fail(i, "a number");
  return v->number;
}
int Fields::integer(std::size_t i) const {
  const double x = number(i);
  if (x != std::floor(x) || std::fabs(x) > 1e9) fail(i, "a whole number");
  return static_cast<int>(x);
}
std::uint64_t Fields::reference(std::size_t i) const {
  if (at(i).kind != Value::Kind::reference) fail(i, "an entity");
  return at(i).reference;
}
bool Fields::has_reference(std::size_t i) const {
  return i < record_.values.size() && record_.values[i].kind == Value::Kind::reference;
}
bool Fields::flag(std::size_t i) const {
  const std::string_view w = word(i);
  if (w != "T" && w != "F" && w != "U") fail(i, ".T. or .F.");
  return w == "T";
}
std::string_view Fields::word(std::size_t i) const {
  if (at(i).kind != Value::Kind::word) fail(i, "an enumeration");
  return at(i).text;
}
std::string Fields::text(std::size_t i) const {
  if (i >= record_.values.size() || record_.values[i].kind != Value::Kind::text) return {};
  return decoded_text(record_.values[i].text);
}
const std::vector<Value>& Fields::list(std::size_t i) const {
  const Value& v = at(i);
  if (v.kind == Value::Kind::typed && v.items.size() == 1 && v.items[0].kind == Value::Kind::list) {
    return v.items[0].items;
  }
  if (v.kind != Value::Kind::list) fail(i, "a list");
  return v.items;
}
std::vector<std::uint64_t> Fields::references(std::size_t i) const {
  std::vector<std::uint64_t> out;
  for (const Value& v : list(i)) {
    if (v.kind != Value::Kind::reference) fail(i, "a list of entities");
    out.push_back(v.reference);
  }
  return out;
}
std::vector<double> Fields::numbers(std::size_t i) const {
  std::vector<double> out;
  for (const Value& v : list(i)) {
    const Value* own = &v;
    if (own->kind == Value::Kind::typed && own->items.size() == 1) own = &own->items[0];
    if (own->kind != Value::Kind::number) fail(i, "a list of numbers");
    out.push_back(own->number);
  }
  return out;
}

namespace {

// What a stretch of the file holds.
struct Stretch {
  struct Keyword {
    std::string_view word, statement;
  };
  std::size_t start = 0, stop = 0;  // where it should begin and end; both at statements
  std::size_t stopped = 0;          // the first statement that it left to the next
  bool in_data = false;             // at its end
  bool sorted = true;
  std::vector<Part21::Place> places;
  std::vector<Keyword> keywords;
};

// Statements from `start` on that begin before `stop`.
void scan(const Source& source, Stretch& out) {
  Scanner s(source, out.start);
  bool ended = false;
  std::uint64_t last = 0;
  while (true) {
    s.skip_space();
    out.stopped = s.at();
    if (s.at_end() || s.at() >= out.stop) return;
    const std::size_t start = s.at();
    if (out.in_data && s.look() == '#') {
      s.step();
      Part21::Place e{};
      const auto [end, error] = std::from_chars(
          source.bytes.data() + s.at(), source.bytes.data() + source.bytes.size(), e.number);
      if (error != std::errc()) {
        fail(source, InputProblem::syntax, start, "# without a number", "the number of an entity",
             std::string(source.bytes.substr(start, 12)));
      }
      s.jump_to(end);
      s.skip_space();
      if (s.look() != '=') {
        fail(source, InputProblem::syntax, s.at(), "expected = after #" + std::to_string(e.number),
             "=", std::string(source.bytes.substr(s.at(), 12)));
      }
      s.step();
      s.skip_space();
      const std::size_t from = s.at();
      e.start = from;
      if (s.look() != '(') e.type_length = static_cast<std::uint32_t>(s.word().size());
      if (!s.to_semicolon()) {
        fail(source, InputProblem::truncated, from, "#" + std::to_string(e.number) + " has no end",
             ";", "the end of the file");
      }
      if (s.at() - from > std::numeric_limits<std::uint32_t>::max()) {
        fail(source, InputProblem::syntax, from, "#" + std::to_string(e.number) + " is too long",
             "at most 4 GB", "more");
      }
      e.length = static_cast<std::uint32_t>(s.at() - from);
      s.step();
      out.sorted = out.sorted && e.number > last;
      last = e.number;
      out.places.push_back(e);
      continue;
    }
    const std::string_view word = s.word();
    if (!s.to_semicolon()) {
      // Only what follows the last section may lack its semicolon.
      if (ended || word.starts_with("END-ISO")) {
        out.stopped = source.bytes.size();
        return;
      }
      fail(source, InputProblem::truncated, start, "the last statement has no end", ";",
           "the end of the file");
    }
    out.keywords.push_back({word, s.from(start)});
    s.step();
    if (word == "DATA") out.in_data = true;
    if (word == "ENDSEC") out.in_data = false;
    if (word.starts_with("END-ISO")) ended = true;
  }
}

// The file in stretches of about `size` bytes that begin where an entity seems to begin a line.
// Within a text or a comment that may only look so; whoever scans finds out.
std::vector<Stretch> stretches_of(const Source& source, std::size_t start, std::size_t size) {
  std::vector<Stretch> all(1);
  all[0].start = start;
  for (std::size_t at = start + size; at < source.bytes.size(); at += size) {
    std::size_t begin = std::string_view::npos;
    for (std::size_t end = source.bytes.find(';', at); end != std::string_view::npos;
         end = source.bytes.find(';', end + 1)) {
      std::size_t next = end + 1;
      while (next < source.bytes.size() &&
             (source.bytes[next] == '\r' || source.bytes[next] == '\n'))
        ++next;
      if (next > end + 1 && next < source.bytes.size() && source.bytes[next] == '#') {
        begin = next;
        break;
      }
    }
    if (begin == std::string_view::npos) break;
    at = std::max(at, begin);
    all.back().stop = begin;
    all.emplace_back().start = begin;
    all.back().in_data = true;
  }
  all.back().stop = source.bytes.size();
  return all;
}

// All stretches at once; false if they do not fit together, or hold something that is wrong.
bool scan_all(const Source& source, std::vector<Stretch>& all) {
  std::atomic<bool> fits = true;
  parallel_tasks(all.size(), [&](std::size_t i) {
    try {
      // Entities mostly take more than forty bytes; what is not used costs nothing.
      all[i].places.reserve((all[i].stop - all[i].start) / 40);
      scan(source, all[i]);
    } catch (const InputError&) {
      fits = false;
    }
  });
  for (std::size_t i = 0; fits && i + 1 < all.size(); ++i) {
    if (all[i].stopped != all[i].stop || !all[i].in_data) fits = false;
  }
  return fits;
}

}  // namespace

Part21::Part21(const Source& source, std::size_t stretch) : bytes_(source.bytes) {
  const std::size_t start = [&] {
    // Some editors put a byte order mark in front.
    Scanner s(source, source.bytes.starts_with("\xEF\xBB\xBF") ? 3 : 0);
    s.skip_space();
    return s.at();
  }();
  if (!source.bytes.substr(start).starts_with("ISO-10303-21")) {
    fail(source, InputProblem::syntax, start, "the file does not begin with ISO-10303-21;",
         "ISO-10303-21;", "something else");
  }
  std::vector<Stretch> all = stretches_of(source, start, std::max<std::size_t>(stretch, 1));
  if (!scan_all(source, all)) {
    all.assign(1, {});
    all[0].start = start;
    all[0].stop = source.bytes.size();
    scan(source, all[0]);
  }
  bool any_data = false, sorted = true;
  for (Stretch& s : all) {
    for (const Stretch::Keyword& k : s.keywords) {
      any_data |= k.word == "DATA";
      if (k.word == "FILE_SCHEMA") schema_ = k.statement;
      if (k.word == "FILE_NAME") file_name_ = k.statement;
    }
    if (s.places.empty()) continue;
    sorted &= s.sorted && (lists_.empty() || lists_.back().back().number < s.places[0].number);
    lists_.push_back(std::move(s.places));
  }
  if (!any_data) {
    fail(source, InputProblem::truncated, source.bytes.size(), "there is no data section", "DATA;",
         "the end of the file");
  }
  if (all.back().in_data) {
    fail(source, InputProblem::truncated, source.bytes.size(), "the data section has no end",
         "ENDSEC;", "the end of the file");
  }
  if (!sorted) sort();
}

// Of several with one number the first in the file counts.
void Part21::sort() {
  std::vector<Place> all;
  all.reserve(size());
  for (auto& list : lists_) {
    all.insert(all.end(), list.begin(), list.end());
    list = {};
  }
  std::stable_sort(all.begin(), all.end(),
                   [](const Place& a, const Place& b) { return a.number < b.number; });
  const auto same = std::unique(
      all.begin(), all.end(), [](const Place& a, const Place& b) { return a.number == b.number; });
  repeated_ = static_cast<std::size_t>(all.end() - same);
  all.erase(same, all.end());
  lists_.clear();
  lists_.push_back(std::move(all));
}

std::size_t Part21::size() const {
  std::size_t total = 0;
  for (const auto& list : lists_) total += list.size();
  return total;
}

std::optional<Part21::Entry> Part21::find(std::uint64_t number) const {
  const auto list =
      std::lower_bound(lists_.begin(), lists_.end(), number,
                       [](const auto& l, std::uint64_t n) { return l.back().number < n; });
  if (list == lists_.end()) return std::nullopt;
  const auto at = std::lower_bound(list->begin(), list->end(), number,
                                   [](const Place& p, std::uint64_t n) { return p.number < n; });
  if (at == list->end() || at->number != number) return std::nullopt;
  return entry(*at);
}

Entity Part21::parse(std::uint64_t number, std::uint64_t asked_by) const {
  const std::optional<Entry> entry = find(number);
  if (!entry) {
    throw EntityError(asked_by != 0 ? asked_by : number,
                      "names #" + std::to_string(number) + ", which the file does not have");
  }
  Entity entity;
  entity.number = number;
  entity.records = ValueParser(entry->text, number).records();
  return entity;
}

namespace {

void append_utf8(std::string& out, std::uint32_t c) {
  if (c < 0x80) {
    out += static_cast<char>(c);
  } else if (c < 0x800) {
    out += static_cast<char>(0xC0 | (c >> 6));
    out += static_cast<char>(0x80 | (c & 0x3F));
  } else if (c < 0x10000) {
    out += static_cast<char>(0xE0 | (c >> 12));
    out += static_cast<char>(0x80 | ((c >> 6) & 0x3F));
    out += static_cast<char>(0x80 | (c & 0x3F));
  } else {
    out += static_cast<char>(0xF0 | (c >> 18));
    out += static_cast<char>(0x80 | ((c >> 12) & 0x3F));
    out += static_cast<char>(0x80 | ((c >> 6) & 0x3F));
    out += static_cast<char>(0x80 | (c & 0x3F));
  }
}

std::optional<std::uint32_t> hexadecimal(std::string_view digits) {
  std::uint32_t value = 0;
  const auto [end, error] =
      std::from_chars(digits.data(), digits.data() + digits.size(), value, 16);
  if (error != std::errc() || end != digits.data() + digits.size()) return std::nullopt;
  return value;
}

}  // namespace

namespace {

bool is_utf8(std::string_view t) {
  for (std::size_t i = 0; i < t.size();) {
    const auto lead = static_cast<unsigned char>(t[i]);
    const int more = lead < 0x80             ? 0
                     : (lead & 0xE0) == 0xC0 ? 1
                     : (lead & 0xF0) == 0xE0 ? 2
                     : (lead & 0xF8) == 0xF0 ? 3
                                             : -1;
    if (more < 0) return false;
    for (int k = 1; k <= more; ++k) {
      if (i + static_cast<std::size_t>(k) >= t.size() ||
          (static_cast<unsigned char>(t[i + static_cast<std::size_t>(k)]) & 0xC0) != 0x80)
        return false;
    }
    i += 1 + static_cast<std::size_t>(more);
  }
  return true;
}

}  // namespace

std::string Part21::time_stamp() const {
  // The second of its texts.
  std::size_t begin = 0, end = 0;
  for (int i = 0; i < 2; ++i) {
    begin = file_name_.find('\'', i == 0 ? 0 : end + 1);
    if (begin == std::string_view::npos) return {};
    end = begin + 1;
    for (; end < file_name_.size(); ++end) {
      if (file_name_[end] != '\'') continue;
      if (end + 1 >= file_name_.size() || file_name_[end + 1] != '\'') break;
      ++end;
    }
    if (end >= file_name_.size()) return {};
  }
  return decoded_text(file_name_.substr(begin + 1, end - begin - 1));
}

std::string decoded_text(std::string_view written) {
  // Lines are broken anywhere: control characters are not part of the text.
  std::string kept;
  std::copy_if(written.begin(), written.end(), std::back_inserter(kept), [](char c) {
    const auto code = static_cast<unsigned char>(c);
    return code >= 0x20 && code != 0x7F;
  });
  const std::string_view t = kept;
  const bool is_latin = !is_utf8(t);
  std::string out;
  for (std::size_t i = 0; i < t.size();) {
    if (t.substr(i, 2) == "''") {
      out += '\'';
      i += 2;
    } else if (t.substr(i, 2) == "\\\\") {
      out += '\\';
      i += 2;
    } else if (t.substr(i, 3) == "\\S\\" && i + 3 < t.size()) {
      append_utf8(out, static_cast<unsigned char>(t[i + 3]) + 128u);
      i += 4;
    } else if (t.substr(i, 3) == "\\X\\" && i + 5 <= t.size() && hexadecimal(t.substr(i + 3, 2))) {
      append_utf8(out, *hexadecimal(t.substr(i + 3, 2)));
      i += 5;
    } else if (t.substr(i, 4) == "\\X2\\" || t.substr(i, 4) == "\\X4\\") {
      const std::size_t digits = t[i + 2] == '2' ? 4 : 8;
      i += 4;
      std::uint32_t high = 0;
      while (i + digits <= t.size() && t[i] != '\\') {
        const auto c = hexadecimal(t.substr(i, digits));
        i += digits;
        if (!c) continue;
        if (*c >= 0xD800 && *c < 0xDC00) {
          high = *c;
        } else if (*c >= 0xDC00 && *c < 0xE000 && high != 0) {
          append_utf8(out, 0x10000 + ((high - 0xD800) << 10) + (*c - 0xDC00));
          high = 0;
        } else {
          append_utf8(out, *c);
        }
      }
      if (t.substr(i, 4) == "\\X0\\") i += 4;
    } else if (t.substr(i, 2) == "\\P" && i + 3 < t.size() && t[i + 3] == '\\') {
      i += 4;  // which alphabet \S\ is of: the first is taken
    } else {
      // Bytes beyond ASCII are no part of the standard; what is no UTF-8 is taken as Latin-1.
      const char c = t[i++];
      if (is_latin)
        append_utf8(out, static_cast<unsigned char>(c));
      else
        out += c;
    }
  }
  return out;
}

}  // namespace aguja::detail
