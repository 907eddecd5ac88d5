#pragma once
/// \file
/// A model on its way from what was read to what is written.

#include <memory>
#include <string>
#include <vector>

#include "aguja/mend/change.h"
#include "aguja/model/model.h"

namespace aguja {

/// What is known of a part on its way, beside its mesh. Shared by the states that it is true of.
struct PartTrace {
  std::size_t id = 0;         ///< the part's number in the input, from 1
  std::vector<double> spent;  ///< by triangle: see `Budget`
  std::vector<bool> added;    ///< by triangle: surface that the input did not have
  Mesh removed;               ///< surface that was given up, as it was then
  std::size_t fills = 0;
};

/// Copies cost references.
struct MendState {
  Model model;
  std::vector<std::shared_ptr<const PartTrace>> traces;  ///< by part
  /// Parts of which nothing is left; they are no longer in the model.
  std::vector<std::shared_ptr<const PartTrace>> gone;

  explicit MendState(Model read);
};

/// Makes a change of one part the part's state; a part that loses its last triangle is gone.
/// Cost     O(n)
void accept(MendState& state, std::size_t part, Change change);

}  // namespace aguja
