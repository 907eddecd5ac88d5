#include "mend/ledger.h"

#include <algorithm>
#include <set>
#include <tuple>

#include "mend/editable_mesh.h"
#include "mend/same_triangle.h"

namespace aguja {
namespace {

constexpr std::size_t kMostListedIds = 20;

}  // namespace

LedgerLine line_of(const Mesh& before, const Budget& budget, const Change& change) {
  LedgerLine line;
  std::vector<bool> is_left(before.triangles.size(), change.only_adds);
  std::vector<Point> left, there;
  Point sum = Point::Zero();
  std::size_t places = 0;
  const std::size_t first = change.only_adds ? before.triangles.size() : 0;
  for (auto t = static_cast<std::uint32_t>(first); t < change.mesh.triangles.size(); ++t) {
    const TriangleId p = change.parent[t];
    const Triangle& now = change.mesh.triangles[t];
    const TriangleCorners corners = {change.mesh.point(now[0]), change.mesh.point(now[1]),
                                     change.mesh.point(now[2])};
    if (p.value != kNoIndex) {
      const Sameness same = same_triangle(before, p, change.mesh, {t});
      if (same != Sameness::different && !is_left[p.value]) {
        is_left[p.value] = true;
        if (same == Sameness::same) continue;
        ++line.triangles_turned;
        sum += corners[0];
        ++places;
        continue;
      }
      there.insert(there.end(), corners.begin(), corners.end());
      const double moved = change.spent[t] - budget.spent_at(p);
      if (moved > line.largest_movement) {
        line.largest_movement = moved;
        line.place = (corners[0] + corners[1] + corners[2]) / 3.0;
      }
    } else {
      line.area_added += area_of(corners);
    }
    ++line.triangles_added;
    sum += corners[0];
    ++places;
  }
  const std::set<TriangleId> dropped(change.dropped.begin(), change.dropped.end());
  for (std::uint32_t t = 0; t < before.triangles.size() && !change.only_adds; ++t) {
    if (is_left[t]) continue;
    ++line.triangles_removed;
    const Triangle& old = before.triangles[t];
    const TriangleCorners corners = {before.point(old[0]), before.point(old[1]),
                                     before.point(old[2])};
    if (dropped.contains({t})) {
      line.area_removed += area_of(corners);
    } else {
      left.insert(left.end(), corners.begin(), corners.end());
    }
    sum += corners[0];
    ++places;
  }
  for (const Triangle& t : change.cut_off.triangles) {
    line.area_removed += area_of(TriangleCorners{
        change.cut_off.point(t[0]), change.cut_off.point(t[1]), change.cut_off.point(t[2])});
  }
  for (auto* list : {&left, &there}) {
    std::sort(list->begin(), list->end(), lexicographically_less);
    list->erase(std::unique(list->begin(), list->end()), list->end());
  }
  for (const Point& p : left) {
    const bool stays = std::binary_search(there.begin(), there.end(), p, lexicographically_less);
    line.vertices_moved += static_cast<std::size_t>(!stays);
  }
  if (line.largest_movement == 0 && places > 0) line.place = sum / static_cast<double>(places);
  line.done = change.done;
  line.refused = change.refused;
  for (const std::string& m : change.methods) line.method += (line.method.empty() ? "" : "; ") + m;
  return line;
}

void describe(LedgerLine& line, const Step& step, const MendState& state,
              const RemedyTarget& target) {
  line.step = step.number;
  line.remedy = step.remedy;
  line.part = state.model.parts[target.part].name;
  line.part_id = state.traces[target.part]->id;
  line.finding_count = target.findings.size();
  for (const Finding* f : target.findings) {
    if (line.findings.size() < kMostListedIds) line.findings.push_back(f->id);
  }
  const bool is_guess =
      line.area_added > 0 && std::any_of(state.model.lost.begin(), state.model.lost.end(),
                                         [&](const LostSurface& l) { return l.part == line.part; });
  if (is_guess) line.method += "; in place of a face of the file that is missing, perhaps";
  if (!target.findings.empty() && line.largest_movement == 0) {
    line.place = target.findings[0]->place;
  }
}

}  // namespace aguja
