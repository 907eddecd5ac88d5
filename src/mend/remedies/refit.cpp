#include "aguja/mend/refit.h"

#include "mend/remedies/fill.h"

namespace aguja::remedies {
namespace {

Change run_refit(const RemedyInput& in) {
  return aguja::refit(in.mesh, in.target.triangles, fill_options(in.settings, in.tolerance),
                      in.budget, in.progress);
}

}  // namespace

const RemedyInfo refit = {.slug = "refit",
                          .what = "triangles are deleted and the opening filled, as one step",
                          .settings = fill_settings(),
                          .needs_selection = true,
                          .run = run_refit};

}  // namespace aguja::remedies
