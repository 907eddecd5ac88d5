#include "aguja/mend/remedy.h"
#include "aguja/mend/thicken.h"
#include "aguja/solid/offset_model.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kOffsetSettings[] = {
    {"thickness", SettingType::length, "of the wall; needed"},
    {"side", SettingType::word, "in, out, both: where the new skin lies; in if left out"},
    {"mitre", SettingType::number,
     "sharper corners than this, in thicknesses to the mitre's point, are bevelled; 2 if left "
     "out"}};

Change run_offset(const RemedyInput& in) {
  const auto thickness = in.settings.number("thickness");
  if (!thickness || !(*thickness > 0)) in.settings.fail("offset needs a thickness of more than 0");
  OffsetOptions options;
  if (const auto side = in.settings.word("side")) {
    const auto parsed = parse_offset_side(*side);
    if (!parsed) in.settings.fail("'side' is in, out or both, not '" + *side + "'");
    options.side = *parsed;
  }
  if (const auto mitre = in.settings.number("mitre")) {
    constexpr double kLeastMitre = 1.5;
    if (!(*mitre >= kLeastMitre)) in.settings.fail("'mitre' is 1.5 at least");
    options.mitre_limit = *mitre;
  }
  options.to_float = in.round_to_float;
  return thicken(in.mesh, *thickness, options, in.budget, in.progress);
}

}  // namespace

constinit const RemedyInfo offset = {.slug = "offset",
                                     .what = "a sheet gets a thickness, a solid becomes hollow",
                                     .settings = kOffsetSettings,
                                     .movement = CountsAsMovement::nothing,
                                     .run = run_offset};

}  // namespace aguja::remedies
