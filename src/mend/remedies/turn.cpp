#include "aguja/mend/orient.h"

#include "aguja/mend/remedy.h"

namespace aguja::remedies {
namespace {

Change run_turn(const RemedyInput& in) {
  return aguja::turn(in.mesh, in.target.triangles, in.budget);
}

}  // namespace

constinit const RemedyInfo turn = {.slug = "turn",
                                   .what = "triangles are turned over",
                                   .may_worsen = MayWorsen::anything,
                                   .movement = CountsAsMovement::recorded,
                                   .needs_selection = true,
                                   .run = run_turn};

}  // namespace aguja::remedies
