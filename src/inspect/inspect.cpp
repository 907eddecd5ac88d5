#include "aguja/inspect/inspect.h"

#include <algorithm>
#include <memory>
#include <numbers>
#include <tuple>
#include <unordered_map>

#include "aguja/base/parallel.h"
#include "aguja/solid/internal_triangles.h"
#include "inspect/check.h"

namespace aguja {
namespace {

// Worst first. Findings that agree in everything people see fall back on their id.
bool is_worse(const Finding& a, const Finding& b) {
  const auto key = [](const Finding& f) {
    return std::tuple(f.waived.has_value(), f.severity, f.kind,
                      info(f.kind).smaller_is_worse ? f.measure : -f.measure, f.place.x(),
                      f.place.y(), f.place.z());
  };
  const auto ka = key(a);
  const auto kb = key(b);
  if (ka != kb) return ka < kb;
  return std::tie(a.id, a.part) < std::tie(b.id, b.part);
}

// Equal defects (the same triangle three times in three parts) have equal digests.
void make_ids_unique(std::vector<Finding>& findings) {
  std::unordered_map<std::string, std::size_t> seen;
  for (Finding& f : findings) {
    const std::size_t times = ++seen[f.id];
    if (times > 1) f.id += "-" + std::to_string(times);
  }
}

SurveyOptions survey_options(const InspectOptions& options, const ResolvedLimits& limits,
                             const Box& box) {
  const double diagonal = box.diagonal();
  return {.reach_fraction = diagonal > 0 ? limits[Limit::reach] / diagonal : 0.0,
          .tolerance = options.profile.tolerance};
}

// Is there anything that closed shells by themselves do not tell?
bool needs_material(const Anatomy& a) {
  return a.edge_counts.naked > 0 || a.edge_counts.nonmanifold > 0 ||
         a.edge_counts.winding_conflicts > 0 || a.edge_counts.unbalanced > 0;
}

// Parts that are open alone may be faces of one body.
void hint_as_one(const Model& model, const InspectOptions& options, Inspection& inspection) {
  if (model.parts.size() < 2 || inspection.counts.naked_edges == 0) return;
  const Model one = as_one(model);
  const Mesh& mesh = one.parts[0].mesh;
  const Welded welded(mesh);
  const EdgeTable edges(welded.triangles(), welded.points().size());
  const std::size_t naked = count_edges(edges).naked;
  std::size_t left = naked;
  const ResolvedLimits limits(options.profile, box_of(mesh).diagonal(), model.unit);
  const RimSurvey survey =
      survey_rims(welded, mesh.patch_of, edges, find_components(welded.triangles(), edges),
                  survey_options(options, limits, box_of(mesh)));
  if (survey.joined) {
    left = count_edges(EdgeTable(survey.joined->mesh.triangles, survey.joined->mesh.points.size()))
               .naked;
  }
  // Each part by itself would close some of its cracks, too: only what they close together counts.
  if (4 * left >= inspection.counts.naked_edges) return;
  inspection.hints.push_back(
      "the " + std::to_string(model.parts.size()) + " parts have " +
      std::to_string(inspection.counts.naked_edges) +
      " naked edges; taken as one body (--as-one) " +
      (naked < inspection.counts.naked_edges
           ? std::to_string(inspection.counts.naked_edges - naked) + " of them meet exactly"
           : "they face each other") +
      ", and " + std::to_string(left) + " would stay open");
  if (survey.proposal && !inspection.proposed_tolerance) {
    inspection.proposed_tolerance = survey.proposal;
  }
}

bool wanted(const RegisteredCheck& check, const FindingSink& sink) {
  return std::any_of(check.kinds.begin(), check.kinds.end(),
                     [&](FindingKind kind) { return sink.wants(kind); });
}

bool needs_patches(const InspectOptions& options, const FindingSink& sink) {
  return options.profile.element_size || options.keep_patches ||
         std::any_of(registered_checks().begin(), registered_checks().end(),
                     [&](const RegisteredCheck& c) { return c.needs_patches && wanted(c, sink); });
}

Patches patches_of(const Part& part, const Anatomy& anatomy, const ResolvedLimits& limits,
                   double crack_tolerance) {
  PatchOptions options;
  options.sharp_angle = limits[Limit::sharp_edge] * std::numbers::pi / 180;
  // What lies on a crack may be off by its width.
  options.fit =
      fit_for(anatomy.welded.points(), std::max(limits[Limit::patch_fit], crack_tolerance));
  return aguja::patches_of(anatomy.welded, anatomy.edges, part.mesh.patch_of, options);
}

void add_quality(Inspection& inspection, const Quality& quality, const ElementSizes& sizes) {
  inspection.quality = inspection.quality ? combined(*inspection.quality, quality) : quality;
  if (sizes.largest <= 0) return;
  if (!inspection.element_sizes) {
    inspection.element_sizes = sizes;
    return;
  }
  ElementSizes& all = *inspection.element_sizes;
  if (sizes.least < all.least) {
    all.least = sizes.least;
    all.why[0] = sizes.why[0];
  }
  if (sizes.largest < all.largest) {
    all.largest = std::max(all.least, sizes.largest);
    all.why[1] = sizes.why[1];
  }
}

// Whether too many triangles are beyond the limits.
void report_quality(const Model& model, const InspectOptions& options, const ResolvedLimits& limits,
                    Inspection& inspection, FindingSink& sink) {
  if (!inspection.quality || inspection.quality->triangles == 0) return;
  const Quality& q = *inspection.quality;
  const double share = static_cast<double>(q.beyond) / static_cast<double>(q.triangles);
  if (!options.profile.element_size || share <= limits[Limit::quality_share]) return;
  Finding finding;
  finding.kind = FindingKind::element_quality;
  finding.count = q.beyond;
  finding.measure = share;
  finding.limit = limits[Limit::quality_share];
  finding.box = box_of(model);
  finding.place = finding.box.center();
  finding.detail = std::to_string(q.aspect_ratio.beyond) + " by aspect ratio, " +
                   std::to_string(q.least_angle.beyond) + " by least angle, " +
                   std::to_string(q.largest_angle.beyond) + " by largest angle";
  const Point corners[] = {finding.box.low, finding.box.high};
  sink.add(std::move(finding), corners);
}

}  // namespace

std::size_t Inspection::count(Severity severity) const {
  return static_cast<std::size_t>(
      std::count_if(findings.begin(), findings.end(),
                    [&](const Finding& f) { return f.severity == severity && !f.waived; }));
}

std::size_t Inspection::waived() const {
  return static_cast<std::size_t>(std::count_if(
      findings.begin(), findings.end(), [](const Finding& f) { return f.waived.has_value(); }));
}

Inspection inspect(const Model& model, const InspectOptions& options, StageTimes* times,
                   Progress* progress) {
  Inspection inspection;
  std::optional<Certifier> certifier;
  if (options.certify) certifier.emplace();
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    const Part& part = model.parts[p];
    const Anatomy anatomy(part.mesh, times, progress);
    if (certifier) certifier->add(part, anatomy);
    advance(progress, "pairing", 0.0);
    Box box;
    for (const Shell& shell : anatomy.shells) box.extend(shell.box);
    const ResolvedLimits limits(options.profile, box.diagonal(), model.unit);
    const RimSurvey survey = timed(times, "pairing", [&] {
      return survey_rims(anatomy.welded, part.mesh.patch_of, anatomy.edges, anatomy.components,
                         survey_options(options, limits, box));
    });
    inspection.proposed_tolerance =
        common_tolerance(inspection.proposed_tolerance, survey.proposal);
    advance(progress, "material", 0.0);
    const auto joined = timed(times, "pairing", [&] {
      return std::make_unique<JoinedSurface>(anatomy.welded, anatomy.edges, anatomy.components,
                                             anatomy.rims, survey);
    });
    const ContactCounts contacts = count_contacts(anatomy.crossings);
    const Surplus surplus(anatomy);
    const std::optional<Material> material =
        timed(times, "material", [&]() -> std::optional<Material> {
          if (!needs_material(anatomy)) return std::nullopt;
          return find_material(*joined, surplus.marks(), contacts.crossing + contacts.overlap > 0);
        });
    const Causes causes(anatomy, surplus, survey, *joined, material, limits);
    FindingSink sink(model, p, options, inspection);
    const std::optional<Patches> patches = timed(times, "patches", [&]() -> std::optional<Patches> {
      if (!needs_patches(options, sink)) return std::nullopt;
      advance(progress, "patches", 0.0);
      return patches_of(part, anatomy, limits, survey.tolerance);
    });
    const PartView view{part,    anatomy, causes,
                        survey,  *joined, material,
                        patches, limits,  options.profile.intent_of(part.name)};
    if (options.profile.element_size) {
      timed(times, "quality", [&] {
        add_quality(inspection, measure_quality(anatomy, limits),
                    propose_sizes(anatomy, *patches, limits));
      });
    }
    for (const RegisteredCheck& check : registered_checks()) {
      if (check.on_part == nullptr || !wanted(check, sink)) continue;
      advance(progress, check.name, 0.0);
      timed(times, check.name, [&] { check.on_part(view, sink); });
    }
    sink.settle_waiting();
    if (options.keep_patches) inspection.patches.push_back(*patches);
    Counts counts = anatomy.counts();
    counts.inverted_shells = sink.inverted_shells();
    // Contacts between the sides of cracks put nothing into anything.
    const bool crossing = sink.has_found({FindingKind::crossing, FindingKind::overlap});
    counts.internal_triangles = timed(times, "material", [&] {
      return count_internal_triangles(anatomy, *joined, material, crossing);
    });
    inspection.part_counts.push_back(counts);
    inspection.counts += inspection.part_counts.back();
  }
  if (certifier) inspection.certificate = std::move(*certifier).finish();
  timed(times, "pairing", [&] { hint_as_one(model, options, inspection); });
  FindingSink sink(model, std::nullopt, options, inspection);
  const ResolvedLimits limits(options.profile, box_of(model).diagonal(), model.unit);
  for (const RegisteredCheck& check : registered_checks()) {
    if (check.on_model == nullptr || !wanted(check, sink)) continue;
    timed(times, check.name, [&] { check.on_model(model, limits, sink); });
  }
  report_quality(model, options, limits, inspection, sink);
  for (const GivenFinding& g : options.given) {
    FindingSink own(model, g.finding.part_index, options, inspection);
    own.add(g.finding, g.geometry, g.triangles);
  }
  std::sort(inspection.findings.begin(), inspection.findings.end(), is_worse);
  make_ids_unique(inspection.findings);
  return inspection;
}

}  // namespace aguja
