#include "aguja/solid/certificate.h"

#include <algorithm>
#include <array>
#include <map>

#include "aguja/base/jobs.h"
#include "aguja/solid/measure.h"

namespace aguja {
namespace {

std::string counted(std::size_t count, std::string_view one, std::string_view many) {
  return std::to_string(count) + " " + std::string(count == 1 ? one : many);
}

// ` (#12, #15 and 3 more)`; nothing if the file numbers none of them.
std::string entity_list(std::span<const EntityNumber> entities) {
  constexpr std::size_t kMostNamed = 8;
  std::string text;
  std::size_t named = 0;
  for (const EntityNumber e : entities) {
    if (e == 0 || named == kMostNamed) continue;
    text += (named++ == 0 ? " (#" : ", #") + std::to_string(e);
  }
  if (named == 0) return "";
  if (entities.size() > named) text += " and " + std::to_string(entities.size() - named) + " more";
  return text + ")";
}

Verdict verdict_of(std::span<const Reason> reasons) {
  if (reasons.empty()) return Verdict::solid;
  const bool is_refuted =
      std::any_of(reasons.begin(), reasons.end(), [](const Reason& r) { return r.refutes(); });
  return is_refuted ? Verdict::not_solid : Verdict::undecided;
}

class PartJudge {
 public:
  PartJudge(const Anatomy& anatomy, std::vector<Reason>& reasons)
      : anatomy_(anatomy), reasons_(reasons) {}

  void judge() {
    if (anatomy_.shells.empty()) {
      add(ReasonKind::no_triangles, 1, "the part has no triangle with three different corners");
    }
    judge_edges();
    judge_vertices();
    judge_shells();
    judge_crossings();
  }

 private:
  void add(ReasonKind kind, std::size_t count, std::string text) {
    if (count > 0) reasons_.push_back({kind, "", count, std::move(text)});
  }

  void judge_edges() {
    const EdgeCounts& c = anatomy_.edge_counts;
    add(ReasonKind::naked_edges, c.naked,
        counted(c.naked, "edge has", "edges have") + " only one triangle: the surface is open");
    add(ReasonKind::nonmanifold_edges, c.nonmanifold,
        counted(c.nonmanifold, "edge has", "edges have") + " three or more triangles");
    add(ReasonKind::winding_conflicts, c.winding_conflicts,
        "at " + counted(c.winding_conflicts, "edge", "edges") +
            " the two triangles face opposite ways");
    const std::size_t others = c.unbalanced - c.naked - c.winding_conflicts;
    add(ReasonKind::unbalanced_edges, others,
        counted(others, "edge is", "edges are") +
            " used more often one way than the other, by three or more triangles");
    const std::size_t zero = anatomy_.zero_area.size();
    add(ReasonKind::zero_area, zero, counted(zero, "triangle has", "triangles have") + " no area");
  }

  void judge_vertices() {
    const std::size_t count = anatomy_.pinched.size();
    add(ReasonKind::nonmanifold_vertices, count,
        "at " + counted(count, "vertex", "vertices") +
            " several fans of triangles meet in nothing but that point");
  }

  void judge_shells() {
    std::size_t flat = 0, inverted = 0, nesting = 0, undecided = 0;
    for (const Shell& shell : anatomy_.shells) {
      if (!shell.closed || shell.waits_for_shell) continue;
      if (!shell.nesting_decided) {
        ++undecided;
      } else if (shell.volume_sign == 0) {
        ++flat;
      } else if (!shell.faces_right_way()) {
        ++(shell.depth == 0 ? inverted : nesting);
      }
    }
    add(ReasonKind::zero_volume, flat,
        counted(flat, "closed shell encloses", "closed shells enclose") + " exactly no volume");
    add(ReasonKind::inverted_shell, inverted,
        counted(inverted, "closed shell faces", "closed shells face") + " inward");
    add(ReasonKind::nesting, nesting,
        counted(nesting, "shell faces", "shells face") +
            " the same way as the shell around it: a cavity turned wrong, or a body in a body");
    add(ReasonKind::nesting_undecided, undecided,
        "whether " + counted(undecided, "shell lies", "shells lie") +
            " inside another cannot be told: they touch");
  }

  void judge_crossings() {
    const ContactCounts c = count_contacts(anatomy_.crossings);
    const std::string more =
        anatomy_.crossings_are_all ? "" : "; there are more, which nobody looked for";
    add(ReasonKind::crossing, c.crossing,
        counted(c.crossing, "pair of triangles passes", "pairs of triangles pass") +
            " through each other" + more);
    add(ReasonKind::overlap, c.overlap,
        counted(c.overlap, "pair of triangles lies", "pairs of triangles lie") +
            " over each other in a plane" + more);
    add(ReasonKind::touch, c.touch,
        counted(c.touch, "pair of triangles touches", "pairs of triangles touch") +
            " beyond shared vertices and edges" + more);
  }

  const Anatomy& anatomy_;
  std::vector<Reason>& reasons_;
};

}  // namespace

std::string_view slug(Verdict verdict) {
  constexpr std::array<std::string_view, 3> kSlugs = {"solid", "not-solid", "undecided"};
  return kSlugs.at(static_cast<std::size_t>(verdict));
}

std::string_view slug(ReasonKind kind) {
  constexpr std::array<std::string_view, 19> kSlugs = {
      "no-triangles",         "naked-edges",       "unbalanced-edges",  "nonmanifold-edges",
      "nonmanifold-vertices", "winding-conflicts", "zero-area",         "zero-volume",
      "inverted-shell",       "nesting",           "nesting-undecided", "lost-faces",
      "lost-shapes",          "crossing",          "overlap",           "touch",
      "parts-crossing",       "parts-identical",   "part-inside"};
  return kSlugs.at(static_cast<std::size_t>(kind));
}

PartEvidence judge(const Anatomy& anatomy) {
  PartEvidence evidence;
  PartJudge(anatomy, evidence.reasons).judge();
  evidence.shells = anatomy.shells;
  evidence.encloses = anatomy.edge_counts.unbalanced == 0 && !anatomy.shells.empty();
  evidence.counts = anatomy.counts();
  return evidence;
}

void Certifier::add(const std::string& part, const PartEvidence& evidence,
                    const Placement& placement) {
  ++parts_;
  names_.push_back(part);
  certificate_.part_verdicts.push_back(verdict_of(evidence.reasons));
  for (Reason reason : evidence.reasons) {
    reason.part = part;
    certificate_.reasons.push_back(std::move(reason));
  }
  certificate_.counts += evidence.counts;
  enclosing_ += evidence.encloses;
  const std::size_t base = certificate_.shells.size();
  for (Shell shell : evidence.shells) {
    shell.mass = placed(shell.mass, placement);
    shell.box = placed(shell.box, placement);
    regions_.push_back(shell.mass);
    std::optional<std::size_t> inside_of;
    if (shell.inside_of) inside_of = base + *shell.inside_of;
    certificate_.shells.push_back({part, std::move(shell), inside_of});
  }
}

void Certifier::add(std::vector<PartPair> pairs,
                    const std::function<bool(const PartPair&)>& is_meant) {
  std::array<std::size_t, 4> count{};
  for (const PartPair& pair : pairs) {
    if (is_meant(pair)) continue;
    ++count.at(static_cast<std::size_t>(pair.relation));
  }
  certificate_.pairs = std::move(pairs);
  const auto add = [&](ReasonKind kind, PartRelation relation, std::string_view one,
                       std::string_view many) {
    const std::size_t n = count.at(static_cast<std::size_t>(relation));
    if (n > 0) certificate_.reasons.push_back({kind, "", n, counted(n, one, many)});
  };
  add(ReasonKind::parts_crossing, PartRelation::crossing, "pair of parts passes through each other",
      "pairs of parts pass through each other");
  add(ReasonKind::parts_identical, PartRelation::identical, "pair of parts is one body twice",
      "pairs of parts are one body twice");
  add(ReasonKind::part_inside, PartRelation::inside, "part lies in the material of another",
      "parts lie in the material of others");
}

void Certifier::add(std::span<const LostSurface> lost) {
  std::vector<EntityNumber> shapes;
  for (const LostSurface& l : lost) {
    if (l.part.empty()) {
      shapes.insert(shapes.end(), l.entities.begin(), l.entities.end());
      continue;
    }
    const std::size_t n = l.entities.size();
    certificate_.reasons.push_back(
        {ReasonKind::lost_faces, l.part, n,
         counted(n, "face", "faces") + " of its file " + (n == 1 ? "is" : "are") + " missing" +
             entity_list(l.entities) + ": what closes it there is a guess"});
    for (std::size_t p = 0; p < names_.size(); ++p) {
      if (names_[p] == l.part) certificate_.part_verdicts[p] = Verdict::not_solid;
    }
  }
  if (shapes.empty()) return;
  certificate_.reasons.push_back({ReasonKind::lost_shapes, "", shapes.size(),
                                  "of " + counted(shapes.size(), "shape", "shapes") +
                                      " of the file nothing could be made" + entity_list(shapes)});
}

Certificate Certifier::finish() && {
  if (parts_ == 0) {
    certificate_.reasons.push_back({ReasonKind::no_triangles, "", 1, "the model has no parts"});
  }
  certificate_.encloses = parts_ > 0 && enclosing_ == parts_;
  certificate_.mass = combine(regions_);
  std::stable_partition(certificate_.reasons.begin(), certificate_.reasons.end(),
                        [](const Reason& r) { return r.refutes(); });
  certificate_.verdict = verdict_of(certificate_.reasons);
  return std::move(certificate_);
}

std::string volume_doubt(const Certificate& certificate) {
  const bool counts_twice =
      std::any_of(certificate.reasons.begin(), certificate.reasons.end(), [](const Reason& r) {
        return r.kind == ReasonKind::parts_crossing || r.kind == ReasonKind::parts_identical ||
               r.kind == ReasonKind::part_inside;
      });
  if (counts_twice) return "what two parts fill both counts twice";
  return volume_doubt(certificate.mass.volume,
                      certificate.counts.crossing_pairs + certificate.counts.overlap_pairs);
}

Certificate certify(const Model& model, const CertifyOptions& options, StageTimes* times,
                    Progress* progress) {
  struct Job {
    const Shape* shape;
    PartEvidence evidence;
    StageTimes times;
  };
  std::vector<Job> jobs;
  std::vector<std::size_t> job_of, sizes;
  std::map<const Shape*, std::size_t> numbers;
  for (const Part& part : model.parts) {
    const Shape* shape = part.placement().is_rigid() ? part.shape().get() : &part.placed();
    const auto [at, is_new] = numbers.try_emplace(shape, jobs.size());
    if (is_new) {
      jobs.push_back({shape, {}, {}});
      sizes.push_back(shape->mesh.triangles.size());
    }
    job_of.push_back(at->second);
  }
  run_jobs(sizes, kSmallMesh, "certify", progress, [&](std::size_t i, Progress* told) {
    jobs[i].evidence = judge(Anatomy(jobs[i].shape->mesh, &jobs[i].times, told));
  });
  Certifier certifier;
  std::vector<bool> is_solid;
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    const Part& part = model.parts[p];
    is_solid.push_back(jobs[job_of[p]].evidence.is_solid());
    certifier.add(part.name, jobs[job_of[p]].evidence,
                  part.placement().is_rigid() ? part.placement() : Placement{});
  }
  if (times != nullptr) {
    for (const Job& job : jobs) times->add(job.times);
  }
  certifier.add(model.lost);
  if (!options.parts_apart) {
    certifier.add(
        timed(times, "between parts", [&] { return relate_parts(model, is_solid, progress); }),
        [&](const PartPair& pair) { return options.is_meant && options.is_meant(model, pair); });
  }
  return std::move(certifier).finish();
}

}  // namespace aguja
