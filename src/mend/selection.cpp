#include "aguja/mend/selection.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <limits>
#include <set>

#include "aguja/base/error.h"
#include "aguja/geometry/distance.h"

namespace aguja {
namespace {

std::vector<std::string> split(const std::string& text, char at) {
  std::vector<std::string> fields(1);
  for (const char c : text) {
    if (c == at) {
      fields.emplace_back();
    } else {
      fields.back() += c;
    }
  }
  return fields;
}

std::vector<double> lengths(const std::string& text, std::size_t count, LengthUnit unit,
                            const char* what) {
  const auto fields = split(text, ',');
  if (fields.size() != count) {
    throw ArgumentError(std::string(what) + ": expected " + std::to_string(count) +
                        " lengths separated by commas; got '" + text + "'");
  }
  std::vector<double> values;
  for (const std::string& f : fields) values.push_back(parse_length(f, unit));
  return values;
}

std::uint32_t whole_number(const std::string& text) {
  std::uint32_t value = 0;
  const auto result = std::from_chars(text.data(), text.data() + text.size(), value);
  if (result.ec != std::errc() || result.ptr != text.data() + text.size()) {
    throw ArgumentError("triangles: expected ranges such as 5-9,12; got '" + text + "'");
  }
  return value;
}

// Ids look like their kind and eight hexadecimal digits.
bool is_id(const std::string& text) {
  return std::any_of(all_kinds().begin(), all_kinds().end(), [&](const KindInfo& k) {
    const std::string start = std::string(k.slug) + "-";
    return text.size() >= start.size() + 8 && text.starts_with(start) &&
           text.substr(start.size(), 8).find_first_not_of("0123456789abcdef") == std::string::npos;
  });
}

FindingKind known_kind(const std::string& word) {
  if (const auto kind = parse_finding_kind(word)) return *kind;
  std::vector<std::string_view> words;
  for (const KindInfo& k : all_kinds()) words.push_back(k.slug);
  throw ArgumentError("the kind '" + word + "' is not known; the nearest is '" +
                      std::string(nearest_word(word, words)) + "'");
}

using Ranges = std::vector<std::pair<std::uint32_t, std::uint32_t>>;

void add_ranges(const std::string& text, Ranges& ranges) {
  for (const std::string& range : split(text, ',')) {
    const auto ends = split(range, '-');
    const std::uint32_t first = whole_number(ends[0]);
    const std::uint32_t last = ends.size() == 2 ? whole_number(ends[1]) : first;
    if (ends.size() > 2 || last < first) {
      throw ArgumentError("triangles: expected ranges such as 5-9,12; got '" + range + "'");
    }
    ranges.emplace_back(first, last);
  }
}

Box box_clause(const std::string& text, LengthUnit unit) {
  const auto v = lengths(text, 6, unit, "box");
  Box box;
  box.extend(Point(v[0], v[1], v[2]));
  box.extend(Point(v[3], v[4], v[5]));
  return box;
}

void leave_out_clause(Selection& s, const std::string& clause, LengthUnit unit) {
  const std::size_t colon = clause.find(':');
  const std::string key = colon == std::string::npos ? "" : clause.substr(0, colon);
  const std::string value = colon == std::string::npos ? clause : clause.substr(colon + 1);
  if (key == "box") {
    s.but_boxes.push_back(box_clause(value, unit));
  } else if (key == "triangles") {
    add_ranges(value, s.but_triangles);
  } else if (key == "part") {
    s.but_parts.push_back(value);
  } else if (key == "kind") {
    s.but.emplace_back(slug(known_kind(value)));
  } else if (key == "patch" || key == "id") {
    s.but.push_back(value);
  } else {
    s.but.push_back(clause);
  }
}

std::string text_of_point(const Point& p) {
  std::string text;
  for (int axis = 0; axis < 3; ++axis) {
    char digits[32];
    const auto end = std::to_chars(digits, digits + sizeof(digits), p[axis]).ptr;
    text.append(axis > 0 ? "," : "").append(digits, end);
  }
  return text;
}
std::string text_of_box(const Box& box) {
  return "box:" + text_of_point(box.low) + "," + text_of_point(box.high);
}
std::string text_of_range(const std::pair<std::uint32_t, std::uint32_t>& range) {
  return "triangles:" + std::to_string(range.first) + "-" + std::to_string(range.second);
}

bool is_left_out(const Selection& s, const Finding& f) {
  return std::any_of(s.but.begin(), s.but.end(),
                     [&](const std::string& but) { return but == f.id || but == slug(f.kind); });
}

bool lies_in_any(std::span<const Box> boxes, const Point& p) {
  return std::any_of(boxes.begin(), boxes.end(), [&](const Box& box) { return box.contains(p); });
}

// By patch of the part: is it one of these, by number, name, or part and name?
std::vector<bool> named_patches(const std::vector<std::string>& wanted, const Part& part) {
  if (wanted.empty()) return {};
  const std::set<std::string> words(wanted.begin(), wanted.end());
  std::vector<bool> named(patch_count(part.placed()));
  for (std::size_t patch = 0; patch < named.size(); ++patch) {
    const std::string name =
        patch < part.patch_names().size() ? part.patch_names()[patch] : std::string();
    named[patch] =
        words.contains(std::to_string(patch)) ||
        (!name.empty() && (words.contains(name) || words.contains(part.name + "/" + name)));
  }
  return named;
}

// By patch of the part: has it a triangle?
std::vector<bool> used_patches(const Part& part) {
  std::vector<bool> used(patch_count(part.placed()));
  for (const PatchId p : part.mesh().patch_of) used[p.value] = true;
  return used;
}

}  // namespace

bool Selection::is_empty() const {
  return part.empty() && ids.empty() && kinds.empty() && !near && !box && patches.empty() &&
         triangles.empty();
}

void add_clause(Selection& selection, const std::string& clause, LengthUnit unit) {
  const std::size_t colon = clause.find(':');
  const std::string key = colon == std::string::npos ? "" : clause.substr(0, colon);
  const std::string value = colon == std::string::npos ? clause : clause.substr(colon + 1);
  if (key.empty()) {
    if (const auto kind = parse_finding_kind(clause)) {
      selection.kinds.push_back(*kind);
    } else if (is_id(clause)) {
      selection.ids.push_back(clause);
    } else {
      throw ArgumentError("'" + clause +
                          "' is no id of a finding and no kind; others are selected by kind:, "
                          "patch:, part:, triangles:, box:, near: or but:");
    }
  } else if (key == "id") {
    selection.ids.push_back(value);
  } else if (key == "kind") {
    selection.kinds.push_back(known_kind(value));
  } else if (key == "patch") {
    selection.patches.push_back(value);
  } else if (key == "part") {
    selection.part = value;
  } else if (key == "but") {
    leave_out_clause(selection, value, unit);
  } else if (key == "triangles") {
    add_ranges(value, selection.triangles);
  } else if (key == "box") {
    selection.box = box_clause(value, unit);
  } else if (key == "near") {
    const auto v = lengths(value, 3, unit, "near");
    selection.near = Point(v[0], v[1], v[2]);
  } else {
    constexpr std::string_view kKeys[] = {"id",  "kind",      "patch", "part",
                                          "but", "triangles", "box",   "near"};
    throw ArgumentError("'" + key + ":' selects nothing; the nearest is '" +
                        nearest_word(key, kKeys) + ":'");
  }
}

std::string text_of(const Selection& s) {
  std::string text;
  const auto say = [&](const std::string& word) { text += (text.empty() ? "" : " ") + word; };
  if (!s.part.empty()) say("part:" + s.part);
  for (const std::string& id : s.ids) say(id);
  for (const FindingKind k : s.kinds) say("kind:" + std::string(slug(k)));
  for (const std::string& p : s.patches) say("patch:" + p);
  for (const auto& range : s.triangles) say(text_of_range(range));
  if (s.box) say(text_of_box(*s.box));
  if (s.near) say("near:" + text_of_point(*s.near));
  for (const std::string& clause : but_clauses(s)) say("but:" + clause);
  return text;
}

std::vector<std::string> but_clauses(const Selection& s) {
  std::vector<std::string> clauses = s.but;
  for (const std::string& part : s.but_parts) clauses.push_back("part:" + part);
  for (const auto& range : s.but_triangles) clauses.push_back(text_of_range(range));
  for (const Box& box : s.but_boxes) clauses.push_back(text_of_box(box));
  return clauses;
}

std::vector<std::size_t> select_findings(const Selection& s, std::span<const Finding> findings) {
  std::vector<std::size_t> found;
  if (!s.names_findings() && !s.near && !s.box) return found;
  const std::set<std::string_view> ids(s.ids.begin(), s.ids.end());
  double nearest = std::numeric_limits<double>::infinity();
  for (std::size_t i = 0; i < findings.size(); ++i) {
    const Finding& f = findings[i];
    if (!s.part.empty() && !is_about(f, s.part)) continue;
    const bool by_id = ids.contains(f.id);
    const bool by_kind = std::find(s.kinds.begin(), s.kinds.end(), f.kind) != s.kinds.end();
    if (s.names_findings() && !by_id && !by_kind) continue;
    // An id is one finding wherever it lies.
    if (!by_id && s.box && !s.box->contains(f.place)) continue;
    if (is_left_out(s, f) || lies_in_any(s.but_boxes, f.place) ||
        std::find(s.but_parts.begin(), s.but_parts.end(), f.part) != s.but_parts.end()) {
      continue;
    }
    if (s.near && !by_id) {
      const double d = (f.place - *s.near).norm();
      if ((s.within > 0 && d > s.within) || d >= nearest) continue;
      nearest = d;
      std::erase_if(found, [&](std::size_t k) { return !ids.contains(findings[k].id); });
    }
    found.push_back(i);
  }
  return found;
}

std::vector<std::string> missing_ids(const Selection& s, std::span<const Finding> findings) {
  std::set<std::string_view> left(s.ids.begin(), s.ids.end());
  for (const Finding& f : findings) {
    if (left.empty()) break;
    left.erase(f.id);
  }
  std::vector<std::string> missing;
  for (const std::string& id : s.ids) {
    if (left.contains(id)) missing.push_back(id);
  }
  return missing;
}

std::vector<std::string> missing_but_ids(const Selection& s, std::span<const Finding> findings) {
  Selection ids;
  for (const std::string& word : s.but) {
    if (is_id(word)) ids.ids.push_back(word);
  }
  return missing_ids(ids, findings);
}

namespace {

TriangleCorners corners_of(const Mesh& mesh, TriangleId id) {
  const Triangle& t = mesh.triangle(id);
  return {mesh.point(t[0]), mesh.point(t[1]), mesh.point(t[2])};
}

// The triangle nearest to a point, over all parts; no part if there is none.
std::pair<std::size_t, TriangleId> nearest_triangle(const Model& model, const Selection& s) {
  double nearest = std::numeric_limits<double>::infinity();
  std::pair<std::size_t, TriangleId> found{model.parts.size(), {0}};
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    if (!s.part.empty() && model.parts[p].name != s.part) continue;
    const Mesh& mesh = model.parts[p].mesh();
    for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
      const auto [a, b, c] = corners_of(mesh, {t});
      const double d = (closest_point(*s.near, a, b, c) - *s.near).norm();
      if (d >= nearest || (s.within > 0 && d > s.within)) continue;
      nearest = d;
      found = {p, {t}};
    }
  }
  return found;
}

void check_names(const Model& model, const Selection& s) {
  std::vector<std::string> wanted_patches = s.patches;
  for (const std::string& word : s.but) {
    if (!parse_finding_kind(word) && !is_id(word)) wanted_patches.push_back(word);
  }
  if (s.part.empty() && s.but_parts.empty() && wanted_patches.empty()) return;
  const auto list = [](const std::set<std::string>& names) {
    std::string text;
    std::size_t count = 0;
    for (const std::string& n : names) {
      if (++count > 12) break;
      text += (text.empty() ? "" : ", ") + n;
    }
    return count > 12 ? text + ", ..." : text;
  };
  std::set<std::string> parts, patches;
  for (const Part& part : model.parts) {
    parts.insert(part.name);
    for (const std::string& name : part.patch_names()) patches.insert(name);
  }
  std::vector<std::string> wanted_parts = s.but_parts;
  if (!s.part.empty()) wanted_parts.push_back(s.part);
  for (const std::string& part : wanted_parts) {
    if (parts.contains(part)) continue;
    throw ArgumentError("there is no part '" + part + "'; there are: " + list(parts));
  }
  std::vector<std::vector<bool>> used;
  if (!wanted_patches.empty()) {
    for (const Part& part : model.parts) used.push_back(used_patches(part));
  }
  for (const std::string& wanted : wanted_patches) {
    bool there = false;
    for (std::size_t p = 0; p < model.parts.size() && !there; ++p) {
      const std::vector<bool> named = named_patches({wanted}, model.parts[p]);
      for (std::size_t k = 0; k < named.size(); ++k) there |= named[k] && used[p][k];
    }
    if (!there) {
      throw ArgumentError(
          "there is no patch '" + wanted + "'" +
          (patches.empty() ? "; the model names none" : "; there are: " + list(patches)));
    }
  }
}

// To lists by part.
void add_triangles(const Finding& f, std::vector<std::vector<TriangleId>>& of_part) {
  for (const std::size_t part : parts_of(f)) {
    const auto own = triangles_in(f, part);
    of_part[part].insert(of_part[part].end(), own.begin(), own.end());
  }
}

// From rising lists by part, what a selection is not about.
void leave_out(const Model& model, std::span<const Finding> findings, const Selection& s,
               std::vector<std::vector<TriangleId>>& wanted) {
  std::vector<std::vector<TriangleId>> out(model.parts.size());
  for (const Finding& f : findings) {
    if (is_left_out(s, f)) add_triangles(f, out);
  }
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    std::sort(out[p].begin(), out[p].end());
    const Part& part = model.parts[p];
    const std::vector<bool> patches = named_patches(s.but, part);
    const bool has_patches = !part.mesh().patch_of.empty();
    if (std::find(s.but_parts.begin(), s.but_parts.end(), part.name) != s.but_parts.end()) {
      wanted[p].clear();
    }
    const auto in_box = [&](TriangleId t) {
      const TriangleCorners corners = corners_of(part.mesh(), t);
      return std::any_of(s.but_boxes.begin(), s.but_boxes.end(), [&](const Box& box) {
        return std::all_of(corners.begin(), corners.end(),
                           [&](const Point& c) { return box.contains(c); });
      });
    };
    std::erase_if(wanted[p], [&](TriangleId t) {
      return std::binary_search(out[p].begin(), out[p].end(), t) ||
             (has_patches && !patches.empty() && patches[part.mesh().patch_of[t.value].value]) ||
             std::any_of(s.but_triangles.begin(), s.but_triangles.end(),
                         [&](const auto& range) {
                           return range.first <= t.value && t.value <= range.second;
                         }) ||
             in_box(t);
    });
  }
}

}  // namespace

std::vector<std::vector<TriangleId>> select_triangles(const Model& model,
                                                      std::span<const Finding> findings,
                                                      const Selection& s) {
  check_names(model, s);
  // A few of millions, often: what is selected is listed, not marked.
  std::vector<std::vector<TriangleId>> wanted(model.parts.size());
  const bool by_patch = !s.patches.empty(), by_range = !s.triangles.empty();
  if (s.names_findings()) {
    for (const std::size_t i : select_findings(s, findings)) add_triangles(findings[i], wanted);
  }
  const bool only_place = !s.names_findings() && !by_patch && !by_range;
  const bool all_there = only_place && !s.near && (s.box || !s.part.empty() || s.leaves_out());
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    const Part& part = model.parts[p];
    if (!by_patch && !by_range && !all_there) break;
    if (!s.part.empty() && part.name != s.part) continue;
    const std::vector<bool> named = named_patches(s.patches, part);
    for (std::uint32_t t = 0; t < part.mesh().triangles.size(); ++t) {
      const PatchId patch = part.mesh().patch_of.empty() ? PatchId{0} : part.mesh().patch_of[t];
      bool is_wanted = all_there || (by_patch && named[patch.value]);
      for (const auto& [first, last] : s.triangles) is_wanted |= first <= t && t <= last;
      if (is_wanted && s.box) {
        for (const Point& c : corners_of(part.mesh(), {t})) is_wanted &= s.box->contains(c);
      }
      if (is_wanted) wanted[p].push_back({t});
    }
  }
  if (only_place && s.near) {
    if (const auto [p, t] = nearest_triangle(model, s); p < model.parts.size()) {
      // The whole patch, where there are patches.
      const Mesh& mesh = model.parts[p].mesh();
      for (std::uint32_t k = 0; k < mesh.triangles.size(); ++k) {
        const bool same = !mesh.patch_of.empty() && mesh.patch_of[k] == mesh.patch_of[t.value];
        if (same || k == t.value) wanted[p].push_back({k});
      }
    }
  }
  for (std::vector<TriangleId>& own : wanted) {
    std::sort(own.begin(), own.end());
    own.erase(std::unique(own.begin(), own.end()), own.end());
  }
  if (s.leaves_out()) leave_out(model, findings, s, wanted);
  return wanted;
}

Model only_triangles(const Model& model, const std::vector<std::vector<TriangleId>>& triangles) {
  Model out;
  out.unit = model.unit;
  out.unit_assumed = model.unit_assumed;
  out.header = model.header;
  out.notes = model.notes;
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    if (triangles[p].empty()) continue;
    const Part& part = model.parts[p];
    out.parts.emplace_back(part.name, only_triangles(part.placed(), triangles[p]));
  }
  return out;
}

Model findings_as_patches(const Model& model, std::span<const Finding> findings) {
  Model out = model;
  for (std::size_t p = 0; p < out.parts.size(); ++p) {
    PartDraft part(std::move(out.parts[p]));
    std::uint32_t next = 0;
    for (const PatchId patch : part.mesh.patch_of) next = std::max(next, patch.value + 1);
    if (part.mesh.patch_of.empty()) {
      part.mesh.patch_of.assign(part.mesh.triangles.size(), PatchId{0});
      part.patch_names = {"sound"};
      next = 1;
    }
    part.patch_names.resize(next);
    std::vector<bool> taken(part.mesh.triangles.size());
    for (const Finding& f : findings) {
      bool any = false;
      for (const TriangleId t : triangles_in(f, p)) {
        if (taken[t.value]) continue;
        taken[t.value] = any = true;
        part.mesh.patch_of[t.value] = {next};
      }
      if (!any) continue;
      part.patch_names.push_back(f.id);
      ++next;
    }
    out.parts[p] = std::move(part);
  }
  return out;
}

}  // namespace aguja
