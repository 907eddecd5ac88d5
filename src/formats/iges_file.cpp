#include "formats/iges_file.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <span>

namespace aguja::detail {
namespace {

std::string_view trimmed(std::string_view s) {
  while (!s.empty() && (s.front() == ' ' || s.front() == '\t')) s.remove_prefix(1);
  while (!s.empty() && (s.back() == ' ' || s.back() == '\t')) s.remove_suffix(1);
  return s;
}

// Lines without their ends.
std::vector<std::string_view> lines_of(std::string_view bytes) {
  std::vector<std::string_view> lines;
  while (!bytes.empty()) {
    const std::size_t end = bytes.find('\n');
    std::string_view line = bytes.substr(0, end);
    if (line.ends_with('\r')) line.remove_suffix(1);
    lines.push_back(line);
    if (end == std::string_view::npos) break;
    bytes.remove_prefix(end + 1);
  }
  // Some write records of 80 without any line ends.
  if (lines.size() == 1 && lines[0].size() > 160 && lines[0].size() % 80 == 0) {
    const std::string_view all = lines[0];
    lines.clear();
    for (std::size_t i = 0; i < all.size(); i += 80) lines.push_back(all.substr(i, 80));
  }
  return lines;
}

long long whole(std::string_view text, long long otherwise = 0) {
  text = trimmed(text);
  if (text.starts_with('+')) text.remove_prefix(1);
  long long value = otherwise;
  std::from_chars(text.data(), text.data() + text.size(), value);
  return value;
}

// Values of free-format text, divided by `delimiter`, ended by `terminator`; counted texts (3Habc)
// may hold both.
std::vector<std::string_view> split_values(std::string_view text, char delimiter, char terminator) {
  std::vector<std::string_view> out;
  std::size_t at = 0;
  while (at < text.size()) {
    std::size_t start = at;
    while (start < text.size() && text[start] == ' ') ++start;
    // A counted text?
    std::size_t digits = start;
    while (digits < text.size() && text[digits] >= '0' && text[digits] <= '9') ++digits;
    std::size_t end = start;
    if (digits > start && digits < text.size() && text[digits] == 'H') {
      const auto length = static_cast<std::size_t>(whole(text.substr(start, digits - start)));
      end = std::min(text.size(), digits + 1 + std::min(length, text.size()));
    }
    while (end < text.size() && text[end] != delimiter && text[end] != terminator) ++end;
    out.push_back(trimmed(text.substr(start, end - start)));
    if (end >= text.size() || text[end] == terminator) return out;
    at = end + 1;
  }
  return out;
}

// What divides and what ends parameters: the first two of the global section, each counted or left
// out.
std::pair<char, char> delimiters_of(std::string_view global) {
  while (global.starts_with(' ')) global.remove_prefix(1);
  std::pair<char, char> found{',', ';'};
  if (global.size() > 3 && global.starts_with("1H")) {
    found.first = global[2];
    global.remove_prefix(3);
  }
  const std::size_t next = global.find(found.first);
  if (next == std::string_view::npos) return found;
  global = trimmed(global.substr(next + 1));
  if (global.size() > 2 && global.starts_with("1H")) found.second = global[2];
  return found;
}

// From the two lines of its directory entry, each of 72 characters at least.
IgesEntity fixed_entity(std::uint64_t number, const std::array<std::string_view, 2>& lines) {
  const auto field = [&](int line, int i) {
    return lines[static_cast<std::size_t>(line)].substr(static_cast<std::size_t>(8 * i), 8);
  };
  IgesEntity e;
  e.number = number;
  e.type = static_cast<int>(whole(field(0, 0)));
  e.matrix = static_cast<std::uint64_t>(std::max(0LL, whole(field(0, 6))));
  std::string status(field(0, 8));
  for (char& c : status) {
    if (c == ' ') c = '0';
  }
  e.is_blank = status.substr(0, 2) == "01";
  e.is_dependent = status[3] == '1' || status[3] == '3';
  e.color = static_cast<int>(whole(field(1, 2)));
  e.level = static_cast<int>(whole(field(0, 4)));
  e.form = static_cast<int>(whole(field(1, 4)));
  e.label = std::string(trimmed(field(1, 7)));
  return e;
}

}  // namespace

std::string counted_text(std::string_view value) {
  const std::size_t h = value.find('H');
  return std::string(h == std::string_view::npos ? value : value.substr(h + 1));
}

IgesFile::IgesFile(const Source& source) {
  const auto fail = [&](InputProblem problem, std::size_t line, const std::string& text,
                        const std::string& expected, const std::string& found) {
    throw InputError(
        {problem, source.name, InputPlace{InputPlace::Counts::lines, line}, text, expected, found});
  };
  const std::vector<std::string_view> lines = lines_of(source.bytes);
  struct Directory {
    std::array<std::string_view, 2> lines;
    std::uint64_t number;
  };
  std::vector<Directory> directory;
  std::vector<std::string_view> data;
  std::string global;
  std::size_t flags = 0, compressed_first = 0;
  bool compressed = false;
  for (std::size_t i = 0; i < lines.size(); ++i) {
    std::string_view line = lines[i];
    if (line.size() > 72 && line[72] == 'C' && flags == 0 && global.empty()) {
      compressed = true;
      continue;
    }
    if (compressed && !global.empty() && line.starts_with('D')) {
      compressed_first = i;
      break;
    }
    if (line.size() < 73) {
      if (trimmed(line).empty()) continue;
      if (flags == 0)
        fail(InputProblem::syntax, i + 1,
             "a record of " + std::to_string(line.size()) + " characters; IGES records have 80",
             "80 characters", std::to_string(line.size()));
      continue;
    }
    switch (line[72]) {
      case 'S':
        ++flags;
        break;
      case 'G':
        global += line.substr(0, 72);
        break;
      case 'D': {
        if (directory.empty() || !directory.back().lines[1].empty()) {
          // Numbers that are left out are those that would stand there.
          const auto number = static_cast<std::uint64_t>(std::max(
              0LL, whole(line.substr(73), static_cast<long long>(2 * directory.size() + 1))));
          directory.push_back({{line, {}}, number});
        } else {
          directory.back().lines[1] = line;
        }
        break;
      }
      case 'P':
        parameters_[static_cast<std::uint64_t>(whole(line.substr(64, 8)))] += line.substr(0, 64);
        data.push_back(line.substr(0, 64));
        break;
      default:
        break;
    }
  }
  if (flags == 0 && !compressed && global.empty()) {
    fail(InputProblem::syntax, 1, "the file has no start and no global section", "an IGES file",
         "something else");
  }
  read_global(global);
  const auto [delimiter, terminator] = delimiters_of(global);
  if (compressed) {
    read_compressed(std::span(lines).subspan(std::min(compressed_first, lines.size())));
  } else {
    for (const Directory& d : directory) {
      if (d.lines[1].empty())
        fail(InputProblem::truncated, lines.size(), "the last directory entry has one line of two",
             "two lines", "one");
      entities_.push_back(fixed_entity(d.number, d.lines));
      // Parameter lines name their entry, and it the first of them: one of the two will do.
      if (parameters_.contains(d.number)) continue;
      const long long first = whole(d.lines[0].substr(8, 8)),
                      count = whole(d.lines[1].substr(24, 8));
      for (long long i = first; i >= 1 && i < first + std::min(count, 1000000LL) &&
                                i <= static_cast<long long>(data.size());
           ++i) {
        parameters_[d.number] += data[static_cast<std::size_t>(i - 1)];
      }
    }
  }
  if (entities_.empty())
    fail(InputProblem::truncated, lines.size(), "there is no directory section",
         "directory entries", "none");
  for (IgesEntity& e : entities_) {
    const auto at = parameters_.find(e.number);
    if (at == parameters_.end()) continue;
    e.values = split_values(at->second, delimiter, terminator);
    if (!e.values.empty()) e.values.erase(e.values.begin());
  }
  for (std::size_t i = 0; i < entities_.size(); ++i) at_.try_emplace(entities_[i].number, i);
}

// Directory entries as changes against the one before, parameter data right behind each.
void IgesFile::read_compressed(std::span<const std::string_view> lines) {
  std::array<std::string, 20> fields;
  for (std::size_t i = 0; i < lines.size(); ++i) {
    std::string_view line = lines[i];
    if (!line.starts_with('D')) continue;
    std::string entry(line);
    while (entry.find(';') == std::string::npos && i + 1 < lines.size())
      entry += std::string(lines[++i]);
    const std::size_t at = entry.find('@');
    const auto number = static_cast<std::uint64_t>(
        whole(std::string_view(entry).substr(1, at == std::string::npos ? 9 : at - 1)));
    for (std::size_t k = at; k != std::string::npos && k < entry.size() && entry[k] == '@';) {
      const std::size_t underscore = entry.find('_', k);
      if (underscore == std::string::npos) break;
      const auto field = static_cast<std::size_t>(
          whole(std::string_view(entry).substr(k + 1, underscore - k - 1)));
      std::size_t end = entry.find_first_of("@;", underscore);
      if (end == std::string::npos) end = entry.size();
      if (field >= 1 && field <= 20)
        fields[field - 1] = entry.substr(underscore + 1, end - underscore - 1);
      k = end;
    }
    std::string text;
    while (i + 1 < lines.size() && !lines[i + 1].starts_with('D') &&
           !(lines[i + 1].size() > 72 && lines[i + 1][72] == 'T')) {
      text += lines[++i];
    }
    IgesEntity e;
    e.number = number;
    e.type = static_cast<int>(whole(fields[0]));
    e.matrix = static_cast<std::uint64_t>(std::max(0LL, whole(fields[6])));
    e.color = static_cast<int>(whole(fields[12]));
    e.level = static_cast<int>(whole(fields[4]));
    e.form = static_cast<int>(whole(fields[14]));
    e.label = std::string(trimmed(fields[17]));
    std::string status = fields[8];
    while (status.size() < 8) status.insert(status.begin(), '0');
    e.is_blank = status.substr(0, 2) == "01";
    e.is_dependent = status[3] == '1' || status[3] == '3';
    parameters_[number] = text;
    entities_.push_back(std::move(e));
  }
}

void IgesFile::read_global(const std::string& text) {
  const auto [delimiter, terminator] = delimiters_of(text);
  const auto v = split_values(text, delimiter, terminator);
  const auto number = [&](std::size_t i, double otherwise) {
    if (i >= v.size() || v[i].empty()) return otherwise;
    std::string t(v[i]);
    for (char& c : t) {
      if (c == 'D' || c == 'd') c = 'E';
    }
    double x = otherwise;
    const char* first = t.data() + (t.starts_with('+') ? 1 : 0);
    std::from_chars(first, t.data() + t.size(), x);
    return x;
  };
  global_.scale = number(12, 1);
  if (!(global_.scale > 0)) global_.scale = 1;
  global_.resolution = std::max(0.0, number(18, 0));
  constexpr std::array<double, 12> kMetres = {0, 0.0254, 1e-3,    0,    0.3048, 1609.344,
                                              1, 1000,   2.54e-5, 1e-6, 1e-2,   2.54e-8};
  const int flag = static_cast<int>(number(13, 0));
  if (flag >= 1 && flag <= 11 && flag != 3) {
    global_.metres = kMetres[static_cast<std::size_t>(flag)];
    global_.has_unit = true;
  }
  if (flag == 3 || flag == 0) {
    // By name.
    const std::string name = v.size() > 14 ? counted_text(v[14]) : std::string();
    for (const auto& [word, metres] : {std::pair<std::string_view, double>{"MM", 1e-3},
                                       {"IN", 0.0254},
                                       {"INCH", 0.0254},
                                       {"M", 1},
                                       {"CM", 1e-2},
                                       {"FT", 0.3048},
                                       {"MI", 1609.344},
                                       {"KM", 1000},
                                       {"MIL", 2.54e-5},
                                       {"UM", 1e-6},
                                       {"UIN", 2.54e-8}}) {
      if (name == word) {
        global_.metres = metres;
        global_.has_unit = true;
      }
    }
  }
}

const IgesEntity& IgesFile::entity(std::uint64_t number, std::uint64_t asked_by) const {
  const auto at = at_.find(number);
  if (at == at_.end()) {
    throw IgesError(asked_by,
                    "names D" + std::to_string(number) + ", which the file does not have");
  }
  return entities_[at->second];
}

std::vector<std::uint64_t> made_of(const IgesEntity& entity) {
  const IgesValues v(entity);
  std::vector<std::uint64_t> parts;
  const auto add = [&](std::size_t i) {
    if (const std::uint64_t part = v.pointer(i); part != 0) parts.push_back(part);
  };
  const auto add_each = [&](std::size_t count_at, std::size_t first, std::size_t stride) {
    for (std::size_t i = 0, n = v.size(count_at); i < n; ++i) add(first + stride * i);
  };
  switch (entity.type) {
    case 102:
    case 184:
      add_each(0, 1, 1);
      break;
    case 118:
    case 120:
      add(0);
      add(1);
      break;
    case 122:
    case 130:
    case 144:
    case 430:
    case 510:
      add(0);
      break;
    case 143:
      add(1);
      break;
    case 108:
    case 140:
      add(4);
      break;
    case 142:
      add(2);
      add(3);
      break;
    case 141:
      for (std::size_t i = 0, at = 4, n = v.size(3); i < n; ++i, at += 3 + v.size(at + 2)) {
        add(at);
        add_each(at + 2, at + 3, 1);
      }
      break;
    case 186:
      add(0);
      add_each(2, 3, 2);
      break;
    case 308:
      add_each(2, 3, 1);
      break;
    case 504:
      add_each(0, 1, 5);
      break;
    case 508:
      for (std::size_t i = 0, at = 1, n = v.size(0); i < n; ++i, at += 5 + 2 * v.size(at + 4))
        add_each(at + 4, at + 6, 2);
      break;
    case 514:
      add_each(0, 1, 2);
      break;
    default:
      break;
  }
  return parts;
}

double IgesValues::number(std::size_t i, std::optional<double> otherwise) const {
  if (i >= count() || entity_.values[i].empty()) {
    if (otherwise) return *otherwise;
    throw IgesError(entity_.number, "value " + std::to_string(i + 1) + " is missing");
  }
  std::array<char, 64> buffer{};
  const std::string_view v = entity_.values[i];
  const std::size_t n = std::min(v.size(), buffer.size() - 1);
  std::size_t length = 0;
  for (std::size_t k = 0; k < n; ++k) {
    if (k == 0 && v[k] == '+') continue;
    buffer[length++] = v[k] == 'D' || v[k] == 'd' ? 'E' : v[k];
  }
  double x = 0;
  const auto [end, error] = std::from_chars(buffer.data(), buffer.data() + length, x);
  if (error == std::errc::result_out_of_range) return 0;
  if (error != std::errc() || !std::isfinite(x)) {
    throw IgesError(entity_.number, "expected a number as value " + std::to_string(i + 1) +
                                        "; found '" + std::string(v) + "'");
  }
  return x;
}
int IgesValues::integer(std::size_t i, std::optional<int> otherwise) const {
  const double x = number(i, otherwise ? std::optional<double>(*otherwise) : std::nullopt);
  if (x != std::floor(x) || std::fabs(x) > 1e9) {
    throw IgesError(entity_.number, "expected a whole number as value " + std::to_string(i + 1));
  }
  return static_cast<int>(x);
}
std::uint64_t IgesValues::pointer(std::size_t i) const {
  return static_cast<std::uint64_t>(std::abs(integer(i, 0)));
}
std::size_t IgesValues::size(std::size_t i) const {
  const int n = integer(i);
  if (n < 0 || static_cast<std::size_t>(n) > count()) {
    throw IgesError(entity_.number, std::to_string(n) + " are declared; only " +
                                        std::to_string(count()) + " values are there");
  }
  return static_cast<std::size_t>(n);
}

}  // namespace aguja::detail
