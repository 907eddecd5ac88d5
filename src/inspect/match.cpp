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

namespace {

// Findings with the ids of their parts, and what is left of each.
struct Carried {
  struct InPart {
    PartId id;
    std::vector<TriangleId> triangles;
    bool had_triangles;
  };
  Finding finding;
  std::vector<InPart> parts;
};

void carry(Carried& finding, const PartChange& change, std::span<const ChildrenOf> children) {
  std::vector<Carried::InPart> now;
  for (Carried::InPart& own : finding.parts) {
    const auto at = std::find(change.before.begin(), change.before.end(), own.id);
    if (at == change.before.end()) {
      now.push_back(std::move(own));
      continue;
    }
    const auto b = static_cast<std::size_t>(at - change.before.begin());
    std::uint32_t first = 0;
    for (std::size_t i = 0; i < b; ++i) {
      first += static_cast<std::uint32_t>(change.triangles_before[i]);
    }
    for (std::size_t a = 0; a < change.after.size(); ++a) {
      Carried::InPart part{change.after[a], {}, own.had_triangles};
      for (const TriangleId t : own.triangles) {
        if (t.value >= change.triangles_before[b]) continue;
        const auto became = children[a].of({first + t.value});
        part.triangles.insert(part.triangles.end(), became.begin(), became.end());
      }
      if (own.had_triangles ? !part.triangles.empty() : a == 0) now.push_back(std::move(part));
    }
  }
  // What came from several parts, or from several triangles, is listed once.
  finding.parts.clear();
  for (Carried::InPart& part : now) {
    const auto same = std::find_if(finding.parts.begin(), finding.parts.end(),
                                   [&](const Carried::InPart& p) { return p.id == part.id; });
    if (same == finding.parts.end()) {
      finding.parts.push_back(std::move(part));
    } else {
      same->triangles.insert(same->triangles.end(), part.triangles.begin(), part.triangles.end());
    }
  }
  for (Carried::InPart& part : finding.parts) {
    std::sort(part.triangles.begin(), part.triangles.end());
    part.triangles.erase(std::unique(part.triangles.begin(), part.triangles.end()),
                         part.triangles.end());
  }
}

}  // namespace

std::vector<Finding> carried(std::span<const Finding> findings, std::span<const NamedPart> before,
                             std::span<const PartChange> changes,
                             std::span<const NamedPart> after) {
  std::vector<Carried> all;
  for (const Finding& f : findings) {
    Carried one{f, {}};
    for (const std::size_t p : parts_of(f)) {
      const auto own = triangles_in(f, p);
      one.parts.push_back({before[p].id, {own.begin(), own.end()}, !own.empty()});
    }
    all.push_back(std::move(one));
  }
  for (const PartChange& change : changes) {
    std::size_t count = 0;
    for (const std::size_t n : change.triangles_before) count += n;
    std::vector<ChildrenOf> children;
    for (const MeshMaps& maps : change.maps) children.emplace_back(maps, count);
    for (Carried& one : all) carry(one, change, children);
  }
  std::map<PartId, std::size_t> index;
  for (std::size_t p = 0; p < after.size(); ++p) index[after[p].id] = p;
  std::vector<Finding> out;
  for (Carried& one : all) {
    Finding f = std::move(one.finding);
    const bool was_in_parts = f.part_index.has_value();
    std::map<std::size_t, Carried::InPart*> parts;
    for (Carried::InPart& p : one.parts) {
      if (const auto at = index.find(p.id); at != index.end()) parts[at->second] = &p;
    }
    if (was_in_parts && parts.empty()) continue;
    f.further_parts.clear();
    bool is_first = true;
    for (const auto& [p, own] : parts) {
      if (is_first) {
        f.part_index = p;
        f.part = after[p].name;
        if (own->had_triangles) {
          f.triangles = std::move(own->triangles);
          f.triangle_total = f.triangles.size();
        }
        is_first = false;
        continue;
      }
      PartEntities further;
      further.part = after[p].name;
      further.part_index = p;
      further.triangles = std::move(own->triangles);
      further.triangle_total = further.triangles.size();
      f.further_parts.push_back(std::move(further));
    }
    out.push_back(std::move(f));
  }
  return out;
}

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
