#pragma once
#include "aguja/mend/change.h"

namespace aguja {

/// Changes one after another as one, with what all of them did and refused.
class ChangeChain {
 public:
  ChangeChain(const Mesh& mesh, const Budget& budget)
      : distance_(budget.distance), all_(unchanged(mesh, budget)) {}

  [[nodiscard]] const Change& now() const { return all_; }
  /// What is left for the next one.
  [[nodiscard]] Budget budget() const { return {distance_, all_.spent}; }
  /// `next` was made from `now().mesh`.
  void add(Change next) {
    done_ += next.done;
    methods_.insert(methods_.end(), next.methods.begin(), next.methods.end());
    refused_.insert(refused_.end(), next.refused.begin(), next.refused.end());
    all_ = composed(all_, std::move(next));
  }
  [[nodiscard]] Change take() {
    all_.done = done_;
    all_.methods = std::move(methods_);
    all_.refused = std::move(refused_);
    return std::move(all_);
  }

 private:
  double distance_;
  Change all_;
  std::size_t done_ = 0;
  std::vector<std::string> methods_;
  std::vector<Refusal> refused_;
};

}  // namespace aguja
