#include "aguja/mend/mend.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <map>
#include <set>

#include "aguja/mend/harm.h"
#include "aguja/mesh/weld.h"
#include "mend/proposals.h"

namespace aguja {
namespace {

// Rounds of planning, running and inspecting again.
constexpr int kMostMendRounds = 40;
// Of those, rounds that left as much to do as there was.
constexpr int kMostIdleRounds = 3;

class Mender {
  using enum FindingKind;

 public:
  Mender(MendSession& session, const MendOptions& options, Progress* progress)
      : session_(session), options_(options), progress_(progress) {
    result_.tolerance = session.tolerance();
    result_.tolerance_why = session.tolerance_why();
    result_.plan.steps = session.steps();
    result_.ledger = session.ledger();
    for (const Step& step : result_.plan.steps) number_ = std::max(number_, step.number);
  }

  MendResult run() {
    if (session_.position() == 0) {
      result_.before = session_.inspect();
    } else {
      const std::size_t back = session_.undo(session_.position());
      result_.before = session_.inspect();
      session_.redo(back);
    }
    check_accepted();
    if (options_.plan) {
      run_plan(*options_.plan);
    } else {
      run_own();
    }
    finish();
    return std::move(result_);
  }

 private:
  void check_accepted() const {
    for (const auto* list : {&options_.accepted.ids, &options_.accepted.left}) {
      for (const std::string& id : *list) {
        const auto& found = result_.before.findings;
        const bool is_there =
            parse_finding_kind(id) ||
            std::any_of(found.begin(), found.end(), [&](const Finding& f) { return f.id == id; });
        if (is_there) continue;
        std::vector<std::string_view> known;
        for (const Finding& f : found) known.push_back(f.id);
        throw ArgumentError(
            "mend: there is no finding '" + id + "'" +
            (known.empty() ? std::string("; nothing was found")
                           : "; the nearest is '" + std::string(nearest_word(id, known)) + "'"));
      }
    }
  }

  // What tells one attempt from another: what fails once is not tried again before something has
  // changed.
  [[nodiscard]] std::string key_of(const Step& step) {
    const std::span<const Finding> findings = session_.findings();
    std::string key(slug(step.remedy));
    for (const std::size_t i : select_findings(step.selection, findings)) {
      key += " " + findings[i].id;
    }
    return key;
  }

  void run_own() {
    weld_equal_points();
    std::set<std::string> failed, tried;
    int idle = 0;
    for (int round = 0; round < kMostMendRounds && !stopped_; ++round) {
      const std::size_t weight = weight_of_findings();
      bool changed = false;
      // Fills of several openings do not see each other; everything else is inspected after.
      std::vector<Step> group;
      std::vector<std::string> keys;
      const auto run_group = [&] {
        const std::vector<bool> done = run_fills_of(std::exchange(group, {}));
        for (std::size_t i = 0; i < done.size(); ++i) {
          changed |= done[i];
          if (done[i]) continue;
          failed.insert(keys[i]);
          tried.insert(keys[i]);
        }
      };
      for (const Step& proposed : session_.propose(options_.accepted)) {
        if (!proposed.on || stopped_) continue;
        const std::string key = key_of(proposed);
        if (failed.contains(key)) continue;
        if (proposed.remedy == remedies::fill) {
          group.push_back(proposed);
          keys.push_back(key);
          continue;
        }
        if (!group.empty()) run_group();
        if (changed || stopped_) break;
        changed = run_one(proposed) || run_with_closing(proposed);
        if (changed) break;
        failed.insert(key);
        tried.insert(key);
      }
      if (!group.empty() && !changed && !stopped_) run_group();
      if (!changed) break;
      failed.clear();
      // A step that was carried out, yet left as much to do, is not worth another round.
      if (weight_of_findings() >= weight && ++idle > kMostIdleRounds) break;
    }
    propose_the_rest(tried);
  }

  void propose_the_rest(const std::set<std::string>& tried) {
    std::size_t number = number_;
    for (Step& step : session_.propose(options_.accepted)) {
      const bool would_run = step.on && info(step.remedy).is_there();
      if (would_run && !tried.contains(key_of(step))) {
        step.why = "not reached: the steps before it no longer made less of what is wrong";
      } else if (would_run) {
        // It was tried, and refused. Where only flat was tried, there are other ways.
        const auto method = step.settings.find("method");
        const bool only_flat = step.remedy == remedies::fill && method != step.settings.end() &&
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

  [[nodiscard]] std::size_t weight_of_findings() {
    const Inspection& found = session_.inspect();
    const Counts& c = found.counts;
    return c.naked_edges + c.nonmanifold_edges + c.winding_conflicts + c.zero_area + c.duplicates +
           c.crossing_pairs + found.findings.size();
  }

  void weld_equal_points() {
    bool any = false;
    for (const Part& part : session_.model().parts) {
      const auto& triangles = part.mesh().triangles;
      any |= !part.mesh().points_are_distinct ||
             std::any_of(triangles.begin(), triangles.end(), has_equal_corners);
    }
    if (!any) return;
    Step step;
    step.remedy = remedies::weld;
    step.why = "equal points are one vertex; triangles with two equal corners bound nothing";
    step.number = number_ + 1;
    const StepReport report = session_.run(step);
    const bool merged = std::any_of(report.lines.begin(), report.lines.end(),
                                    [](const LedgerLine& l) { return l.done > 0; });
    if (!merged) {
      if (report.changed) session_.undo();
      session_.forget_redo();
      return;
    }
    note(step, report);
  }

  void run_plan(const Plan& plan) {
    std::vector<Step> group;
    for (const Step& step : plan.steps) {
      Step own = step;
      if (own.number == 0) own.number = number_ + 1 + group.size();
      if (!own.on) {
        number_ = std::max(number_, own.number);
        result_.plan.steps.push_back(own);
        result_.proposed.push_back(std::move(own));
        continue;
      }
      if (stopped_) break;
      if (!group.empty() && !(own.remedy == remedies::fill)) run_fills_of(std::exchange(group, {}));
      if (stopped_) break;
      if (own.remedy == remedies::fill) {
        group.push_back(std::move(own));
      } else {
        run_one(std::move(own));
      }
    }
    if (!group.empty() && !stopped_) run_fills_of(std::move(group));
  }

  void number(Step& step) {
    if (step.number == 0) step.number = number_ + 1;
    number_ = std::max(number_, step.number);
  }

  bool run_one(Step step) {
    number(step);
    const StepReport report = session_.run(step);
    note(step, report);
    return report.changed;
  }

  // By step: did it do something? All up to the last one wanted.
  std::vector<bool> run_fills_of(std::vector<Step> steps) {
    for (Step& step : steps) number(step);
    if (options_.until) {
      const auto last = std::find_if(steps.begin(), steps.end(),
                                     [&](const Step& s) { return s.number >= *options_.until; });
      if (last != steps.end()) steps.erase(last + 1, steps.end());
    }
    std::vector<StepReport> reports;
    if (options_.on_state) {
      for (const Step& step : steps) {
        reports.push_back(session_.run(step));
        note(step, reports.back());
      }
    } else {
      reports = session_.run(steps);
      for (std::size_t i = 0; i < steps.size(); ++i) note(steps[i], reports[i]);
    }
    std::vector<bool> done;
    for (const StepReport& r : reports) done.push_back(r.changed);
    return done;
  }

  static bool is_large(const LedgerLine& line) {
    return std::any_of(line.refused.begin(), line.refused.end(),
                       [](const Refusal& r) { return r.reason == RefusalReason::large; });
  }

  void note(Step step, const StepReport& report) {
    bool is_refused = false;
    for (LedgerLine line : report.lines) {
      if (step.method.empty()) step.method = line.method;
      if (line.part_id == 0 && line.refused.empty() && !step.selection.is_empty()) {
        line.refused.push_back({RefusalReason::does_not_apply,
                                step.selection.near.value_or(Point::Zero()), "it selects nothing"});
      }
      is_refused = is_refused || !line.refused.empty();
      result_.ledger.push_back(std::move(line));
    }
    if (options_.plan && is_refused && !report.changed) ++result_.idle_plan_steps;
    // Whoever runs the plan decides on its steps: what was refused for its size is not among them.
    step.on = report.changed || std::none_of(report.lines.begin(), report.lines.end(), is_large);
    number_ = std::max(number_, step.number);
    stopped_ = options_.until && step.number >= *options_.until;
    if (options_.on_state && report.changed) options_.on_state(session_.now(), step.number);
    result_.plan.steps.push_back(std::move(step));
  }

  // Copies and flaps may hide the rims of cracks and openings: they go if the stitching and the
  // fills that then can be done make up for the edges that they bare. Called after `drop` was
  // refused alone.
  bool run_with_closing(const Step& drop) {
    const auto& kinds = drop.selection.kinds;
    const bool may_hide =
        drop.remedy == remedies::drop && std::any_of(kinds.begin(), kinds.end(), [](FindingKind k) {
          return k == duplicate_triangle || k == back_to_back || k == nonmanifold_edge;
        });
    if (!may_hide || stopped_) return false;
    const std::size_t first = session_.position();
    const MendState before = session_.now();
    std::vector<std::pair<Step, StepReport>> done;
    const auto then = [&](Step step) {
      step.number = number_ + done.size();
      StepReport report = session_.run(step);
      done.emplace_back(std::move(step), std::move(report));
    };
    const auto give_up = [&] {
      session_.undo(session_.position() - first);
      session_.forget_redo();
      return false;
    };
    Step bold = drop;
    bold.settings["may_bare"] = true;
    then(bold);
    if (!done.back().second.changed) return give_up();
    Step stitch;
    stitch.remedy = remedies::stitch;
    stitch.selection.kinds = {crack, hanging_vertex};
    stitch.why = "closes what was hidden";
    then(stitch);
    if (harms(before)) {
      Step fill;
      fill.remedy = remedies::fill;
      fill.selection.kinds = {opening};
      fill.settings["method"] = std::string(options_.accepted.covers(opening) ? "auto" : "flat");
      fill.why = "closes what was hidden";
      then(fill);
      if (harms(before)) return give_up();
    }
    // The refusal before stands corrected.
    while (!result_.ledger.empty() && result_.ledger.back().step == number_) {
      result_.ledger.pop_back();
    }
    result_.plan.steps.pop_back();
    for (std::size_t i = 0; i < done.size(); ++i) {
      if (i == 0 || done[i].second.changed) note(done[i].first, done[i].second);
    }
    return true;
  }

  // Is more wrong with a part than before?
  [[nodiscard]] bool harms(const MendState& before) const {
    const MendState& now = session_.now();
    if (now.model.parts.size() != before.model.parts.size()) return true;
    for (std::size_t p = 0; p < now.model.parts.size(); ++p) {
      if (now.model.parts[p].shape() == before.model.parts[p].shape()) continue;
      Change whole;
      whole.mesh = now.model.parts[p].mesh();
      whole.parent.assign(whole.mesh.triangles.size(), TriangleId{kNoIndex});
      if (!harm_of(before.model.parts[p].mesh(), whole).empty()) return true;
    }
    return false;
  }

  void finish() {
    result_.plan.tolerance = session_.tolerance();
    if (options_.plan) {
      result_.plan.file = options_.plan->file;
      result_.plan.digest = options_.plan->digest;
      result_.plan.waivers = options_.plan->waivers;
    }
    std::set<std::size_t> large;
    for (const LedgerLine& line : result_.ledger) {
      result_.area_added += line.area_added;
      result_.area_removed += line.area_removed;
      if (is_large(line)) large.insert(line.step);
    }
    result_.large_refusals = large.size();
    for (const auto& trace : session_.now().traces) {
      for (const double s : trace->spent) {
        result_.largest_movement = std::max(result_.largest_movement, s);
      }
    }
    measure();
    compare_sizes();
    result_.after = session_.inspect();
    for (const Finding& f : result_.after.findings) {
      if (f.waived || f.severity == Severity::note) continue;
      result_.still_open.push_back({f, why_open(f)});
    }
    result_.model = session_.model();
  }

  [[nodiscard]] std::string why_open(const Finding& f) const {
    for (const Step& step : result_.proposed) {
      const auto& kinds = step.selection.kinds;
      const auto& ids = step.selection.ids;
      const bool about = ids.empty() ? std::find(kinds.begin(), kinds.end(), f.kind) != kinds.end()
                                     : std::find(ids.begin(), ids.end(), f.id) != ids.end();
      if (!about) continue;
      if (!info(step.remedy).is_there()) {
        return "needs " + std::string(slug(step.remedy)) + ", which is not there yet";
      }
      return std::string(slug(step.remedy)) + " is proposed (step " + std::to_string(step.number) +
             "), not run";
    }
    // The last line about it says why.
    const auto may_mend = [&](Remedy remedy) {
      return std::any_of(mend_rules().begin(), mend_rules().end(), [&](const MendRule& rule) {
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
        const bool near =
            f.box.contains(r.place) ||
            (r.place - f.place).norm() <= 0.5 * f.box.diagonal() + session_.tolerance();
        if (!near && !named) continue;
        return std::string(slug(line->remedy)) + " was refused: " + std::string(text(r.reason)) +
               (r.detail.empty() ? "" : " (" + r.detail + ")");
      }
    }
    if (!f.waits_for.empty()) return "waits for " + std::string(slug(f.waits_for[0]));
    return "its remedy: " + std::string(info(f.kind).remedy);
  }

  void measure() {
    const MendState& now = session_.now();
    Model after_and_removed = now.model, kept = now.model;
    for (std::size_t p = 0; p < now.model.parts.size(); ++p) {
      PartDraft with_removed(now.model.parts[p]), without_added(now.model.parts[p]);
      Mesh& all = with_removed.mesh;
      const Mesh& removed = now.traces[p]->removed;
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
        if (now.traces[p]->added[t]) continue;
        own.triangles[next] = own.triangles[t];
        if (!own.patch_of.empty()) own.patch_of[next] = own.patch_of[t];
        ++next;
      }
      own.triangles.resize(next);
      if (!own.patch_of.empty()) own.patch_of.resize(next);
      after_and_removed.parts[p] = std::move(with_removed);
      kept.parts[p] = std::move(without_added);
    }
    for (const auto& trace : now.gone) after_and_removed.parts.emplace_back("", trace->removed);
    const bool changed = std::any_of(result_.ledger.begin(), result_.ledger.end(),
                                     [](const LedgerLine& l) { return l.changed_anything(); });
    if (!changed || triangle_count(session_.input()) == 0 || triangle_count(after_and_removed) == 0)
      return;
    // Near enough to be held against the budget, as far as doubles allow.
    constexpr double kOfBudget = 0.125, kOfDiagonal = 1e-6, kFinestOfDiagonal = 1e-11;
    const double diagonal = box_of(session_.input()).diagonal();
    DeviationOptions how;
    if (diagonal > 0) {
      how.accuracy = std::clamp(kOfBudget * session_.tolerance(), kFinestOfDiagonal * diagonal,
                                kOfDiagonal * diagonal);
    }
    result_.from_input = one_way_deviation(session_.input(), after_and_removed, how, progress_);
    if (triangle_count(kept) > 0) {
      result_.to_input = one_way_deviation(kept, session_.input(), how, progress_);
    }
    const bool is_all = result_.area_added == 0 && result_.area_removed == 0;
    if (is_all && result_.to_input) {
      result_.whole = Deviation{*result_.from_input, *result_.to_input};
    } else if (triangle_count(now.model) > 0) {
      result_.whole = compare(session_.input(), now.model, {}, progress_);
    }
  }

  // A loss that no other figure shows would show here.
  void compare_sizes() {
    const MendState& now = session_.now();
    const std::vector<Part>& before = session_.input().parts;
    std::map<PartId, std::size_t> at;
    for (std::size_t p = 0; p < now.traces.size(); ++p) at[now.traces[p]->id] = p;
    const auto add = [&](PartId id, const Part* was, const Part* is) {
      if (was != nullptr && is != nullptr && was->shape() == is->shape()) return;
      SizeChange change{id, was != nullptr ? was->name : is->name, {}, {}};
      if (was != nullptr) change.before = size_of(was->mesh());
      if (is != nullptr) change.after = size_of(is->mesh());
      result_.sizes.push_back(std::move(change));
    };
    for (std::size_t p = 0; p < before.size(); ++p) {
      const auto there = at.find(p + 1);
      add(p + 1, &before[p], there == at.end() ? nullptr : &now.model.parts[there->second]);
      if (there != at.end()) at.erase(there);
    }
    for (const auto& [id, p] : at) add(id, nullptr, &now.model.parts[p]);
    for (const SizeChange& c : result_.sizes) explain(c);
  }

  void explain(const SizeChange& c) {
    if (!c.before || !c.after || c.before->area <= 0) return;
    double added = 0, removed = 0;
    bool turned = false;
    for (const LedgerLine& line : result_.ledger) {
      if (line.part_id != c.id) continue;
      turned = turned || line.triangles_turned > 0;
      added += line.area_added;
      removed += line.area_removed;
    }
    constexpr double kNoticed = 0.01;
    const double scale = c.before->area;
    const double off = c.after->area - c.before->area - added + removed;
    if (std::fabs(off) > kNoticed * scale) {
      result_.unexplained.push_back("'" + c.part + "': its area changed by " +
                                    percent_of(off / scale) +
                                    " beyond what is listed as added and removed");
    }
    if (turned) return;
    const double was = std::fabs(c.before->volume), is = std::fabs(c.after->volume);
    const double explained = std::max(kNoticed, (added + removed) / scale);
    if (std::fabs(is - was) > explained * std::max(was, is)) {
      result_.unexplained.push_back("'" + c.part + "': its volume changed by " +
                                    percent_of((is - was) / std::max(was, is)) +
                                    ", its surface by far less");
    }
  }
  static std::string percent_of(double share) {
    const auto tenths = std::lround(1000 * share);
    return (tenths < 0 ? "-" : "+") + std::to_string(std::abs(tenths) / 10) + "." +
           std::to_string(std::abs(tenths) % 10) + " %";
  }

  MendSession& session_;
  const MendOptions& options_;
  Progress* progress_;
  MendResult result_;
  std::size_t number_ = 0;
  bool stopped_ = false;
};

}  // namespace

double MendResult::deviation() const {
  double bound = 0;
  for (const auto* d : {&from_input, &to_input}) {
    if (*d) bound = std::max(bound, (*d)->largest + (*d)->largest_error);
  }
  return bound;
}

SessionOptions session_options(const MendOptions& options) {
  SessionOptions out;
  const bool by_plan = !options.tolerance && options.plan && options.plan->tolerance > 0;
  out.tolerance = by_plan ? options.plan->tolerance : options.tolerance;
  if (by_plan) out.tolerance_why = "from the plan";
  out.profile = options.profile;
  out.round_to_float = options.round_to_float;
  out.most_given_up = options.most_given_up;
  out.more_checks = options.more_checks;
  return out;
}

MendResult mend(MendSession& session, const MendOptions& options, Progress* progress) {
  return Mender(session, options, progress).run();
}

MendResult mend(Model model, const MendOptions& options, Progress* progress) {
  MendSession session(std::move(model), session_options(options), progress);
  return mend(session, options, progress);
}

}  // namespace aguja
