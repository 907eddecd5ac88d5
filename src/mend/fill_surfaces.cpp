#include "mend/fill_surfaces.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>
#include <set>
#include <unordered_map>
#include <unordered_set>

#include <Eigen/Geometry>
#include <Eigen/SparseCholesky>

#include "base/numbers.h"
#include "base/short_text.h"
#include "geometry/small_matrix.h"

namespace aguja {
namespace {

// Of cotangent weights: below it a triangle would pull the wrong way.
constexpr double kLeastWeight = 1e-3;
// Surfaces meet in a point when none is farther off than this part of the reach.
constexpr double kMetPart = 1e-13;
// Singular values of their normals: below the first they say the same, below the second they run side
// by side.
constexpr double kSameNormals = 1e-6, kSideBySide = 1e-4;
// Of the opening's width: a place that is on a surface but for rounding.
constexpr double kOnSurfaceRounding = 1e-9;
// No curve is divided into pieces shorter than this part of it.
constexpr double kShortestPiece = 1e-3;
// Where lines leave a place open, the middle counts by so much.
constexpr double kMiddleWeight = 1e-6;
constexpr double kStraightCosine = 1 - 1e-9;

Vector unit_normal_of(const Mesh& mesh, TriangleId id) {
  const Triangle& t = mesh.triangle(id);
  const Point& a = mesh.point(t[0]);
  const Vector n = (mesh.point(t[1]) - a).cross(mesh.point(t[2]) - a);
  const double length = n.norm();
  return length > 0 ? Vector(n / length) : Vector(Vector::Zero());
}

}  // namespace

// ---- Surroundings.

namespace {

// Triangles that are looked at to recognise the surfaces around an opening.
constexpr std::size_t kMostNear = 4000;

std::vector<TriangleId> triangles_near(const FillScene& scene, const Opening& opening) {
  Box box;
  for (const Loop& loop : opening.loops) {
    for (const VertexId v : loop) box.extend(scene.mesh.point(v));
  }
  const double reach = box.diagonal();
  const Point low = box.low.array() - reach, high = box.high.array() + reach;
  box = Box{low, high};
  std::vector<TriangleId> near;
  std::unordered_set<std::uint32_t> seen_triangles, seen_vertices;
  std::vector<VertexId> front;
  for (const Loop& loop : opening.loops) {
    for (const VertexId v : loop) {
      if (seen_vertices.insert(v.value).second) front.push_back(v);
    }
  }
  // Every triangle at the rim is wanted, however long the rim is.
  const std::size_t rim_count = front.size();
  for (std::size_t i = 0; i < front.size() && (near.size() < kMostNear || i < rim_count); ++i) {
    for (const TriangleId t : scene.stars.at(front[i])) {
      if (!seen_triangles.insert(t.value).second) continue;
      near.push_back(t);
      for (const VertexId v : scene.mesh.triangle(t).corner) {
        if (box.contains(scene.mesh.point(v)) && seen_vertices.insert(v.value).second) {
          front.push_back(v);
        }
      }
    }
  }
  std::sort(near.begin(), near.end());
  return near;
}

// Is it the same surface, as far as these points tell?
bool is_same_surface(const Primitive& a, const Primitive& b, std::span<const Point> points,
                     double fit) {
  return a.kind == b.kind && std::all_of(points.begin(), points.end(), [&](const Point& p) {
           return std::fabs(a.distance(p)) <= fit && std::fabs(b.distance(p)) <= fit &&
                  std::fabs(a.normal(p).dot(b.normal(p))) > 0.99;
         });
}

}  // namespace

Surroundings::Surroundings(const FillScene& scene, const Opening& opening) : scene_(scene) {
  for (const Loop& loop : opening.loops) {
    std::vector<Edge> edges;
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const auto id = scene.edges.find(loop[i], loop[(i + 1) % loop.size()]);
      const TriangleId t = scene.edges.uses(*id)[0].triangle();
      edges.push_back({t, unit_normal_of(scene.mesh, t), {}, 0});
    }
    edges_.push_back(std::move(edges));
  }
  recognise(opening);
}

void Surroundings::recognise(const Opening& opening) {
  const std::vector<TriangleId> near = triangles_near(scene_, opening);
  Mesh local;
  local.points_are_distinct = true;
  std::unordered_map<std::uint32_t, std::uint32_t> number;
  std::unordered_map<std::uint32_t, std::uint32_t> local_of;
  for (const TriangleId t : near) {
    local_of[t.value] = static_cast<std::uint32_t>(local.triangles.size());
    Triangle own;
    for (std::size_t c = 0; c < 3; ++c) {
      const VertexId v = scene_.mesh.triangle(t)[c];
      const auto [at, is_new] =
          number.try_emplace(v.value, static_cast<std::uint32_t>(local.points.size()));
      if (is_new) local.points.push_back(scene_.mesh.point(v));
      own[c] = {at->second};
    }
    local.triangles.push_back(own);
  }
  fit_ = fit_for(local.points, std::max(kFitOfDiagonal * scene_.diagonal, scene_.tolerance));
  const Welded welded(local);
  const EdgeTable edges(local.triangles, local.points.size());
  const Patches patches =
      recognise_patches(welded, edges, {.sharp_angle = kCreaseAngle, .fit = fit_});
  // Patches of one and the same surface are one group.
  struct Group {
    std::uint32_t patch;
    std::vector<Point> points;
  };
  std::map<std::uint32_t, std::vector<Point>> points_of;
  for (std::size_t l = 0; l < edges_.size(); ++l) {
    for (std::size_t i = 0; i < edges_[l].size(); ++i) {
      Edge& e = edges_[l][i];
      const std::uint32_t patch = patches.patch_of[local_of.at(e.triangle.value)].value;
      e.group = patch;
      if (patch == kNoIndex) continue;
      e.surface = patches.patches[patch].surface;
      for (const VertexId v : scene_.mesh.triangle(e.triangle).corner) {
        points_of[patch].push_back(scene_.mesh.point(v));
      }
    }
  }
  std::map<std::uint32_t, std::uint32_t> same_as;
  for (const auto& [patch, points] : points_of) {
    same_as[patch] = patch;
    if (!patches.patches[patch].surface) continue;
    for (const auto& [other, other_points] : points_of) {
      if (other >= patch) break;
      if (same_as[other] != other || !patches.patches[other].surface) continue;
      if (is_same_surface(*patches.patches[other].surface, *patches.patches[patch].surface, points,
                          2 * fit_)) {
        same_as[patch] = other;
        break;
      }
    }
  }
  for (auto& loop : edges_) {
    for (Edge& e : loop) {
      if (e.group == kNoIndex) continue;
      e.group = same_as[e.group];
      e.surface = patches.patches[e.group].surface;
    }
  }
}

double Surroundings::size_at(VertexId v) const {
  // Edges that are far longer than the shortest say how long a face is, not how fine.
  double sum = 0;
  std::size_t count = 0;
  for (const TriangleId t : scene_.stars.at(v)) {
    const Triangle& tri = scene_.mesh.triangle(t);
    for (std::size_t c = 0; c < 3; ++c) {
      if (tri[c] != v && tri[(c + 1) % 3] != v) continue;
      sum += (scene_.mesh.point(tri[c]) - scene_.mesh.point(tri[(c + 1) % 3])).norm();
      ++count;
    }
  }
  return count > 0 ? sum / static_cast<double>(count) : 0;
}

double Surroundings::off(const Primitive& surface) const {
  double farthest = 0;
  for (const auto& loop : edges_) {
    for (const Edge& e : loop) {
      const Triangle& t = scene_.mesh.triangle(e.triangle);
      const bool on_it = std::all_of(t.corner, t.corner + 3, [&](VertexId v) {
        return std::fabs(surface.distance(scene_.mesh.point(v))) <= 4 * fit_;
      });
      for (std::size_t c = 0; c < 3 && on_it; ++c) {
        const Point middle = 0.5 * (scene_.mesh.point(t[c]) + scene_.mesh.point(t[(c + 1) % 3]));
        farthest = std::max(farthest, std::fabs(surface.distance(middle)));
      }
    }
  }
  return std::max(1.2 * farthest, 4 * fit_);
}

std::vector<Vector> Surroundings::creases_at(VertexId v) const {
  std::vector<Vector> creases;
  for (const TriangleId t : scene_.stars.at(v)) {
    const Triangle& tri = scene_.mesh.triangle(t);
    for (std::size_t c = 0; c < 3; ++c) {
      if (tri[c] != v) continue;  // each edge at v once: the one that leaves v in this triangle
      const auto id = scene_.edges.find(v, tri[(c + 1) % 3]);
      const auto uses = scene_.edges.uses(*id);
      if (uses.size() != 2) continue;
      const Vector a = unit_normal_of(scene_.mesh, uses[0].triangle());
      const Vector b = unit_normal_of(scene_.mesh, uses[1].triangle());
      if (a.dot(b) >= std::cos(kCreaseAngle)) continue;
      creases.push_back((scene_.mesh.point(v) - scene_.mesh.point(tri[(c + 1) % 3])).normalized());
    }
  }
  return creases;
}

// ---- Drafts.

namespace {

// The loops as points of a draft, and what may be joined.
class DraftMaker {
 public:
  DraftMaker(const Surroundings& around, const Opening& opening) : scene_(around.scene()) {
    for (const Loop& loop : opening.loops) {
      DraftLoop own;
      for (const VertexId v : loop) {
        own.push_back(draft.add(scene_.mesh.point(v), around.size_at(v), true));
        vertex_.push_back(v);
      }
      loops.push_back(std::move(own));
    }
    may_join = [this](std::uint32_t a, std::uint32_t b) {
      return a >= vertex_.size() || b >= vertex_.size() ||
             !scene_.edges.find(vertex_[a], vertex_[b]);
    };
  }
  DraftMaker(const DraftMaker&) = delete;
  DraftMaker& operator=(const DraftMaker&) = delete;

  [[nodiscard]] std::size_t rim_size() const { return vertex_.size(); }
  [[nodiscard]] VertexId vertex(std::uint32_t rim_point) const { return vertex_[rim_point]; }
  [[nodiscard]] Vector area_vector(const DraftLoop& loop) const {
    Point middle = Point::Zero();
    for (const std::uint32_t p : loop) middle += draft.points[p];
    middle /= static_cast<double>(loop.size());
    Vector sum = Vector::Zero();
    for (std::size_t i = 0; i < loop.size(); ++i) {
      sum += (draft.points[loop[i]] - middle)
                 .cross(draft.points[loop[(i + 1) % loop.size()]] - middle);
    }
    return 0.5 * sum;
  }
  // The largest distance of its points from a plane through their middle.
  [[nodiscard]] double off_plane(const DraftLoop& loop, const Vector& normal) const {
    double low = kInfinity, high = -kInfinity;
    for (const std::uint32_t p : loop) {
      const double h = normal.dot(draft.points[p] - draft.points[loop[0]]);
      low = std::min(low, h), high = std::max(high, h);
    }
    return 0.5 * (high - low);
  }

  void append(std::vector<DraftTriangle> triangles) {
    draft.triangles.insert(draft.triangles.end(), triangles.begin(), triangles.end());
  }

  Draft draft;
  std::vector<DraftLoop> loops;
  MayJoin may_join;

 private:
  const FillScene& scene_;
  std::vector<VertexId> vertex_;
};

Point project(const Primitive& surface, Point p) {
  for (int i = 0; i < 4; ++i) {
    const double d = surface.distance(p);
    if (d == 0) break;
    p -= d * surface.normal(p);
  }
  return p;
}

// Divides one region of a draft by itself: triangles from `first` on, whose sides towards others
// stay.
void refine_region(Draft& draft, std::size_t first, const RefineRules& rules) {
  Draft region;
  region.points = std::move(draft.points);
  region.size = std::move(draft.size);
  region.fixed.assign(region.points.size(), true);
  const std::vector<bool> fixed = std::move(draft.fixed);
  region.triangles.assign(draft.triangles.begin() + static_cast<std::ptrdiff_t>(first),
                          draft.triangles.end());
  draft.triangles.resize(first);
  const std::size_t known = region.points.size();
  refine(region, rules);
  draft.points = std::move(region.points);
  draft.size = std::move(region.size);
  draft.fixed = fixed;
  draft.fixed.resize(draft.points.size(), false);
  // What this region put in is its own: the next one leaves it alone.
  for (std::size_t p = known; p < draft.points.size(); ++p) draft.fixed[p] = true;
  draft.triangles.insert(draft.triangles.end(), region.triangles.begin(), region.triangles.end());
}

// Rules that keep what is drafted on a surface, as near to it as the facets around are.
RefineRules on_surface(const Primitive& surface, double most_off, const MayJoin& may_join) {
  return {may_join, [&surface](const Point& p) { return project(surface, p); },
          [&surface](const Point& p) { return surface.distance(p); }, most_off};
}

// ---- Continuing the curvature.

// Minimises the sum of squared Laplacians of the new points and of those rim points around which
// the surface is smooth, everything else being fixed.
class Fairing {
 public:
  Fairing(const Surroundings& around, const DraftMaker& maker, Draft& draft)
      : scene_(around.scene()), maker_(maker), draft_(draft) {
    collect(around);
  }

  bool run() {
    if (unknowns_ == 0) return true;
    for (int round = 0; round < 5; ++round) {
      if (!solve()) return false;
    }
    return true;
  }

 private:
  // The draft's points, then points of the mesh one ring around the rim.
  void collect(const Surroundings& around) {
    points_ = draft_.points;
    triangles_ = draft_.triangles;
    unknown_.assign(points_.size(), -1);
    for (std::size_t p = 0; p < points_.size(); ++p) {
      if (p >= maker_.rim_size()) unknown_[p] = static_cast<int>(unknowns_++);
    }
    std::unordered_map<std::uint32_t, std::uint32_t> number;
    for (std::uint32_t p = 0; p < maker_.rim_size(); ++p) number[maker_.vertex(p).value] = p;
    std::set<TriangleId> ring;
    for (std::uint32_t p = 0; p < maker_.rim_size(); ++p) {
      const auto star = scene_.stars.at(maker_.vertex(p));
      ring.insert(star.begin(), star.end());
    }
    for (const TriangleId t : ring) {
      DraftTriangle own{};
      for (std::size_t c = 0; c < 3; ++c) {
        const VertexId v = scene_.mesh.triangle(t)[c];
        const auto [at, is_new] =
            number.try_emplace(v.value, static_cast<std::uint32_t>(points_.size()));
        if (is_new) {
          points_.push_back(scene_.mesh.point(v));
          unknown_.push_back(-1);
        }
        own[c] = at->second;
      }
      triangles_.push_back(own);
    }
    has_row_.assign(points_.size(), false);
    for (std::uint32_t p = 0; p < draft_.points.size(); ++p) {
      has_row_[p] = p >= maker_.rim_size() || around.creases_at(maker_.vertex(p)).empty();
    }
  }

  bool solve() {
    using Triplet = Eigen::Triplet<double>;
    // Cotangent weights and areas of the surface as it is now.
    std::map<std::pair<std::uint32_t, std::uint32_t>, double> weight;
    std::vector<double> area(points_.size(), 0);
    for (const DraftTriangle& t : triangles_) {
      const double twice =
          (points_[t[1]] - points_[t[0]]).cross(points_[t[2]] - points_[t[0]]).norm();
      if (!(twice > 0)) continue;
      for (std::size_t c = 0; c < 3; ++c) {
        const std::uint32_t o = t[c], a = t[(c + 1) % 3], b = t[(c + 2) % 3];
        const double dot = (points_[a] - points_[o]).dot(points_[b] - points_[o]);
        // Bounded, so that thin triangles do not rule the solution.
        weight[std::minmax(a, b)] += 0.5 * std::clamp(dot / twice, -0.5, 20.0);
        area[o] += twice / 6;
      }
    }
    std::vector<double> sum(points_.size(), 0);
    for (const auto& [edge, w] : weight) {
      sum[edge.first] += std::max(w, kLeastWeight);
      sum[edge.second] += std::max(w, kLeastWeight);
    }
    std::vector<Triplet> entries;
    std::vector<double> row_weight;
    std::vector<int> row_of(points_.size(), -1);
    for (std::uint32_t p = 0; p < points_.size(); ++p) {
      if (!has_row_[p] || !(area[p] > 0)) continue;
      row_of[p] = static_cast<int>(row_weight.size());
      row_weight.push_back(1 / area[p]);
    }
    const auto rows = static_cast<Eigen::Index>(row_weight.size());
    Eigen::MatrixXd known = Eigen::MatrixXd::Zero(rows, 3);
    const Point origin = points_[0];
    const auto put = [&](int row, std::uint32_t p, double w) {
      if (unknown_[p] >= 0) {
        entries.emplace_back(row, unknown_[p], w);
      } else {
        known.row(row) -= w * (points_[p] - origin).transpose();
      }
    };
    for (const auto& [edge, w] : weight) {
      const auto [a, b] = edge;
      if (row_of[a] >= 0) put(row_of[a], b, std::max(w, kLeastWeight));
      if (row_of[b] >= 0) put(row_of[b], a, std::max(w, kLeastWeight));
    }
    for (std::uint32_t p = 0; p < points_.size(); ++p) {
      if (row_of[p] >= 0) put(row_of[p], p, -sum[p]);
    }
    Eigen::SparseMatrix<double> laplace(rows, static_cast<Eigen::Index>(unknowns_));
    laplace.setFromTriplets(entries.begin(), entries.end());
    const Eigen::VectorXd scale = Eigen::Map<const Eigen::VectorXd>(row_weight.data(), rows);
    const Eigen::SparseMatrix<double> normal = laplace.transpose() * scale.asDiagonal() * laplace;
    Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> solver(normal);
    if (solver.info() != Eigen::Success) return false;
    const Eigen::MatrixXd right = laplace.transpose() * (scale.asDiagonal() * known);
    const Eigen::MatrixXd found = solver.solve(right);
    if (solver.info() != Eigen::Success || !found.allFinite()) return false;
    for (std::uint32_t p = 0; p < draft_.points.size(); ++p) {
      if (unknown_[p] < 0) continue;
      points_[p] = origin + Point(found.row(unknown_[p]).transpose());
      draft_.points[p] = points_[p];
    }
    return true;
  }

  const FillScene& scene_;
  const DraftMaker& maker_;
  Draft& draft_;
  std::vector<Point> points_;
  std::vector<DraftTriangle> triangles_;
  std::vector<int> unknown_;  // by point: its column, or -1
  std::vector<bool> has_row_;
  std::size_t unknowns_ = 0;
};

// The one curved surface that all of the rim lies on, if there is one.
std::optional<Primitive> common_surface(const Surroundings& around) {
  std::optional<Primitive> surface;
  std::optional<std::uint32_t> group;
  for (const auto& loop : around.edges()) {
    for (const Surroundings::Edge& e : loop) {
      if (!e.surface || (group && *group != e.group)) return std::nullopt;
      group = e.group;
      surface = e.surface;
    }
  }
  return surface;
}

double width_of(const DraftMaker& maker) {
  Box box;
  for (std::size_t p = 0; p < maker.rim_size(); ++p) box.extend(maker.draft.points[p]);
  return box.diagonal();
}

std::string off_plane_text(double off, double tolerance) {
  return "its rim is " + short_text(off) + " off a plane, more than " + short_text(tolerance);
}

}  // namespace

DraftOutcome draft_flat(const Surroundings& around, const Opening& opening, bool divide) {
  DraftMaker maker(around, opening);
  const Vector area = maker.area_vector(maker.loops[0]);
  if (!(area.norm() > 0)) return "its rim encloses no area in any plane";
  const Vector normal = area.normalized();
  DraftLoop all;
  for (const DraftLoop& loop : maker.loops) all.insert(all.end(), loop.begin(), loop.end());
  const double off = maker.off_plane(all, normal);
  // Rounding of coordinates puts points off the plane that they were made in.
  const double allowed = std::max(around.scene().tolerance, around.fit());
  if (off > allowed) return off_plane_text(off, allowed);
  auto triangles = divide_flat(maker.draft.points, maker.loops, normal, maker.may_join);
  if (!triangles) return "its rim crosses or touches itself in the plane, or an edge is there";
  maker.append(std::move(*triangles));
  if (divide) refine(maker.draft, {maker.may_join});
  std::string why = "the rim is flat within " + short_text(off);
  if (maker.loops.size() > 1) {
    why += ", with " + std::to_string(maker.loops.size() - 1) + " islands in it";
  }
  return FillDraftResult{std::move(maker.draft), std::move(why)};
}

DraftOutcome draft_taut(const Surroundings& around, const Opening& opening, bool divide) {
  DraftMaker maker(around, opening);
  if (maker.loops.size() != 1) return "it has several rims";
  auto triangles = divide_taut(maker.draft.points, maker.loops[0], maker.may_join);
  if (!triangles) return "every division has a triangle without area or an edge that is there";
  maker.append(std::move(*triangles));
  if (divide) refine(maker.draft, {maker.may_join});
  return FillDraftResult{std::move(maker.draft), "the least area between what is there"};
}

namespace {

// The whole fill on one known surface: facets as near to it as those around.
DraftOutcome draft_on_surface(const Surroundings& around, Draft draft, const DraftMaker& maker,
                              const Primitive& surface) {
  const double most_off = around.off(surface);
  const RefineRules rules = on_surface(surface, most_off, maker.may_join);
  Draft flat = draft;
  double farthest = 0;
  for (const DraftTriangle& t : flat.triangles) {
    const Point middle = (flat.points[t[0]] + flat.points[t[1]] + flat.points[t[2]]) / 3.0;
    farthest = std::max(farthest, std::fabs(surface.distance(middle)));
  }
  // A deep fill is brought near the surface by its curvature first: straight projection would fold.
  if (farthest > 0.1 * width_of(maker)) {
    for (double& size : draft.size) size = std::min(size, width_of(maker) / 6);
    refine(draft, {maker.may_join});
    if (!Fairing(around, maker, draft).run()) return "the curvature has no solution here";
    for (std::size_t p = maker.rim_size(); p < draft.points.size(); ++p) {
      draft.points[p] = project(surface, draft.points[p]);
    }
  }
  refine(draft, rules);
  return FillDraftResult{
      std::move(draft),
      "all around it is one " + std::string(slug(surface.kind)) + ", which is continued"};
}

}  // namespace

DraftOutcome draft_fair(const Surroundings& around, const Opening& opening) {
  DraftMaker maker(around, opening);
  if (maker.loops.size() != 1) return "it has several rims";
  auto triangles = divide_taut(maker.draft.points, maker.loops[0], maker.may_join);
  if (!triangles) return "every division has a triangle without area or an edge that is there";
  maker.append(std::move(*triangles));
  const std::optional<Primitive> surface = common_surface(around);
  if (surface && surface->kind != PrimitiveKind::plane) {
    return draft_on_surface(around, maker.draft, maker, *surface);
  }
  // The size of what is around may be larger than the opening: to curve, a fill needs points.
  const double width = width_of(maker);
  for (double& size : maker.draft.size) size = std::min(size, width / 6);
  refine(maker.draft, {maker.may_join});
  if (!Fairing(around, maker, maker.draft).run()) return "the curvature has no solution here";
  // The surface has grown: divide once more, where it is now.
  const std::size_t before = maker.draft.points.size();
  refine(maker.draft, {maker.may_join});
  if (maker.draft.points.size() > before && !Fairing(around, maker, maker.draft).run()) {
    return "the curvature has no solution here";
  }
  std::string why = "continues the curvature around it";
  return FillDraftResult{std::move(maker.draft), std::move(why)};
}

// ---- Neighbours carried on until they meet.

namespace {

// Newton's method on the distances to some surfaces: the nearest common point, about.
std::optional<Point> common_point(std::span<const Primitive* const> surfaces, Point p, double reach,
                                  double fit) {
  const Point start = p;
  for (int step = 0; step < 60; ++step) {
    std::vector<Vector> normals;
    std::vector<double> distances;
    double farthest = 0;
    for (const Primitive* s : surfaces) {
      normals.push_back(s->normal(p));
      distances.push_back(s->distance(p));
      farthest = std::max(farthest, std::fabs(distances.back()));
    }
    if (farthest <= kMetPart * reach) break;
    // The least step: what the surfaces leave free stays.
    const LeastStep least = least_step(normals, distances, kSameNormals);
    if (!(least.least_singular > kSideBySide)) return std::nullopt;  // they run side by side
    p -= least.step;
    if (!p.allFinite() || (p - start).norm() > reach) return std::nullopt;
  }
  for (const Primitive* s : surfaces) {
    if (!(std::fabs(s->distance(p)) <= fit)) return std::nullopt;
  }
  return p;
}

class Roof {
 public:
  Roof(const Surroundings& around, DraftMaker& maker)
      : around_(around), maker_(maker), width_(width_of(maker)) {}

  // Why not, or nothing.
  std::string build() {
    if (!find_sides()) return "not all of its neighbours are planes or other known surfaces";
    if (sides_.size() < 2) return "all around it is one surface: nothing meets";
    while (sides_.size() > 2) {
      if (!close_one()) return "its neighbours do not meet near it";
    }
    if (!connect(sides_[0].path_end.back(), sides_[1].path_end.back(), sides_[0], sides_[1])) {
      return "its neighbours do not meet near it";
    }
    finish(sides_[0]);
    finish(sides_[1]);
    return {};
  }

  struct Region {
    Primitive surface;
    DraftLoop border;
    Vector outward;
  };
  [[nodiscard]] const std::vector<Region>& regions() const { return regions_; }

 private:
  // A stretch of rim along one surface, with the paths from its ends into the opening so far; both
  // begin with the end itself.
  struct Side {
    Primitive surface;
    DraftLoop run;
    DraftLoop path_start;
    DraftLoop path_end;
    Vector outward = Vector::Zero();
  };

  bool find_sides() {
    const auto& edges = around_.edges()[0];
    const DraftLoop& loop = maker_.loops[0];
    const std::size_t n = loop.size();
    for (const auto& e : edges) {
      if (!e.surface) return false;
    }
    std::size_t first = 0;
    while (first < n && edges[first].group == edges[(first + n - 1) % n].group) ++first;
    if (first == n) first = 0;
    for (std::size_t k = 0; k < n; ++k) {
      const std::size_t i = (first + k) % n;
      if (k == 0 || edges[i].group != edges[(i + n - 1) % n].group) {
        sides_.push_back({*edges[i].surface, {loop[i]}, {loop[i]}, {}, Vector::Zero()});
      }
      Side& side = sides_.back();
      side.run.push_back(loop[(i + 1) % n]);
      side.path_end = {loop[(i + 1) % n]};
      side.outward += edges[i].normal;
    }
    if (sides_.size() > 1) hand_over();
    return true;
  }

  // An edge of the rim that lies on the next side's surface, too, is where the two meet: what is
  // missing across it is that side's.
  void hand_over() {
    const std::size_t n = sides_.size();
    const auto lies_on = [&](std::uint32_t a, std::uint32_t b, const Primitive& s) {
      return std::fabs(s.distance(point(a))) <= near() && std::fabs(s.distance(point(b))) <= near();
    };
    for (std::size_t i = 0; i < n; ++i) {
      Side &side = sides_[i], &next = sides_[(i + 1) % n];
      bool moved = false;
      while (side.run.size() > 2 &&
             lies_on(side.run.back(), side.run[side.run.size() - 2], next.surface)) {
        side.run.pop_back();
        next.run.insert(next.run.begin(), side.run.back());
        moved = true;
      }
      while (!moved && next.run.size() > 2 && lies_on(next.run[0], next.run[1], side.surface)) {
        next.run.erase(next.run.begin());
        side.run.push_back(next.run[0]);
      }
      side.path_end = {side.run.back()};
      next.path_start = {next.run.front()};
    }
  }

  [[nodiscard]] const Point& point(std::uint32_t p) const { return maker_.draft.points[p]; }
  [[nodiscard]] double near() const {
    return std::max(4 * around_.fit(), kOnSurfaceRounding * width_);
  }

  // Closes the side whose two neighbours meet it nearest.
  bool close_one() {
    double best = kInfinity;
    std::size_t which = 0;
    Point corner = Point::Zero();
    const std::size_t n = sides_.size();
    for (std::size_t i = 0; i < n; ++i) {
      const Side &before = sides_[(i + n - 1) % n], &own = sides_[i], &after = sides_[(i + 1) % n];
      const Primitive* three[] = {&before.surface, &own.surface, &after.surface};
      const Point &a = point(own.path_start.back()), &b = point(own.path_end.back());
      const auto x = common_point(three, 0.5 * (a + b), kReach * width_, near());
      if (!x) continue;
      const double way = (*x - a).norm() + (*x - b).norm();
      if (way < best) {
        best = way;
        which = i;
        corner = *x;
      }
    }
    if (!(best < kInfinity)) return false;
    Side &before = sides_[(which + n - 1) % n], &own = sides_[which],
         &after = sides_[(which + 1) % n];
    const std::uint32_t x = new_point(corner, own);
    const std::uint32_t from_start = own.path_start.back(), from_end = own.path_end.back();
    const auto first = curve(from_start, x, before.surface, own.surface);
    const auto second = curve(from_end, x, own.surface, after.surface);
    if (!first || !second) return false;
    append(before.path_end, *first);
    append(own.path_start, *first);
    append(own.path_end, *second);
    append(after.path_start, *second);
    finish(own);
    sides_.erase(sides_.begin() + static_cast<std::ptrdiff_t>(which));
    return true;
  }

  std::uint32_t new_point(const Point& p, const Side& side) {
    // Points that fall on a vertex of the rim within what the fit tells are that vertex.
    for (const std::uint32_t v : {side.path_start.back(), side.path_end.back()}) {
      if ((point(v) - p).norm() <= near()) return v;
    }
    const double size =
        0.5 * (maker_.draft.size[side.path_start.back()] + maker_.draft.size[side.path_end.back()]);
    return maker_.draft.add(p, size, true);
  }

  static void append(DraftLoop& path, const DraftLoop& more) {
    path.insert(path.end(), more.begin() + 1, more.end());
  }

  // Both of the last two sides run along the same line between two tips.
  bool connect(std::uint32_t a, std::uint32_t b, Side& first, Side& second) {
    if (a == b) return true;
    const auto line = curve(a, b, first.surface, second.surface);
    if (!line) return false;
    append(first.path_end, *line);
    DraftLoop back(line->rbegin(), line->rend());
    append(second.path_end, back);
    return true;
  }

  // Points along the line in which two surfaces meet, ends included.
  std::optional<DraftLoop> curve(std::uint32_t a, std::uint32_t b, const Primitive& s,
                                 const Primitive& t) {
    if (a == b) return DraftLoop{a};
    const Primitive* two[] = {&s, &t};
    for (const std::uint32_t end : {a, b}) {
      for (const Primitive* surface : two) {
        if (std::fabs(surface->distance(point(end))) > near()) return std::nullopt;
      }
    }
    const bool straight = s.kind == PrimitiveKind::plane && t.kind == PrimitiveKind::plane;
    const double length = (point(a) - point(b)).norm();
    const double size = 0.5 * (maker_.draft.size[a] + maker_.draft.size[b]);
    const double wanted = std::ceil(length / std::max(size, kShortestPiece * length) - 0.5);
    const int pieces = static_cast<int>(std::clamp(wanted, straight ? 1.0 : 4.0, 400.0));
    DraftLoop path = {a};
    for (int i = 1; i < pieces; ++i) {
      const double at = static_cast<double>(i) / pieces;
      Point p = (1 - at) * point(a) + at * point(b);
      if (!straight) {
        const auto on_both = common_point(two, p, length, near());
        if (!on_both) return std::nullopt;
        p = *on_both;
      }
      path.push_back(
          maker_.draft.add(p, (1 - at) * maker_.draft.size[a] + at * maker_.draft.size[b], true));
    }
    path.push_back(b);
    return path;
  }

  void finish(const Side& side) {
    DraftLoop border = side.run;
    border.insert(border.end(), side.path_end.begin() + 1, side.path_end.end());
    border.insert(border.end(), side.path_start.rbegin(), side.path_start.rend() - 1);
    // Both paths end in the corner where they met, which may be an end of the run itself.
    border.erase(std::unique(border.begin(), border.end()), border.end());
    while (border.size() > 1 && border.front() == border.back()) border.pop_back();
    regions_.push_back({side.surface, std::move(border), side.outward});
  }

  // How far from the rim a meeting point may lie, in widths of the opening.
  static constexpr double kReach = 3;

  const Surroundings& around_;
  DraftMaker& maker_;
  double width_;
  std::vector<Side> sides_;
  std::vector<Region> regions_;
};

}  // namespace

DraftOutcome draft_extended(const Surroundings& around, const Opening& opening, bool divide) {
  DraftMaker maker(around, opening);
  if (maker.loops.size() != 1) return "it has several rims";
  Roof roof(around, maker);
  if (std::string why = roof.build(); !why.empty()) return why;
  const std::size_t corners = maker.draft.points.size() - maker.rim_size();
  std::map<std::string, int> kinds;
  for (const Roof::Region& region : roof.regions()) {
    if (region.border.size() < 3) continue;
    const Vector area = maker.area_vector(region.border);
    const std::size_t first = maker.draft.triangles.size();
    ++kinds[std::string(slug(region.surface.kind))];
    if (region.surface.kind == PrimitiveKind::plane) {
      // The surface goes on the way it faced: else its neighbours meet behind it.
      if (area.dot(region.outward) <= 0) return "its neighbours meet on the wrong side";
      const DraftLoop loops[] = {region.border};
      auto triangles = divide_flat(maker.draft.points, loops, area.normalized(), maker.may_join);
      if (!triangles) return "carried on, its neighbours run through each other";
      maker.append(std::move(*triangles));
      if (divide) refine_region(maker.draft, first, {maker.may_join});
      continue;
    }
    auto triangles = divide_taut(maker.draft.points, region.border, maker.may_join);
    if (!triangles) return "carried on, its neighbours run through each other";
    maker.append(std::move(*triangles));
    refine_region(maker.draft, first,
                  on_surface(region.surface, around.off(region.surface), maker.may_join));
  }
  std::string why = "its neighbours (";
  bool comma = false;
  for (const auto& [kind, count] : kinds) {
    why += (comma ? ", " : "") + std::to_string(count) + " " + kind;
    comma = true;
  }
  why += corners > 0 ? ") meet in " : ") meet";
  if (corners > 0) why += std::to_string(corners) + (corners == 1 ? " new point" : " new points");
  return FillDraftResult{std::move(maker.draft), std::move(why)};
}

// ---- Creases carried across.

namespace {

struct CreaseEnd {
  std::size_t at;  // in the loop
  Vector direction;
};

// The middle of the shortest bridges between some rays.
Point nearest_to_lines(const Draft& draft, const DraftLoop& loop,
                       const std::vector<CreaseEnd>& ends) {
  Eigen::Matrix3d sum = Eigen::Matrix3d::Zero();
  Vector right = Vector::Zero();
  Point middle = Point::Zero();
  for (const CreaseEnd& e : ends) {
    middle += draft.points[loop[e.at]] / static_cast<double>(ends.size());
  }
  for (const CreaseEnd& e : ends) {
    const Eigen::Matrix3d across =
        Eigen::Matrix3d::Identity() - e.direction * e.direction.transpose();
    sum += across;
    right += across * (draft.points[loop[e.at]] - middle);
  }
  // Where the lines leave it open, the middle decides.
  sum += kMiddleWeight * Eigen::Matrix3d::Identity();
  return middle + Point(solve(sum, right));
}

class CreaseNet {
 public:
  CreaseNet(const Surroundings& around, DraftMaker& maker)
      : maker_(maker), width_(width_of(maker)) {
    const DraftLoop& loop = maker.loops[0];
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const std::vector<Vector> creases = around.creases_at(maker.vertex(loop[i]));
      if (creases.size() == 1) ends_.push_back({i, creases[0]});
    }
  }
  [[nodiscard]] std::size_t ends() const { return ends_.size(); }

  // The parts that the creases divide the opening into.
  std::vector<DraftLoop> parts() {
    if (ends_.size() == 3) return star();
    std::vector<DraftLoop> parts = {maker_.loops[0]};
    std::vector<bool> used(ends_.size());
    while (true) {
      // Best aligned pair within one part.
      double best = kInfinity;
      std::size_t a = 0, b = 0, in = 0;
      for (std::size_t i = 0; i < ends_.size(); ++i) {
        for (std::size_t j = i + 1; j < ends_.size() && !used[i]; ++j) {
          if (used[j]) continue;
          const std::uint32_t p = at(i), q = at(j);
          if (!maker_.may_join(p, q)) continue;
          const Vector across = (point(q) - point(p)).normalized();
          const double cost = 2 - ends_[i].direction.dot(across) + ends_[j].direction.dot(across);
          if (cost >= std::min(best, kWorstCost)) continue;
          for (std::size_t k = 0; k < parts.size(); ++k) {
            const bool both = std::find(parts[k].begin(), parts[k].end(), p) != parts[k].end() &&
                              std::find(parts[k].begin(), parts[k].end(), q) != parts[k].end();
            if (!both) continue;
            best = cost, a = i, b = j, in = k;
          }
        }
      }
      if (!(best < kInfinity)) return parts;
      used[a] = used[b] = true;
      split(parts, in, a, b);
    }
  }

 private:
  static constexpr double kWorstCost = 2.5;

  [[nodiscard]] std::uint32_t at(std::size_t end) const { return maker_.loops[0][ends_[end].at]; }
  [[nodiscard]] const Point& point(std::uint32_t p) const { return maker_.draft.points[p]; }

  // From the first to the last, leaving and arriving in the given directions; ends included.
  DraftLoop curve(std::uint32_t a, const Vector& leave, std::uint32_t b, const Vector& arrive) {
    const double length = (point(a) - point(b)).norm();
    const double size = 0.5 * (maker_.draft.size[a] + maker_.draft.size[b]);
    const Vector across = (point(b) - point(a)) / length;
    const bool straight =
        leave.dot(across) > kStraightCosine && arrive.dot(across) > kStraightCosine;
    const int pieces = static_cast<int>(
        std::clamp(std::ceil(length / std::max(size, kShortestPiece * length) - 0.5),
                   straight ? 1.0 : 4.0, 400.0));
    const Point from = point(a), to = point(b);
    DraftLoop path = {a};
    for (int i = 1; i < pieces; ++i) {
      const double t = static_cast<double>(i) / pieces, s = 1 - t;
      // Hermite's cubic.
      const Point p = s * s * (1 + 2 * t) * from + t * t * (1 + 2 * s) * to +
                      s * s * t * length * leave - t * t * s * length * arrive;
      path.push_back(
          maker_.draft.add(p, s * maker_.draft.size[a] + t * maker_.draft.size[b], true));
    }
    path.push_back(b);
    return path;
  }

  void split(std::vector<DraftLoop>& parts, std::size_t which, std::size_t a, std::size_t b) {
    DraftLoop loop = parts[which];
    const std::uint32_t p = at(a), q = at(b);
    const DraftLoop path = curve(p, ends_[a].direction, q, -ends_[b].direction);
    std::rotate(loop.begin(), std::find(loop.begin(), loop.end(), p), loop.end());
    const auto middle = std::find(loop.begin(), loop.end(), q);
    DraftLoop first(loop.begin(), middle);  // p .. before q, then back along the path from q
    first.insert(first.end(), path.rbegin(), path.rend() - 1);
    DraftLoop second(middle, loop.end());  // q .. before p, then along the path from p
    second.insert(second.end(), path.begin(), path.end() - 1);
    parts[which] = std::move(first);
    parts.push_back(std::move(second));
  }

  std::vector<DraftLoop> star() {
    const DraftLoop& loop = maker_.loops[0];
    const Point meeting = nearest_to_lines(maker_.draft, loop, ends_);
    for (const CreaseEnd& e : ends_) {
      if ((meeting - point(loop[e.at])).norm() > 2 * width_) return {};
    }
    double size = 0;
    for (const CreaseEnd& e : ends_) size += maker_.draft.size[loop[e.at]] / 3;
    const std::uint32_t x = maker_.draft.add(meeting, size, true);
    std::vector<DraftLoop> paths;
    for (const CreaseEnd& e : ends_) {
      const Vector across = (meeting - point(loop[e.at])).normalized();
      paths.push_back(curve(loop[e.at], e.direction, x, across));
    }
    std::vector<DraftLoop> parts;
    for (std::size_t k = 0; k < 3; ++k) {
      const std::size_t next = (k + 1) % 3;
      DraftLoop part;
      for (std::size_t i = ends_[k].at;; i = (i + 1) % loop.size()) {
        part.push_back(loop[i]);
        if (i == ends_[next].at) break;
      }
      part.insert(part.end(), paths[next].begin() + 1, paths[next].end());
      part.insert(part.end(), paths[k].rbegin() + 1, paths[k].rend() - 1);
      parts.push_back(std::move(part));
    }
    return parts;
  }

  DraftMaker& maker_;
  double width_;
  std::vector<CreaseEnd> ends_;
};

}  // namespace

DraftOutcome draft_creased(const Surroundings& around, const Opening& opening, bool divide) {
  DraftMaker maker(around, opening);
  if (maker.loops.size() != 1) return "it has several rims";
  CreaseNet net(around, maker);
  if (net.ends() < 2) return "fewer than two creases end on its rim";
  const std::vector<DraftLoop> parts = net.parts();
  if (parts.size() < 2) return "the creases that end on its rim do not meet";
  for (const DraftLoop& part : parts) {
    const std::size_t first = maker.draft.triangles.size();
    const Vector area = maker.area_vector(part);
    const double allowed = std::max(around.scene().tolerance, around.fit());
    std::optional<std::vector<DraftTriangle>> triangles;
    if (area.norm() > 0 && maker.off_plane(part, area.normalized()) <= allowed) {
      const DraftLoop loops[] = {part};
      triangles = divide_flat(maker.draft.points, loops, area.normalized(), maker.may_join);
    }
    if (!triangles) triangles = divide_taut(maker.draft.points, part, maker.may_join);
    if (!triangles) return "a part between its creases cannot be divided";
    maker.append(std::move(*triangles));
    if (divide) refine_region(maker.draft, first, {maker.may_join});
  }
  return FillDraftResult{std::move(maker.draft),
                         std::to_string(net.ends()) + " creases end on its rim"};
}

// ---- Straight lines between two rims or sides.

namespace {

std::size_t nearest_in(const Draft& draft, const DraftLoop& loop, const Point& p) {
  std::size_t best = 0;
  for (std::size_t i = 1; i < loop.size(); ++i) {
    if ((draft.points[loop[i]] - p).squaredNorm() < (draft.points[loop[best]] - p).squaredNorm()) {
      best = i;
    }
  }
  return best;
}

DraftLoop closed_from(const DraftLoop& loop, std::size_t start) {
  DraftLoop chain = loop;
  std::rotate(chain.begin(), chain.begin() + static_cast<std::ptrdiff_t>(start), chain.end());
  chain.push_back(chain.front());
  return chain;
}

}  // namespace

DraftOutcome draft_ruled(const Surroundings& around, const Opening& opening,
                         const RuledStart& start) {
  DraftMaker maker(around, opening);
  const Draft& draft = maker.draft;
  if (maker.loops.size() > 2) return "it has more than two rims";
  std::optional<std::vector<DraftTriangle>> triangles;
  std::string why;
  if (maker.loops.size() == 2) {
    const DraftLoop& a = maker.loops[0];
    DraftLoop b = maker.loops[1];
    // Both loops run as triangles will; seen as a strip, the second runs against the first.
    if (!start.reverse) std::reverse(b.begin(), b.end());
    std::size_t i = 0, j = 0;
    if (start.start && start.other_start) {
      i = nearest_in(draft, a, *start.start);
      j = nearest_in(draft, b, *start.other_start);
    } else {
      double best = kInfinity;
      const std::size_t step = std::max<std::size_t>(1, a.size() / 256);
      for (std::size_t k = 0; k < a.size(); k += step) {
        const std::size_t m = nearest_in(draft, b, draft.points[a[k]]);
        const double d = (draft.points[a[k]] - draft.points[b[m]]).squaredNorm();
        if (d < best) best = d, i = k, j = m;
      }
    }
    triangles = divide_strip(draft.points, closed_from(a, i), closed_from(b, j), maker.may_join);
    why = "a band between two rims";
  } else {
    const DraftLoop& loop = maker.loops[0];
    if (loop.size() < 4) return "a rim of three edges has no two sides";
    std::size_t i = 0, j = 0;
    if (start.start && start.other_start) {
      i = nearest_in(draft, loop, *start.start);
      j = nearest_in(draft, loop, *start.other_start);
    } else {
      // The ends are the two vertices farthest apart.
      double farthest = -1;
      for (std::size_t k = 0; k < loop.size(); ++k) {
        for (std::size_t m = k + 1; m < loop.size(); ++m) {
          const double d = (draft.points[loop[k]] - draft.points[loop[m]]).squaredNorm();
          if (d > farthest) farthest = d, i = k, j = m;
        }
      }
    }
    if (i == j) return "both ends are the same vertex";
    DraftLoop first, second;
    for (std::size_t k = i; k != j; k = (k + 1) % loop.size()) first.push_back(loop[k]);
    first.push_back(loop[j]);
    for (std::size_t k = (i + loop.size() - 1) % loop.size(); k != j;
         k = (k + loop.size() - 1) % loop.size()) {
      second.push_back(loop[k]);
    }
    if (second.empty()) {
      std::reverse(first.begin(), first.end());
      second.assign(first.begin() + 1, first.end() - 1);
      first = {loop[j], loop[i]};
      // The side of one edge is the second chain's: the first runs straight along it.
    }
    triangles = divide_strip(draft.points, first, second, maker.may_join);
    why = "straight lines from one side to the other";
  }
  if (!triangles) return "no strip has only triangles with area and edges of its own";
  maker.append(std::move(*triangles));
  return FillDraftResult{std::move(maker.draft), std::move(why)};
}

}  // namespace aguja
