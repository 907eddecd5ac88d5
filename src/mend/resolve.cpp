#include "aguja/mend/resolve.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include <Eigen/Geometry>

#include "aguja/mend/given_up.h"
#include "aguja/mend/orient.h"
#include "aguja/solid/material.h"
#include "aguja/solid/material_boundary.h"
#include "aguja/solid/open_regions.h"
#include "base/short_text.h"
#include "mend/near_skins.h"

namespace aguja {
namespace {

Point middle_of(const DividedSpace& space, std::size_t piece) {
  Point sum = Point::Zero();
  for (const ExactPointId p : space.arrangement().pieces()[piece]) {
    sum += space.arrangement().points().bounds(p).center() / 3.0;
  }
  return sum;
}

// What the winding numbers ask of who knows what is meant.
class Questions {
 public:
  explicit Questions(const DividedSpace& space) : space_(space), cells_(space.cells()) {
    area_.assign(cells_.count(), 0);
    piece_of_.assign(cells_.count(), 0);
    for (std::size_t i = 0; i < cells_.pieces.size(); ++i) {
      const auto& piece = space.arrangement().pieces()[i];
      const auto at = [&](std::size_t k) {
        return space.arrangement().points().bounds(piece[k]).center();
      };
      const double area = 0.5 * (at(1) - at(0)).cross(at(2) - at(0)).norm();
      for (const std::uint32_t c : {cells_.front(i), cells_.back(i)}) {
        area_[c] += area;
        piece_of_[c] = i;
      }
    }
  }

  // Closed shells within material that have more of it inside, all in all (the skin of a cavity that
  // is folded over has, too, where it is): by set of pieces.
  [[nodiscard]] std::vector<std::size_t> nested() const {
    std::vector<double> more(cells_.outer.size(), 0);
    for (std::uint32_t c = 0; c < cells_.count(); ++c) {
      const std::uint32_t outer = cells_.outer[cells_.set_of[c]];
      if (c != outer) more[cells_.set_of[c]] += (winding(c) - winding(outer)) * cells_.volume[c];
    }
    std::vector<std::size_t> sets;
    for (std::size_t set = 0; set < more.size(); ++set) {
      if (winding(cells_.outer[set]) > 0 && more[set] > 0) sets.push_back(set);
    }
    return sets;
  }
  // Space that is wound around backwards, more of it than skins within the budget of each other
  // have between them.
  [[nodiscard]] std::vector<std::uint32_t> negative(double budget) const {
    std::vector<std::uint32_t> cells;
    for (std::uint32_t c = 0; c < cells_.count(); ++c) {
      if (winding(c) < 0 && cells_.volume[c] > budget * area_[c] &&
          cells_.volume[c] > kNoVolume * std::pow(area_[c], 1.5)) {
        cells.push_back(c);
      }
    }
    std::sort(cells.begin(), cells.end(), [&](std::uint32_t a, std::uint32_t b) {
      return cells_.volume[a] != cells_.volume[b] ? cells_.volume[a] > cells_.volume[b] : a < b;
    });
    return cells;
  }
  [[nodiscard]] double volume(std::uint32_t cell) const { return cells_.volume[cell]; }
  [[nodiscard]] Point place(std::uint32_t cell) const { return middle_of(space_, piece_of_[cell]); }
  [[nodiscard]] Point place_of_set(std::size_t set) const { return place(cells_.outer[set]); }
  // Triangles of some sets.
  [[nodiscard]] std::vector<TriangleId> triangles_of(std::span<const std::size_t> sets) const {
    std::vector<TriangleId> triangles;
    for (std::size_t i = 0; i < cells_.pieces.size(); ++i) {
      const std::uint32_t set = cells_.set_of[cells_.front(i)];
      if (!std::binary_search(sets.begin(), sets.end(), std::size_t{set})) continue;
      for (const PieceParent p : space_.arrangement().parents(i)) {
        triangles.push_back(p.triangle());
      }
    }
    std::sort(triangles.begin(), triangles.end());
    triangles.erase(std::unique(triangles.begin(), triangles.end()), triangles.end());
    return triangles;
  }
  // Nothing is cut, and all of it is a boundary of material.
  [[nodiscard]] bool are_answered() const {
    if (!space_.arrangement().is_as_given()) return false;
    for (std::size_t i = 0; i < cells_.pieces.size(); ++i) {
      if (winding(cells_.front(i)) > 0 || winding(cells_.back(i)) <= 0) return false;
    }
    return true;
  }

 private:
  // Less than this, against a ball of that area, is rounding of the sum.
  static constexpr double kNoVolume = 1e-12;
  [[nodiscard]] std::int32_t winding(std::uint32_t cell) const { return cells_.of(cell)[0]; }

  const DividedSpace& space_;
  const WindingCells& cells_;
  std::vector<double> area_;
  std::vector<std::size_t> piece_of_;
};

Change refused(const Mesh& mesh, const Budget& budget, std::vector<Refusal> refusals) {
  Change change = unchanged(mesh, budget);
  change.refused = std::move(refusals);
  return change;
}

std::vector<Refusal> refusals_of_negative(const Questions& questions,
                                          std::span<const std::uint32_t> cells) {
  constexpr std::size_t kMostListed = 20;
  std::vector<Refusal> refusals;
  for (const std::uint32_t c : cells.first(std::min(cells.size(), kMostListed))) {
    refusals.push_back({RefusalReason::undecided, questions.place(c),
                        "the surface winds backwards around " + short_text(questions.volume(c)) +
                            " of volume there: turn what faces the wrong way, or say "
                            "accept_negative = true to leave it empty"});
  }
  return refusals;
}

Change resolved(const Mesh& mesh, const ResolveOptions& options, const Budget& budget,
                Progress* progress, bool may_orient);

// What comes of it once triangles were turned over; nothing at all, if the rest is refused.
Change resolved_after(const Change& turned, const Mesh& mesh, const ResolveOptions& options,
                      const Budget& budget, Progress* progress) {
  Change rest = resolved(turned.mesh, options, {budget.distance, turned.spent}, progress, false);
  if (!rest.refused.empty()) return refused(mesh, budget, std::move(rest.refused));
  rest.done += turned.done;
  rest.methods.insert(rest.methods.begin(), turned.methods.begin(), turned.methods.end());
  return composed(turned, std::move(rest));
}

Refusal question_of_nested(const Point& place) {
  return {
      RefusalReason::undecided, place,
      "a closed shell lies in the material and faces as what is around it: say nested = cavity, "
      "or nested = merged"};
}

// Why cells say nothing about insides.
std::string what_is_open(const DividedSpace& space) {
  const EdgeTable& edges = space.cells().edges;
  for (std::uint32_t e = 0; e < edges.size(); ++e) {
    if (edges.is_naked({e})) return "the surface is open";
  }
  return "some edges are used more often one way than the other";
}

// An edge of several pieces of which such remain that one side of it is bare.
std::optional<Refusal> contradiction(const DividedSpace& space, const OpenRegions& judged) {
  const EdgeTable& edges = space.cells().edges;
  for (std::uint32_t e = 0; e < edges.size(); ++e) {
    const auto uses = edges.uses({e});
    if (uses.size() < 2) continue;
    int sum = 0;
    for (const EdgeUse use : uses) {
      const OpenRegion& r = judged.regions[judged.of_piece[use.triangle().value]];
      if (r.remains) sum += use.forward() == (r.layers > 0) ? 1 : -1;
    }
    if (sum == 0) continue;
    return Refusal{RefusalReason::undecided, middle_of(space, uses[0].triangle().value),
                   what_is_open(space) +
                       ", and what seems to be the boundary of material would be open there: mend "
                       "that first"};
  }
  return std::nullopt;
}

std::vector<TriangleId> nested_triangles(const Arrangement& arrangement,
                                         const OpenRegions& judged) {
  std::vector<TriangleId> triangles;
  for (std::size_t i = 0; i < judged.of_piece.size(); ++i) {
    if (!judged.regions[judged.of_piece[i]].is_nested) continue;
    for (const PieceParent p : arrangement.parents(i)) triangles.push_back(p.triangle());
  }
  std::sort(triangles.begin(), triangles.end());
  return triangles;
}

// The boundary, or what of it is asked for, as a change; or why it is none.
Change change_of(const DividedSpace& space, MaterialBoundary b, const ResolveOptions& options,
                 const Budget& budget) {
  const Mesh& mesh = space.mesh();
  if (!options.only.empty() && b.rounding.crossing == 0) {
    b = only_about(space, b, options.only);
  }
  const Point place = space.pairs().empty() ? Point(Point::Zero())
                                            : shape_of(space.welded(), space.pairs()[0]).place;
  if (b.rounding.crossing > 0) {
    return refused(mesh, budget,
                   {{RefusalReason::crossing, place,
                     "where surfaces lie on each other but for a hair, " +
                         std::to_string(b.rounding.crossing) +
                         " pairs still cross after rounding; a larger budget may do"}});
  }
  Change change;
  static_cast<MeshMaps&>(change) = std::move(b.maps);
  change.mesh = std::move(b.mesh);
  change.dropped = std::move(b.given_up);
  for (std::uint32_t t = 0; t < b.cut_off_is_copy.size(); ++t) {
    const std::array<TriangleId, 1> piece = {{{t}}};
    if (b.cut_off_is_copy[t]) change.copied_area += area_of_triangles(b.cut_off, piece);
  }
  change.cut_off = std::move(b.cut_off);
  double most = 0;
  for (std::uint32_t t = 0; t < change.parent.size(); ++t) {
    double spent = 0;
    for (const TriangleId p : parents_of(change, {t})) spent = std::max(spent, budget.spent_at(p));
    change.spent.push_back(spent + b.rounding.moved);
    most = std::max(most, change.spent.back());
  }
  if (b.rounding.moved > 0 && most > budget.distance) {
    return refused(mesh, budget, {beyond_budget(place, most)});
  }
  change.done = b.pairs + change.dropped.size();
  if (b.pairs > 0) {
    change.methods.push_back(std::to_string(b.rounding.points) + " points where " +
                             std::to_string(b.pairs) + " pairs meet");
  } else if (change.done > 0) {
    change.methods.emplace_back("what has material on both sides goes");
  }
  return change;
}

// What is nearer to neither side being material than to a boundary.
constexpr double kFlap = 0.25;

bool seems_to_face_backwards(const OpenRegion& r) {
  return r.remains ? r.layers < 0 : r.layers != 0 && r.winding < -kFlap;
}

// Why generalized winding numbers do not tell what is inside, if they do not.
std::vector<Refusal> refusals_of_open(const OpenRegions& judged, const std::string& what,
                                      const ResolveOptions& options) {
  constexpr std::size_t kMostListed = 20;
  // Less than this share of the surface is not asked about.
  constexpr double kSliverShare = 1e-9;
  // No more than this share of it may hang on it and bound nothing.
  constexpr double kMostFlaps = 0.02;
  double area = 0, flaps = 0;
  const OpenRegion* flap = nullptr;
  for (const OpenRegion& r : judged.regions) area += r.area;
  std::vector<Refusal> refusals;
  for (const OpenRegion& r : judged.regions) {
    if (!r.is_judged || r.area <= kSliverShare * area || refusals.size() >= kMostListed) continue;
    if (seems_to_face_backwards(r) && !options.accept_negative) {
      refusals.push_back({RefusalReason::undecided, r.place,
                          what + ", and there it seems to face the wrong way: turn it, or say "
                                 "accept_negative = true"});
    } else if (r.margin < kClearMargin) {
      refusals.push_back({RefusalReason::undecided, r.place,
                          what + ", and what is inside cannot be told there (winding number " +
                              short_text(r.winding) + ", margin " + short_text(r.margin) +
                              "): mend that first"});
    }
    if (r.remains || r.layers == 0 || r.winding > kFlap) continue;
    flaps += r.area;
    if (flap == nullptr || r.area > flap->area) flap = &r;
  }
  if (refusals.empty() && flaps > kMostFlaps * area) {
    refusals.push_back({RefusalReason::undecided, flap->place,
                        what + ", and " + short_text(100 * flaps / area) +
                            " % of the area bounds nothing: close it, or drop that, first"});
  }
  return refusals;
}

// By generalized winding numbers, since those of cells say nothing.
Change resolved_open(const DividedSpace& space, const ResolveOptions& options, const Budget& budget,
                     Progress* progress, bool may_orient) {
  const Mesh& mesh = space.mesh();
  const OpenRegions judged = judge_open_regions(space.arrangement(), space.cells());
  if (may_orient &&
      std::any_of(judged.regions.begin(), judged.regions.end(), seems_to_face_backwards)) {
    const Change turned =
        orient(mesh, {.crack_tolerance = options.crack_tolerance}, budget, progress);
    if (turned.done > 0) return resolved_after(turned, mesh, options, budget, progress);
  }
  const std::string what = what_is_open(space);
  std::vector<Refusal> refusals = refusals_of_open(judged, what, options);
  if (!refusals.empty()) return refused(mesh, budget, std::move(refusals));
  const auto nested = std::find_if(judged.regions.begin(), judged.regions.end(),
                                   [](const OpenRegion& r) { return r.is_nested; });
  if (nested != judged.regions.end()) {
    if (options.nested == Nested::ask) {
      return refused(mesh, budget, {question_of_nested(nested->place)});
    }
    if (options.nested == Nested::cavity) {
      const Change turned = turn(mesh, nested_triangles(space.arrangement(), judged), budget);
      ResolveOptions merged = options;
      merged.nested = Nested::merged;
      return resolved_after(turned, mesh, merged, budget, progress);
    }
  }
  if (auto refusal = contradiction(space, judged)) return refused(mesh, budget, {*refusal});
  const bool all_remain = std::all_of(judged.regions.begin(), judged.regions.end(),
                                      [](const OpenRegion& r) { return r.remains; });
  if (all_remain && space.arrangement().is_as_given()) return unchanged(mesh, budget);
  Change change = change_of(
      space,
      boundary_of_open(space, {.to_float = options.round_to_float, .most_moved = budget.distance},
                       progress),
      options, budget);
  double margin = 1;
  for (const OpenRegion& r : judged.regions) {
    if (r.is_judged) margin = std::min(margin, r.margin);
  }
  change.rests_on_estimates = true;
  if (change.done > 0) {
    change.methods.push_back("what is inside told by generalized winding numbers, as " + what +
                             ": least margin " + short_text(margin));
  }
  return change;
}

Change resolved(const Mesh& mesh, const ResolveOptions& options, const Budget& budget,
                Progress* progress, bool may_orient) {
  const DividedSpace space(mesh, {}, 1, progress);
  if (space.is_open()) return resolved_open(space, options, budget, progress, may_orient);
  const Questions questions(space);
  const std::vector<std::uint32_t> negative = questions.negative(budget.distance);
  if (!negative.empty() && may_orient) {
    const Change turned =
        orient(mesh, {.crack_tolerance = options.crack_tolerance}, budget, progress);
    if (turned.done > 0) return resolved_after(turned, mesh, options, budget, progress);
  }
  if (!negative.empty() && !options.accept_negative) {
    return refused(mesh, budget, refusals_of_negative(questions, negative));
  }
  const std::vector<std::size_t> nested = questions.nested();
  if (!nested.empty() && options.nested == Nested::ask) {
    return refused(mesh, budget, {question_of_nested(questions.place_of_set(nested[0]))});
  }
  if (!nested.empty() && options.nested == Nested::cavity) {
    const Change turned = turn(mesh, questions.triangles_of(nested), budget);
    ResolveOptions merged = options;
    merged.nested = Nested::merged;
    return resolved_after(turned, mesh, merged, budget, progress);
  }
  if (questions.are_answered()) return unchanged(mesh, budget);
  return change_of(
      space,
      boundary_of(space, is_in_union,
                  {.to_float = options.round_to_float, .most_moved = budget.distance}, progress),
      options, budget);
}

std::vector<TriangleId> children_of(const MeshMaps& maps, std::span<const TriangleId> triangles,
                                    std::size_t count) {
  const ChildrenOf children(maps, count);
  std::vector<TriangleId> all;
  for (const TriangleId t : triangles) {
    for (const TriangleId c : children.of(t)) all.push_back(c);
  }
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  return all;
}

// First what lies on each other but for a hair; as it is, if that does not do, and if that gives
// nothing either, why the first did not.
Change resolved_with_near_skins(const Mesh& mesh, const ResolveOptions& options,
                                const Budget& budget, Progress* progress) {
  if (std::optional<Change> near = with_near_skins_joined(mesh, budget, options.only)) {
    ResolveOptions after = options;
    after.only = children_of(*near, options.only, mesh.triangles.size());
    if (options.round_to_float) {
      for (Point& p : near->mesh.points) p = rounded_to_float(p);
    }
    Change change = resolved_after(*near, mesh, after, budget, progress);
    if (change.refused.empty()) return change;
    Change as_it_is = resolved(mesh, options, budget, progress, options.only.empty());
    if (as_it_is.done == 0 && as_it_is.refused.empty())
      as_it_is.refused = std::move(change.refused);
    return as_it_is;
  }
  return resolved(mesh, options, budget, progress, options.only.empty());
}

Change with_contacts_undone(Change change, const ResolveOptions& options, const Budget& budget,
                            Progress* progress) {
  const Mesh distinct = with_distinct_points(change.mesh);
  Change undone = undo_contacts(distinct, {*options.contact, options.round_to_float},
                                {budget.distance, change.spent}, progress);
  if (undone.done == 0) {
    change.refused = std::move(undone.refused);
    return change;
  }
  undone.done += change.done;
  undone.methods.insert(undone.methods.begin(), change.methods.begin(), change.methods.end());
  return composed(change, std::move(undone));
}

}  // namespace

Change resolve(const Mesh& mesh, const ResolveOptions& options, const Budget& budget,
               Progress* progress) {
  Change change = resolved_with_near_skins(mesh, options, budget, progress);
  if (!change.refused.empty()) return change;
  if (options.contact) return with_contacts_undone(std::move(change), options, budget, progress);
  if (!options.asks_contact) return change;
  for (Refusal& question : questions_of_contacts(change.mesh)) {
    change.refused.push_back(std::move(question));
  }
  return change;
}

}  // namespace aguja
