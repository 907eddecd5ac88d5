#include "aguja/inspect/match.h"

#include <algorithm>
#include <map>
#include <string>
#include <utility>

#include "aguja/base/array.h"
#include "aguja/geometry/box_tree.h"
#include "base/numbers.h"

namespace aguja {
namespace {

// A finding without extent has its place alone: as far as this part of its distance from the origin
// it may have been rounded.
constexpr double kPlaceRounding = 1e-9;

double reach_of(const Finding& f) {
  return std::max(0.25 * f.box.diagonal(), kPlaceRounding * f.place.norm());
}

// The places of some findings. Of those equally near the one with the least id is taken, so that
// the order of the findings does not show.
class Places {
 public:
  Places(std::span<const Finding> findings, std::vector<std::size_t> some)
      : findings_(findings), some_(std::move(some)) {
    std::sort(some_.begin(), some_.end(),
              [&](std::size_t a, std::size_t b) { return findings[a].id < findings[b].id; });
    Array<FloatBox> boxes;
    for (const std::size_t i : some_) {
      Box box;
      box.extend(findings[i].place);
      boxes.push_back(FloatBox(box));
    }
    tree_ = BoxTree(std::move(boxes));
  }

  [[nodiscard]] std::size_t nearest(const Point& place) const {
    return some_[tree_.nearest(place, kInfinity, [&](std::uint32_t i) {
      return (findings_[some_[i]].place - place).squaredNorm();
    })];
  }

 private:
  std::span<const Finding> findings_;
  std::vector<std::size_t> some_;
  BoxTree tree_;
};

}  // namespace

FindingMatches match_findings(std::span<const Finding> before, std::span<const Finding> after) {
  FindingMatches out;
  std::vector<bool> is_matched(after.size());
  std::map<std::string, std::size_t> by_id;
  for (std::size_t i = 0; i < after.size(); ++i) by_id.emplace(after[i].id, i);
  using Group = std::pair<FindingKind, std::string>;
  std::map<Group, std::vector<std::size_t>> left_before, left_after;
  for (std::size_t i = 0; i < before.size(); ++i) {
    const auto at = by_id.find(before[i].id);
    if (at != by_id.end() && !is_matched[at->second]) {
      is_matched[at->second] = true;
      out.pairs.push_back({i, at->second, true});
    } else {
      left_before[{before[i].kind, before[i].part}].push_back(i);
    }
  }
  for (std::size_t i = 0; i < after.size(); ++i) {
    if (!is_matched[i]) left_after[{after[i].kind, after[i].part}].push_back(i);
  }
  for (const auto& [group, own] : left_before) {
    const auto others = left_after.find(group);
    if (others == left_after.end()) {
      out.gone.insert(out.gone.end(), own.begin(), own.end());
      continue;
    }
    const Places places_before(before, own), places_after(after, others->second);
    for (const std::size_t i : own) {
      const std::size_t near = places_after.nearest(before[i].place);
      const bool is_it = places_before.nearest(after[near].place) == i &&
                         (after[near].place - before[i].place).norm() <=
                             std::max(reach_of(before[i]), reach_of(after[near]));
      if (!is_it) {
        out.gone.push_back(i);
        continue;
      }
      is_matched[near] = true;
      out.pairs.push_back({i, near, false});
    }
  }
  std::sort(out.pairs.begin(), out.pairs.end(),
            [](const FindingMatch& a, const FindingMatch& b) { return a.before < b.before; });
  std::sort(out.gone.begin(), out.gone.end());
  for (std::size_t i = 0; i < after.size(); ++i) {
    if (!is_matched[i]) out.appeared.push_back(i);
  }
  return out;
}

}  // namespace aguja
