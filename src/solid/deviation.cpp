#include "aguja/solid/deviation.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/distance.h"

namespace aguja {
namespace {

constexpr double kLargest = 1e300;
// Pieces of one triangle are divided at most so often in all.
constexpr std::size_t kMostDivisions = 20000;

// All triangles of a model.
struct Surface {
  struct Source {
    std::uint32_t part;
    std::uint32_t triangle;
  };
  std::vector<Source> source;
  const Model& model;

  explicit Surface(const Model& m) : model(m) {
    for (std::uint32_t p = 0; p < m.parts.size(); ++p) {
      for (std::uint32_t t = 0; t < m.parts[p].mesh.triangles.size(); ++t) source.push_back({p, t});
    }
  }
  [[nodiscard]] std::array<Point, 3> corners(std::size_t i) const {
    const Mesh& mesh = model.parts[source[i].part].mesh;
    const Triangle& t = mesh.triangles[source[i].triangle];
    return {mesh.point(t[0]), mesh.point(t[1]), mesh.point(t[2])};
  }
};

class Target {
 public:
  explicit Target(const Surface& surface) : surface_(surface) {
    Array<FloatBox> boxes(surface.source.size());
    parallel_ranges(boxes.size(), 4096, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        Box box;
        for (const Point& p : surface.corners(i)) box.extend(p);
        boxes[i] = FloatBox(box);
      }
    });
    tree_ = BoxTree(std::move(boxes));
  }
  [[nodiscard]] Point closest_on(std::size_t triangle, const Point& p) const {
    const auto [a, b, c] = surface_.corners(triangle);
    return closest_point(p, a, b, c);
  }
  [[nodiscard]] double distance_to(std::size_t triangle, const Point& p) const {
    return (closest_on(triangle, p) - p).norm();
  }
  [[nodiscard]] std::uint32_t nearest(const Point& p) const {
    return tree_.nearest(p, kLargest,
                         [&](std::uint32_t i) { return (closest_on(i, p) - p).squaredNorm(); });
  }

 private:
  const Surface& surface_;
  BoxTree tree_;
};

// A point of the measured surface, and what it is nearest to.
struct Sample {
  Point point;
  std::uint32_t nearest;
  double distance;
};

struct Piece {
  std::array<Sample, 3> corner;
};

// What is known of one triangle.
struct Measured {
  double largest = 0;
  double bound = 0;  // the true largest is not above it
  Point at = Point::Zero();
  double area = 0;
  double integral = 0;
  double integral_error = 0;
};

class Measurer {
 public:
  Measurer(const Target& target, double accuracy) : target_(target), accuracy_(accuracy) {}

  [[nodiscard]] Sample sample(const Point& p) const {
    const std::uint32_t nearest = target_.nearest(p);
    return {p, nearest, target_.distance_to(nearest, p)};
  }

  [[nodiscard]] Measured measure(const std::array<Point, 3>& corners, double known) const {
    Measured m;
    const Piece whole{{sample(corners[0]), sample(corners[1]), sample(corners[2])}};
    for (const Sample& s : whole.corner) note(s, m);
    std::vector<Piece> stack = {whole};
    std::size_t divisions = 0;
    while (!stack.empty()) {
      const Piece piece = stack.back();
      stack.pop_back();
      const double bound = upper_bound(piece);
      // What no longer matters for the largest distance, and is known well enough for the mean.
      if (bound <= std::max(known, m.largest) + accuracy_ || divisions >= kMostDivisions) {
        m.bound = std::max(m.bound, bound);
        finish(piece, bound, m);
        continue;
      }
      ++divisions;
      divide(piece, stack, m);
    }
    m.bound = std::max(m.bound, m.largest);
    return m;
  }

 private:
  static void note(const Sample& s, Measured& m) {
    if (s.distance <= m.largest && m.at != Point::Zero()) return;
    m.largest = s.distance;
    m.at = s.point;
  }

  [[nodiscard]] double upper_bound(const Piece& piece) const {
    double bound = kLargest;
    for (const Sample& s : piece.corner) {
      double largest = 0;
      for (const Sample& other : piece.corner) {
        largest = std::max(largest, s.nearest == other.nearest
                                        ? other.distance
                                        : target_.distance_to(s.nearest, other.point));
      }
      bound = std::min(bound, largest);
    }
    return bound;
  }

  // The mean over the piece lies between 0 or what the middle forbids, and the mean at the corners
  // of the distance to one triangle.
  void finish(const Piece& piece, double bound, Measured& m) const {
    const Point& a = piece.corner[0].point;
    const Point& b = piece.corner[1].point;
    const Point& c = piece.corner[2].point;
    const double area = 0.5 * (b - a).cross(c - a).norm();
    double mean = 0, least = kLargest, radius = 0;
    const Point middle = (a + b + c) / 3.0;
    for (const Sample& s : piece.corner) {
      mean += s.distance / 3;
      least = std::min(least, s.distance);
      radius = std::max(radius, (s.point - middle).norm());
    }
    const double low = std::max(0.0, least - 2 * radius);
    m.area += area;
    m.integral += area * mean;
    m.integral_error += area * std::max(mean - low, bound - mean);
  }

  void divide(const Piece& piece, std::vector<Piece>& stack, Measured& m) const {
    const auto& [a, b, c] = piece.corner;
    const Sample ab = sample(0.5 * (a.point + b.point)), bc = sample(0.5 * (b.point + c.point)),
                 ca = sample(0.5 * (c.point + a.point));
    for (const Sample& s : {ab, bc, ca}) note(s, m);
    stack.push_back({{a, ab, ca}});
    stack.push_back({{b, bc, ab}});
    stack.push_back({{c, ca, bc}});
    stack.push_back({{ab, bc, ca}});
  }

  const Target& target_;
  double accuracy_;
};

std::string patch_name(const Part& part, std::uint32_t patch) {
  return patch < part.patch_names.size() ? part.patch_names[patch] : std::to_string(patch);
}

OneWayDeviation one_way(const Surface& from, const Surface& to, double accuracy, Progress* progress,
                        double done) {
  const Target target(to);
  const Measurer measurer(target, accuracy);
  advance(progress, "deviation", done);
  // A first round tells what is worth dividing; it does not depend on the order of threads.
  const auto firsts = parallel_map(from.source.size(), 1024, [&](Range r) {
    Sample farthest{Point::Zero(), 0, -1};
    for (std::size_t i = r.begin; i < r.end; ++i) {
      const auto [a, b, c] = from.corners(i);
      const Sample s = measurer.sample((a + b + c) / 3.0);
      if (s.distance > farthest.distance) farthest = s;
    }
    return farthest;
  });
  const Sample first =
      *std::max_element(firsts.begin(), firsts.end(),
                        [](const Sample& x, const Sample& y) { return x.distance < y.distance; });
  const double known = first.distance;
  advance(progress, "deviation", done + 0.2);
  std::vector<Measured> measured(from.source.size());
  parallel_ranges(measured.size(), 256, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      measured[i] = measurer.measure(from.corners(i), known);
    }
  });

  OneWayDeviation result;
  result.at = first.point;
  result.largest = first.distance;
  struct Sum {
    PatchDeviation patch;
    double area = 0, integral = 0;
  };
  std::map<std::pair<std::uint32_t, std::uint32_t>, Sum> patches;
  double area = 0, integral = 0, error = 0, bound = 0;
  for (std::size_t i = 0; i < measured.size(); ++i) {
    const Measured& m = measured[i];
    const auto [part, triangle] = from.source[i];
    const Part& owner = from.model.parts[part];
    const std::uint32_t patch =
        owner.mesh.patch_of.empty() ? 0 : owner.mesh.patch_of[triangle].value;
    Sum& sum = patches[{part, patch}];
    if (sum.area == 0 && sum.integral == 0) {
      sum.patch.part = owner.name;
      sum.patch.patch = patch_name(owner, patch);
      sum.patch.at = m.at;
    }
    if (m.largest > sum.patch.largest) {
      sum.patch.largest = m.largest;
      sum.patch.at = m.at;
    }
    sum.area += m.area;
    sum.integral += m.integral;
    if (m.largest > result.largest) {
      result.largest = m.largest;
      result.at = m.at;
    }
    bound = std::max(bound, m.bound);
    area += m.area;
    integral += m.integral;
    error += m.integral_error;
  }
  result.largest_error = std::max(0.0, bound - result.largest);
  result.mean = area > 0 ? integral / area : 0;
  result.mean_error = area > 0 ? error / area : 0;
  result.nearest = target.closest_on(target.nearest(result.at), result.at);
  for (auto& [key, sum] : patches) {
    sum.patch.mean = sum.area > 0 ? sum.integral / sum.area : 0;
    result.patches.push_back(std::move(sum.patch));
  }
  std::stable_sort(
      result.patches.begin(), result.patches.end(),
      [](const PatchDeviation& x, const PatchDeviation& y) { return x.largest > y.largest; });
  return result;
}

}  // namespace

Deviation compare(const Model& a, const Model& b, const DeviationOptions& options,
                  Progress* progress) {
  for (const Model* m : {&a, &b}) {
    if (triangle_count(*m) == 0) throw ArgumentError("compare: a model has no triangles");
  }
  if (options.accuracy && !(*options.accuracy > 0)) {
    throw ArgumentError("compare: the accuracy must be above 0");
  }
  Box box = box_of(a);
  box.extend(box_of(b));
  const double accuracy = options.accuracy.value_or(1e-6 * box.diagonal());
  const Surface sa(a);
  const Surface sb(b);
  Deviation deviation;
  deviation.a_to_b = one_way(sa, sb, accuracy, progress, 0.0);
  deviation.b_to_a = one_way(sb, sa, accuracy, progress, 0.5);
  return deviation;
}

}  // namespace aguja
