#include "aguja/formats/format.h"

#include <algorithm>
#include <array>
#include <string>
#include <vector>

#include "formats/stl_layout.h"
#include "formats/text.h"

namespace aguja {
namespace {

constexpr FormatHolds kOfSurfaces = {.parts = true,
                                     .patches = true,
                                     .colours = true,
                                     .unit = true,
                                     .doubles = true,
                                     .surfaces = true};

constexpr std::array<FormatInfo, 8> kFormats = {{
    {Format::stl, "stl", "stl", "STL", FormatUse::model, true, {.parts = true}},
    {Format::obj,
     "obj",
     "obj",
     "OBJ",
     FormatUse::model,
     false,
     {.parts = true, .patches = true, .lines = true, .doubles = true}},
    {Format::ply,
     "ply",
     "ply",
     "PLY",
     FormatUse::model,
     true,
     {.colours = true, .lines = true, .doubles = true}},
    {Format::off,
     "off",
     "off",
     "OFF",
     FormatUse::model,
     false,
     {.colours = true, .lines = true, .doubles = true}},
    {Format::step, "step", "step stp p21", "STEP", FormatUse::surface, false, kOfSurfaces},
    {Format::iges, "iges", "iges igs", "IGES", FormatUse::surface, false, kOfSurfaces},
    {Format::vtp,
     "vtp",
     "vtp",
     "VTK XML PolyData",
     FormatUse::view,
     false,
     {.parts = true, .patches = true, .colours = true, .unit = true, .doubles = true}},
    {Format::glb,
     "glb",
     "glb",
     "binary glTF",
     FormatUse::view,
     false,
     {.parts = true, .colours = true, .unit = true}},
}};

constexpr std::array<Format, 4> kMeshFormats = {Format::stl, Format::obj, Format::ply, Format::off};

template <class Wanted>
std::string listed(std::string_view last, const Wanted& wanted) {
  std::vector<std::string_view> slugs;
  for (const FormatInfo& f : kFormats) {
    if (wanted(f)) slugs.push_back(f.slug);
  }
  std::string text;
  for (std::size_t i = 0; i < slugs.size(); ++i) {
    if (i > 0 && i + 1 == slugs.size() && !last.empty()) {
      text += " " + std::string(last) + " ";
    } else if (i > 0) {
      text += ", ";
    }
    text += slugs[i];
  }
  return text;
}

bool starts_with_ignoring_case(std::string_view text, std::string_view lower_case) {
  return detail::equals_ignoring_case(text.substr(0, lower_case.size()), lower_case);
}

// Comment lines aside.
std::string_view first_word(std::string_view text) {
  const Source nameless{"", text};
  detail::TextCursor cursor(nameless);
  for (cursor.skip_space(); !cursor.at_end() && *cursor.at() == '#'; cursor.skip_space()) {
    cursor.skip_line();
  }
  return cursor.word();
}

bool looks_like_step(std::string_view bytes) {
  if (bytes.starts_with("\xEF\xBB\xBF")) bytes.remove_prefix(3);
  const std::size_t start = bytes.substr(0, 4096).find_first_not_of(" \t\r\n");
  if (start == std::string_view::npos) return false;
  bytes.remove_prefix(start);
  if (bytes.starts_with("/*")) {
    const std::size_t end = bytes.substr(0, 65536).find("*/");
    if (end == std::string_view::npos) return false;
    bytes.remove_prefix(end + 2);
    bytes.remove_prefix(std::min(bytes.size(), bytes.find_first_not_of(" \t\r\n")));
  }
  return bytes.starts_with("ISO-10303-21");
}

// Records of 80 characters that begin with the start section, or the flag of the compressed form.
bool looks_like_iges(std::string_view bytes) {
  if (bytes.size() < 80) return false;
  const std::size_t end = bytes.find_first_of("\r\n");
  const std::size_t length = end == std::string_view::npos ? bytes.size() : end;
  if (length < 73 || (end != std::string_view::npos && length > 82)) return false;
  if (bytes[72] != 'S' && bytes[72] != 'C') return false;
  const std::string_view number = bytes.substr(73, 7);
  return number.find_first_not_of(" 0123456789") == std::string_view::npos &&
         number.find_first_of("0123456789") != std::string_view::npos;
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
  constexpr std::array<std::string_view, 8> kTelling = {"v", "vn", "vt",     "f",
                                                        "o", "g",  "mtllib", "usemtl"};
  constexpr std::array<std::string_view, 9> kOthers = {"vp",     "l",      "p",   "s",  "usemap",
                                                       "maplib", "cstype", "deg", "lod"};
  const auto is_one_of = [](std::string_view word, const auto& words) {
    return std::find(words.begin(), words.end(), word) != words.end();
  };
  Source nameless{"", bytes.substr(0, std::size_t{1} << 16)};
  detail::TextCursor cursor(nameless);
  int known = 0;
  bool continues = false;
  for (int line = 0; line < 200 && known < 20; ++line) {
    cursor.skip_space();
    if (cursor.at_end()) break;
    const std::string_view word = cursor.word();
    const bool continues_before = continues;
    continues = cursor.rest_of_line().ends_with('\\');
    if (continues_before || word.starts_with('#') || is_one_of(word, kOthers)) continue;
    if (!is_one_of(word, kTelling)) return false;
    ++known;
  }
  return known > 0;
}

}  // namespace

std::span<const FormatInfo> format_table() { return kFormats; }
const FormatInfo& info(Format format) { return kFormats.at(static_cast<std::size_t>(format)); }
std::span<const Format> all_formats() { return kMeshFormats; }
std::string_view slug(Format format) { return info(format).slug; }

std::string formats_read(std::string_view last) {
  return listed(last, [](const FormatInfo& f) { return f.is_read(); });
}
std::string formats_written(std::string_view last) {
  return listed(last, [](const FormatInfo& f) { return f.is_written(); });
}

std::optional<Format> format_of_name(std::string_view name) {
  const std::size_t dot = name.rfind('.');
  if (dot != std::string_view::npos) name.remove_prefix(dot + 1);
  for (const FormatInfo& f : kFormats) {
    for (std::string_view rest = f.extensions; !rest.empty();) {
      const std::string_view one = rest.substr(0, rest.find(' '));
      if (detail::equals_ignoring_case(name, one)) return f.format;
      rest.remove_prefix(std::min(rest.size(), one.size() + 1));
    }
  }
  return std::nullopt;
}

std::optional<Format> format_of_content(std::string_view bytes) {
  if (detail::is_whole_binary_stl(bytes)) return Format::stl;
  if (looks_like_step(bytes)) return Format::step;
  if (looks_like_iges(bytes)) return Format::iges;
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
