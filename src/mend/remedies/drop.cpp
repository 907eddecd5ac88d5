#include "aguja/mend/drop.h"

#include <algorithm>
#include <set>

#include "aguja/mend/remedy.h"
#include "mend/change_chain.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kDropSettings[] = {
    {"may_bare", SettingType::flag, "edges may be bared: openings are made on purpose"},
    {"whole_shell", SettingType::flag, "all that hangs together with the triangles goes"}};

Change run_drop(const RemedyInput& in) {
  const Mesh& mesh = in.mesh;
  const RemedyTarget& target = in.target;
  const Budget& budget = in.budget;
  using enum FindingKind;
  const DropOptions options{in.settings.flag("may_bare").value_or(false)};
  if (target.findings.empty()) {
    if (target.triangles.empty()) return unchanged(mesh, budget);
    const auto all = in.settings.flag("whole_shell").value_or(false)
                         ? whole_components(mesh, target.triangles)
                         : target.triangles;
    return drop_triangles(mesh, all, options, budget);
  }
  std::set<TriangleId> goes;
  const auto add = [&](const std::vector<TriangleId>& triangles) {
    goes.insert(triangles.begin(), triangles.end());
  };
  const auto among = [](std::vector<TriangleId> some, const std::vector<TriangleId>& all) {
    std::erase_if(some,
                  [&](TriangleId t) { return !std::binary_search(all.begin(), all.end(), t); });
    return some;
  };
  if (target.has(duplicate_triangle)) add(surplus_copies(mesh));
  if (target.has(back_to_back)) {
    add(among(back_to_back_pairs(mesh), target.triangles_of({back_to_back})));
  }
  if (target.has(nonmanifold_edge) || target.has(sheet_border)) add(flaps(mesh));
  if (target.has(winding_conflict)) add(hanging_triangles(mesh));
  add(whole_components(mesh, target.triangles_of({stray_shell, loose_sheet, zero_volume})));
  if (target.has(sheet_border) && !target.has(nonmanifold_edge) && goes.empty()) {
    add(whole_components(mesh, target.triangles_of({sheet_border})));
  }
  add(target.triangles_of({internal_face}));
  ChangeChain chain(mesh, budget);
  if (!goes.empty()) {
    chain.add(
        drop_triangles(mesh, std::vector<TriangleId>(goes.begin(), goes.end()), options, budget));
  }
  if (target.has(wire_edge)) chain.add(drop_wires(chain.now().mesh, chain.budget()));
  if (target.has(unused_vertex)) chain.add(drop_unused_points(chain.now().mesh, chain.budget()));
  return chain.take();
}

}  // namespace

constinit const RemedyInfo drop = {.slug = "drop",
                                   .what = "what should not be there goes",
                                   .settings = kDropSettings,
                                   .may_worsen = MayWorsen::edges_if_told,
                                   .movement = CountsAsMovement::nothing,
                                   .needs_selection = true,
                                   .run = run_drop};

}  // namespace aguja::remedies
