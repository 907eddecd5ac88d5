#include "aguja/inspect/quality.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "base/numbers.h"
#include "base/short_text.h"
#include "inspect/patch_borders.h"

namespace aguja {
namespace {

std::vector<double> even_bounds(double from, double to, int steps) {
  std::vector<double> bounds;
  for (int i = 0; i <= steps; ++i) bounds.push_back(from + (to - from) * i / steps);
  return bounds;
}

QualityMeasure empty_measure(std::vector<double> bounds, std::optional<double> limit) {
  QualityMeasure m;
  m.least = 1e300;
  m.limit = limit;
  m.counts.assign(bounds.size() - 1, 0);
  m.bounds = std::move(bounds);
  return m;
}

void add(QualityMeasure& m, double value, bool is_beyond) {
  m.least = std::min(m.least, value);
  m.largest = std::max(m.largest, value);
  m.mean += value;
  m.beyond += is_beyond;
  const auto at = std::upper_bound(m.bounds.begin(), m.bounds.end(), value) - m.bounds.begin();
  const auto last = static_cast<std::ptrdiff_t>(m.counts.size()) - 1;
  ++m.counts[static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(at - 1, 0, last))];
}

Quality empty_quality(const ResolvedLimits& limits) {
  Quality q;
  const std::vector<double> ratios = {1, 1.5, 2, 3, 5, 10, 20, 50, 100, 1000, 1e6};
  q.aspect_ratio = empty_measure(ratios, limits[Limit::quality_aspect]);
  q.edge_ratio = empty_measure(ratios, std::nullopt);
  q.least_angle = empty_measure(even_bounds(0, 60, 12), limits[Limit::quality_least_angle]);
  q.largest_angle = empty_measure(even_bounds(60, 180, 12), limits[Limit::quality_largest_angle]);
  const double h = limits.element_size().value_or(1.0);
  q.edge_length = empty_measure({0, 0.1 * h, 0.25 * h, 0.5 * h, h, 2 * h, 4 * h, 10 * h, 1e6 * h},
                                std::nullopt);
  return q;
}

double angle_between(const Vector& u, const Vector& v) {
  return kDegreesPerRadian * std::atan2(u.cross(v).norm(), u.dot(v));
}

// `mean` holds sums until all is added.
void append(QualityMeasure& to, const QualityMeasure& other) {
  to.least = std::min(to.least, other.least);
  to.largest = std::max(to.largest, other.largest);
  to.mean += other.mean;
  to.beyond += other.beyond;
  for (std::size_t i = 0; i < to.counts.size(); ++i) to.counts[i] += other.counts[i];
}

template <class Each>
void for_each_measure(Quality& a, const Quality& b, const Each& each) {
  each(a.aspect_ratio, b.aspect_ratio);
  each(a.least_angle, b.least_angle);
  each(a.largest_angle, b.largest_angle);
  each(a.edge_ratio, b.edge_ratio);
  each(a.edge_length, b.edge_length);
}

void scale_means(Quality& q, double factor) {
  for_each_measure(q, q, [&](QualityMeasure& m, const QualityMeasure&) { m.mean *= factor; });
}

Quality sum_of(Quality a, const Quality& b) {
  for_each_measure(a, b, append);
  a.triangles += b.triangles;
  a.beyond += b.beyond;
  return a;
}

}  // namespace

Quality measure_quality(const Anatomy& anatomy, const ResolvedLimits& limits) {
  const Welded& mesh = anatomy.welded;
  Quality all = empty_quality(limits);
  for (const Quality& piece : parallel_map(mesh.triangles().size(), 1 << 14, [&](Range r) {
         Quality q = empty_quality(limits);
         for (std::size_t i = r.begin; i < r.end; ++i) {
           const Triangle& t = mesh.triangles()[i];
           const Point &a = mesh.point(t[0]), &b = mesh.point(t[1]), &c = mesh.point(t[2]);
           const Vector ab = b - a, bc = c - b, ca = a - c;
           const double twice_area = ab.cross(bc).norm();
           if (!(twice_area > 0)) continue;
           const auto [shortest, longest] = std::minmax({ab.norm(), bc.norm(), ca.norm()});
           const auto [least, largest] = std::minmax(
               {angle_between(ab, -ca), angle_between(bc, -ab), angle_between(ca, -bc)});
           const double aspect = longest * longest / twice_area;
           const bool bad_aspect = aspect > limits[Limit::quality_aspect];
           const bool bad_least = least < limits[Limit::quality_least_angle];
           const bool bad_largest = largest > limits[Limit::quality_largest_angle];
           ++q.triangles;
           q.beyond += bad_aspect || bad_least || bad_largest;
           add(q.aspect_ratio, aspect, bad_aspect);
           add(q.least_angle, least, bad_least);
           add(q.largest_angle, largest, bad_largest);
           add(q.edge_ratio, longest / shortest, false);
           add(q.edge_length, longest, false);
         }
         return q;
       })) {
    all = sum_of(std::move(all), piece);
  }
  if (all.triangles == 0) {
    for_each_measure(all, all, [](QualityMeasure& m, const QualityMeasure&) { m.least = 0; });
    return all;
  }
  scale_means(all, 1 / static_cast<double>(all.triangles));
  return all;
}

Quality combined(const Quality& a, const Quality& b) {
  if (a.triangles == 0) return b;
  if (b.triangles == 0) return a;
  Quality x = a, y = b;
  scale_means(x, static_cast<double>(x.triangles));
  scale_means(y, static_cast<double>(y.triangles));
  Quality all = sum_of(std::move(x), y);
  scale_means(all, 1 / static_cast<double>(all.triangles));
  return all;
}

ElementSizes propose_sizes(const Anatomy& anatomy, const Patches& patches,
                           const ResolvedLimits& limits) {
  Box box;
  for (const Shell& shell : anatomy.shells) box.extend(shell.box);
  const double diagonal = box.diagonal();
  if (!(diagonal > 0)) return {};
  const Vector sides = box.high - box.low;
  ElementSizes sizes;
  struct Feature {
    double size;
    std::string what;
  };
  Feature least{diagonal / 20, "a twentieth of the diagonal: no feature is smaller"};
  const auto consider = [&](double size, const std::string& what) {
    if (size > 0 && size < least.size) least = {size, what};
  };
  const PatchBorders borders = find_borders(anatomy, patches);
  for (const BorderChain& chain : borders.chains) {
    if (chain.length <= limits[Limit::short_edge]) continue;
    if (chain.loop) {
      // A hole wants eight elements around it.
      consider(chain.length / 8, "an eighth of a loop " + short_text(chain.length) + " around");
    } else {
      consider(chain.length, "the shortest edge between corners of patches");
    }
  }
  for (std::size_t p = 0; p < patches.patches.size(); ++p) {
    const Patch& patch = patches.patches[p];
    const auto width = strip_width(patch.area, borders.length_of[p]);
    if (width && *width > limits[Limit::sliver_patch]) {
      consider(*width, "the width of the narrowest patch");
    }
    if (!patch.surface) continue;
    const bool round = patch.surface->kind == PrimitiveKind::cylinder ||
                       patch.surface->kind == PrimitiveKind::sphere;
    const double radius = round                                         ? patch.surface->radius
                          : patch.surface->kind == PrimitiveKind::torus ? patch.surface->second
                                                                        : 0.0;
    // 30 degrees of a round: what a coarse element may span.
    if (radius > 0)
      consider(radius * std::numbers::pi / 6, "30 degrees around the smallest radius");
  }
  sizes.least = least.size;
  sizes.why.push_back("least: " + least.what + " (" + short_text(sizes.least) + ")");
  const double shortest = sides.minCoeff();
  const bool flat = shortest > 0 && 0.5 * shortest < 0.1 * diagonal;
  sizes.largest = flat ? 0.5 * shortest : 0.1 * diagonal;
  if (sizes.largest < sizes.least) {
    sizes.largest = sizes.least;
    sizes.why.push_back("largest: the least; the model has one scale");
  } else {
    sizes.why.push_back(std::string("largest: ") +
                        (flat ? "two elements across the shortest side of the box ("
                              : "a tenth of the diagonal (") +
                        short_text(sizes.largest) + ")");
  }
  return sizes;
}

}  // namespace aguja
