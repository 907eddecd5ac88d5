#include "aguja/inspect/inspect.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>
#include <numbers>
#include <tuple>
#include <unordered_map>

#include <Eigen/Geometry>

#include "aguja/base/jobs.h"
#include "aguja/model/proposed_tolerance.h"
#include "aguja/solid/internal_triangles.h"
#include "inspect/checks.h"

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

std::string hex16(std::uint64_t value) {
  constexpr std::string_view kDigits = "0123456789abcdef";
  std::string text;
  for (int shift = 60; shift >= 0; shift -= 4) text += kDigits[(value >> shift) & 15u];
  return text;
}

// Equal defects (the same triangle three times in three parts) have equal digests: their order
// tells them apart.
void make_ids_unique(std::vector<Finding>& findings) {
  std::unordered_map<std::string, std::size_t> times;
  for (Finding& f : findings) {
    const std::size_t n = ++times[f.id];
    if (n > 1) f.id += "-" + std::to_string(n);
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
  const Mesh& mesh = one.parts[0].mesh();
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
    inspection.proposed_tolerance->as_one = true;
  }
}

bool wanted(const Check& check, const FindingSink& sink) {
  return check.is_counted || std::any_of(check.kinds.begin(), check.kinds.end(),
                                         [&](FindingKind kind) { return sink.wants(kind); });
}

std::vector<const Check*> checks_of(const InspectOptions& options) {
  std::vector<const Check*> checks;
  for (const Check& c : all_checks()) checks.push_back(&c);
  for (const Check& c : options.more_checks) checks.push_back(&c);
  return checks;
}

bool needs_patches(const InspectOptions& options, const FindingSink& sink) {
  const auto checks = checks_of(options);
  return options.profile.element_size || options.keep_patches ||
         std::any_of(checks.begin(), checks.end(),
                     [&](const Check* c) { return c->needs_patches && wanted(*c, sink); });
}

// Do the patches of the file tell faces? What is left of a part without patches when a fill was put
// in is none, nor is a group of faces that turn sharply into each other and make up nearly all of it.
bool tell_faces(const Shape& shape, const Anatomy& anatomy, double sharp_angle) {
  const auto& patch_of = shape.mesh.patch_of;
  const auto normal_of = [&](TriangleId t) {
    const Triangle& c = anatomy.welded.triangle(t);
    const Point& a = anatomy.welded.point(c[0]);
    return Vector((anatomy.welded.point(c[1]) - a).cross(anatomy.welded.point(c[2]) - a));
  };
  std::vector<double> area(patch_count(shape));
  std::vector<bool> is_sharp(area.size());
  double all = 0;
  std::size_t faces = 0;
  for (std::uint32_t t = 0; t < patch_of.size(); ++t) {
    if (is_fill(shape, patch_of[t])) continue;
    const double own = normal_of({t}).norm();
    faces += static_cast<std::size_t>(area[patch_of[t].value] == 0 && own > 0);
    area[patch_of[t].value] += own;
    all += own;
  }
  if (faces <= 1) return false;
  const double cosine = std::cos(sharp_angle);
  for (std::uint32_t e = 0; e < anatomy.edges.size(); ++e) {
    const auto uses = anatomy.edges.uses({e});
    if (uses.size() != 2 || uses[0].forward() == uses[1].forward()) continue;
    const TriangleId t = uses[0].triangle(), u = uses[1].triangle();
    if (patch_of[t.value] != patch_of[u.value]) continue;
    const Vector m = normal_of(t), n = normal_of(u);
    if (m.dot(n) < cosine * m.norm() * n.norm()) is_sharp[patch_of[t.value].value] = true;
  }
  constexpr double kMostOfIt = 0.9;
  for (std::size_t p = 0; p < area.size(); ++p) {
    if (is_sharp[p] && area[p] > kMostOfIt * all) return false;
  }
  return true;
}

// What a fill made stays to be seen, also where it continues what is around it.
void set_fills_apart(const Shape& shape, const Anatomy& anatomy, Patches& patches) {
  std::map<std::pair<PatchId, PatchId>, std::vector<std::uint32_t>> fills;  // by both patches
  for (std::uint32_t t = 0; t < shape.mesh.patch_of.size(); ++t) {
    const PatchId p = shape.mesh.patch_of[t];
    if (is_fill(shape, p) && patches.patch_of[t].value != kNoIndex) {
      fills[{patches.patch_of[t], p}].push_back(t);
    }
  }
  for (const auto& [both, triangles] : fills) {
    const PatchId whole = both.first;
    if (triangles.size() == patches.patches[whole.value].triangles) continue;
    const PatchId own{static_cast<std::uint32_t>(patches.patches.size())};
    Patch fill = patches.patches[whole.value];
    fill.triangles = triangles.size();
    fill.area = 0;
    for (const std::uint32_t t : triangles) {
      const Triangle& c = anatomy.welded.triangle({t});
      const Point& corner = anatomy.welded.point(c[0]);
      fill.area +=
          0.5 *
          (anatomy.welded.point(c[1]) - corner).cross(anatomy.welded.point(c[2]) - corner).norm();
      patches.patch_of[t] = own;
    }
    patches.patches[whole.value].triangles -= fill.triangles;
    patches.patches[whole.value].area -= fill.area;
    patches.patches.push_back(std::move(fill));
  }
}

Patches patches_of(const Shape& shape, const Anatomy& anatomy, const ResolvedLimits& limits,
                   double crack_tolerance, PatchMemory* memory) {
  PatchOptions options;
  options.sharp_angle = limits[Limit::sharp_edge] * std::numbers::pi / 180;
  // What lies on a crack may be off by its width.
  options.fit =
      fit_for(anatomy.welded.points(), std::max(limits[Limit::patch_fit], crack_tolerance));
  const bool by_file = !shape.mesh.patch_of.empty() &&
                       (!shape.surfaces.empty() || tell_faces(shape, anatomy, options.sharp_angle));
  if (by_file) return patches_of_file(anatomy.welded, shape.mesh.patch_of, options);
  Patches patches = recognise_patches(anatomy.welded, anatomy.edges, options, memory);
  set_fills_apart(shape, anatomy, patches);
  return patches;
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

std::string id_of(FindingKind kind, std::uint64_t of_part, const Placement& placement) {
  Identity identity;
  identity.add_number(of_part);
  identity.add_placement(placement);
  return std::string(slug(kind)) + "-" + hex16(identity.value());
}

std::vector<TriangleId> triangles_within(const Mesh& mesh, const Box& box) {
  std::vector<TriangleId> found;
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    Box own;
    for (std::size_t i = 0; i < 3; ++i) own.extend(mesh.points[mesh.triangles[t][i].value]);
    if (own.meets(box)) found.push_back({t});
  }
  return found;
}

// Which parts, whichever comes first.
Identity identity_of(const Model& model, const PartPair& pair) {
  Identity both;
  for (const std::size_t p : {pair.first, pair.second}) {
    const Part& part = model.parts[p];
    Identity one;
    for (const SurfaceOrigin& own : part.shape()->surfaces) {
      one.add_entity(own.body->body.entity);
      one.add_placement(own.placement);
      one.add_placement(part.placement());
    }
    if (part.shape()->surfaces.empty()) one.add_points(part.mesh().points);
    both.add_number(one.value());
  }
  return both;
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

PartInspectionPtr inspect_shape(const Shape& shape, Intent intent, LengthUnit unit,
                                const InspectOptions& options, StageTimes* times,
                                Progress* progress, const KnownMeshPtr& known) {
  auto out = std::make_shared<PartInspection>();
  const Mesh& mesh = shape.mesh;
  FindingSink sink(&shape, options);
  std::optional<ResolvedLimits> resolved;
  RimSurvey survey;
  std::optional<Patches> patches;
  StageTimes beside;
  // Recognising patches takes one thread, the search for crossings all that are left.
  const auto meanwhile = [&](const Anatomy& a) {
    Box box;
    for (const Shell& shell : a.shells) box.extend(shell.box);
    resolved.emplace(options.profile, box.diagonal(), unit);
    survey = beside.time("pairing", [&] {
      SurveyOptions how = survey_options(options, *resolved, box);
      how.widest_crack = widest_crack(shape);
      return survey_rims(a.welded, mesh.patch_of, a.edges, a.components, how);
    });
    if (!needs_patches(options, sink)) return;
    patches = beside.time("patches", [&] {
      return patches_of(shape, a, *resolved, survey.tolerance,
                        known ? known->patch_memory() : nullptr);
    });
  };
  const Anatomy anatomy(mesh, times, progress, meanwhile, known);
  if (times != nullptr) times->add(beside);
  const ResolvedLimits& limits = *resolved;
  out->evidence = judge(anatomy);
  out->proposed_tolerance = survey.proposal;
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
  const PartView view{shape, anatomy, causes, survey, *joined, material, patches, limits, intent};
  if (options.profile.element_size) {
    timed(times, "quality", [&] {
      out->quality = measure_quality(anatomy, limits);
      out->element_sizes = propose_sizes(anatomy, *patches, limits);
    });
  }
  for (const Check* check : checks_of(options)) {
    if (!check->on_part || !wanted(*check, sink)) continue;
    advance(progress, check->name, 0.0);
    timed(times, check->name, [&] { check->on_part(view, sink); });
  }
  sink.settle_waiting();
  out->counts = anatomy.counts();
  out->counts.inverted_shells = sink.seen(FindingKind::inverted_shell);
  // Contacts between the sides of cracks put nothing into anything.
  const bool crossing = sink.seen(FindingKind::crossing) + sink.seen(FindingKind::overlap) > 0;
  out->counts.internal_triangles = timed(times, "material", [&] {
    return count_internal_triangles(anatomy, *joined, material, crossing);
  });
  out->findings = sink.take_findings();
  out->waiting = sink.take_waiting();
  if (options.keep_patches) out->patches = std::move(patches);
  return out;
}

std::optional<Finding> pair_finding(const Model& model, const PartPair& pair) {
  if (pair.relation == PartRelation::touching) return std::nullopt;
  Finding finding;
  finding.kind = pair.relation == PartRelation::crossing    ? FindingKind::interference
                 : pair.relation == PartRelation::identical ? FindingKind::duplicate_part
                                                            : FindingKind::enclosed_part;
  finding.part_index = pair.first;
  finding.part = model.parts[pair.first].name;
  finding.further_parts.push_back({model.parts[pair.second].name, pair.second, {}, 0});
  finding.count = 2;
  finding.measure = pair.volume.value_or(0);
  finding.depth = pair.depth;
  finding.box = pair.box;
  finding.place = pair.box.center();
  if (!pair.volume) finding.detail = "the volume is not known: not both are solids by themselves";
  return finding;
}

bool is_meant(const Profile& profile, const Model& model, const PartPair& pair) {
  auto finding = pair_finding(model, pair);
  if (!finding) return true;
  if (profile.waivers.empty()) return false;
  const Identity identity = identity_of(model, pair);
  finding->id = id_of(finding->kind, identity.value(), {});
  return std::any_of(profile.waivers.begin(), profile.waivers.end(),
                     [&](const Waiver& w) { return w.covers(*finding); });
}

InspectedShape inspected_shape(const Part& part) {
  if (part.placement().is_rigid()) return {*part.shape(), part.placement()};
  return {part.placed(), {}};
}

Inspection merged(const Model& model, std::span<const PartInspectionPtr> parts,
                  const InspectOptions& options, StageTimes* times, Progress* progress) {
  Inspection inspection;
  Certifier certifier;
  std::vector<bool> is_solid;
  const auto finish = [&](Finding f, const Placement& placement) {
    if (f.part_index) f.part = model.parts[*f.part_index].name;
    for (PartEntities& p : f.further_parts) p.part = model.parts[p.part_index].name;
    f.severity = options.profile.severity(f.kind);
    f.id = id_of(f.kind, f.identity, placement);
    f.place = placement(f.place);
    f.box = placed(f.box, placement);
    inspection.findings.push_back(std::move(f));
  };
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    const PartInspection& own = *parts[p];
    const Placement placement = inspected_shape(model.parts[p]).placement;
    inspection.part_counts.push_back(own.counts);
    inspection.counts += own.counts;
    inspection.proposed_tolerance =
        common_tolerance(inspection.proposed_tolerance, own.proposed_tolerance);
    if (own.quality) add_quality(inspection, *own.quality, *own.element_sizes);
    if (own.patches) inspection.patches.push_back(*own.patches);
    certifier.add(model.parts[p].name, own.evidence, placement);
    is_solid.push_back(own.evidence.is_solid());
    for (const Waiting& w : own.waiting) {
      inspection.waiting.push_back({model.parts[p].name, w.kind, w.count, w.waits_for});
    }
    for (const Finding& f : own.findings) {
      Finding of_part = f;
      of_part.part_index = p;
      finish(std::move(of_part), placement);
    }
  }
  if (!options.profile.parts_apart) {
    inspection.pairs =
        timed(times, "between parts", [&] { return relate_parts(model, is_solid, progress); });
  }
  if (options.certify) {
    certifier.add(model.lost);
    certifier.add(inspection.pairs,
                  [&](const PartPair& pair) { return is_meant(options.profile, model, pair); });
    inspection.certificate = std::move(certifier).finish();
  }
  timed(times, "pairing", [&] { hint_as_one(model, options, inspection); });
  FindingSink sink(nullptr, options);
  const ResolvedLimits limits(options.profile, box_of(model).diagonal(), model.unit);
  for (const Check* check : checks_of(options)) {
    if (!check->on_model || !wanted(*check, sink)) continue;
    timed(times, check->name, [&] { check->on_model(model, limits, sink); });
  }
  report_quality(model, options, limits, inspection, sink);
  for (const PartPair& pair : inspection.pairs) {
    auto finding = pair_finding(model, pair);
    if (!finding || !sink.wants(finding->kind)) continue;
    const auto triangles_of = [&](std::size_t part) {
      const Mesh& mesh = model.parts[part].mesh();
      if (pair.relation != PartRelation::identical) return triangles_within(mesh, pair.box);
      std::vector<TriangleId> all(mesh.triangles.size());
      for (std::uint32_t t = 0; t < all.size(); ++t) all[t] = {t};
      return all;
    };
    finding->further_parts[0].triangles = triangles_of(pair.second);
    sink.add(std::move(*finding), identity_of(model, pair), triangles_of(pair.first));
  }
  for (Finding& f : sink.take_findings()) finish(std::move(f), {});
  // Twins are told apart by where they are, so that their ids do not depend on their order.
  std::sort(inspection.findings.begin(), inspection.findings.end(), is_worse);
  make_ids_unique(inspection.findings);
  for (Finding& f : inspection.findings) {
    for (const Waiver& waiver : options.profile.waivers) {
      if (!f.waived && waiver.covers(f)) f.waived = waiver.reason;
    }
  }
  std::stable_partition(inspection.findings.begin(), inspection.findings.end(),
                        [](const Finding& f) { return !f.waived; });
  return inspection;
}

std::vector<PartInspectionPtr> inspect_parts(const Model& model,
                                             std::vector<PartInspectionPtr> known,
                                             const InspectOptions& options, StageTimes* times,
                                             Progress* progress,
                                             std::span<const KnownMeshPtr> meshes) {
  struct Job {
    const Shape* shape;
    Intent intent;
    PartInspectionPtr found;
    KnownMeshPtr mesh;
    StageTimes times;
  };
  std::vector<Job> jobs;
  std::vector<std::size_t> job_of(model.parts.size());
  std::map<std::pair<const Shape*, Intent>, std::size_t> numbers;
  known.resize(model.parts.size());
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    const Shape* shape = &inspected_shape(model.parts[p]).shape;
    const Intent intent = options.profile.intent_of(model.parts[p].name);
    const auto [at, is_new] = numbers.try_emplace({shape, intent}, jobs.size());
    if (is_new) jobs.push_back({shape, intent, {}, {}, {}});
    job_of[p] = at->second;
    if (known[p]) jobs[at->second].found = known[p];
    if (!meshes.empty() && meshes[p] && &meshes[p]->mesh() == &shape->mesh &&
        shape->mesh.points_are_distinct) {
      jobs[at->second].mesh = meshes[p];
    }
  }
  std::vector<std::size_t> left, sizes;
  for (std::size_t j = 0; j < jobs.size(); ++j) {
    if (jobs[j].found) continue;
    left.push_back(j);
    sizes.push_back(jobs[j].shape->mesh.triangles.size());
  }
  // Checks of others may not be made for several threads.
  run_jobs(sizes, options.more_checks.empty() ? kSmallMesh : 0, "inspect", progress,
           [&](std::size_t i, Progress* told) {
             Job& job = jobs[left[i]];
             job.found = inspect_shape(*job.shape, job.intent, model.unit, options, &job.times,
                                       told, job.mesh);
           });
  for (std::size_t p = 0; p < model.parts.size(); ++p) known[p] = jobs[job_of[p]].found;
  if (times != nullptr) {
    for (const Job& job : jobs) times->add(job.times);
  }
  return known;
}

Inspection inspect(const Model& model, const InspectOptions& options, StageTimes* times,
                   Progress* progress) {
  return merged(model, inspect_parts(model, {}, options, times, progress), options, times,
                progress);
}

}  // namespace aguja
