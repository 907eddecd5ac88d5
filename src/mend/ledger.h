#pragma once
// What a change came to, for the ledger.

#include "aguja/mend/plan.h"
#include "aguja/mend/state.h"

namespace aguja {

/// `budget` is the one that the change was made with.
[[nodiscard]] LedgerLine line_of(const Mesh& before, const Budget& budget, const Change& change);

/// Adds which step it was, of which part, and what it was about.
void describe(LedgerLine& line, const Step& step, const MendState& state,
              const RemedyTarget& target);

}  // namespace aguja
