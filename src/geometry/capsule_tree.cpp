#include "aguja/geometry/capsule_tree.h"

#include "base/parallel_algorithms.h"
#include "geometry/widest_split.h"

namespace aguja {
namespace {

double squared_distance_to(const Point& p, const Point& from, const Vector& along, double squared) {
  const Vector to_p = p - from;
  const double t = squared > 0 ? std::clamp(along.dot(to_p) / squared, 0.0, 1.0) : 0.0;
  return (to_p - t * along).squaredNorm();
}

// What rounding may take from a distance, by the magnitude of the coordinates; and what nearly
// parallel segments may, by their length.
constexpr double kCapsuleRounding = 0x1p-48;
constexpr double kNearlyParallel = 1e-7;

double magnitude(const Point& a, const Point& b) {
  return std::max(a.cwiseAbs().maxCoeff(), b.cwiseAbs().maxCoeff());
}

void put(BoxTree::Boxes& boxes, std::size_t at, const FloatBox& box) {
  for (std::size_t k = 0; k < 3; ++k) {
    boxes.low[k][at] = box.low[k];
    boxes.high[k][at] = box.high[k];
  }
}

std::uint32_t common_of(std::uint32_t a, std::uint32_t b) {
  return a == b ? a : CapsuleTree::kNone;
}

}  // namespace

double squared_distance(const Point& p, const Point& q, const Point& r, const Point& s) {
  const Vector u = q - p, v = s - r, w = p - r;
  const double uu = u.squaredNorm(), vv = v.squaredNorm(), uv = u.dot(v);
  const double uw = u.dot(w), vw = v.dot(w);
  double least = std::min({squared_distance_to(p, r, v, vv), squared_distance_to(q, r, v, vv),
                           squared_distance_to(r, p, u, uu), squared_distance_to(s, p, u, uu)});
  const double determinant = uu * vv - uv * uv;
  if (determinant > 0) {
    // Where the lines are nearest, if that is within both.
    const double x = (uv * vw - vv * uw) / determinant;
    const double y = (uu * vw - uv * uw) / determinant;
    if (x >= 0 && x <= 1 && y >= 0 && y <= 1) {
      least = std::min(least, (w + x * u - y * v).squaredNorm());
    }
  }
  return least;
}

// Where a segment is and how it runs, whichever way.
struct CapsuleTree::Key {
  std::array<double, 6> at;
  std::uint32_t item;
};

// The boxes of both ends of all segments below a node.
struct CapsuleTree::Ends {
  Box from, to;
  Common common;

  void extend(const Ends& other) {
    const Vector own = to.center() - from.center();
    const bool against = own.dot(other.to.center() - other.from.center()) < 0;
    from.extend(against ? other.to : other.from);
    to.extend(against ? other.from : other.to);
    common.along.extend(other.common.along);
    common.group = common_of(common.group, other.common.group);
    const auto [a, b] = common.ends;
    const auto has = [&](std::uint32_t v) {
      return v != kNone && (v == other.common.ends[0] || v == other.common.ends[1]);
    };
    common.ends = {has(a) ? a : kNone, has(b) ? b : kNone};
  }
};

CapsuleTree::CapsuleTree(std::span<const Segment> segments) {
  if (segments.empty()) return;
  Array<Key> keys(segments.size());
  segments_.resize(segments.size());
  parallel_ranges(segments.size(), std::size_t{1} << 13, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      const Point &a = segments[i].from, &b = segments[i].to;
      segments_[i] = {a, b};
      const Point middle = 0.5 * a + 0.5 * b;
      Vector half = 0.5 * b - 0.5 * a;
      Eigen::Index largest = 0;
      half.cwiseAbs().maxCoeff(&largest);
      if (half[largest] < 0) half = -half;
      keys[i] = {{middle[0], middle[1], middle[2], half[0], half[1], half[2]},
                 static_cast<std::uint32_t>(i)};
    }
  });
  const auto leaves = static_cast<std::uint32_t>((segments.size() + kLeaf - 1) / kLeaf);
  nodes_.resize(2 * std::size_t{leaves} - 1);
  items_.resize(segments.size());
  boxes_.resize(leaves);
  build({keys.data(), keys.size()}, segments, 0, 0, leaves);
}

CapsuleTree::Ends CapsuleTree::build(std::span<Key> keys, std::span<const Segment> segments,
                                     std::uint32_t node, std::uint32_t first,
                                     std::uint32_t leaves) {
  Ends ends;
  if (leaves == 1) {
    // What fills up the last leaf meets nothing.
    FloatBox none;
    none.low.fill(std::numeric_limits<float>::quiet_NaN());
    none.high = none.low;
    for (std::size_t k = keys.size(); k < kLeaf; ++k) put(boxes_[first], k, none);
    for (std::size_t k = 0; k < keys.size(); ++k) {
      items_[first * kLeaf + k] = keys[k].item;
      const Segment& s = segments[keys[k].item];
      const Vector along = (s.to - s.from).stableNormalized();
      const Ends own = {
          {s.from, s.from}, {s.to, s.to}, {FloatBox(Box{along, along}), s.group, s.ends}};
      Box box = own.from;
      box.extend(s.to);
      put(boxes_[first], k, FloatBox(box));
      if (k == 0) {
        ends = own;
      } else {
        ends.extend(own);
      }
    }
  } else {
    const std::uint32_t half = leaves / 2;
    const std::size_t middle = std::size_t{half} * kLeaf;
    split_at_widest(keys, middle);
    Ends beyond;
    const auto build_left = [&] {
      ends = build(keys.first(middle), segments, node + 1, first, half);
    };
    const auto build_right = [&] {
      beyond = build(keys.subspan(middle), segments, node + 2 * half, first + half, leaves - half);
    };
    if (leaves > 1024) {
      parallel_invoke(build_left, build_right);
    } else {
      build_left();
      build_right();
    }
    ends.extend(beyond);
  }
  const double radius = 0.5 * std::max(ends.from.diagonal(), ends.to.diagonal());
  const Point from = ends.from.center(), to = ends.to.center();
  Box box = ends.from;
  box.extend(ends.to);
  constexpr double kSlim = 0.25;
  nodes_[node] = {FloatBox(box),
                  from,
                  to,
                  radius + kCapsuleRounding * (radius + magnitude(from, to)),
                  radius < kSlim * (to - from).norm(),
                  ends.common,
                  first,
                  leaves};
  return ends;
}

double CapsuleTree::squared_bound(const Node& node, const Point& p, double limit) const {
  const double by_box = node.box.squared_distance(p);
  if (by_box > limit || !node.slim) return by_box;
  const Vector along = node.to - node.from;
  const double apart = std::sqrt(squared_distance_to(p, node.from, along, along.squaredNorm())) -
                       node.radius - kCapsuleRounding * p.cwiseAbs().maxCoeff();
  return apart > 0 ? std::max(by_box, apart * apart) : by_box;
}

FloatBox CapsuleTree::around(const Point& p, const Point& q, double reach) {
  Box box;
  box.extend(p);
  box.extend(q);
  box.low.array() -= reach;
  box.high.array() += reach;
  return FloatBox(box);
}

bool CapsuleTree::may_be_near(const Node& node, const Point& p, const Point& q,
                              double reach) const {
  const double limit = reach + node.radius + kCapsuleRounding * magnitude(p, q) +
                       kNearlyParallel * ((node.to - node.from).norm() + (q - p).norm());
  return squared_distance(p, q, node.from, node.to) <= limit * limit;
}

}  // namespace aguja
