#include "aguja/mesh/zero_area.h"

#include <array>

#include "aguja/base/parallel.h"
#include "aguja/geometry/predicates.h"

namespace aguja {
namespace {

ZeroAreaShape shape_of(const Triangle& t) {
  if (t[0] == t[1] && t[1] == t[2]) return ZeroAreaShape::point;
  return has_equal_corners(t) ? ZeroAreaShape::needle : ZeroAreaShape::cap;
}

}  // namespace

std::string_view slug(ZeroAreaShape shape) {
  constexpr std::array<std::string_view, 3> kSlugs = {"point", "needle", "cap"};
  return kSlugs.at(static_cast<std::size_t>(shape));
}

std::vector<ZeroAreaTriangle> find_zero_area(const Welded& mesh) {
  return parallel_collect<ZeroAreaTriangle>(
      mesh.triangles().size(), std::size_t{1} << 14,
      [&](Range r, std::vector<ZeroAreaTriangle>& out) {
        for (std::size_t i = r.begin; i < r.end; ++i) {
          const Triangle& t = mesh.triangles()[i];
          if (has_equal_corners(t) ||
              is_collinear(mesh.point(t[0]), mesh.point(t[1]), mesh.point(t[2]))) {
            out.push_back({{static_cast<std::uint32_t>(i)}, shape_of(t)});
          }
        }
      });
}

}  // namespace aguja
