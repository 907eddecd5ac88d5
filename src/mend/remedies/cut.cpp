#include "aguja/mend/cut_away.h"
#include "aguja/mend/remedy.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kCutSettings[] = {
    {"x", SettingType::length, "where: a plane square to an axis"},
    {"y", SettingType::length, "likewise"},
    {"z", SettingType::length, "likewise"},
    {"through", SettingType::point, "or a plane through this point"},
    {"normal", SettingType::point, "with this normal"},
    {"corners", SettingType::points, "or a box, by two corners"},
    {"outline", SettingType::points, "or a closed outline, by its points in order"},
    {"along", SettingType::point, "swept this way; square to its plane if left out"},
    {"keep", SettingType::word,
     "below, above (a plane); inside, outside (a box or an outline); both: divided only"},
    {"may_bare", SettingType::flag, "what is cut stays open"}};

Cutter cutter_of(const RemedyInput& in) {
  const SettingReader& read = in.settings;
  for (const int axis : {0, 1, 2}) {
    const std::string key(1, static_cast<char>('x' + axis));
    const auto at = read.number(key);
    if (!at) continue;
    CutPlane plane{Point::Zero(), Vector::Unit(axis)};
    plane.through[axis] = *at;
    return {key + "=" + shortest(*at), plane, 0};
  }
  const auto through = read.point("through"), normal = read.point("normal");
  if (through && normal && !normal->isZero(0)) return {"a plane", CutPlane{*through, *normal}, 0};
  if (const std::vector<Point> corners = read.points("corners"); corners.size() == 2) {
    Box box;
    for (const Point& p : corners) box.extend(p);
    if (((box.high - box.low).array() > 0).all()) return {"a box", body_of(box), 0};
  }
  if (const std::vector<Point> outline = read.points("outline"); !outline.empty()) {
    const auto along = read.point("along");
    try {
      return outline_cutter(outline, along, box_of(in.mesh));
    } catch (const ArgumentError& e) {
      read.fail(e.what());
    }
  }
  read.fail("cut needs x, y or z; through and normal; corners (two, of a box); or outline");
}

Change run_cut(const RemedyInput& in) {
  const Cutter cutter = cutter_of(in);
  const std::string keep = in.settings.word("keep").value_or("both");
  const auto sides = parse_kept_sides(keep, std::span(&cutter, 1));
  if (!sides) {
    in.settings.fail("'keep' is both, " + std::string(cutter.side_name(0)) + " or " +
                     std::string(cutter.side_name(1)) + ", not '" + keep + "'");
  }
  CutOptions options;
  options.capped = !in.settings.flag("may_bare").value_or(false);
  options.most_moved = in.budget.distance;
  options.to_float = in.round_to_float;
  return cut_away(in.mesh, cutter, *sides, options, in.budget, in.progress);
}

}  // namespace

constinit const RemedyInfo cut = {
    .slug = "cut",
    .what =
        "what lies on one side of a plane, a box or an outline is cut away, or the surface is "
        "divided there",
    .settings = kCutSettings,
    .may_worsen = MayWorsen::edges_if_told,
    .run = run_cut};

}  // namespace aguja::remedies
