#include "aguja/solid/offset_model.h"

#include <algorithm>
#include <array>

namespace aguja {
namespace {

constexpr std::array<std::string_view, 3> kOffsetSides = {"in", "out", "both"};

}  // namespace

std::string_view slug(OffsetSide side) { return kOffsetSides.at(static_cast<std::size_t>(side)); }

std::optional<OffsetSide> parse_offset_side(std::string_view slug) {
  for (std::size_t i = 0; i < kOffsetSides.size(); ++i) {
    if (kOffsetSides[i] == slug) return static_cast<OffsetSide>(i);
  }
  return std::nullopt;
}

std::vector<std::string> offset_patch_names(const std::vector<std::string>& names,
                                            std::uint32_t patches) {
  std::vector<std::string> added;
  for (std::uint32_t p = 0; p < patches; ++p) {
    const std::string name = p < names.size() ? names[p] : std::string();
    added.push_back(name.empty() ? "offset" : name + " offset");
  }
  added.emplace_back("rim");
  return added;
}

OffsetModel offset_model(const Model& model, double thickness, const OffsetOptions& options,
                         Progress* progress) {
  OffsetModel out;
  out.model.unit = model.unit;
  out.model.unit_assumed = model.unit_assumed;
  out.model.notes = model.notes;
  out.model.lost = model.lost;
  bool has_problem = false;
  for (const Part& part : model.parts) {
    OffsetResult result = offset_surface(part.mesh(), thickness, options, progress);
    out.rounding.rounds = std::max(out.rounding.rounds, result.rounding.rounds);
    out.rounding.moved = std::max(out.rounding.moved, result.rounding.moved);
    out.rounding.points += result.rounding.points;
    out.rounding.crossing += result.rounding.crossing;
    has_problem |= !result.problem.empty();
    out.walls.push_back({part.name, result.was_closed, result.problem, result.place,
                         result.thickness, std::move(result.thin), result.thin_places});
    if (!result.problem.empty()) continue;
    PartDraft draft;
    draft.name = part.name;
    draft.patch_names = part.patch_names();
    // What had no patches is one, named as the part.
    if (draft.patch_names.empty() && part.mesh().patch_of.empty()) draft.patch_names = {part.name};
    draft.patch_names.resize(result.patches);
    const auto added = offset_patch_names(draft.patch_names, result.patches);
    draft.patch_names.insert(draft.patch_names.end(), added.begin(), added.end());
    draft.mesh = std::move(result.mesh);
    out.model.parts.emplace_back(std::move(draft));
  }
  if (has_problem) out.model.parts.clear();
  return out;
}

WallThickness total(std::span<const PartWall> walls) {
  WallThickness all;
  for (const PartWall& w : walls) {
    const WallThickness& own = w.thickness;
    if (own.asked == 0) continue;
    if (all.asked == 0 || own.least < all.least) all.least = own.least, all.at_least = own.at_least;
    if (own.largest > all.largest) all.largest = own.largest, all.at_largest = own.at_largest;
    all.asked = own.asked;
    all.mean += own.area * own.mean;
    all.kept += own.area * own.kept;
    all.area += own.area;
  }
  if (all.area > 0) {
    all.mean /= all.area;
    all.kept /= all.area;
  }
  return all;
}

}  // namespace aguja
