#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "aguja/mend/absorb.h"
#include "aguja/mend/by_hand.h"
#include "aguja/mend/close_gaps.h"
#include "aguja/mend/collapse.h"
#include "aguja/mend/drop.h"
#include "aguja/mend/mend.h"
#include "aguja/mend/orient.h"
#include "aguja/mend/refit.h"
#include "aguja/mend/stitch.h"
#include "aguja/mend/weld.h"
#include "base/short_text.h"
#include "mend/compose.h"
#include "mend/editable_mesh.h"
#include "mend/finding_openings.h"
#include "mend/same_triangle.h"

namespace aguja {
namespace {

constexpr std::size_t kMostListedIds = 20;

// ---- Settings.

class SettingReader {
 public:
  explicit SettingReader(const Step& step) : step_(step) {
    for (const auto& [key, value] : step.settings) {
      const auto known = info(step.remedy).settings;
      if (std::any_of(known.begin(), known.end(),
                      [&, &k = key](const SettingInfo& s) { return s.key == k; })) {
        continue;
      }
      fail("'" + key + "' is no setting of " + std::string(slug(step.remedy)));
    }
  }
  template <class T>
  [[nodiscard]] std::optional<T> get(const std::string& key) const {
    const auto at = step_.settings.find(key);
    if (at == step_.settings.end()) return std::nullopt;
    if (const T* value = std::get_if<T>(&at->second)) return *value;
    fail("'" + key + "' has a value of the wrong type");
  }
  [[nodiscard]] std::vector<Point> points(const std::string& key) const {
    const auto values = get<std::vector<double>>(key);
    if (!values) return {};
    if (values->empty() || values->size() % 3 != 0) fail("'" + key + "' needs numbers in threes");
    std::vector<Point> out;
    for (std::size_t i = 0; i < values->size(); i += 3) {
      out.emplace_back((*values)[i], (*values)[i + 1], (*values)[i + 2]);
    }
    return out;
  }
  [[nodiscard]] std::optional<Point> point(const std::string& key) const {
    const std::vector<Point> all = points(key);
    if (all.empty()) return std::nullopt;
    if (all.size() > 1) fail("'" + key + "' is one point");
    return all[0];
  }
  [[noreturn]] void fail(const std::string& text) const { throw StepError(step_.number, text); }

 private:
  const Step& step_;
};

FillOptions fill_options(const SettingReader& read, double tolerance) {
  FillOptions options;
  options.tolerance = read.get<double>("tolerance").value_or(tolerance);
  if (const auto word = read.get<std::string>("method")) {
    const auto method = parse_fill_method(*word);
    if (!method) read.fail("there is no method '" + *word + "' of fill");
    options.method = *method;
  }
  options.least_size = read.get<double>("least_size").value_or(0);
  options.largest_size = read.get<double>("largest_size");
  options.start = read.point("start");
  options.other_start = read.point("other_start");
  options.reverse = read.get<bool>("reverse").value_or(false);
  options.refine = read.get<bool>("refine").value_or(true);
  return options;
}

// ---- What a step is about, in one part.

struct Target {
  std::size_t part = 0;
  std::vector<TriangleId> triangles;
  std::vector<const Finding*> findings;
};

std::vector<Target> targets_of(const MendState& state, std::span<const Finding> findings,
                               const Step& step) {
  Selection selection = step.selection;
  const std::vector<std::string> missing = missing_ids(selection, findings);
  if (!missing.empty()) {
    // Earlier steps may have changed an id: the same kind at the same place is the same finding.
    Selection there = selection;
    there.ids.clear();
    const bool can = selection.near && !selection.kinds.empty() && selection.ids.size() == 1;
    if (!can || select_findings(there, findings).empty()) {
      throw StepError(step.number, std::string(slug(step.remedy)) + ": there is no finding " +
                                       missing[0] + " (any more)");
    }
    selection = there;
  } else if (!selection.ids.empty()) {
    selection.kinds.clear();
    selection.near.reset();
  }
  std::map<std::size_t, Target> by_part;
  for (const std::size_t i : select_findings(selection, findings)) {
    if (!findings[i].part_index) continue;
    Target& target = by_part[*findings[i].part_index];
    target.findings.push_back(&findings[i]);
  }
  std::vector<std::vector<TriangleId>> triangles;
  try {
    triangles = select_triangles(state.model, findings, selection);
  } catch (const ArgumentError& error) {
    throw StepError(step.number, error.what());
  }
  std::vector<Target> targets;
  for (std::size_t p = 0; p < state.model.parts.size(); ++p) {
    const bool named = selection.part.empty() || state.model.parts[p].name == selection.part;
    const auto at = by_part.find(p);
    // A step that selects nothing is about everything.
    const bool all = selection.is_empty() && named;
    if (at == by_part.end() && triangles[p].empty() && !all) continue;
    Target target = at == by_part.end() ? Target{} : at->second;
    target.part = p;
    target.triangles = std::move(triangles[p]);
    targets.push_back(std::move(target));
  }
  return targets;
}

// Steps that name vertices by places are about the part that has the first of them.
void keep_nearest_part(const MendState& state, const Point& place, std::vector<Target>& targets) {
  double nearest = std::numeric_limits<double>::infinity();
  std::size_t best = 0;
  for (const Target& target : targets) {
    for (const Point& p : state.model.parts[target.part].mesh().points) {
      if ((p - place).squaredNorm() >= nearest) continue;
      nearest = (p - place).squaredNorm();
      best = target.part;
    }
  }
  std::erase_if(targets, [&](const Target& t) { return t.part != best; });
}

bool is_kind(const Target& target, FindingKind kind) {
  return std::any_of(target.findings.begin(), target.findings.end(),
                     [&](const Finding* f) { return f->kind == kind; });
}

std::vector<TriangleId> triangles_of(const Target& target,
                                     std::initializer_list<FindingKind> kinds) {
  std::vector<TriangleId> all;
  for (const Finding* f : target.findings) {
    if (std::find(kinds.begin(), kinds.end(), f->kind) == kinds.end()) continue;
    all.insert(all.end(), f->triangles.begin(), f->triangles.end());
  }
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  return all;
}

// ---- Openings of findings.

// None of the triangles has a naked edge any more.
bool is_closed_at(const Mesh& mesh, std::span<const TriangleId> triangles) {
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  for (const TriangleId t : triangles) {
    const Triangle& tri = mesh.triangle(t);
    for (std::size_t c = 0; c < 3; ++c) {
      const auto e = edges.find(tri[c], tri[(c + 1) % 3]);
      if (e && edges.is_naked(*e)) return false;
    }
  }
  return true;
}

Change fill_target(const Mesh& mesh, const Target& target, const FillOptions& options,
                   const Budget& budget, Progress* progress) {
  const FindingOpenings openings(mesh, options.tolerance, budget);
  std::vector<Opening> wanted;
  std::vector<Refusal> refused;
  if (target.findings.empty()) {
    // Not from findings: whatever is open along the triangles, or everything.
    const std::set<TriangleId> own(target.triangles.begin(), target.triangles.end());
    for (const Opening& opening : openings.all()) {
      if (own.empty() || openings.runs_along(opening.loops[0], own)) wanted.push_back(opening);
    }
  }
  std::set<Loop> taken;
  bool closed_already = false;  // an island of an opening that was filled before, say
  for (const Finding* f : target.findings) {
    const std::vector<Opening> own = openings.of(*f);
    if (own.empty() && is_closed_at(openings.mesh(), f->triangles)) {
      closed_already = true;
      continue;
    }
    if (own.empty()) refused.push_back({RefusalReason::not_a_loop, f->place, f->id});
    for (const Opening& opening : own) {
      // An island of one that is filled anyway is not filled twice.
      if (taken.contains(opening.loops[0])) continue;
      taken.insert(opening.loops.begin(), opening.loops.end());
      wanted.push_back(opening);
    }
  }
  // Two rims named together are bridged.
  if (options.method == FillMethod::ruled && target.findings.size() == 2 && wanted.size() == 2 &&
      wanted[0].loops.size() == 1 && wanted[1].loops.size() == 1) {
    wanted[0].loops.push_back(wanted[1].loops[0]);
    wanted.pop_back();
  }
  const Change& prepared = openings.prepared();
  Change change = fill(prepared.mesh, wanted, options, {budget.distance, prepared.spent}, progress);
  change.refused.insert(change.refused.end(), refused.begin(), refused.end());
  // What was divided for nothing stays undivided.
  if (change.done == 0) {
    Change nothing = unchanged(mesh, budget);
    nothing.refused = std::move(change.refused);
    if (closed_already) nothing.methods = {"closed with another opening"};
    return nothing;
  }
  return composed(prepared, std::move(change));
}

// ---- One part.

struct StepContext {
  const Step& step;
  double tolerance;
  bool round_to_float;
  Progress* progress;
};

std::vector<VertexId> vertices_at(const Mesh& mesh, std::span<const Point> places) {
  std::vector<VertexId> found;
  for (const Point& p : places) {
    std::uint32_t best = 0;
    for (std::uint32_t v = 1; v < mesh.points.size(); ++v) {
      if ((mesh.points[v] - p).squaredNorm() < (mesh.points[best] - p).squaredNorm()) best = v;
    }
    found.push_back({best});
  }
  return found;
}

Change drop_target(const Mesh& mesh, const Target& target, const SettingReader& read,
                   const Budget& budget) {
  using enum FindingKind;
  const DropOptions options{read.get<bool>("may_bare").value_or(false)};
  if (target.findings.empty()) {
    if (target.triangles.empty()) return unchanged(mesh, budget);
    const auto all = read.get<bool>("whole_shell").value_or(false)
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
  if (is_kind(target, duplicate_triangle)) add(surplus_copies(mesh));
  if (is_kind(target, back_to_back)) {
    add(among(back_to_back_pairs(mesh), triangles_of(target, {back_to_back})));
  }
  if (is_kind(target, nonmanifold_edge) || is_kind(target, sheet_border)) add(flaps(mesh));
  if (is_kind(target, winding_conflict)) add(hanging_triangles(mesh));
  add(whole_components(mesh, triangles_of(target, {stray_shell, loose_sheet, zero_volume})));
  if (is_kind(target, sheet_border) && !is_kind(target, nonmanifold_edge) && goes.empty()) {
    add(whole_components(mesh, triangles_of(target, {sheet_border})));
  }
  add(triangles_of(target, {internal_face}));
  Change change =
      drop_triangles(mesh, std::vector<TriangleId>(goes.begin(), goes.end()), options, budget);
  if (is_kind(target, wire_edge)) {
    Change next = drop_wires(change.mesh, {budget.distance, change.spent});
    next.done += change.done;
    next.refused = change.refused;
    change = composed(change, std::move(next));
  }
  if (is_kind(target, unused_vertex)) {
    Change next = drop_unused_points(change.mesh, {budget.distance, change.spent});
    next.done += change.done;
    next.refused = change.refused;
    change = composed(change, std::move(next));
  }
  return change;
}

Change change_of(const Mesh& mesh, const Target& target, const StepContext& c,
                 const Budget& budget) {
  const SettingReader read(c.step);
  switch (c.step.remedy) {
    case Remedy::weld: {
      const double tolerance = read.get<double>("tolerance").value_or(0);
      return tolerance > 0 ? weld_rims(mesh, tolerance, target.triangles, budget)
                           : weld(mesh, budget);
    }
    case Remedy::stitch: {
      double spent = 0;
      for (const double s : budget.spent) spent = std::max(spent, s);
      const double tolerance =
          std::min(read.get<double>("tolerance").value_or(c.tolerance), budget.distance);
      StitchOptions options;
      options.steps = std::clamp(static_cast<int>(read.get<double>("steps").value_or(1)), 1, 100);
      options.round_to_float = c.round_to_float;
      const Selection& chosen = c.step.selection;
      // By kind it is all of them; some only if they were picked out.
      if (!chosen.ids.empty() || !chosen.but.empty() || chosen.near || chosen.box) {
        options.only = target.triangles;
      }
      return as_change(stitch(mesh, std::max(0.0, tolerance - spent), options, nullptr, c.progress),
                       budget);
    }
    case Remedy::close_gaps: {
      GapOptions options;
      if (const auto word = read.get<std::string>("method")) {
        const auto method = parse_gap_method(*word);
        if (!method) read.fail("there is no method '" + *word + "' of close-gaps");
        options.method = *method;
      }
      // One after another: what one changes, the next must see.
      Change all = unchanged(mesh, budget);
      std::vector<std::string> methods;
      std::vector<Refusal> refused;
      std::size_t done = 0;
      for (const Finding* f : target.findings) {
        options.width = read.get<double>("width").value_or(f->measure);
        std::vector<TriangleId> now;
        const std::set<TriangleId> own(f->triangles.begin(), f->triangles.end());
        for (std::uint32_t t = 0; t < all.parent.size(); ++t) {
          if (own.contains(all.parent[t])) now.push_back({t});
        }
        Change next = close_gap(all.mesh, now, options, {budget.distance, all.spent}, c.progress);
        done += next.done;
        methods.insert(methods.end(), next.methods.begin(), next.methods.end());
        refused.insert(refused.end(), next.refused.begin(), next.refused.end());
        all = composed(all, std::move(next));
      }
      all.done = done;
      all.methods = std::move(methods);
      all.refused = std::move(refused);
      return all;
    }
    case Remedy::fill:
      return fill_target(mesh, target, fill_options(read, c.tolerance), budget, c.progress);
    case Remedy::collapse:
      return collapse(mesh, target.triangles, {read.get<double>("short_edge").value_or(0)}, budget,
                      c.progress);
    case Remedy::orient:
      return orient(mesh,
                    {c.tolerance, read.get<bool>("cavities").value_or(false),
                     // Conflicts are between neighbours: which side is wrong is orient's to find.
                     target.findings.empty() ? std::span<const TriangleId>(target.triangles)
                                             : std::span<const TriangleId>()},
                    budget, c.progress);
    case Remedy::drop:
      return drop_target(mesh, target, read, budget);
    case Remedy::absorb: {
      const bool planes = is_kind(target, FindingKind::split_patch) || target.findings.empty();
      Change change = unchanged(mesh, budget);
      const auto small = triangles_of(target, {FindingKind::sliver_patch, FindingKind::tiny_patch});
      std::size_t done = 0;
      std::vector<std::string> methods;
      std::vector<Refusal> refused;
      const auto then = [&](Change next) {
        done += next.done;
        methods.insert(methods.end(), next.methods.begin(), next.methods.end());
        refused.insert(refused.end(), next.refused.begin(), next.refused.end());
        change = composed(change, std::move(next));
      };
      if (planes) then(join_planes(change.mesh, {}, {budget.distance, change.spent}));
      if (!small.empty()) {
        then(absorb_patches(change.mesh, small, {budget.distance, change.spent}, c.progress));
      }
      if (read.get<bool>("vertices").value_or(false)) {
        then(drop_superfluous_vertices(change.mesh, {}, {budget.distance, change.spent},
                                       c.progress));
      }
      change.done = done;
      change.methods = std::move(methods);
      change.refused = std::move(refused);
      return change;
    }
    case Remedy::refit:
      return refit(mesh, target.triangles, fill_options(read, c.tolerance), budget, c.progress);
    case Remedy::move: {
      const std::vector<VertexId> vertices = vertices_at(mesh, read.points("at"));
      const auto by = read.point("by");
      const std::vector<Point> to = read.points("to");
      if (vertices.empty() || (!by && to.size() != vertices.size())) {
        read.fail("move needs at, and by or as many to");
      }
      std::vector<VertexMove> moves;
      for (std::size_t i = 0; i < vertices.size(); ++i) {
        moves.push_back({vertices[i], by ? Point(mesh.point(vertices[i]) + *by) : to[i]});
      }
      return move_vertices(mesh, moves, budget);
    }
    case Remedy::join: {
      const std::vector<VertexId> vertices = vertices_at(mesh, read.points("at"));
      if (vertices.size() < 2) read.fail("join needs at with two points at least");
      Point middle = Point::Zero();
      for (const VertexId v : vertices) {
        middle += mesh.point(v) / static_cast<double>(vertices.size());
      }
      return join_vertices(mesh, vertices, read.point("to").value_or(middle), budget);
    }
    case Remedy::turn:
      return turn(mesh, target.triangles, budget);
    case Remedy::delete_:
      return drop_triangles(mesh, target.triangles, {true}, budget);
    case Remedy::add: {
      const std::vector<VertexId> v = vertices_at(mesh, read.points("at"));
      if (v.size() != 3) read.fail("add needs at with three points");
      return add_triangle(mesh, {v[0], v[1], v[2]}, budget);
    }
    case Remedy::bridge: {
      const std::vector<VertexId> v = vertices_at(mesh, read.points("at"));
      if (v.size() != 4) read.fail("bridge needs at with four points");
      return bridge_edges(mesh, {v[0], v[1]}, {v[2], v[3]}, budget);
    }
    case Remedy::copy: {
      if (const auto offset = read.get<double>("offset")) {
        return copy_at_offset(mesh, target.triangles, *offset, budget);
      }
      const auto from = read.point("from"), to = read.point("to");
      const auto through = read.point("through"), normal = read.point("normal");
      if (from && to) return copy_patch(mesh, target.triangles, moving(*from, *to), budget);
      if (through && normal && normal->norm() > 0) {
        return copy_patch(mesh, target.triangles, mirroring(*through, *normal), budget);
      }
      read.fail("copy needs from and to, through and normal, or offset");
    }
    default:
      break;
  }
  return unchanged(mesh, budget);
}

// ---- What a change came to.

LedgerLine line_of(const Mesh& before, const Budget& budget, const Change& change) {
  LedgerLine line;
  std::vector<bool> is_left(before.triangles.size());
  std::vector<Point> left, there;
  Point sum = Point::Zero();
  std::size_t places = 0;
  for (std::uint32_t t = 0; t < change.mesh.triangles.size(); ++t) {
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
  for (std::uint32_t t = 0; t < before.triangles.size(); ++t) {
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
  const auto less = [](const Point& a, const Point& b) {
    return std::tuple(a.x(), a.y(), a.z()) < std::tuple(b.x(), b.y(), b.z());
  };
  for (auto* list : {&left, &there}) {
    std::sort(list->begin(), list->end(), less);
    list->erase(std::unique(list->begin(), list->end()), list->end());
  }
  for (const Point& p : left) {
    const bool stays = std::binary_search(there.begin(), there.end(), p, less);
    line.vertices_moved += static_cast<std::size_t>(!stays);
  }
  if (line.largest_movement == 0 && places > 0) line.place = sum / static_cast<double>(places);
  line.done = change.done;
  line.refused = change.refused;
  for (const std::string& m : change.methods) line.method += (line.method.empty() ? "" : "; ") + m;
  return line;
}

}  // namespace

MendState::MendState(Model read) : model(std::move(read)) {
  for (const Part& part : model.parts) {
    const std::size_t triangles = part.mesh().triangles.size();
    auto trace = std::make_shared<PartTrace>();
    trace->spent.assign(triangles, 0.0);
    trace->added.assign(triangles, false);
    traces.push_back(std::move(trace));
  }
}

void accept(MendState& state, std::size_t index, Change change) {
  const Part& part = state.model.parts[index];
  const Mesh& mesh = part.mesh();
  PartTrace trace = *state.traces[index];
  // Triangles with two equal corners have no area to give up, but go all the same.
  std::vector<bool> goes(mesh.triangles.size());
  for (std::uint32_t t = 0; t < goes.size(); ++t) {
    const Triangle& own = mesh.triangles[t];
    for (std::size_t c = 0; c < 3; ++c) {
      if (mesh.point(own[c]) == mesh.point(own[(c + 1) % 3])) goes[t] = true;
    }
  }
  for (const TriangleId p : change.parent) {
    if (p.value != kNoIndex) goes[p.value] = false;
  }
  for (const TriangleId t : change.dropped) goes[t.value] = true;
  for (std::uint32_t i = 0; i < goes.size(); ++i) {
    const TriangleId t{i};
    if (!goes[i] || trace.added[i]) continue;
    Triangle own = mesh.triangle(t);
    for (VertexId& v : own.corner) {
      trace.removed.points.push_back(mesh.point(v));
      v = {static_cast<std::uint32_t>(trace.removed.points.size() - 1)};
    }
    trace.removed.triangles.push_back(own);
  }
  std::vector<bool> added(change.parent.size());
  for (std::size_t t = 0; t < added.size(); ++t) {
    const TriangleId p = change.parent[t];
    added[t] = p.value == kNoIndex || trace.added[p.value];
  }
  Shape shape;
  shape.patch_names = part.patch_names();
  shape.patch_colours = part.patch_colours();
  if (!change.new_patches.empty()) {
    // What had no patches is one of them now.
    const std::size_t next = mesh.patch_of.empty() ? 1 : patch_count(mesh);
    if (mesh.patch_of.empty() && shape.patch_names.empty()) shape.patch_names = {part.name};
    shape.patch_names.resize(next);
    for (const std::string& name : change.new_patches) {
      shape.patch_names.push_back(name + "-" + std::to_string(++trace.fills));
    }
  }
  trace.added = std::move(added);
  trace.spent = std::move(change.spent);
  // Stored normals and attributes, and the surfaces, are those of other triangles now.
  shape.mesh = std::move(change.mesh);
  state.traces[index] = std::make_shared<const PartTrace>(std::move(trace));
  state.model.parts[index] = Part(part.name, std::move(shape));
}

Inspection inspect_for_mending(const Model& model, const Profile& profile, double tolerance,
                               Progress* progress) {
  InspectOptions options;
  options.profile = profile;
  options.profile.tolerance = tolerance;
  options.most_triangles = std::numeric_limits<std::size_t>::max();
  return inspect(model, options, nullptr, progress);
}

StepResult run_step(const MendState& state, std::span<const Finding> findings, const Step& step,
                    const StepOptions& options, Progress* progress) {
  const RemedyInfo& remedy = info(step.remedy);
  StepResult result{state, {}, false};
  if (!remedy.is_there) {
    LedgerLine line;
    line.step = step.number;
    line.remedy = step.remedy;
    line.refused.push_back({RefusalReason::does_not_apply,
                            step.selection.near.value_or(Point::Zero()),
                            std::string(remedy.slug) + " is not there yet"});
    result.lines.push_back(std::move(line));
    return result;
  }
  const double tolerance = options.tolerance;
  const double allowed = std::min(step.budget.value_or(tolerance), tolerance);
  std::vector<Target> targets = targets_of(state, findings, step);
  if (step.settings.contains("at")) {
    const std::vector<Point> places = SettingReader(step).points("at");
    if (!places.empty()) keep_nearest_part(state, places[0], targets);
  }
  for (const Target& target : targets) {
    const Part& part = state.model.parts[target.part];
    const Budget budget{allowed, state.traces[target.part]->spent};
    // Remedies work on distinct points; what that welds is no step of its own.
    Change welded;
    const bool needs_weld = !part.mesh().points_are_distinct && step.remedy != Remedy::weld;
    if (needs_weld) {
      welded = unchanged(part.mesh(), budget);
      welded.mesh = with_distinct_points(part.mesh());
    }
    const Mesh& mesh = needs_weld ? welded.mesh : part.mesh();
    Change change =
        change_of(mesh, target, {step, tolerance, options.round_to_float, progress}, budget);
    std::string harm = harm_of(mesh, change);
    if (harm.empty() && change.mesh.triangles.empty() && !mesh.triangles.empty()) {
      harm = "nothing of the part";
    }
    const bool as_told = remedy.by_hand || step.settings.contains("may_bare");
    if (!harm.empty() && !as_told) {
      std::vector<Refusal> refused = std::move(change.refused);
      refused.push_back({RefusalReason::no_gain,
                         target.findings.empty() ? Point(Point::Zero()) : target.findings[0]->place,
                         "it would leave " + harm});
      change = unchanged(mesh, budget);
      change.refused = std::move(refused);
      harm.clear();
    }
    LedgerLine line = line_of(mesh, budget, change);
    line.step = step.number;
    line.remedy = step.remedy;
    line.part = part.name;
    line.worse = harm;
    line.finding_count = target.findings.size();
    for (const Finding* f : target.findings) {
      if (line.findings.size() < kMostListedIds) line.findings.push_back(f->id);
    }
    if (!target.findings.empty() && line.largest_movement == 0) {
      line.place = target.findings[0]->place;
    }
    if (line.changed_anything()) {
      accept(result.state, target.part, std::move(change));
      result.changed = true;
    }
    result.lines.push_back(std::move(line));
  }
  if (result.lines.empty()) {
    LedgerLine line;
    line.step = step.number;
    line.remedy = step.remedy;
    result.lines.push_back(std::move(line));
  }
  return result;
}

const Fill* Trial::find(FillMethod method) const {
  for (const FillOutcome& outcome : outcomes) {
    const Fill* fill = std::get_if<Fill>(&outcome);
    if (fill != nullptr && fill->method == method) return fill;
  }
  return nullptr;
}

Trial try_fills(std::shared_ptr<const MendState> state, std::span<const Finding> findings,
                const std::string& id, const FillOptions& options) {
  const auto at =
      std::find_if(findings.begin(), findings.end(), [&](const Finding& f) { return f.id == id; });
  if (at == findings.end()) throw StepError(0, "there is no finding " + id);
  if (at->kind != FindingKind::opening && at->kind != FindingKind::sheet_border) {
    throw StepError(0, id + " is no opening: there is nothing to fill");
  }
  Trial trial;
  trial.id = id;
  trial.part = *at->part_index;
  trial.place = at->place;
  const Budget budget{options.tolerance, state->traces[trial.part]->spent};
  const FindingOpenings openings(state->model.parts[trial.part].mesh(), options.tolerance, budget);
  const std::vector<Opening> own = openings.of(*at);
  if (own.size() != 1) {
    throw StepError(
        0, id + (own.empty() ? ": its naked edges form no closed loop; stitch or orient first"
                             : ": its rim meets itself: it is several openings"));
  }
  // Fills name vertices of the mesh as it was prepared.
  auto prepared = std::make_shared<MendState>(*state);
  accept(*prepared, trial.part, openings.prepared());
  trial.state = prepared;
  trial.outcomes =
      Filler(prepared->model.parts[trial.part].mesh(), options.tolerance).try_all(own[0], options);
  return trial;
}

StepResult accept_trial(const Trial& trial, FillMethod method, double tolerance) {
  const Fill* fill = trial.find(method);
  if (fill == nullptr) {
    throw ArgumentError(trial.id + ": " + std::string(slug(method)) + " gives no fill");
  }
  const Mesh& mesh = trial.state->model.parts[trial.part].mesh();
  const Budget budget{tolerance, trial.state->traces[trial.part]->spent};
  Change change = add_fills(mesh, std::span(fill, 1), budget);
  StepResult result{*trial.state, {}, change.done > 0};
  LedgerLine line = line_of(mesh, budget, change);
  line.remedy = Remedy::fill;
  line.part = trial.state->model.parts[trial.part].name;
  line.findings = {trial.id};
  line.finding_count = 1;
  line.place = trial.place;
  if (result.changed) accept(result.state, trial.part, std::move(change));
  result.lines.push_back(std::move(line));
  return result;
}

}  // namespace aguja
