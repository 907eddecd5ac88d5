#pragma once
/// \file
/// All parts of a model given a thickness.

#include <string>
#include <vector>

#include "aguja/model/model.h"
#include "aguja/solid/offset.h"

namespace aguja {

/// `in`, `out`, `both`.
[[nodiscard]] std::string_view slug(OffsetSide side);
[[nodiscard]] std::optional<OffsetSide> parse_offset_side(std::string_view slug);

/// What became of one part.
struct PartWall {
  std::string part;
  bool was_closed = false;
  std::string problem;  ///< why nothing was made of it; empty if something was
  Point place = Point::Zero();
  WallThickness thickness;  ///< not with `whole`
  std::vector<ThinPlace> thin;
  std::size_t thin_places = 0;
};

struct OffsetModel {
  Model model;  ///< without parts if any of them has a problem
  std::vector<PartWall> walls;
  RoundingReport rounding;
};

/// Each part by itself. The new skin over a patch is called as it and `offset`, what closes rims `rim`.
///
/// Promises, errors  As `offset_surface`.
[[nodiscard]] OffsetModel offset_model(const Model& model, double thickness,
                                       const OffsetOptions& options = {},
                                       Progress* progress = nullptr);

/// Names of the patches that `offset_surface` adds to those of a part, in their order.
[[nodiscard]] std::vector<std::string> offset_patch_names(const std::vector<std::string>& names,
                                                          std::uint32_t patches);

/// Of all walls together.
[[nodiscard]] WallThickness total(std::span<const PartWall> walls);

}  // namespace aguja
