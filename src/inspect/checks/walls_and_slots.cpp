// thin-wall and narrow-slot: surfaces that face away from each other with little material between,
// or towards each other with little air.

#include <array>
#include <cmath>
#include <functional>
#include <unordered_set>

#include <Eigen/Geometry>

#include "aguja/geometry/box_tree.h"
#include "base/short_text.h"
#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

// Opposite means within 20 degrees of it; two faces of a wedge beyond that meet soon enough.
constexpr double kOppositeCosine = 0.94;

struct Across {
  TriangleId from;
  TriangleId to;
  double thickness;
};

enum class Between { material, air };

// Directions by cells, each within 36 degrees of its middle: a quarter of a side of a cube. Some of
// them are the bits of a word.
class DirectionCells {
 public:
  using Some = std::uint32_t;
  DirectionCells() {
    for (std::size_t cell = 0; cell < kCells; ++cell) {
      const auto axis = static_cast<Eigen::Index>(cell / 8);
      const auto sign = [&](std::size_t bit) { return (cell >> bit & 1u) != 0 ? 1.0F : -1.0F; };
      Eigen::Vector3f middle;
      middle[axis] = sign(0);
      middle[(axis + 1) % 3] = 0.5F * sign(1);
      middle[(axis + 2) % 3] = 0.5F * sign(2);
      middles_[cell] = middle.normalized();
    }
  }
  [[nodiscard]] static Some of(const Eigen::Vector3f& direction) {
    Eigen::Index axis = 0;
    direction.cwiseAbs().maxCoeff(&axis);
    const auto bit = [&](Eigen::Index k) { return direction[k % 3] > 0 ? 1u : 0u; };
    return Some{1} << (8 * static_cast<unsigned>(axis) + bit(axis) + 2 * bit(axis + 1) +
                       4 * bit(axis + 2));
  }
  // All that hold a direction which is opposite to this one, within the limit.
  [[nodiscard]] Some opposite_to(const Eigen::Vector3f& direction) const {
    constexpr float kLeast = 0.55F;  // cosine of 36 and 20 degrees
    Some some = 0;
    for (std::size_t cell = 0; cell < kCells; ++cell) {
      some |= static_cast<Some>(middles_[cell].dot(direction) < -kLeast) << cell;
    }
    return some;
  }

 private:
  static constexpr std::size_t kCells = 24;
  std::array<Eigen::Vector3f, kCells> middles_;
};

class Opposites {
 public:
  Opposites(const PartView& view, Between between, double limit)
      : view_(view),
        a_(view.anatomy),
        side_(between == Between::material ? -1 : 1),
        limit_(limit),
        normal_(a_.welded.triangles().size()) {
    Array<FloatBox> boxes(normal_.size());
    parallel_ranges(normal_.size(), 1 << 13, [&](Range r) {
      for (std::size_t t = r.begin; t < r.end; ++t) {
        Box box;
        for (const VertexId v : a_.welded.triangles()[t].corner) box.extend(a_.welded.point(v));
        boxes[t] = FloatBox(box);
        normal_[t] = normal_of({static_cast<std::uint32_t>(t)}).cast<float>();
      }
    });
    tree_ = BoxTree(std::move(boxes));
    cells_below_ = tree_.by_node<DirectionCells::Some>(
        [&](std::uint32_t t) { return DirectionCells::of(normal_[t]); }, std::bit_or<>());
    find_wedges();
  }

  std::vector<Across> find() const {
    return parallel_collect<Across>(normal_.size(), 2048, [&](Range r, std::vector<Across>& out) {
      for (std::size_t t = r.begin; t < r.end; ++t) {
        const TriangleId id{static_cast<std::uint32_t>(t)};
        if (!counts(id)) continue;
        if (const auto hit = opposite(id)) out.push_back(*hit);
      }
    });
  }

 private:
  [[nodiscard]] Vector normal_of(TriangleId t) const {
    const Triangle& c = a_.welded.triangle(t);
    const Vector cross = (a_.welded.point(c[1]) - a_.welded.point(c[0]))
                             .cross(a_.welded.point(c[2]) - a_.welded.point(c[0]));
    const double length = cross.norm();
    return length > 0 ? Vector(cross / length) : Vector(Vector::Zero());
  }
  // Strays, copies and sheets have no material behind them.
  [[nodiscard]] bool counts(TriangleId t) const {
    if (!a_.components.has(t) || normal_[t.value].isZero()) return false;
    const ShellId shell = a_.components.shell_of[t.value];
    return !view_.causes.is_surplus(t) && !view_.causes.is_internal(t) &&
           !view_.causes.is_stray(shell) && !view_.causes.is_loose_sheet(shell) &&
           !(a_.shells[shell.value].closed && a_.shells[shell.value].volume_sign == 0);
  }

  // Pairs of patches that meet in an edge with a wedge between: near it they are as near as one
  // likes, which tells nothing of a wall or a slot.
  void find_wedges() {
    if (!view_.patches) return;
    for (std::uint32_t i = 0; i < a_.edges.size(); ++i) {
      const auto uses = a_.edges.uses({i});
      if (uses.size() != 2) continue;
      const std::uint32_t p = patch(uses[0].triangle()), q = patch(uses[1].triangle());
      if (p == q) continue;
      if (normal_[uses[0].triangle().value].dot(normal_[uses[1].triangle().value]) < -0.2) {
        wedges_.insert(key(p, q));
      }
    }
  }
  [[nodiscard]] std::uint32_t patch(TriangleId t) const {
    return view_.patches->patch_of[t.value].value;
  }
  [[nodiscard]] static std::uint64_t key(std::uint32_t p, std::uint32_t q) {
    const auto [low, high] = std::minmax(p, q);
    return (std::uint64_t{low} << 32) | high;
  }
  [[nodiscard]] bool is_wedge(TriangleId t, TriangleId u) const {
    return view_.patches && wedges_.contains(key(patch(t), patch(u)));
  }

  // What two bodies have in common is a wall of neither.
  [[nodiscard]] bool is_in_two_bodies(TriangleId t, TriangleId u) const {
    const ShellId s = a_.components.shell_of[t.value], o = a_.components.shell_of[u.value];
    return side_ < 0 && s != o && a_.shells[s.value].volume_sign > 0 &&
           a_.shells[o.value].volume_sign > 0;
  }

  // Straight on from the middle of the triangle.
  [[nodiscard]] std::optional<Across> opposite(TriangleId t) const {
    const Point from = centroid_of(a_, t);
    const Vector n = normal_of(t);
    const Eigen::Vector3f rough = normal_[t.value];
    // What lies in the triangle's own plane is not asked: thousands of needles may.
    const double nearest = view_.limits[Limit::near_vertices];
    const auto as_far_as = [&](double limit) {
      Box box;
      box.extend(from + side_ * 0.5 * std::min(nearest, limit_) * n);
      box.extend(from + side_ * limit * n);
      return FloatBox(box);
    };
    FloatBox box = as_far_as(limit_);
    std::optional<Across> best;
    const DirectionCells::Some wanted = cells_.opposite_to(rough);
    const auto admits = [&](std::uint32_t node) { return (cells_below_[node] & wanted) != 0; };
    tree_.for_each_meeting(box, admits, [&](std::uint32_t other) {
      const TriangleId u{other};
      if (rough.dot(normal_[other]) > -kOppositeCosine || u == t || !counts(u)) return;
      const Triangle& c = a_.welded.triangle(u);
      const Point &x = a_.welded.point(c[0]), &y = a_.welded.point(c[1]),
                  &z = a_.welded.point(c[2]);
      const Vector m = normal_of(u);
      const double along = side_ * (x - from).dot(m) / n.dot(m);
      // Behind, and not as good as on it: that is an overlap, or a crack.
      if (!(along > nearest) || along > limit_) return;
      const Point at = from + side_ * along * n;
      if ((y - x).cross(at - x).dot(m) < 0 || (z - y).cross(at - y).dot(m) < 0 ||
          (x - z).cross(at - z).dot(m) < 0) {
        return;
      }
      if (is_wedge(t, u) || is_in_two_bodies(t, u)) return;
      if (best && along >= best->thickness) return;
      best = {t, u, along};
      box = as_far_as(along);
    });
    return best;
  }

  const PartView& view_;
  const Anatomy& a_;
  double side_;  // of the normal
  double limit_;
  std::vector<Eigen::Vector3f> normal_;  // the first question asked of what lies near
  BoxTree tree_;
  DirectionCells cells_;
  Array<DirectionCells::Some> cells_below_;  // by node of the tree
  std::unordered_set<std::uint64_t> wedges_;
};

void report(const PartView& view, FindingKind kind, Between between, double limit,
            FindingSink& sink) {
  if (view.intent == Intent::sheet || !(limit > 0) || view.anatomy.shells.empty()) return;
  const Anatomy& a = view.anatomy;
  const std::vector<Across> thin = Opposites(view, between, limit).find();
  // Together: neighbours, and what lies across.
  const auto groups = connected_groups(thin, [&](const Across& w, const auto& key) {
    for (const TriangleId t : {w.from, w.to}) {
      for (const VertexId v : a.welded.triangle(t).corner) key(v.value);
    }
    key((std::uint64_t{1} << 32) | w.to.value);
    key((std::uint64_t{1} << 32) | w.from.value);
  });
  for (const auto& group : groups) {
    Finding finding;
    finding.kind = kind;
    finding.measure = limit;
    finding.limit = limit;
    std::vector<Point> points;
    std::vector<TriangleId> triangles;
    double area = 0;
    double largest = 0;
    for (const Across& w : group) {
      area += area_of(a, w.from);
      largest = std::max(largest, w.thickness);
      triangles.push_back(w.from);
      triangles.push_back(w.to);
      append_points(a, w.from, points);
      if (w.thickness < finding.measure) {
        finding.measure = w.thickness;
        finding.place = centroid_of(a, w.from);
      }
    }
    finding.count = group.size();
    finding.box = box_of(points);
    const auto h = view.limits.element_size();
    if (h) finding.detail = short_text(finding.measure / *h) + " elements across, ";
    finding.detail += "up to " + short_text(largest) +
                      (between == Between::air ? " wide, about " : " thick, about ") +
                      short_text(0.5 * area) + " of area on each side";
    finding.waits_for.assign(info(finding.kind).waits_for.begin(),
                             info(finding.kind).waits_for.end());
    sink.add(std::move(finding), points, std::move(triangles));
  }
}

}  // namespace

void check_thin_walls(const PartView& view, FindingSink& sink) {
  const auto h = view.limits.element_size();
  const double limit = h ? *h * view.limits[Limit::elements_across] : view.limits[Limit::thin_wall];
  report(view, FindingKind::thin_wall, Between::material, limit, sink);
}

void check_narrow_slots(const PartView& view, FindingSink& sink) {
  report(view, FindingKind::narrow_slot, Between::air, view.limits[Limit::narrow_slot], sink);
}

}  // namespace aguja
