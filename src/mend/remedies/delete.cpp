#include "aguja/mend/drop.h"

#include "aguja/mend/remedy.h"

namespace aguja::remedies {
namespace {

Change run_delete(const RemedyInput& in) {
  return drop_triangles(in.mesh, in.target.triangles, {true}, in.budget);
}

}  // namespace

constinit const RemedyInfo delete_ = {.slug = "delete",
                                      .what = "triangles are deleted",
                                      .may_worsen = MayWorsen::anything,
                                      .movement = CountsAsMovement::recorded,
                                      .needs_selection = true,
                                      .run = run_delete};

}  // namespace aguja::remedies
