#pragma once
/// \file
/// Parts among each other: which of them fill the same space, lie in each other, or touch.

#include <cstdint>
#include <optional>
#include <string_view>
#include <vector>

#include "aguja/base/progress.h"
#include "aguja/model/model.h"

namespace aguja {

enum class PartRelation : std::uint8_t {
  crossing,   ///< their surfaces pass through each other, or both fill some space
  identical,  ///< the same body twice, or nearer to it than the tolerance all over
  inside,     ///< the first lies in the material of the second
  touching,   ///< nearer to each other than the tolerance, and neither of the above
};
[[nodiscard]] std::string_view slug(PartRelation relation);

/// Two parts that are not simply apart. Lengths are in the model's unit.
struct PartPair {
  std::size_t first = 0, second = 0;  ///< parts by number, the lower first unless `inside`
  PartRelation relation{};
  std::optional<double> volume;  ///< that both fill, where both are solids
  /// The largest distance found of the surface of one, inside the other, from the other's surface.
  std::optional<double> depth;
  double area = 0;  ///< `touching`: what faces the other within the tolerance
  /// Up to here surfaces are taken to touch: a millionth of the parts' size or coordinates, or what
  /// facets of surfaces may be off, that of both together.
  double tolerance = 0;
  Box box;  ///< where their boxes meet
};

/// Pairs that are not apart, worst first; a part in the cavity of another is apart. `is_solid`, by
/// part: whose inside is known.
///
/// Decides  Who passes through whom exactly, see `common_space`; what goes no deeper than the
///          tolerance (by volume over area, and at vertices, middles of edges and of triangles) is
///          contact. Of two parts of which neither is a solid, only whether they are identical is
///          looked at: their surfaces may be faces of one body.
/// Cost     A tree over the boxes of parts; for pairs whose boxes meet, trees over their triangles
///          and O((n + k) log n) for n of them there and k that meet.
/// Errors   Cancelled.
[[nodiscard]] std::vector<PartPair> relate_parts(const Model& model,
                                                 const std::vector<bool>& is_solid,
                                                 Progress* progress = nullptr);

}  // namespace aguja
