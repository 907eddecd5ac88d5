#include <array>

#include "aguja/mend/remedy.h"

namespace aguja {
namespace {

namespace remedy_table {
using enum SettingType;

constexpr SettingInfo kWeld[] = {
    {"tolerance", length, "vertices of rims nearer than this become one, too; 0 if left out"}};
constexpr SettingInfo kStitch[] = {
    {"tolerance", length, "the widest crack that is joined; the budget if left out"},
    {"steps", number, "the tolerance grows in so many steps"}};
constexpr SettingInfo kGaps[] = {
    {"method", word, "auto, move (both sides meet), strip (triangles between)"},
    {"width", length, "the widest gap that is closed; what the finding says if left out"}};
constexpr SettingInfo kFill[] = {
    {"method", word, "auto, flat, extend, fair, crease, ruled, taut"},
    {"tolerance", length, "how far a rim may be off a plane to be flat; the budget if left out"},
    {"least_size", length, "smaller openings are left"},
    {"largest_size", length, "larger openings are left"},
    {"start", point, "ruled: where the first line begins"},
    {"other_start", point, "ruled: where it ends"},
    {"reverse", flag, "ruled: the second rim runs the other way round"},
    {"refine", flag, "divide until triangles are as large as those around; true if left out"}};
constexpr SettingInfo kCollapse[] = {
    {"short_edge", length, "edges that are shorter are contracted although no triangle is bad"}};
constexpr SettingInfo kOrient[] = {{"cavities", flag, "closed shells inside others are cavities"}};
constexpr SettingInfo kDrop[] = {
    {"may_bare", flag, "edges may be bared: openings are made on purpose"},
    {"whole_shell", flag, "all that hangs together with the triangles goes"}};
constexpr SettingInfo kAbsorb[] = {
    {"vertices", flag, "superfluous vertices in planes and on straight edges, too"}};
constexpr SettingInfo kMove[] = {{"at", points, "vertices, each by the nearest to a point"},
                                 {"by", point, "how far they all go"},
                                 {"to", points, "or where each goes"}};
constexpr SettingInfo kJoin[] = {{"at", points, "vertices, each by the nearest to a point"},
                                 {"to", point, "where they become one; their middle if left out"}};
constexpr SettingInfo kAdd[] = {
    {"at", points, "its three corners, counter-clockwise from outside"}};
constexpr SettingInfo kBridge[] = {
    {"at", points, "the ends of the first edge, then of the second"}};
constexpr SettingInfo kCopy[] = {{"from", point, "a point that is taken"},
                                 {"to", point, "to this one"},
                                 {"through", point, "or mirrored at a plane through this point"},
                                 {"normal", point, "with this normal"},
                                 {"offset", length, "or as the far side of a wall so thick"}};

constexpr std::array<RemedyInfo, 21> kRemedies = {{
    {Remedy::weld, "weld", "equal points, and near ones on rims, become one", true, false, kWeld},
    {Remedy::stitch, "stitch", "cracks are joined", true, false, kStitch},
    {Remedy::close_gaps, "close-gaps", "both sides of a gap meet, or a strip is put between", true,
     false, kGaps},
    {Remedy::fill, "fill", "an opening gets the surface that is missing", true, false, kFill},
    {Remedy::collapse, "collapse", "edges are contracted and flipped until bad triangles are gone",
     true, false, kCollapse},
    {Remedy::orient, "orient", "faces are turned the right way", true, false, kOrient},
    {Remedy::drop, "drop", "what should not be there goes", true, false, kDrop},
    {Remedy::absorb, "absorb", "small patches and needless divisions go into their neighbours",
     true, false, kAbsorb},
    {Remedy::refit, "refit", "triangles are deleted and the opening filled, as one step", true,
     false, kFill},
    {Remedy::move, "move", "vertices are moved", true, true, kMove},
    {Remedy::join, "join", "vertices become one", true, true, kJoin},
    {Remedy::turn, "turn", "triangles are turned over", true, true, {}},
    {Remedy::delete_, "delete", "triangles are deleted", true, true, {}},
    {Remedy::add, "add", "a triangle is added", true, true, kAdd},
    {Remedy::bridge, "bridge", "two naked edges are joined by triangles", true, true, kBridge},
    {Remedy::copy, "copy", "triangles are copied, moved, mirrored or at an offset", true, true,
     kCopy},
    {Remedy::resolve,
     "resolve",
     "crossings and overlaps become one clean boundary",
     false,
     false,
     {}},
    {Remedy::cut, "cut", "the model is divided", false, false, {}},
    {Remedy::offset, "offset", "a sheet gets a thickness", false, false, {}},
    {Remedy::refine, "refine", "better triangles within a stated deviation", false, false, {}},
    {Remedy::wrap, "wrap", "a closed surface around what cannot be mended", false, false, {}},
}};
}  // namespace remedy_table
using remedy_table::kRemedies;

}  // namespace

std::span<const RemedyInfo> all_remedies() { return kRemedies; }
const RemedyInfo& info(Remedy remedy) { return kRemedies.at(static_cast<std::size_t>(remedy)); }
std::string_view slug(Remedy remedy) { return info(remedy).slug; }
std::optional<Remedy> parse_remedy(std::string_view slug) {
  for (const RemedyInfo& r : kRemedies) {
    if (r.slug == slug) return r.remedy;
  }
  return std::nullopt;
}

}  // namespace aguja
