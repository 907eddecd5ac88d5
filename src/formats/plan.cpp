#include "aguja/formats/plan.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "formats/toml_reader.h"

namespace aguja {
namespace {

class PlanReader : TomlReader {
 public:
  PlanReader(std::string name, LengthUnit unit, std::span<const Remedy> more_remedies)
      : TomlReader(std::move(name), unit), more_remedies_(more_remedies) {}

  Plan read(std::string_view text) {
    const toml::table root = parse(text);
    expect_keys(root, {"format", "version", "input", "tolerance", "steps", "waivers"});
    const auto* format = root.get("format");
    if (format == nullptr || word(*format) != "aguja-plan") {
      fail(format == nullptr ? root.source() : format->source(),
           "a plan begins with format = \"aguja-plan\"", "aguja-plan", "");
    }
    if (const auto* version = root.get("version"); version != nullptr && number(*version) != 1) {
      fail(version->source(), "only version 1 is known", "1", "");
    }
    if (const auto* node = root.get("input")) input(*node);
    if (const auto* node = root.get("tolerance")) plan_.tolerance = length(*node, false);
    for (const toml::node* one : tables(root, "steps")) step(*one);
    for (const toml::node* one : tables(root, "waivers")) plan_.waivers.push_back(waiver(*one));
    return std::move(plan_);
  }

 private:
  [[nodiscard]] std::vector<const toml::node*> tables(const toml::table& root,
                                                      const std::string& key) const {
    std::vector<const toml::node*> all;
    const auto* node = root.get(key);
    if (node == nullptr) return all;
    const auto* list = node->as_array();
    if (list == nullptr) fail(node->source(), key + " are tables: [[" + key + "]]", "an array", "");
    for (const toml::node& one : *list) all.push_back(&one);
    return all;
  }

  void input(const toml::node& node) {
    const auto* table = node.as_table();
    if (table == nullptr) fail(node.source(), "input is a table", "a table", "");
    expect_keys(*table, {"file", "digest"});
    if (const auto* file = table->get("file")) plan_.file = word(*file);
    if (const auto* digest = table->get("digest")) plan_.digest = word(*digest);
  }

  static constexpr std::string_view kStepKeys[] = {
      "step",   "remedy", "on",      "id",  "ids",       "kind", "kinds",  "part", "near",
      "within", "patch",  "patches", "box", "triangles", "but",  "budget", "why",  "how"};

  void step(const toml::node& node) {
    const auto* table = node.as_table();
    if (table == nullptr) fail(node.source(), "a step is a table", "a table", "");
    Step s;
    const auto* remedy = table->get("remedy");
    if (remedy == nullptr) fail(node.source(), "a step needs a remedy", "remedy", "");
    const auto known = parse_remedy(word(*remedy), more_remedies_);
    if (!known) {
      Words words;
      for (const std::span<const Remedy> some : {all_remedies(), more_remedies_}) {
        for (const Remedy r : some) words.push_back(slug(r));
      }
      unknown(remedy->source(), "the remedy", word(*remedy), words);
    }
    s.remedy = *known;
    Words keys(std::begin(kStepKeys), std::end(kStepKeys));
    for (const SettingInfo& setting : info(*known).settings) keys.push_back(setting.key);
    expect_keys(*table, keys);
    s.number = number_of(*table);
    if (const auto* on = table->get("on")) s.on = flag(*on);
    if (const auto* why = table->get("why")) s.why = word(*why);
    if (const auto* how = table->get("how")) s.method = word(*how);
    if (const auto* budget = table->get("budget")) s.budget = length(*budget, false);
    select(*table, s.selection);
    for (const SettingInfo& setting : info(*known).settings) {
      if (const auto* value = table->get(setting.key)) {
        s.settings[std::string(setting.key)] = setting_value(setting, *value);
      }
    }
    plan_.steps.push_back(std::move(s));
  }

  std::size_t number_of(const toml::table& table) {
    const auto* node = table.get("step");
    const double wanted = node == nullptr ? static_cast<double>(last_ + 1) : number(*node);
    if (!(wanted >= 1 && wanted <= 1e6) || wanted != std::floor(wanted)) {
      fail(node == nullptr ? table.source() : node->source(), "step is a whole number from 1",
           "a number", "");
    }
    const auto count = static_cast<std::size_t>(wanted);
    if (!numbers_.insert(count).second) {
      fail(node == nullptr ? table.source() : node->source(),
           "there are two steps " + std::to_string(count), "another number", "");
    }
    last_ = std::max(last_, count);
    return count;
  }
  bool flag(const toml::node& node) const {
    const auto value = node.value_exact<bool>();
    if (!value) fail(node.source(), "expected true or false", "true or false", "");
    return *value;
  }
  // Numbers are words, too: patches are known by them.
  std::vector<std::string> words_of(const toml::node& node) const {
    if (node.is_string()) return {word(node)};
    if (const auto* number = node.as_integer()) return {std::to_string(number->get())};
    const auto* list = node.as_array();
    if (list == nullptr) fail(node.source(), "expected texts in brackets", "an array", "");
    std::vector<std::string> all;
    for (const toml::node& one : *list) {
      const auto* number = one.as_integer();
      all.push_back(number != nullptr ? std::to_string(number->get()) : word(one));
    }
    return all;
  }
  // Lengths in threes, each bare or with a unit.
  std::vector<double> numbers(const toml::node& node) const {
    const auto* list = node.as_array();
    if (list == nullptr || list->empty()) {
      fail(node.source(), "expected numbers in brackets", "an array", "");
    }
    std::vector<double> all;
    for (const toml::node& one : *list) {
      if (one.is_array()) {
        const std::vector<double> more = numbers(one);
        all.insert(all.end(), more.begin(), more.end());
      } else {
        all.push_back(coordinate(one));
      }
    }
    return all;
  }

  void select(const toml::table& table, Selection& s) const {
    for (const char* key : {"id", "ids"}) {
      if (const auto* node = table.get(key)) s.ids = words_of(*node);
    }
    for (const char* key : {"kind", "kinds"}) {
      const auto* node = table.get(key);
      if (node == nullptr) continue;
      for (const std::string& text : words_of(*node)) s.kinds.push_back(kind(text, node->source()));
    }
    for (const char* key : {"patch", "patches"}) {
      if (const auto* node = table.get(key)) s.patches = words_of(*node);
    }
    if (const auto* node = table.get("part")) s.part = word(*node);
    if (const auto* node = table.get("but")) {
      for (const std::string& clause : words_of(*node)) {
        parsed(*node, [&] { return add_clause(s, "but:" + clause, unit_), true; });
      }
    }
    if (const auto* node = table.get("near")) s.near = point(*node, "near");
    if (const auto* node = table.get("within")) s.within = length(*node, false);
    if (const auto* node = table.get("box")) {
      const std::vector<double> v = numbers(*node);
      if (v.size() != 6) fail(node->source(), "box is two corners", "six numbers", "");
      Box box;
      box.extend(Point(v[0], v[1], v[2]));
      box.extend(Point(v[3], v[4], v[5]));
      s.box = box;
    }
    if (const auto* node = table.get("triangles")) {
      try {
        for (const std::string& text : words_of(*node)) {
          add_clause(s, "triangles:" + text, unit_);
        }
      } catch (const ArgumentError& error) {
        fail(node->source(), error.what(), "", "");
      }
    }
  }

  Setting setting_value(const SettingInfo& setting, const toml::node& node) const {
    switch (setting.type) {
      case SettingType::flag:
        return flag(node);
      case SettingType::number:
        return number(node);
      case SettingType::length:
        return length(node, false);
      case SettingType::word:
        return word(node);
      case SettingType::point:
      case SettingType::points:
        break;
    }
    std::vector<double> values = numbers(node);
    const bool one = setting.type == SettingType::point;
    if (values.size() % 3 != 0 || (one && values.size() != 3)) {
      fail(node.source(), std::string(setting.key) + (one ? " is a point" : " are points"),
           "numbers in threes", "");
    }
    return values;
  }

  std::span<const Remedy> more_remedies_;
  Plan plan_;
  std::size_t last_ = 0;
  std::set<std::size_t> numbers_;
};

class PlanWriter {
 public:
  explicit PlanWriter(LengthUnit unit) : unit_(symbol(unit)) {}

  std::string write(const Plan& plan) {
    text_ =
        "# What `aguja mend` does, step by step. Change, remove or add steps; `on = false` leaves\n"
        "# one out. Lengths without a unit are in the model's (" +
        unit_ +
        ").\n"
        "format = \"aguja-plan\"\nversion = 1\n";
    text_ += "# Nothing moves farther, over all steps together.\n";
    text_ += "tolerance = " + length(plan.tolerance) + "\n";
    if (!plan.file.empty() || !plan.digest.empty()) {
      text_ += "\n[input]\n";
      if (!plan.file.empty()) text_ += "file = " + toml_string(plan.file) + "\n";
      if (!plan.digest.empty()) text_ += "digest = " + toml_string(plan.digest) + "\n";
    }
    for (const Step& s : plan.steps) step(s);
    for (const Waiver& w : plan.waivers) waiver(w);
    return std::move(text_);
  }

 private:
  [[nodiscard]] std::string length(double value) const {
    return "\"" + shortest(value) + " " + unit_ + "\"";
  }
  static std::string point(const Point& p) {
    return "[" + shortest(p.x()) + ", " + shortest(p.y()) + ", " + shortest(p.z()) + "]";
  }
  void line(std::string_view key, const std::string& value) {
    text_ += std::string(key) + " = " + value + "\n";
  }
  template <class List, class Text>
  void list(const char* one, const char* many, const List& values, const Text& text) {
    if (values.empty()) return;
    if (values.size() == 1) {
      line(one, toml_string(text(*values.begin())));
      return;
    }
    std::string all;
    for (const auto& v : values) all += (all.empty() ? "" : ", ") + toml_string(text(v));
    line(many, "[" + all + "]");
  }

  void step(const Step& s) {
    text_ += "\n[[steps]]\n";
    line("step", std::to_string(s.number));
    line("remedy", toml_string(slug(s.remedy)));
    if (!s.on) text_ += "on = false  # a proposal\n";
    const Selection& sel = s.selection;
    const auto same = [](const std::string& t) { return std::string_view(t); };
    list("id", "ids", sel.ids, same);
    list("kind", "kinds", sel.kinds, [](FindingKind k) { return slug(k); });
    list("patch", "patches", sel.patches, same);
    if (!sel.part.empty()) line("part", toml_string(sel.part));
    if (sel.near) line("near", point(*sel.near));
    if (sel.near && sel.within > 0) line("within", length(sel.within));
    if (sel.box) line("box", "[" + point(sel.box->low) + ", " + point(sel.box->high) + "]");
    std::vector<std::string> ranges;
    for (const auto& [first, last] : sel.triangles) {
      ranges.push_back(std::to_string(first) + "-" + std::to_string(last));
    }
    list("triangles", "triangles", ranges, same);
    list("but", "but", but_clauses(sel), same);
    for (const SettingInfo& setting : info(s.remedy).settings) {
      const auto at = s.settings.find(std::string(setting.key));
      if (at != s.settings.end()) line(setting.key, value(setting, at->second));
    }
    if (s.budget) line("budget", length(*s.budget));
    if (!s.method.empty()) line("how", toml_string(s.method));
    if (!s.why.empty()) line("why", toml_string(s.why));
  }

  [[nodiscard]] std::string value(const SettingInfo& setting, const Setting& v) const {
    if (const bool* b = std::get_if<bool>(&v)) return *b ? "true" : "false";
    if (const auto* word = std::get_if<std::string>(&v)) return toml_string(*word);
    if (const double* x = std::get_if<double>(&v)) {
      return setting.type == SettingType::length ? length(*x) : shortest(*x);
    }
    const auto& numbers = std::get<std::vector<double>>(v);
    std::string all;
    for (std::size_t i = 0; i + 2 < numbers.size(); i += 3) {
      all += (all.empty() ? "" : ", ") + point({numbers[i], numbers[i + 1], numbers[i + 2]});
    }
    return setting.type == SettingType::point ? all : "[" + all + "]";
  }

  void waiver(const Waiver& w) {
    text_ += "\n[[waivers]]\n";
    if (!w.id.empty()) line("id", toml_string(w.id));
    if (w.kind) line("kind", toml_string(slug(*w.kind)));
    if (!w.part.empty()) line("part", toml_string(w.part));
    if (w.near) {
      line("near", point(*w.near));
      line("within", length(w.within));
    }
    line("reason", toml_string(w.reason));
  }

  std::string unit_;
  std::string text_;
};

}  // namespace

Plan parse_plan(std::string_view text, LengthUnit unit, const std::string& name,
                std::span<const Remedy> more_remedies) {
  return PlanReader(name, unit, more_remedies).read(text);
}

Plan read_plan(const std::filesystem::path& file, LengthUnit unit) {
  return parse_plan(text_of_file(file, "plan"), unit, file.string());
}

std::string plan_text(const Plan& plan, LengthUnit unit) { return PlanWriter(unit).write(plan); }

}  // namespace aguja
