#pragma once
/// \file
/// What a change made worse.

#include <string>

#include "aguja/mend/change.h"
#include "aguja/mesh/known_mesh.h"

namespace aguja {

/// In words: more naked or non-manifold edges, winding conflicts, triangles without area, pairs that
/// cross or touch. Empty if nothing.
///
/// Cost      Where points are distinct before and after, and little has changed: a pass over the
///           triangles, what the edges of `before` cost when they are first asked for, and the search
///           for crossings of what is new. Else two edge tables.
[[nodiscard]] std::string harm_of(const KnownMesh& before, const Change& change);
[[nodiscard]] inline std::string harm_of(const Mesh& before, const Change& change) {
  return harm_of(KnownMesh(before), change);
}

/// The same without looking at what changed; for tests.
[[nodiscard]] std::string harm_by_counting(const Mesh& before, const Change& change);

}  // namespace aguja
