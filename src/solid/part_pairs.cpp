#include "aguja/solid/part_pairs.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <memory>
#include <tuple>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/geometry/distance.h"
#include "aguja/mesh/triangle_places.h"
#include "aguja/solid/common_space.h"

namespace aguja {
namespace {

TriangleCorners corners_in(const SearchedMesh& mesh, std::uint32_t t) {
  return {mesh.corner(t, 0), mesh.corner(t, 1), mesh.corner(t, 2)};
}

Box box_grown(const Box& box, double by) {
  Box out = box;
  out.low.array() -= by;
  out.high.array() += by;
  return out;
}

// How far facets of the part may be off its surfaces.
double chord_of(const Model& model, const Part& part) {
  double most = 0;
  for (const SurfaceOrigin& own : part.shape()->surfaces) {
    for (const SurfaceSource& source : model.sources) {
      const bool is_its =
          std::find(source.bodies.begin(), source.bodies.end(), own.body) != source.bodies.end();
      if (is_its) most = std::max(most, source.chord * source.to_model);
    }
  }
  return most * (part.placement().is_rigid() ? 1 : part.placement().scale());
}

bool have_same_triangles(const SearchedMesh& a, const SearchedMesh& b) {
  const std::size_t count = a.welded.triangles().size();
  if (count != b.welded.triangles().size()) return false;
  const TrianglePlaces of_a(
      count, [&](std::size_t t) { return corners_in(a, static_cast<std::uint32_t>(t)); });
  for (std::uint32_t t = 0; t < count; ++t) {
    if (!of_a.find(corners_in(b, t))) return false;
  }
  return true;
}

// What is left of a convex polygon where `height` is not negative.
template <class Height>
void keep_where(std::vector<Point>& polygon, const Height& height) {
  std::vector<Point> out;
  for (std::size_t i = 0; i < polygon.size(); ++i) {
    const Point &p = polygon[i], &q = polygon[(i + 1) % polygon.size()];
    const double a = height(p), b = height(q);
    if (a >= 0) out.push_back(p);
    if ((a < 0) != (b < 0) && a != b) out.emplace_back(p + a / (a - b) * (q - p));
  }
  polygon = std::move(out);
}

double polygon_area(const std::vector<Point>& polygon) {
  Vector twice = Vector::Zero();
  for (std::size_t i = 2; i < polygon.size(); ++i) {
    twice += (polygon[i - 1] - polygon[0]).cross(polygon[i] - polygon[0]);
  }
  return 0.5 * twice.norm();
}

// Of `a`: what lies over `b`, facing it, within the tolerance.
double facing_area(const TriangleCorners& a, const TriangleCorners& b, double tolerance) {
  const Vector m = (a[1] - a[0]).cross(a[2] - a[0]);
  Vector n = (b[1] - b[0]).cross(b[2] - b[0]);
  constexpr double kFacing = -0.8;
  if (m.isZero() || n.isZero() || m.dot(n) > kFacing * m.norm() * n.norm()) return 0;
  n.normalize();
  std::vector<Point> polygon(a.begin(), a.end());
  for (std::size_t i = 0; i < 3; ++i) {
    const Vector inward = n.cross(b[(i + 1) % 3] - b[i]);
    keep_where(polygon, [&](const Point& p) { return inward.dot(p - b[i]); });
  }
  keep_where(polygon, [&](const Point& p) { return tolerance + n.dot(p - b[0]); });
  keep_where(polygon, [&](const Point& p) { return tolerance - n.dot(p - b[0]); });
  return polygon_area(polygon);
}

struct Contacts {
  double area = 0;
  bool near = false;  // nearer than the tolerance somewhere
};

Contacts contacts_of(const SearchedMesh& a, const SearchedMesh& b, double tolerance) {
  std::vector<std::uint32_t> triangles;
  a.tree.for_each_meeting(FloatBox(box_grown(b.box, tolerance)),
                          [&](std::uint32_t t) { triangles.push_back(t); });
  std::sort(triangles.begin(), triangles.end());
  constexpr std::size_t kGrain = 64;
  const auto lists = parallel_map(triangles.size(), kGrain, [&](Range r) {
    Contacts out;
    for (std::size_t i = r.begin; i < r.end; ++i) {
      const TriangleCorners own = corners_in(a, triangles[i]);
      const Box box = box_grown(box_of(own), tolerance);
      b.tree.for_each_meeting(FloatBox(box), [&](std::uint32_t u) {
        const TriangleCorners other = corners_in(b, u);
        out.area += facing_area(own, other, tolerance);
        // Of bodies that touch along edges or at points, somewhere a corner is near.
        for (std::size_t k = 0; !out.near && k < 3; ++k) {
          out.near =
              (closest_point(own[k], other[0], other[1], other[2]) - own[k]).norm() <= tolerance ||
              (closest_point(other[k], own[0], own[1], own[2]) - other[k]).norm() <= tolerance;
        }
      });
    }
    return out;
  });
  Contacts all;
  for (const Contacts& one : lists) {
    all.area += one.area;
    all.near = all.near || one.near;
  }
  all.near = all.near || all.area > 0;
  return all;
}

double deepest_of(const std::optional<SurfaceInside>& inside, const SearchedMesh& other) {
  return inside ? depth_of(*inside, other) : 0;
}

class PartRelater {
 public:
  PartRelater(const Model& model, const std::vector<bool>& is_solid)
      : model_(model), is_solid_(is_solid), searched_(model.parts.size()) {
    for (const Part& part : model.parts) {
      // Not smaller than the part: most are apart already so, and not moved into place for it.
      boxes_.push_back(placed(box_of(part.shape()->mesh), part.placement()));
      chords_.push_back(chord_of(model, part));
    }
  }

  std::vector<PartPair> run(Progress* progress) {
    Array<FloatBox> boxes(boxes_.size());
    for (std::size_t p = 0; p < boxes_.size(); ++p) {
      boxes[p] = FloatBox(box_grown(boxes_[p], tolerance(p, p)));
    }
    std::vector<PartPair> pairs;
    // What is in one place again and again is told against the first of them alone.
    for (const auto& [first, copy] : surplus_copies()) {
      PartPair pair;
      pair.first = first;
      pair.second = copy;
      pair.tolerance = tolerance(first, copy);
      pair.box = boxes_[first];
      pair.relation = PartRelation::identical;
      if (is_solid_[first] && is_solid_[copy]) pair.volume = searched(first).volume;
      pairs.push_back(pair);
      boxes_[copy] = Box{};
      boxes[copy] = FloatBox(Box{});
    }
    const BoxTree tree(std::move(boxes));
    for (std::size_t p = 0; p < boxes_.size(); ++p) {
      std::vector<std::size_t> others;
      if (boxes_[p].is_empty()) continue;
      tree.for_each_meeting(FloatBox(box_grown(boxes_[p], tolerance(p, p))), [&](std::uint32_t q) {
        if (q > p && !boxes_[q].is_empty()) others.push_back(q);
      });
      std::sort(others.begin(), others.end());
      for (const std::size_t q : others) {
        advance(progress, "between parts",
                static_cast<double>(p) / static_cast<double>(boxes_.size()));
        if (auto pair = relate(p, q)) pairs.push_back(*pair);
      }
      searched_[p].reset();  // all of its pairs are made
    }
    std::sort(pairs.begin(), pairs.end(), [](const PartPair& a, const PartPair& b) {
      return std::tuple(a.relation, -a.volume.value_or(0), -a.area, a.first, a.second) <
             std::tuple(b.relation, -b.volume.value_or(0), -b.area, b.first, b.second);
    });
    return pairs;
  }

 private:
  // Of a shape in one place: those beyond the first few, with the first.
  [[nodiscard]] std::vector<std::pair<std::size_t, std::size_t>> surplus_copies() const {
    constexpr std::size_t kFew = 16;
    using Key = std::pair<const Shape*, std::array<double, 12>>;
    std::map<Key, std::pair<std::size_t, std::size_t>> first;  // and how many
    std::vector<std::pair<std::size_t, std::size_t>> copies;
    for (std::size_t p = 0; p < boxes_.size(); ++p) {
      if (boxes_[p].is_empty()) continue;
      Key key{model_.parts[p].shape().get(), {}};
      const Placement& place = model_.parts[p].placement();
      std::copy_n(place.linear.data(), 9, key.second.begin());
      std::copy_n(place.shift.data(), 3, key.second.begin() + 9);
      auto& known = first.try_emplace(key, p, 0).first->second;
      if (++known.second > kFew) copies.emplace_back(known.first, p);
    }
    return copies;
  }
  double tolerance(std::size_t p, std::size_t q) const {
    // About the precision of single-precision files: nearer points cannot be told apart there.
    constexpr double kOfSize = 1e-6;
    Box both = boxes_[p];
    both.extend(boxes_[q]);
    if (both.is_empty()) return 0;
    const double size = std::max(both.low.cwiseAbs().maxCoeff(), both.high.cwiseAbs().maxCoeff());
    return std::max(kOfSize * std::max(size, both.diagonal()), chords_[p] + chords_[q]);
  }

  const SearchedMesh& searched(std::size_t p) {
    if (!searched_[p]) searched_[p] = std::make_unique<SearchedMesh>(model_.parts[p].mesh());
    return *searched_[p];
  }

  std::optional<PartPair> relate(std::size_t p, std::size_t q) {
    if (!box_grown(boxes_[p], tolerance(p, q)).meets(boxes_[q])) return std::nullopt;
    const SearchedMesh &a = searched(p), &b = searched(q);
    PartPair pair;
    pair.first = p;
    pair.second = q;
    pair.tolerance = tolerance(p, q);
    if (!box_grown(a.box, pair.tolerance).meets(b.box)) return std::nullopt;
    pair.box.low = a.box.low.cwiseMax(b.box.low);
    pair.box.high = a.box.high.cwiseMin(b.box.high);
    for (int k = 0; k < 3; ++k) {
      if (pair.box.low[k] > pair.box.high[k]) std::swap(pair.box.low[k], pair.box.high[k]);
    }
    const bool same_box = a.box.low == b.box.low && a.box.high == b.box.high;
    if (same_box && have_same_triangles(a, b)) {
      pair.relation = PartRelation::identical;
      if (is_solid_[p] && is_solid_[q]) pair.volume = a.volume;
      return pair;
    }
    if (!is_solid_[p] && !is_solid_[q]) return std::nullopt;
    const CommonSpace common = common_space(a, is_solid_[p], b, is_solid_[q]);
    if (const auto related = relation_of(a, b, common, pair.tolerance)) {
      pair.relation = related->relation;
      pair.volume = common.volume;
      pair.depth = related->depth;
      if (related->second_is_in_first) std::swap(pair.first, pair.second);
      return pair;
    }
    const Contacts contacts = contacts_of(a, b, pair.tolerance);
    if (!contacts.near) return std::nullopt;
    pair.relation = PartRelation::touching;
    pair.area = contacts.area;
    return pair;
  }

  struct Related {
    PartRelation relation;
    bool second_is_in_first = false;
    double depth = 0;
  };

  static std::optional<Related> relation_of(const SearchedMesh& a, const SearchedMesh& b,
                                            const CommonSpace& common, double tolerance) {
    using enum PartRelation;
    const double in_b = common.first ? common.first->area : 0;
    const double in_a = common.second ? common.second->area : 0;
    // Of what is touched at points alone, rounding is left.
    constexpr double kLeastShare = 1e-8;
    const double area = std::max({in_a, in_b, kLeastShare * std::min(a.area, b.area)});
    const bool is_film = !common.volume || *common.volume <= tolerance * area;
    const double depth = std::max(deepest_of(common.first, b), deepest_of(common.second, a));
    if (is_film && depth <= tolerance) return std::nullopt;
    bool first_is_in = false, second_is_in = false;
    if (common.volume) {
      // By volume: surfaces that touch from within belong to either.
      const auto is_filled = [&](const SearchedMesh& mesh) {
        return mesh.volume - *common.volume <= std::min(tolerance * mesh.area, 0.5 * mesh.volume);
      };
      first_is_in = is_filled(a);
      second_is_in = is_filled(b);
      if (first_is_in && second_is_in) return Related{identical, false, depth};
    } else {
      constexpr double kRounding = 1e-9;
      first_is_in = common.first && in_b >= (1 - kRounding) * a.area;
      second_is_in = common.second && in_a >= (1 - kRounding) * b.area;
    }
    return Related{first_is_in || second_is_in ? inside : crossing, second_is_in, depth};
  }

  const Model& model_;
  const std::vector<bool>& is_solid_;
  std::vector<Box> boxes_;
  std::vector<double> chords_;
  std::vector<std::unique_ptr<SearchedMesh>> searched_;
};

}  // namespace

std::string_view slug(PartRelation relation) {
  constexpr std::array<std::string_view, 4> kSlugs = {"crossing", "identical", "inside",
                                                      "touching"};
  return kSlugs.at(static_cast<std::size_t>(relation));
}

std::vector<PartPair> relate_parts(const Model& model, const std::vector<bool>& is_solid,
                                   Progress* progress) {
  if (model.parts.size() < 2) return {};
  return PartRelater(model, is_solid).run(progress);
}

}  // namespace aguja
