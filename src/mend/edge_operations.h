#pragma once
// Flips and contractions of edges as replacements.

#include <algorithm>

#include "aguja/mesh/weld.h"
#include "mend/editable_mesh.h"

namespace aguja {

/// The two vertices become one at a place, which may be either of them.
[[nodiscard]] inline Replacement contraction(const EditableMesh& mesh, VertexId a, VertexId b,
                                             VertexId to) {
  Replacement r;
  r.merge = {{a, to}, {b, to}};
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

/// Does the edge lead from one side of a wall (or slot) to the other? That is: a face at one of its
/// ends lies opposite to a face at the other, within 15 degrees. Contracted, the wall would lose
/// its thickness there, however little that moves.
[[nodiscard]] inline bool crosses_a_wall(const EditableMesh& mesh, VertexId a, VertexId b) {
  constexpr double kOpposite = -0.96592582628906829;  // cos 165 degrees
  constexpr double kReliable = 1e-3;                  // height by length
  const auto faces_at = [&](VertexId v, VertexId other) {
    std::vector<Vector> normals;
    for (const TriangleId t : mesh.star(v)) {
      const Triangle& tri = mesh.triangle(t);
      if (tri[0] == other || tri[1] == other || tri[2] == other) continue;
      const TriangleCorners c = mesh.corners(t);
      const double length =
          std::max({(c[1] - c[0]).norm(), (c[2] - c[1]).norm(), (c[0] - c[2]).norm()});
      if (2 * area_of(c) > kReliable * length * length) normals.push_back(unit_normal(c));
    }
    return normals;
  };
  const std::vector<Vector> at_b = faces_at(b, a);
  for (const Vector& n : faces_at(a, b)) {
    for (const Vector& m : at_b) {
      if (n.dot(m) < kOpposite) return true;
    }
  }
  return false;
}

/// A flip over a crease that leads from one side of a wall to the other.
[[nodiscard]] inline bool crosses_a_wall(const EditableMesh& mesh, const Replacement& flipped) {
  constexpr double kCrease = 0.96592582628906829;  // cos 15 degrees
  const Vector n = unit_normal(mesh.corners(flipped.remove[0]));
  const Vector m = unit_normal(mesh.corners(flipped.remove[1]));
  const Triangle& half = flipped.add[0].triangle;  // the new edge is its second side
  return n.dot(m) < kCrease && crosses_a_wall(mesh, half[1], half[2]);
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
  const bool first = area_of(mesh.corners(both[0])) >= area_of(mesh.corners(both[1]));
  const TriangleId parent = both[first ? 0 : 1], second = both[first ? 1 : 0];
  return Replacement{both, {{{{a, q, p}}, parent, second}, {{{q, b, p}}, parent, second}}};
}

}  // namespace aguja
