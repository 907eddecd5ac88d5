#pragma once
/// \file
/// One opening filled by every method, to choose from.

#include <memory>

#include "aguja/mend/fill.h"
#include "aguja/mend/run_step.h"

namespace aguja {

/// Fills worked out for one opening by every method, to choose from.
struct Trial {
  std::string id;
  std::size_t part = 0;
  Point place = Point::Zero();
  std::shared_ptr<const MendState> of;  ///< the state that was given
  KnownMeshPtr mesh;                    ///< that they were worked out for
  /// How that was made of the part's; null if it is the part's.
  std::shared_ptr<const Change> prepared;
  std::vector<FillOutcome> outcomes;  ///< in the order of `fill_methods`
  /// The fill of a method, if it has one.
  [[nodiscard]] const Fill* find(FillMethod method) const;
};
/// Errors: StepError if there is no such finding, or it is no opening.
[[nodiscard]] Trial try_fills(const std::shared_ptr<const MendState>& state,
                              std::span<const Finding> findings, const std::string& id,
                              const FillOptions& options);
/// The state with one of the fills, as it was worked out: nothing is computed again.
/// Errors: ArgumentError if the method has none.
[[nodiscard]] StepResult accept_trial(const Trial& trial, FillMethod method, double tolerance);

}  // namespace aguja
