#include "aguja/inspect/inspect.h"

#include <algorithm>
#include <tuple>
#include <unordered_map>

#include "inspect/check.h"

namespace aguja {
namespace {

// Worst first. Findings that agree in everything people see fall back on their id.
bool is_worse(const Finding& a, const Finding& b) {
  const auto key = [](const Finding& f) {
    return std::tuple(f.severity, f.kind, -f.measure, f.place.x(), f.place.y(), f.place.z());
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

// Parts that are open alone may be faces of one body.
void hint_as_one(const Model& model, const InspectOptions& options, Inspection& inspection) {
  if (model.parts.size() < 2 || inspection.counts.naked_edges == 0) return;
  const Model one = as_one(model);
  const Mesh& mesh = one.parts[0].mesh;
  const Welded welded(mesh);
  const EdgeTable edges(welded.triangles(), welded.points().size());
  const std::size_t naked = count_edges(edges).naked;
  std::size_t left = naked;
  const RimSurvey survey = survey_rims(
      welded, mesh.patch_of, edges, find_components(welded.triangles(), edges),
      {.reach_fraction = options.limits.reach_fraction, .tolerance = options.tolerance});
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

}  // namespace

std::size_t Inspection::count(Severity severity) const {
  return static_cast<std::size_t>(std::count_if(
      findings.begin(), findings.end(), [&](const Finding& f) { return f.severity == severity; }));
}

Inspection inspect(const Model& model, const InspectOptions& options, StageTimes* times,
                   Progress* progress) {
  Inspection inspection;
  for (const Part& part : model.parts) {
    const Anatomy anatomy(part.mesh, times, progress);
    advance(progress, "pairing", 0.0);
    RimSurvey survey;
    timed(times, "pairing", [&] {
      survey = survey_rims(
          anatomy.welded, part.mesh.patch_of, anatomy.edges, anatomy.components,
          {.reach_fraction = options.limits.reach_fraction, .tolerance = options.tolerance});
    });
    inspection.proposed_tolerance =
        common_tolerance(inspection.proposed_tolerance, survey.proposal);
    const Causes causes(anatomy, survey, options.limits);
    const PartView view{part, anatomy, causes, survey, options.limits};
    FindingSink sink(part.name, inspection);
    for (const RegisteredCheck& check : registered_checks()) {
      if (check.on_part == nullptr) continue;
      advance(progress, check.name, 0.0);
      timed(times, check.name, [&] { check.on_part(view, sink); });
    }
    inspection.part_counts.push_back(anatomy.counts());
    inspection.counts += inspection.part_counts.back();
  }
  timed(times, "pairing", [&] { hint_as_one(model, options, inspection); });
  FindingSink sink("", inspection);
  for (const RegisteredCheck& check : registered_checks()) {
    if (check.on_model == nullptr) continue;
    timed(times, check.name, [&] { check.on_model(model, options.limits, sink); });
  }
  std::sort(inspection.findings.begin(), inspection.findings.end(), is_worse);
  make_ids_unique(inspection.findings);
  return inspection;
}

}  // namespace aguja
