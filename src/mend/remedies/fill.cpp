#include "mend/remedies/fill.h"

#include <set>

#include "mend/finding_openings.h"
#include "mend/surface_fill.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kFillSettings[] = {
    {"method", SettingType::word, "auto, flat, extend, fair, crease, ruled, taut"},
    {"prefer", SettingType::word, "auto: the method that is tried first"},
    {"tolerance", SettingType::length,
     "how far a rim may be off a plane to be flat; the budget if left out"},
    {"least_size", SettingType::length, "openings with a shorter rim are left"},
    {"largest_size", SettingType::length, "openings with a longer rim are left"},
    {"start", SettingType::point, "ruled: where the first line begins"},
    {"other_start", SettingType::point, "ruled: where it ends"},
    {"reverse", SettingType::flag, "ruled: the second rim runs the other way round"},
    {"refine", SettingType::flag,
     "divide until triangles are as large as those around; true if left out"}};

// None of the triangles has a naked edge any more.
bool is_closed_at(const Mesh& mesh, const EdgeTable& edges, std::span<const TriangleId> triangles) {
  for (const TriangleId t : triangles) {
    const Triangle& tri = mesh.triangle(t);
    for (std::size_t c = 0; c < 3; ++c) {
      const auto e = edges.find(tri[c], tri[(c + 1) % 3]);
      if (e && edges.is_naked(*e)) return false;
    }
  }
  return true;
}

Change run_fill(const RemedyInput& in) {
  const FillOptions options = fill_options(in.settings, in.tolerance);
  const FindingOpenings openings(in.known, options.tolerance, in.budget);
  std::set<Loop> taken;
  const WantedOpenings wanted = wanted_openings(openings, in.target, options.method, taken);
  std::optional<SurfaceFills> of_body;
  if (in.shape != nullptr) of_body.emplace(*in.shape, openings.known());
  std::vector<FillWish> wishes;
  for (const Opening& opening : wanted.openings) {
    wishes.push_back({opening, options, of_body ? of_body->of(opening) : std::nullopt});
  }
  FilledWishes filled =
      fill_each(openings.known(), wishes, options.tolerance, openings.left(), in.progress);
  Change change = std::move(filled.change);
  for (std::vector<Refusal>& some : filled.refused) {
    change.refused.insert(change.refused.end(), some.begin(), some.end());
  }
  change.refused.insert(change.refused.end(), wanted.refused.begin(), wanted.refused.end());
  if (change.done > 0) {
    if (openings.changed()) change = composed(*openings.changed(), std::move(change));
    return change;
  }
  // What was divided for nothing stays undivided.
  Change nothing = unchanged(in.mesh, in.budget);
  nothing.refused = std::move(change.refused);
  if (wanted.closed_already) nothing.methods = {kClosedAlready};
  return nothing;
}

}  // namespace

WantedOpenings wanted_openings(const FindingOpenings& openings, const RemedyTarget& target,
                               FillMethod method, std::set<Loop>& taken) {
  WantedOpenings out;
  if (target.findings.empty()) {
    // Not from findings: whatever is open along the triangles, or everything.
    const std::set<TriangleId> own(target.triangles.begin(), target.triangles.end());
    for (const Opening& opening : openings.all()) {
      if (own.empty() || openings.runs_along(opening.loops[0], own)) {
        out.openings.push_back(opening);
      }
    }
  }
  for (const Finding* f : target.findings) {
    const std::vector<Opening> own = openings.of(*f);
    if (own.empty() && is_closed_at(openings.mesh(), openings.edges(),
                                    openings.prepared_triangles(f->triangles))) {
      out.closed_already = true;
      continue;
    }
    if (own.empty()) out.refused.push_back({RefusalReason::not_a_loop, f->place, f->id});
    for (const Opening& opening : own) {
      // An island of one that is filled anyway is not filled twice.
      if (taken.contains(opening.loops[0])) {
        out.closed_already = true;
        continue;
      }
      taken.insert(opening.loops.begin(), opening.loops.end());
      out.openings.push_back(opening);
    }
  }
  // Two rims named together are bridged.
  if (method == FillMethod::ruled && target.findings.size() == 2 && out.openings.size() == 2 &&
      out.openings[0].loops.size() == 1 && out.openings[1].loops.size() == 1) {
    out.openings[0].loops.push_back(out.openings[1].loops[0]);
    out.openings.pop_back();
  }
  return out;
}

std::span<const SettingInfo> fill_settings() { return kFillSettings; }

FillOptions fill_options(const SettingReader& read, double tolerance) {
  FillOptions options;
  options.tolerance = read.number("tolerance").value_or(tolerance);
  if (const auto word = read.word("method")) {
    const auto method = parse_fill_method(*word);
    if (!method) read.fail("there is no method '" + *word + "' of fill");
    options.method = *method;
  }
  if (const auto word = read.word("prefer")) {
    options.prefer = parse_fill_method(*word);
    if (!options.prefer) read.fail("there is no method '" + *word + "' of fill");
  }
  options.least_size = read.number("least_size").value_or(0);
  options.largest_size = read.number("largest_size");
  options.start = read.point("start");
  options.other_start = read.point("other_start");
  options.reverse = read.flag("reverse").value_or(false);
  options.refine = read.flag("refine").value_or(true);
  return options;
}

constinit const RemedyInfo fill = {.slug = "fill",
                                   .what = "an opening gets the surface that is missing",
                                   .settings = kFillSettings,
                                   .run = run_fill};

}  // namespace aguja::remedies
