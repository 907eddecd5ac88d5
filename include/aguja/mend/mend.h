#pragma once
/// \file
/// Mending: findings become a plan, the plan is run step by step, and what it did is told.

#include <functional>
#include <string>
#include <vector>

#include "aguja/mend/session.h"
#include "aguja/solid/deviation.h"
#include "aguja/solid/measure.h"

namespace aguja {

struct MendOptions {
  /// The budget, and what counts as a crack; proposed from the model if left out.
  std::optional<double> tolerance = {};
  Profile profile;
  /// Proposals of these kinds are run, too.
  Accepted accepted = {};
  /// See `StepOptions`: what a step may give up that nobody decided on.
  double most_given_up = StepOptions::kMostGivenUp;
  /// Run this instead of one made from the findings.
  std::optional<Plan> plan = {};
  /// Stop after the step of this number.
  std::optional<std::size_t> until = {};
  /// Coordinates of the output are floats: stitched vertices get such, so that writing moves
  /// nothing.
  bool round_to_float = false;
  /// Told of every state that a step has made, with its number. Fills are run one by one then.
  std::function<void(const MendState&, std::size_t)> on_state = {};
  /// Run beside those that are built in; they must outlive the call.
  std::span<const Check> more_checks = {};
};

/// Why a finding is still there.
struct StillOpen {
  Finding finding;
  std::string why;
};

/// What became of the size of a part that was changed.
struct SizeChange {
  PartId id = 0;
  std::string part;
  std::optional<PartSize> before, after;  ///< none: it was not there, or is gone
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
  /// All that was read against all that is there now, both ways: what was added and removed shows.
  std::optional<Deviation> whole;
  std::vector<SizeChange> sizes;
  /// Changes of size that what was added, removed and moved does not explain, a sentence each.
  std::vector<std::string> unexplained;
  double area_added = 0;
  double area_removed = 0;
  /// Steps that were refused, wholly or in part, since much would have gone (`RefusalReason::large`).
  std::size_t large_refusals = 0;
  /// Steps of the plan given that did nothing, since they were refused or selected nothing.
  std::size_t idle_plan_steps = 0;
  double largest_movement = 0;  ///< an upper bound, from the ledger
  /// No more than this lies between input and output so far as nothing was added or removed: what
  /// was found, and by how much it may be more.
  [[nodiscard]] double deviation() const;
};

/// Mends a model: by the plan given, or by one that is made as it goes. Without being asked it
/// welds identical points, stitches, orients, drops exact duplicates, and fills openings that are
/// flat within the tolerance; everything else is proposed.
///
/// Promises  DESIGN.md's: see `run_step`; the same result for any number of threads.
/// Cost      An inspection of the shapes that changed after each group of steps.
/// Errors    StepError, ArgumentError, Cancelled.
[[nodiscard]] MendResult mend(Model model, const MendOptions& options = {},
                              Progress* progress = nullptr);

/// A session run to the end, from where it is. What it has done already is part of the plan and the
/// ledger; tolerance, profile and rounding are the session's.
[[nodiscard]] MendResult mend(MendSession& session, const MendOptions& options,
                              Progress* progress = nullptr);

/// What a session takes of these options.
[[nodiscard]] SessionOptions session_options(const MendOptions& options);

}  // namespace aguja
