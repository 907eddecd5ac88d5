#include <algorithm>
#include <array>
#include <cmath>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/solid/cut.h"
#include "geometry/planar_region.h"

namespace aguja {
namespace {

constexpr std::uint32_t kOfModel = 0, kOfBody = 1;

class BodyCutter {
 public:
  BodyCutter(const Mesh& mesh, const Mesh& body, const CutOptions& options, Progress* progress)
      : mesh_(mesh),
        options_(options),
        progress_(progress),
        joined_(join(mesh, body)),
        label_of_(labels(mesh, body)),
        space_(joined_, label_of_, 2, progress) {}

  [[nodiscard]] CutResult divide() {
    if (find_problem(false)) return std::move(out_);
    std::vector<bool> remains(space_.cells().pieces.size());
    for (std::size_t i = 0; i < remains.size(); ++i) {
      for (const PieceParent p : space_.arrangement().parents(i)) {
        if (is_of_model(p.triangle())) remains[i] = true;
      }
    }
    add(pieces_of_surface(space_, remains, kOfModel, {.to_float = options_.to_float}), 0);
    return finished();
  }
  [[nodiscard]] CutResult cut() {
    if (find_problem(options_.capped)) return std::move(out_);
    for (std::size_t side = 0; side < 2; ++side) {
      add(options_.capped ? capped(side == 0) : open(side == 0), side);
    }
    return finished();
  }

 private:
  void add(MaterialBoundary made, std::size_t side) {
    out_.rounding.rounds = std::max(out_.rounding.rounds, made.rounding.rounds);
    out_.rounding.moved = std::max(out_.rounding.moved, made.rounding.moved);
    out_.rounding.points = std::max(out_.rounding.points, made.rounding.points);
    out_.rounding.crossing += made.rounding.crossing;
    take(std::move(made), out_.sides[side]);
  }
  [[nodiscard]] CutResult finished() {
    if (out_.rounding.crossing > 0) {
      fail("the surface would cross itself where it is cut: a larger tolerance may do", 0);
      out_.sides = {};
    }
    return std::move(out_);
  }
  static Mesh join(const Mesh& mesh, const Mesh& body) {
    Mesh all = mesh;
    all.wires.clear();
    all.points_are_distinct = false;
    std::uint32_t cap_patch = 1;
    for (const PatchId p : mesh.patch_of) cap_patch = std::max(cap_patch, p.value + 1);
    if (mesh.patch_of.empty()) all.patch_of.assign(mesh.triangles.size(), PatchId{0});
    const auto first = static_cast<std::uint32_t>(mesh.points.size());
    for (const Point& p : body.points) all.points.push_back(p);
    for (Triangle t : body.triangles) {
      for (VertexId& v : t.corner) v.value += first;
      all.triangles.push_back(t);
      all.patch_of.push_back({cap_patch});
    }
    return all;
  }
  static std::vector<std::uint32_t> labels(const Mesh& mesh, const Mesh& body) {
    std::vector<std::uint32_t> of(mesh.triangles.size() + body.triangles.size(), kOfModel);
    std::fill(of.begin() + static_cast<std::ptrdiff_t>(mesh.triangles.size()), of.end(), kOfBody);
    return of;
  }
  [[nodiscard]] bool is_of_model(TriangleId t) const { return label_of_[t.value] == kOfModel; }
  [[nodiscard]] Point middle(std::size_t piece) const {
    const ExactPoints& points = space_.arrangement().points();
    Point sum = Point::Zero();
    for (const ExactPointId p : space_.arrangement().pieces()[piece])
      sum += points.approximation(p);
    return sum / 3;
  }
  bool fail(const char* problem, std::size_t piece) {
    out_.problem = problem;
    if (!space_.arrangement().pieces().empty()) out_.place = middle(piece);
    return true;
  }

  // Why the question makes no sense, if it does not.
  bool find_problem(bool must_bound) {
    const WindingCells& cells = space_.cells();
    for (std::size_t i = 0; i < cells.pieces.size(); ++i) {
      std::size_t own = 0;
      for (const PieceParent p : space_.arrangement().parents(i)) own += is_of_model(p.triangle());
      if (own > 1) return fail("the surface lies on itself: resolve the part first", i);
      if (!must_bound) continue;
      const std::size_t set = cells.set_of[cells.front(i)];
      if (own == 1 && cells.label_is_open[set * cells.labels + kOfModel]) {
        return fail("the surface is open: close it first, or cut it open", i);
      }
      for (const std::uint32_t cell : {cells.front(i), cells.back(i)}) {
        const std::int32_t w = cells.of(cell)[kOfModel];
        if (w == 0 || w == 1) continue;
        return fail(
            "there the surface faces inward, or fills the same space more than once: orient or "
            "resolve the part first",
            i);
      }
    }
    for (const TrianglePair& pair : space_.pairs()) {
      if (!is_of_model(pair.first) || !is_of_model(pair.second)) continue;
      out_.problem = "the surface crosses itself: resolve the part first";
      out_.place = shape_of(space_.welded(), pair).place;
      return true;
    }
    return false;
  }

  [[nodiscard]] MaterialBoundary capped(bool inside) const {
    return boundary_of(
        space_,
        [inside](std::span<const std::int32_t> w) {
          return w[kOfModel] > 0 && (w[kOfBody] > 0) == inside;
        },
        {.to_float = options_.to_float, .most_moved = options_.most_moved}, progress_);
  }
  // What lies on the body's surface goes with the material behind it.
  [[nodiscard]] MaterialBoundary open(bool inside) const {
    const WindingCells& cells = space_.cells();
    std::vector<bool> remains(cells.pieces.size(), false);
    for (std::size_t i = 0; i < remains.size(); ++i) {
      for (const PieceParent p : space_.arrangement().parents(i)) {
        if (!is_of_model(p.triangle())) continue;
        const std::uint32_t behind = p.opposite() ? cells.front(i) : cells.back(i);
        remains[i] = (cells.of(behind)[kOfBody] > 0) == inside;
      }
    }
    return pieces_of_surface(space_, remains, kOfModel, {.to_float = options_.to_float});
  }

  void take(MaterialBoundary made, CutSide& out) const {
    out.mesh = std::move(made.mesh);
    static_cast<MeshMaps&>(out) = std::move(made.maps);
    const auto count = static_cast<std::uint32_t>(mesh_.triangles.size());
    bool has_cap = false;
    for (TriangleId& p : out.parent) {
      if (p.value < count) continue;
      p = {kNoIndex};
      has_cap = true;
    }
    std::erase_if(out.further_parents, [&](const FurtherParent& f) {
      return f.parent.value >= count || out.parent[f.triangle.value].value == kNoIndex;
    });
    out.vertex_now.resize(mesh_.points.size());
    if (mesh_.patch_of.empty() && !has_cap) out.mesh.patch_of.clear();
  }

  const Mesh& mesh_;
  const CutOptions& options_;
  Progress* progress_;
  Mesh joined_;
  std::vector<std::uint32_t> label_of_;
  DividedSpace space_;
  CutResult out_;
};

}  // namespace

CutResult cut_by_body(const Mesh& mesh, const Mesh& body, const CutOptions& options,
                      Progress* progress) {
  return BodyCutter(mesh, body, options, progress).cut();
}

CutResult divide_by_body(const Mesh& mesh, const Mesh& body, const CutOptions& options,
                         Progress* progress) {
  return BodyCutter(mesh, body, options, progress).divide();
}

Mesh body_of(const Box& box) {
  Mesh mesh;
  for (unsigned corner = 0; corner < 8; ++corner) {
    Point p = box.low;
    for (int axis = 0; axis < 3; ++axis) {
      if ((corner >> axis & 1U) != 0) p[axis] = box.high[axis];
    }
    mesh.points.push_back(p);
  }
  for (std::uint32_t axis = 0; axis < 3; ++axis) {
    const std::uint32_t u = 1U << ((axis + 1) % 3), v = 1U << ((axis + 2) % 3), w = 1U << axis;
    const auto add = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c) {
      mesh.triangles.push_back({{{a}, {b}, {c}}});
    };
    add(0, u + v, u);
    add(0, v, u + v);
    add(w, w + u, w + u + v);
    add(w, w + u + v, w + v);
  }
  return mesh;
}

Mesh swept_outline(std::span<const Point> outline, const Vector& direction, const Box& reach) {
  if (outline.size() < 3) throw ArgumentError("an outline needs three points at least");
  if (!direction.allFinite() || direction.isZero(0)) {
    throw ArgumentError("the direction of a sweep must not be 0");
  }
  const Vector along = direction.stableNormalized();
  Box all = reach;
  for (const Point& p : outline) all.extend(p);
  const double far = 2 * all.diagonal();
  // Seen against the direction.
  const Vector u = along.unitOrthogonal(), v = along.cross(u);
  std::vector<PlanarPoint> seen;
  std::vector<PlanarEdge> border;
  const auto n = static_cast<std::uint32_t>(outline.size());
  double area = 0;
  for (std::uint32_t i = 0; i < n; ++i) {
    const Vector from_middle = outline[i] - all.center();
    seen.emplace_back(from_middle.dot(u), from_middle.dot(v));
    border.push_back({i, (i + 1) % n});
  }
  for (std::uint32_t i = 0; i < n; ++i) {
    const PlanarPoint &p = seen[i], &q = seen[(i + 1) % n];
    area += p.x() * q.y() - p.y() * q.x();
  }
  const PlanarRegion region = triangulate_region(seen, border);
  if (!region.refused.empty() || region.triangles.size() + 2 != n) {
    throw ArgumentError("the outline crosses or touches itself, as seen along its direction");
  }
  Mesh mesh;
  for (const double sign : {-1.0, 1.0}) {
    for (const Point& p : outline) {
      // From one level on, whatever the outline's own.
      const double level = along.dot(p - all.center());
      mesh.points.push_back(p + (sign * far - level) * along);
    }
  }
  for (const auto& t : region.triangles) {
    mesh.triangles.push_back({{{t[0]}, {t[2]}, {t[1]}}});
    mesh.triangles.push_back({{{t[0] + n}, {t[1] + n}, {t[2] + n}}});
  }
  for (std::uint32_t i = 0; i < n; ++i) {
    std::uint32_t a = i, b = (i + 1) % n;
    if (area < 0) std::swap(a, b);
    mesh.triangles.push_back({{{a}, {b}, {b + n}}});
    mesh.triangles.push_back({{{a}, {b + n}, {a + n}}});
  }
  return mesh;
}

}  // namespace aguja
