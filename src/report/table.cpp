#include "aguja/report/table.h"

#include <algorithm>

namespace aguja {
namespace {

// Bytes that begin a character in UTF-8.
bool begins_character(char c) { return (static_cast<unsigned char>(c) & 0xC0u) != 0x80u; }

std::size_t width_of(std::string_view text) {
  return static_cast<std::size_t>(std::count_if(text.begin(), text.end(), begins_character));
}

std::string cut(std::string_view text, std::size_t width) {
  if (width_of(text) <= width) return std::string(text);
  std::size_t seen = 0;
  std::size_t at = 0;
  for (; at < text.size(); ++at) {
    if (begins_character(text[at]) && seen++ + 1 >= std::max<std::size_t>(width, 1)) break;
  }
  return std::string(text.substr(0, at)) + "…";
}

}  // namespace

std::string TextTable::text(std::size_t width) const {
  if (rows_.empty()) return {};
  std::vector<std::size_t> widths;
  for (const Column& c : columns_) widths.push_back(width_of(c.head));
  for (const auto& row : rows_) {
    for (std::size_t c = 0; c < columns_.size(); ++c) {
      widths[c] = std::max(widths[c], width_of(row[c]));
    }
  }
  std::size_t before_last = 2;
  for (std::size_t c = 0; c + 1 < widths.size(); ++c) before_last += widths[c] + 2;
  constexpr std::size_t kLeastLast = 8;
  widths.back() =
      std::min(widths.back(), std::max(kLeastLast, width - std::min(width, before_last)));

  // Words of the last column go on below, where it is wide enough to read them so.
  constexpr std::size_t kLeastWrapped = 20;
  const std::size_t last = columns_.size() - 1;
  const bool wraps = columns_[last].align == Align::left && widths[last] >= kLeastWrapped;

  std::string out;
  const auto line = [&](const auto& cell) {
    std::string text = "  ";
    for (std::size_t c = 0; c < columns_.size(); ++c) {
      const std::string shown = cut(cell(c), widths[c]);
      const std::string fill(widths[c] - std::min(widths[c], width_of(shown)), ' ');
      text += columns_[c].align == Align::left ? shown + fill : fill + shown;
      text += "  ";
    }
    out += text.substr(0, text.find_last_not_of(' ') + 1) + "\n";
  };
  line([&](std::size_t c) -> std::string_view { return columns_[c].head; });
  for (const auto& row : rows_) {
    if (!wraps || width_of(row[last]) <= widths[last]) {
      line([&](std::size_t c) -> std::string_view { return row[c]; });
      continue;
    }
    std::string rest = wrapped(row[last], widths[last], 0);
    for (bool first = true; !rest.empty(); first = false) {
      const std::size_t end = rest.find('\n');
      line([&](std::size_t c) -> std::string_view {
        return c == last ? std::string_view(rest).substr(0, end)
               : first   ? row[c]
                         : std::string_view();
      });
      rest.erase(0, end + 1);
    }
  }
  return out;
}

std::string wrapped(std::string_view text, std::size_t width, std::size_t indent) {
  std::string out;
  std::string line;
  const auto flush = [&] {
    out += std::string(indent, ' ') + line + "\n";
    line.clear();
  };
  while (!text.empty()) {
    const std::size_t end = std::min(text.find(' '), text.size());
    const std::string_view word = text.substr(0, end);
    text.remove_prefix(std::min(end + 1, text.size()));
    if (!line.empty() && indent + width_of(line) + 1 + width_of(word) > width) flush();
    if (!line.empty()) line += ' ';
    line += word;
  }
  if (!line.empty()) flush();
  return out;
}

std::string grouped(std::size_t number) {
  std::string digits = std::to_string(number);
  for (std::size_t at = digits.size(); at > 3; at -= 3) digits.insert(at - 3, " ");
  return digits;
}

}  // namespace aguja
