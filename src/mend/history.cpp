#include "aguja/mend/mend.h"

namespace aguja {

History::History(MendState first) {
  states_.push_back(std::make_shared<const MendState>(std::move(first)));
  lines_.emplace_back();
}

std::vector<LedgerLine> History::ledger() const {
  std::vector<LedgerLine> all;
  for (std::size_t i = 0; i <= at_; ++i) all.insert(all.end(), lines_[i].begin(), lines_[i].end());
  return all;
}

void History::push(StepResult result) {
  states_.resize(at_ + 1);
  lines_.resize(at_ + 1);
  states_.push_back(std::make_shared<const MendState>(std::move(result.state)));
  lines_.push_back(std::move(result.lines));
  ++at_;
}

std::size_t History::undo(std::size_t steps) {
  const std::size_t done = std::min(steps, at_);
  at_ -= done;
  return done;
}

std::size_t History::redo(std::size_t steps) {
  const std::size_t done = std::min(steps, states_.size() - 1 - at_);
  at_ += done;
  return done;
}

}  // namespace aguja
