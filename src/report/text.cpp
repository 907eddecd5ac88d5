#include "aguja/report/text.h"

#include <algorithm>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "aguja/report/table.h"

namespace aguja {
namespace {

std::string plural(std::size_t n, std::string_view one, std::string_view many = {}) {
  const std::string word(n == 1 ? one : many.empty() ? std::string(one) + "s" : std::string(many));
  return grouped(n) + " " + word;
}

// Severity has a shape and a word; colour, where there is any, comes on top.
std::string_view mark(Severity severity) {
  switch (severity) {
    case Severity::error:
      return "■ error";
    case Severity::warning:
      return "◆ warning";
    case Severity::note:
      return "· note";
  }
  return "";
}

std::string quantity(double value, Dimension dimension, LengthUnit unit) {
  constexpr std::string_view kPowers[] = {"", "", "²", "³"};
  if (dimension == Dimension::count) return brief(value);
  return fmt::format("{} {}{}", brief(value), symbol(unit),
                     kPowers[static_cast<std::size_t>(dimension)]);
}

std::string headline(const Model& model, std::string_view file) {
  const Box box = box_of(model);
  std::size_t points = 0;
  for (const Part& part : model.parts) points += part.mesh.points.size();
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
  for (const std::string& note : model.notes) text += wrapped("read: " + note, width, 2);
  return text;
}

std::vector<std::string> row_of(const Finding& f, std::size_t findings, std::size_t entities,
                                const Model& model) {
  const KindInfo& kind = info(f.kind);
  const std::string part = model.parts.size() > 1 ? f.part : "";
  return {std::string(mark(f.severity)),
          std::string(kind.slug),
          grouped(findings),
          grouped(entities),
          quantity(f.measure, kind.measures, model.unit),
          brief(f.place),
          part + (part.empty() || f.detail.empty() ? "" : ": ") + f.detail +
              (f.depth ? fmt::format(", {} {} deep", brief(*f.depth), symbol(model.unit)) : "")};
}

std::string findings_table(const Model& model, const Inspection& inspection,
                           const TextOptions& options) {
  TextTable table({{"severity", Align::left},
                   {"kind", Align::left},
                   {"places", Align::right},
                   {"entities", Align::right},
                   {options.every_finding ? "size" : "largest", Align::right},
                   {"at", Align::left},
                   {model.parts.size() > 1 ? "part: what" : "what", Align::left}});
  const auto& findings = inspection.findings;
  for (std::size_t i = 0; i < findings.size();) {
    // Sorted by severity, kind and size: the first of a kind is its worst.
    std::size_t end = i + 1;
    std::size_t entities = findings[i].count;
    while (!options.every_finding && end < findings.size() &&
           findings[end].kind == findings[i].kind) {
      entities += findings[end++].count;
    }
    table.add(row_of(findings[i], end - i, entities, model));
    i = end;
  }
  return table.text(options.width);
}

// What each kind is, and what to do, in the order in which it has to be done.
std::string next_steps(const Inspection& inspection, const TextOptions& options) {
  std::string text;
  std::map<FindingKind, std::size_t> kinds;
  for (const Finding& f : inspection.findings) ++kinds[f.kind];
  if (kinds.empty()) return text;
  text += "\nWhat to do\n";
  for (const auto& [kind, count] : kinds) {
    const KindInfo& k = info(kind);
    text += fmt::format("  {}: {}\n", k.slug, k.remedy);
    text += wrapped(fmt::format("why: {}", k.why), options.width, 6);
  }
  for (const Waiting& w : inspection.waiting) {
    text += wrapped(fmt::format("{} cannot be told yet for {} of '{}': mend {} first", slug(w.kind),
                                plural(w.count, "shell"), w.part, slug(w.waits_for)),
                    options.width, 2);
  }
  return text;
}

std::string answer(const Model& model, const Inspection& inspection) {
  if (triangle_count(model) == 0) return "There are no triangles to examine.\n";
  const std::size_t errors = inspection.count(Severity::error);
  const std::size_t warnings = inspection.count(Severity::warning);
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

std::string mass_lines(const MassProperties& mass, bool encloses, LengthUnit unit,
                       std::optional<Density> density) {
  const std::string_view u = symbol(unit);
  std::string text = fmt::format("  area      {} {}²\n", brief(mass.area), u);
  if (!encloses) {
    return text + "  volume    none: some edge is not used equally often both ways\n";
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

}  // namespace

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
  text += "\n" + answer(model, inspection);
  const std::string table = findings_table(model, inspection, options);
  if (!table.empty()) text += "\n" + table;
  text += next_steps(inspection, options);
  const Counts& c = inspection.counts;
  text += "\nCounts\n";
  text += wrapped(
      fmt::format("{}, {}, {}: {} naked in {}, {} non-manifold, {} in winding conflict; "
                  "{}, {} of zero area, {}; pairs of triangles: {} crossing, {} overlapping, {} "
                  "touching",
                  plural(c.vertices, "vertex", "vertices"), plural(c.edges, "edge"),
                  plural(c.triangles, "triangle"), grouped(c.naked_edges), plural(c.rims, "rim"),
                  grouped(c.nonmanifold_edges), grouped(c.winding_conflicts),
                  plural(c.components, "component"), grouped(c.zero_area),
                  plural(c.duplicates, "surplus copy", "surplus copies"), grouped(c.crossing_pairs),
                  grouped(c.overlap_pairs), grouped(c.touch_pairs)),
      options.width, 2);
  return text;
}

std::string certify_text(const Model& model, const Certificate& certificate, std::string_view file,
                         std::string_view digest, std::optional<Density> density,
                         std::span<const Expectation> expectations, const TextOptions& options) {
  std::string text = headline(model, file) + note_lines(model, options.width);
  text += fmt::format("\nVerdict: {}\n", slug(certificate.verdict));
  for (const Reason& r : certificate.reasons) {
    const std::string part = r.part.empty() ? "" : r.part + ": ";
    text +=
        wrapped(fmt::format("{} {}{}", r.refutes() ? "■" : "○", part, r.text), options.width, 2);
  }

  constexpr std::size_t kMostShells = 30;
  TextTable table({{"shell", Align::right},
                   {"closed", Align::left},
                   {"manifold", Align::left},
                   {"oriented", Align::left},
                   {"faces", Align::left},
                   {fmt::format("volume {}³", symbol(model.unit)), Align::right},
                   {fmt::format("area {}²", symbol(model.unit)), Align::right},
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
  text += "\n" + mass_lines(certificate.mass, certificate.encloses, model.unit, density);
  for (const Expectation& e : expectations) {
    text +=
        fmt::format("  expected  {} {}: {}, {:.4g} % off, {:.4g} % allowed\n", e.what,
                    brief(e.expected), e.is_met() ? "met" : "MISSED",
                    100 * std::fabs(e.found - e.expected) / std::fabs(e.expected), 100 * e.within);
  }
  text += fmt::format("  digest    {}\n", digest);
  return text;
}

std::string measure_text(const Model& model, std::span<const Measurement> parts,
                         std::string_view file, std::optional<Density> density,
                         const TextOptions& options) {
  std::string text = headline(model, file) + note_lines(model, options.width);
  const auto one = [&](const Measurement& m) {
    text += fmt::format("\n{}: {}\n", m.name, plural(m.triangles, "triangle"));
    if (!m.box.is_empty()) {
      text += fmt::format("  box       {} to {}, diagonal {} {}\n", brief(m.box.low),
                          brief(m.box.high), brief(m.box.diagonal()), symbol(model.unit));
    }
    text += mass_lines(m.mass, m.encloses, model.unit, density);
  };
  for (const Measurement& m : parts) one(m);
  if (parts.size() > 1) one(total(parts));
  return text;
}

}  // namespace aguja
