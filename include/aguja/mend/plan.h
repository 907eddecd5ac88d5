#pragma once
/// \file
/// The plan: steps in their order, each with what it is about; and the ledger of what was done.

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "aguja/mend/fill.h"
#include "aguja/mend/remedy.h"
#include "aguja/mend/selection.h"
#include "aguja/model/part_change.h"

namespace aguja {

struct Step {
  std::size_t number = 0;  ///< from 1, in the order of the plan
  Remedy remedy = remedies::weld;
  Selection selection;
  Settings settings;
  std::optional<double> budget;  ///< instead of the plan's; model units
  bool on = true;                ///< off: a proposal, or left out
  /// A person wants it: one who wrote it, left it on in a plan, or named its findings by id. Else it
  /// may give up nothing large (`StepOptions::most_given_up`).
  bool is_decided = true;
  std::string why;
  std::string method;  ///< how it would be done, for people; where `settings` leave it open
};

struct Plan {
  std::string file;      ///< the input, as named
  std::string digest;    ///< of the input; empty: any
  double tolerance = 0;  ///< the budget of all steps together, model units
  std::vector<Step> steps;
  std::vector<Waiver> waivers;
};

/// What one step did.
struct LedgerLine {
  std::size_t step = 0;
  Remedy remedy = remedies::weld;
  std::string part;
  PartId part_id = 0;                 ///< 0: of no part
  PartFate fate = PartFate::changed;  ///< what became of it, if anything was done
  std::vector<std::string> findings;  ///< ids that it was about; as many as are listed
  std::size_t finding_count = 0;
  std::string method;
  std::size_t done = 0;
  std::size_t triangles_added = 0;    ///< that were not there, at those places, before
  std::size_t triangles_removed = 0;  ///< that are no longer there
  std::size_t triangles_turned = 0;
  std::size_t vertices_moved = 0;  ///< places that corners have left: moved, or merged into others
  double area_added = 0;           ///< of surface that was not there: fills, copies
  double area_removed = 0;         ///< of surface that was given up: drops
  /// Of what the part had when it was read: how much is given up by this and by earlier steps.
  double given_up_share = 0;
  double largest_movement = 0;           ///< an upper bound, model units
  Point place = Point::Zero();           ///< of the largest movement, else of what was changed
  std::optional<FaceCounts> faces = {};  ///< of a part that was made of surfaces
  std::vector<Refusal> refused;
  std::string worse;  ///< by hand: what it made worse, in words

  [[nodiscard]] bool changed_anything() const {
    return triangles_added + triangles_removed + triangles_turned + vertices_moved + done > 0;
  }
};

}  // namespace aguja
