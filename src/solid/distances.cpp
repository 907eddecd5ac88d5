#include "aguja/solid/distances.h"

#include <algorithm>
#include <array>
#include <cmath>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/distance.h"

namespace aguja {
namespace {

using Corners = std::array<Point, 3>;

Corners corners_of(const TriangleSet& set, std::size_t i) {
  const Triangle& t = set.mesh->triangle(set.triangles[i]);
  return {set.mesh->point(t[0]), set.mesh->point(t[1]), set.mesh->point(t[2])};
}

Box box_of_corners(const Corners& c) {
  Box box;
  for (const Point& p : c) box.extend(p);
  return box;
}

BoxTree tree_of(const TriangleSet& set) {
  Array<FloatBox> boxes;
  for (std::size_t i = 0; i < set.triangles.size(); ++i) {
    boxes.push_back(FloatBox(box_of_corners(corners_of(set, i))));
  }
  return BoxTree(std::move(boxes));
}

// Nearest places of two segments.
Distance between_segments(const Point& p, const Point& p2, const Point& q, const Point& q2) {
  const Vector u = p2 - p, v = q2 - q, r = p - q;
  const double a = u.squaredNorm(), e = v.squaredNorm(), f = v.dot(r), c = u.dot(r);
  double s = 0;
  double t = 0;
  if (a > 0 && e > 0) {
    const double b = u.dot(v);
    const double denominator = a * e - b * b;
    s = denominator > 0 ? std::clamp((b * f - c * e) / denominator, 0.0, 1.0) : 0.0;
    t = (b * s + f) / e;
    if (t < 0) {
      t = 0;
      s = std::clamp(-c / a, 0.0, 1.0);
    } else if (t > 1) {
      t = 1;
      s = std::clamp((b - c) / a, 0.0, 1.0);
    }
  } else if (a > 0) {
    s = std::clamp(-c / a, 0.0, 1.0);
  } else if (e > 0) {
    t = std::clamp(f / e, 0.0, 1.0);
  }
  return {p + s * u, q + t * v};
}

// Where the segment passes through the triangle, if it does.
std::optional<Point> piercing(const Point& p, const Point& q, const Corners& t) {
  const Vector n = (t[1] - t[0]).cross(t[2] - t[0]);
  const double dp = n.dot(p - t[0]), dq = n.dot(q - t[0]);
  if (!(dp * dq < 0)) return std::nullopt;
  const Point at = p + dp / (dp - dq) * (q - p);
  for (std::size_t k = 0; k < 3; ++k) {
    if ((t[(k + 1) % 3] - t[k]).cross(at - t[k]).dot(n) < 0) return std::nullopt;
  }
  return at;
}

void check(const TriangleSet& set) {
  if (set.triangles.empty()) throw ArgumentError("a patch without triangles cannot be measured");
}

}  // namespace

Distance nearest_places(const Corners& a, const Corners& b) {
  Distance best;
  double least = std::numeric_limits<double>::infinity();
  const auto consider = [&](const Distance& d) {
    const double squared = d.components().squaredNorm();
    if (squared < least) {
      least = squared;
      best = d;
    }
  };
  for (std::size_t i = 0; i < 3; ++i) {
    consider({a[i], closest_point(a[i], b[0], b[1], b[2])});
    consider({closest_point(b[i], a[0], a[1], a[2]), b[i]});
    for (std::size_t k = 0; k < 3; ++k) {
      consider(between_segments(a[i], a[(i + 1) % 3], b[k], b[(k + 1) % 3]));
    }
    if (const auto at = piercing(a[i], a[(i + 1) % 3], b)) return {*at, *at};
    if (const auto at = piercing(b[i], b[(i + 1) % 3], a)) return {*at, *at};
  }
  return best;
}

Distance nearest_places(const TriangleSet& a, const TriangleSet& b) {
  check(a);
  check(b);
  const BoxTree tree = tree_of(b);
  Distance best = nearest_places(corners_of(a, 0), corners_of(b, 0));
  for (std::size_t i = 0; i < a.triangles.size(); ++i) {
    const Corners own = corners_of(a, i);
    // A first answer near this triangle keeps the box small.
    const std::uint32_t near =
        tree.nearest(own[0], best.components().squaredNorm(), [&](std::uint32_t k) {
          const Corners other = corners_of(b, k);
          return (closest_point(own[0], other[0], other[1], other[2]) - own[0]).squaredNorm();
        });
    if (near != BoxTree::kNone) {
      const Distance d = nearest_places(own, corners_of(b, near));
      if (d.value() < best.value()) best = d;
    }
    Box around = box_of_corners(own);
    around.low -= Vector::Constant(best.value());
    around.high += Vector::Constant(best.value());
    tree.for_each_meeting(FloatBox(around), [&](std::uint32_t k) {
      const Distance d = nearest_places(own, corners_of(b, k));
      if (d.value() < best.value()) best = d;
    });
    if (best.value() == 0) break;
  }
  return best;
}

Distance nearest_place(const Point& p, const TriangleSet& set) {
  check(set);
  const BoxTree tree = tree_of(set);
  const auto on = [&](std::uint32_t k) {
    const Corners c = corners_of(set, k);
    return closest_point(p, c[0], c[1], c[2]);
  };
  const std::uint32_t near =
      tree.nearest(p, std::numeric_limits<double>::infinity(),
                   [&](std::uint32_t k) { return (on(k) - p).squaredNorm(); });
  return {p, on(near == BoxTree::kNone ? 0 : near)};
}

std::optional<Thickness> thickness_between(const TriangleSet& a, const TriangleSet& b) {
  check(a);
  check(b);
  const BoxTree tree = tree_of(b);
  Box all = box_of(b.mesh->points());
  all.extend(box_of(a.mesh->points()));
  const double reach = all.diagonal();
  Thickness result;
  result.least = std::numeric_limits<double>::infinity();
  double area_sum = 0;
  double covered = 0;
  for (std::size_t i = 0; i < a.triangles.size(); ++i) {
    const Corners own = corners_of(a, i);
    const Vector cross = (own[1] - own[0]).cross(own[2] - own[0]);
    const double area = 0.5 * cross.norm();
    area_sum += area;
    if (!(area > 0)) continue;
    const Point from = (own[0] + own[1] + own[2]) / 3.0;
    const Point to = from - reach * cross.normalized();
    // The ray in pieces: its box would be most of the model.
    std::optional<Point> hit;
    constexpr int kPieces = 32;
    for (int piece = 0; piece < kPieces && !hit; ++piece) {
      const Point p = from + (to - from) * piece / kPieces;
      const Point q = from + (to - from) * (piece + 1) / kPieces;
      Box box;
      box.extend(p);
      box.extend(q);
      tree.for_each_meeting(FloatBox(box), [&](std::uint32_t k) {
        const auto at = piercing(from, to, corners_of(b, k));
        if (at && (!hit || (*at - from).norm() < (*hit - from).norm())) hit = at;
      });
    }
    if (!hit) continue;
    const double thickness = (*hit - from).norm();
    covered += area;
    result.mean += area * thickness;
    result.largest = std::max(result.largest, thickness);
    if (thickness < result.least) {
      result.least = thickness;
      result.at_least = {from, *hit};
    }
  }
  if (covered == 0) return std::nullopt;
  result.mean /= covered;
  result.covered = covered / area_sum;
  return result;
}

std::optional<double> angle_at(const Point& a, const Point& vertex, const Point& b) {
  const Vector u = a - vertex, v = b - vertex;
  if (u.isZero(0) || v.isZero(0)) return std::nullopt;
  return std::atan2(u.cross(v).norm(), u.dot(v));
}

std::optional<CircleThrough> circle_through(const Point& a, const Point& b, const Point& c) {
  const Vector u = b - a, v = c - a;
  const Vector n = u.cross(v);
  const double squared = n.squaredNorm();
  // Points on a line but for rounding have no circle either: the sine is a few thousand roundings.
  constexpr double kLeastSine = 1e-12;
  if (!(squared > kLeastSine * kLeastSine * u.squaredNorm() * v.squaredNorm())) return std::nullopt;
  const Vector to_center =
      (u.squaredNorm() * v.cross(n) + v.squaredNorm() * n.cross(u)) / (2 * squared);
  return CircleThrough{a + to_center, n.normalized(), to_center.norm()};
}

std::vector<MeasuredRim> measure_rims(const Model& model) {
  std::vector<MeasuredRim> all;
  for (const Part& part : model.parts) {
    const Welded welded(part.mesh());
    const EdgeTable edges(welded.triangles(), welded.points().size());
    const Rims rims(edges);
    const std::size_t first = all.size();
    for (std::size_t i = 0; i < rims.size(); ++i) {
      const Rim rim = rims[i];
      all.push_back({part.name, rim.edges.size(), rim.is_loop(), length(rim, welded.points()),
                     center_of(rim, welded.points()), box_of(rim, welded.points())});
    }
    std::stable_sort(
        all.begin() + static_cast<std::ptrdiff_t>(first), all.end(),
        [](const MeasuredRim& a, const MeasuredRim& b) { return a.length > b.length; });
  }
  return all;
}

PatchCatalogue::PatchCatalogue(const Model& model, Progress* progress) {
  for (const Part& part : model.parts) {
    advance(progress, "patches", 0.0);
    const Welded& welded = welded_.emplace_back(part.mesh());
    const EdgeTable edges(welded.triangles(), welded.points().size());
    const Box box = box_of(welded.points());
    const Patches found =
        patches_of(welded, edges, part.mesh().patch_of,
                   {.fit = fit_for(welded.points(), kFitOfDiagonal * box.diagonal())});
    const std::size_t first = patches_.size();
    for (std::size_t p = 0; p < found.patches.size(); ++p) {
      const bool named = found.from_file && p < part.patch_names().size();
      patches_.push_back({part.name,
                          named ? part.patch_names()[p] : "",
                          found.patches[p],
                          Point::Zero(),
                          {},
                          {&welded, {}}});
    }
    for (std::uint32_t t = 0; t < found.patch_of.size(); ++t) {
      if (found.patch_of[t].value == kNoIndex) continue;
      patches_[first + found.patch_of[t].value].set.triangles.push_back({t});
    }
  }
  for (MeasuredPatch& patch : patches_) {
    for (std::size_t i = 0; i < patch.set.triangles.size(); ++i) {
      patch.box.extend(box_of_corners(corners_of(patch.set, i)));
    }
    double area = 0;
    Vector sum = Vector::Zero();
    for (std::size_t i = 0; i < patch.set.triangles.size(); ++i) {
      const Corners c = corners_of(patch.set, i);
      const double own = 0.5 * (c[1] - c[0]).cross(c[2] - c[0]).norm();
      sum += own * ((c[0] + c[1] + c[2]) / 3.0 - patch.box.center());
      area += own;
    }
    patch.center = area > 0 ? Point(patch.box.center() + sum / area) : patch.box.center();
  }
}

const MeasuredPatch& PatchCatalogue::find(const std::string& name) const {
  for (const MeasuredPatch& p : patches_) {
    if (!p.name.empty() && (p.name == name || p.part + "/" + p.name == name)) return p;
  }
  if (!name.empty() && name.find_first_not_of("0123456789") == std::string::npos &&
      name.size() < 10) {
    const std::size_t number = std::stoul(name);
    if (number < patches_.size()) return patches_[number];
  }
  throw ArgumentError("no patch is called '" + name + "'; there are " +
                      std::to_string(patches_.size()) + ", numbered from 0 (--patches lists them)");
}

}  // namespace aguja
