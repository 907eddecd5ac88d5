#include "aguja/solid/offset.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/distance.h"
#include "aguja/mesh/components.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/solid/winding.h"
#include "base/disjoint_sets.h"
#include "solid/offset_skin.h"

namespace aguja {
namespace {

constexpr double kLeastMitre = 1.5;

double triangle_area(const Mesh& mesh, TriangleId t) {
  const Triangle& v = mesh.triangle(t);
  const Point& a = mesh.point(v[0]);
  return 0.5 * (mesh.point(v[1]) - a).cross(mesh.point(v[2]) - a).norm();
}

Mesh turned_over(const Mesh& mesh) {
  Mesh out = mesh;
  for (Triangle& t : out.triangles) std::swap(t[1], t[2]);
  return out;
}

// What triangles of the result are, by their patch: of the surface, of the new skin, of a rim.
enum class WallPart { surface, skin, rim };

std::vector<TriangleId> all_triangles(const Mesh& mesh) {
  std::vector<TriangleId> all(mesh.triangles.size());
  for (std::uint32_t t = 0; t < all.size(); ++t) all[t] = {t};
  return all;
}

constexpr std::size_t kMeasureGrain = 64;

// How far points are from some triangles of a mesh, which must outlive it.
class SurfaceDistance {
 public:
  SurfaceDistance(const Mesh& mesh, std::vector<TriangleId> triangles)
      : mesh_(mesh), triangles_(std::move(triangles)) {
    Array<FloatBox> boxes;
    boxes.reserve(triangles_.size());
    for (const TriangleId t : triangles_) {
      Box box;
      for (const VertexId v : mesh.triangle(t).corner) box.extend(mesh.point(v));
      boxes.push_back(FloatBox(box));
    }
    tree_ = BoxTree(std::move(boxes));
  }
  [[nodiscard]] double operator()(const Point& p) const {
    const auto squared = [&](std::uint32_t i) {
      const Triangle& v = mesh_.triangle(triangles_[i]);
      return (closest_point(p, mesh_.point(v[0]), mesh_.point(v[1]), mesh_.point(v[2])) - p)
          .squaredNorm();
    };
    return std::sqrt(squared(tree_.nearest(p, std::numeric_limits<double>::infinity(), squared)));
  }

 private:
  const Mesh& mesh_;
  std::vector<TriangleId> triangles_;
  BoxTree tree_;
};

class Thickener {
 public:
  Thickener(const Mesh& mesh, double thickness, const OffsetOptions& options, Progress* progress)
      : given_(mesh), welded_(mesh), thickness_(thickness), options_(options), progress_(progress) {
    // Distinct points, and nothing else.
    mesh_.points.assign(welded_.points().begin(), welded_.points().end());
    mesh_.triangles.assign(welded_.triangles().begin(), welded_.triangles().end());
    mesh_.patch_of = mesh.patch_of;
    for (const PatchId p : mesh.patch_of) out_.patches = std::max(out_.patches, p.value + 1);
    const bool is_both = options.side == OffsetSide::both;
    Box box = box_of(mesh_);
    constexpr int kGridBits = 40;
    const double largest =
        std::max({thickness, box.low.cwiseAbs().maxCoeff(), box.high.cwiseAbs().maxCoeff()});
    grid_ = std::exp2(std::ceil(std::log2(largest)) - kGridBits);
    front_ = options.side == OffsetSide::in ? 0 : is_both ? thickness / 2 : thickness;
    behind_ = options.side == OffsetSide::out ? 0 : is_both ? thickness / 2 : thickness;
  }

  [[nodiscard]] OffsetResult run() {
    const EdgeTable edges(mesh_.triangles, mesh_.points.size());
    if (mesh_.triangles.empty() || has_problem(edges)) return std::move(out_);
    advance(progress_, "offset", 0);
    if (!(out_.was_closed ? assemble_closed(edges) : assemble_sheet(edges))) return std::move(out_);
    if (!has_made()) return std::move(out_);
    if (!out_.was_closed) drop_false_shells_of_sheet();
    if (out_.mesh.triangles.empty()) {
      fail("nothing is left: it is thinner than that everywhere", box_of(mesh_).center());
    } else if (!options_.whole) {
      measure();
    }
    return std::move(out_);
  }

 private:
  void fail(const char* problem, const Point& place) {
    out_.problem = problem;
    out_.place = place;
  }

  bool has_problem(const EdgeTable& edges) {
    std::size_t naked = 0;
    for (std::uint32_t e = 0; e < edges.size(); ++e) {
      const Edge& edge = edges.edge({e});
      const Point place = 0.5 * mesh_.point(edge.low) + 0.5 * mesh_.point(edge.high);
      if (edges.is_nonmanifold({e})) {
        fail("an edge has three triangles or more: which way is out cannot be told", place);
        return true;
      }
      if (edges.is_winding_conflict({e})) {
        fail("neighbours face opposite ways: orient the part first", place);
        return true;
      }
      naked += edges.is_naked({e});
    }
    out_.was_closed = naked == 0;
    if (options_.whole && naked > 0) {
      fail("an open surface has no inside to grow or to shrink: give it a thickness",
           mesh_.points[0]);
      return true;
    }
    return false;
  }

  // A body of the surface, or the skin in front of it, out of which that of the skin behind it, or of
  // the surface, is cut.
  bool assemble_closed(const EdgeTable& edges) {
    const bool has_outer = !options_.whole || options_.side == OffsetSide::out;
    const bool has_inner = !options_.whole || options_.side == OffsetSide::in;
    std::optional<Mesh> outer, inner;
    if (has_outer && front_ > 0 && !(outer = clean_skin(edges, front_, false))) return false;
    if (has_inner && behind_ > 0 && !(inner = clean_skin(edges, behind_, true))) return false;
    joined_.points = mesh_.points;
    const std::uint32_t inner_label = options_.whole ? 0 : 1;
    if (outer) {
      add_clean(*outer, 0, false);
    } else if (has_outer) {
      add_surface(false, 0);
    }
    if (inner) {
      add_clean(*inner, inner_label, true);
    } else if (has_inner) {
      add_surface(false, inner_label);
    }
    return true;
  }
  // The skin and the surface turned over, or the skins on both sides, with the rims between them.
  bool assemble_sheet(const EdgeTable& edges) {
    joined_.points = mesh_.points;
    if (front_ == 0) {
      add_surface(false, 0);
    } else {
      add_skin(edges, front_, false, 0, false);
    }
    if (behind_ == 0) {
      add_surface(true, 0);
    } else {
      add_skin(edges, behind_, true, 0, false);
    }
    return true;
  }

  // All that is put together becomes a boundary.
  bool has_made() {
    if (joined_.triangles.empty()) return true;
    const DividedSpace space(joined_, label_of_, 2, progress_);
    if (space.is_open()) {
      fail("rims that touch each other: part them first", mesh_.points[0]);
      return false;
    }
    MaterialBoundary boundary =
        boundary_of(space, rule(), {.to_float = options_.to_float}, progress_);
    note(boundary.rounding);
    if (boundary.rounding.crossing > 0) {
      fail("the skins still cross after rounding", mesh_.points[0]);
      return false;
    }
    take(std::move(boundary));
    return true;
  }
  void note(const RoundingReport& rounding) {
    out_.rounding.rounds = std::max(out_.rounding.rounds, rounding.rounds);
    out_.rounding.moved += rounding.moved;
    out_.rounding.points += rounding.points;
    out_.rounding.crossing += rounding.crossing;
  }

  // A skin of a closed surface by itself, facing outward, free of folds: what has no material behind
  // it goes, and so do shells that folds leave.
  std::optional<Mesh> clean_skin(const EdgeTable& edges, double distance, bool behind) {
    joined_ = {};
    joined_.points = mesh_.points;
    label_of_.clear();
    add_skin(edges, distance, behind, 0, behind);
    const Mesh raw = std::move(joined_);
    joined_ = {};
    label_of_.clear();
    side_of_.clear();
    parent_of_.clear();
    const DividedSpace space(raw, {}, 1, progress_);
    MaterialBoundary clean =
        boundary_of(space, is_in_union, {.to_float = options_.to_float}, progress_);
    note(clean.rounding);
    if (clean.rounding.crossing > 0) {
      fail("the skin still crosses itself after rounding", mesh_.points[0]);
      return std::nullopt;
    }
    return only_kept(clean.mesh, true_shells(clean.mesh, distance, behind));
  }
  void add_clean(const Mesh& skin, std::uint32_t label, bool behind) {
    adding_behind_ = behind;
    const auto shift = static_cast<std::uint32_t>(joined_.points.size());
    for (const Point& p : skin.points) joined_.points.push_back(p);
    for (std::size_t i = 0; i < skin.triangles.size(); ++i) {
      Triangle v = skin.triangles[i];
      for (VertexId& c : v.corner) c.value += shift;
      joined_.triangles.push_back(v);
      joined_.patch_of.push_back(skin.patch_of[i]);
      label_of_.push_back(label);
      side_of_.push_back(behind);
      parent_of_.push_back({kNoIndex});
    }
  }
  // By triangle: not of a shell that lies nearer to the surface everywhere than the skin should, or on
  // the wrong side of it, as skins do that are turned inside out twice.
  [[nodiscard]] std::vector<bool> true_shells(const Mesh& skin, double asked, bool behind) const {
    const Welded welded(skin);
    const EdgeTable edges(welded.triangles(), welded.points().size());
    const Components shells = find_components(welded.triangles(), edges);
    const std::vector<Farthest> farthest = farthest_of_shells(skin, shells);
    std::vector<Point> places;
    for (const Farthest& f : farthest) places.push_back(f.place);
    const std::vector<std::optional<int>> winding =
        winding_numbers(Welded(mesh_), all_triangles(mesh_), places);
    std::vector<bool> keep(skin.triangles.size());
    for (std::uint32_t t = 0; t < keep.size(); ++t) {
      const std::uint32_t s = shells.shell_of[t].value;
      const bool is_inside = winding[s].value_or(0) > 0;
      keep[t] = farthest[s].distance >= (1 - options_.within) * asked && is_inside == behind;
    }
    return keep;
  }
  struct Farthest {
    double distance = -1;
    Point place = Point::Zero();
  };
  [[nodiscard]] std::vector<Farthest> farthest_of_shells(const Mesh& skin,
                                                         const Components& shells) const {
    const SurfaceDistance distance(mesh_, all_triangles(mesh_));
    std::vector<double> of_point(skin.points.size());
    parallel_ranges(of_point.size(), kMeasureGrain, [&](Range r) {
      for (std::size_t v = r.begin; v < r.end; ++v) of_point[v] = distance(skin.points[v]);
    });
    std::vector<Farthest> farthest(shells.count);
    for (std::uint32_t t = 0; t < skin.triangles.size(); ++t) {
      Farthest& own = farthest[shells.shell_of[t].value];
      for (const VertexId v : skin.triangles[t].corner) {
        if (of_point[v.value] > own.distance) own = {of_point[v.value], skin.point(v)};
      }
    }
    return farthest;
  }
  [[nodiscard]] static Mesh only_kept(const Mesh& mesh, const std::vector<bool>& keep) {
    Mesh out;
    std::vector<VertexId> now(mesh.points.size(), VertexId{kNoIndex});
    for (std::uint32_t t = 0; t < keep.size(); ++t) {
      if (!keep[t]) continue;
      Triangle corners = mesh.triangles[t];
      for (VertexId& v : corners.corner) {
        if (now[v.value].value == kNoIndex) {
          now[v.value] = {static_cast<std::uint32_t>(out.points.size())};
          out.points.push_back(mesh.point(v));
        }
        v = now[v.value];
      }
      out.triangles.push_back(corners);
      out.patch_of.push_back(mesh.patch_of[t]);
    }
    return out;
  }

  void add_surface(bool turn, std::uint32_t label) {
    adding_behind_ = false;
    for (std::uint32_t t = 0; t < mesh_.triangles.size(); ++t) {
      Triangle v = mesh_.triangles[t];
      if (turn) std::swap(v[1], v[2]);
      push(v, label, WallPart::surface, {t});
    }
  }
  // Behind the surface: in front of it turned over; turned back where it is a body of its own.
  void add_skin(const EdgeTable& edges, double distance, bool behind, std::uint32_t label,
                bool turn_back) {
    adding_behind_ = behind;
    const Mesh turned = behind ? turned_over(mesh_) : Mesh{};
    const Mesh& own = behind ? turned : mesh_;
    const OffsetSkin skin = behind ? offset_skin(own, EdgeTable(own.triangles, own.points.size()),
                                                 distance, options_.mitre_limit)
                                   : offset_skin(own, edges, distance, options_.mitre_limit);
    const auto shift = static_cast<std::uint32_t>(joined_.points.size() - mesh_.points.size());
    for (const Point& p : skin.points) {
      joined_.points.push_back(options_.to_float ? rounded_to_float(p) : on_grid(p));
    }
    const auto moved = [&](Triangle v) {
      for (VertexId& c : v.corner) {
        if (c.value >= mesh_.points.size()) c.value += shift;
      }
      if (turn_back) std::swap(v[1], v[2]);
      return v;
    };
    for (std::size_t i = 0; i < skin.triangles.size(); ++i) {
      push(moved(skin.triangles[i]), label, WallPart::skin, skin.over[i]);
    }
    for (const Triangle& v : skin.walls) push(moved(v), label, WallPart::rim, {0});
  }
  // The new skin may lie anywhere within rounding. So that what is flat and square to an axis is exactly
  // that again, and does not meet itself at angles of rounding, its points are put on a fine grid.
  [[nodiscard]] Point on_grid(const Point& p) const {
    return ((p / grid_).array().round() * grid_).matrix();
  }
  void push(const Triangle& v, std::uint32_t label, WallPart part, TriangleId over) {
    const std::uint32_t patch = mesh_.patch_of.empty() ? 0 : mesh_.patch_of[over.value].value;
    joined_.triangles.push_back(v);
    joined_.patch_of.push_back({part == WallPart::rim       ? 2 * out_.patches
                                : part == WallPart::surface ? patch
                                                            : out_.patches + patch});
    label_of_.push_back(label);
    side_of_.push_back(adding_behind_);
    parent_of_.push_back(part == WallPart::surface ? over : TriangleId{kNoIndex});
  }

  [[nodiscard]] MaterialRule rule() const {
    if (!out_.was_closed || options_.whole) return is_in_union;
    return [](std::span<const std::int32_t> w) { return w[0] > 0 && w[1] <= 0; };
  }

  void take(MaterialBoundary boundary) {
    out_.mesh = std::move(boundary.mesh);
    static_cast<MeshMaps&>(out_) = std::move(boundary.maps);
    out_.only_adds = false;
    const std::vector<TriangleId> joined_parent = out_.parent;
    for (TriangleId& p : out_.parent) p = parent_of_[p.value];
    std::erase_if(out_.further_parents, [&](FurtherParent& f) {
      f.parent = parent_of_[f.parent.value];
      return f.parent.value == kNoIndex || out_.parent[f.triangle.value].value == kNoIndex;
    });
    std::vector<VertexId> now(given_.points.size());
    for (std::uint32_t v = 0; v < now.size(); ++v) {
      now[v] = out_.vertex_now[welded_.vertex({v}).value];
    }
    out_.vertex_now = std::move(now);
    for (const TriangleId p : joined_parent) is_behind_.push_back(side_of_[p.value]);
  }

  [[nodiscard]] WallPart part_of(TriangleId t) const {
    const std::uint32_t patch = out_.mesh.patch_of[t.value].value;
    return patch < out_.patches       ? WallPart::surface
           : patch < 2 * out_.patches ? WallPart::skin
                                      : WallPart::rim;
  }
  // Shells of skin alone that folds leave: all of them lies nearer to the surface than the skin should.
  void drop_false_shells_of_sheet() {
    const Welded welded(out_.mesh);
    const EdgeTable edges(welded.triangles(), welded.points().size());
    const Components shells = find_components(welded.triangles(), edges);
    if (shells.count < 2) return;
    const std::vector<Farthest> farthest = farthest_of_shells(out_.mesh, shells);
    std::vector<bool> is_true(shells.count, false);
    for (std::uint32_t t = 0; t < out_.mesh.triangles.size(); ++t) {
      const std::uint32_t s = shells.shell_of[t].value;
      const double asked = is_behind_[t] ? behind_ : front_;
      if (part_of({t}) != WallPart::skin || farthest[s].distance >= (1 - options_.within) * asked) {
        is_true[s] = true;
      }
    }
    std::vector<bool> keep(out_.mesh.triangles.size());
    for (std::uint32_t t = 0; t < keep.size(); ++t) keep[t] = is_true[shells.shell_of[t].value];
    keep_triangles_of_wall(keep);
  }
  void keep_triangles_of_wall(const std::vector<bool>& keep) {
    if (std::all_of(keep.begin(), keep.end(), [](bool k) { return k; })) return;
    Mesh mesh = only_kept(out_.mesh, keep);
    MeshMaps maps;
    std::vector<bool> behind;
    std::vector<VertexId> now(out_.mesh.points.size(), VertexId{kNoIndex});
    std::vector<TriangleId> triangle_now(keep.size(), TriangleId{kNoIndex});
    for (std::uint32_t t = 0, count = 0; t < keep.size(); ++t) {
      if (!keep[t]) continue;
      for (std::size_t k = 0; k < 3; ++k) {
        now[out_.mesh.triangles[t][k].value] = mesh.triangles[count][k];
      }
      triangle_now[t] = {count++};
      maps.parent.push_back(out_.parent[t]);
      behind.push_back(is_behind_[t]);
    }
    for (const FurtherParent& f : out_.further_parents) {
      if (!keep[f.triangle.value]) continue;
      maps.further_parents.push_back({triangle_now[f.triangle.value], f.parent});
    }
    for (const VertexId v : out_.vertex_now) {
      maps.vertex_now.push_back(v.value == kNoIndex ? v : now[v.value]);
    }
    mesh.points_are_distinct = out_.mesh.points_are_distinct;
    out_.mesh = std::move(mesh);
    static_cast<MeshMaps&>(out_) = std::move(maps);
    is_behind_ = std::move(behind);
  }

  // From the skin to what is opposite: the surface, or the other skin.
  void measure() {
    std::vector<TriangleId> from, to;
    const bool is_both = options_.side == OffsetSide::both;
    for (std::uint32_t t = 0; t < out_.mesh.triangles.size(); ++t) {
      const WallPart part = part_of({t});
      if (part == WallPart::rim) continue;
      const bool is_target = is_both ? is_behind_[t] : part == WallPart::surface;
      (is_target ? to : from).push_back({t});
    }
    out_.thickness.asked = thickness_;
    if (from.empty() || to.empty()) return;
    const SurfaceDistance distance(out_.mesh, std::move(to));
    struct Reached {
      double middle = 0, least = 0, largest = 0;
      Point at_least, at_largest;
    };
    std::vector<Reached> reached(from.size());
    parallel_ranges(from.size(), kMeasureGrain, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        const Triangle& v = out_.mesh.triangle(from[i]);
        const Point middle =
            (out_.mesh.point(v[0]) + out_.mesh.point(v[1]) + out_.mesh.point(v[2])) / 3;
        Reached& own = reached[i];
        own.middle = own.least = own.largest = distance(middle);
        own.at_least = own.at_largest = middle;
        for (const VertexId c : v.corner) {
          const double d = distance(out_.mesh.point(c));
          if (d < own.least) own.at_least = out_.mesh.point(c), own.least = d;
          if (d > own.largest) own.at_largest = out_.mesh.point(c), own.largest = d;
        }
      }
    });
    WallThickness& wall = out_.thickness;
    wall.least = HUGE_VAL;
    double area = 0, kept = 0;
    const double enough = (1 - options_.within) * thickness_;
    std::vector<std::size_t> thin;
    for (std::size_t i = 0; i < from.size(); ++i) {
      const Reached& own = reached[i];
      const double a = triangle_area(out_.mesh, from[i]);
      area += a;
      wall.mean += a * own.middle;
      if (own.least < wall.least) wall.least = own.least, wall.at_least = own.at_least;
      if (own.largest > wall.largest) wall.largest = own.largest, wall.at_largest = own.at_largest;
      if (own.least >= enough) {
        kept += a;
      } else {
        thin.push_back(i);
      }
    }
    wall.mean = area > 0 ? wall.mean / area : 0;
    wall.kept = area > 0 ? kept / area : 0;
    wall.area = area;
    // Places: thin triangles that hang together by vertices.
    DisjointSets sets(thin.size());
    std::vector<std::uint32_t> at_vertex(out_.mesh.points.size(), kNoIndex);
    for (std::uint32_t k = 0; k < thin.size(); ++k) {
      for (const VertexId v : out_.mesh.triangle(from[thin[k]]).corner) {
        std::uint32_t& known = at_vertex[v.value];
        if (known == kNoIndex) {
          known = k;
        } else {
          sets.unite(known, k);
        }
      }
    }
    std::vector<ThinPlace> places(thin.size());
    for (std::uint32_t k = 0; k < thin.size(); ++k) {
      const Reached& own = reached[thin[k]];
      ThinPlace& place = places[sets.find(k)];
      if (place.area == 0 || own.least < place.thickness) {
        place.thickness = own.least;
        place.place = own.at_least;
      }
      // Not 0 even for needles.
      place.area +=
          std::max(triangle_area(out_.mesh, from[thin[k]]), std::numeric_limits<double>::min());
    }
    std::erase_if(places, [](const ThinPlace& p) { return p.area == 0; });
    std::stable_sort(places.begin(), places.end(), [](const ThinPlace& a, const ThinPlace& b) {
      return a.thickness < b.thickness;
    });
    constexpr std::size_t kMostListed = 100;
    out_.thin_places = places.size();
    places.resize(std::min(places.size(), kMostListed));
    out_.thin = std::move(places);
  }
  const Mesh& given_;
  Welded welded_;
  Mesh mesh_;
  double thickness_;
  const OffsetOptions& options_;
  Progress* progress_;
  double front_ = 0, behind_ = 0;
  double grid_ = 0;
  bool adding_behind_ = false;  // while the skin behind is put together
  Mesh joined_;
  std::vector<std::uint32_t> label_of_;
  std::vector<bool> side_of_;  // by triangle of the joined mesh: of the skin behind
  std::vector<TriangleId> parent_of_;
  std::vector<bool> is_behind_;  // by triangle of the result
  OffsetResult out_;
};

}  // namespace

OffsetResult offset_surface(const Mesh& mesh, double thickness, const OffsetOptions& options,
                            Progress* progress) {
  if (!(thickness > 0) || !std::isfinite(thickness)) {
    throw ArgumentError("offset_surface: a thickness is more than 0");
  }
  if (!(options.mitre_limit >= kLeastMitre)) {
    throw ArgumentError("offset_surface: the mitre limit is 1.5 at least");
  }
  return Thickener(mesh, thickness, options, progress).run();
}

}  // namespace aguja
