#pragma once
/// \file
/// A model on its way from what was read to what is written.

#include <memory>
#include <span>
#include <string>
#include <vector>

#include "aguja/mend/change.h"
#include "aguja/mesh/known_mesh.h"
#include "aguja/model/model.h"
#include "aguja/model/part_change.h"

namespace aguja {

/// What is known of a part on its way, beside its mesh. Shared by the states that it is true of.
struct PartTrace {
  PartId id = 0;
  std::vector<double> spent;  ///< by triangle: see `Budget`
  std::vector<bool> added;    ///< by triangle: surface that the input did not have
  Mesh removed;               ///< surface that was given up, as it was then
  double given_up = 0;        ///< area of that, where no copy of it was left
  std::size_t fills = 0;
};

/// Copies cost references.
struct MendState {
  Model model;
  std::vector<std::shared_ptr<const PartTrace>> traces;  ///< by part
  /// Parts of which nothing is left; they are no longer in the model.
  std::vector<std::shared_ptr<const PartTrace>> gone;
  PartId last_id = 0;  ///< that was given to a part
  /// By part: what was worked out of its mesh, if a session keeps it; null: nothing.
  std::vector<KnownMeshPtr> known;

  /// Squares of areas must be within the range of doubles.
  static constexpr double kLargestMended = 1e75;
  /// Errors: ArgumentError (a coordinate beyond that).
  explicit MendState(Model read);
};

/// What is known of the mesh of a part, whose points are distinct: as it is kept with the state, else
/// nothing yet.
[[nodiscard]] KnownMeshPtr known_mesh(const MendState& state, std::size_t part);
/// From here on it is kept with the state.
void keep_known(MendState& state);

[[nodiscard]] std::vector<NamedPart> named_parts(const MendState& state);

/// Makes a change of one part the part's state; a part that loses its last triangle is gone.
/// Cost     O(n)
PartChange accept(MendState& state, std::size_t part, Change change);

/// A part to be made of others. Its change is of their meshes taken one after another.
struct PartOutcome {
  std::string name;
  Change change;
};

/// Takes parts (by number, rising) out and puts others in their place: one that is changed, several
/// that it falls apart into, one that they are merged to, none; or, without any before, one that is
/// born and comes last. The first one after keeps the id of the first one before, others get new
/// ones. What was given up of them is told with the first one after. Without triangles a part is
/// gone.
/// Cost     O(n)
/// Errors   ArgumentError (numbers that do not rise or are of no part).
PartChange accept(MendState& state, std::span<const std::size_t> parts,
                  std::vector<PartOutcome> outcomes);

}  // namespace aguja
