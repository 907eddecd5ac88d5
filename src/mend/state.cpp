#include "aguja/mend/state.h"

#include <utility>

namespace aguja {

MendState::MendState(Model read) : model(std::move(read)) {
  for (const Part& part : model.parts) {
    const std::size_t triangles = part.mesh().triangles.size();
    auto trace = std::make_shared<PartTrace>();
    trace->id = traces.size() + 1;
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
  const bool is_gone = shape.mesh.triangles.empty() && !mesh.triangles.empty();
  auto shared = std::make_shared<const PartTrace>(std::move(trace));
  if (is_gone) {
    state.gone.push_back(std::move(shared));
    state.traces.erase(state.traces.begin() + static_cast<std::ptrdiff_t>(index));
    state.model.parts.erase(state.model.parts.begin() + static_cast<std::ptrdiff_t>(index));
    return;
  }
  state.traces[index] = std::move(shared);
  state.model.parts[index] = Part(part.name, std::move(shape));
}

}  // namespace aguja
