#pragma once
/// \file
/// Mending: findings become a plan, the plan is run step by step, and what it did is told.

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "aguja/mend/plan.h"
#include "aguja/solid/deviation.h"

namespace aguja {

/// What is known of a part on its way, beside its mesh. Shared by the states that it is true of.
struct PartTrace {
  std::vector<double> spent;  ///< by triangle: see `Budget`
  std::vector<bool> added;    ///< by triangle: surface that the input did not have
  Mesh removed;               ///< surface that was given up, as it was then
  std::size_t fills = 0;
};

/// A model on its way from what was read to what is written. Copies cost references.
struct MendState {
  Model model;
  std::vector<std::shared_ptr<const PartTrace>> traces;  ///< by part

  explicit MendState(Model read);
};

/// Makes a change of one part the part's state.
/// Cost     O(n)
void accept(MendState& state, std::size_t part, Change change);

struct StepResult {
  MendState state;                ///< as it was if nothing was done
  std::vector<LedgerLine> lines;  ///< one per part that it touched; at least one
  bool changed = false;
};

/// What the inspection of a state says, with all triangles of its findings.
/// `tolerance`: what counts as a crack.
[[nodiscard]] Inspection inspect_for_mending(const Model& model, const Profile& profile,
                                             double tolerance, Progress* progress = nullptr);

/// A step that names what is not there, or cannot be understood.
class StepError : public ArgumentError {
 public:
  StepError(std::size_t number, const std::string& text)
      : ArgumentError("step " + std::to_string(number) + ": " + text), step(number) {}
  std::size_t step;
};

struct StepOptions {
  /// The budget of all steps together, and what counts as a crack; model units.
  double tolerance = 0;
  /// Coordinates of the output are floats: stitched vertices get such.
  bool round_to_float = false;
};

/// Runs one step. `findings` are those of the state (`inspect_for_mending`).
///
/// Promises  The state that is given is not changed, also if it is cancelled. Unless the remedy is
///           by hand: no more naked or non-manifold edges, winding conflicts, triangles without
///           area or crossing pairs than before, and everything within the budget; else nothing is
///           changed and `refused` says why. Steps by hand are carried out and flagged.
/// Errors    StepError (a finding that is gone, a setting that is not understood), Cancelled.
[[nodiscard]] StepResult run_step(const MendState& state, std::span<const Finding> findings,
                                  const Step& step, const StepOptions& options,
                                  Progress* progress = nullptr);

/// Fills worked out for one opening by every method, to choose from.
struct Trial {
  std::string id;
  std::size_t part = 0;
  Point place = Point::Zero();
  std::shared_ptr<const MendState> state;  ///< that they were worked out for
  std::vector<FillOutcome> outcomes;       ///< in the order of `fill_methods`
  /// The fill of a method, if it has one.
  [[nodiscard]] const Fill* find(FillMethod method) const;
};
/// Errors: StepError if there is no such finding, or it is no opening.
[[nodiscard]] Trial try_fills(std::shared_ptr<const MendState> state,
                              std::span<const Finding> findings, const std::string& id,
                              const FillOptions& options);
/// The state with one of the fills, as it was worked out: nothing is computed again.
/// Errors: ArgumentError if the method has none.
[[nodiscard]] StepResult accept_trial(const Trial& trial, FillMethod method, double tolerance);

/// States one after another, to go back and forth in.
class History {
 public:
  explicit History(MendState first);
  [[nodiscard]] const std::shared_ptr<const MendState>& now() const { return states_[at_]; }
  /// Lines of all steps up to now.
  [[nodiscard]] std::vector<LedgerLine> ledger() const;
  /// What was undone is forgotten.
  void push(StepResult result);
  /// Each goes as far as it can and says how far.
  std::size_t undo(std::size_t steps = 1);
  std::size_t redo(std::size_t steps = 1);
  [[nodiscard]] std::size_t size() const { return states_.size(); }
  [[nodiscard]] std::size_t position() const { return at_; }

 private:
  std::vector<std::shared_ptr<const MendState>> states_;
  std::vector<std::vector<LedgerLine>> lines_;  // that led to each
  std::size_t at_ = 0;
};

struct MendOptions {
  /// The budget, and what counts as a crack; proposed from the model if left out.
  std::optional<double> tolerance = {};
  Profile profile;
  /// Proposals of these kinds are run, too; see `accept_all`.
  std::vector<FindingKind> accepted;
  bool accept_all = false;
  /// Run this instead of one made from the findings.
  std::optional<Plan> plan = {};
  /// Stop after the step of this number.
  std::optional<std::size_t> until = {};
  /// Coordinates of the output are floats: stitched vertices get such, so that writing moves
  /// nothing.
  bool round_to_float = false;
  /// Told of every state that a step has made, with its number.
  std::function<void(const MendState&, std::size_t)> on_state = {};
};

/// Why a finding is still there.
struct StillOpen {
  Finding finding;
  std::string why;
};

struct MendResult {
  Model model;
  double tolerance = 0;
  std::string tolerance_why;
  std::vector<LedgerLine> ledger;
  Plan plan;  ///< what was run, then what is proposed (off)
  std::vector<Step> proposed;
  Inspection before;
  Inspection after;
  std::vector<StillOpen> still_open;  ///< errors and warnings, worst first
  /// The input against the output without what was added, and the other way without what was
  /// removed; nothing if nothing is left of either.
  std::optional<OneWayDeviation> from_input;
  std::optional<OneWayDeviation> to_input;
  double area_added = 0;
  double area_removed = 0;
  double largest_movement = 0;  ///< an upper bound, from the ledger
  [[nodiscard]] double deviation() const;
};

struct ToleranceChoice {
  double value = 0;
  std::string why;
};
/// The budget that `mend` takes: the one given, or the plan's, or one proposed from the widths of
/// cracks, or the precision of the coordinates.
/// Errors: ArgumentError (not finite, or below 0).
[[nodiscard]] ToleranceChoice chosen_tolerance(const Model& model, const MendOptions& options);

/// Mends a model: by the plan given, or by one that is made as it goes. Without being asked it
/// welds identical points, stitches, orients, drops exact duplicates, and fills openings that are
/// flat within the tolerance; everything else is proposed.
///
/// Promises  DESIGN.md's: see `run_step`; the same result for any number of threads.
/// Cost      An inspection of the parts that changed after each group of steps.
/// Errors    StepError, ArgumentError, Cancelled.
[[nodiscard]] MendResult mend(Model model, const MendOptions& options = {},
                              Progress* progress = nullptr);

/// As above, after a first step that was done already: `input` is the model before it.
[[nodiscard]] MendResult mend_from(StepResult first, Model input, const MendOptions& options = {},
                                   Progress* progress = nullptr);

}  // namespace aguja
