#pragma once
// Changes one after another as one.

#include <algorithm>

#include "aguja/mend/change.h"

namespace aguja {

/// `second` was made from the mesh of `first`: the change from before `first` to after `second`.
/// What was done and refused is that of `second`.
[[nodiscard]] inline Change composed(const Change& first, Change second) {
  for (TriangleId& p : second.parent) {
    if (p.value != kNoIndex) p = first.parent[p.value];
  }
  std::vector<TriangleId> dropped = first.dropped;
  for (const TriangleId t : second.dropped) {
    if (first.parent[t.value].value != kNoIndex) dropped.push_back(first.parent[t.value]);
  }
  std::sort(dropped.begin(), dropped.end());
  dropped.erase(std::unique(dropped.begin(), dropped.end()), dropped.end());
  second.dropped = std::move(dropped);
  std::vector<std::string> names = first.new_patches;
  names.insert(names.end(), second.new_patches.begin(), second.new_patches.end());
  second.new_patches = std::move(names);
  return second;
}

/// The same, with what all of them did and refused.
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
