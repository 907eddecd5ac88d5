#include "aguja/mend/fill.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

#include <Eigen/Geometry>

#include "aguja/geometry/predicates.h"
#include "aguja/mesh/crossings.h"
#include "aguja/model/shape.h"
#include "base/short_text.h"
#include "mend/editable_mesh.h"
#include "mend/fill_surfaces.h"

namespace aguja {
namespace {

struct MethodInfo {
  FillMethod method;
  std::string_view slug;
  std::string_view text;
};
constexpr std::array<MethodInfo, 7> kFillMethods = {{
    {FillMethod::automatic, "auto", "the first of the others that fits"},
    {FillMethod::flat, "flat", "in the plane of the rim"},
    {FillMethod::extend, "extend", "neighbouring surfaces carried on until they meet"},
    {FillMethod::fair, "fair", "continues the curvature around it"},
    {FillMethod::crease, "crease", "sharp edges carried across"},
    {FillMethod::ruled, "ruled", "straight lines from rim to rim"},
    {FillMethod::taut, "taut", "the least area"},
}};
constexpr std::array<FillMethod, 6> kTried = {FillMethod::flat,  FillMethod::extend,
                                              FillMethod::fair,  FillMethod::crease,
                                              FillMethod::ruled, FillMethod::taut};

// A surface that turns by more than this lies back on itself.
constexpr double kFolded = 150 * 0.017453292519943295;
// `extend`, unasked: so much more surface than the opening's flat area is no corner brought back.
constexpr double kMostGrowth = 3;

Point place_of(std::span<const Point> points, const Opening& opening) {
  Point sum = Point::Zero();
  std::size_t count = 0;
  for (const Loop& loop : opening.loops) {
    for (const VertexId v : loop) {
      sum += points[v.value];
      ++count;
    }
  }
  return sum / static_cast<double>(std::max<std::size_t>(count, 1));
}

// As findings measure openings.
double rim_length(std::span<const Point> points, const Opening& opening) {
  double length = 0;
  for (const Loop& loop : opening.loops) {
    for (std::size_t i = 0; i < loop.size(); ++i) {
      length += (points[loop[(i + 1) % loop.size()].value] - points[loop[i].value]).norm();
    }
  }
  return length;
}

}  // namespace

std::string_view slug(FillMethod method) {
  return kFillMethods.at(static_cast<std::size_t>(method)).slug;
}
std::string_view text(FillMethod method) {
  return kFillMethods.at(static_cast<std::size_t>(method)).text;
}
std::optional<FillMethod> parse_fill_method(std::string_view slug) {
  for (const MethodInfo& m : kFillMethods) {
    if (m.slug == slug) return m.method;
  }
  return std::nullopt;
}
std::span<const FillMethod> fill_methods() { return kTried; }

// ---- Filler.

struct Filler::Context {
  Context(const KnownMesh& m, double tolerance)
      : mesh(m.mesh()),
        edges(m.edges()),
        known(m),
        scene{mesh, edges, m.stars(), tolerance, m.box().diagonal()} {}

  std::unique_ptr<const KnownMesh> made_here;  // if it was made for this
  const Mesh& mesh;
  const EdgeTable& edges;
  const KnownMesh& known;
  FillScene scene;

  [[nodiscard]] Point corner(const Fill& fill, VertexId v) const {
    return v.value < mesh.points.size() ? mesh.points[v.value]
                                        : fill.points[v.value - mesh.points.size()];
  }
  [[nodiscard]] TriangleCorners corners(const Fill& fill, const Triangle& t) const {
    return {corner(fill, t[0]), corner(fill, t[1]), corner(fill, t[2])};
  }

  [[nodiscard]] FillOutcome from_draft(const Opening& opening, FillMethod method,
                                       DraftOutcome&& outcome) const;
  [[nodiscard]] std::string flaw(const Opening& opening, const Fill& fill) const;
  [[nodiscard]] FillOutcome one(const Opening& opening, const Surroundings& around,
                                FillMethod method, const FillOptions& options) const;
  void measure(Fill& fill) const;
};

namespace {

bool is_rim_edge(const EdgeTable& edges, VertexId a, VertexId b, std::size_t mesh_points) {
  if (a.value >= mesh_points || b.value >= mesh_points) return false;
  return edges.find(a, b).has_value();
}

}  // namespace

// What would make the surface unsound, in words; empty if nothing does.
std::string Filler::Context::flaw(const Opening& opening, const Fill& fill) const {
  std::map<std::pair<VertexId, VertexId>, int> uses;  // directed
  for (const Triangle& t : fill.triangles) {
    const auto [a, b, c] = corners(fill, t);
    if (has_equal_corners(t) || is_collinear(a, b, c)) return "a triangle would have no area";
    for (std::size_t k = 0; k < 3; ++k) {
      if (++uses[{t[k], t[(k + 1) % 3]}] > 1) return "an edge would be used twice the same way";
    }
  }
  std::size_t rim = 0;
  for (const Loop& loop : opening.loops) {
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const VertexId a = loop[i], b = loop[(i + 1) % loop.size()];
      if (!uses.contains({a, b}) || uses.contains({b, a})) return "a slit would be left at the rim";
      ++rim;
    }
  }
  for (const auto& [edge, count] : uses) {
    const auto& [a, b] = edge;
    if (uses.contains({b, a})) {
      if (is_rim_edge(edges, a, b, mesh.points.size())) return "an inner edge is there already";
      continue;
    }
    if (!is_rim_edge(edges, a, b, mesh.points.size())) return "a slit would be left in the fill";
    --rim;
  }
  return rim == 0 ? std::string() : "a slit would be left at the rim";
}

void Filler::Context::measure(Fill& fill) const {
  std::map<std::pair<VertexId, VertexId>, Vector> normal_at;
  for (const Triangle& t : fill.triangles) {
    const TriangleCorners c = corners(fill, t);
    fill.area += area_of(c);
    for (std::size_t k = 0; k < 3; ++k) normal_at[{t[k], t[(k + 1) % 3]}] = unit_normal(c);
  }
  for (const auto& [edge, normal] : normal_at) {
    const auto& [a, b] = edge;
    Vector other = normal;
    if (const auto inner = normal_at.find({b, a}); inner != normal_at.end()) {
      other = inner->second;
    } else if (const auto e = edges.find(a, b)) {
      const Triangle& t = mesh.triangle(edges.uses(*e)[0].triangle());
      other = unit_normal({mesh.point(t[0]), mesh.point(t[1]), mesh.point(t[2])});
    }
    const double angle = std::atan2(normal.cross(other).norm(), normal.dot(other));
    fill.largest_angle = std::max(fill.largest_angle, angle);
  }
}

FillOutcome Filler::Context::from_draft(const Opening& opening, FillMethod method,
                                        DraftOutcome&& outcome) const {
  const Point place = place_of(mesh.points, opening);
  const auto refuse = [&](const std::string& why) {
    return Refusal{RefusalReason::does_not_apply, place, std::string(slug(method)) + ": " + why};
  };
  if (const auto* why = std::get_if<std::string>(&outcome)) return refuse(*why);
  auto& [draft, why] = std::get<FillDraftResult>(outcome);
  Fill fill;
  fill.method = method;
  fill.why = std::move(why);
  std::vector<VertexId> number;
  for (const Loop& loop : opening.loops) number.insert(number.end(), loop.begin(), loop.end());
  std::vector<std::uint32_t> used(draft.points.size(), kNoIndex);
  for (const DraftTriangle& t : draft.triangles) {
    Triangle own;
    for (std::size_t c = 0; c < 3; ++c) {
      const std::uint32_t p = t[c];
      if (p < number.size()) {
        own[c] = number[p];
        continue;
      }
      if (used[p] == kNoIndex) {
        used[p] = static_cast<std::uint32_t>(mesh.points.size() + fill.points.size());
        fill.points.push_back(draft.points[p]);
      }
      own[c] = {used[p]};
    }
    fill.triangles.push_back(own);
  }
  if (const std::string found = flaw(opening, fill); !found.empty()) return refuse(found);
  measure(fill);
  return fill;
}

FillOutcome Filler::Context::one(const Opening& opening, const Surroundings& around,
                                 FillMethod method, const FillOptions& options) const {
  const auto made = [&](DraftOutcome&& outcome) {
    return from_draft(opening, method, std::move(outcome));
  };
  switch (method) {
    case FillMethod::flat:
      return made(draft_flat(around, opening, options.refine));
    case FillMethod::extend:
      return made(draft_extended(around, opening, options.refine));
    case FillMethod::fair:
      return made(draft_fair(around, opening));
    case FillMethod::crease:
      return made(draft_creased(around, opening, options.refine));
    case FillMethod::ruled:
      return made(
          draft_ruled(around, opening, {options.start, options.other_start, options.reverse}));
    case FillMethod::taut:
      return made(draft_taut(around, opening, options.refine));
    case FillMethod::automatic:
      break;
  }
  return Refusal{RefusalReason::does_not_apply, place_of(mesh.points, opening), {}};
}

Filler::Filler(const KnownMesh& mesh, double tolerance)
    : context_(std::make_unique<Context>(mesh, tolerance)) {}
Filler::Filler(const Mesh& mesh, double tolerance) {
  auto known = std::make_unique<const KnownMesh>(mesh);
  context_ = std::make_unique<Context>(*known, tolerance);
  context_->made_here = std::move(known);
}
Filler::~Filler() = default;

namespace {

// In the order in which `automatic` tries them.
std::vector<FillMethod> order_of(const FillOptions& options) {
  std::vector<FillMethod> order(kTried.begin(), kTried.end());
  if (options.prefer && *options.prefer != FillMethod::automatic) {
    std::erase(order, *options.prefer);
    order.insert(order.begin(), *options.prefer);
  }
  return order;
}

// What `automatic` demands of a method beside that it works.
std::string unfit(const Fill& fill, double flat_area, bool is_band) {
  if (fill.largest_angle > kFolded) return "it would fold back on what is there";
  switch (fill.method) {
    case FillMethod::extend:
      if (fill.area > kMostGrowth * flat_area) return "its neighbours meet too far away";
      break;
    case FillMethod::fair:
      if (fill.largest_angle > kCreaseAngle) return "the surface is not smooth around it";
      break;
    case FillMethod::ruled:
      if (!is_band) return "it is no band between two rims";
      break;
    default:
      break;
  }
  return {};
}

}  // namespace

FillOutcome Filler::fill(const Opening& opening, const FillOptions& options) const {
  const Context& c = *context_;
  const Surroundings around(c.scene, opening);
  if (options.method != FillMethod::automatic) {
    return c.one(opening, around, options.method, options);
  }
  double flat_area = 0;
  for (const Loop& loop : opening.loops) flat_area += area_vector(c.mesh.points, loop).norm();
  std::string reasons;
  std::optional<Fill> flat;
  for (const FillMethod method : order_of(options)) {
    FillOutcome outcome = c.one(opening, around, method, options);
    std::string why;
    if (auto* fill = std::get_if<Fill>(&outcome)) {
      why = unfit(*fill, flat_area, opening.loops.size() == 2);
      if (why.empty()) return outcome;
      if (method == FillMethod::flat) flat = std::move(*fill);
      why.insert(0, std::string(slug(method)) + ": ");
    } else {
      why = std::get<Refusal>(outcome).detail;
    }
    reasons += (reasons.empty() ? "" : "; ") + why;
  }
  // The face of a slit may fold back; where nothing else closes it, its flat rim says what it was.
  if (flat) return std::move(*flat);
  return Refusal{RefusalReason::does_not_apply, place_of(c.mesh.points, opening), reasons};
}

FillOutcome Filler::checked(const Opening& opening, Fill fill) const {
  if (const std::string found = context_->flaw(opening, fill); !found.empty()) {
    return Refusal{RefusalReason::does_not_apply, place_of(context_->mesh.points, opening),
                   std::string(slug(fill.method)) + ": " + found};
  }
  context_->measure(fill);
  return fill;
}

namespace {

// Pairs that new triangles are in, where their points are numbered on from those of the mesh.
// `are_distinct`: no point lies on another.
std::vector<TrianglePair> crossings_of_fill(const KnownMesh& known, std::span<const Point> points,
                                            std::span<const Triangle> triangles,
                                            bool are_distinct) {
  if (are_distinct) return find_crossings_of_added(known, points, triangles);
  Mesh with = known.mesh();
  with.points_are_distinct = false;
  with.points.append(points);
  std::vector<bool> wanted(with.triangles.size());
  with.triangles.append(triangles);
  wanted.resize(with.triangles.size(), true);
  return find_crossings_of(Welded(with), wanted);
}

}  // namespace

std::vector<FillOutcome> Filler::try_all(const Opening& opening, const FillOptions& options,
                                         std::optional<Fill> known) const {
  const Context& c = *context_;
  const Surroundings around(c.scene, opening);
  std::vector<FillOutcome> outcomes;
  for (const FillMethod method : kTried) {
    FillOutcome outcome = known && known->method == method
                              ? checked(opening, std::move(*known))
                              : c.one(opening, around, method, options);
    if (auto* fill = std::get_if<Fill>(&outcome)) {
      const bool are_distinct = stay_distinct(c.mesh.points, fill->points);
      fill->crossings =
          crossings_of_fill(c.known, fill->points, fill->triangles, are_distinct).size();
    }
    outcomes.push_back(std::move(outcome));
  }
  return outcomes;
}

// ---- Adding fills to a mesh.

namespace {

// Some fills, as they are added to a mesh: their points and triangles are numbered on from its own.
struct AddedFills {
  std::vector<Point> points;
  std::vector<Triangle> triangles;
  std::vector<std::uint32_t> fill_of;  // by triangle
  bool are_distinct = true;            // no point lies on another, or on one of the mesh
};

AddedFills added_fills(const Mesh& mesh, std::span<const Fill* const> fills) {
  AddedFills out;
  for (std::uint32_t f = 0; f < fills.size(); ++f) {
    if (fills[f] == nullptr) continue;
    const auto shift = static_cast<std::uint32_t>(out.points.size());
    out.points.insert(out.points.end(), fills[f]->points.begin(), fills[f]->points.end());
    for (Triangle t : fills[f]->triangles) {
      for (VertexId& v : t.corner) {
        if (v.value >= mesh.points.size()) v.value += shift;
      }
      out.triangles.push_back(t);
      out.fill_of.push_back(f);
    }
  }
  out.are_distinct = stay_distinct(mesh.points, out.points);
  return out;
}

using HarmOfFills = std::map<std::uint32_t, RefusalReason>;  // by fill

// Edges of fills that have more than two uses then, with those that the mesh has.
void find_third_triangles(const KnownMesh& known, const AddedFills& added, HarmOfFills& harm) {
  const std::size_t points = known.mesh().points.size();
  // A new point may lie on an old one: named by place where it does.
  std::map<VertexId, VertexId> same;
  if (!added.are_distinct) {
    Mesh with;
    with.points = known.mesh().points;
    with.points.append(added.points);
    const Welded welded(with);
    std::vector<std::uint32_t> first(welded.points().size(), kNoIndex);
    for (std::uint32_t v = 0; v < with.points.size(); ++v) {
      std::uint32_t& own = first[welded.vertex({v}).value];
      if (own == kNoIndex) own = v;
      if (v >= points && own != v) same[{v}] = {own};
    }
  }
  const auto named = [&](VertexId v) {
    const auto at = same.find(v);
    return at == same.end() ? v : at->second;
  };
  std::map<std::pair<VertexId, VertexId>, std::vector<std::uint32_t>> uses;  // fills, by edge
  for (std::size_t t = 0; t < added.triangles.size(); ++t) {
    const Triangle& own = added.triangles[t];
    for (std::size_t c = 0; c < 3; ++c) {
      const VertexId a = named(own[c]), b = named(own[(c + 1) % 3]);
      if (a != b) uses[std::minmax(a, b)].push_back(added.fill_of[t]);
    }
  }
  for (const auto& [edge, fills] : uses) {
    std::size_t count = fills.size();
    if (edge.second.value < points) {
      if (const auto e = known.edges().find(edge.first, edge.second)) {
        count += known.edges().use_count(*e);
      }
    }
    if (count <= 2) continue;
    for (const std::uint32_t f : fills) harm.try_emplace(f, RefusalReason::third_triangle);
  }
}

// Fills that would cross something, pinch it, or use an edge that another fill uses.
HarmOfFills harmful(const KnownMesh& known, std::span<const Fill* const> fills) {
  HarmOfFills harm;
  const Mesh& mesh = known.mesh();
  const AddedFills added = added_fills(mesh, fills);
  find_third_triangles(known, added, harm);
  const auto fill_of = [&](TriangleId t) {
    return t.value < mesh.triangles.size() ? kNoIndex
                                           : added.fill_of[t.value - mesh.triangles.size()];
  };
  for (const TrianglePair& pair :
       crossings_of_fill(known, added.points, added.triangles, added.are_distinct)) {
    for (const TriangleId t : {pair.first, pair.second}) {
      if (fill_of(t) != kNoIndex) harm.try_emplace(fill_of(t), RefusalReason::crossing);
    }
  }
  // The other side of a triangle that is there closes nothing.
  for (std::size_t t = 0; t < added.triangles.size(); ++t) {
    const Triangle& own = added.triangles[t];
    if (std::max({own[0], own[1], own[2]}).value >= mesh.points.size()) continue;
    const auto e = known.edges().find(own[0], own[1]);
    if (!e) continue;
    for (const EdgeUse use : known.edges().uses(*e)) {
      const Triangle& there = mesh.triangle(use.triangle());
      if (there[0] == own[2] || there[1] == own[2] || there[2] == own[2]) {
        harm.try_emplace(added.fill_of[t], RefusalReason::crossing);
      }
    }
  }
  return harm;
}

Change finish(const Mesh& mesh, std::span<const Fill* const> fills, const Budget& budget) {
  std::vector<const Fill*> there;
  for (const Fill* f : fills) {
    if (f != nullptr) there.push_back(f);
  }
  if (there.empty()) return unchanged(mesh, budget);
  const AddedFills added = added_fills(mesh, there);
  // Without patches, what was there is one, and what comes are others.
  const std::uint32_t first_patch = mesh.patch_of.empty() ? 1 : patch_count(mesh);
  std::vector<PatchId> patches;
  for (const std::uint32_t f : added.fill_of) patches.push_back({first_patch + f});
  Change change = adding(mesh, added.points, added.triangles, patches, budget);
  change.done = there.size();
  for (const Fill* f : there) {
    change.new_patches.push_back(std::string(kFillPatch).append(slug(f->method)));
    const std::string how = std::string(slug(f->method)) + ": " + f->why;
    if (std::find(change.methods.begin(), change.methods.end(), how) == change.methods.end()) {
      change.methods.push_back(how);
    }
  }
  return change;
}

void check(const FillOptions& options) {
  const auto bad = [](double x) { return !(x >= 0) || !std::isfinite(x); };
  if (bad(options.tolerance) || bad(options.least_size) ||
      (options.largest_size && bad(*options.largest_size))) {
    throw ArgumentError("fill: tolerance and size limits must be finite lengths of 0 or more");
  }
}

}  // namespace

FilledWishes fill_each(const KnownMesh& known, std::span<const FillWish> wishes, double tolerance,
                       const Budget& budget, Progress* progress) {
  for (const FillWish& w : wishes) check(w.options);
  const Mesh& mesh = known.mesh();
  const Filler filler(known, tolerance);
  FilledWishes result;
  std::vector<std::vector<Refusal>>& refused = result.refused;
  refused.resize(wishes.size());
  const auto openings = [&](std::size_t i) -> const Opening& { return wishes[i].opening; };
  std::vector<Fill> made(wishes.size());
  std::vector<const Fill*> current(wishes.size(), nullptr);
  std::vector<std::set<FillMethod>> tried(wishes.size());
  std::vector<bool> tried_known(wishes.size());
  // By opening: what speaks against the methods that were tried.
  std::vector<std::string> against(wishes.size());

  const auto next = [&](std::size_t i) -> std::optional<Refusal> {
    std::optional<Refusal> last;
    const FillOptions& options = wishes[i].options;
    const bool automatic = options.method == FillMethod::automatic;
    if (const auto& known_fill = wishes[i].known; known_fill && !tried_known[i]) {
      tried_known[i] = true;
      if (options.prefer.value_or(known_fill->method) == known_fill->method &&
          (automatic || options.method == known_fill->method)) {
        FillOutcome outcome = filler.checked(openings(i), *known_fill);
        if (auto* fill = std::get_if<Fill>(&outcome); fill && fill->largest_angle <= kFolded) {
          made[i] = std::move(*fill);
          current[i] = &made[i];
          return std::nullopt;
        }
      }
    }
    if (automatic && tried[i].empty()) {
      FillOutcome outcome = filler.fill(openings(i), options);
      if (auto* refusal = std::get_if<Refusal>(&outcome)) return *refusal;
      made[i] = std::get<Fill>(std::move(outcome));
      for (const FillMethod m : order_of(options)) {
        tried[i].insert(m);
        if (m == made[i].method) break;
      }
      current[i] = &made[i];
      return std::nullopt;
    }
    double flat_area = 0;
    for (const Loop& loop : openings(i).loops) flat_area += area_vector(mesh.points, loop).norm();
    for (const FillMethod m : order_of(options)) {
      if (automatic ? tried[i].contains(m) : (m != options.method || !tried[i].empty())) continue;
      tried[i].insert(m);
      FillOptions one = options;
      one.method = m;
      FillOutcome outcome = filler.fill(openings(i), one);
      if (auto* refusal = std::get_if<Refusal>(&outcome)) {
        last = *refusal;
        continue;
      }
      Fill fill = std::get<Fill>(std::move(outcome));
      if (automatic && !unfit(fill, flat_area, openings(i).loops.size() == 2).empty()) continue;
      if (!against[i].empty()) fill.why += " (" + against[i] + ")";
      made[i] = std::move(fill);
      current[i] = &made[i];
      return std::nullopt;
    }
    return last ? last
                : Refusal{RefusalReason::crossing, place_of(mesh.points, openings(i)), against[i]};
  };

  std::vector<std::size_t> open;
  for (std::size_t i = 0; i < wishes.size(); ++i) {
    const FillOptions& options = wishes[i].options;
    const double size = rim_length(mesh.points, openings(i));
    if (size < options.least_size || (options.largest_size && size > *options.largest_size)) {
      refused[i].push_back({RefusalReason::size_limit, place_of(mesh.points, openings(i)),
                            "its rim is " + short_text(size) + " long"});
    } else {
      open.push_back(i);
    }
  }
  while (!open.empty()) {
    for (const std::size_t i : open) {
      advance(progress, "fill", 0.0);
      if (auto refusal = next(i)) {
        current[i] = nullptr;
        refused[i].push_back(std::move(*refusal));
      }
    }
    open.clear();
    for (const auto& [f, reason] : harmful(known, current)) {
      current[f] = nullptr;
      if (!against[f].empty()) against[f] += "; ";
      against[f] +=
          std::string(slug(made[f].method)) + " would not do: " + std::string(text(reason));
      const bool was_known = tried_known[f] && tried[f].empty();
      if (wishes[f].options.method == FillMethod::automatic || was_known) {
        open.push_back(f);
      } else {
        refused[f].push_back(
            {reason, place_of(mesh.points, openings(f)), std::string(slug(made[f].method))});
      }
    }
  }
  result.change = finish(mesh, current, budget);
  for (std::uint32_t i = 0; i < wishes.size(); ++i) {
    if (current[i] == nullptr) continue;
    result.wish_of.push_back(i);
    result.how.push_back(std::string(slug(made[i].method)) + ": " + made[i].why);
  }
  return result;
}

Change fill(const Mesh& mesh, std::span<const Opening> openings, const FillOptions& options,
            const Budget& budget, Progress* progress) {
  return fill(KnownMesh(mesh), openings, options, budget, progress);
}

Change fill(const KnownMesh& mesh, std::span<const Opening> openings, const FillOptions& options,
            const Budget& budget, Progress* progress) {
  std::vector<FillWish> wishes;
  for (const Opening& opening : openings) wishes.push_back({opening, options});
  check(options);
  FilledWishes filled = fill_each(mesh, wishes, options.tolerance, budget, progress);
  Change change = std::move(filled.change);
  for (std::vector<Refusal>& some : filled.refused) {
    change.refused.insert(change.refused.end(), some.begin(), some.end());
  }
  return change;
}

Change add_fills(const KnownMesh& known, std::span<const Fill> fills, const Budget& budget) {
  const Mesh& mesh = known.mesh();
  std::vector<const Fill*> current;
  for (const Fill& f : fills) current.push_back(&f);
  std::vector<Refusal> refused;
  for (const auto& [f, reason] : harmful(known, current)) {
    const Fill& fill = fills[f];
    const VertexId v = fill.triangles.empty() ? VertexId{0} : fill.triangles[0][0];
    refused.push_back({reason, v.value < mesh.points.size() ? mesh.point(v) : Point(Point::Zero()),
                       std::string(slug(fill.method))});
    current[f] = nullptr;
  }
  Change change = finish(mesh, current, budget);
  change.refused = std::move(refused);
  return change;
}

}  // namespace aguja
