#include "aguja/report/surface_report.h"
#include "report/text_parts.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

#include <fmt/format.h>

namespace aguja {
std::string plural(std::size_t n, std::string_view one, std::string_view many) {
  const std::string word(n == 1 ? one : many.empty() ? std::string(one) + "s" : std::string(many));
  return grouped(n) + " " + word;
}

std::string_view mark(Severity severity) {
  switch (severity) {
    case Severity::error:
      return "■ error";
    case Severity::warning:
      return "◆ warning";
    case Severity::note:
      return "○ note";
  }
  return "";
}

std::string quantity(double value, Dimension dimension, LengthUnit unit) {
  constexpr std::string_view kPowers[] = {"", "", "²", "³"};
  if (dimension == Dimension::count || dimension == Dimension::ratio) return brief(value);
  if (dimension == Dimension::angle) return brief(value) + "°";
  return fmt::format("{} {}{}", brief(value), symbol(unit),
                     kPowers[static_cast<std::size_t>(dimension)]);
}

std::string headline(const Model& model, std::string_view file) {
  const Box box = box_of(model);
  std::size_t points = 0;
  for (const Part& part : model.parts) points += part.mesh().points.size();
  std::string text =
      fmt::format("{}: {}, {}, {}", file, plural(model.parts.size(), "part"),
                  plural(triangle_count(model), "triangle"), plural(points, "point"));
  if (!box.is_empty()) {
    const Vector size = box.high - box.low;
    text += fmt::format(", {} x {} x {} {}", brief(size.x()), brief(size.y()), brief(size.z()),
                        symbol(model.unit));
  }
  if (model.unit_assumed) text += " (unit assumed; --unit says otherwise)";
  return text + "\n";
}

std::string note_lines(const Model& model, std::size_t width) {
  std::string text;
  for (const std::string& note : notes_of(model)) text += wrapped("read: " + note, width, 2);
  return text;
}

namespace {

// To the fifth figure of the model's size: what is finer would only be wide.
Point rounded_place(const Point& p, double diagonal) {
  if (!(diagonal > 0) || !std::isfinite(diagonal)) return p;
  const double step = std::pow(10, std::floor(std::log10(diagonal)) - 5);
  if (!std::isnormal(step)) return p;
  return (p / step).array().round() * step;
}

// Of one finding (`findings` is 0) with its id, or of several of a kind by the first of them.
std::vector<std::string> row_of(const Finding& f, std::size_t findings, std::size_t entities,
                                const Model& model, double diagonal) {
  const KindInfo& kind = info(f.kind);
  const std::string part = model.parts.size() > 1 ? part_names(f) : "";
  std::vector<std::string> row = {f.waived ? "- waived" : std::string(mark(f.severity))};
  if (findings == 0) {
    row.push_back(f.id);
  } else {
    row.insert(row.end(), {std::string(kind.slug), grouped(findings)});
  }
  row.insert(
      row.end(),
      {grouped(entities), quantity(f.measure, kind.measures, model.unit),
       brief(rounded_place(f.place, diagonal)),
       part + (part.empty() || f.detail.empty() ? "" : ": ") + f.detail +
           (f.reach && !f.depth ? fmt::format(", reaching {} {} past each other", brief(*f.reach),
                                              symbol(model.unit))
                                : "") +
           (f.depth ? fmt::format(", {} {} deep", brief(*f.depth), symbol(model.unit)) : "") +
           (f.waived ? (f.detail.empty() ? "left: " : "; left: ") + *f.waived : "")});
  return row;
}

std::string findings_table(const Model& model, const Inspection& inspection,
                           const TextOptions& options) {
  std::vector<TextTable::Column> columns = {{"severity", Align::left}};
  if (options.every_finding) {
    columns.push_back({"id", Align::left});
  } else {
    columns.insert(columns.end(), {{"kind", Align::left}, {"places", Align::right}});
  }
  columns.insert(columns.end(), {{"entities", Align::right},
                                 {options.every_finding ? "size" : "worst", Align::right},
                                 {"at", Align::left},
                                 {model.parts.size() > 1 ? "part: what" : "what", Align::left}});
  TextTable table(std::move(columns));
  const auto& findings = inspection.findings;
  const double diagonal = box_of(model).diagonal();
  for (std::size_t i = 0; i < findings.size();) {
    // Sorted by severity, kind and size: the first of a kind is its worst.
    std::size_t end = i + 1;
    std::size_t entities = findings[i].count;
    while (!options.every_finding && end < findings.size() &&
           findings[end].kind == findings[i].kind && !findings[end].waived &&
           findings[end].severity == findings[i].severity && !findings[i].waived) {
      entities += findings[end++].count;
    }
    const std::size_t places = options.every_finding ? 0 : end - i;
    table.add(row_of(findings[i], places, entities, model, diagonal));
    i = end;
  }
  return table.text(options.width);
}

// What each kind is, and what to do, in the order in which it has to be done.
std::string next_steps(const Inspection& inspection, const TextOptions& options) {
  std::string text;
  std::map<FindingKind, std::size_t> kinds;
  std::map<FindingKind, std::vector<FindingKind>> waits;
  for (const Finding& f : inspection.findings) {
    if (f.waived) continue;
    ++kinds[f.kind];
    for (const FindingKind k : f.waits_for) {
      auto& list = waits[f.kind];
      if (std::find(list.begin(), list.end(), k) == list.end()) list.push_back(k);
    }
  }
  if (kinds.empty() && inspection.waiting.empty()) return text;
  text += "\nWhat to do\n";
  for (const auto& [kind, count] : kinds) {
    const KindInfo& k = info(kind);
    std::string after;
    for (const FindingKind w : waits[kind]) {
      after += (after.empty() ? " (unsafe until mended: " : ", ") + std::string(slug(w));
    }
    text += wrapped(fmt::format("{}: {}{}", k.slug, k.remedy, after.empty() ? "" : after + ")"),
                    options.width, 2);
    text += wrapped(fmt::format("why: {}", k.why), options.width, 6);
  }
  for (const Waiting& w : inspection.waiting) {
    text += wrapped(fmt::format("{} cannot be told yet for {} of '{}': mend {} first", slug(w.kind),
                                plural(w.count, "shell"), w.part, slug(w.waits_for)),
                    options.width, 2);
  }
  return text;
}

std::string proposal_lines(const Model& model, const Inspection& inspection,
                           const TextOptions& options) {
  std::string text;
  if (const auto& p = inspection.proposed_tolerance) {
    text += wrapped(
        fmt::format("stitch {}--tolerance {}{} {} {} of {}{}: {} ({})",
                    p->as_one ? "--as-one " : "", brief(p->value), symbol(model.unit),
                    p->tried ? "closes" : "reaches over", grouped(p->tried.value_or(p->closes)),
                    plural(p->of, "narrow stretch", "narrow stretches"),
                    p->tried ? ", as tried" : "", p->why, symbol(model.unit)),
        options.width, 2);
  }
  for (const std::string& hint : inspection.hints) text += wrapped(hint, options.width, 2);
  return text;
}

std::string quality_lines(const Model& model, const Inspection& inspection,
                          const TextOptions& options) {
  std::string text;
  if (const auto& q = inspection.quality) {
    text += "\nTriangles as elements\n";
    TextTable table({{"", Align::left},
                     {"least", Align::right},
                     {"mean", Align::right},
                     {"largest", Align::right},
                     {"limit", Align::right},
                     {"beyond", Align::right}});
    const auto row = [&](std::string_view name, const QualityMeasure& m, std::string_view unit) {
      const auto value = [&](double v) { return fmt::format("{:.4g}{}", v, unit); };
      table.add({std::string(name), value(m.least), value(m.mean), value(m.largest),
                 m.limit ? value(*m.limit) : "-", m.limit ? grouped(m.beyond) : "-"});
    };
    row("aspect ratio", q->aspect_ratio, "");
    row("least angle", q->least_angle, "°");
    row("largest angle", q->largest_angle, "°");
    row("edge ratio", q->edge_ratio, "");
    row("longest side", q->edge_length, " " + std::string(symbol(model.unit)));
    text += table.text(options.width);
  }
  if (const auto& sizes = inspection.element_sizes) {
    text += fmt::format("  element size from {} to {} {}\n", brief(sizes->least),
                        brief(sizes->largest), symbol(model.unit));
    for (const std::string& why : sizes->why) text += wrapped(why, options.width, 6);
  }
  return text;
}

std::string answer(const Model& model, const Inspection& inspection, const TextOptions& options) {
  if (triangle_count(model) == 0) return "There are no triangles to examine.\n";
  const std::size_t errors = inspection.count(Severity::error);
  const std::size_t warnings = inspection.count(Severity::warning);
  if (options.some_kinds) {
    const std::size_t found = inspection.findings.size();
    return found == 0
               ? "Nothing of these kinds; others were not looked for.\n"
               : "Of these kinds " + plural(found, "finding") + "; others were not looked for.\n";
  }
  if (errors > 0) {
    return fmt::format("Not a solid yet: {}{}.\n", plural(errors, "error"),
                       warnings > 0 ? ", " + plural(warnings, "warning") : "");
  }
  return warnings > 0 ? "No errors, " + plural(warnings, "warning") + ".\n" : "No errors.\n";
}

std::string_view yes(bool value) { return value ? "yes" : "no"; }

std::string faces(const Shell& shell) {
  if (!shell.closed) return "-";
  return shell.volume_sign > 0 ? "outward" : shell.volume_sign < 0 ? "inward" : "neither";
}

}  // namespace

std::string mass_lines(const MassProperties& mass, bool encloses, std::string_view doubt,
                       LengthUnit unit, std::optional<Density> density) {
  const std::string_view u = symbol(unit);
  std::string text = fmt::format("  area      {} {}²\n", brief(mass.area), u);
  if (!encloses) {
    return text + "  volume    none: some edge is not used equally often both ways\n";
  }
  if (!doubt.empty()) {
    text +=
        fmt::format("  volume    {} {}³, but that of no body: {}\n", brief(mass.volume), u, doubt);
    return density ? text + "  mass      none: the volume is that of no body\n" : text;
  }
  text += fmt::format("  volume    {} {}³\n", brief(mass.volume), u);
  text += fmt::format("  centroid  {} {}\n", brief(mass.centroid), u);
  double factor = 1;
  std::string inertia_unit = fmt::format("{}⁵, density 1", u);
  if (density) {
    factor = mass_kg(1.0, unit, *density);
    text += fmt::format("  mass      {} kg at {} kg/m³\n", brief(mass.volume * factor),
                        brief(density->kg_per_m3));
    inertia_unit = fmt::format("kg {}²", u);
  }
  // What rounding left of a zero product of inertia is no product of inertia.
  const Eigen::Matrix3d exact = mass.inertia * factor;
  const double noise = 1e-12 * exact.diagonal().cwiseAbs().maxCoeff();
  const Eigen::Matrix3d m =
      exact.unaryExpr([&](double x) { return std::fabs(x) <= noise ? 0.0 : x; });
  text += fmt::format(
      "  inertia   xx {}  yy {}  zz {}  xy {}  yz {}  xz {}  ({}, about the "
      "centroid)\n",
      brief(m(0, 0)), brief(m(1, 1)), brief(m(2, 2)), brief(m(0, 1)), brief(m(1, 2)),
      brief(m(0, 2)), inertia_unit);
  return text;
}

std::string pair_lines(const Model& model, std::span<const PartPair> pairs,
                       const TextOptions& options) {
  if (pairs.empty()) return "";
  constexpr std::size_t kMostPairs = 20;
  const auto u = symbol(model.unit);
  TextTable table({{"together", Align::left},
                   {"parts", Align::left},
                   {fmt::format("both fill {}³", u), Align::right},
                   {fmt::format("contact {}²", u), Align::right},
                   {fmt::format("within {}", u), Align::right}});
  for (const PartPair& pair : pairs.first(std::min(kMostPairs, pairs.size()))) {
    const auto name = [&](std::size_t p) {
      return p < model.parts.size() ? model.parts[p].name : std::to_string(p);
    };
    const bool touch = pair.relation == PartRelation::touching;
    table.add({std::string(slug(pair.relation)), name(pair.first) + ", " + name(pair.second),
               pair.volume && !touch ? brief(*pair.volume) : "-", touch ? brief(pair.area) : "-",
               fmt::format("{:.3g}", pair.tolerance)});
  }
  std::string text = "\n" + table.text(options.width);
  if (pairs.size() > kMostPairs) {
    text += fmt::format("  and {} more; --json lists them all\n",
                        plural(pairs.size() - kMostPairs, "pair"));
  }
  return text;
}

std::string verdict_lines(const Model& model, const Certificate& certificate,
                          const TextOptions& options) {
  const LengthUnit unit = model.unit;
  std::string text = fmt::format("\nVerdict: {}\n", slug(certificate.verdict));
  for (const Reason& r : certificate.reasons) {
    const std::string part = r.part.empty() ? "" : r.part + ": ";
    text +=
        wrapped(fmt::format("{} {}{}", r.refutes() ? "■" : "○", part, r.text), options.width, 2);
  }

  const auto& parts = certificate.part_verdicts;
  const bool all_solid =
      std::all_of(parts.begin(), parts.end(), [](Verdict v) { return v == Verdict::solid; });
  if (certificate.verdict != Verdict::solid && all_solid && parts.size() > 1) {
    text += fmt::format("  each of the {} by itself is a solid\n", plural(parts.size(), "part"));
  }
  constexpr std::size_t kMostShells = 30;
  TextTable table({{"shell", Align::right},
                   {"closed", Align::left},
                   {"manifold", Align::left},
                   {"oriented", Align::left},
                   {"faces", Align::left},
                   {fmt::format("volume {}³", symbol(unit)), Align::right},
                   {fmt::format("area {}²", symbol(unit)), Align::right},
                   {"genus", Align::right},
                   {"inside", Align::right},
                   {"part", Align::left}});
  const auto& shells = certificate.shells;
  for (std::size_t i = 0; i < std::min(kMostShells, shells.size()); ++i) {
    const Shell& s = shells[i].shell;
    table.add({grouped(i), std::string(yes(s.closed)), std::string(yes(s.manifold)),
               std::string(yes(s.oriented)), faces(s), s.closed ? brief(s.mass.volume) : "-",
               brief(s.mass.area), s.genus ? std::to_string(*s.genus) : "-",
               shells[i].inside_of ? std::to_string(*shells[i].inside_of) : "-", shells[i].part});
  }
  text += "\n" + table.text(options.width);
  if (shells.size() > kMostShells) {
    text += fmt::format("  and {} more; --json lists them all\n",
                        plural(shells.size() - kMostShells, "shell"));
  }
  return text + pair_lines(model, certificate.pairs, options);
}

std::string brief(double value) { return fmt::format("{:.6g}", value == 0 ? 0.0 : value); }

std::string brief(const Point& p) {
  // What rounding left of a zero is no coordinate.
  const double noise = 1e-9 * p.cwiseAbs().maxCoeff();
  const auto shown = [&](double x) { return fmt::format("{:.5g}", std::fabs(x) <= noise ? 0 : x); };
  return fmt::format("({}, {}, {})", shown(p.x()), shown(p.y()), shown(p.z()));
}

std::string inspect_text(const Model& model, const Inspection& inspection, std::string_view file,
                         const TextOptions& options) {
  std::string text = headline(model, file) + note_lines(model, options.width);
  text += "\n" + answer(model, inspection, options);
  const std::string table = findings_table(model, inspection, options);
  if (!table.empty()) text += "\n" + table;
  text += next_steps(inspection, options) + proposal_lines(model, inspection, options) +
          quality_lines(model, inspection, options);
  if (!options.some_kinds) text += pair_lines(model, inspection.pairs, options);
  const Counts& c = inspection.counts;
  text += "\nCounts\n";
  text += wrapped(
      fmt::format("{}, {}, {}: {} naked in {}, {} non-manifold, {} in winding conflict; "
                  "{}, {} of zero area, {}; pairs of triangles: {} crossing, {} overlapping, {} "
                  "touching{}; {} inverted, {} inside the material",
                  plural(c.vertices, "vertex", "vertices"), plural(c.edges, "edge"),
                  plural(c.triangles, "triangle"), grouped(c.naked_edges), plural(c.rims, "rim"),
                  grouped(c.nonmanifold_edges), grouped(c.winding_conflicts),
                  plural(c.components, "component"), grouped(c.zero_area),
                  plural(c.duplicates, "surplus copy", "surplus copies"), grouped(c.crossing_pairs),
                  grouped(c.overlap_pairs), grouped(c.touch_pairs),
                  c.more_pairs ? ", and more, which nobody looked for" : "",
                  plural(c.inverted_shells, "shell"), plural(c.internal_triangles, "triangle")),
      options.width, 2);
  return text;
}

std::string explain_text(std::span<const FindingKind> kinds, const TextOptions& options) {
  std::string text;
  for (const FindingKind kind : kinds) {
    const KindInfo& k = info(kind);
    if (!text.empty()) text += "\n";
    text += fmt::format("{} ({}, {})\n", k.slug, k.family, slug(k.severity));
    text += wrapped(std::string(k.what), options.width, 2);
    text += "\n" + std::string(k.picture) + "\n";
    text += wrapped("why: " + std::string(k.why), options.width, 2);
    text += wrapped("mended by: " + std::string(k.remedy), options.width, 2);
    text += wrapped("measured: " + std::string(k.measure_name) +
                        (k.smaller_is_worse ? ", the smaller the worse" : ""),
                    options.width, 2);
    text += wrapped(std::string(k.hints), options.width, 2);
    if (!k.waits_for.empty()) {
      std::string waits;
      for (const FindingKind w : k.waits_for) {
        waits += (waits.empty() ? "" : ", ") + std::string(slug(w));
      }
      text += wrapped("mended after: " + waits, options.width, 2);
    }
  }
  return text;
}

std::string certify_text(const Model& model, const Certificate& certificate, std::string_view file,
                         std::string_view digest, std::optional<Density> density,
                         std::span<const Expectation> expectations, const TextOptions& options) {
  std::string text = headline(model, file) + note_lines(model, options.width);
  text += verdict_lines(model, certificate, options);
  text += "\n" + mass_lines(certificate.mass, certificate.encloses, volume_doubt(certificate),
                            model.unit, density);
  for (const Expectation& e : expectations) {
    if (std::isnan(e.found)) {
      text += fmt::format("  expected  {} {}: MISSED, there is none\n", e.what, brief(e.expected));
      continue;
    }
    text += fmt::format(
        "  expected  {} {}: {}, {:.4g} % off, {:.4g} % allowed\n", e.what, brief(e.expected),
        !e.is_told()
            ? "cannot be told at this chord height (found within " + brief(e.uncertain) + ")"
        : e.is_met() ? "met"
                     : "MISSED",
        100 * std::fabs(e.found - e.expected) / std::fabs(e.expected), 100 * e.within);
    if (e.uncertain > 0) {
      text += fmt::format("            the surfaces themselves: {:.10g} within {}\n", e.found,
                          brief(e.uncertain));
    }
  }
  text += fmt::format("  digest    {}\n", digest);
  return text;
}

std::string inspect_line(const Model& model, const Inspection& inspection, bool some_kinds) {
  std::string line = answer(model, inspection, {.some_kinds = some_kinds});
  line.erase(line.find_last_not_of(".\n") + 1);
  // Kinds by severity, as they first come: worst first.
  std::vector<std::pair<FindingKind, std::size_t>> kinds;
  for (const Finding& f : inspection.findings) {
    if (f.severity == Severity::note || f.waived) continue;
    const auto known =
        std::find_if(kinds.begin(), kinds.end(), [&](const auto& k) { return k.first == f.kind; });
    if (known == kinds.end()) {
      kinds.emplace_back(f.kind, 1);
    } else {
      ++known->second;
    }
  }
  for (const auto& [kind, count] : kinds) {
    line += fmt::format("{}{} {}", kind == kinds.front().first ? " (" : ", ", slug(kind),
                        grouped(count));
  }
  if (!kinds.empty()) line += ")";
  return line;
}

std::string certify_line(const Model& model, const Certificate& certificate,
                         std::span<const Expectation> expectations) {
  std::string line(slug(certificate.verdict));
  if (certificate.encloses && volume_doubt(certificate).empty()) {
    line += fmt::format(", volume {} {}³", brief(certificate.mass.volume), symbol(model.unit));
  }
  for (const Expectation& e : expectations) {
    line += fmt::format(", expected {} {}", e.what,
                        !e.is_told() ? "cannot be told"
                        : e.is_met() ? "met"
                                     : "missed");
  }
  if (!certificate.reasons.empty()) {
    const Reason& worst = certificate.reasons.front();
    line += fmt::format(": {}{}", worst.part.empty() ? "" : worst.part + ": ", worst.text);
    const std::size_t more = certificate.reasons.size() - 1;
    if (more > 0) line += fmt::format(" ({})", plural(more, "more reason"));
  }
  return line;
}

std::string written_lines(const WrittenFacts& facts, const TextOptions& options) {
  std::string text;
  for (const std::string& note : facts.write_notes) {
    text += wrapped("written: " + note, options.width, 2);
  }
  return text + (facts.is_written()
                     ? fmt::format("  output    {}\n  digest    {}\n", facts.output, facts.digest)
                     : "  output    none: this was a dry run, judged in double precision\n");
}

std::string stitch_text(const Model& model, const StitchReport& report, std::string_view file,
                        const TextOptions& options) {
  constexpr std::size_t kMostRows = 12;
  const StitchResult& r = report.result;
  const std::string_view u = symbol(model.unit);
  std::string text = headline(model, file) + note_lines(model, options.width);
  text += fmt::format("\n{} at {} {}: {} naked edges {} {}.\n",
                      report.is_written() ? "Stitched" : "Stitching", brief(report.tolerance), u,
                      grouped(r.naked_before), report.is_written() ? "became" : "would become",
                      grouped(r.naked_after));
  text += wrapped(report.tolerance_why, options.width, 2);
  text += fmt::format("  joined    {}, {} put into facing edges", plural(r.joined, "edge"),
                      plural(r.inserted, "vertex", "vertices"));
  text += r.turned_over > 0 ? fmt::format(", {} turned over\n", plural(r.turned_over, "triangle"))
                            : "\n";
  if (r.largest_movement > 0) {
    text += fmt::format("  moved     at most {} {}, at {}\n", brief(r.largest_movement), u,
                        brief(r.largest_movement_at));
  } else {
    text += "  moved     nothing\n";
  }
  if (report.largest_rounding > 0) {
    text += fmt::format("  rounded   other points by at most {} {}\n",
                        brief(report.largest_rounding), u);
  }
  if (!r.refused.empty()) {
    text += fmt::format("\n{} refused\n", plural(r.refused.size(), "join"));
    TextTable table({{"at", Align::left}, {"because", Align::left}});
    for (std::size_t i = 0; i < std::min(kMostRows, r.refused.size()); ++i) {
      table.add({brief(r.refused[i].place), std::string(aguja::text(r.refused[i].reason))});
    }
    text += table.text(options.width);
  }
  if (!r.still_open.empty()) {
    text += fmt::format("\n{} still open\n", plural(r.still_open.size(), "rim"));
    TextTable table({{"length", Align::right},
                     {"edges", Align::right},
                     {"at", Align::left},
                     {"", Align::left}});
    for (std::size_t i = 0; i < std::min(kMostRows, r.still_open.size()); ++i) {
      const OpenRim& rim = r.still_open[i];
      table.add({fmt::format("{} {}", brief(rim.length), u), grouped(rim.edges), brief(rim.place),
                 rim.is_loop ? "loop" : "open run"});
    }
    text += table.text(options.width);
    if (r.still_open.size() > kMostRows) text += "  and more; --json lists them all\n";
  }
  text += verdict_lines(model, report.certificate, options);
  text += "\n" + mass_lines(report.certificate.mass, report.certificate.encloses,
                            volume_doubt(report.certificate), model.unit, {});
  return text + written_lines(report, options);
}

std::string compare_text(const Model& a, std::string_view file_a, std::string_view file_b,
                         const Deviation& deviation, const TextOptions& options) {
  constexpr std::size_t kMostRows = 12;
  const std::string_view u = symbol(a.unit);
  const double largest = deviation.largest();
  std::string text = largest == 0
                         ? "The two lie on each other.\n"
                         : fmt::format("The two lie up to {} {} apart.\n", brief(largest), u);
  text += fmt::format("  A  {}\n  B  {}\n", file_a, file_b);
  TextTable table({{"from", Align::left},
                   {"largest", Align::right},
                   {"known to", Align::right},
                   {"mean", Align::right},
                   {"known to", Align::right},
                   {"largest at", Align::left}});
  const auto row = [&](std::string_view way, const OneWayDeviation& d) {
    table.add({std::string(way), fmt::format("{} {}", brief(d.largest), u),
               fmt::format("{:.1g}", d.largest_error), fmt::format("{} {}", brief(d.mean), u),
               fmt::format("{:.1g}", d.mean_error), brief(d.at)});
  };
  row("A to B", deviation.a_to_b);
  row("B to A", deviation.b_to_a);
  text += "\n" + table.text(options.width);
  const auto patches = [&](std::string_view which, const OneWayDeviation& d) {
    if (d.patches.size() < 2 || d.largest == 0) return;
    text += fmt::format("\nBy patch of {}\n", which);
    TextTable rows({{"largest", Align::right},
                    {"mean", Align::right},
                    {"at", Align::left},
                    {"patch", Align::left}});
    for (std::size_t i = 0; i < std::min(kMostRows, d.patches.size()); ++i) {
      const PatchDeviation& p = d.patches[i];
      rows.add({brief(p.largest), brief(p.mean), brief(p.at), p.part + ": " + p.patch});
    }
    text += rows.text(options.width);
    if (d.patches.size() > kMostRows) text += "  and more; --json lists them all\n";
  };
  patches("A", deviation.a_to_b);
  patches("B", deviation.b_to_a);
  return text;
}

namespace {

std::string surface_of(const Patch& patch, std::string_view u) {
  if (!patch.surface) return "free-form";
  const Primitive& s = *patch.surface;
  std::string kind(slug(s.kind));
  switch (s.kind) {
    case PrimitiveKind::plane:
      return kind;
    case PrimitiveKind::cylinder:
    case PrimitiveKind::sphere:
      return fmt::format("{}, radius {} {}", kind, brief(s.radius), u);
    case PrimitiveKind::cone:
      return fmt::format("{}, half angle {}°", kind, brief(s.second * 180 / std::numbers::pi));
    case PrimitiveKind::torus:
      return fmt::format("{}, radii {} and {} {}", kind, brief(s.radius), brief(s.second), u);
  }
  return kind;
}

std::string asked_lines(const AskedMeasures& asked, std::string_view u,
                        const TextOptions& options) {
  std::string text;
  if (asked.between) {
    const Distance& d = asked.between->distance;
    // What rounding left of a zero is no component.
    const Vector c = d.components().unaryExpr(
        [&](double x) { return std::fabs(x) <= 1e-12 * d.value() ? 0.0 : x; });
    text += fmt::format("\ndistance {} {} from {} to {}\n", brief(d.value()), u,
                        asked.between->from, asked.between->to);
    text += fmt::format("  x {}  y {}  z {}\n  from {} to {}\n", brief(c.x()), brief(c.y()),
                        brief(c.z()), brief(d.from), brief(d.to));
  }
  if (asked.through) {
    text += fmt::format("\nthickness from {} to {}\n", asked.through->from, asked.through->to);
    if (const auto& t = asked.through->thickness) {
      text += fmt::format("  least {} {} at {}, mean {}, largest {}\n", brief(t->least), u,
                          brief(t->at_least.from), brief(t->mean), brief(t->largest));
      text += fmt::format("  measured behind {:.4g} % of the first\n", 100 * t->covered);
    } else {
      text += "  none: the second does not lie behind the first\n";
    }
  }
  if (asked.angle) {
    text += fmt::format("\nangle {}°\n", brief(*asked.angle * 180 / std::numbers::pi));
  }
  if (asked.circle) {
    text += fmt::format("\nradius {} {}, centre {}, axis {}\n", brief(asked.circle->radius), u,
                        brief(asked.circle->center), brief(asked.circle->axis));
  }
  if (asked.rims) {
    text += fmt::format("\n{}\n", plural(asked.rims->size(), "rim"));
    TextTable table({{"length", Align::right},
                     {"edges", Align::right},
                     {"", Align::left},
                     {"at", Align::left},
                     {"part", Align::left}});
    for (const MeasuredRim& r : *asked.rims) {
      table.add({fmt::format("{} {}", brief(r.length), u), grouped(r.edges),
                 r.is_loop ? "loop" : "open run", brief(r.center), r.part});
    }
    if (!asked.rims->empty()) text += table.text(options.width);
  }
  if (!asked.patches.empty()) {
    text += fmt::format("\n{}\n", plural(asked.patches.size(), "patch", "patches"));
    TextTable table({{"no.", Align::right},
                     {"triangles", Align::right},
                     {fmt::format("area {}²", u), Align::right},
                     {"surface", Align::left},
                     {"at", Align::left},
                     {"name", Align::left}});
    for (std::size_t i = 0; i < asked.patches.size(); ++i) {
      const MeasuredPatch& p = asked.patches[i];
      table.add({std::to_string(i), grouped(p.patch.triangles), brief(p.patch.area),
                 surface_of(p.patch, u), brief(p.center),
                 p.name.empty() ? p.part : p.part + "/" + p.name});
    }
    text += table.text(options.width);
  }
  return text;
}

}  // namespace

std::string measure_text(const Model& model, std::span<const Measurement> parts,
                         std::string_view file, const AskedMeasures& asked,
                         const TextOptions& options) {
  std::string text = headline(model, file) + note_lines(model, options.width);
  const std::string answers = asked_lines(asked, symbol(model.unit), options);
  // Asked for something, people want that alone.
  if (!answers.empty()) return text + answers;
  const auto one = [&](const Measurement& m) {
    text += fmt::format("\n{}: {}\n", m.name, plural(m.triangles, "triangle"));
    if (!m.box.is_empty()) {
      text += fmt::format("  box       {} to {}, diagonal {} {}\n", brief(m.box.low),
                          brief(m.box.high), brief(m.box.diagonal()), symbol(model.unit));
    }
    text += mass_lines(m.mass, m.encloses, volume_doubt(m.mass.volume, m.crossings), model.unit,
                       asked.density);
  };
  for (const Measurement& m : parts) one(m);
  if (parts.size() > 1) one(total(parts));
  return text;
}

}  // namespace aguja
