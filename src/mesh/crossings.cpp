#include "aguja/mesh/crossings.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <bit>
#include <cmath>
#include <limits>
#include <mutex>
#include <numeric>
#include <optional>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/distance.h"
#include "aguja/geometry/predicates.h"
#include "base/parallel_algorithms.h"
#include "mesh/crowds.h"
#include "mesh/needles.h"

namespace aguja {
namespace {

// Stays empty for a triangle of no area.
void prepare(const Welded& mesh, TriangleId t, std::optional<PreparedTriangle>& out) {
  if (has_equal_corners(mesh.triangle(t))) return;
  out.emplace(labelled(mesh, t));
  if (out->turn() == 0 && is_collinear(out->corner(0), out->corner(1), out->corner(2))) out.reset();
}

Box box_of_triangle(const Welded& mesh, TriangleId t) {
  Box box;
  for (const VertexId v : mesh.triangle(t).corner) box.extend(mesh.point(v));
  return box;
}
FloatBox float_box(const Welded& mesh, TriangleId t) { return FloatBox(box_of_triangle(mesh, t)); }

// A grid over some triangles that knows which of its cells hold any of them: a look at a few bits
// spares most others the way down a tree. Every vertex knows its cell; a layer around the grid
// stands for all that is outside. Two boxes that meet have a cell in common, since cells follow
// coordinates.
class OccupiedCells {
 public:
  OccupiedCells(const Welded& mesh, std::span<const std::uint32_t> triangles) : mesh_(mesh) {
    if (triangles.empty()) return;
    Box whole;
    for (const std::uint32_t t : triangles) whole.extend(box_of_triangle(mesh, {t}));
    const Vector size = whole.high - whole.low;
    const double largest = size.maxCoeff();
    if (!(largest > 0) || !std::isfinite(largest)) return;
    // Cubes; a flat direction gets one layer.
    const auto questions = static_cast<double>(mesh.triangles().size());
    const double volume = size.cwiseMax(largest / kMostAlong).prod();
    const double side =
        std::max(std::cbrt(volume / std::min(16 * questions, kMostCells)), largest / kMostAlong);
    std::array<std::uint32_t, 3> count{};
    for (std::size_t k = 0; k < 3; ++k)
      count[k] = static_cast<std::uint32_t>(size[static_cast<Eigen::Index>(k)] / side) + 1;
    rows_ = count[1] + 2;
    columns_ = count[2] + 2;
    cell_of_.resize(mesh.points().size());
    parallel_ranges(cell_of_.size(), std::size_t{1} << 14, [&](Range r) {
      for (std::size_t v = r.begin; v < r.end; ++v) {
        std::uint32_t packed = 0;
        for (int k = 0; k < 3; ++k) {
          const double at = std::floor((mesh.points()[v][k] - whole.low[k]) / side) + 1;
          const double last = count[static_cast<std::size_t>(k)] + 1;
          packed = packed << kBits | static_cast<std::uint32_t>(std::clamp(at, 0.0, last));
        }
        cell_of_[v] = packed;
      }
    });
    // Triangles that fill the grid are not worth marking.
    std::size_t marks = 0;
    for (const std::uint32_t t : triangles) marks += size_of(cells_of({t}));
    if (marks > 16 * mesh.triangles().size()) return;
    bits_.resize(((count[0] + 2) * std::size_t{rows_} * columns_ + 63) / 64);
    for (const std::uint32_t t : triangles) {
      for_each_cell(cells_of({t}), [&](std::size_t cell) {
        bits_[cell / 64] |= std::uint64_t{1} << (cell % 64);
        return true;
      });
    }
  }

  // False only if the box of none of them meets this one's.
  [[nodiscard]] bool may_meet(TriangleId t) const {
    if (bits_.empty()) return true;
    const Cells cells = cells_of(t);
    if (size_of(cells) > kMostLookedAt) return true;
    return !for_each_cell(
        cells, [&](std::size_t cell) { return (bits_[cell / 64] >> (cell % 64) & 1) == 0; });
  }

 private:
  static constexpr int kBits = 10;
  static constexpr double kMostAlong = (1 << kBits) - 4;
  static constexpr double kMostCells = 1 << 24;
  static constexpr std::size_t kMostLookedAt = 64;
  struct Cells {
    std::array<std::uint32_t, 3> first, last;
  };
  static std::size_t size_of(const Cells& cells) {
    std::size_t total = 1;
    for (std::size_t k = 0; k < 3; ++k) total *= cells.last[k] - cells.first[k] + 1;
    return total;
  }
  [[nodiscard]] Cells cells_of(TriangleId t) const {
    constexpr std::uint32_t kMask = (1 << kBits) - 1;
    const Triangle& triangle = mesh_.triangle(t);
    const std::array<std::uint32_t, 3> packed = {
        cell_of_[triangle[0].value], cell_of_[triangle[1].value], cell_of_[triangle[2].value]};
    Cells cells{};
    for (std::size_t k = 0; k < 3; ++k) {
      const std::size_t shift = kBits * (2 - k);
      const std::uint32_t a = packed[0] >> shift & kMask, b = packed[1] >> shift & kMask,
                          c = packed[2] >> shift & kMask;
      cells.first[k] = std::min({a, b, c});
      cells.last[k] = std::max({a, b, c});
    }
    return cells;
  }
  // Stops, and returns false, where `visit` does.
  template <class Visit>
  bool for_each_cell(const Cells& cells, const Visit& visit) const {
    for (std::size_t i = cells.first[0]; i <= cells.last[0]; ++i) {
      for (std::size_t j = cells.first[1]; j <= cells.last[1]; ++j) {
        const std::size_t row = (i * rows_ + j) * columns_;
        for (std::size_t k = cells.first[2]; k <= cells.last[2]; ++k) {
          if (!visit(row + k)) return false;
        }
      }
    }
    return true;
  }

  const Welded& mesh_;
  std::uint32_t rows_ = 0, columns_ = 0;
  Array<std::uint32_t> cell_of_;     // by vertex: three numbers of kBits
  std::vector<std::uint64_t> bits_;  // empty: nothing is known
};

Array<FloatBox> boxes_of(const Welded& mesh) {
  Array<FloatBox> boxes(mesh.triangles().size());
  parallel_ranges(boxes.size(), std::size_t{1} << 13, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      boxes[i] = float_box(mesh, {static_cast<std::uint32_t>(i)});
    }
  });
  return boxes;
}

// A tree over some triangles, or all, and which pairs of them others look at.
struct Search {
  BoxTree tree;
  std::span<const std::uint32_t> triangles;  // by item; empty: its own number
  std::span<const std::uint32_t> class_of;   // by item; may be empty
  // By item; may be empty: the classes again, where one of them is put above them in `class_of`.
  std::span<const std::uint32_t> below = {};

  [[nodiscard]] std::uint32_t triangle(std::uint32_t item) const {
    return triangles.empty() ? item : triangles[item];
  }
  [[nodiscard]] bool are_others(std::uint32_t a, std::uint32_t b) const {
    return are_one(class_of, a, b) || are_one(below, a, b);
  }

 private:
  [[nodiscard]] static bool are_one(std::span<const std::uint32_t> classes, std::uint32_t a,
                                    std::uint32_t b) {
    return !classes.empty() && classes[a] != BoxTree::kNone && classes[a] == classes[b];
  }
};

// The triangles of a block, prepared when first asked for.
class PreparedBlock {
 public:
  PreparedBlock(const Welded& mesh, const Search& search, const BoxTree::Block& block)
      : mesh_(mesh), search_(search), block_(block) {}

  // Null if it has no area.
  const PreparedTriangle* operator[](std::size_t i) {
    if (!known_[i]) {
      known_[i] = true;
      prepare(mesh_, {search_.triangle(block_.items[i])}, prepared_[i]);
    }
    return prepared_[i] ? &*prepared_[i] : nullptr;
  }

 private:
  const Welded& mesh_;
  const Search& search_;
  const BoxTree::Block& block_;
  std::array<bool, BoxTree::kBlock> known_{};
  std::array<std::optional<PreparedTriangle>, BoxTree::kBlock> prepared_;
};

TrianglePair pair_of(std::uint32_t a, std::uint32_t b, Contact contact) {
  return {{std::min(a, b)}, {std::max(a, b)}, contact};
}

void test_blocks(const Welded& mesh, const Search& search, const BoxTree::Block& a,
                 const BoxTree::Block& b, std::vector<TrianglePair>& out) {
  const bool same = a.items.data() == b.items.data();
  std::array<unsigned, BoxTree::kBlock> meeting{};
  unsigned any = 0;
  for (std::size_t i = 0; i < a.items.size(); ++i) {
    meeting[i] = b.boxes.meeting(a.boxes[i]);
    if (same) meeting[i] &= ~((2u << i) - 1);
    any |= meeting[i];
  }
  if (any == 0) return;
  PreparedBlock in_a(mesh, search, a);
  PreparedBlock in_other(mesh, search, b);
  PreparedBlock& in_b = same ? in_a : in_other;
  for (std::size_t i = 0; i < a.items.size(); ++i) {
    for (unsigned bits = meeting[i]; bits != 0; bits &= bits - 1) {
      const auto j = static_cast<std::size_t>(std::countr_zero(bits));
      if (search.are_others(a.items[i], b.items[j])) continue;
      const PreparedTriangle* const first = in_a[i];
      const PreparedTriangle* const second = in_b[j];
      if (first == nullptr || second == nullptr) continue;
      const Contact contact = classify_staged(*first, *second).contact;
      if (contact == Contact::none) continue;
      out.push_back(pair_of(search.triangle(a.items[i]), search.triangle(b.items[j]), contact));
    }
  }
}

constexpr std::size_t kNeedlesAJob = 256;

// Needles from the `first` on, one job's share, against those that they may meet.
template <class GoesOn>
void test_needles(const Welded& mesh, const Needles& needles, std::size_t first,
                  std::vector<TrianglePair>& out, const GoesOn& goes_on) {
  for (std::size_t i = first; i < std::min(first + kNeedlesAJob, needles.size()); ++i) {
    const std::uint32_t t = needles.triangle(i);
    std::optional<PreparedTriangle> own, other;
    prepare(mesh, {t}, own);
    if (!own) continue;
    const FloatBox box = float_box(mesh, {t});
    bool on = goes_on();
    needles.for_each_near(i, [&](std::uint32_t u) {
      if (!box.meets(float_box(mesh, {u}))) return true;
      other.reset();
      prepare(mesh, {u}, other);
      if (!other) return true;
      const Contact contact = classify_staged(*own, *other).contact;
      if (contact != Contact::none) {
        out.push_back(pair_of(t, u, contact));
        on = goes_on();
      }
      return on;
    });
    if (!on) return;
  }
}

// Crowds as classes, and all needles as one above them.
std::vector<std::uint32_t> classes_with(const Needles& needles,
                                        std::span<const std::uint32_t> crowd_of,
                                        std::size_t count) {
  std::vector<std::uint32_t> classes(count, BoxTree::kNone);
  std::copy(crowd_of.begin(), crowd_of.end(), classes.begin());
  for (std::size_t i = 0; i < needles.size(); ++i) {
    classes[needles.triangle(i)] = BoxTree::kNone - 1;
  }
  return classes;
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
  parallel_sort(all.begin(), all.end());
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

struct TrianglePlane {
  Point origin;
  Vector normal;  // unit
  [[nodiscard]] double height(const Point& p) const { return normal.dot(p - origin); }
};

TrianglePlane plane_of(const LabelledTriangle& t) {
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
std::pair<Point, Point> cut(const LabelledTriangle& t, const TrianglePlane& plane) {
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
  const TrianglePlane pa = plane_of(a);
  const TrianglePlane pb = plane_of(b);
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
  const auto reach = [](const TrianglePlane& plane, const LabelledTriangle& t) {
    double up = 0, down = 0;
    for (const Point& c : t.corner) {
      up = std::max(up, plane.height(c));
      down = std::max(down, -plane.height(c));
    }
    return std::min(up, down);
  };
  shape.reach = std::min(reach(pa, b), reach(pb, a));
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

namespace {

// Triangles on the same three vertices: the first of them stands for all.
struct Copies {
  std::vector<std::uint32_t> first;                // one of each, rising
  std::vector<std::vector<std::uint32_t>> others;  // by place in `first`
};

// Nothing unless some triangle is there so often that its copies would meet each other for nothing.
std::optional<Copies> many_copies(const Welded& mesh) {
  constexpr std::size_t kMany = 64, kLooked = 1024;
  const std::size_t count = mesh.triangles().size();
  if (count < kMany) return std::nullopt;
  const auto key_of = [&](std::size_t t) {
    const Triangle& triangle = mesh.triangle({static_cast<std::uint32_t>(t)});
    std::array<std::uint32_t, 3> key = {triangle[0].value, triangle[1].value, triangle[2].value};
    std::sort(key.begin(), key.end());
    return key;
  };
  // Where copies are a matter, a few triangles taken from anywhere tell.
  std::vector<std::array<std::uint32_t, 3>> looked;
  for (std::size_t i = 0; i < std::min(count, kLooked); ++i) {
    looked.push_back(key_of(i * count / std::min(count, kLooked)));
  }
  std::sort(looked.begin(), looked.end());
  if (std::adjacent_find(looked.begin(), looked.end()) == looked.end()) return std::nullopt;
  std::vector<std::uint32_t> order(count);
  std::iota(order.begin(), order.end(), 0u);
  parallel_sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    return std::pair(key_of(a), a) < std::pair(key_of(b), b);
  });
  std::size_t most = 0;
  std::vector<std::pair<std::uint32_t, std::vector<std::uint32_t>>> groups;
  for (std::size_t i = 0; i < count;) {
    std::size_t end = i + 1;
    while (end < count && key_of(order[end]) == key_of(order[i])) ++end;
    groups.emplace_back(
        order[i], std::vector<std::uint32_t>(order.begin() + static_cast<std::ptrdiff_t>(i + 1),
                                             order.begin() + static_cast<std::ptrdiff_t>(end)));
    most = std::max(most, end - i);
    i = end;
  }
  if (most < kMany) return std::nullopt;
  std::sort(groups.begin(), groups.end());
  Copies copies;
  for (auto& [first, others] : groups) {
    copies.first.push_back(first);
    copies.others.push_back(std::move(others));
  }
  return copies;
}

SomeCrossings crossings_of_all(const Welded& mesh, std::size_t most, Progress* progress,
                               std::optional<BoxTree>* tree) {
  if (mesh.triangles().empty()) return {};
  Crowds crowds(mesh);
  std::vector<Search> searches;
  searches.push_back({BoxTree(boxes_of(mesh), crowds.crowd_of()), {}, crowds.crowd_of()});
  const Needles needles(mesh, searches[0].tree, crowds.crowd_of());
  std::vector<std::uint32_t> classes;
  if (!needles.empty()) {
    classes = classes_with(needles, crowds.crowd_of(), mesh.triangles().size());
    searches[0] = {BoxTree(boxes_of(mesh), classes), {}, classes, crowds.crowd_of()};
  }
  for (Crowd& c : crowds.list()) {
    if (c.triangles.size() < 2) continue;
    searches.push_back({BoxTree(std::move(c.boxes), c.crowd_of), c.triangles, c.crowd_of});
  }
  struct Job {
    const Search* search;  // null: needles from the `list`-th on
    std::size_t list;
  };
  std::vector<Job> jobs;
  for (const Search& search : searches) {
    for (std::size_t list = 0; list < search.tree.list_count(); ++list) {
      jobs.push_back({&search, list});
    }
  }
  for (std::size_t i = 0; i < needles.size(); i += kNeedlesAJob) jobs.push_back({nullptr, i});
  SharedProgress shared(progress, jobs.size());
  std::vector<std::vector<TrianglePair>> lists(jobs.size());
  // Stops after so many; a pair of blocks brings a few more.
  const auto run = [&](std::size_t job, std::size_t enough) {
    lists[job].clear();
    if (jobs[job].search == nullptr) {
      test_needles(mesh, needles, jobs[job].list, lists[job],
                   [&] { return !shared.stopped() && lists[job].size() <= enough; });
      return;
    }
    const Search& search = *jobs[job].search;
    search.tree.for_each_block_pair_of(jobs[job].list,
                                       [&](const BoxTree::Block& a, const BoxTree::Block& b) {
                                         test_blocks(mesh, search, a, b, lists[job]);
                                         return !shared.stopped() && lists[job].size() <= enough;
                                       });
  };
  // Wave by wave, so that what is found does not depend on who was first; lists that were cut off
  // are gone through again while there is room.
  constexpr std::size_t kWave = 64, kParts = 16;
  std::size_t total = 0, done = 0;
  bool are_all = true;
  while (done < jobs.size() && are_all) {
    const std::size_t end = std::min(jobs.size(), done + kWave);
    const std::size_t share = std::max<std::size_t>(1, (most - total) / kParts);
    parallel_tasks(end - done, [&](std::size_t k) {
      if (shared.stopped()) return;
      run(done + k, share);
      shared.one_done();
    });
    for (; done < end && are_all; ++done) {
      const std::size_t room = most - total;
      if (lists[done].size() > share && share < room) run(done, room);
      if (lists[done].size() > room) {
        lists[done].resize(room);
        are_all = false;
      }
      total += lists[done].size();
    }
  }
  if (shared.stopped()) throw Cancelled();
  lists.resize(done);
  if (tree != nullptr && crowds.crowd_of().empty() && needles.empty())
    *tree = std::move(searches[0].tree);
  return {merged(std::move(lists)), are_all};
}

}  // namespace

SomeCrossings find_crossings_up_to(const Welded& mesh, std::size_t most, Progress* progress,
                                   std::optional<BoxTree>* tree) {
  const auto copies = many_copies(mesh);
  if (!copies) return crossings_of_all(mesh, most, progress, tree);
  Mesh one_of_each;
  for (const Point& p : mesh.points()) one_of_each.points.push_back(p);
  for (const std::uint32_t t : copies->first) one_of_each.triangles.push_back(mesh.triangle({t}));
  one_of_each.points_are_distinct = true;
  const auto with_copies = [&](std::uint32_t k) {
    std::vector<std::uint32_t> list = {copies->first[k]};
    list.insert(list.end(), copies->others[k].begin(), copies->others[k].end());
    return list;
  };
  const Welded welded(one_of_each);
  const SomeCrossings found = crossings_of_all(welded, most, progress, nullptr);
  SomeCrossings all{{}, found.are_all};
  for (const TrianglePair& pair : found.pairs) {
    for (const std::uint32_t a : with_copies(pair.first.value)) {
      for (const std::uint32_t b : with_copies(pair.second.value)) {
        if (all.pairs.size() == most) {
          all.are_all = false;
          break;
        }
        all.pairs.push_back(pair_of(a, b, pair.contact));
      }
    }
  }
  parallel_sort(all.pairs.begin(), all.pairs.end());
  return all;
}

std::vector<TrianglePair> find_crossings(const Welded& mesh, Progress* progress) {
  return find_crossings_up_to(mesh, std::numeric_limits<std::size_t>::max(), progress).pairs;
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
  const BoxTree tree(Array<FloatBox>{boxes});
  // Many of a crowd would be asked by all of it, and needles by all those beside them.
  if (chosen.size() > wanted.size() / 4 && (Crowds::are_in(mesh) || Needles::are_in(mesh, tree))) {
    std::vector<TrianglePair> pairs = find_crossings(mesh);
    std::erase_if(pairs, [&](const TrianglePair& pair) {
      return !wanted[pair.first.value] && !wanted[pair.second.value];
    });
    return pairs;
  }
  const OccupiedCells occupied(mesh, chosen);
  // Each of the few is asked for by a dozen others: prepared once, while that takes little memory.
  std::vector<std::optional<PreparedTriangle>> kept;
  if (chosen.size() <= wanted.size() / 4) {
    kept.resize(chosen.size());
    parallel_ranges(chosen.size(), std::size_t{1} << 12, [&](Range r) {
      for (std::size_t k = r.begin; k < r.end; ++k) prepare(mesh, {chosen[k]}, kept[k]);
    });
  }
  const auto test = [&](std::uint32_t t, std::optional<PreparedTriangle>& own, std::uint32_t k,
                        std::vector<TrianglePair>& out) {
    const std::uint32_t other = chosen[k];
    // A pair of two wanted ones is found by the lower of them.
    if (other == t || (wanted[t] && other < t)) return;
    if (!own) prepare(mesh, {t}, own);
    std::optional<PreparedTriangle> fresh;
    if (kept.empty()) prepare(mesh, {other}, fresh);
    const std::optional<PreparedTriangle>& second = kept.empty() ? fresh : kept[k];
    if (!own || !second) return;
    const Contact contact = classify_staged(*own, *second).contact;
    if (contact != Contact::none) out.push_back(pair_of(t, other, contact));
  };
  // Those that follow each other in the file mostly lie together: one way down the tree for
  // several.
  struct Group {
    std::array<std::uint32_t, 8> triangles;
    std::array<FloatBox, 8> boxes;
    std::size_t size = 0;
    FloatBox whole;
    float largest = 0;
  };
  constexpr float kSpread = 3;  // of a group, against its largest box
  return merged({parallel_collect<TrianglePair>(
      mesh.triangles().size(), 4096, [&](Range r, std::vector<TrianglePair>& out) {
        Group group;
        std::vector<std::uint32_t> near;
        const auto ask = [&] {
          if (group.size == 0) return;
          near.clear();
          tree.for_each_meeting(group.whole, [&](std::uint32_t k) { near.push_back(k); });
          for (std::size_t i = 0; i < group.size; ++i) {
            std::optional<PreparedTriangle> own;
            for (const std::uint32_t k : near) {
              if (group.boxes[i].meets(boxes[k])) test(group.triangles[i], own, k, out);
            }
          }
          group.size = 0;
        };
        for (std::size_t i = r.begin; i < r.end; ++i) {
          const auto t = static_cast<std::uint32_t>(i);
          if (!occupied.may_meet({t})) continue;
          const FloatBox box = float_box(mesh, {t});
          FloatBox whole = box;
          if (group.size > 0) whole.extend(group.whole);
          const float largest = std::max(group.size > 0 ? group.largest : 0, box.extent());
          if (group.size == group.triangles.size() || whole.extent() > kSpread * largest) {
            ask();
            whole = box;
          }
          group.largest = group.size > 0 ? largest : box.extent();
          group.whole = whole;
          group.triangles[group.size] = t;
          group.boxes[group.size++] = box;
        }
        ask();
      })});
}

ContactShape shape_of(const Welded& mesh, const TrianglePair& pair) {
  const LabelledTriangle a = labelled(mesh, pair.first);
  const LabelledTriangle b = labelled(mesh, pair.second);
  return pair.contact == Contact::overlap ? overlap_shape(a, b) : line_shape(a, b);
}

}  // namespace aguja
