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

}  // namespace aguja
