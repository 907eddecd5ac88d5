#include "aguja/formats/profile.h"

#include <algorithm>
#include <fstream>
#include <sstream>

#define TOML_EXCEPTIONS 1
// Its assertions fire on text ("[=") that it reports as wrong right after.
#define TOML_ASSERT(expression) static_cast<void>(0)
#include <toml++/toml.h>

#include "aguja/base/error.h"

namespace aguja {
namespace {

using Words = std::vector<std::string_view>;

class Reader {
 public:
  Reader(std::string name, LengthUnit unit) : name_(std::move(name)), unit_(unit) {}

  Profile read(std::string_view text) {
    refuse_odd_characters(text);
    toml::table root;
    try {
      root = toml::parse(text, name_);
    } catch (const toml::parse_error& error) {
      fail(error.source(), std::string(error.description()), "TOML", "");
    }
    const auto* format = root.get("format");
    // Of a plan only the waivers are asked here.
    const bool is_plan = format != nullptr && word(*format) == "aguja-plan";
    if (is_plan) {
      expect_keys(root, {"format", "version", "input", "steps", "waivers"});
    } else {
      expect_keys(root, {"format", "version", "element_size", "tolerance", "intent", "intents",
                         "limits", "severities", "waivers"});
    }
    if (!is_plan && (format == nullptr || word(*format) != "aguja-profile")) {
      fail(format == nullptr ? root.source() : format->source(),
           "a profile begins with format = \"aguja-profile\"", "aguja-profile", "");
    }
    if (const auto* version = root.get("version"); version != nullptr && number(*version) != 1) {
      fail(version->source(), "only version 1 is known", "1", "");
    }
    if (const auto* node = root.get("element_size")) profile_.element_size = length(*node, true);
    if (const auto* node = root.get("tolerance")) profile_.tolerance = length(*node, false);
    if (const auto* node = root.get("intent")) profile_.intent = intent(*node);
    for_each(root, "intents", [&](const std::string& part, const toml::node& node) {
      profile_.intents[part] = intent(node);
    });
    for_each(root, "limits",
             [&](const std::string& key, const toml::node& node) { limit(key, node); });
    for_each(root, "severities",
             [&](const std::string& key, const toml::node& node) { severity(key, node); });
    if (const auto* node = root.get("waivers")) {
      const auto* list = node->as_array();
      if (list == nullptr) fail(node->source(), "waivers are tables: [[waivers]]", "an array", "");
      for (const toml::node& one : *list) waiver(one);
    }
    return std::move(profile_);
  }

 private:
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
        for (const std::string_view quote : {"\"\"\"", "'''", "\"", "'"}) {
          if (!ends.empty() || !rest.starts_with(quote)) continue;
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
  Intent intent(const toml::node& node) const {
    const std::string text = word(node);
    const auto known = parse_intent(text);
    if (!known) unknown(node.source(), "the intent", text, {"solid", "sheet"});
    return *known;
  }
  template <class Each>
  void for_each(const toml::table& root, std::string_view key, const Each& each) const {
    const auto* node = root.get(key);
    if (node == nullptr) return;
    const auto* table = node->as_table();
    if (table == nullptr) fail(node->source(), std::string(key) + " is a table", "a table", "");
    for (const auto& [name, value] : *table) each(std::string(name.str()), value);
  }
  void limit(const std::string& key, const toml::node& node) {
    Words known;
    for (const LimitInfo& l : all_limits()) {
      known.push_back(l.slug);
      if (l.slug != key) continue;
      profile_.limits[l.limit] =
          parsed(node, [&] { return parse_limit(l.limit, quantity(node), unit_); });
      return;
    }
    unknown(node.source(), "the limit", key, known);
  }
  FindingKind kind(const std::string& text, const toml::source_region& at) const {
    if (const auto known = parse_finding_kind(text)) return *known;
    Words words;
    for (const KindInfo& k : all_kinds()) words.push_back(k.slug);
    unknown(at, "the kind", text, words);
  }
  void severity(const std::string& key, const toml::node& node) {
    const FindingKind of = kind(key, node.source());
    const std::string text = word(node);
    if (text == "off") {
      profile_.skipped.insert(of);
    } else if (const auto known = parse_severity(text)) {
      profile_.severities[of] = *known;
    } else {
      unknown(node.source(), "the severity", text, {"error", "warning", "note", "off"});
    }
  }
  void waiver(const toml::node& node) {
    const auto* table = node.as_table();
    if (table == nullptr) fail(node.source(), "a waiver is a table", "a table", "");
    expect_keys(*table, {"id", "kind", "part", "near", "within", "reason"});
    Waiver w;
    if (const auto* id = table->get("id")) w.id = word(*id);
    if (const auto* k = table->get("kind")) w.kind = kind(word(*k), k->source());
    if (const auto* part = table->get("part")) w.part = word(*part);
    if (const auto* reason = table->get("reason")) w.reason = word(*reason);
    if (const auto* near = table->get("near")) {
      const auto* p = near->as_array();
      if (p == nullptr || p->size() != 3) {
        fail(near->source(), "near is a point: [x, y, z]", "three numbers", "");
      }
      w.near = Point(number(*p->get(0)), number(*p->get(1)), number(*p->get(2)));
      const auto* within = table->get("within");
      if (within == nullptr) fail(near->source(), "near needs within, a length", "within", "");
      w.within = length(*within, false);
    }
    if (w.reason.empty()) fail(node.source(), "a waiver needs a reason", "reason", "");
    if (w.id.empty() && !w.kind) {
      fail(node.source(), "a waiver needs the id of a finding, or a kind", "id or kind", "");
    }
    profile_.waivers.push_back(std::move(w));
  }

  std::string name_;
  LengthUnit unit_;
  Profile profile_;
};

std::string toml_string(std::string_view text) {
  std::ostringstream out;
  out << toml::value<std::string>(std::string(text));
  return out.str();
}

}  // namespace

Profile parse_profile(std::string_view text, LengthUnit unit, const std::string& name) {
  return Reader(name, unit).read(text);
}

Profile read_profile(const std::filesystem::path& file, LengthUnit unit) {
  std::ifstream in(file, std::ios::binary);
  std::ostringstream text;
  if (in) text << in.rdbuf();
  if (!in || text.fail()) {
    throw InputError({.problem = InputProblem::not_readable,
                      .file = file.string(),
                      .place = {},
                      .text = "the profile cannot be read",
                      .expected = "a TOML file",
                      .found = ""});
  }
  return parse_profile(text.str(), unit, file.string());
}

std::string profile_text(const Profile& profile, LengthUnit unit) {
  const std::string u(symbol(unit));
  std::string text =
      "# What `aguja inspect` holds a model against. Lines that begin with # are defaults.\n"
      "format = \"aguja-profile\"\nversion = 1\n\n";
  text += "# Size of the elements that the model will be meshed with.\n";
  text += profile.element_size
              ? "element_size = \"" + shortest(*profile.element_size) + " " + u + "\"\n"
              : "#element_size = \"2 " + u + "\"\n";
  text += "# What counts as a crack; if left out, what the widths found propose.\n";
  text += profile.tolerance ? "tolerance = \"" + shortest(*profile.tolerance) + " " + u + "\"\n"
                            : "#tolerance = \"0.01 " + u + "\"\n";
  text += "# What parts are meant to be: solid, or sheet (open, without thickness).\n";
  text += std::string(profile.intent == Intent::solid ? "#" : "") +
          "intent = " + toml_string(slug(profile.intent)) + "\n";
  if (!profile.intents.empty()) {
    text += "\n[intents]\n";
    for (const auto& [part, intent] : profile.intents) {
      text += toml_string(part) + " = " + toml_string(slug(intent)) + "\n";
    }
  }
  text += "\n[limits]\n";
  for (const LimitInfo& l : all_limits()) {
    text += "# " + std::string(l.what) + "\n";
    text += "#   default " + text_of(l.standard);
    if (l.with_element_size) {
      text += ", with an element size " + text_of(*l.with_element_size);
    }
    text += ": " + std::string(l.why) + "\n";
    const LimitValue value = profile.value(l.limit);
    if (!profile.limits.contains(l.limit)) text += "#";
    text +=
        std::string(l.slug) + " = " +
        (value.basis == LimitBasis::number ? shortest(value.value) : toml_string(text_of(value))) +
        "\n";
  }
  text += "\n# error, warning, note, or off: not looked for\n[severities]\n";
  for (const KindInfo& k : all_kinds()) {
    const bool off = profile.skipped.contains(k.kind);
    if (!off && !profile.severities.contains(k.kind)) text += "#";
    text += std::string(k.slug) + " = " +
            toml_string(off ? "off" : slug(profile.severity(k.kind))) + "\n";
  }
  text +=
      "\n# Findings to be left as they are: by id, or by kind (and part, and place).\n"
      "#[[waivers]]\n#kind = \"opening\"\n#near = [0, 0, 0]\n#within = \"1 " +
      u + "\"\n#reason = \"inlet, closed by the adapter\"\n";
  for (const Waiver& w : profile.waivers) {
    text += "\n[[waivers]]\n";
    if (!w.id.empty()) text += "id = " + toml_string(w.id) + "\n";
    if (w.kind) text += "kind = " + toml_string(slug(*w.kind)) + "\n";
    if (!w.part.empty()) text += "part = " + toml_string(w.part) + "\n";
    if (w.near) {
      text += "near = [" + shortest(w.near->x()) + ", " + shortest(w.near->y()) + ", " +
              shortest(w.near->z()) + "]\nwithin = \"" + shortest(w.within) + " " + u + "\"\n";
    }
    text += "reason = " + toml_string(w.reason) + "\n";
  }
  return text;
}

}  // namespace aguja
