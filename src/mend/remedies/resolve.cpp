#include "aguja/mend/resolve.h"

#include "aguja/mend/remedy.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kResolveSettings[] = {
    {"nested", SettingType::word,
     "cavity, merged: what a closed shell in the material is that faces as what is around it"},
    {"accept_negative", SettingType::flag,
     "space that the surface winds around backwards is empty"}};

Change run_resolve(const RemedyInput& in) {
  ResolveOptions options;
  options.round_to_float = in.round_to_float;
  options.crack_tolerance = in.tolerance;
  options.accept_negative = in.settings.flag("accept_negative").value_or(false);
  if (const auto nested = in.settings.word("nested")) {
    if (*nested == "cavity") {
      options.nested = Nested::cavity;
    } else if (*nested == "merged") {
      options.nested = Nested::merged;
    } else {
      in.settings.fail("'nested' is cavity or merged, not '" + *nested + "'");
    }
  }
  return aguja::resolve(in.mesh, options, in.budget, in.progress);
}

}  // namespace

constinit const RemedyInfo resolve = {
    .slug = "resolve",
    .what = "crossings, overlaps and walls inside become one clean boundary of the part",
    .settings = kResolveSettings,
    .keeps_material = true,
    .run = run_resolve};

}  // namespace aguja::remedies
