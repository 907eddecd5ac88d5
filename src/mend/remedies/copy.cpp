#include "aguja/mend/by_hand.h"

#include "aguja/mend/remedy.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kCopySettings[] = {
    {"from", SettingType::point, "a point that is taken"},
    {"to", SettingType::point, "to this one"},
    {"through", SettingType::point, "or mirrored at a plane through this point"},
    {"normal", SettingType::point, "with this normal"},
    {"offset", SettingType::length, "or as the far side of a wall so thick"}};

Change run_copy(const RemedyInput& in) {
  const SettingReader& read = in.settings;
  if (const auto distance = read.number("offset")) {
    return copy_at_offset(in.mesh, in.target.triangles, *distance, in.budget);
  }
  const auto from = read.point("from"), to = read.point("to");
  const auto through = read.point("through"), normal = read.point("normal");
  if (from && to) return copy_patch(in.mesh, in.target.triangles, moving(*from, *to), in.budget);
  if (through && normal && normal->norm() > 0) {
    return copy_patch(in.mesh, in.target.triangles, mirroring(*through, *normal), in.budget);
  }
  read.fail("copy needs from and to, through and normal, or offset");
}

}  // namespace

constinit const RemedyInfo copy = {.slug = "copy",
                                   .what = "triangles are copied, moved, mirrored or at an offset",
                                   .settings = kCopySettings,
                                   .may_worsen = MayWorsen::anything,
                                   .movement = CountsAsMovement::recorded,
                                   .needs_selection = true,
                                   .run = run_copy};

}  // namespace aguja::remedies
