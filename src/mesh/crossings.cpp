#include "aguja/mesh/crossings.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <bit>
#include <cmath>
#include <limits>
#include <mutex>
#include <optional>

#include <oneapi/tbb/parallel_sort.h>
#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/distance.h"
#include "aguja/geometry/predicates.h"

namespace aguja {
namespace {

// Stays empty for a triangle of no area.
void prepare(const Welded& mesh, TriangleId t, std::optional<PreparedTriangle>& out) {
  if (has_equal_corners(mesh.triangle(t))) return;
  out.emplace(labelled(mesh, t));
  if (out->turn() == 0 && is_collinear(out->corner(0), out->corner(1), out->corner(2))) out.reset();
}

FloatBox float_box(const Welded& mesh, TriangleId t) {
  Box box;
  for (const VertexId v : mesh.triangle(t).corner) box.extend(mesh.point(v));
  return FloatBox(box);
}

// A grid over some boxes that knows which of its cells hold any: a look at a few bits spares most
// others the way down a tree.
class OccupiedCells {
 public:
  // For that many questions.
  OccupiedCells(std::span<const FloatBox> boxes, std::size_t questions) {
    if (boxes.empty()) return;
    whole_ = boxes[0];
    for (const FloatBox& b : boxes) whole_.extend(b);
    std::array<double, 3> size{};
    for (std::size_t k = 0; k < 3; ++k)
      size[k] = static_cast<double>(whole_.high[k]) - static_cast<double>(whole_.low[k]);
    const double largest = *std::max_element(size.begin(), size.end());
    if (!(largest > 0) || !std::isfinite(largest)) return;
    // Cubes; a flat direction gets one layer.
    const double wanted = std::min(16 * static_cast<double>(questions), kMostCells);
    double volume = 1;
    for (const double s : size) volume *= std::max(s, largest / kMostAlong);
    const double side = std::max(std::cbrt(volume / wanted), largest / kMostAlong);
    for (std::size_t k = 0; k < 3; ++k) {
      count_[k] = static_cast<int>(size[k] / side) + 1;
      per_length_[k] = 1 / side;
    }
    // Boxes that fill the grid are not worth marking.
    std::size_t marks = 0;
    for (const FloatBox& b : boxes) marks += size_of(cells_of(b));
    if (marks > 16 * questions) return;
    bits_.resize((static_cast<std::size_t>(count_[0]) * static_cast<std::size_t>(count_[1]) *
                      static_cast<std::size_t>(count_[2]) +
                  63) /
                 64);
    for (const FloatBox& b : boxes) {
      for_each_cell(cells_of(b), [&](std::size_t cell) {
        bits_[cell / 64] |= std::uint64_t{1} << (cell % 64);
        return true;
      });
    }
  }

  // False only if no box of them meets this one.
  [[nodiscard]] bool may_meet(const FloatBox& box) const {
    if (bits_.empty()) return true;
    if (!box.meets(whole_)) return false;
    const Cells cells = cells_of(box);
    if (size_of(cells) > kMostLookedAt) return true;
    return !for_each_cell(
        cells, [&](std::size_t cell) { return (bits_[cell / 64] >> (cell % 64) & 1) == 0; });
  }

 private:
  static constexpr double kMostCells = 1 << 24;
  static constexpr double kMostAlong = 4096;
  static constexpr std::size_t kMostLookedAt = 64;
  struct Cells {
    std::array<int, 3> first, last;
  };
  static std::size_t size_of(const Cells& cells) {
    std::size_t total = 1;
    for (std::size_t k = 0; k < 3; ++k)
      total *= static_cast<std::size_t>(cells.last[k] - cells.first[k] + 1);
    return total;
  }
  [[nodiscard]] Cells cells_of(const FloatBox& box) const {
    Cells cells{};
    for (std::size_t k = 0; k < 3; ++k) {
      const auto cell = [&](float x) {
        const double at =
            (static_cast<double>(x) - static_cast<double>(whole_.low[k])) * per_length_[k];
        return static_cast<int>(std::clamp(at, 0.0, static_cast<double>(count_[k] - 1)));
      };
      cells.first[k] = cell(box.low[k]);
      cells.last[k] = cell(box.high[k]);
    }
    return cells;
  }
  // Stops, and returns false, where `visit` does.
  template <class Visit>
  bool for_each_cell(const Cells& cells, const Visit& visit) const {
    for (int i = cells.first[0]; i <= cells.last[0]; ++i) {
      for (int j = cells.first[1]; j <= cells.last[1]; ++j) {
        const std::size_t row = (static_cast<std::size_t>(i) * static_cast<std::size_t>(count_[1]) +
                                 static_cast<std::size_t>(j)) *
                                static_cast<std::size_t>(count_[2]);
        for (int k = cells.first[2]; k <= cells.last[2]; ++k) {
          if (!visit(row + static_cast<std::size_t>(k))) return false;
        }
      }
    }
    return true;
  }

  FloatBox whole_{};
  std::array<int, 3> count_{};
  std::array<double, 3> per_length_{};
  std::vector<std::uint64_t> bits_;  // empty: nothing is known
};

BoxTree tree_of(const Welded& mesh) {
  Array<FloatBox> boxes(mesh.triangles().size());
  parallel_ranges(boxes.size(), std::size_t{1} << 13, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      boxes[i] = float_box(mesh, {static_cast<std::uint32_t>(i)});
    }
  });
  return BoxTree(std::move(boxes));
}

// The triangles of a block, prepared when first asked for.
class PreparedBlock {
 public:
  PreparedBlock(const Welded& mesh, const BoxTree::Block& block) : mesh_(mesh), block_(block) {}

  // Null if it has no area.
  const PreparedTriangle* operator[](std::size_t i) {
    if (!known_[i]) {
      known_[i] = true;
      prepare(mesh_, {block_.items[i]}, prepared_[i]);
    }
    return prepared_[i] ? &*prepared_[i] : nullptr;
  }

 private:
  const Welded& mesh_;
  const BoxTree::Block& block_;
  std::array<bool, BoxTree::kBlock> known_{};
  std::array<std::optional<PreparedTriangle>, BoxTree::kBlock> prepared_;
};

TrianglePair pair_of(std::uint32_t a, std::uint32_t b, Contact contact) {
  return {{std::min(a, b)}, {std::max(a, b)}, contact};
}

void test_blocks(const Welded& mesh, const BoxTree::Block& a, const BoxTree::Block& b,
                 std::vector<TrianglePair>& out) {
  const bool same = a.items.data() == b.items.data();
  std::array<unsigned, BoxTree::kBlock> meeting{};
  unsigned any = 0;
  for (std::size_t i = 0; i < a.items.size(); ++i) {
    meeting[i] = b.boxes.meeting(a.boxes[i]);
    if (same) meeting[i] &= ~((2u << i) - 1);
    any |= meeting[i];
  }
  if (any == 0) return;
  PreparedBlock in_a(mesh, a);
  PreparedBlock in_other(mesh, b);
  PreparedBlock& in_b = same ? in_a : in_other;
  for (std::size_t i = 0; i < a.items.size(); ++i) {
    for (unsigned bits = meeting[i]; bits != 0; bits &= bits - 1) {
      const auto j = static_cast<std::size_t>(std::countr_zero(bits));
      const PreparedTriangle* const first = in_a[i];
      const PreparedTriangle* const second = in_b[j];
      if (first == nullptr || second == nullptr) continue;
      const Contact contact = classify_staged(*first, *second).contact;
      if (contact != Contact::none) out.push_back(pair_of(a.items[i], b.items[j], contact));
    }
  }
}

std::vector<TrianglePair> merged(std::vector<std::vector<TrianglePair>> lists) {
  std::size_t total = 0;
  for (const auto& list : lists) total += list.size();
  std::vector<TrianglePair> all;
  all.reserve(total);
  for (auto& list : lists) {
    all.insert(all.end(), list.begin(), list.end());
    list = {};
  }
  oneapi::tbb::parallel_sort(all.begin(), all.end());
  return all;
}

// Tells a progress that must not be called by two at once, and remembers that it wants to stop.
class SharedProgress {
 public:
  SharedProgress(Progress* progress, std::size_t total)
      : progress_(progress), total_(static_cast<double>(total)) {}
  [[nodiscard]] bool stopped() const { return stopped_; }
  void one_done() {
    if (progress_ == nullptr) return;
    const std::lock_guard lock(mutex_);
    ++done_;
    if (!stopped_ && !progress_->advance("crossings", static_cast<double>(done_) / total_)) {
      stopped_ = true;
    }
  }

 private:
  Progress* progress_;
  double total_;
  std::size_t done_ = 0;
  std::atomic<bool> stopped_ = false;
  std::mutex mutex_;
};

// ---- Shapes.

double cross_norm(const Vector& a, const Vector& b) { return a.cross(b).norm(); }

struct Plane {
  Point origin;
  Vector normal;  // unit
  [[nodiscard]] double height(const Point& p) const { return normal.dot(p - origin); }
};

Plane plane_of(const LabelledTriangle& t) {
  const Vector n = (t.corner[1] - t.corner[0]).cross(t.corner[2] - t.corner[0]);
  return {t.corner[0], n.normalized()};
}

// What is left of the segment from `a` to `b` inside the triangle, both in its plane.
std::optional<std::pair<double, double>> clip(const Point& a, const Point& b,
                                              const LabelledTriangle& t, const Vector& normal) {
  double begin = 0;
  double end = 1;
  for (int i = 0; i < 3; ++i) {
    const Point& p = t.corner[i];
    const Vector inward = normal.cross(t.corner[(i + 1) % 3] - p);
    const double from = inward.dot(a - p);
    const double to = inward.dot(b - p);
    if (from < 0 && to < 0) return std::nullopt;
    if (from < 0) begin = std::max(begin, from / (from - to));
    if (to < 0) end = std::min(end, from / (from - to));
  }
  if (begin > end) return std::nullopt;
  return std::pair{begin, end};
}

// The piece of `t` in the plane.
std::pair<Point, Point> cut(const LabelledTriangle& t, const Plane& plane) {
  std::array<double, 3> h{};
  for (int i = 0; i < 3; ++i) h[i] = plane.height(t.corner[i]);
  std::optional<Point> first;
  Point last = Point::Zero();
  const auto meets = [&](const Point& p) {
    if (!first) first = p;
    last = p;
  };
  for (int i = 0; i < 3; ++i) {
    const int j = (i + 1) % 3;
    if (h[i] == 0) meets(t.corner[i]);
    if (h[i] * h[j] < 0) {
      meets(t.corner[i] + (t.corner[j] - t.corner[i]) * (h[i] / (h[i] - h[j])));
    }
  }
  if (!first) {
    const auto nearest = std::min_element(
        h.begin(), h.end(), [](double x, double y) { return std::fabs(x) < std::fabs(y); });
    meets(t.corner[nearest - h.begin()]);
  }
  return {*first, last};
}

double distance_to_sides(const Point& p, const LabelledTriangle& t) {
  double least = std::numeric_limits<double>::infinity();
  for (int i = 0; i < 3; ++i) {
    // A triangle that is a segment.
    const Point& a = t.corner[i];
    const Point& b = t.corner[(i + 1) % 3];
    least = std::min(least, (closest_point(p, a, b, b) - p).norm());
  }
  return least;
}

ContactShape line_shape(const LabelledTriangle& a, const LabelledTriangle& b) {
  const Plane pa = plane_of(a);
  const Plane pb = plane_of(b);
  ContactShape shape;
  // Either triangle's piece within the other; rounding may lose one of them.
  const auto [p, q] = cut(a, pb);
  const auto [r, s] = cut(b, pa);
  if (const auto inside = clip(p, q, b, pb.normal)) {
    shape.from = p + (q - p) * inside->first;
    shape.to = p + (q - p) * inside->second;
  } else if (const auto other = clip(r, s, a, pa.normal)) {
    shape.from = r + (s - r) * other->first;
    shape.to = r + (s - r) * other->second;
  } else {
    // They meet in a point, or in next to one: the shorter piece is near to it.
    const bool first = (q - p).squaredNorm() < (s - r).squaredNorm();
    shape.from = shape.to = first ? Point(0.5 * (p + q)) : Point(0.5 * (r + s));
  }
  shape.place = 0.5 * (shape.from + shape.to);
  double inset_a = 0, inset_b = 0;
  for (const Point& x : {shape.from, shape.place, shape.to}) {
    inset_a = std::max(inset_a, distance_to_sides(x, a));
    inset_b = std::max(inset_b, distance_to_sides(x, b));
  }
  shape.inset = std::min(inset_a, inset_b);
  const auto reach = [](const Plane& plane, const LabelledTriangle& t) {
    double up = 0, down = 0;
    for (const Point& c : t.corner) {
      up = std::max(up, plane.height(c));
      down = std::max(down, -plane.height(c));
    }
    return std::min(up, down);
  };
  shape.depth = std::min(reach(pa, b), reach(pb, a));
  return shape;
}

ContactShape overlap_shape(const LabelledTriangle& a, const LabelledTriangle& b) {
  // Clip b by the sides of a (Sutherland and Hodgman 1974).
  const Vector normal = plane_of(a).normal;
  std::vector<Point> polygon(b.corner.begin(), b.corner.end());
  for (int i = 0; i < 3 && !polygon.empty(); ++i) {
    const Point& p = a.corner[i];
    const Vector inward = normal.cross(a.corner[(i + 1) % 3] - p);
    std::vector<Point> kept;
    for (std::size_t k = 0; k < polygon.size(); ++k) {
      const Point& from = polygon[k];
      const Point& to = polygon[(k + 1) % polygon.size()];
      const double hf = inward.dot(from - p);
      const double ht = inward.dot(to - p);
      if (hf >= 0) kept.push_back(from);
      if (hf * ht < 0) kept.push_back(from + (to - from) * (hf / (hf - ht)));
    }
    polygon = std::move(kept);
  }
  ContactShape shape;
  if (polygon.empty()) polygon = {(a.corner[0] + a.corner[1] + a.corner[2]) / 3.0};
  Vector sum = Vector::Zero();
  for (const Point& p : polygon) sum += p - polygon[0];
  shape.place = polygon[0] + sum / static_cast<double>(polygon.size());
  shape.from = shape.to = shape.place;
  for (std::size_t k = 2; k < polygon.size(); ++k) {
    shape.area += 0.5 * cross_norm(polygon[k - 1] - polygon[0], polygon[k] - polygon[0]);
  }
  return shape;
}

}  // namespace

ContactCounts count_contacts(std::span<const TrianglePair> pairs) {
  ContactCounts counts;
  for (const TrianglePair& p : pairs) {
    counts.crossing += p.contact == Contact::crossing;
    counts.overlap += p.contact == Contact::overlap;
    counts.touch += p.contact == Contact::touch;
  }
  return counts;
}

std::vector<TrianglePair> find_crossings(const Welded& mesh, Progress* progress) {
  if (mesh.triangles().empty()) return {};
  const BoxTree tree = tree_of(mesh);
  std::vector<std::vector<TrianglePair>> lists(tree.list_count());
  // One counter per list would be false sharing: lists report when their first pair of blocks is
  // visited, which is often enough.
  std::vector<unsigned char> begun(tree.list_count(), 0);
  SharedProgress shared(progress, tree.list_count());
  tree.for_each_block_pair([&](std::size_t list, const BoxTree::Block& a, const BoxTree::Block& b) {
    if (begun[list] == 0) {
      begun[list] = 1;
      shared.one_done();
    }
    if (!shared.stopped()) test_blocks(mesh, a, b, lists[list]);
  });
  if (shared.stopped()) throw Cancelled();
  return merged(std::move(lists));
}

std::vector<TrianglePair> find_crossings_of(const Welded& mesh, const std::vector<bool>& wanted) {
  std::vector<std::uint32_t> chosen;
  Array<FloatBox> boxes;
  for (std::uint32_t t = 0; t < wanted.size(); ++t) {
    if (!wanted[t]) continue;
    chosen.push_back(t);
    boxes.push_back(float_box(mesh, {t}));
  }
  // A tree of the few; everybody else comes by and asks, unless none is anywhere near.
  const OccupiedCells occupied(boxes, wanted.size());
  const BoxTree tree(std::move(boxes));
  return merged({parallel_collect<TrianglePair>(
      mesh.triangles().size(), 4096, [&](Range r, std::vector<TrianglePair>& out) {
        for (std::size_t i = r.begin; i < r.end; ++i) {
          const auto t = static_cast<std::uint32_t>(i);
          const FloatBox box = float_box(mesh, {t});
          if (!occupied.may_meet(box)) continue;
          std::optional<PreparedTriangle> own;
          tree.for_each_meeting(box, [&](std::uint32_t k) {
            const std::uint32_t other = chosen[k];
            // A pair of two wanted ones is found by the lower of them.
            if (other == t || (wanted[t] && other < t)) return;
            if (!own) prepare(mesh, {t}, own);
            std::optional<PreparedTriangle> second;
            prepare(mesh, {other}, second);
            if (!own || !second) return;
            const Contact contact = classify_staged(*own, *second).contact;
            if (contact != Contact::none) out.push_back(pair_of(t, other, contact));
          });
        }
      })});
}

ContactShape shape_of(const Welded& mesh, const TrianglePair& pair) {
  const LabelledTriangle a = labelled(mesh, pair.first);
  const LabelledTriangle b = labelled(mesh, pair.second);
  return pair.contact == Contact::overlap ? overlap_shape(a, b) : line_shape(a, b);
}

}  // namespace aguja
