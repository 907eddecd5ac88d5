#pragma once
/// \file
/// A session: findings, proposals, trials and steps on one model, back and forth.

#include <atomic>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "aguja/inspect/inspect.h"
#include "aguja/mend/trial.h"

namespace aguja {

struct SessionOptions {
  /// The budget, and what counts as a crack; proposed from the model if left out.
  std::optional<double> tolerance = {};
  std::string tolerance_why = "as given";  ///< said of it if it is not left out
  Profile profile = {};
  /// Coordinates of the output are floats: stitched vertices get such, so that writing moves
  /// nothing.
  bool round_to_float = false;
  /// See `StepOptions`: what a step may give up that nobody decided on.
  double most_given_up = StepOptions::kMostGivenUp;
  /// Run beside those that are built in; they must outlive the session.
  std::span<const Check> more_checks = {};
};

struct ToleranceChoice {
  double value = 0;
  std::string why;
};
/// The one given, or one proposed from the widths of cracks, or the precision of the coordinates.
/// Errors: ArgumentError (not finite, or below 0).
[[nodiscard]] ToleranceChoice chosen_tolerance(const Model& model, std::optional<double> given,
                                               std::string why = "as given");

/// What a proposal runs without being asked again.
struct Accepted {
  std::vector<FindingKind> kinds = {};
  bool all = false;
  /// These findings' steps run whatever they give up: a person has decided on each.
  std::vector<std::string> ids = {};
  /// Findings, by id or kind, that are left as they are.
  std::vector<std::string> left = {};

  [[nodiscard]] bool covers(FindingKind kind) const;
  [[nodiscard]] bool names(const Finding& finding) const;
  [[nodiscard]] bool leaves(const Finding& finding) const;
};

/// What a step did, and how many states there are now.
struct StepReport {
  std::vector<LedgerLine> lines;
  bool changed = false;
};

/// Promises
///  1. A step that is refused, fails or is stopped leaves the session as it was.
///  2. A state costs what a step changed: shapes are shared, and what is known of a shape (what is
///     wrong with it) is worked out once, also across undo and redo.
///  3. The same steps give the same bytes for any number of threads.
///
/// Cost      `inspect`: an inspection of the shapes that steps changed since. `run`: see `run_step`
///           and `run_fills`. `undo`, `redo`: nothing.
/// Errors    StepError and ArgumentError as `run_step`; Cancelled.
/// Threads   One at a time, but for `stop`, which may come from any.
class MendSession {
 public:
  explicit MendSession(Model input, SessionOptions options = {}, Progress* progress = nullptr);
  ~MendSession();

  [[nodiscard]] const Model& input() const;
  [[nodiscard]] const MendState& now() const;
  [[nodiscard]] const Model& model() const { return now().model; }
  [[nodiscard]] double tolerance() const { return tolerance_.value; }
  [[nodiscard]] const std::string& tolerance_why() const { return tolerance_.why; }

  /// What is wrong now, with all triangles of each finding.
  [[nodiscard]] const Inspection& inspect();
  /// The findings that steps may name: those of the last inspection, carried to where their
  /// triangles are now.
  [[nodiscard]] std::span<const Finding> findings();

  /// Steps for what is found now, in the order in which findings depend on each other. `on`: those
  /// that are safe without asking, and those for accepted kinds.
  [[nodiscard]] std::vector<Step> propose(const Accepted& accepted = {});
  /// One opening filled by every method; see `try_fills`.
  [[nodiscard]] Trial try_fills(const std::string& id, const FillOptions& options);

  StepReport run(const Step& step);
  /// Several steps after each other; fills that follow each other are run together. A report each.
  std::vector<StepReport> run(std::span<const Step> steps);
  /// Puts in a fill that was tried. Errors: ArgumentError (a trial of another state).
  StepReport take(const Trial& trial, FillMethod method, std::size_t number = 0);

  /// Each goes as far as it can and says how far. A step after undoing forgets what was undone.
  std::size_t undo(std::size_t steps = 1);
  std::size_t redo(std::size_t steps = 1);
  [[nodiscard]] std::size_t position() const { return at_; }
  [[nodiscard]] std::size_t size() const { return nodes_.size(); }
  /// Forgets what was undone.
  void forget_redo();

  /// What became of parts between the state before and this one; nothing at the start.
  [[nodiscard]] std::span<const PartChange> part_changes() const;

  /// Lines of all steps up to now, refused ones too.
  [[nodiscard]] std::vector<LedgerLine> ledger() const;

  /// The steps up to now as they were run, refused ones too.
  [[nodiscard]] std::vector<Step> steps() const;

  /// Ends what runs, with `Cancelled`.
  void stop() { stop_ = true; }

 private:
  struct Node;
  class Watch;
  std::vector<StepReport> run_group(std::span<const Step> steps);
  StepReport push(StepResult result, std::vector<Step> steps);

  SessionOptions options_;
  Progress* progress_;
  ToleranceChoice tolerance_;
  std::atomic<bool> stop_ = false;
  std::vector<std::shared_ptr<Node>> nodes_;
  std::size_t at_ = 0;
};

}  // namespace aguja
