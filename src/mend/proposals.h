#pragma once
// What is proposed for findings, in the order in which their dependencies ask for it.

#include <vector>

#include "aguja/mend/session.h"

namespace aguja {

struct MendRule {
  Remedy remedy;
  std::vector<FindingKind> kinds;
  bool safe;      ///< runs without being asked
  bool one_each;  ///< a step per finding, so that each can be decided by itself
  std::string_view why;
};

[[nodiscard]] const std::vector<MendRule>& mend_rules();

/// Steps for the findings of a state; see `MendSession::propose`.
[[nodiscard]] std::vector<Step> proposed_steps(const MendState& state, const Inspection& inspection,
                                               double tolerance, const Accepted& accepted);

}  // namespace aguja
