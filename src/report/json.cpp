#include "aguja/report/surface_report.h"
#include "base/numbers.h"
#include "report/json_parts.h"

#include <cmath>
#include <numbers>

#include <nlohmann/json.hpp>

namespace aguja {
namespace {

constexpr int kSchemaVersion = 1;

}  // namespace

Json matrix_json(const Eigen::Matrix3d& m) {
  Json rows = Json::array();
  for (int r = 0; r < 3; ++r) rows.push_back({m(r, 0), m(r, 1), m(r, 2)});
  return rows;
}

Json point_json(const Point& p) { return {p.x(), p.y(), p.z()}; }

Json box_json(const Box& box) {
  if (box.is_empty()) return nullptr;
  return {point_json(box.low), point_json(box.high)};
}

namespace {

Json counts_json(const Counts& c) {
  return {{"triangles", c.triangles},
          {"vertices", c.vertices},
          {"edges", c.edges},
          {"naked_edges", c.naked_edges},
          {"nonmanifold_edges", c.nonmanifold_edges},
          {"nonmanifold_vertices", c.nonmanifold_vertices},
          {"winding_conflicts", c.winding_conflicts},
          {"zero_area", c.zero_area},
          {"duplicates", c.duplicates},
          {"components", c.components},
          {"rims", c.rims},
          {"crossing_pairs", c.crossing_pairs},
          {"overlap_pairs", c.overlap_pairs},
          {"touch_pairs", c.touch_pairs},
          {"more_pairs", c.more_pairs}};
}

// Those that only `inspect` knows, too.
}  // namespace

Json all_counts_json(const Counts& c) {
  Json object = counts_json(c);
  object["inverted_shells"] = c.inverted_shells;
  object["internal_triangles"] = c.internal_triangles;
  return object;
}

namespace {

Json measure_json(const QualityMeasure& m) {
  return {{"least", m.least},     {"mean", m.mean},
          {"largest", m.largest}, {"limit", m.limit ? Json(*m.limit) : Json(nullptr)},
          {"beyond", m.beyond},   {"histogram", {{"bounds", m.bounds}, {"counts", m.counts}}}};
}

Json quality_json(const Quality& q) {
  return {{"triangles", q.triangles},
          {"beyond", q.beyond},
          {"aspect_ratio", measure_json(q.aspect_ratio)},
          {"least_angle", measure_json(q.least_angle)},
          {"largest_angle", measure_json(q.largest_angle)},
          {"edge_ratio", measure_json(q.edge_ratio)},
          {"edge_length", measure_json(q.edge_length)}};
}

std::string unit_of(Dimension dimension, LengthUnit unit) {
  std::string length(symbol(unit));
  switch (dimension) {
    case Dimension::count:
      return "count";
    case Dimension::length:
      return length;
    case Dimension::area:
      return length + "2";
    case Dimension::volume:
      return length + "3";
    case Dimension::angle:
      return "deg";
    case Dimension::ratio:
      return "ratio";
  }
  return length;
}

Json widths_json(const Finding& f) {
  if (!f.widths) return nullptr;
  return {{"least", f.widths->least},
          {"median", f.widths->median},
          {"largest", f.widths->largest},
          {"length", f.widths->length},
          {"hanging", f.widths->hanging}};
}

}  // namespace

Json finding_json(const Finding& f, LengthUnit unit) {
  const KindInfo& kind = info(f.kind);
  Json triangles = Json::array();
  for (const TriangleId t : f.triangles) {
    if (triangles.size() == InspectOptions::kMostListed) break;
    triangles.push_back(t.value);
  }
  Json waits = Json::array();
  for (const FindingKind k : f.waits_for) waits.push_back(slug(k));
  Json causes = Json::array();
  for (const Symptom& symptom : f.cause_of) {
    causes.push_back({{"kind", slug(symptom.kind)}, {"count", symptom.count}});
  }
  Json further = Json::array();
  for (const PartEntities& p : f.further_parts) {
    const std::size_t listed = std::min(p.triangles.size(), InspectOptions::kMostListed);
    Json own = Json::array();
    for (std::size_t i = 0; i < listed; ++i) own.push_back(p.triangles[i].value);
    further.push_back(
        {{"part", p.part}, {"triangles", std::move(own)}, {"triangle_total", p.triangle_total}});
  }
  return {{"id", f.id},
          {"kind", kind.slug},
          {"severity", slug(f.severity)},
          {"part", f.part},
          {"count", f.count},
          {"place", point_json(f.place)},
          {"box", box_json(f.box)},
          {"measure", f.measure},
          {"measures", kind.measure_name},
          {"limit", f.limit ? Json(*f.limit) : Json(nullptr)},
          {"reach", f.reach ? Json(*f.reach) : Json(nullptr)},
          {"depth", f.depth ? Json(*f.depth) : Json(nullptr)},
          {"widths", widths_json(f)},
          {"unit", unit_of(kind.measures, unit)},
          {"detail", f.detail},
          {"triangles", std::move(triangles)},
          {"triangle_total", f.triangle_total},
          {"remedy", kind.remedy},
          {"waits_for", std::move(waits)},
          {"cause_of", std::move(causes)},
          {"waived", f.waived ? Json(*f.waived) : Json(nullptr)},
          {"face", f.face ? Json(*f.face) : Json(nullptr)},
          {"entity", f.entity ? Json(*f.entity) : Json(nullptr)},
          {"further_parts", std::move(further)}};
}

void add_model(Json& object, const Model& model) {
  object["unit"] = symbol(model.unit);
  object["unit_assumed"] = model.unit_assumed;
  object["notes"] = notes_of(model);
}

namespace {

// Volume, centroid and inertia, null where the surface encloses nothing.
void add_mass(Json& object, const MassProperties& mass, bool encloses, const std::string& doubt,
              LengthUnit unit, std::optional<Density> density) {
  const Json none = nullptr;
  object["area"] = mass.area;
  object["volume"] = encloses ? Json(mass.volume) : none;
  object["volume_doubt"] = encloses && !doubt.empty() ? Json(doubt) : none;
  object["centroid"] = encloses ? point_json(mass.centroid) : none;
  object["inertia"] = encloses ? matrix_json(mass.inertia) : none;
  if (!density) return;
  const double per_volume = mass_kg(1.0, unit, *density);
  object["density"] = density->kg_per_m3;
  const bool is_body = encloses && doubt.empty();
  object["mass"] = is_body ? Json(mass.volume * per_volume) : none;
  object["mass_inertia"] = is_body ? matrix_json(mass.inertia * per_volume) : none;
}

Json shell_json(const CertifiedShell& s) {
  const Shell& shell = s.shell;
  const Json none = nullptr;
  return {{"part", s.part},
          {"triangles", shell.triangles},
          {"closed", shell.closed},
          {"manifold", shell.manifold},
          {"oriented", shell.oriented},
          {"faces", !shell.closed           ? none
                    : shell.volume_sign > 0 ? Json("outward")
                    : shell.volume_sign < 0 ? Json("inward")
                                            : Json("neither")},
          {"volume", shell.closed ? Json(shell.mass.volume) : none},
          {"area", shell.mass.area},
          {"euler", shell.euler},
          {"genus", shell.genus ? Json(*shell.genus) : none},
          {"inside_of", s.inside_of ? Json(*s.inside_of) : none}};
}

}  // namespace

Json schema_json(std::string_view name) {
  return {{"name", "aguja." + std::string(name)}, {"version", kSchemaVersion}};
}

void add_facts(Json& object, const RunFacts& facts) {
  Json timings = Json::object();
  for (const auto& [stage, seconds] : facts.times.stages()) timings[stage] = seconds;
  object["timings"] = std::move(timings);
  object["peak_bytes"] = facts.peak_bytes;
}

namespace {

// What `certify` prints, without how it ran.
}  // namespace

Json pairs_json(const Model& model, std::span<const PartPair> pairs) {
  Json list = Json::array();
  const auto name = [&](std::size_t p) {
    return p < model.parts.size() ? model.parts[p].name : std::string();
  };
  for (const PartPair& pair : pairs) {
    list.push_back({{"relation", slug(pair.relation)},
                    {"first", name(pair.first)},
                    {"second", name(pair.second)},
                    {"volume", pair.volume ? Json(*pair.volume) : Json(nullptr)},
                    {"depth", pair.depth ? Json(*pair.depth) : Json(nullptr)},
                    {"contact_area", pair.area},
                    {"tolerance", pair.tolerance},
                    {"box", box_json(pair.box)}});
  }
  return list;
}

Json certificate_json(const Model& model, const Certificate& certificate, std::string_view digest,
                      std::optional<Density> density, std::span<const Expectation> expectations) {
  Json object;
  object["schema"] = schema_json("certify");
  add_model(object, model);
  object["verdict"] = slug(certificate.verdict);
  object["solid"] = certificate.verdict == Verdict::solid;
  Json reasons = Json::array();
  for (const Reason& r : certificate.reasons) {
    reasons.push_back({{"reason", slug(r.kind)},
                       {"part", r.part},
                       {"count", r.count},
                       {"refutes", r.refutes()},
                       {"text", r.text}});
  }
  object["reasons"] = std::move(reasons);
  Json parts = Json::array();
  for (std::size_t p = 0; p < certificate.part_verdicts.size(); ++p) {
    parts.push_back({{"name", p < model.parts.size() ? model.parts[p].name : ""},
                     {"verdict", slug(certificate.part_verdicts[p])}});
  }
  object["parts"] = std::move(parts);
  object["pairs"] = pairs_json(model, certificate.pairs);
  object["counts"] = counts_json(certificate.counts);
  Json shells = Json::array();
  for (const CertifiedShell& s : certificate.shells) shells.push_back(shell_json(s));
  object["shells"] = std::move(shells);
  add_mass(object, certificate.mass, certificate.encloses, volume_doubt(certificate), model.unit,
           density);
  Json expected = Json::array();
  for (const Expectation& e : expectations) {
    expected.push_back({{"what", e.what},
                        {"expected", e.expected},
                        {"found", std::isfinite(e.found) ? Json(e.found) : Json(nullptr)},
                        {"within", e.within},
                        {"uncertain", e.uncertain},
                        {"told", e.is_told()},
                        {"met", e.is_met()}});
  }
  object["expectations"] = std::move(expected);
  object["crossings"] = {{"crossing", certificate.counts.crossing_pairs},
                         {"overlap", certificate.counts.overlap_pairs},
                         {"touch", certificate.counts.touch_pairs},
                         {"more", certificate.counts.more_pairs}};
  object["digest"] = digest;
  object["assumed"] = "double precision, coordinates exactly as read from the file";
  return object;
}

Json inspect_json(const Model& model, const Inspection& inspection, std::size_t most_findings,
                  const RunFacts& facts) {
  Json object;
  object["schema"] = schema_json("inspect");
  add_model(object, model);
  object["box"] = box_json(box_of(model));
  Json parts = Json::array();
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    parts.push_back({{"name", model.parts[p].name},
                     {"triangles", model.parts[p].mesh().triangles.size()},
                     {"counts", all_counts_json(inspection.part_counts[p])}});
  }
  object["parts"] = std::move(parts);
  object["counts"] = all_counts_json(inspection.counts);
  object["severities"] = {{"error", inspection.count(Severity::error)},
                          {"warning", inspection.count(Severity::warning)},
                          {"note", inspection.count(Severity::note)},
                          {"waived", inspection.waived()}};
  Json findings = Json::array();
  for (std::size_t i = 0; i < std::min(most_findings, inspection.findings.size()); ++i) {
    findings.push_back(finding_json(inspection.findings[i], model.unit));
  }
  object["findings_total"] = inspection.findings.size();
  object["findings"] = std::move(findings);
  Json waiting = Json::array();
  for (const Waiting& w : inspection.waiting) {
    waiting.push_back({{"part", w.part},
                       {"kind", slug(w.kind)},
                       {"shells", w.count},
                       {"waits_for", slug(w.waits_for)}});
  }
  object["waiting"] = std::move(waiting);
  object["hints"] = inspection.hints;
  object["pairs"] = pairs_json(model, inspection.pairs);
  if (const auto& p = inspection.proposed_tolerance) {
    object["proposed_tolerance"] = {
        {"value", p->value},   {"closes", p->closes},
        {"of", p->of},         {"tried", p->tried ? Json(*p->tried) : Json()},
        {"as_one", p->as_one}, {"stay_below", p->stay_below ? Json(*p->stay_below) : Json()},
        {"why", p->why}};
  } else {
    object["proposed_tolerance"] = nullptr;
  }
  if (inspection.quality) object["quality"] = quality_json(*inspection.quality);
  if (const auto& sizes = inspection.element_sizes) {
    object["element_size"] = {
        {"least", sizes->least}, {"largest", sizes->largest}, {"why", sizes->why}};
  }
  add_facts(object, facts);
  return object;
}

Json kind_json(const KindInfo& k) {
  Json waits = Json::array();
  for (const FindingKind w : k.waits_for) waits.push_back(slug(w));
  return {{"kind", k.slug},
          {"family", k.family},
          {"severity", slug(k.severity)},
          {"what", k.what},
          {"why", k.why},
          {"remedy", k.remedy},
          {"hints", k.hints},
          {"picture", k.picture},
          {"measures", k.measure_name},
          {"smaller_is_worse", k.smaller_is_worse},
          {"waits_for", std::move(waits)}};
}

Json explain_json(std::span<const FindingKind> kinds) {
  Json object;
  object["schema"] = schema_json("explain");
  object["kinds"] = Json::array();
  for (const FindingKind k : kinds) object["kinds"].push_back(kind_json(info(k)));
  return object;
}

Json certify_json(const Model& model, const Certificate& certificate, std::string_view digest,
                  std::optional<Density> density, std::span<const Expectation> expectations,
                  const RunFacts& facts) {
  Json object = certificate_json(model, certificate, digest, density, expectations);
  add_facts(object, facts);
  return object;
}

void add_written(Json& object, const Model& model, const WrittenFacts& facts) {
  object["output"] = facts.is_written() ? Json(facts.output) : Json(nullptr);
  object["write_notes"] = facts.write_notes;
  object["certificate"] =
      certificate_json(model, facts.certificate, facts.digest, std::nullopt, {});
  if (!facts.is_written()) object["certificate"]["digest"] = nullptr;
}

Json stitch_json(const Model& model, const StitchReport& report, const RunFacts& facts) {
  const StitchResult& r = report.result;
  Json object;
  object["schema"] = schema_json("stitch");
  add_model(object, model);
  object["tolerance"] = report.tolerance;
  object["tolerance_why"] = report.tolerance_why;
  object["steps"] = report.steps;
  object["naked_before"] = r.naked_before;
  object["naked_after"] = r.naked_after;
  object["joined"] = r.joined;
  object["inserted"] = r.inserted;
  object["turned_over"] = r.turned_over;
  object["largest_movement"] = report.largest_movement();
  object["largest_movement_at"] =
      r.largest_movement > 0 ? point_json(r.largest_movement_at) : Json(nullptr);
  object["largest_rounding"] = report.largest_rounding;
  Json refused = Json::array();
  for (const Refusal& join : r.refused) {
    refused.push_back({{"reason", slug(join.reason)}, {"place", point_json(join.place)}});
  }
  object["refused"] = std::move(refused);
  Json open = Json::array();
  for (const OpenRim& rim : r.still_open) {
    open.push_back({{"place", point_json(rim.place)},
                    {"box", box_json(rim.box)},
                    {"length", rim.length},
                    {"edges", rim.edges},
                    {"is_loop", rim.is_loop}});
  }
  object["still_open"] = std::move(open);
  add_written(object, model, report);
  add_facts(object, facts);
  return object;
}

Json compare_json(const Model& a, const Model& b, const Deviation& deviation,
                  const RunFacts& facts) {
  const auto one_way = [](const OneWayDeviation& d) {
    Json patches = Json::array();
    for (const PatchDeviation& p : d.patches) {
      patches.push_back({{"part", p.part},
                         {"patch", p.patch},
                         {"largest", p.largest},
                         {"mean", p.mean},
                         {"at", point_json(p.at)}});
    }
    return Json{{"largest", d.largest},
                {"largest_error", d.largest_error},
                {"mean", d.mean},
                {"mean_error", d.mean_error},
                {"at", point_json(d.at)},
                {"nearest", point_json(d.nearest)},
                {"patches", std::move(patches)}};
  };
  Json object;
  object["schema"] = schema_json("compare");
  object["unit"] = symbol(a.unit);
  object["notes"] = notes_of(a);
  for (const std::string& note : notes_of(b)) object["notes"].push_back(note);
  object["deviation"] = {{"a_to_b", one_way(deviation.a_to_b)},
                         {"b_to_a", one_way(deviation.b_to_a)}};
  add_facts(object, facts);
  return object;
}

Json distance_json(const Distance& d) {
  return {{"value", d.value()},
          {"components", point_json(d.components())},
          {"from", point_json(d.from)},
          {"to", point_json(d.to)}};
}

Json rim_json(const MeasuredRim& r) {
  return {{"part", r.part},
          {"length", r.length},
          {"edges", r.edges},
          {"loop", r.is_loop},
          {"center", point_json(r.center)},
          {"box", box_json(r.box)}};
}

Json patch_json(const MeasuredPatch& p, std::size_t number) {
  Json object = {{"number", number},       {"part", p.part},
                 {"name", p.name},         {"triangles", p.patch.triangles},
                 {"area", p.patch.area},   {"center", point_json(p.center)},
                 {"box", box_json(p.box)}, {"surface", nullptr},
                 {"fit_error", nullptr}};
  if (!p.patch.surface) return object;
  const Primitive& s = *p.patch.surface;
  Json surface = {{"kind", slug(s.kind)}, {"origin", point_json(s.origin)}};
  if (s.kind != PrimitiveKind::sphere) surface["axis"] = point_json(s.axis);
  if (s.kind == PrimitiveKind::cylinder || s.kind == PrimitiveKind::sphere) {
    surface["radius"] = s.radius;
  }
  if (s.kind == PrimitiveKind::cone) surface["half_angle"] = degrees(s.second);
  if (s.kind == PrimitiveKind::torus) {
    surface["major_radius"] = s.radius;
    surface["minor_radius"] = s.second;
  }
  object["surface"] = std::move(surface);
  object["fit_error"] = p.patch.fit_error;
  return object;
}

void add_asked(Json& object, const AskedMeasures& asked) {
  if (asked.between) {
    object["distance"] = distance_json(asked.between->distance);
    object["distance"]["between"] = {asked.between->from, asked.between->to};
  }
  if (asked.through) {
    Json& t = object["thickness"];
    t = {{"between", {asked.through->from, asked.through->to}}};
    const auto& found = asked.through->thickness;
    t["least"] = found ? Json(found->least) : Json(nullptr);
    t["mean"] = found ? Json(found->mean) : Json(nullptr);
    t["largest"] = found ? Json(found->largest) : Json(nullptr);
    t["covered"] = found ? found->covered : 0.0;
    t["at_least"] = found ? distance_json(found->at_least) : Json(nullptr);
  }
  if (asked.angle) object["angle"] = degrees(*asked.angle);
  if (asked.circle) {
    object["circle"] = {{"radius", asked.circle->radius},
                        {"center", point_json(asked.circle->center)},
                        {"axis", point_json(asked.circle->axis)}};
  }
  if (asked.rims) {
    object["rims"] = Json::array();
    for (const MeasuredRim& r : *asked.rims) object["rims"].push_back(rim_json(r));
  }
  if (!asked.patches.empty()) {
    object["patches"] = Json::array();
    for (std::size_t i = 0; i < asked.patches.size(); ++i) {
      object["patches"].push_back(patch_json(asked.patches[i], i));
    }
  }
}

Json measure_json(const Model& model, std::span<const Measurement> parts,
                  const AskedMeasures& asked, const RunFacts& facts) {
  const auto one = [&](const Measurement& m) {
    Json object;
    object["name"] = m.name;
    object["triangles"] = m.triangles;
    object["box"] = box_json(m.box);
    object["size"] = m.box.is_empty() ? Json(nullptr) : point_json(m.box.high - m.box.low);
    object["encloses"] = m.encloses;
    add_mass(object, m.mass, m.encloses, volume_doubt(m.mass.volume, m.crossings), model.unit,
             asked.density);
    return object;
  };
  Json object;
  object["schema"] = schema_json("measure");
  add_model(object, model);
  Json list = Json::array();
  for (const Measurement& m : parts) list.push_back(one(m));
  object["parts"] = std::move(list);
  object["total"] = one(total(parts));
  add_asked(object, asked);
  add_facts(object, facts);
  return object;
}

}  // namespace aguja
