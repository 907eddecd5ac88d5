#pragma once
/// \file
/// Crossings and overlaps become one clean boundary.

#include <optional>
#include <vector>

#include "aguja/base/progress.h"
#include "aguja/mend/change.h"
#include "aguja/mend/contacts.h"

namespace aguja {

/// What a closed shell inside a body is, if both face the same way: only the designer knows.
enum class Nested { ask, cavity, merged };

struct ResolveOptions {
  Nested nested = Nested::ask;
  /// Space that the surface winds around backwards is empty; else, where there is more of it than
  /// the budget explains, nothing is done.
  bool accept_negative = false;
  /// What becomes of bodies that meet in an edge or a vertex alone; they stay as they are if left out.
  std::optional<ContactAs> contact = {};
  /// Where they stay as they are, that is refused with the question.
  bool asks_contact = false;
  /// Coordinates of the result are floats.
  bool round_to_float = false;
  /// Only what these triangles have to do with: what they cross, and what must change with that. All
  /// else stays bit for bit as it is, and nothing is turned over unasked. Empty: the whole mesh.
  std::vector<TriangleId> only = {};
  /// Within this cracks count as joined where shells that are inside out are told.
  double crack_tolerance = 0;
};

/// One boundary of all that the mesh winds around: what passes through itself or lies on itself is
/// cut, exactly, and what has material on both sides, or on none, goes. Shells turned inside out are
/// turned over first. Cavities stay. Triangles that are not cut stay as they are; pieces keep the
/// patches of their parents.
///
/// Promises  Nothing of the result crosses, overlaps or touches, verified exactly. Nothing moves but
///           points that are rounded, or that were in one place but for a hair: within the budget.
/// Refuses   A surface with naked edges; questions that are left open; a result that rounding keeps
///           from being clean. The mesh then stays as it is.
/// Cost      `boundary_of`; nothing but the search for crossings where nothing crosses.
/// Errors    Cancelled; ArgumentError (coordinates beyond 1e150).
[[nodiscard]] Change resolve(const Mesh& mesh, const ResolveOptions& options = {},
                             const Budget& budget = {}, Progress* progress = nullptr);

}  // namespace aguja
