#include "aguja/solid/deviation.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/distance.h"
#include "aguja/mesh/triangle_places.h"

namespace aguja {
namespace {

constexpr double kBeyondAll = 1e300;
// Pieces of one triangle are divided at most so often in all.
constexpr std::size_t kMostDivisions = 400;
// And so many more for each triangle that it may lie over.
constexpr std::size_t kDivisionsEach = 8;

// All triangles of a model.
struct TriangleSurface {
  struct Source {
    std::uint32_t part;
    std::uint32_t triangle;
  };
  std::vector<Source> source;
  const Model& model;
  double scale;  // a power of two

  TriangleSurface(const Model& m, double power) : model(m), scale(power) {
    for (std::uint32_t p = 0; p < m.parts.size(); ++p) {
      for (std::uint32_t t = 0; t < m.parts[p].mesh().triangles.size(); ++t)
        source.push_back({p, t});
    }
  }
  [[nodiscard]] std::array<Point, 3> corners(std::size_t i) const {
    const Mesh& mesh = model.parts[source[i].part].mesh();
    const Triangle& t = mesh.triangles[source[i].triangle];
    return {scale * mesh.point(t[0]), scale * mesh.point(t[1]), scale * mesh.point(t[2])};
  }
};

class DeviationTarget {
 public:
  explicit DeviationTarget(const TriangleSurface& surface) : surface_(surface) {
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
  [[nodiscard]] std::array<Point, 3> corners(std::size_t triangle) const {
    return surface_.corners(triangle);
  }
  [[nodiscard]] double distance_to(std::size_t triangle, const Point& p) const {
    return (closest_on(triangle, p) - p).norm();
  }
  /// How many triangles have boxes within `distance` of the box of these points.
  [[nodiscard]] std::size_t count_near(std::span<const Point> points, double distance) const {
    Box box = box_of(points);
    box.low.array() -= distance;
    box.high.array() += distance;
    std::size_t count = 0;
    tree_.for_each_meeting(FloatBox(box), [&](std::uint32_t) { ++count; });
    return count;
  }
  [[nodiscard]] std::uint32_t nearest(const Point& p) const {
    return tree_.nearest(p, kBeyondAll,
                         [&](std::uint32_t i) { return (closest_on(i, p) - p).squaredNorm(); });
  }

 private:
  const TriangleSurface& surface_;
  BoxTree tree_;
};

// A point of the measured surface, and what it is nearest to.
struct Sample {
  Point point;
  std::uint32_t nearest;
  double distance;
};

struct PairOfBounds {
  std::array<Sample, 3> corner;
  std::uint32_t middle;  // what its middle is nearest to: corners may lie on other triangles' sides
};

struct Bounded {
  double bound;
  PairOfBounds piece;
  friend bool operator<(const Bounded& a, const Bounded& b) { return a.bound < b.bound; }
};

// What is known of one triangle.
struct Measured {
  double largest = 0;
  double bound = 0;  // the true largest is not above it
  Point at = Point::Zero();
  bool is_found = false;
  double area = 0;
  double integral = 0;
  double integral_error = 0;
};

class Measurer {
 public:
  Measurer(const DeviationTarget& target, double accuracy)
      : target_(&target), accuracy_(accuracy) {}

  [[nodiscard]] Sample sample(const Point& p) const {
    const std::uint32_t nearest = target_->nearest(p);
    return {p, nearest, target_->distance_to(nearest, p)};
  }

  [[nodiscard]] Measured measure(const std::array<Point, 3>& corners, double known) const {
    Measured m;
    const PairOfBounds whole =
        piece_of({sample(corners[0]), sample(corners[1]), sample(corners[2])}, m);
    for (const Sample& s : whole.corner) note(s, m);
    // Largest bound first, so that what is left when the divisions run out is as small as can be.
    std::vector<Bounded> heap = {{upper_bound(whole), whole}};
    std::vector<PairOfBounds> pieces;
    std::size_t most = kMostDivisions;
    for (std::size_t divisions = 0;; ++divisions) {
      const double wanted = std::max(known, m.largest) + accuracy_;
      if (heap.front().bound <= wanted) break;
      // What lies over many small triangles has to be cut along them.
      if (divisions == kMostDivisions) {
        most += kDivisionsEach * target_->count_near(corners, heap.front().bound);
      }
      if (divisions >= most) break;
      std::pop_heap(heap.begin(), heap.end());
      const PairOfBounds piece = heap.back().piece;
      heap.pop_back();
      pieces.clear();
      if (!cut(piece, pieces, m)) divide(piece, pieces, m);
      for (const PairOfBounds& p : pieces) {
        heap.push_back({upper_bound(p), p});
        std::push_heap(heap.begin(), heap.end());
      }
    }
    for (const Bounded& b : heap) {
      m.bound = std::max(m.bound, b.bound);
      finish(b.piece, b.bound, m);
    }
    m.bound = std::max(m.bound, m.largest);
    return m;
  }

 private:
  static void note(const Sample& s, Measured& m) {
    if (m.is_found && s.distance <= m.largest) return;
    m.is_found = true;
    m.largest = s.distance;
    m.at = s.point;
  }

  [[nodiscard]] PairOfBounds piece_of(const std::array<Sample, 3>& c, Measured& m) const {
    if (c[0].nearest == c[1].nearest && c[1].nearest == c[2].nearest) return {c, c[0].nearest};
    const Sample middle = sample((c[0].point + c[1].point + c[2].point) / 3.0);
    note(middle, m);
    return {c, middle.nearest};
  }
  static std::array<std::uint32_t, 4> candidates(const PairOfBounds& p) {
    return {p.middle, p.corner[0].nearest, p.corner[1].nearest, p.corner[2].nearest};
  }

  // By one triangle; or by how fast distances can grow from the corners.
  [[nodiscard]] double upper_bound(const PairOfBounds& piece) const {
    double farthest = 0, longest = 0;
    for (int i = 0; i < 3; ++i) {
      farthest = std::max(farthest, piece.corner[i].distance);
      longest = std::max(longest, (piece.corner[i].point - piece.corner[(i + 1) % 3].point).norm());
    }
    double bound = farthest + longest / std::sqrt(3.0);
    for (const std::uint32_t t : candidates(piece)) {
      double largest = 0;
      for (const Sample& other : piece.corner) {
        largest = std::max(
            largest, t == other.nearest ? other.distance : target_->distance_to(t, other.point));
      }
      bound = std::min(bound, largest);
    }
    return bound;
  }

  // The mean over the piece lies between 0 or what the middle forbids, and the mean at the corners
  // of the distance to one triangle.
  void finish(const PairOfBounds& piece, double bound, Measured& m) const {
    const Point& a = piece.corner[0].point;
    const Point& b = piece.corner[1].point;
    const Point& c = piece.corner[2].point;
    const double area = 0.5 * (b - a).cross(c - a).norm();
    double mean = 0, least = kBeyondAll, radius = 0;
    const Point middle = (a + b + c) / 3.0;
    for (const Sample& s : piece.corner) {
      mean += s.distance / 3;
      least = std::min(least, s.distance);
      radius = std::max(radius, (s.point - middle).norm());
    }
    // Exact for what grows evenly; the middle weighs three times the corners.
    mean = 0.25 * mean + 0.75 * target_->distance_to(piece.middle, middle);
    const double low = std::max(0.0, least - 2 * radius);
    // Distance to one triangle is convex: its mean is not above that of the corners.
    double high = bound;
    for (const std::uint32_t t : candidates(piece)) {
      double sum = 0;
      for (const Sample& s : piece.corner) sum += target_->distance_to(t, s.point);
      high = std::min(high, sum / 3);
    }
    mean = std::clamp(mean, low, std::max(low, high));
    m.area += area;
    m.integral += area * mean;
    m.integral_error += area * std::max(mean - low, high - mean);
  }

  // Where the piece reaches beyond the triangle that one of its corners is nearest to, it is cut
  // upright over that triangle's side: what lies over one triangle is bounded at its corners. False
  // if no side cuts the piece in two.
  bool cut(const PairOfBounds& piece, std::vector<PairOfBounds>& stack, Measured& m) const {
    // Cuts nearer to a corner than this part of the piece's size are noise.
    constexpr double kLeastCut = 1e-9;
    double farthest = 0;
    std::array<double, 3> best{};
    for (const std::uint32_t nearest : candidates(piece)) {
      const std::array<Point, 3> t = target_->corners(nearest);
      const Vector normal = (t[1] - t[0]).cross(t[2] - t[0]);
      for (int k = 0; k < 3; ++k) {
        const Vector outward = (t[(k + 1) % 3] - t[k]).cross(normal);
        const double length = outward.norm();
        if (!(length > 0)) continue;
        std::array<double, 3> height{};
        double size = 0;
        for (int c = 0; c < 3; ++c) {
          height[c] = outward.dot(piece.corner[c].point - t[k]) / length;
          size = std::max(size, (piece.corner[c].point - piece.corner[0].point).norm());
        }
        const auto [low, high] = std::minmax_element(height.begin(), height.end());
        if (-*low < kLeastCut * size || *high < kLeastCut * size) continue;
        if (std::min(*high, -*low) > farthest) {
          farthest = std::min(*high, -*low);
          best = height;
        }
      }
    }
    if (farthest == 0) return false;
    // The corner that is alone on its side.
    int alone = 0;
    while ((best[alone] > 0) == (best[(alone + 1) % 3] > 0) ||
           (best[alone] > 0) == (best[(alone + 2) % 3] > 0)) {
      ++alone;
    }
    const Sample &a = piece.corner[alone], &b = piece.corner[(alone + 1) % 3],
                 &c = piece.corner[(alone + 2) % 3];
    const auto between = [&](const Sample& from, const Sample& to, double h, double g) {
      return sample(from.point + (to.point - from.point) * (h / (h - g)));
    };
    const Sample ab = between(a, b, best[alone], best[(alone + 1) % 3]);
    const Sample ca = between(a, c, best[alone], best[(alone + 2) % 3]);
    for (const Sample& s : {ab, ca}) note(s, m);
    stack.push_back(piece_of({a, ab, ca}, m));
    stack.push_back(piece_of({ab, b, c}, m));
    stack.push_back(piece_of({ab, c, ca}, m));
    return true;
  }

  void divide(const PairOfBounds& piece, std::vector<PairOfBounds>& stack, Measured& m) const {
    const auto& [a, b, c] = piece.corner;
    const Sample ab = sample(0.5 * (a.point + b.point)), bc = sample(0.5 * (b.point + c.point)),
                 ca = sample(0.5 * (c.point + a.point));
    for (const Sample& s : {ab, bc, ca}) note(s, m);
    stack.push_back(piece_of({a, ab, ca}, m));
    stack.push_back(piece_of({b, bc, ab}, m));
    stack.push_back(piece_of({c, ca, bc}, m));
    stack.push_back(piece_of({ab, bc, ca}, m));
  }

  const DeviationTarget* target_;
  double accuracy_;
};

struct Accuracy {
  double least;
  double relative;  // to the largest distance
};

std::string patch_name(const Part& part, std::uint32_t patch) {
  return patch < part.patch_names().size() ? part.patch_names()[patch] : std::to_string(patch);
}

OneWayDeviation unscaled(OneWayDeviation d, double scale) {
  for (double* x : {&d.largest, &d.largest_error, &d.mean, &d.mean_error}) *x *= scale;
  d.at *= scale;
  d.nearest *= scale;
  for (PatchDeviation& p : d.patches) {
    p.largest *= scale;
    p.mean *= scale;
    p.at *= scale;
  }
  return d;
}

// Which triangles are there in the other surface, too: nothing of them lies off it.
std::vector<char> shared_triangles(const TriangleSurface& from, const TriangleSurface& to) {
  const TrianglePlaces places(to.source.size(), [&](std::size_t i) { return to.corners(i); });
  std::vector<char> is_shared(from.source.size());
  parallel_ranges(is_shared.size(), 4096, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      is_shared[i] = places.find(from.corners(i)).has_value() ? 1 : 0;
    }
  });
  return is_shared;
}

Measured nothing_off(const std::array<Point, 3>& corners) {
  Measured m;
  m.at = corners[0];
  m.is_found = true;
  m.area = 0.5 * (corners[1] - corners[0]).cross(corners[2] - corners[0]).norm();
  return m;
}

OneWayDeviation one_way(const TriangleSurface& from, const TriangleSurface& to, Accuracy accuracy,
                        Progress* progress, double done) {
  const DeviationTarget target(to);
  const std::vector<char> is_shared = shared_triangles(from, to);
  Measurer measurer(target, accuracy.least);
  advance(progress, "deviation", done);
  // A first round tells what is worth dividing; it does not depend on the order of threads.
  const auto firsts = parallel_map(from.source.size(), 1024, [&](Range r) {
    Sample farthest{Point::Zero(), 0, -1};
    for (std::size_t i = r.begin; i < r.end; ++i) {
      const auto [a, b, c] = from.corners(i);
      const Sample s = is_shared[i] != 0 ? Sample{a, 0, 0} : measurer.sample((a + b + c) / 3.0);
      if (s.distance > farthest.distance) farthest = s;
    }
    return farthest;
  });
  const Sample first =
      *std::max_element(firsts.begin(), firsts.end(),
                        [](const Sample& x, const Sample& y) { return x.distance < y.distance; });
  const double known = first.distance;
  measurer = Measurer(target, std::max(accuracy.least, accuracy.relative * known));
  advance(progress, "deviation", done + 0.2);
  std::vector<Measured> measured(from.source.size());
  parallel_ranges(measured.size(), 256, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      measured[i] = is_shared[i] != 0 ? nothing_off(from.corners(i))
                                      : measurer.measure(from.corners(i), known);
    }
  });

  OneWayDeviation result;
  result.at = first.point;
  result.largest = first.distance;
  struct Sum {
    PatchDeviation patch;
    double area = 0, integral = 0;
    bool is_begun = false;
  };
  std::map<std::pair<std::uint32_t, std::uint32_t>, Sum> patches;
  double area = 0, integral = 0, error = 0, bound = 0;
  for (std::size_t i = 0; i < measured.size(); ++i) {
    const Measured& m = measured[i];
    const auto [part, triangle] = from.source[i];
    const Part& owner = from.model.parts[part];
    const std::uint32_t patch =
        owner.mesh().patch_of.empty() ? 0 : owner.mesh().patch_of[triangle].value;
    Sum& sum = patches[{part, patch}];
    if (!sum.is_begun) {
      sum.is_begun = true;
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
  return unscaled(std::move(result), 1 / from.scale);
}

// Squares of squares must neither vanish nor overflow, and boxes are floats: coordinates beyond
// 2^+-90 are measured in another power of two.
double safe_scale(const Model& a, const Model& b) {
  Box box = box_of(a);
  box.extend(box_of(b));
  const double farthest = std::max(box.low.cwiseAbs().maxCoeff(), box.high.cwiseAbs().maxCoeff());
  if (!(farthest > 0) || std::abs(std::ilogb(farthest)) <= 90) return 1;
  return std::ldexp(1.0, -std::clamp(std::ilogb(farthest), -1000, 1000));
}

Accuracy checked_accuracy(const Model& a, const Model& b, const DeviationOptions& options) {
  for (const Model* m : {&a, &b}) {
    if (triangle_count(*m) == 0) throw ArgumentError("compare: a model has no triangles");
  }
  if (options.accuracy && !(*options.accuracy > 0)) {
    throw ArgumentError("compare: the accuracy must be above 0");
  }
  const double scale = safe_scale(a, b);
  if (options.accuracy) return {scale * *options.accuracy, 0.0};
  Box box = box_of(a);
  box.extend(box_of(b));
  // Left open: to a part of the models' size, or of what was found.
  constexpr double kOfDiagonal = 1e-6, kOfFound = 0.01;
  return {kOfDiagonal * (scale * box.high - scale * box.low).norm(), kOfFound};
}

}  // namespace

OneWayDeviation one_way_deviation(const Model& from, const Model& to,
                                  const DeviationOptions& options, Progress* progress) {
  const Accuracy accuracy = checked_accuracy(from, to, options);
  const double scale = safe_scale(from, to);
  return one_way(TriangleSurface(from, scale), TriangleSurface(to, scale), accuracy, progress, 0.0);
}

Deviation compare(const Model& a, const Model& b, const DeviationOptions& options,
                  Progress* progress) {
  const Accuracy accuracy = checked_accuracy(a, b, options);
  const double scale = safe_scale(a, b);
  const TriangleSurface sa(a, scale);
  const TriangleSurface sb(b, scale);
  Deviation deviation;
  deviation.a_to_b = one_way(sa, sb, accuracy, progress, 0.0);
  deviation.b_to_a = one_way(sb, sa, accuracy, progress, 0.5);
  return deviation;
}

}  // namespace aguja
