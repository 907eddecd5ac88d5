#include "aguja/mend/mend.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "aguja/mend/by_hand.h"
#include "aguja/mesh/patches.h"
#include "aguja/mesh/weld.h"
#include "aguja/model/proposed_tolerance.h"
#include "mend/finding_openings.h"

namespace aguja {
namespace {

// ---- What is proposed for findings, in the order in which their dependencies ask for it.

struct Rule {
  Remedy remedy;
  std::vector<FindingKind> kinds;
  bool safe;      ///< runs without being asked
  bool one_each;  ///< a step per finding, so that each can be decided by itself
  std::string_view why;
};

const std::vector<Rule>& rules() {
  using enum FindingKind;
  static const std::vector<Rule> kRules = {
      {Remedy::drop, {duplicate_triangle}, true, false, "exact copies: nothing is lost"},
      {Remedy::drop, {wire_edge, unused_vertex}, false, false, "they bound no surface"},
      {Remedy::stitch, {crack, hanging_vertex, gap}, true, false, "they only need joining"},
      {Remedy::stitch, {touch}, true, false, "rims that touch only need joining"},
      {Remedy::orient,
       {winding_conflict, inverted_patch, inverted_shell},
       true,
       false,
       "which way is out is told by neighbours and by what is enclosed"},
      {Remedy::drop, {back_to_back}, false, false, "a wall without thickness"},
      {Remedy::collapse, {zero_area}, false, false, "nothing moves farther than the budget"},
      {Remedy::drop, {zero_volume}, false, false, "it encloses nothing"},
      {Remedy::drop,
       {stray_shell},
       false,
       false,
       "far smaller than the part, and connected to nothing"},
      {Remedy::drop, {loose_sheet}, false, false, "it encloses nothing"},
      {Remedy::drop, {internal_face}, false, false, "there is material on both sides"},
      {Remedy::drop, {nonmanifold_edge}, false, false, "a flap that hangs on the surface"},
      {Remedy::drop, {winding_conflict}, false, false, "a flap that hangs by one edge, against it"},
      {Remedy::refit, {runaway_face}, false, true, "deleted and filled anew"},
      {Remedy::close_gaps, {gap}, false, true, "too wide to be noise: a decision"},
      {Remedy::fill, {opening}, true, true, ""},
      {Remedy::drop, {sheet_border}, false, false, "a sheet is no boundary of material"},
      {Remedy::orient, {nesting}, false, false, "if it is a cavity: only the designer knows"},
      {Remedy::weld, {near_vertices}, false, false, "if they belong together"},
      {Remedy::collapse, {folded_triangle}, false, false, "nothing moves farther than the budget"},
      {Remedy::collapse, {short_edge}, false, false, "nothing moves farther than the budget"},
      {Remedy::collapse, {sliver_triangle}, false, false, "nothing moves farther than the budget"},
      {Remedy::collapse, {acute_corner}, false, false, "nothing moves farther than the budget"},
      {Remedy::absorb, {sliver_patch, tiny_patch}, false, false, "into the neighbours"},
      {Remedy::absorb, {split_patch}, false, false, "one plane, needlessly divided"},
      {Remedy::resolve, {crossing, overlap}, false, false, "resolve is not there yet"},
  };
  return kRules;
}

// Runs on its own if the plan says so: this many openings are looked at beforehand.
constexpr std::size_t kMostPreviewed = 400;
// Rounds of planning, running and inspecting again.
constexpr int kMostMendRounds = 40;

bool is_accepted(const MendOptions& options, FindingKind kind) {
  return options.accept_all || std::find(options.accepted.begin(), options.accepted.end(), kind) !=
                                   options.accepted.end();
}

void select(Step& step, const std::vector<const Finding*>& findings, bool one_each) {
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

// ---- Planning and running.

class Mender {
  using enum FindingKind;

 public:
  Mender(Model model, const MendOptions& options, Progress* progress)
      : options_(options), progress_(progress), input_(model), state_(std::move(model)) {
    ToleranceChoice choice = chosen_tolerance(input_, options);
    result_.tolerance = choice.value;
    result_.tolerance_why = std::move(choice.why);
  }

  MendResult run(const StepResult* first) {
    inspect_all();
    result_.before = inspection_;
    if (first != nullptr) {
      std::set<std::string> parts;
      Step step;
      step.number = ++number_;
      step.remedy = first->lines.at(0).remedy;
      step.selection.ids = first->lines[0].findings;
      step.why = "chosen from a trial";
      take(*first, step, parts);
      inspect_all();
    }
    if (options_.plan) {
      run_plan(*options_.plan);
    } else {
      run_own();
    }
    finish();
    return std::move(result_);
  }

 private:
  [[nodiscard]] double tolerance() const { return result_.tolerance; }

  void inspect_all() {
    advance(progress_, "inspect", 0.0);
    inspection_ = inspect_for_mending(state_.model, options_.profile, tolerance(), progress_);
  }

  // Parts that a step did not touch are as they were: only the others are looked at again.
  void inspect_again(const std::set<std::string>& parts) {
    if (state_.model.parts.size() < 2) {
      inspect_all();
      return;
    }
    std::vector<std::size_t> changed;
    for (std::size_t p = 0; p < state_.model.parts.size(); ++p) {
      if (parts.contains(state_.model.parts[p].name)) changed.push_back(p);
    }
    Model some;
    some.unit = state_.model.unit;
    some.unit_assumed = state_.model.unit_assumed;
    for (const std::size_t p : changed) some.parts.push_back(std::move(state_.model.parts[p]));
    Inspection fresh = inspect_for_mending(some, options_.profile, tolerance(), progress_);
    for (std::size_t i = 0; i < changed.size(); ++i) {
      state_.model.parts[changed[i]] = std::move(some.parts[i]);
      inspection_.part_counts[changed[i]] = fresh.part_counts[i];
    }
    std::erase_if(inspection_.findings, [&](const Finding& f) {
      return f.part_index &&
             std::find(changed.begin(), changed.end(), *f.part_index) != changed.end();
    });
    for (Finding& f : fresh.findings) {
      if (!f.part_index) continue;
      f.part_index = changed[*f.part_index];
      inspection_.findings.push_back(std::move(f));
    }
    inspection_.counts =
        std::accumulate(inspection_.part_counts.begin(), inspection_.part_counts.end(), Counts{},
                        [](Counts sum, const Counts& c) { return sum += c; });
  }

  // Steps for what is found now, in order; those that would run by themselves, or were accepted,
  // are on.
  [[nodiscard]] std::vector<Step> propose() const {
    std::vector<Step> steps;
    for (const Rule& rule : rules()) {
      std::vector<const Finding*> found;
      for (const Finding& f : inspection_.findings) {
        if (f.waived || !f.part_index) continue;
        if (std::find(rule.kinds.begin(), rule.kinds.end(), f.kind) == rule.kinds.end()) continue;
        // Only rims can be stitched where surfaces touch; the rest is for resolve.
        if (rule.remedy == Remedy::stitch && f.kind == touch && !has_naked(f)) continue;
        // A gap that is a crack along most of its length: something else holds it apart elsewhere.
        if (rule.remedy == Remedy::stitch && f.kind == gap &&
            !(f.widths && f.widths->median <= tolerance())) {
          continue;
        }
        found.push_back(&f);
      }
      if (found.empty()) continue;
      if (!rule.one_each) {
        Step step = step_for(rule);
        select(step, found, false);
        for (const Finding* f : found) step.on |= is_accepted(options_, f->kind);
        steps.push_back(std::move(step));
        continue;
      }
      std::map<std::size_t, std::unique_ptr<FillView>> views;
      for (const Finding* f : found) {
        Step step = step_for(rule);
        select(step, {f}, true);
        if (rule.remedy == Remedy::fill) {
          if (found.size() <= kMostPreviewed) {
            preview(step, *f, views[*f->part_index]);
          } else {
            step.settings["method"] = std::string("auto");
            step.on = false;
          }
        }
        step.on |= is_accepted(options_, f->kind);
        steps.push_back(std::move(step));
      }
    }
    return steps;
  }
  [[nodiscard]] static Step step_for(const Rule& rule) {
    Step step;
    step.remedy = rule.remedy;
    step.on = rule.safe && info(rule.remedy).is_there;
    step.why = rule.why;
    if (rule.remedy == Remedy::orient && rule.kinds[0] == nesting) step.settings["cavities"] = true;
    return step;
  }
  [[nodiscard]] bool has_naked(const Finding& f) const {
    return inspection_.part_counts[*f.part_index].naked_edges > 0;
  }

  // What fills ask of a part, made once for all of its openings.
  struct FillView {
    FillView(const Mesh& mesh, double tolerance)
        : openings(mesh, tolerance, {tolerance}), filler(openings.mesh(), tolerance) {}
    FindingOpenings openings;
    Filler filler;
  };

  // Which method would close the opening: flat ones are safe, all others are proposed.
  void preview(Step& step, const Finding& f, std::unique_ptr<FillView>& view) const {
    step.on = false;
    step.settings["method"] = std::string("auto");
    step.why = "what is missing there is a decision";
    if (!view) {
      view = std::make_unique<FillView>(state_.model.parts[*f.part_index].mesh(), tolerance());
    }
    const std::vector<Opening> openings = view->openings.of(f);
    if (openings.empty()) {
      step.why = "its naked edges form no closed loop yet";
      return;
    }
    FillOptions options;
    options.tolerance = tolerance();
    options.method = FillMethod::flat;
    const bool flat = std::all_of(openings.begin(), openings.end(), [&](const Opening& o) {
      const FillOutcome outcome = view->filler.fill(o, options);
      const Fill* made = std::get_if<Fill>(&outcome);
      if (made != nullptr) step.why = made->why;
      return made != nullptr;
    });
    if (flat) {
      step.on = true;
      // Who accepts any fill gets another where the flat one would harm.
      if (!is_accepted(options_, f.kind)) step.settings["method"] = std::string("flat");
      return;
    }
    step.why = "what is missing there is a decision";
    options.method = FillMethod::automatic;
    const FillOutcome outcome = view->filler.fill(openings[0], options);
    if (const Fill* made = std::get_if<Fill>(&outcome)) {
      step.method = std::string(slug(made->method)) + ": " + made->why;
    }
  }

  // What tells one attempt from another: what fails once is not tried again before something has
  // changed.
  [[nodiscard]] std::string key_of(const Step& step) const {
    std::string key(slug(step.remedy));
    for (const std::size_t i : select_findings(step.selection, inspection_.findings)) {
      key += " " + inspection_.findings[i].id;
    }
    return key;
  }

  void run_own() {
    weld_equal_points();
    std::set<std::string> failed, tried;
    for (int round = 0; round < kMostMendRounds && !stopped_; ++round) {
      const std::vector<Step> steps = propose();
      bool changed = false;
      std::set<std::string> parts;
      std::optional<Remedy> group;
      for (const Step& proposed : steps) {
        if (!proposed.on || stopped_) continue;
        // Fills of several openings do not see each other; everything else is inspected after.
        if (group && (*group != Remedy::fill || proposed.remedy != Remedy::fill)) break;
        const std::string key = key_of(proposed);
        if (failed.contains(key)) continue;
        Step step = proposed;
        step.number = ++number_;
        const std::size_t lines = result_.ledger.size();
        if (!run_one(step, parts) && !run_with_closing(step, lines, parts)) {
          failed.insert(key);
          tried.insert(key);
          continue;
        }
        group = step.remedy;
        changed = true;
      }
      if (!changed) break;
      failed.clear();
      const std::size_t weight = weight_of_findings();
      inspect_again(parts);
      // A step that was carried out, yet left as much to do, is not worth another round.
      if (weight_of_findings() >= weight && ++idle_ > kMostIdle) break;
    }
    std::size_t number = number_;
    for (Step& step : propose()) {
      if (step.on && info(step.remedy).is_there && !tried.contains(key_of(step))) {
        step.why = "not reached: the steps before it no longer made less of what is wrong";
      } else if (step.on && info(step.remedy).is_there) {
        // It was tried, and refused. Where only flat was tried, there are other ways.
        const auto method = step.settings.find("method");
        const bool only_flat = step.remedy == Remedy::fill && method != step.settings.end() &&
                               method->second == Setting(std::string("flat"));
        if (!only_flat) continue;
        step.settings["method"] = std::string("auto");
        step.why = "flat was refused";
      }
      step.on = false;
      step.number = ++number;
      result_.plan.steps.push_back(step);
      result_.proposed.push_back(std::move(step));
    }
  }

  [[nodiscard]] std::size_t weight_of_findings() const {
    const Counts& c = inspection_.counts;
    return c.naked_edges + c.nonmanifold_edges + c.winding_conflicts + c.zero_area + c.duplicates +
           c.crossing_pairs + inspection_.findings.size();
  }

  void weld_equal_points() {
    bool any = false;
    for (const Part& part : state_.model.parts) {
      const auto& triangles = part.mesh().triangles;
      any |= !part.mesh().points_are_distinct ||
             std::any_of(triangles.begin(), triangles.end(), has_equal_corners);
    }
    if (!any) return;
    Step step;
    step.remedy = Remedy::weld;
    step.why = "equal points are one vertex; triangles with two equal corners bound nothing";
    step.number = number_ + 1;
    std::set<std::string> parts;
    const StepResult welded = run_step(state_, inspection_.findings, step,
                                       {tolerance(), options_.round_to_float}, progress_);
    const bool dropped = std::any_of(welded.lines.begin(), welded.lines.end(),
                                     [](const LedgerLine& l) { return l.triangles_removed > 0; });
    const bool merged = std::any_of(welded.lines.begin(), welded.lines.end(),
                                    [](const LedgerLine& l) { return l.done > 0; });
    if (!merged) return;
    ++number_;
    take(welded, step, parts);
    if (dropped) inspect_again(parts);
  }

  void run_plan(const Plan& plan) {
    result_.plan = plan;
    result_.plan.steps.clear();
    std::set<std::string> parts;
    bool stale = false;
    Remedy last = Remedy::weld;
    for (const Step& step : plan.steps) {
      Step own = step;
      if (own.number == 0) own.number = number_ + 1;
      number_ = std::max(number_, own.number);
      if (!own.on) {
        result_.plan.steps.push_back(own);
        result_.proposed.push_back(std::move(own));
        continue;
      }
      if (stopped_) break;
      // Triangles keep their numbers while openings are filled: findings still name them.
      if (stale && !(last == Remedy::fill && own.remedy == Remedy::fill)) {
        inspect_again(parts);
        parts.clear();
        stale = false;
      }
      stale |= run_one(own, parts);
      last = own.remedy;
    }
    if (stale) inspect_again(parts);
  }

  bool run_one(const Step& step, std::set<std::string>& parts) {
    advance(progress_, "mend", 0.0);
    StepResult done = run_step(state_, inspection_.findings, step,
                               {tolerance(), options_.round_to_float}, progress_);
    return take(done, step, parts);
  }

  // Copies and flaps may hide the rims of cracks and openings: they go if the stitching and the
  // fills that then can be done make up for the edges that they bare.
  // `lines`: of the ledger before they were tried alone.
  bool run_with_closing(const Step& drop, std::size_t lines, std::set<std::string>& parts) {
    const auto& kinds = drop.selection.kinds;
    const bool may_hide =
        drop.remedy == Remedy::drop && std::any_of(kinds.begin(), kinds.end(), [](FindingKind k) {
          return k == duplicate_triangle || k == back_to_back || k == nonmanifold_edge;
        });
    if (!may_hide || stopped_) return false;
    struct Done {
      Step step;
      StepResult result;
    };
    std::vector<Done> done;
    const auto then = [&](Step step, std::span<const Finding> findings) {
      step.number = drop.number + done.size();
      StepResult result = run_step(done.empty() ? state_ : done.back().result.state, findings, step,
                                   {tolerance(), options_.round_to_float}, progress_);
      done.push_back({std::move(step), std::move(result)});
    };
    const auto inspected = [&] {
      return inspect_for_mending(done.back().result.state.model, options_.profile, tolerance(),
                                 progress_);
    };
    const auto harms = [&] {
      for (std::size_t p = 0; p < state_.model.parts.size(); ++p) {
        Change whole;
        whole.mesh = done.back().result.state.model.parts[p].mesh();
        whole.parent.assign(whole.mesh.triangles.size(), {kNoIndex});
        if (!harm_of(state_.model.parts[p].mesh(), whole).empty()) return true;
      }
      return false;
    };
    Step bold = drop;
    bold.settings["may_bare"] = true;
    then(bold, inspection_.findings);
    if (!done.back().result.changed) return false;
    Step stitch;
    stitch.remedy = Remedy::stitch;
    stitch.selection.kinds = {crack, hanging_vertex};
    stitch.why = "closes what was hidden";
    then(stitch, inspected().findings);
    if (harms()) {
      Step fill;
      fill.remedy = Remedy::fill;
      fill.selection.kinds = {opening};
      fill.settings["method"] = std::string(is_accepted(options_, opening) ? "auto" : "flat");
      fill.why = "closes what was hidden";
      then(fill, inspected().findings);
      if (harms()) return false;
    }
    // The refusal before stands corrected.
    result_.ledger.resize(lines);
    result_.plan.steps.pop_back();
    for (Done& d : done) {
      if (&d != &done.front() && !d.result.changed) continue;
      number_ = d.step.number;
      take(d.result, d.step, parts);
    }
    return true;
  }

  bool take(const StepResult& done, Step step, std::set<std::string>& parts) {
    for (const LedgerLine& line : done.lines) {
      if (line.changed_anything()) parts.insert(line.part);
      if (step.method.empty()) step.method = line.method;
      result_.ledger.push_back(line);
    }
    step.on = true;
    result_.plan.steps.push_back(step);
    if (done.changed) state_ = done.state;
    if (options_.on_state) options_.on_state(state_, step.number);
    stopped_ = options_.until && step.number >= *options_.until;
    return done.changed;
  }

  void finish() {
    result_.plan.tolerance = tolerance();
    for (const LedgerLine& line : result_.ledger) {
      result_.area_added += line.area_added;
      result_.area_removed += line.area_removed;
    }
    for (const auto& trace : state_.traces) {
      for (const double s : trace->spent) {
        result_.largest_movement = std::max(result_.largest_movement, s);
      }
    }
    measure();
    for (const Finding& f : inspection_.findings) {
      if (f.waived || f.severity == Severity::note) continue;
      result_.still_open.push_back({f, why_open(f)});
    }
    result_.after = std::move(inspection_);
    result_.model = std::move(state_.model);
  }

  [[nodiscard]] std::string why_open(const Finding& f) const {
    for (const Step& step : result_.proposed) {
      const auto& kinds = step.selection.kinds;
      const auto& ids = step.selection.ids;
      const bool about = ids.empty() ? std::find(kinds.begin(), kinds.end(), f.kind) != kinds.end()
                                     : std::find(ids.begin(), ids.end(), f.id) != ids.end();
      if (!about) continue;
      if (!info(step.remedy).is_there) {
        return "needs " + std::string(slug(step.remedy)) + ", which is not there yet";
      }
      return std::string(slug(step.remedy)) + " is proposed (step " + std::to_string(step.number) +
             "), not run";
    }
    // The last line about it says why.
    const auto may_mend = [&](Remedy remedy) {
      return std::any_of(rules().begin(), rules().end(), [&](const Rule& rule) {
        return rule.remedy == remedy &&
               std::find(rule.kinds.begin(), rule.kinds.end(), f.kind) != rule.kinds.end();
      });
    };
    for (auto line = result_.ledger.rbegin(); line != result_.ledger.rend(); ++line) {
      if (line->refused.empty()) continue;
      const bool named =
          std::find(line->findings.begin(), line->findings.end(), f.id) != line->findings.end();
      if (!named && !may_mend(line->remedy)) continue;
      for (const Refusal& r : line->refused) {
        const bool near = f.box.contains(r.place) ||
                          (r.place - f.place).norm() <= 0.5 * f.box.diagonal() + tolerance();
        if (!near && !named) continue;
        return std::string(slug(line->remedy)) + " was refused: " + std::string(text(r.reason)) +
               (r.detail.empty() ? "" : " (" + r.detail + ")");
      }
    }
    if (!f.waits_for.empty()) return "waits for " + std::string(slug(f.waits_for[0]));
    return "its remedy: " + std::string(info(f.kind).remedy);
  }

  void measure() {
    Model after_and_removed = state_.model, kept = state_.model;
    for (std::size_t p = 0; p < state_.model.parts.size(); ++p) {
      PartDraft with_removed(state_.model.parts[p]), without_added(state_.model.parts[p]);
      Mesh& all = with_removed.mesh;
      const Mesh& removed = state_.traces[p]->removed;
      const auto shift = static_cast<std::uint32_t>(all.points.size());
      all.points.insert(all.points.end(), removed.points.begin(), removed.points.end());
      for (Triangle t : removed.triangles) {
        for (VertexId& v : t.corner) v.value += shift;
        all.triangles.push_back(t);
        if (!all.patch_of.empty()) all.patch_of.push_back({0});
      }
      Mesh& own = without_added.mesh;
      std::size_t next = 0;
      for (std::size_t t = 0; t < own.triangles.size(); ++t) {
        if (state_.traces[p]->added[t]) continue;
        own.triangles[next] = own.triangles[t];
        if (!own.patch_of.empty()) own.patch_of[next] = own.patch_of[t];
        ++next;
      }
      own.triangles.resize(next);
      if (!own.patch_of.empty()) own.patch_of.resize(next);
      after_and_removed.parts[p] = std::move(with_removed);
      kept.parts[p] = std::move(without_added);
    }
    const bool changed = std::any_of(result_.ledger.begin(), result_.ledger.end(),
                                     [](const LedgerLine& l) { return l.changed_anything(); });
    if (!changed || triangle_count(input_) == 0 || triangle_count(after_and_removed) == 0) return;
    result_.from_input = one_way_deviation(input_, after_and_removed, {}, progress_);
    if (triangle_count(kept) > 0) {
      result_.to_input = one_way_deviation(kept, input_, {}, progress_);
    }
  }

  static constexpr int kMostIdle = 3;

  const MendOptions& options_;
  Progress* progress_;
  Model input_;
  MendState state_;
  Inspection inspection_;
  MendResult result_;
  std::size_t number_ = 0;
  bool stopped_ = false;
  int idle_ = 0;
};

}  // namespace

double MendResult::deviation() const {
  return std::max(from_input ? from_input->largest : 0, to_input ? to_input->largest : 0);
}

ToleranceChoice chosen_tolerance(const Model& model, const MendOptions& options) {
  ToleranceChoice choice;
  if (options.tolerance) {
    choice = {*options.tolerance, "as given"};
  } else if (options.plan && options.plan->tolerance > 0) {
    choice = {options.plan->tolerance, "from the plan"};
  } else if (const auto best = propose_tolerance(model)) {
    choice = {best->value, best->why};
  } else {
    choice.why = "nothing needs joining: the precision of the coordinates";
    for (const Part& part : model.parts) {
      const double diagonal = box_of(part.mesh()).diagonal();
      choice.value = std::max(choice.value, fit_for(part.mesh().points, kFitOfDiagonal * diagonal));
    }
  }
  if (!(choice.value >= 0) || !std::isfinite(choice.value)) {
    throw ArgumentError("mend: the tolerance must be a finite length of 0 or more");
  }
  return choice;
}

MendResult mend(Model model, const MendOptions& options, Progress* progress) {
  return Mender(std::move(model), options, progress).run(nullptr);
}

MendResult mend_from(StepResult first, Model input, const MendOptions& options,
                     Progress* progress) {
  if (first.lines.empty()) throw ArgumentError("mend: the first step has no line");
  return Mender(std::move(input), options, progress).run(&first);
}

}  // namespace aguja
