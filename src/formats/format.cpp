#include "aguja/formats/format.h"

#include <algorithm>
#include <array>
#include <string>
#include <vector>

#include "aguja/formats/read.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/formats/write.h"
#include "formats/stl_layout.h"
#include "formats/text.h"

namespace aguja {
namespace {

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

bool looks_like_stl(std::string_view bytes) {
  return detail::is_whole_binary_stl(bytes) ||
         (starts_with_ignoring_case(first_word(bytes.substr(0, 4096)), "solid") &&
          detail::looks_like_ascii_stl(bytes));
}
bool looks_like_ply(std::string_view bytes) { return first_word(bytes.substr(0, 4096)) == "ply"; }
bool looks_like_off(std::string_view bytes) {
  return is_off_keyword(first_word(bytes.substr(0, 4096)));
}

constexpr FormatHolds kOfSurfaces = {.parts = true,
                                     .patches = true,
                                     .colours = true,
                                     .unit = true,
                                     .doubles = true,
                                     .surfaces = true};

// Content that several of them could be is that of the first.
constexpr std::array<FormatInfo, 8> kFormats = {{
    {.format = Format::stl,
     .slug = "stl",
     .extensions = "stl",
     .name = "STL",
     .known_by = "its length (binary), or `solid` and `facet` or `endsolid` (text)",
     .written_as = "binary, rounded to float and said so, or `--text`",
     .holds = {.parts = true},
     .looks_like = looks_like_stl,
     .read = read_stl,
     .read_surfaces = nullptr,
     .write = write_stl},
    {.format = Format::obj,
     .slug = "obj",
     .extensions = "obj",
     .name = "OBJ",
     .known_by = "the first words of its lines",
     .written_as = "text",
     .holds = {.parts = true, .patches = true, .lines = true, .doubles = true},
     .looks_like = looks_like_obj,
     .read = read_obj,
     .read_surfaces = nullptr,
     .write = write_obj},
    {.format = Format::ply,
     .slug = "ply",
     .extensions = "ply",
     .name = "PLY",
     .known_by = "`ply`",
     .written_as = "binary, or `--text`",
     .holds = {.colours = true, .lines = true, .doubles = true},
     .looks_like = looks_like_ply,
     .read = read_ply,
     .read_surfaces = nullptr,
     .write = write_ply},
    {.format = Format::off,
     .slug = "off",
     .extensions = "off",
     .name = "OFF",
     .known_by = "`OFF`, with or without its prefixes",
     .written_as = "text",
     .holds = {.colours = true, .lines = true, .doubles = true},
     .looks_like = looks_like_off,
     .read = read_off,
     .read_surfaces = nullptr,
     .write = write_off},
    {.format = Format::step,
     .slug = "step",
     .extensions = "step stp p21",
     .name = "STEP",
     .known_by = "`ISO-10303-21`",
     .written_as =
         "surfaces as they were read (AP214); meshes as faceted bodies, or `--tessellated` "
         "(AP242)",
     .holds = kOfSurfaces,
     .looks_like = looks_like_step,
     .read = nullptr,
     .read_surfaces = read_step,
     .write = write_step},
    {.format = Format::iges,
     .slug = "iges",
     .extensions = "iges igs",
     .name = "IGES",
     .known_by = "records of 80 characters with their section and number",
     .written_as = {},
     .holds = kOfSurfaces,
     .looks_like = looks_like_iges,
     .read = nullptr,
     .read_surfaces = read_iges,
     .write = nullptr},
    {.format = Format::vtp,
     .slug = "vtp",
     .extensions = "vtp",
     .name = "VTK XML PolyData",
     .known_by = {},
     .written_as = "by `show`, and by `compare --fields`",
     .holds = {.parts = true, .patches = true, .colours = true, .unit = true, .doubles = true},
     .looks_like = nullptr,
     .read = nullptr,
     .read_surfaces = nullptr,
     .write = nullptr},
    {.format = Format::glb,
     .slug = "glb",
     .extensions = "glb",
     .name = "binary glTF",
     .known_by = {},
     .written_as = "by `show`",
     .holds = {.parts = true, .colours = true, .unit = true},
     .looks_like = nullptr,
     .read = nullptr,
     .read_surfaces = nullptr,
     .write = nullptr},
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
  for (const FormatInfo& f : kFormats) {
    if (f.looks_like != nullptr && f.looks_like(bytes)) return f.format;
  }
  return std::nullopt;
}

}  // namespace aguja
