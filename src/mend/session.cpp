#include "aguja/mend/session.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "aguja/mesh/patches.h"
#include "aguja/mesh/weld.h"
#include "aguja/model/proposed_tolerance.h"
#include "mend/proposals.h"

namespace aguja {

// A state, what led to it, and what is known of it.
struct MendSession::Node {
  MendState state;
  std::vector<Step> steps;               // that led to it, and those that were refused since
  std::vector<LedgerLine> lines;         // what they did
  std::vector<PartInspectionPtr> parts;  // by part; null: not looked at
  std::shared_ptr<const Inspection> inspection;
  std::vector<Finding> carried;  // of the last inspection before, if there is none
  bool can_carry = false;        // fills may go by them
  std::vector<PartChange> changes = {};
};

// Passes progress on, and stops when the session is told to.
class MendSession::Watch : public Progress {
 public:
  explicit Watch(MendSession& session) : session_(session) { session.stop_ = false; }
  bool advance(std::string_view stage, double done) override {
    if (session_.stop_) return false;
    return session_.progress_ == nullptr || session_.progress_->advance(stage, done);
  }

 private:
  MendSession& session_;
};

bool Accepted::covers(FindingKind kind) const {
  return all || std::find(kinds.begin(), kinds.end(), kind) != kinds.end();
}
bool Accepted::names(const Finding& finding) const {
  return std::find(ids.begin(), ids.end(), finding.id) != ids.end();
}
bool Accepted::leaves(const Finding& finding) const {
  return std::any_of(left.begin(), left.end(), [&](const std::string& word) {
    return word == finding.id || word == slug(finding.kind);
  });
}

namespace {

// The same triangles on the same points, however they are numbered.
bool is_same_surface(const Mesh& a, const Mesh& b) {
  if (a.triangles.size() != b.triangles.size() || a.patch_of != b.patch_of ||
      a.wires.size() != b.wires.size()) {
    return false;
  }
  for (std::size_t t = 0; t < a.triangles.size(); ++t) {
    for (std::size_t c = 0; c < 3; ++c) {
      if (a.point(a.triangles[t][c]) != b.point(b.triangles[t][c])) return false;
    }
  }
  // What no triangle uses is looked for, too.
  return Welded(a).points().size() == Welded(b).points().size();
}

}  // namespace

ToleranceChoice chosen_tolerance(const Model& model, std::optional<double> given, std::string why) {
  ToleranceChoice choice;
  if (given) {
    choice = {*given, std::move(why)};
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

MendSession::MendSession(Model input, SessionOptions options, Progress* progress)
    : options_(std::move(options)),
      progress_(progress),
      tolerance_(chosen_tolerance(input, options_.tolerance, options_.tolerance_why)) {
  nodes_.push_back(std::make_shared<Node>(Node{MendState(std::move(input)), {}, {}, {}, {}, {}}));
}

MendSession::~MendSession() = default;

const Model& MendSession::input() const { return nodes_.front()->state.model; }
const MendState& MendSession::now() const { return nodes_[at_]->state; }

const Inspection& MendSession::inspect() {
  Node& node = *nodes_[at_];
  if (node.inspection) return *node.inspection;
  Watch watch(*this);
  InspectOptions options = options_for_mending(options_.profile, tolerance_.value);
  options.more_checks = options_.more_checks;
  keep_known(node.state);
  node.parts =
      inspect_parts(node.state.model, node.parts, options, nullptr, &watch, node.state.known);
  node.inspection = std::make_shared<const Inspection>(
      merged(node.state.model, node.parts, options, nullptr, &watch));
  node.carried.clear();
  node.can_carry = false;
  return *node.inspection;
}

std::span<const Finding> MendSession::findings() {
  Node& node = *nodes_[at_];
  if (!node.inspection && node.can_carry) return node.carried;
  return inspect().findings;
}

std::vector<Step> MendSession::propose(const Accepted& accepted) {
  const Inspection& found = inspect();
  return proposed_steps(now(), found, tolerance_.value, accepted);
}

Trial MendSession::try_fills(const std::string& id, const FillOptions& options) {
  const Inspection& found = inspect();
  // The state stays where it is as long as the trial needs it.
  const std::shared_ptr<Node> node = nodes_[at_];
  return aguja::try_fills(std::shared_ptr<const MendState>(node, &node->state), found.findings, id,
                          options);
}

StepReport MendSession::push(StepResult result, std::vector<Step> steps) {
  for (Step& step : steps) {
    step.on = true;
    if (!step.method.empty()) continue;
    for (const LedgerLine& line : result.lines) {
      if (line.step == step.number && step.method.empty()) step.method = line.method;
    }
  }
  Node& before = *nodes_[at_];
  StepReport report{result.lines, result.changed};
  if (!result.changed) {
    before.steps.insert(before.steps.end(), steps.begin(), steps.end());
    before.lines.insert(before.lines.end(), result.lines.begin(), result.lines.end());
    return report;
  }
  auto node = std::make_shared<Node>(
      Node{std::move(result.state), std::move(steps), std::move(result.lines), {}, {}, {}});
  node->changes = std::move(result.parts);
  // What the next step has no use for is made anew if one comes back.
  const std::set<KnownMeshPtr> kept(node->state.known.begin(), node->state.known.end());
  for (auto& known : before.state.known) {
    if (!kept.contains(known)) known = nullptr;
  }
  // What is known of a shape stays known.
  std::map<const Shape*, PartInspectionPtr> known;
  for (std::size_t p = 0; p < before.parts.size(); ++p) {
    if (before.parts[p]) known[before.state.model.parts[p].shape().get()] = before.parts[p];
  }
  for (std::size_t p = 0; p < node->state.model.parts.size(); ++p) {
    const Part& part = node->state.model.parts[p];
    const auto at = known.find(part.shape().get());
    PartInspectionPtr own = at == known.end() ? nullptr : at->second;
    // Points that were welded change nothing that is looked for.
    const bool in_place = node->state.model.parts.size() == before.parts.size();
    if (!own && in_place && before.parts[p] &&
        is_same_surface(before.state.model.parts[p].mesh(), part.mesh())) {
      own = before.parts[p];
    }
    node->parts.push_back(std::move(own));
  }
  nodes_.resize(at_ + 1);
  nodes_.push_back(std::move(node));
  ++at_;
  return report;
}

StepReport MendSession::run(const Step& step) { return run(std::span(&step, 1)).at(0); }

std::vector<StepReport> MendSession::run(std::span<const Step> steps) {
  std::vector<StepReport> reports;
  for (std::size_t i = 0; i < steps.size();) {
    std::size_t end = i + 1;
    while (end < steps.size() && steps[i].remedy == remedies::fill &&
           steps[end].remedy == remedies::fill) {
      ++end;
    }
    for (StepReport& r : run_group(steps.subspan(i, end - i))) reports.push_back(std::move(r));
    i = end;
  }
  return reports;
}

std::vector<StepReport> MendSession::run_group(std::span<const Step> steps) {
  const bool fills = steps[0].remedy == remedies::fill;
  const std::shared_ptr<Node> node = nodes_[at_];
  const std::span<const Finding> known = fills ? findings() : inspect().findings;
  Watch watch(*this);
  advance(&watch, "mend", 0.0);
  const StepOptions options{tolerance_.value, options_.round_to_float, options_.most_given_up};
  keep_known(node->state);
  if (!fills) return {push(run_step(node->state, known, steps[0], options, &watch), {steps[0]})};
  FillsResult done = run_fills(node->state, known, steps, options, &watch);
  std::vector<StepReport> reports;
  for (std::vector<LedgerLine>& lines : done.lines_of_step) {
    const bool changed = std::any_of(lines.begin(), lines.end(),
                                     [](const LedgerLine& l) { return l.changed_anything(); });
    reports.push_back({std::move(lines), changed});
  }
  std::vector<Finding> still = carried(known, node->state, done.together);
  push(std::move(done.together), {steps.begin(), steps.end()});
  if (nodes_[at_] != node) {
    nodes_[at_]->carried = std::move(still);
    nodes_[at_]->can_carry = true;
  }
  return reports;
}

StepReport MendSession::take(const Trial& trial, FillMethod method, std::size_t number) {
  if (trial.of.get() != &nodes_[at_]->state) {
    throw ArgumentError(trial.id + ": the trial is of another state");
  }
  StepResult result = accept_trial(trial, method, tolerance_.value);
  for (LedgerLine& line : result.lines) line.step = number;
  Step step;
  step.number = number;
  step.remedy = remedies::fill;
  step.selection.ids = {trial.id};
  step.settings["method"] = std::string(slug(method));
  step.why = "chosen from a trial";
  return push(std::move(result), {step});
}

std::size_t MendSession::undo(std::size_t steps) {
  const std::size_t done = std::min(steps, at_);
  at_ -= done;
  return done;
}

std::size_t MendSession::redo(std::size_t steps) {
  const std::size_t done = std::min(steps, nodes_.size() - 1 - at_);
  at_ += done;
  return done;
}

void MendSession::forget_redo() { nodes_.resize(at_ + 1); }

std::span<const PartChange> MendSession::part_changes() const { return nodes_[at_]->changes; }

std::vector<LedgerLine> MendSession::ledger() const {
  std::vector<LedgerLine> all;
  for (std::size_t i = 0; i <= at_; ++i) {
    all.insert(all.end(), nodes_[i]->lines.begin(), nodes_[i]->lines.end());
  }
  return all;
}

std::vector<Step> MendSession::steps() const {
  std::vector<Step> all;
  for (std::size_t i = 0; i <= at_; ++i) {
    all.insert(all.end(), nodes_[i]->steps.begin(), nodes_[i]->steps.end());
  }
  return all;
}

}  // namespace aguja
