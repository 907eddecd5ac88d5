#include "aguja/report/mend_report.h"
#include "base/numbers.h"

#include <map>
#include <numbers>

#include <fmt/format.h>

#include "report/json_parts.h"
#include "report/text_parts.h"

namespace aguja {
namespace {

Json refused_json(std::span<const Refusal> refused) {
  Json list = Json::array();
  for (const Refusal& r : refused) {
    list.push_back(
        {{"reason", slug(r.reason)}, {"place", point_json(r.place)}, {"detail", r.detail}});
  }
  return list;
}

Json faces_json(const std::optional<FaceCounts>& faces) {
  if (!faces) return nullptr;
  return {{"kept", faces->are_kept}, {"dropped", faces->dropped}, {"turned", faces->turned},
          {"added", faces->added},   {"divided", faces->divided}, {"apart", faces->apart}};
}

Json line_json(const LedgerLine& line) {
  return {{"step", line.step},
          {"remedy", slug(line.remedy)},
          {"part", line.part},
          {"part_id", line.part_id},
          {"fate", line.changed_anything() ? Json(slug(line.fate)) : Json(nullptr)},
          {"findings", line.findings},
          {"finding_count", line.finding_count},
          {"method", line.method},
          {"done", line.done},
          {"triangles_added", line.triangles_added},
          {"triangles_removed", line.triangles_removed},
          {"triangles_turned", line.triangles_turned},
          {"faces", faces_json(line.faces)},
          {"vertices_moved", line.vertices_moved},
          {"area_added", line.area_added},
          {"area_removed", line.area_removed},
          {"given_up_share", line.given_up_share},
          {"largest_movement", line.largest_movement},
          {"place", point_json(line.place)},
          {"refused", refused_json(line.refused)},
          {"worse", line.worse.empty() ? Json(nullptr) : Json(line.worse)}};
}

Json step_json(const Step& step) {
  Json kinds = Json::array();
  for (const FindingKind k : step.selection.kinds) kinds.push_back(slug(k));
  return {{"step", step.number},
          {"remedy", slug(step.remedy)},
          {"there", info(step.remedy).is_there()},
          {"ids", step.selection.ids},
          {"kinds", std::move(kinds)},
          {"part", step.selection.part},
          {"near", step.selection.near ? point_json(*step.selection.near) : Json(nullptr)},
          {"how", step.method},
          {"why", step.why}};
}

Json one_way_json(const std::optional<OneWayDeviation>& d) {
  if (!d) return nullptr;
  return {{"largest", d->largest},   {"largest_error", d->largest_error},
          {"mean", d->mean},         {"mean_error", d->mean_error},
          {"at", point_json(d->at)}, {"nearest", point_json(d->nearest)}};
}

Json whole_json(const std::optional<Deviation>& d) {
  if (!d) return nullptr;
  return {{"from_input", one_way_json(d->a_to_b)}, {"to_input", one_way_json(d->b_to_a)}};
}

Json size_json(const std::optional<PartSize>& s) {
  if (!s) return nullptr;
  return {{"box", box_json(s->box)},
          {"area", s->area},
          {"volume", s->volume},
          {"closed", s->is_closed}};
}

Json side_json(const Inspection& inspection) {
  return {{"counts", all_counts_json(inspection.counts)},
          {"severities",
           {{"error", inspection.count(Severity::error)},
            {"warning", inspection.count(Severity::warning)},
            {"note", inspection.count(Severity::note)},
            {"waived", inspection.waived()}}}};
}

}  // namespace

Json mend_json(const Model& model, const MendReport& report, const RunFacts& facts) {
  const MendResult& r = report.result;
  Json object;
  object["schema"] = schema_json("mend");
  add_model(object, model);
  object["solid"] = report.certificate.verdict == Verdict::solid;
  object["verdict"] = slug(report.certificate.verdict);
  object["tolerance"] = r.tolerance;
  object["tolerance_why"] = r.tolerance_why;
  object["ledger"] = Json::array();
  for (const LedgerLine& line : r.ledger) object["ledger"].push_back(line_json(line));
  object["before"] = side_json(r.before);
  object["after"] = side_json(r.after);
  object["deviation"] = {{"largest", std::max(r.deviation(), report.largest_rounding)},
                         {"from_input", one_way_json(r.from_input)},
                         {"to_input", one_way_json(r.to_input)},
                         {"whole", whole_json(r.whole)},
                         {"largest_movement", r.largest_movement},
                         {"largest_rounding", report.largest_rounding},
                         {"area_added", r.area_added},
                         {"area_removed", r.area_removed}};
  object["sizes"] = Json::array();
  for (const SizeChange& c : r.sizes) {
    object["sizes"].push_back({{"part", c.part},
                               {"part_id", c.id},
                               {"before", size_json(c.before)},
                               {"after", size_json(c.after)}});
  }
  object["unexplained"] = r.unexplained;
  object["large_refusals"] = r.large_refusals;
  object["idle_plan_steps"] = r.idle_plan_steps;
  object["proposed"] = Json::array();
  for (const Step& step : r.proposed) object["proposed"].push_back(step_json(step));
  object["still_open"] = Json::array();
  for (const StillOpen& open : r.still_open) {
    Json finding = finding_json(open.finding, model.unit);
    finding["because"] = open.why;
    object["still_open"].push_back(std::move(finding));
  }
  add_written(object, model, report);
  add_facts(object, facts);
  return object;
}

// ---- For people.

namespace {

constexpr std::size_t kMostLedgerRows = 20;

std::string changes_of(const LedgerLine& line) {
  std::string text;
  const auto say = [&](std::size_t n, const char* what) {
    if (n > 0) text += fmt::format("{}{} {}", text.empty() ? "" : ", ", grouped(n), what);
  };
  say(line.triangles_added, "added");
  say(line.triangles_removed, "removed");
  say(line.triangles_turned, "turned");
  return text.empty() ? "-" : text;
}

std::string how_of(const LedgerLine& line) {
  std::string how = line.method;
  if (!line.faces) return how;
  const auto say = [&](const std::string& text) { how += (how.empty() ? "" : "; ") + text; };
  if (!line.faces->are_kept) say("no longer surfaces, a mesh from here on");
  const auto count = [&](std::size_t n, const char* what) {
    if (n > 0) say(fmt::format("{} {} {}", grouped(n), n == 1 ? "face" : "faces", what));
  };
  count(line.faces->dropped, "dropped");
  count(line.faces->turned, "turned");
  count(line.faces->added, "added");
  count(line.faces->divided, "divided otherwise");
  count(line.faces->apart, "not joined: none could stand for all of them");
  return how;
}

std::string target_of(const LedgerLine& line) {
  if (line.finding_count == 1) return line.findings[0];
  if (line.finding_count == 0) return "all";
  const std::string& id = line.findings[0];
  return fmt::format("{} {}s", grouped(line.finding_count), id.substr(0, id.rfind('-')));
}

std::string ledger_table(const MendResult& r, LengthUnit unit, bool is_written,
                         const TextOptions& options) {
  if (r.ledger.empty()) return is_written ? "\nNothing was done.\n" : "\nNothing would be done.\n";
  TextTable table({{"step", Align::right},
                   {"remedy", Align::left},
                   {"about", Align::left},
                   {"triangles", Align::left},
                   {fmt::format("moved {}", symbol(unit)), Align::right},
                   {fmt::format("area {}²", symbol(unit)), Align::right},
                   {"refused", Align::right},
                   {"how", Align::left}});
  const std::size_t most = options.every_finding ? r.ledger.size() : 2 * kMostLedgerRows;
  for (std::size_t i = 0; i < std::min(most, r.ledger.size()); ++i) {
    const LedgerLine& line = r.ledger[i];
    std::string area;
    if (line.area_added > 0) area = "+" + brief(line.area_added);
    if (line.area_removed > 0) {
      area += (area.empty() ? "-" : " -") + brief(line.area_removed);
    }
    if (area.empty()) area = "-";
    table.add({std::to_string(line.step), std::string(slug(line.remedy)), target_of(line),
               changes_of(line),
               line.largest_movement > 0 ? fmt::format("{:.3g}", line.largest_movement) : "-", area,
               line.refused.empty() ? "-" : grouped(line.refused.size()), how_of(line)});
  }
  std::string text = is_written ? "\nWhat was done\n" : "\nWhat would be done\n";
  text += table.text(options.width);
  if (most < r.ledger.size()) {
    text += fmt::format("  and {} more; --each lists them all\n", r.ledger.size() - most);
  }
  return text;
}

std::string refused_table(const MendResult& r, const TextOptions& options) {
  TextTable table({{"step", Align::right},
                   {"remedy", Align::left},
                   {"at", Align::left},
                   {"because", Align::left}});
  std::size_t count = 0;
  for (const LedgerLine& line : r.ledger) {
    for (const Refusal& refusal : line.refused) {
      if (++count > kMostLedgerRows) continue;
      table.add({std::to_string(line.step), std::string(slug(line.remedy)), brief(refusal.place),
                 std::string(text(refusal.reason)) +
                     (refusal.detail.empty() ? "" : ": " + refusal.detail)});
    }
  }
  if (count == 0) return {};
  std::string text = fmt::format("\n{} refused, and left as {}\n", grouped(count),
                                 count == 1 ? "it was" : "they were");
  text += table.text(options.width);
  if (count > kMostLedgerRows)
    text += fmt::format("  and {} more; --json lists them all\n", count - kMostLedgerRows);
  return text;
}

std::string before_after(const MendResult& r, const TextOptions& options) {
  struct Row {
    const char* name;
    std::size_t Counts::*count;
  };
  constexpr Row kRows[] = {{"naked edges", &Counts::naked_edges},
                           {"non-manifold edges", &Counts::nonmanifold_edges},
                           {"non-manifold vertices", &Counts::nonmanifold_vertices},
                           {"winding conflicts", &Counts::winding_conflicts},
                           {"triangles without area", &Counts::zero_area},
                           {"duplicates", &Counts::duplicates},
                           {"crossing pairs", &Counts::crossing_pairs},
                           {"overlapping pairs", &Counts::overlap_pairs},
                           {"touching pairs", &Counts::touch_pairs},
                           {"inverted shells", &Counts::inverted_shells},
                           {"triangles", &Counts::triangles}};
  TextTable table({{"", Align::left}, {"before", Align::right}, {"after", Align::right}});
  for (const Row& row : kRows) {
    const std::size_t before = r.before.counts.*row.count, after = r.after.counts.*row.count;
    if (before == 0 && after == 0) continue;
    table.add({row.name, grouped(before), grouped(after)});
  }
  table.add({"errors", grouped(r.before.count(Severity::error)),
             grouped(r.after.count(Severity::error))});
  table.add({"warnings", grouped(r.before.count(Severity::warning)),
             grouped(r.after.count(Severity::warning))});
  return "\n" + table.text(options.width);
}

std::string size_table(const MendResult& r, LengthUnit unit, const TextOptions& options) {
  if (r.sizes.empty()) return {};
  TextTable table({{"part", Align::left},
                   {"", Align::left},
                   {fmt::format("box {}", symbol(unit)), Align::left},
                   {fmt::format("area {}²", symbol(unit)), Align::right},
                   {fmt::format("volume {}³", symbol(unit)), Align::right},
                   {"", Align::left}});
  const auto row = [&](const SizeChange& c, const char* when, const std::optional<PartSize>& s) {
    if (!s) {
      table.add({c.part, when, "-", "-", "-", "not there"});
      return;
    }
    const Vector e = s->box.is_empty() ? Vector(Vector::Zero()) : Vector(s->box.high - s->box.low);
    table.add({c.part, when, fmt::format("{} x {} x {}", brief(e.x()), brief(e.y()), brief(e.z())),
               brief(s->area), brief(s->volume),
               s->is_closed ? "closed" : "open: closed in thought"});
  };
  for (std::size_t i = 0; i < std::min(kMostLedgerRows, r.sizes.size()); ++i) {
    row(r.sizes[i], "before", r.sizes[i].before);
    row(r.sizes[i], "after", r.sizes[i].after);
  }
  std::string text = "\n" + table.text(options.width);
  if (r.sizes.size() > kMostLedgerRows) {
    text += fmt::format("  and {} more; --json lists them all\n", r.sizes.size() - kMostLedgerRows);
  }
  for (const std::string& why : r.unexplained) text += wrapped("look: " + why, options.width, 2);
  return text;
}

std::string proposals(const MendResult& r, const TextOptions& options) {
  if (r.proposed.empty()) return {};
  TextTable table({{"step", Align::right},
                   {"remedy", Align::left},
                   {"for", Align::left},
                   {"why not unasked", Align::left}});
  for (std::size_t i = 0; i < std::min(kMostLedgerRows, r.proposed.size()); ++i) {
    const Step& s = r.proposed[i];
    std::string what;
    for (const std::string& id : s.selection.ids) what += (what.empty() ? "" : " ") + id;
    if (what.empty()) {
      for (const FindingKind k : s.selection.kinds) {
        what += (what.empty() ? "" : ", ") + std::string(slug(k));
      }
    }
    table.add({std::to_string(s.number), std::string(slug(s.remedy)), what,
               s.why + (s.method.empty() ? "" : "; auto would take " + s.method)});
  }
  std::string text =
      "\nProposed, not run (--accept with kinds, ids or all runs them, --write-plan lets you "
      "edit)\n";
  text += table.text(options.width);
  if (r.proposed.size() > kMostLedgerRows) {
    text += fmt::format("  and {} more\n", r.proposed.size() - kMostLedgerRows);
  }
  return text;
}

std::string left_open(const Model& model, const MendResult& r, const TextOptions& options) {
  if (r.still_open.empty()) return {};
  std::size_t errors = 0;
  for (const StillOpen& o : r.still_open) {
    errors += static_cast<std::size_t>(o.finding.severity == Severity::error);
  }
  TextTable table({{"severity", Align::left},
                   {"finding", Align::left},
                   {"size", Align::right},
                   {"at", Align::left},
                   {"still there, because", Align::left}});
  for (std::size_t i = 0; i < std::min(kMostLedgerRows, r.still_open.size()); ++i) {
    const Finding& f = r.still_open[i].finding;
    table.add({std::string(mark(f.severity)), f.id,
               quantity(f.measure, info(f.kind).measures, model.unit), brief(f.place),
               r.still_open[i].why});
  }
  std::string text = fmt::format("\nStill there: {}, {}\n", plural(errors, "error"),
                                 plural(r.still_open.size() - errors, "warning"));
  text += table.text(options.width);
  if (r.still_open.size() > kMostLedgerRows) {
    text += fmt::format("  and {} more; --json lists them all\n",
                        r.still_open.size() - kMostLedgerRows);
  }
  return text;
}

std::string distance_lines(const MendReport& report, LengthUnit unit) {
  const MendResult& r = report.result;
  const std::string_view u = symbol(unit);
  std::string text;
  // The bound is exact where nothing moved; what is measured then is rounding in the measuring.
  if (r.deviation() == 0 || r.largest_movement == 0) {
    text += "  moved     nothing\n";
  } else {
    const bool from = r.from_input && r.from_input->largest == r.deviation();
    const OneWayDeviation& d = from ? *r.from_input : *r.to_input;
    text += fmt::format("  moved     at most {} {} (measured, {}), at {}\n", brief(d.largest), u,
                        from ? "from what was read" : "from what is written", brief(d.at));
  }
  if (report.largest_rounding > 0) {
    text += fmt::format("  rounded   points by at most {} {} on writing\n",
                        brief(report.largest_rounding), u);
  }
  if (r.whole && r.area_added + r.area_removed > 0) {
    text += fmt::format("  in all    {} {} from what was read to what is there now, {} {} back\n",
                        brief(r.whole->a_to_b.largest), u, brief(r.whole->b_to_a.largest), u);
  }
  if (r.large_refusals > 0) {
    text += fmt::format("  left      {} would have given up much of a part: see above\n",
                        plural(r.large_refusals, "step"));
  }
  if (r.idle_plan_steps > 0) {
    text += fmt::format("  refused   {} of the plan did nothing: see above\n",
                        plural(r.idle_plan_steps, "step"));
  }
  if (r.area_added > 0)
    text += fmt::format("  added     {} {}² of surface\n", brief(r.area_added), u);
  if (r.area_removed > 0) {
    text += fmt::format("  removed   {} {}² of surface\n", brief(r.area_removed), u);
  }
  return text;
}

}  // namespace

std::string mend_text(const Model& model, const MendReport& report, std::string_view file,
                      const TextOptions& options) {
  const MendResult& r = report.result;
  std::string text = headline(model, file) + note_lines(model, options.width);
  text += fmt::format("\nBudget: {} {}, over all steps together.\n", brief(r.tolerance),
                      symbol(model.unit));
  text += wrapped(r.tolerance_why, options.width, 2);
  text += ledger_table(r, model.unit, report.is_written(), options);
  text += refused_table(r, options);
  text += before_after(r, options);
  text += size_table(r, model.unit, options);
  text += proposals(r, options);
  text += left_open(model, r, options);
  text += verdict_lines(report.result.model, report.certificate, options);
  text += "\n" + mass_lines(report.certificate.mass, report.certificate.encloses,
                            volume_doubt(report.certificate), model.unit, {});
  text += distance_lines(report, model.unit);
  return text + written_lines(report, options);
}

// ---- Remedies explained.

namespace {

std::string_view word(SettingType type) {
  switch (type) {
    case SettingType::flag:
      return "true or false";
    case SettingType::number:
      return "a number";
    case SettingType::length:
      return "a length";
    case SettingType::word:
      return "a word";
    case SettingType::point:
      return "a point";
    case SettingType::points:
      return "points";
  }
  return {};
}

}  // namespace

Json remedies_json(std::span<const Remedy> remedies) {
  Json object;
  object["schema"] = schema_json("remedies");
  object["remedies"] = Json::array();
  for (const Remedy r : remedies) {
    const RemedyInfo& i = info(r);
    Json settings = Json::array();
    for (const SettingInfo& s : i.settings) {
      settings.push_back({{"key", s.key}, {"type", word(s.type)}, {"what", s.what}});
    }
    object["remedies"].push_back({{"remedy", i.slug},
                                  {"what", i.what},
                                  {"there", i.is_there()},
                                  {"by_hand", i.by_hand()},
                                  {"settings", std::move(settings)}});
  }
  return object;
}

std::string remedies_text(std::span<const Remedy> remedies, const TextOptions& options) {
  std::string text;
  for (const Remedy r : remedies) {
    const RemedyInfo& i = info(r);
    if (!text.empty()) text += "\n";
    text += wrapped(fmt::format("{}: {}{}", i.slug, i.what,
                                !i.is_there() ? " (not there yet)"
                                : i.by_hand() ? " (by hand: done as told, and flagged if it harms)"
                                              : ""),
                    options.width, 0);
    if (i.settings.empty()) continue;
    TextTable table({{"setting", Align::left}, {"is", Align::left}, {"", Align::left}});
    for (const SettingInfo& s : i.settings) {
      table.add({std::string(s.key), std::string(word(s.type)), std::string(s.what)});
    }
    text += table.text(options.width);
  }
  return text;
}

// ---- Trials.

Json trial_json(const Model& model, const Trial& trial, const RunFacts& facts) {
  Json object;
  object["schema"] = schema_json("try");
  add_model(object, model);
  object["finding"] = trial.id;
  object["place"] = point_json(trial.place);
  object["methods"] = Json::array();
  for (std::size_t i = 0; i < trial.outcomes.size(); ++i) {
    Json one = {{"method", slug(fill_methods()[i])}};
    if (const Fill* fill = std::get_if<Fill>(&trial.outcomes[i])) {
      one["applies"] = true;
      one["why"] = fill->why;
      one["triangles"] = fill->triangles.size();
      one["new_points"] = fill->points.size();
      one["area"] = fill->area;
      one["largest_angle"] = degrees(fill->largest_angle);
      one["crossings"] = fill->crossings;
    } else {
      const Refusal& refusal = std::get<Refusal>(trial.outcomes[i]);
      one["applies"] = false;
      one["why"] = refusal.detail;
    }
    object["methods"].push_back(std::move(one));
  }
  add_facts(object, facts);
  return object;
}

std::string trial_text(const Model& model, const Trial& trial, std::string_view file,
                       const TextOptions& options) {
  std::string text = headline(model, file);
  text += fmt::format("\n{} at {}, filled by each method\n", trial.id, brief(trial.place));
  TextTable table({{"method", Align::left},
                   {"triangles", Align::right},
                   {fmt::format("area {}²", symbol(model.unit)), Align::right},
                   {"largest angle", Align::right},
                   {"crossings", Align::right},
                   {"", Align::left}});
  for (std::size_t i = 0; i < trial.outcomes.size(); ++i) {
    const std::string method(slug(fill_methods()[i]));
    if (const Fill* fill = std::get_if<Fill>(&trial.outcomes[i])) {
      table.add({method, grouped(fill->triangles.size()), brief(fill->area),
                 fmt::format("{:.1f}°", degrees(fill->largest_angle)), grouped(fill->crossings),
                 fill->why});
    } else {
      std::string why = std::get<Refusal>(trial.outcomes[i]).detail;
      if (why.starts_with(method + ": ")) why.erase(0, method.size() + 2);
      table.add({method, "-", "-", "-", "-", "not here: " + why});
    }
  }
  return text + table.text(options.width);
}

}  // namespace aguja
