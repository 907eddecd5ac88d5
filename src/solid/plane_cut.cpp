#include <algorithm>
#include <array>
#include <cmath>

#include "aguja/geometry/predicates.h"
#include "aguja/mesh/crossings.h"
#include "aguja/solid/cut.h"
#include "geometry/planar_region.h"

namespace aguja {
namespace {

// Sides of triangles along an edge on the plane, by direction: how many more run from low to high
// than back.
struct EdgeOnPlane {
  VertexId low, high;
  std::array<int, 2> surplus{};  // below, above
  std::array<int, 2> uses{};

  [[nodiscard]] bool is_balanced() const { return surplus[0] + surplus[1] == 0; }
  // Here a section begins: material lies on both sides.
  [[nodiscard]] bool is_outline() const { return surplus[0] != 0; }
};

class PlaneCutter {
 public:
  PlaneCutter(const Mesh& mesh, const CutPlane& plane, const CutOptions& options, bool parts,
              Progress* progress)
      : mesh_(mesh), plane_(plane), options_(options), parts_(parts), progress_(progress) {
    // Triangles in the section are made as seen along its shortest axis.
    plane.normal.cwiseAbs().maxCoeff(&axis_);
  }

  [[nodiscard]] CutResult run() {
    const double rounding = rounding_off(mesh_, plane_);
    double within = std::max(options_.on_within, rounding);
    for (int attempt = 0; attempt < kMostAttempts; ++attempt) {
      advance(progress_, "cut", static_cast<double>(attempt) / kMostAttempts);
      out_ = {};
      out_.rounding.rounds = attempt + 1;
      if (try_within(within)) return std::move(out_);
      if (!may_help_) break;
      within = std::max(within, least_step()) * kFartherEachTime;
      if (within > options_.most_moved) break;
    }
    out_.sides = {};
    return std::move(out_);
  }

 private:
  static constexpr int kMostAttempts = 5;
  static constexpr double kFartherEachTime = 32;

  [[nodiscard]] double least_step() const {
    double largest = 0;
    for (const Point& p : mesh_.points) largest = std::max(largest, p.cwiseAbs().maxCoeff());
    constexpr double kFloatRoundoff = 0x1p-24, kDoubleRoundoff = 0x1p-53;
    return largest * (options_.to_float ? kFloatRoundoff : kDoubleRoundoff);
  }

  bool try_within(double within) {
    split_ = split_by_plane(mesh_, plane_, {within, options_.to_float});
    out_.rounding.moved = split_.moved;
    out_.off_plane = split_.off_plane;
    out_.rounding.points = split_.made;
    cap_.clear();
    if (split_.fell_together) {
      return fail("points of the cut fall on each other", split_.mesh.points[0]);
    }
    find_edges();
    std::vector<Wire> outline;
    for (const EdgeOnPlane& e : edges_) {
      // Rims that were there before lie along the plane by chance.
      if (!e.is_outline() || !e.is_balanced()) continue;
      outline.push_back(e.surplus[0] > 0 ? Wire{e.high, e.low} : Wire{e.low, e.high});
    }
    out_.section = section_of(split_.mesh.points, outline, plane_);
    if (parts_ && options_.capped && !make_cap()) return false;
    return are_clean();
  }
  bool fail(const char* problem, const Point& place) {
    out_.problem = problem;
    out_.place = place;
    return false;
  }
  bool fail_open(const Point& place) {
    may_help_ = false;
    return fail("the surface is open there: close it first, or cut it open", place);
  }
  [[nodiscard]] Point middle(const EdgeOnPlane& e) const {
    return 0.5 * split_.mesh.point(e.low) + 0.5 * split_.mesh.point(e.high);
  }

  void find_edges() {
    struct Use {
      VertexId low, high;
      std::int8_t side;
      std::int8_t direction;
      auto operator<=>(const Use&) const = default;
    };
    std::vector<Use> uses;
    const auto& on = split_.on_plane;
    for (std::size_t t = 0; t < split_.side.size(); ++t) {
      const Triangle& v = split_.mesh.triangles[t];
      if (has_equal_corners(v)) continue;
      for (std::size_t k = 0; k < 3; ++k) {
        const VertexId a = v[k], b = v[(k + 1) % 3];
        if (!on[a.value] || !on[b.value]) continue;
        uses.push_back({std::min(a, b), std::max(a, b), split_.side[t],
                        static_cast<std::int8_t>(a < b ? 1 : -1)});
      }
    }
    std::sort(uses.begin(), uses.end());
    edges_.clear();
    for (const Use& use : uses) {
      if (edges_.empty() || edges_.back().low != use.low || edges_.back().high != use.high) {
        edges_.push_back({use.low, use.high, {}, {}});
      }
      const std::size_t side = use.side < 0 ? 0 : 1;
      edges_.back().surplus[side] += use.direction;
      ++edges_.back().uses[side];
    }
  }

  // Triangles between the outlines, as seen from above.
  bool make_cap() {
    for (const SectionOutline& o : out_.section.outlines) {
      if (!o.is_closed) return fail_open(o.points.back());
    }
    std::vector<VertexId> vertices;
    std::vector<std::uint32_t> number(split_.mesh.points.size(), kNoIndex);
    std::vector<PlanarPoint> points;
    const auto planar = [&](VertexId v) {
      if (number[v.value] == kNoIndex) {
        number[v.value] = static_cast<std::uint32_t>(vertices.size());
        vertices.push_back(v);
        const Point& p = split_.mesh.point(v);
        points.emplace_back(p[(axis_ + 1) % 3], p[(axis_ + 2) % 3]);
      }
      return number[v.value];
    };
    std::vector<PlanarEdge> border;
    std::vector<const EdgeOnPlane*> edge_of;
    for (const EdgeOnPlane& e : edges_) {
      if (!e.is_balanced()) {
        return fail_open(middle(e));
      }
      const PlanarEdge planar_edge = {planar(e.low), planar(e.high)};
      // What only touches the plane divides the cap, but does not end it.
      const bool touches = e.uses[0] + e.uses[1] > 0 && !e.is_outline();
      for (int k = touches ? 0 : 1; k < 2; ++k) {
        border.push_back(planar_edge);
        edge_of.push_back(&e);
      }
    }
    // What touches the plane in a point alone does so in a vertex of the cap.
    for (const Triangle& t : split_.mesh.triangles) {
      for (const VertexId v : t.corner) {
        if (split_.on_plane[v.value]) (void)planar(v);
      }
    }
    const PlanarRegion region = triangulate_region(points, border);
    if (!region.refused.empty()) {
      return fail("the outline of the section crosses itself: resolve the part first",
                  middle(*edge_of[region.refused[0]]));
    }
    const bool turned = plane_.normal[axis_] < 0;
    for (const auto& t : region.triangles) {
      Triangle v{{vertices[t[0]], vertices[t[1]], vertices[t[2]]}};
      if (turned) std::swap(v[1], v[2]);
      cap_.push_back(v);
    }
    return does_cap_fit();
  }
  // Does it end where the section does, and face away from the material below?
  bool does_cap_fit() {
    struct Side {
      VertexId low, high;
      int direction;
    };
    std::vector<Side> sides;
    for (const Triangle& v : cap_) {
      for (std::size_t k = 0; k < 3; ++k) {
        const VertexId a = v[k], b = v[(k + 1) % 3];
        sides.push_back({std::min(a, b), std::max(a, b), a < b ? 1 : -1});
      }
    }
    for (const EdgeOnPlane& e : edges_) sides.push_back({e.low, e.high, e.surplus[0]});
    const auto key = [](const Side& s) { return std::array{s.low.value, s.high.value}; };
    std::sort(sides.begin(), sides.end(),
              [&](const Side& a, const Side& b) { return key(a) < key(b); });
    for (std::size_t begin = 0, end = 0; begin < sides.size(); begin = end) {
      int sum = 0;
      while (end < sides.size() && key(sides[end]) == key(sides[begin])) {
        sum += sides[end++].direction;
      }
      if (sum == 0) continue;
      return fail(
          "there the surface faces inward, or fills the same space more than once: orient or "
          "resolve the part first",
          0.5 * split_.mesh.point(sides[begin].low) + 0.5 * split_.mesh.point(sides[begin].high));
    }
    return true;
  }

  // Takes what is below, or above, and looks whether it crosses itself where it was cut.
  bool are_clean() {
    for (std::size_t side = 0; side < (parts_ ? 2 : 1); ++side) {
      std::vector<bool> made;
      out_.sides[side] = side_of_cut(side, made);
      if (!is_clean(out_.sides[side], made)) return false;
    }
    return true;
  }
  [[nodiscard]] CutSide side_of_cut(std::size_t side, std::vector<bool>& made) const {
    CutSide out;
    const std::int8_t wanted = side == 0 ? -1 : 1;
    std::vector<std::uint32_t> now(split_.mesh.points.size(), kNoIndex);
    SharedArray<Triangle> triangles;
    const PatchId cap_patch{patches_before()};
    const bool has_patches = !mesh_.patch_of.empty() || !cap_.empty();
    const auto push = [&](const Triangle& t, TriangleId parent, PatchId patch, bool is_made) {
      for (const VertexId v : t.corner) now[v.value] = 0;
      triangles.push_back(t);
      out.parent.push_back(parent);
      if (has_patches) out.mesh.patch_of.push_back(patch);
      made.push_back(is_made);
    };
    for (std::size_t t = 0; t < split_.side.size(); ++t) {
      if (parts_ && split_.side[t] != wanted) continue;
      const TriangleId parent = split_.parent[t];
      const bool is_divided = (t > 0 && split_.parent[t - 1] == parent) ||
                              (t + 1 < split_.side.size() && split_.parent[t + 1] == parent);
      push(split_.mesh.triangles[t], parent,
           mesh_.patch_of.empty() ? PatchId{0} : mesh_.patch_of[parent.value], is_divided);
    }
    for (Triangle t : cap_) {
      if (side == 1) std::swap(t[1], t[2]);
      push(t, {kNoIndex}, cap_patch, true);
    }
    if (!split_.mesh.wires.empty()) keep_wires(now, side, out.mesh);
    SharedArray<Point> points;
    for (std::uint32_t v = 0; v < now.size(); ++v) {
      if (now[v] == kNoIndex) continue;
      now[v] = static_cast<std::uint32_t>(points.size());
      points.push_back(split_.mesh.points[v]);
    }
    for (Triangle& t : triangles) {
      for (VertexId& v : t.corner) v = {now[v.value]};
    }
    for (Wire& w : out.mesh.wires) {
      for (VertexId& v : w) v = {now[v.value]};
    }
    out.mesh.points = std::move(points);
    out.mesh.triangles = std::move(triangles);
    out.mesh.points_are_distinct = split_.mesh.points_are_distinct;
    out.vertex_now.reserve(split_.vertex_now.size());
    for (const VertexId v : split_.vertex_now) out.vertex_now.push_back({now[v.value]});
    return out;
  }
  // Those that lie on this side with both ends.
  void keep_wires(std::vector<std::uint32_t>& now, std::size_t side, Mesh& out) const {
    for (const Wire& w : split_.mesh.wires) {
      const auto is_here = [&](VertexId v) {
        const double d = plane_.distance(split_.mesh.point(v));
        return !parts_ || split_.on_plane[v.value] || (side == 0 ? d < 0 : d > 0);
      };
      if (!is_here(w[0]) || !is_here(w[1])) continue;
      out.wires.push_back(w);
      for (const VertexId v : w) now[v.value] = 0;
    }
  }
  [[nodiscard]] std::uint32_t patches_before() const {
    std::uint32_t count = 1;
    for (const PatchId p : mesh_.patch_of) count = std::max(count, p.value + 1);
    return count;
  }

  bool is_clean(const CutSide& side, const std::vector<bool>& made) {
    const Welded welded(side.mesh);
    const auto middle_of = [&](TriangleId t) {
      const Triangle& v = welded.triangle(t);
      return Point((welded.point(v[0]) + welded.point(v[1]) + welded.point(v[2])) / 3);
    };
    for (std::uint32_t t = 0; t < made.size(); ++t) {
      const TriangleId parent = side.parent[t];
      if (!made[t] || !is_flat(welded, {t})) continue;
      if (parent.value != kNoIndex && was_flat(parent)) continue;
      return fail("a triangle would lose its area", middle_of({t}));
    }
    for (const TrianglePair& pair : find_crossings_of(welded, made)) {
      if (crossed_before(side.parent[pair.first.value], side.parent[pair.second.value])) continue;
      return fail("the surface would cross itself where it is cut", middle_of(pair.first));
    }
    return true;
  }
  [[nodiscard]] static bool is_flat(const Welded& mesh, TriangleId t) {
    const Triangle& v = mesh.triangle(t);
    return is_collinear(mesh.point(v[0]), mesh.point(v[1]), mesh.point(v[2]));
  }
  [[nodiscard]] bool was_flat(TriangleId t) const {
    const Triangle& v = mesh_.triangle(t);
    return is_collinear(mesh_.point(v[0]), mesh_.point(v[1]), mesh_.point(v[2]));
  }
  // Both are pieces of triangles that met before, beyond vertices and edges that both have.
  [[nodiscard]] bool crossed_before(TriangleId a, TriangleId b) const {
    if (a.value == kNoIndex || b.value == kNoIndex || a == b) return false;
    Mesh two;
    for (const TriangleId t : {a, b}) {
      const auto first = static_cast<std::uint32_t>(two.points.size());
      for (const VertexId v : mesh_.triangle(t).corner) two.points.push_back(mesh_.point(v));
      two.triangles.push_back({{{first}, {first + 1}, {first + 2}}});
    }
    return !find_crossings(Welded(two)).empty();
  }

  const Mesh& mesh_;
  const CutPlane& plane_;
  const CutOptions& options_;
  bool parts_;  // what is cut comes apart
  Progress* progress_;
  Eigen::Index axis_ = 0;
  SplitMesh split_;
  std::vector<EdgeOnPlane> edges_;
  std::vector<Triangle> cap_;
  bool may_help_ = true;  // to take more for being on the plane
  CutResult out_;
};

}  // namespace

CutResult cut_by_plane(const Mesh& mesh, const CutPlane& plane, const CutOptions& options,
                       Progress* progress) {
  return PlaneCutter(mesh, plane, options, true, progress).run();
}

CutResult divide_by_plane(const Mesh& mesh, const CutPlane& plane, const CutOptions& options,
                          Progress* progress) {
  return PlaneCutter(mesh, plane, options, false, progress).run();
}

}  // namespace aguja
