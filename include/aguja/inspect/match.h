#pragma once
/// \file
/// Which findings of one state, or of one revision of a file, are those of another.

#include <cstddef>
#include <span>
#include <vector>

#include "aguja/inspect/finding.h"
#include "aguja/model/part_change.h"

namespace aguja {

struct FindingMatch {
  std::size_t before;
  std::size_t after;
  bool by_id;  ///< else by kind, name of the part, and place
};

struct FindingMatches {
  std::vector<FindingMatch> pairs;    ///< by number before
  std::vector<std::size_t> gone;      ///< before, rising: nothing after is it
  std::vector<std::size_t> appeared;  ///< after, rising: nothing before was it
};

/// First those with one id; of the rest those of one kind, in parts of one name, whose places are each
/// other's nearest and lie within a quarter of the larger one's box diagonal.
///
/// Promises  No finding is in two pairs. The same for any order of either list, numbers aside.
/// Cost      O(n log n).
[[nodiscard]] FindingMatches match_findings(std::span<const Finding> before,
                                            std::span<const Finding> after);

/// Findings after changes of parts, one after another, by what their triangles have become; those
/// that have none left are gone, those without triangles in parts that are still there stay as they
/// were. One whose triangles are now in several parts names them all.
///
/// `before`, `after`: the parts of either model.
/// Cost      O(n) in the triangles of changed parts and of findings.
[[nodiscard]] std::vector<Finding> carried(std::span<const Finding> findings,
                                           std::span<const NamedPart> before,
                                           std::span<const PartChange> changes,
                                           std::span<const NamedPart> after);

}  // namespace aguja
