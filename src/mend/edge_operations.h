#pragma once
// Flips and contractions of edges as replacements.

#include "mend/editable_mesh.h"

namespace aguja {

/// The two vertices become one at a place, which may be either of them.
[[nodiscard]] inline Replacement contraction(const EditableMesh& mesh, VertexId a, VertexId b,
                                             VertexId to) {
  Replacement r;
  for (const VertexId v : {a, b}) {
    for (const TriangleId t : mesh.star(v)) {
      if (v == b && std::find(r.remove.begin(), r.remove.end(), t) != r.remove.end()) continue;
      r.remove.push_back(t);
      Triangle now = mesh.triangle(t);
      for (VertexId& w : now.corner) {
        if (w == a || w == b) w = to;
      }
      if (!has_equal_corners(now)) r.add.push_back({now, t});
    }
  }
  // A triangle that keeps its corners is no part of it.
  std::erase_if(r.remove, [&](TriangleId t) {
    const auto same = std::find_if(r.add.begin(), r.add.end(), [&](const Replacement::Added& x) {
      return x.parent == t && x.triangle == mesh.triangle(t);
    });
    if (same == r.add.end()) return false;
    r.add.erase(same);
    return true;
  });
  return r;
}

/// The edge between a and b, with one triangle on each side, is put between the two other corners.
/// Nothing if it has other than two triangles.
[[nodiscard]] inline std::optional<Replacement> flip(const EditableMesh& mesh, VertexId a,
                                                     VertexId b) {
  const std::vector<TriangleId> both = mesh.around(a, b);
  if (both.size() != 2) return std::nullopt;
  VertexId apex[2] = {a, a};
  bool forward[2] = {false, false};
  for (std::size_t i = 0; i < 2; ++i) {
    const Triangle& t = mesh.triangle(both[i]);
    for (std::size_t c = 0; c < 3; ++c) {
      if (t[c] != a && t[c] != b) apex[i] = t[c];
      if (t[c] == a && t[(c + 1) % 3] == b) forward[i] = true;
    }
  }
  if (forward[0] == forward[1] || apex[0] == apex[1]) return std::nullopt;
  if (!forward[0]) std::swap(apex[0], apex[1]);
  // The first triangle runs a, b, p; the second b, a, q.
  const VertexId p = apex[0], q = apex[1];
  // Both halves are of the face that has more of the surface.
  const TriangleId parent =
      area_of(mesh.corners(both[0])) >= area_of(mesh.corners(both[1])) ? both[0] : both[1];
  return Replacement{both, {{{{a, q, p}}, parent}, {{{q, b, p}}, parent}}};
}

}  // namespace aguja
