#include "aguja/mesh/known_mesh.h"

#include "aguja/base/error.h"

namespace aguja {
namespace {

// Made by whoever asks first; the others wait.
template <class T, class Make>
const T& once(std::mutex& mutex, std::optional<T>& value, const Make& make) {
  const std::lock_guard lock(mutex);
  if (!value) value.emplace(make());
  return *value;
}

}  // namespace

const EdgeTable& KnownMesh::edges() const {
  if (!mesh_.points_are_distinct) throw ArgumentError("known mesh: its points are not distinct");
  return once(mutex_, edges_, [&] { return EdgeTable(mesh_.triangles, mesh_.points.size()); });
}

const EdgeCounts& KnownMesh::edge_counts() const {
  const EdgeTable& table = edges();
  return once(mutex_, counts_, [&] { return count_edges(table); });
}

const VertexStars& KnownMesh::stars() const {
  if (!mesh_.points_are_distinct) throw ArgumentError("known mesh: its points are not distinct");
  return once(mutex_, stars_, [&] { return VertexStars(mesh_.triangles, mesh_.points.size()); });
}

}  // namespace aguja
