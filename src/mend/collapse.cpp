#include "aguja/mend/collapse.h"

#include <algorithm>
#include <array>
#include <limits>
#include <map>

#include <Eigen/Geometry>

#include "aguja/mesh/weld.h"
#include "base/numbers.h"
#include "mend/edge_operations.h"

namespace aguja {
namespace {

// Longest side by the height on it; infinite without area.
double aspect(const TriangleCorners& t) {
  double longest = 0;
  for (std::size_t k = 0; k < 3; ++k) {
    longest = std::max(longest, (t[(k + 1) % 3] - t[k]).squaredNorm());
  }
  const double twice = 2 * area_of(t);
  return twice > 0 ? longest / twice : kInfinity;
}

class Collapser {
 public:
  Collapser(EditableMesh& mesh, const CollapseOptions& options, const std::vector<bool>& banned)
      : mesh_(mesh), options_(options), banned_(banned) {}

  /// True if the triangle is gone, or better, afterwards. `target` is the operation's number.
  bool mend(TriangleId t, std::uint32_t target) {
    target_ = target;
    reason_.reset();
    needed_ = kInfinity;
    if (target < banned_.size() && banned_[target]) return false;
    if (!mesh_.is_there(t)) return true;
    if (has_equal_corners(mesh_.triangle(t))) {
      mesh_.apply_unexamined({{t}, {}}, target_);  // it bounds nothing
      return true;
    }
    if (contract(t) || flip_longest(t)) return true;
    return flip_aside(t);
  }
  [[nodiscard]] std::optional<Refusal> refusal(const Point& place) const {
    if (!reason_) return std::nullopt;
    if (*reason_ == RefusalReason::beyond_budget) return beyond_budget(place, needed_);
    return Refusal{*reason_, place, {}};
  }

  bool contract_edge(VertexId a, VertexId b, bool improve) {
    if (crosses_a_wall(mesh_, a, b)) {
      note(RefusalReason::wall_lost);
      return false;
    }
    const Point middle = 0.5 * (mesh_.point(a) + mesh_.point(b));
    for (const VertexId to : {a, b}) {
      if (attempt(contraction(mesh_, a, b, to), improve)) return true;
    }
    const VertexId between = mesh_.add_point(middle);
    return attempt(contraction(mesh_, a, b, between), improve);
  }

 private:
  [[nodiscard]] double worst(const Replacement& r, bool after) const {
    double aspect_of_worst = 0;
    if (after) {
      for (const auto& added : r.add) {
        aspect_of_worst = std::max(aspect_of_worst, aspect(mesh_.corners(added.triangle)));
      }
    } else {
      for (const TriangleId t : r.remove) {
        aspect_of_worst = std::max(aspect_of_worst, aspect(mesh_.corners(t)));
      }
    }
    return aspect_of_worst;
  }

  bool attempt(const Replacement& r, bool improve) {
    if (r.remove.empty()) return false;
    constexpr double kBetter = 0.999;
    if (improve && !(worst(r, true) < kBetter * worst(r, false))) {
      note(RefusalReason::no_gain);
      return false;
    }
    if (const auto reason = mesh_.examine(r, kInfinity)) {
      note(*reason);
      if (*reason == RefusalReason::beyond_budget) {
        needed_ = std::min(needed_, mesh_.budget_for(r));
      }
      return false;
    }
    mesh_.apply(r, target_);
    return true;
  }
  // The reason that says most: the budget, if that alone is in the way of anything.
  void note(RefusalReason reason) {
    if (!reason_ || *reason_ == RefusalReason::no_gain || reason == RefusalReason::beyond_budget) {
      reason_ = reason;
    }
  }

  struct Side {
    VertexId from, to;
    double length;
  };
  // Longest first.
  [[nodiscard]] std::array<Side, 3> sides(TriangleId t) const {
    const Triangle& tri = mesh_.triangle(t);
    std::array<Side, 3> s{};
    for (std::size_t k = 0; k < 3; ++k) {
      const VertexId a = tri[k], b = tri[(k + 1) % 3];
      s[k] = {a, b, (mesh_.point(b) - mesh_.point(a)).norm()};
    }
    std::stable_sort(s.begin(), s.end(),
                     [](const Side& x, const Side& y) { return x.length > y.length; });
    return s;
  }

  bool contract(TriangleId t) {
    const auto s = sides(t);
    const bool is_short = s[2].length < options_.short_edge;
    return contract_edge(s[2].from, s[2].to, !is_short);
  }

  bool flip_longest(TriangleId t) {
    const auto s = sides(t);
    const auto r = flip(mesh_, s[0].from, s[0].to);
    return r && !crosses_a_wall(mesh_, *r) && attempt(*r, true);
  }

  // A fan of slivers over one long edge: the neighbour across the longest edge is thinner still, or
  // the flip would fold. Flip one of its other edges first, if that makes nothing worse.
  bool flip_aside(TriangleId t) {
    const auto s = sides(t);
    for (const TriangleId n : mesh_.around(s[0].from, s[0].to)) {
      if (n == t) continue;
      const Triangle tri = mesh_.triangle(n);
      for (std::size_t k = 0; k < 3; ++k) {
        const VertexId a = tri[k], b = tri[(k + 1) % 3];
        if ((a == s[0].from && b == s[0].to) || (a == s[0].to && b == s[0].from)) continue;
        const auto r = flip(mesh_, a, b);
        if (!r || crosses_a_wall(mesh_, *r) || worst(*r, true) > worst(*r, false) ||
            mesh_.examine(*r, kInfinity))
          continue;
        mesh_.apply(*r, target_);
        if (contract(t) || flip_longest(t)) return true;
        return false;
      }
    }
    return false;
  }

  EditableMesh& mesh_;
  const CollapseOptions& options_;
  const std::vector<bool>& banned_;
  std::uint32_t target_ = 0;
  std::optional<RefusalReason> reason_;
  double needed_ = kInfinity;  // the least budget among the ways that were beyond it
};

void check_mesh(const Mesh& mesh, std::span<const TriangleId> triangles) {
  if (!mesh.points_are_distinct) throw ArgumentError("collapse: the mesh has equal points");
  for (const TriangleId t : triangles) {
    if (t.value >= mesh.triangles.size()) {
      throw ArgumentError("collapse: there is no triangle " + std::to_string(t.value));
    }
  }
}

Point middle_of(const Mesh& mesh, TriangleId t) {
  const Triangle& tri = mesh.triangle(t);
  return (mesh.point(tri[0]) + mesh.point(tri[1]) + mesh.point(tri[2])) / 3.0;
}

// Passes over what is left: what one could not do, its neighbours being in the way, the next may.
constexpr int kMostCollapsePasses = 6;

}  // namespace

Change collapse(const Mesh& mesh, std::span<const TriangleId> triangles,
                const CollapseOptions& options, const Budget& budget, Progress* progress) {
  check_mesh(mesh, triangles);
  std::map<std::uint32_t, Refusal> refused;
  std::size_t done = 0;
  Change change = run_operations(
      mesh, budget,
      [&](EditableMesh& edited, const std::vector<bool>& banned) {
        refused.clear();
        done = 0;
        Collapser collapser(edited, options, banned);
        std::vector<TriangleId> left(triangles.begin(), triangles.end());
        for (int pass = 0; pass < kMostCollapsePasses && !left.empty(); ++pass) {
          advance(progress, "collapse", static_cast<double>(pass) / kMostCollapsePasses);
          std::vector<TriangleId> still;
          for (const TriangleId t : left) {
            if (collapser.mend(t, t.value)) {
              ++done;
              refused.erase(t.value);
              continue;
            }
            still.push_back(t);
            const bool is_banned = t.value < banned.size() && banned[t.value];
            const Point at = middle_of(mesh, t);
            refused[t.value] =
                is_banned ? Refusal{RefusalReason::crossing, at, {}}
                          : collapser.refusal(at).value_or(Refusal{RefusalReason::no_gain, at, {}});
          }
          if (still.size() == left.size()) break;
          left = std::move(still);
        }
      },
      [](std::uint32_t) {});
  change.done = done;
  if (done > 0) change.methods = {"edges contracted and flipped"};
  for (const auto& refusal : refused) change.refused.push_back(refusal.second);
  return change;
}

Change collapse_edge(const Mesh& mesh, VertexId a, VertexId b, const Budget& budget) {
  check_mesh(mesh, {});
  if (std::max(a.value, b.value) >= mesh.points.size() || a == b) {
    throw ArgumentError("collapse: two different vertices are needed");
  }
  const Point middle = 0.5 * (mesh.point(a) + mesh.point(b));
  std::optional<Refusal> refusal;
  bool done = false;
  Change change = run_operations(
      mesh, budget,
      [&](EditableMesh& edited, const std::vector<bool>& banned) {
        done = false;
        if (!banned.empty()) return;
        Collapser collapser(edited, {}, banned);
        done = collapser.contract_edge(a, b, false);
        refusal = collapser.refusal(middle);
      },
      [&](std::uint32_t) {
        refusal = Refusal{RefusalReason::crossing, middle, {}};
      });
  change.done = done ? 1 : 0;
  if (!done) {
    change.refused.push_back(refusal.value_or(Refusal{RefusalReason::no_gain, middle, {}}));
  }
  return change;
}

}  // namespace aguja
