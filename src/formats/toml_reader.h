#pragma once
// What readers of TOML files share: errors with lines, units, nearest words.

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>
#include <string_view>
#include <vector>

#define TOML_EXCEPTIONS 1
// Its assertions fire on text ("[=") that it reports as wrong right after.
#define TOML_ASSERT(expression) static_cast<void>(0)
#include <toml++/toml.h>

#include "aguja/base/error.h"
#include "aguja/inspect/profile.h"

namespace aguja {

class TomlReader {
 public:
  using Words = std::vector<std::string_view>;

 protected:
  TomlReader(std::string name, LengthUnit unit) : name_(std::move(name)), unit_(unit) {}

  toml::table parse(std::string_view text) const {
    refuse_odd_characters(text);
    try {
      return toml::parse(text, name_);
    } catch (const toml::parse_error& error) {
      fail(error.source(), std::string(error.description()), "TOML", "");
    }
  }
  // TOML has no control characters, and letters beyond ASCII in strings and comments only; the
  // parser does not look everywhere, and goes astray on them.
  void refuse_odd_characters(std::string_view text) const {
    std::size_t line = 1;
    std::string_view ends;  // what ends the string or comment that we are in
    for (std::size_t i = 0; i < text.size(); ++i) {
      const char c = text[i];
      const auto code = static_cast<unsigned char>(c);
      const bool control = (code < 32 || code == 127) && c != '\t' && c != '\n' && c != '\r';
      if (control || (code > 127 && ends.empty())) {
        throw InputError({.problem = InputProblem::syntax,
                          .file = name_,
                          .place = InputPlace{InputPlace::Counts::lines, line},
                          .text = control ? "a control character" : "a letter outside of quotes",
                          .expected = "TOML",
                          .found = "byte " + std::to_string(code)});
      }
      if (c == '\n') ++line;
      const std::string_view rest = text.substr(i);
      if (ends.empty()) {
        // Elsewhere the parser takes a quote for a part of a wrong word.
        const bool may_open =
            i == 0 || std::string_view(" \t\r\n=[{,.").find(text[i - 1]) != std::string_view::npos;
        for (const std::string_view quote : {"\"\"\"", "'''", "\"", "'"}) {
          if (!may_open || !ends.empty() || !rest.starts_with(quote)) continue;
          ends = quote;
          i += quote.size() - 1;
        }
        if (c == '#') ends = "\n";
      } else if (c == '\\' && ends[0] == '"') {
        ++i;
      } else if (rest.starts_with(ends) || (c == '\n' && ends.size() == 1)) {
        i += ends.size() - 1;
        ends = {};
      }
    }
  }

  [[noreturn]] void fail(const toml::source_region& at, const std::string& text,
                         const std::string& expected, const std::string& found) const {
    throw InputError({.problem = InputProblem::syntax,
                      .file = name_,
                      .place = InputPlace{InputPlace::Counts::lines, at.begin.line},
                      .text = text,
                      .expected = expected,
                      .found = found});
  }
  [[noreturn]] void unknown(const toml::source_region& at, std::string_view what,
                            std::string_view found, const Words& known) const {
    const std::string nearest = nearest_word(found, known);
    fail(at,
         std::string(what) + " '" + std::string(found) + "' is not known; the nearest is '" +
             nearest + "'",
         nearest, std::string(found));
  }

  void expect_keys(const toml::table& table, const Words& known) const {
    for (const auto& [key, node] : table) {
      if (std::find(known.begin(), known.end(), key.str()) == known.end()) {
        unknown(key.source(), "the key", key.str(), known);
      }
    }
  }
  std::string word(const toml::node& node) const {
    const auto* text = node.as_string();
    if (text == nullptr) fail(node.source(), "expected a text in quotes", "a string", "");
    return text->get();
  }
  double number(const toml::node& node) const {
    const auto value = node.value<double>();
    if (!value) fail(node.source(), "expected a number", "a number", "");
    return *value;
  }
  // A quantity may be a bare number or a text with a unit.
  std::string quantity(const toml::node& node) const {
    return node.is_number() ? shortest(number(node)) : word(node);
  }
  template <class Parse>
  auto parsed(const toml::node& node, const Parse& parse) const {
    try {
      return parse();
    } catch (const ArgumentError& error) {
      fail(node.source(), error.what(), "", "");
    }
  }
  double length(const toml::node& node, bool positive) const {
    std::string text = quantity(node);
    std::erase(text, ' ');
    const double value = parsed(node, [&] { return parse_length(text, unit_); });
    if (value < 0 || (positive && value == 0)) {
      fail(node.source(), "expected a length above 0", "a length", text);
    }
    return value;
  }
  // Bare or with a unit, on either side of the origin.
  double coordinate(const toml::node& node) const {
    std::string text = quantity(node);
    std::erase(text, ' ');
    return parsed(node, [&] { return parse_length(text, unit_); });
  }
  Point point(const toml::node& node, std::string_view key) const {
    const auto* p = node.as_array();
    if (p == nullptr || p->size() != 3) {
      fail(node.source(), std::string(key) + " is a point: [x, y, z]", "three numbers", "");
    }
    return {coordinate(*p->get(0)), coordinate(*p->get(1)), coordinate(*p->get(2))};
  }
  template <class Each>
  void for_each(const toml::table& root, std::string_view key, const Each& each) const {
    const auto* node = root.get(key);
    if (node == nullptr) return;
    const auto* table = node->as_table();
    if (table == nullptr) fail(node->source(), std::string(key) + " is a table", "a table", "");
    for (const auto& [name, value] : *table) each(std::string(name.str()), value);
  }
  FindingKind kind(const std::string& text, const toml::source_region& at) const {
    if (const auto known = parse_finding_kind(text)) return *known;
    Words words;
    for (const KindInfo& k : all_kinds()) words.push_back(k.slug);
    unknown(at, "the kind", text, words);
  }
  Waiver waiver(const toml::node& node) const {
    const auto* table = node.as_table();
    if (table == nullptr) fail(node.source(), "a waiver is a table", "a table", "");
    expect_keys(*table, {"id", "kind", "part", "near", "within", "reason"});
    Waiver w;
    if (const auto* id = table->get("id")) w.id = word(*id);
    if (const auto* k = table->get("kind")) w.kind = kind(word(*k), k->source());
    if (const auto* part = table->get("part")) w.part = word(*part);
    if (const auto* reason = table->get("reason")) w.reason = word(*reason);
    if (const auto* near = table->get("near")) {
      w.near = point(*near, "near");
      const auto* within = table->get("within");
      if (within == nullptr) fail(near->source(), "near needs within, a length", "within", "");
      w.within = length(*within, false);
    }
    if (w.reason.empty()) fail(node.source(), "a waiver needs a reason", "reason", "");
    if (w.id.empty() && !w.kind) {
      fail(node.source(), "a waiver needs the id of a finding, or a kind", "id or kind", "");
    }
    return w;
  }

  std::string name_;
  LengthUnit unit_;
};

/// The whole of a text file. Errors: InputError that calls it `what`.
[[nodiscard]] inline std::string text_of_file(const std::filesystem::path& file,
                                              const std::string& what) {
  std::ifstream in(file, std::ios::binary);
  std::ostringstream text;
  if (in) text << in.rdbuf();
  if (!in || text.fail()) {
    throw InputError({.problem = InputProblem::not_readable,
                      .file = file.string(),
                      .place = {},
                      .text = "the " + what + " cannot be read",
                      .expected = "a TOML file",
                      .found = ""});
  }
  return text.str();
}

/// In quotes, as TOML writes it.
[[nodiscard]] inline std::string toml_string(std::string_view text) {
  std::ostringstream out;
  out << toml::value<std::string>(std::string(text));
  return out.str();
}

}  // namespace aguja
