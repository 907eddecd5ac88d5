#include <algorithm>
#include <map>
#include <set>

#include "aguja/mend/harm.h"
#include "aguja/mend/run_step.h"
#include "mend/editable_mesh.h"
#include "mend/ledger.h"
#include "mend/remedies/fill.h"
#include "mend/surface_fill.h"
#include "mend/targets.h"

namespace aguja {
namespace {

// One step's share of the fills of one part.
struct FillShare {
  std::size_t step = 0;  // among those given
  RemedyTarget target = {};
  FillOptions options = {};
  bool closed_already = false;
  std::vector<Refusal> refused = {};
  std::size_t first = 0, count = 0;  // of its wishes
};

class GroupOfFills {
 public:
  GroupOfFills(const MendState& state, std::span<const Finding> findings,
               std::span<const Step> steps, const StepOptions& options, Progress* progress)
      : state_(state), findings_(findings), steps_(steps), options_(options), progress_(progress) {}

  // Nothing if they must see each other.
  std::optional<FillsResult> run() {
    result_.together.state = state_;
    result_.lines_of_step.resize(steps_.size());
    std::map<std::size_t, std::vector<FillShare>> by_part;
    for (std::size_t s = 0; s < steps_.size(); ++s) {
      const SettingReader read(steps_[s].number, steps_[s].settings);
      if (steps_[s].budget || read.number("tolerance")) return std::nullopt;
      for (RemedyTarget& target : targets_of(state_, findings_, steps_[s])) {
        const std::size_t part = target.part;
        by_part[part].push_back(
            {s, std::move(target), remedies::fill_options(read, options_.tolerance)});
      }
    }
    for (auto& [part, shares] : by_part) {
      if (!fill_part(part, shares)) return std::nullopt;
    }
    for (std::size_t s = 0; s < steps_.size(); ++s) {
      auto& lines = result_.lines_of_step[s];
      if (lines.empty()) {
        lines.emplace_back();
        lines[0].step = steps_[s].number;
        lines[0].remedy = steps_[s].remedy;
      }
      result_.together.lines.insert(result_.together.lines.end(), lines.begin(), lines.end());
    }
    return std::move(result_);
  }

 private:
  bool fill_part(std::size_t part, std::vector<FillShare>& shares) {
    const Mesh& read = state_.model.parts[part].mesh();
    const Budget budget{options_.tolerance, state_.traces[part]->spent};
    std::optional<Change> distinct;
    if (!read.points_are_distinct) distinct = distinct_points(read, budget);
    const Mesh& mesh = distinct ? distinct->mesh : read;
    const KnownMeshPtr known =
        distinct ? std::make_shared<const KnownMesh>(mesh) : known_mesh(state_, part);
    const FindingOpenings openings(*known, options_.tolerance, budget);
    const SurfaceFills of_body(state_.model.parts[part].placed(), openings.known());
    std::vector<FillWish> wishes;
    std::set<Loop> taken;
    for (FillShare& share : shares) {
      remedies::WantedOpenings wanted =
          remedies::wanted_openings(openings, share.target, share.options.method, taken);
      share.closed_already = wanted.closed_already;
      share.refused = std::move(wanted.refused);
      share.first = wishes.size();
      share.count = wanted.openings.size();
      for (Opening& opening : wanted.openings) {
        std::optional<Fill> known_fill = of_body.of(opening);
        wishes.push_back({std::move(opening), share.options, std::move(known_fill)});
      }
    }
    const std::optional<Change>& prepared = openings.changed();
    FilledWishes filled =
        fill_each(openings.known(), wishes, options_.tolerance, openings.left(), progress_);
    const bool any = filled.change.done > 0;
    Change change = std::move(filled.change);
    if (any && prepared) change = composed(*prepared, std::move(change));
    if (any && !harm_of(*known, change).empty()) return false;
    // By wish: what of the mesh is its fill.
    std::map<std::uint32_t, std::uint32_t> wish_of_patch;
    const std::uint32_t first_patch =
        openings.mesh().patch_of.empty() ? 1 : patch_count(openings.mesh());
    for (std::uint32_t i = 0; i < filled.wish_of.size(); ++i) {
      wish_of_patch[first_patch + i] = filled.wish_of[i];
    }
    std::vector<LedgerLine> of_wish(wishes.size());
    std::vector<bool> is_filled(wishes.size());
    for (std::uint32_t t = 0; any && t < change.mesh.triangles.size(); ++t) {
      if (change.parent[t].value != kNoIndex) continue;
      const auto wish = wish_of_patch.find(change.mesh.patch_of[t].value);
      if (wish == wish_of_patch.end()) continue;
      const Triangle& tri = change.mesh.triangles[t];
      LedgerLine& line = of_wish[wish->second];
      is_filled[wish->second] = true;
      ++line.triangles_added;
      line.area_added += area_of(
          {change.mesh.point(tri[0]), change.mesh.point(tri[1]), change.mesh.point(tri[2])});
    }
    std::vector<std::string> how(wishes.size());
    for (std::uint32_t i = 0; i < filled.wish_of.size(); ++i) {
      how[filled.wish_of[i]] = filled.how[i];
    }
    // Rims that touch themselves were divided for all of them.
    std::optional<LedgerLine> divided;
    if (any && prepared) divided = line_of(mesh, budget, *prepared);
    for (FillShare& share : shares) {
      LedgerLine line;
      if (divided && share.count > 0) line = *std::exchange(divided, std::nullopt);
      line.method.clear();
      std::vector<std::string> methods;
      for (std::size_t i = share.first; i < share.first + share.count; ++i) {
        line.triangles_added += of_wish[i].triangles_added;
        line.area_added += of_wish[i].area_added;
        line.refused.insert(line.refused.end(), filled.refused[i].begin(), filled.refused[i].end());
        if (!is_filled[i]) continue;
        ++line.done;
        if (std::find(methods.begin(), methods.end(), how[i]) == methods.end()) {
          methods.push_back(how[i]);
        }
      }
      if (line.done == 0 && share.closed_already) methods = {remedies::kClosedAlready};
      for (const std::string& m : methods) line.method += (line.method.empty() ? "" : "; ") + m;
      line.refused.insert(line.refused.end(), share.refused.begin(), share.refused.end());
      describe(line, steps_[share.step], state_, share.target);
      result_.lines_of_step[share.step].push_back(std::move(line));
    }
    if (!any) return true;
    result_.together.parts.push_back(
        accept(result_.together.state, part,
               distinct ? composed(*distinct, std::move(change)) : std::move(change)));
    result_.together.changed = true;
    tell_faces(shares, result_.together.parts.back().faces);
    return true;
  }
  // What all of them did to faces stands in the first line that did anything.
  void tell_faces(std::span<const FillShare> shares, std::optional<FaceCounts> faces) {
    for (const FillShare& share : shares) {
      LedgerLine& line = result_.lines_of_step[share.step].back();
      if (!faces || line.done == 0) continue;
      line.faces = std::exchange(faces, std::nullopt);
    }
  }

  const MendState& state_;
  std::span<const Finding> findings_;
  std::span<const Step> steps_;
  const StepOptions& options_;
  Progress* progress_;
  FillsResult result_{{.state = MendState({}), .lines = {}}, {}};
};

}  // namespace

FillsResult run_fills(const MendState& state, std::span<const Finding> findings,
                      std::span<const Step> steps, const StepOptions& options, Progress* progress) {
  for (const Step& step : steps) {
    if (!(step.remedy == remedies::fill)) throw ArgumentError("run_fills: a step is no fill");
  }
  if (steps.size() > 1) {
    if (auto together = GroupOfFills(state, findings, steps, options, progress).run()) {
      return std::move(*together);
    }
  }
  FillsResult result{{.state = state, .lines = {}}, {}};
  std::vector<Finding> now(findings.begin(), findings.end());
  for (const Step& step : steps) {
    StepResult one = run_step(result.together.state, now, step, options, progress);
    now = carried(now, result.together.state, one);
    for (PartChange& change : one.parts) result.together.parts.push_back(std::move(change));
    result.together.state = std::move(one.state);
    result.together.changed |= one.changed;
    result.together.lines.insert(result.together.lines.end(), one.lines.begin(), one.lines.end());
    result.lines_of_step.push_back(std::move(one.lines));
  }
  return result;
}

}  // namespace aguja
