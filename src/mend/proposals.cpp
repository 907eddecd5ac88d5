#include "mend/proposals.h"

#include <algorithm>
#include <map>
#include <memory>
#include <set>

#include "mend/cap_evidence.h"
#include "mend/finding_openings.h"

namespace aguja {

const std::vector<MendRule>& mend_rules() {
  using enum FindingKind;
  static const std::vector<MendRule> kRules = {
      {remedies::drop, {duplicate_triangle}, true, false, "exact copies: nothing is lost"},
      {remedies::drop, {wire_edge, unused_vertex}, false, false, "they bound no surface"},
      {remedies::stitch, {crack, hanging_vertex, gap}, true, false, "they only need joining"},
      {remedies::stitch, {touch}, true, false, "rims that touch only need joining"},
      {remedies::orient,
       {winding_conflict, inverted_patch, inverted_shell},
       true,
       false,
       "which way is out is told by neighbours and by what is enclosed"},
      {remedies::drop, {back_to_back}, false, false, "a wall without thickness"},
      {remedies::collapse, {zero_area}, false, false, "nothing moves farther than the budget"},
      {remedies::drop, {zero_volume}, false, false, "it encloses nothing"},
      {remedies::drop,
       {stray_shell},
       false,
       false,
       "far smaller than the part, and connected to nothing"},
      {remedies::drop, {loose_sheet}, false, false, "it encloses nothing"},
      {remedies::drop, {internal_face}, false, false, "there is material on both sides"},
      {remedies::drop, {nonmanifold_edge}, false, false, "a flap that hangs on the surface"},
      {remedies::drop,
       {winding_conflict},
       false,
       false,
       "a flap that hangs by one edge, against it"},
      {remedies::refit, {runaway_face}, false, true, "deleted and filled anew"},
      {remedies::close_gaps, {gap}, false, true, "too wide to be noise: a decision"},
      {remedies::fill, {opening}, true, true, ""},
      {remedies::drop, {sheet_border}, false, false, "a sheet is no boundary of material"},
      {remedies::orient, {nesting}, false, false, "if it is a cavity: only the designer knows"},
      {remedies::weld, {near_vertices}, false, false, "if they belong together"},
      {remedies::collapse,
       {folded_triangle},
       false,
       false,
       "nothing moves farther than the budget"},
      {remedies::collapse, {short_edge}, false, false, "nothing moves farther than the budget"},
      {remedies::collapse,
       {sliver_triangle},
       false,
       false,
       "nothing moves farther than the budget"},
      {remedies::collapse, {acute_corner}, false, false, "nothing moves farther than the budget"},
      {remedies::absorb, {sliver_patch, tiny_patch}, false, false, "into the neighbours"},
      {remedies::absorb, {split_patch}, false, false, "one plane, needlessly divided"},
      {remedies::resolve,
       {crossing, overlap, touch},
       false,
       false,
       "one boundary of all that is filled: what is inside goes"},
      {remedies::resolve,
       {nonmanifold_edge, nonmanifold_vertex},
       false,
       false,
       "bodies that meet there alone are parted or joined: contact says which"},
  };
  return kRules;
}

namespace {

// So many openings are looked at beforehand, whether a flat fill would do.
constexpr std::size_t kMostPreviewed = 400;

void select_findings_of(Step& step, const std::vector<const Finding*>& findings, bool one_each) {
  Selection& s = step.selection;
  if (one_each) {
    const Finding& f = *findings[0];
    s.ids = {f.id};
    s.kinds = {f.kind};
    s.part = f.part;
    s.near = f.place;
    s.within = 0.25 * f.box.diagonal();
    return;
  }
  std::set<FindingKind> kinds;
  for (const Finding* f : findings) kinds.insert(f->kind);
  s.kinds.assign(kinds.begin(), kinds.end());
}

class Proposer {
  using enum FindingKind;

 public:
  Proposer(const MendState& state, const Inspection& inspection, double tolerance,
           const Accepted& accepted)
      : state_(state), inspection_(inspection), tolerance_(tolerance), accepted_(accepted) {}

  [[nodiscard]] std::vector<Step> propose() const {
    std::vector<Step> steps;
    for (const MendRule& rule : mend_rules()) {
      std::vector<const Finding*> found, named;
      std::vector<std::string> left;
      for (const Finding& f : inspection_.findings) {
        if (f.waived || !f.part_index) continue;
        if (std::find(rule.kinds.begin(), rule.kinds.end(), f.kind) == rule.kinds.end()) continue;
        if (accepted_.leaves(f)) {
          left.push_back(f.id);
          continue;
        }
        // Only rims can be stitched where surfaces touch; the rest is for resolve.
        if (f.kind == touch && (rule.remedy == remedies::stitch) != has_naked(f)) continue;
        // A gap that is a crack along most of its length: something else holds it apart elsewhere.
        if (rule.remedy == remedies::stitch && f.kind == gap &&
            !(f.widths && f.widths->median <= tolerance_)) {
          continue;
        }
        const bool alone = accepted_.names(f) && !rule.one_each;
        (alone ? named : found).push_back(&f);
      }
      for (const Finding* f : named) {
        Step step = step_for(rule);
        select_findings_of(step, {f}, true);
        step.on = step.is_decided = true;
        steps.push_back(std::move(step));
        left.push_back(f->id);
      }
      if (found.empty()) continue;
      if (!rule.one_each) {
        Step step = step_for(rule);
        select_findings_of(step, found, false);
        step.selection.but = left;
        for (const Finding* f : found) step.on |= accepted_.covers(f->kind);
        steps.push_back(std::move(step));
        continue;
      }
      std::map<const Shape*, std::unique_ptr<FillView>> views;
      std::set<const Finding*> bridged;
      for (const Finding* f : found) {
        if (bridged.contains(f)) continue;
        Step step = step_for(rule);
        select_findings_of(step, {f}, true);
        if (rule.remedy == remedies::fill) {
          if (found.size() <= kMostPreviewed) {
            const Finding* partner =
                preview(step, *f, found, views[&state_.model.parts[*f->part_index].placed()]);
            guard_lost(step, *f);
            if (partner != nullptr) {
              bridged.insert(partner);
              step.on |= accepted_.names(*partner);
            }
          } else {
            step.settings["method"] = std::string("auto");
            step.on = false;
          }
        }
        step.on |= accepted_.covers(f->kind) || accepted_.names(*f);
        step.is_decided = accepted_.names(*f);
        steps.push_back(std::move(step));
      }
    }
    return steps;
  }

 private:
  [[nodiscard]] static Step step_for(const MendRule& rule) {
    Step step;
    step.remedy = rule.remedy;
    step.on = rule.safe && info(rule.remedy).is_there();
    step.is_decided = false;
    step.why = rule.why;
    if (rule.remedy == remedies::orient && rule.kinds[0] == nesting)
      step.settings["cavities"] = true;
    return step;
  }
  [[nodiscard]] bool has_naked(const Finding& f) const {
    return inspection_.part_counts[*f.part_index].naked_edges > 0;
  }

  // Where faces of its file are missing, nobody knows which face it is that the opening stands for.
  void guard_lost(Step& step, const Finding& f) const {
    for (const LostSurface& lost : state_.model.lost) {
      if (lost.part != state_.model.parts[*f.part_index].name) continue;
      step.on = false;
      step.why = "a face of the file is missing: what closes the opening is a guess";
    }
  }

  // What fills ask of a part, made once for all of its openings.
  struct FillView {
    FillView(KnownMeshPtr mesh, double tolerance)
        : read(std::move(mesh)),
          openings(*read, tolerance, {tolerance}),
          filler(openings.known(), tolerance) {}
    FillView(const Mesh& mesh, double tolerance)
        : openings(mesh, tolerance, {tolerance}), filler(openings.known(), tolerance) {}
    KnownMeshPtr read;
    // What speaks against closing this one by a cap unasked; all of the part are judged together. What
    // is not flat gets none: whether it fits another.
    [[nodiscard]] RimVerdict doubt_of(const Opening& opening, bool flat, double tolerance) {
      if (!verdicts) {
        verdicts = judge_caps(openings.known(), openings.all());
        for (std::size_t i = 0; i < openings.all().size(); ++i) {
          for (const Loop& loop : openings.all()[i].loops) number[loop] = i;
        }
      }
      const auto at = number.find(opening.loops[0]);
      RimVerdict verdict = at == number.end() ? RimVerdict{} : (*verdicts)[at->second];
      if (!flat) return verdict.doubt == CapDoubt::fits_another ? verdict : RimVerdict{};
      const bool may_be_corner =
          (verdict.doubt == CapDoubt::none || verdict.doubt == CapDoubt::inlet) &&
          !ends_several_faces(opening);
      if (may_be_corner && misses_a_corner(openings.known(), filler, opening, tolerance)) {
        return {CapDoubt::corner,
                "its neighbours carried on meet close by: a corner may be missing",
                {}};
      }
      return verdict;
    }
    // Four faces of a body and more do not end in one plane by chance: the face in it is missing.
    [[nodiscard]] bool ends_several_faces(const Opening& opening) const {
      constexpr std::size_t kSeveral = 4;
      if (!is_of_faces) return false;
      const Loop& loop = opening.loops[0];
      std::vector<std::uint32_t> patches;
      for (std::size_t i = 0; i < loop.size(); ++i) {
        const auto e = openings.edges().find(loop[i], loop[(i + 1) % loop.size()]);
        if (!e) return false;
        const TriangleId t = openings.edges().uses(*e)[0].triangle();
        const std::uint32_t patch = openings.mesh().patch_of[t.value].value;
        if (patches.empty() || patches.back() != patch) patches.push_back(patch);
      }
      if (patches.size() > 1 && patches.front() == patches.back()) patches.pop_back();
      return patches.size() >= kSeveral;
    }
    FindingOpenings openings;
    Filler filler;
    bool is_of_faces = false;
    std::optional<std::vector<RimVerdict>> verdicts = {};
    std::map<Loop, std::size_t> number = {};
  };

  // Which method would close the opening: flat ones are safe if nothing speaks against them, all
  // others are proposed. The finding that is to be bridged with it, if another rim fits.
  const Finding* preview(Step& step, const Finding& f, const std::vector<const Finding*>& others,
                         std::unique_ptr<FillView>& view) const {
    step.on = false;
    step.settings["method"] = std::string("auto");
    step.why = "what is missing there is a decision";
    if (!view) {
      const Mesh& mesh = state_.model.parts[*f.part_index].mesh();
      view = mesh.points_are_distinct
                 ? std::make_unique<FillView>(known_mesh(state_, *f.part_index), tolerance_)
                 : std::make_unique<FillView>(mesh, tolerance_);
      view->is_of_faces =
          !state_.model.parts[*f.part_index].shape()->surfaces.empty() && !mesh.patch_of.empty();
    }
    const std::vector<Opening> openings = view->openings.of(f);
    if (openings.empty()) {
      step.why = "its naked edges form no closed loop yet";
      return nullptr;
    }
    FillOptions options;
    options.tolerance = tolerance_;
    options.method = FillMethod::flat;
    const bool flat = std::all_of(openings.begin(), openings.end(), [&](const Opening& o) {
      const FillOutcome outcome = view->filler.fill(o, options);
      const Fill* made = std::get_if<Fill>(&outcome);
      if (made != nullptr) step.why = made->why;
      return made != nullptr;
    });
    RimVerdict doubt;
    for (const Opening& o : openings) {
      if (doubt.doubt == CapDoubt::none) doubt = view->doubt_of(o, flat, tolerance_);
    }
    if (doubt.doubt != CapDoubt::none) {
      step.why = doubt.why;
      if (doubt.doubt == CapDoubt::fits_another) {
        step.method = std::string(slug(FillMethod::ruled)) + ", or flat";
      } else if (doubt.doubt == CapDoubt::corner) {
        step.method = std::string(slug(FillMethod::extend)) + ", or flat";
        step.settings["prefer"] = std::string(slug(FillMethod::extend));
      }
      if (doubt.partner) {
        const Loop& there = view->openings.all()[*doubt.partner].loops[0];
        for (const Finding* other : others) {
          if (other == &f || other->part_index != f.part_index) continue;
          const std::vector<Opening> own = view->openings.of(*other);
          if (own.size() != 1 || openings.size() != 1 || own[0].loops[0] != there) continue;
          step.selection = {};
          step.selection.ids = {f.id, other->id};
          step.selection.kinds = {f.kind};
          step.selection.part = f.part;
          step.settings["method"] = std::string(slug(FillMethod::ruled));
          return other;
        }
      }
      return nullptr;
    }
    if (flat) {
      step.on = true;
      // Who accepts any fill gets another where the flat one would harm.
      if (!accepted_.covers(f.kind) && !accepted_.names(f))
        step.settings["method"] = std::string("flat");
      return nullptr;
    }
    step.why = "what is missing there is a decision";
    options.method = FillMethod::automatic;
    const FillOutcome outcome = view->filler.fill(openings[0], options);
    if (const Fill* made = std::get_if<Fill>(&outcome)) {
      step.method = std::string(slug(made->method)) + ": " + made->why;
    }
    return nullptr;
  }

  const MendState& state_;
  const Inspection& inspection_;
  double tolerance_;
  const Accepted& accepted_;
};

}  // namespace

std::vector<Step> proposed_steps(const MendState& state, const Inspection& inspection,
                                 double tolerance, const Accepted& accepted) {
  return Proposer(state, inspection, tolerance, accepted).propose();
}

}  // namespace aguja
