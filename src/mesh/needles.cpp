#include "mesh/needles.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"

namespace aguja {
namespace {

// So much longer than high.
constexpr double kSlimness = 16;
constexpr std::size_t kFewNeedles = 2000;
// Of so many that are asked, the boxes of so many others on average are worth it.
constexpr std::size_t kAskedNeedles = 64, kManyBoxes = 400;
// What the distance between two sides may be off by, against their lengths.
constexpr double kSideRounding = 1e-6;

struct NeedleSide {
  Point from, to;
  double length, height;
};

std::optional<NeedleSide> needle_side(const Welded& mesh, std::uint32_t t) {
  const Triangle& c = mesh.triangle({t});
  if (has_equal_corners(c)) return std::nullopt;
  NeedleSide side{};
  for (std::size_t k = 0; k < 3; ++k) {
    const Point &p = mesh.point(c[k]), &q = mesh.point(c[(k + 1) % 3]);
    const double length = (q - p).norm();
    if (length > side.length) side = {p, q, length, 0};
  }
  if (!(side.length > 0) || !std::isfinite(side.length)) return std::nullopt;
  const Point& a = mesh.point(c[0]);
  side.height =
      ((mesh.point(c[1]) - a) / side.length).cross((mesh.point(c[2]) - a) / side.length).norm() *
      side.length;
  if (!(kSlimness * side.height < side.length)) return std::nullopt;
  return side;
}

// By number; none if they are not worth it.
std::vector<std::uint32_t> crowded_needles(const Welded& mesh, const BoxTree& tree) {
  auto found = parallel_collect<std::uint32_t>(mesh.triangles().size(), std::size_t{1} << 13,
                                               [&](Range r, std::vector<std::uint32_t>& out) {
                                                 for (std::size_t i = r.begin; i < r.end; ++i) {
                                                   const auto t = static_cast<std::uint32_t>(i);
                                                   if (needle_side(mesh, t)) out.push_back(t);
                                                 }
                                               });
  if (found.size() < kFewNeedles) return {};
  std::size_t met = 0;
  for (std::size_t i = 0; i < kAskedNeedles; ++i) {
    Box box;
    for (const VertexId v : mesh.triangle({found[i * found.size() / kAskedNeedles]}).corner) {
      box.extend(mesh.point(v));
    }
    tree.for_each_meeting(FloatBox(box), [&](std::uint32_t) { ++met; });
  }
  if (met < kAskedNeedles * kManyBoxes) return {};
  return found;
}

}  // namespace

bool Needles::are_in(const Welded& mesh, const BoxTree& tree) {
  return !crowded_needles(mesh, tree).empty();
}

Needles::Needles(const Welded& mesh, const BoxTree& tree, std::span<const std::uint32_t> crowd_of) {
  const std::vector<std::uint32_t> found = crowded_needles(mesh, tree);
  if (found.empty()) return;
  double longest = 0;
  for (const std::uint32_t t : found) {
    const auto side = needle_side(mesh, t);
    list_.push_back({side->from, side->to, side->height + kSideRounding * side->length, t,
                     crowd_of.empty() ? BoxTree::kNone : crowd_of[t], 0});
    longest = std::max(longest, side->length);
  }
  // Each group four times as high as the one before.
  for (Needle& n : list_) {
    const double steps = std::log2(n.reach / (kSideRounding * longest)) / 2;
    n.group = static_cast<std::size_t>(std::max(0.0, std::floor(steps)));
  }
  std::stable_sort(list_.begin(), list_.end(),
                   [](const Needle& a, const Needle& b) { return a.group < b.group; });
  groups_.resize(list_.back().group + 1);
  for (std::size_t begin = 0, end = 0; begin < list_.size(); begin = end) {
    Group& group = groups_[list_[begin].group];
    group.first = static_cast<std::uint32_t>(begin);
    std::vector<CapsuleTree::Segment> segments;
    for (; end < list_.size() && list_[end].group == list_[begin].group; ++end) {
      const Needle& n = list_[end];
      group.reach = std::max(group.reach, n.reach);
      segments.push_back({n.from, n.to, n.crowd, {CapsuleTree::kNone, CapsuleTree::kNone}});
    }
    group.tree = CapsuleTree(segments);
  }
}

}  // namespace aguja
