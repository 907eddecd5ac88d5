#pragma once
/// \file
/// One step of a plan.

#include <vector>

#include "aguja/inspect/inspect.h"
#include "aguja/inspect/match.h"
#include "aguja/mend/plan.h"
#include "aguja/mend/state.h"

namespace aguja {

struct StepResult {
  MendState state;                ///< as it was if nothing was done
  std::vector<LedgerLine> lines;  ///< one per part that it touched; at least one
  bool changed = false;
  /// What became of parts, in the order in which it was done.
  std::vector<PartChange> parts = {};
};

/// What the inspection of a state says, with all triangles of its findings.
/// `tolerance`: what counts as a crack.
[[nodiscard]] InspectOptions options_for_mending(const Profile& profile, double tolerance);
[[nodiscard]] Inspection inspect_for_mending(const Model& model, const Profile& profile,
                                             double tolerance, Progress* progress = nullptr);

struct StepOptions {
  /// The budget of all steps together, and what counts as a crack; model units.
  double tolerance = 0;
  /// Coordinates of the output are floats: stitched vertices get such.
  bool round_to_float = false;
  /// A step that nobody decided on may give up no closed shell that encloses volume, and no more than
  /// this part of the area that a part had when it was read, together with the steps before it.
  double most_given_up = kMostGivenUp;
  static constexpr double kMostGivenUp = 0.02;
};

/// Runs one step. `findings` are those of the state (`inspect_for_mending`).
///
/// Promises  The state that is given is not changed, also if it is cancelled. Unless the remedy's
///           policy says otherwise (`MayWorsen`): no more naked or non-manifold edges, winding
///           conflicts, triangles without area or crossing pairs than before, something of the part
///           left, and everything within the budget; else nothing is changed and `refused` says
///           why. Steps by hand are carried out and flagged. Nothing large goes by itself: of a step
///           that nobody decided on, findings that would take too much of a part with them are
///           left, and refused.
/// Errors    StepError (a finding that is gone, a setting that is not understood), Cancelled.
[[nodiscard]] StepResult run_step(const MendState& state, std::span<const Finding> findings,
                                  const Step& step, const StepOptions& options,
                                  Progress* progress = nullptr);

struct FillsResult {
  StepResult together;  ///< with the lines of all
  std::vector<std::vector<LedgerLine>> lines_of_step;
};

/// Several fills that do not see each other, as steps of their own: each part is prepared and
/// examined once for all of them. Where together they would do harm, they are run one after
/// another.
/// Cost      One pass over each part, its crossing search over what is added, and the fills.
/// Errors    As `run_step`; ArgumentError (a step that is no fill).
[[nodiscard]] FillsResult run_fills(const MendState& state, std::span<const Finding> findings,
                                    std::span<const Step> steps, const StepOptions& options,
                                    Progress* progress = nullptr);

/// Findings of the state before a step (`carried`), after it.
[[nodiscard]] std::vector<Finding> carried(std::span<const Finding> findings,
                                           const MendState& before, const StepResult& result);

}  // namespace aguja
