#include "aguja/formats/format.h"

#include <algorithm>
#include <array>

#include "formats/stl_layout.h"
#include "formats/text.h"

namespace aguja {
namespace {

constexpr std::array<Format, 4> kFormats = {Format::stl, Format::obj, Format::ply, Format::off};

bool starts_with_ignoring_case(std::string_view text, std::string_view lower_case) {
  return detail::equals_ignoring_case(text.substr(0, lower_case.size()), lower_case);
}

std::string_view first_word(std::string_view text) {
  const auto begin = std::find_if_not(text.begin(), text.end(), detail::is_space);
  const auto end = std::find_if(begin, text.end(), detail::is_space);
  return {begin, end};
}

// OFF, or with any of the prefixes ST, C, N, 4, n in this order.
bool is_off_keyword(std::string_view word) {
  if (!word.ends_with("OFF")) return false;
  word.remove_suffix(3);
  for (const std::string_view prefix : {"ST", "C", "N", "4", "n"}) {
    if (word.starts_with(prefix)) word.remove_prefix(prefix.size());
  }
  return word.empty();
}

// Comments aside, does every one of the first lines begin with a word that OBJ files know?
bool looks_like_obj(std::string_view bytes) {
  constexpr std::array<std::string_view, 17> kWords = {
      "v", "vn", "vt", "vp", "f", "l", "p", "o", "g", "s", "mtllib", "usemtl", "usemap", "maplib",
      "cstype", "deg", "lod"};
  Source nameless{"", bytes.substr(0, std::size_t{1} << 16)};
  detail::TextCursor cursor(nameless);
  int known = 0;
  for (int line = 0; line < 200 && known < 20; ++line) {
    cursor.skip_space();
    if (cursor.at_end()) break;
    const std::string_view word = cursor.word();
    cursor.skip_line();
    if (word.starts_with('#')) continue;
    if (std::find(kWords.begin(), kWords.end(), word) == kWords.end()) return false;
    ++known;
  }
  return known > 0;
}

}  // namespace

std::span<const Format> all_formats() { return kFormats; }

std::string_view slug(Format format) {
  constexpr std::array<std::string_view, 4> kSlugs = {"stl", "obj", "ply", "off"};
  return kSlugs.at(static_cast<std::size_t>(format));
}

std::optional<Format> format_of_name(std::string_view name) {
  const std::size_t dot = name.rfind('.');
  if (dot != std::string_view::npos) name.remove_prefix(dot + 1);
  for (const Format f : kFormats) {
    if (detail::equals_ignoring_case(name, slug(f))) return f;
  }
  return std::nullopt;
}

std::optional<Format> format_of_content(std::string_view bytes) {
  if (detail::is_whole_binary_stl(bytes)) return Format::stl;
  const std::string_view word = first_word(bytes.substr(0, 4096));
  if (word == "ply") return Format::ply;
  if (is_off_keyword(word)) return Format::off;
  if (starts_with_ignoring_case(word, "solid") && detail::looks_like_ascii_stl(bytes)) {
    return Format::stl;
  }
  if (looks_like_obj(bytes)) return Format::obj;
  return std::nullopt;
}

}  // namespace aguja
