#include "aguja/formats/profile.h"

#include "formats/toml_reader.h"

namespace aguja {
namespace {

class ProfileReader : TomlReader {
 public:
  ProfileReader(std::string name, LengthUnit unit) : TomlReader(std::move(name), unit) {}

  Profile read(std::string_view text) {
    const toml::table root = parse(text);
    const auto* format = root.get("format");
    // Of a plan only the waivers are asked here.
    const bool is_plan = format != nullptr && word(*format) == "aguja-plan";
    if (is_plan) {
      expect_keys(root, {"format", "version", "input", "tolerance", "steps", "waivers"});
    } else {
      expect_keys(root, {"format", "version", "element_size", "tolerance", "parts_apart", "intent",
                         "intents", "limits", "severities", "waivers"});
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
    if (const auto* node = root.get("parts_apart")) {
      const auto value = node->value_exact<bool>();
      if (!value) fail(node->source(), "parts_apart is true or false", "true or false", "");
      profile_.parts_apart = *value;
    }
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
      for (const toml::node& one : *list) profile_.waivers.push_back(waiver(one));
    }
    return std::move(profile_);
  }

 private:
  Intent intent(const toml::node& node) const {
    const std::string text = word(node);
    const auto known = parse_intent(text);
    if (!known) unknown(node.source(), "the intent", text, {"solid", "sheet"});
    return *known;
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
  Profile profile_;
};

}  // namespace

Profile parse_profile(std::string_view text, LengthUnit unit, const std::string& name) {
  return ProfileReader(name, unit).read(text);
}

Profile read_profile(const std::filesystem::path& file, LengthUnit unit) {
  return parse_profile(text_of_file(file, "profile"), unit, file.string());
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
  text += "# Are parts judged each by itself, whatever lies between them?\n";
  text += profile.parts_apart ? "parts_apart = true\n" : "#parts_apart = false\n";
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
