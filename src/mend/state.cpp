#include "aguja/mend/state.h"

#include <algorithm>
#include <utility>

#include "aguja/base/error.h"
#include "aguja/base/printable.h"
#include "aguja/mend/given_up.h"
#include "mend/fill_name.h"
#include "mend/keep_surfaces.h"

namespace aguja {

MendState::MendState(Model read) : model(std::move(read)) {
  for (const Part& part : model.parts) {
    const Box box = box_of(part.mesh());
    if (!box.is_empty() && std::max(-box.low.minCoeff(), box.high.maxCoeff()) > kLargestMended) {
      throw ArgumentError("mend: part '" + printable(part.name) +
                          "' has coordinates beyond 1e75: squares of its areas would be beyond all "
                          "numbers; make it smaller first");
    }
    const std::size_t triangles = part.mesh().triangles.size();
    auto trace = std::make_shared<PartTrace>();
    trace->id = ++last_id;
    trace->spent.assign(triangles, 0.0);
    trace->added.assign(triangles, false);
    traces.push_back(std::move(trace));
  }
  known.resize(model.parts.size());
}

KnownMeshPtr known_mesh(const MendState& state, std::size_t part) {
  if (state.known[part]) return state.known[part];
  // The copy holds the shape.
  const auto owner = std::make_shared<const Part>(state.model.parts[part]);
  return std::make_shared<const KnownMesh>(owner->mesh(), owner);
}

void keep_known(MendState& state) {
  for (std::size_t p = 0; p < state.known.size(); ++p) state.known[p] = known_mesh(state, p);
}

namespace {

// Parts as they were, their meshes taken one after another.
class PartsBefore {
 public:
  PartsBefore(const MendState& state, std::span<const std::size_t> parts)
      : state_(state), parts_(parts) {
    std::size_t sum = 0;
    for (std::size_t i = 0; i < parts.size(); ++i) {
      first_.push_back(sum);
      sum += mesh(i).triangles.size();
    }
    first_.push_back(sum);
  }

  [[nodiscard]] const Part& part(std::size_t i) const { return state_.model.parts[parts_[i]]; }
  [[nodiscard]] const Mesh& mesh(std::size_t i) const { return part(i).mesh(); }
  [[nodiscard]] const PartTrace& trace(std::size_t i) const { return *state_.traces[parts_[i]]; }
  [[nodiscard]] std::size_t count() const { return parts_.size(); }
  [[nodiscard]] std::size_t triangle_count() const { return first_.back(); }
  [[nodiscard]] std::size_t triangle_count(std::size_t i) const {
    return first_[i + 1] - first_[i];
  }
  [[nodiscard]] bool was_added(TriangleId t) const {
    const std::size_t i = part_of(t);
    return trace(i).added[t.value - first_[i]];
  }
  [[nodiscard]] std::size_t first(std::size_t i) const { return first_[i]; }

 private:
  [[nodiscard]] std::size_t part_of(TriangleId t) const {
    const auto after = std::upper_bound(first_.begin(), first_.end(), std::size_t{t.value});
    return static_cast<std::size_t>(after - first_.begin()) - 1;
  }

  const MendState& state_;
  std::span<const std::size_t> parts_;
  std::vector<std::size_t> first_;
};

// Surface that no part after has any more, added to what was given up before.
Mesh removed_of(const PartsBefore& before, std::span<const PartOutcome> outcomes) {
  if (before.count() == 1 && outcomes.size() == 1 && outcomes[0].change.only_adds) {
    return before.trace(0).removed;
  }
  const auto append = [](Mesh& all, const Mesh& more) {
    const auto shift = static_cast<std::uint32_t>(all.points.size());
    all.points.insert(all.points.end(), more.points.begin(), more.points.end());
    for (Triangle t : more.triangles) {
      for (VertexId& v : t.corner) v.value += shift;
      all.triangles.push_back(t);
    }
  };
  std::vector<bool> goes(before.triangle_count(), outcomes.empty());
  // Triangles with two equal corners have no area to give up, but go all the same.
  for (std::size_t i = 0; i < before.count(); ++i) {
    const Mesh& mesh = before.mesh(i);
    for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
      const Triangle& own = mesh.triangles[t];
      for (std::size_t c = 0; c < 3; ++c) {
        if (mesh.point(own[c]) == mesh.point(own[(c + 1) % 3])) goes[before.first(i) + t] = true;
      }
    }
  }
  for (const PartOutcome& o : outcomes) {
    for (const TriangleId p : o.change.parent) {
      if (p.value != kNoIndex) goes[p.value] = false;
    }
  }
  for (const PartOutcome& o : outcomes) {
    for (const TriangleId t : o.change.dropped) goes[t.value] = true;
  }
  Mesh removed;
  for (std::size_t i = 0; i < before.count(); ++i) append(removed, before.trace(i).removed);
  for (const PartOutcome& o : outcomes) append(removed, o.change.cut_off);
  for (std::size_t i = 0; i < before.count(); ++i) {
    const Mesh& mesh = before.mesh(i);
    for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
      if (!goes[before.first(i) + t] || before.trace(i).added[t]) continue;
      Triangle own = mesh.triangles[t];
      for (VertexId& v : own.corner) {
        removed.points.push_back(mesh.point(v));
        v = {static_cast<std::uint32_t>(removed.points.size() - 1)};
      }
      removed.triangles.push_back(own);
    }
  }
  return removed;
}

// Patches of a part that was made of one keep their names; of several, they are those of the parts
// one after another.
Shape shape_of(const PartsBefore& before, const std::string& name, Change& change,
               KeptSurfaces* kept, std::size_t& fills) {
  Shape shape;
  bool has_patches = false;
  std::uint32_t count = 0;
  for (std::size_t i = 0; i < before.count(); ++i) {
    const Part& part = before.part(i);
    has_patches |= !part.mesh().patch_of.empty();
    shape.patch_names.resize(before.count() > 1 ? count : 0);
    shape.patch_names.insert(shape.patch_names.end(), part.patch_names().begin(),
                             part.patch_names().end());
    if (!part.patch_colours().empty()) {
      shape.patch_colours.resize(before.count() > 1 ? count : 0);
      shape.patch_colours.insert(shape.patch_colours.end(), part.patch_colours().begin(),
                                 part.patch_colours().end());
    }
    if (before.count() > 1) count += patch_count(*part.shape());
  }
  if (!change.new_patches.empty()) {
    // What had no patches is one of them now.
    const std::size_t next = kept                  ? kept->first_added
                             : !has_patches        ? 1
                             : before.count() == 1 ? patch_count(before.mesh(0))
                                                   : count;
    if (!has_patches && shape.patch_names.empty()) shape.patch_names = {name};
    shape.patch_names.resize(next);
    for (const std::string& fill : change.new_patches) {
      shape.patch_names.push_back(fill_name(fill, ++fills));
    }
  }
  if (kept) shape.surfaces = std::move(kept->surfaces);
  // Stored normals and attributes are those of other triangles now.
  shape.mesh = std::move(change.mesh);
  return shape;
}

// What the step did to faces, if there were any.
std::optional<FaceCounts> faces_of(const PartsBefore& before,
                                   const std::optional<KeptSurfaces>& kept) {
  if (before.part(0).shape()->surfaces.empty()) return std::nullopt;
  if (!kept) return FaceCounts{.are_kept = false};
  return FaceCounts{true, kept->dropped, kept->turned, kept->added, kept->divided, kept->apart};
}

PartFate fate_of(std::size_t before, std::size_t after) {
  if (after == 0) return PartFate::gone;
  if (before == 0) return PartFate::born;
  if (before == after) return PartFate::changed;
  return after > before ? PartFate::split : PartFate::merged;
}

}  // namespace

std::vector<NamedPart> named_parts(const MendState& state) {
  std::vector<NamedPart> parts;
  for (std::size_t p = 0; p < state.traces.size(); ++p) {
    parts.push_back({state.traces[p]->id, state.model.parts[p].name});
  }
  return parts;
}

PartChange accept(MendState& state, std::size_t part, Change change) {
  std::vector<PartOutcome> one(1);
  one[0] = {state.model.parts[part].name, std::move(change)};
  return accept(state, std::span(&part, 1), std::move(one));
}

PartChange accept(MendState& state, std::span<const std::size_t> parts,
                  std::vector<PartOutcome> outcomes) {
  for (std::size_t i = 0; i < parts.size(); ++i) {
    if (parts[i] >= state.model.parts.size() || (i > 0 && parts[i] <= parts[i - 1])) {
      throw ArgumentError("accept: parts must be there, and be named in rising order");
    }
  }
  const PartsBefore before(state, parts);
  PartChange out;
  std::size_t fills = 0;
  double gone = 0;
  for (std::size_t i = 0; i < parts.size(); ++i) {
    out.before.push_back(before.trace(i).id);
    out.triangles_before.push_back(before.triangle_count(i));
    fills = std::max(fills, before.trace(i).fills);
    gone += before.trace(i).given_up;
  }
  if (parts.size() == 1 && outcomes.size() == 1) {
    gone += area_of_triangles(before.mesh(0), given_up(before.mesh(0), outcomes[0].change));
  }
  Mesh removed = removed_of(before, outcomes);
  const bool had_triangles = before.triangle_count() > 0;
  std::vector<Part> made;
  std::vector<PartTrace> traces;
  for (PartOutcome& o : outcomes) {
    const bool is_gone = o.change.mesh.triangles.empty() && had_triangles;
    PartTrace trace;
    if (before.count() == 1 && o.change.only_adds) {
      trace.added = before.trace(0).added;
      trace.added.resize(o.change.parent.size(), true);
    } else {
      for (const TriangleId p : o.change.parent) {
        trace.added.push_back(p.value == kNoIndex || before.was_added(p));
      }
    }
    trace.spent = std::move(o.change.spent);
    std::optional<KeptSurfaces> kept;
    if (parts.size() == 1 && outcomes.size() == 1 && !is_gone) {
      kept = keep_surfaces(before.part(0).placed(), o.change, fills);
      out.faces = faces_of(before, kept);
    }
    Shape shape = shape_of(before, o.name, o.change, kept ? &*kept : nullptr, fills);
    if (is_gone) continue;
    trace.id = made.empty() && !out.before.empty() ? out.before[0] : ++state.last_id;
    trace.fills = fills;
    trace.given_up = gone;
    out.after.push_back(trace.id);
    out.maps.push_back(std::move(static_cast<MeshMaps&>(o.change)));
    made.emplace_back(o.name, std::move(shape));
    traces.push_back(std::move(trace));
  }
  if (!traces.empty()) {
    traces[0].removed = std::move(removed);
  } else if (!parts.empty()) {
    PartTrace last = before.trace(0);
    last.spent.clear();
    last.added.clear();
    last.removed = std::move(removed);
    state.gone.push_back(std::make_shared<const PartTrace>(std::move(last)));
  }
  out.fate = fate_of(parts.size(), made.size());
  KnownMeshPtr known;
  if (parts.size() == 1 && made.size() == 1 && state.known[parts[0]]) {
    const auto owner = std::make_shared<const Part>(made[0]);
    known = std::make_shared<const KnownMesh>(owner->mesh(), owner, *state.known[parts[0]],
                                              out.maps[0]);
  }
  const auto at = static_cast<std::ptrdiff_t>(parts.empty() ? state.model.parts.size() : parts[0]);
  for (auto p = parts.rbegin(); p != parts.rend(); ++p) {
    state.model.parts.erase(state.model.parts.begin() + static_cast<std::ptrdiff_t>(*p));
    state.traces.erase(state.traces.begin() + static_cast<std::ptrdiff_t>(*p));
    state.known.erase(state.known.begin() + static_cast<std::ptrdiff_t>(*p));
  }
  state.known.insert(state.known.begin() + at, made.size(), known);
  state.model.parts.insert(state.model.parts.begin() + at, std::make_move_iterator(made.begin()),
                           std::make_move_iterator(made.end()));
  std::vector<std::shared_ptr<const PartTrace>> shared;
  for (PartTrace& trace : traces) {
    shared.push_back(std::make_shared<const PartTrace>(std::move(trace)));
  }
  state.traces.insert(state.traces.begin() + at, shared.begin(), shared.end());
  return out;
}

}  // namespace aguja
