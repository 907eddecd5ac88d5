#pragma once
// Nothing large goes by itself.

#include <algorithm>
#include <cmath>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "aguja/mend/given_up.h"
#include "aguja/mend/remedy.h"
#include "aguja/mend/state.h"

namespace aguja {

/// Holds a step that nobody decided on to what may be given up of a part.
class LargeLosses {
 public:
  LargeLosses(const KnownMesh& known, const PartTrace& trace, double most)
      : known_(known), trace_(trace), most_(most) {}

  /// Of what the part had when it was read, with what went before. `parts`: area of parts of triangles.
  [[nodiscard]] double share_of(const std::vector<TriangleId>& goes, double parts = 0) {
    if (goes.empty() && parts == 0) return 0;
    const Mesh& mesh = known_.mesh();
    if (!there_) {
      const bool is_same = trace_.added.size() == mesh.triangles.size();
      there_ =
          trace_.given_up + area_without_copies(mesh, is_same ? trace_.added : std::vector<bool>{});
    }
    return *there_ > 0 ? (trace_.given_up + area_of_triangles(mesh, goes) + parts) / *there_ : 0;
  }
  [[nodiscard]] bool is_too_much(const std::vector<TriangleId>& goes) {
    return share_of(goes) > most_ || !closed_shells_among(known_, goes).empty();
  }
  /// The change, or its refusal if it takes too much, parts of triangles too; what lies on what is left
  /// is no loss.
  [[nodiscard]] Change unless_large(Change change, const RemedyTarget& target,
                                    const Budget& budget) {
    const std::vector<TriangleId> goes = given_up(known_.mesh(), change);
    std::vector<TriangleId> pieces(change.cut_off.triangles.size());
    for (std::uint32_t t = 0; t < pieces.size(); ++t) pieces[t] = {t};
    const double cut_off =
        std::max(area_of_triangles(change.cut_off, pieces) - change.copied_area, 0.0);
    const double share = share_of(goes, cut_off);
    const bool encloses = !closed_shells_among(known_, goes).empty();
    if (share <= most_ && !encloses) return change;
    const Point place = !target.findings.empty() ? target.findings[0]->place
                        : goes.empty()           ? change.cut_off.points[0]
                                       : known_.mesh().point(known_.mesh().triangle(goes[0])[0]);
    Change none = unchanged(known_.mesh(), budget);
    none.refused = std::move(change.refused);
    none.refused.push_back(refusal(share, place, encloses));
    return none;
  }
  /// What `run` made of the target, but for findings that would take too much with them: they are
  /// taken out of it, and refused.
  template <class Run>
  [[nodiscard]] Change without_large_ones(Change change, RemedyTarget& target, const Budget& budget,
                                          const Run& run) {
    const std::vector<TriangleId> goes = given_up(known_.mesh(), change);
    if (!is_too_much(goes)) return change;
    std::vector<Refusal> refused;
    const std::vector<const Finding*> all = target.findings;
    target.findings = may_go(target, goes, refused);
    target.is_picked = true;
    target.triangles = target_triangles(target);
    if (!target.findings.empty()) change = run();
    if (target.findings.empty() || is_too_much(given_up(known_.mesh(), change))) {
      target.findings = all;
      change = unchanged(known_.mesh(), budget);
      const Triangle& first = known_.mesh().triangle(goes[0]);
      const Point place = all.empty() ? known_.mesh().point(first[0]) : all[0]->place;
      if (refused.empty()) {
        const bool encloses = !closed_shells_among(known_, goes).empty();
        refused.push_back(refusal(share_of(goes), place, encloses));
      }
    }
    refused.insert(refused.end(), change.refused.begin(), change.refused.end());
    change.refused = std::move(refused);
    return change;
  }

 private:
  [[nodiscard]] static std::vector<TriangleId> target_triangles(const RemedyTarget& target) {
    std::vector<TriangleId> all;
    for (const Finding* f : target.findings) {
      const auto own = triangles_in(*f, target.part);
      all.insert(all.end(), own.begin(), own.end());
    }
    std::sort(all.begin(), all.end());
    all.erase(std::unique(all.begin(), all.end()), all.end());
    return all;
  }
  /// Of the findings, the small ones that may go together; the others are refused.
  [[nodiscard]] std::vector<const Finding*> may_go(const RemedyTarget& target,
                                                   const std::vector<TriangleId>& goes,
                                                   std::vector<Refusal>& refused) {
    const std::vector<TriangleId> closed = closed_shells_among(known_, goes);
    std::vector<std::pair<double, const Finding*>> by_area;
    for (const Finding* f : target.findings) {
      const auto own = triangles_in(*f, target.part);
      by_area.emplace_back(area_of_triangles(known_.mesh(), own), f);
    }
    std::stable_sort(by_area.begin(), by_area.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<TriangleId> sum;
    std::vector<const Finding*> kept;
    for (const auto& [area, f] : by_area) {
      const auto own = triangles_in(*f, target.part);
      const bool encloses = std::any_of(own.begin(), own.end(), [&](TriangleId t) {
        return std::binary_search(closed.begin(), closed.end(), t);
      });
      sum.insert(sum.end(), own.begin(), own.end());
      if (!encloses && share_of(sum) <= most_) {
        kept.push_back(f);
      } else {
        refused.push_back(refusal(share_of({own.begin(), own.end()}), f->place, encloses));
      }
    }
    return kept;
  }
  [[nodiscard]] static Refusal refusal(double share, const Point& place, bool encloses) {
    std::string detail = percent(share) + " of the part's area would go";
    if (encloses) {
      detail =
          "a closed shell that encloses volume would go, " + percent(share) + " of the part's area";
    }
    return {RefusalReason::large, place,
            detail + ": name the finding, or leave the step on in a plan"};
  }

  static std::string percent(double share) {
    const auto tenths = static_cast<long>(std::ceil(1000 * share));
    return std::to_string(tenths / 10) + "." + std::to_string(tenths % 10) + " %";
  }

  const KnownMesh& known_;
  const PartTrace& trace_;
  double most_;
  std::optional<double> there_;
};

}  // namespace aguja
