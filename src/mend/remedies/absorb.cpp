#include "aguja/mend/absorb.h"

#include "aguja/mend/remedy.h"
#include "mend/change_chain.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kAbsorbSettings[] = {
    {"vertices", SettingType::flag, "superfluous vertices in planes and on straight edges, too"}};

Change run_absorb(const RemedyInput& in) {
  ChangeChain chain(in.mesh, in.budget);
  const auto small = in.target.triangles_of({FindingKind::sliver_patch, FindingKind::tiny_patch});
  if (in.target.has(FindingKind::split_patch) || in.target.findings.empty()) {
    chain.add(join_planes(chain.now().mesh, {}, chain.budget()));
  }
  if (!small.empty()) {
    // The planes kept the triangles as they were.
    chain.add(absorb_patches(chain.now().mesh, small, chain.budget(), in.progress));
  }
  if (in.settings.flag("vertices").value_or(false)) {
    chain.add(drop_superfluous_vertices(chain.now().mesh, {}, chain.budget(), in.progress));
  }
  return chain.take();
}

}  // namespace

constinit const RemedyInfo absorb = {
    .slug = "absorb",
    .what = "small patches and needless divisions go into their neighbours",
    .settings = kAbsorbSettings,
    .run = run_absorb};

}  // namespace aguja::remedies
