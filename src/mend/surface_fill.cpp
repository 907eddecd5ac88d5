#include "mend/surface_fill.h"

#include <algorithm>
#include <set>

#include <Eigen/Geometry>

#include "base/numbers.h"
#include "surface/face_mesh.h"

namespace aguja {
namespace {

// As facets of bodies are made where nothing else is asked for.
constexpr double kHeldToChord = 0.8, kFacetAngle = 0.35;
constexpr double kPoleOfBody = 1e-6;  // of the body's size

std::string past_circles(const Surface& surface) {
  return "the " + std::string(slug(surface.kind())) + " past the circles of its rim";
}

// The face of the surface within these loops; new points are numbered on from `first`.
std::optional<Fill> facets_of(const SurfacePtr& surface, const std::vector<DividedLoop>& loops,
                              FaceFineness fineness, std::uint32_t first) {
  fineness.angle = kFacetAngle;
  Face face;
  face.surface = surface;
  FaceMesh made = mesh_face(face, true, loops, fineness);
  if (made.is_against_loops) {
    face.same_sense = false;
    made = mesh_face(face, false, loops, fineness);
  }
  if (made.triangles.empty() || !made.troubles.empty() || made.is_against_loops) {
    return std::nullopt;
  }
  Fill fill;
  fill.points = std::move(made.points);
  for (Triangle t : made.triangles) {
    for (VertexId& v : t.corner) {
      if (v.value >= kOwnVertices) v.value = v.value - kOwnVertices + first;
    }
    fill.triangles.push_back(t);
  }
  return fill;
}

// The bend between two rims of a mesh with nothing behind it. Cylinders and cones are as straight as the
// lines between the rims, which keep its facets.
std::optional<Fill> bend_of_mesh(const Mesh& mesh, const Opening& opening) {
  if (opening.loops.size() != 2) return std::nullopt;
  std::vector<RimCircle> circles;
  std::vector<DividedLoop> loops;
  double chord = kInfinity;
  for (const Loop& loop : opening.loops) {
    DividedLoop divided;
    std::vector<Point> points;
    for (const VertexId v : loop) {
      points.push_back(mesh.point(v));
      divided.corners.push_back({v, points.back()});
    }
    loops.push_back(std::move(divided));
    const auto circle = circle_through(points, area_vector(mesh.points, loop));
    if (!circle) continue;
    circles.push_back(*circle);
    // As the rim's chords are.
    double longest = 0;
    for (std::size_t i = 0; i < points.size(); ++i) {
      longest = std::max(longest, (points[(i + 1) % points.size()] - points[i]).norm());
    }
    chord = std::min(chord, longest * longest / (8 * circle->radius));
  }
  if (circles.size() != 2) return std::nullopt;
  const double within = kRoundRim * circles[0].radius;
  for (const SurfacePtr& surface : round_surfaces(circles, within)) {
    if (surface->kind() != SurfaceKind::torus) continue;
    const FillSurface own(surface);
    const bool lies_on_it = std::all_of(loops.begin(), loops.end(), [&](const DividedLoop& loop) {
      return std::all_of(loop.corners.begin(), loop.corners.end(),
                         [&](const auto& corner) { return own.off(corner.p) <= within; });
    });
    if (!lies_on_it) continue;
    FaceFineness fineness;
    fineness.chord = chord;
    fineness.tolerance = within;
    auto fill = facets_of(surface, loops, fineness, static_cast<std::uint32_t>(mesh.points.size()));
    if (!fill) continue;
    fill->method = FillMethod::ruled;
    fill->why = past_circles(*surface);
    return fill;
  }
  return std::nullopt;
}

class SurfaceFiller {
 public:
  SurfaceFiller(const SurfaceOrigin& origin, const KnownMesh& mesh, const BodyRim& rim,
                const Opening& opening)
      : origin_(origin),
        body_(origin.body->body),
        mesh_(mesh.mesh()),
        edges_(mesh.edges()),
        opening_(opening),
        rim_(rim) {}

  std::optional<Fill> run() {
    if (mesh_.patch_of.empty() || !find_rim()) return std::nullopt;
    if (faces_.size() > 1) {
      std::set<const Surface*> seen;
      for (const std::uint32_t f : faces_) {
        const SurfacePtr& s = body_.faces[f].surface;
        if (s->kind() == SurfaceKind::plane || !seen.insert(s.get()).second) continue;
        const EntityNumber entity = body_.faces[f].entity;
        if (auto fill =
                on(s, FillMethod::extend,
                   "the " + std::string(slug(s->kind())) + " beside it" +
                       (entity == 0 ? "" : ", #" + std::to_string(entity) + ",") + " goes on")) {
          return fill;
        }
      }
    }
    for (const SurfacePtr& round : round_surfaces(body_, rim_edges_, faces_, rim_.tolerance())) {
      if (auto fill = on(round, FillMethod::ruled, past_circles(*round))) return fill;
    }
    return std::nullopt;
  }

 private:
  bool find_rim() {
    for (const Loop& loop : opening_.loops) {
      for (std::size_t i = 0; i < loop.size(); ++i) {
        const VertexId a = loop[i], b = loop[(i + 1) % loop.size()];
        const auto e = edges_.find(a, b);
        if (!e || !edges_.is_naked(*e)) return false;
        const std::uint32_t patch = mesh_.patch_of[edges_.uses(*e)[0].triangle().value].value;
        const std::uint32_t face = patch - origin_.first_patch;
        if (face >= body_.faces.size()) return false;
        const auto edge = rim_.edge_of_side(face, mesh_.point(a), mesh_.point(b));
        if (!edge) return false;
        faces_.insert(face);
        rim_edges_.insert(*edge);
      }
    }
    return true;
  }

  std::optional<Fill> on(const SurfacePtr& surface, FillMethod method, std::string why) const {
    const FillSurface own(surface);
    const bool lies_on_it = std::all_of(rim_edges_.begin(), rim_edges_.end(), [&](std::uint32_t e) {
      return own.off(body_.edges[e]) <= rim_.tolerance();
    });
    if (!lies_on_it) return std::nullopt;
    std::vector<DividedLoop> loops;
    for (const Loop& loop : opening_.loops) {
      DividedLoop divided;
      for (const VertexId v : loop) divided.corners.push_back({v, rim_.to_body(mesh_.point(v))});
      loops.push_back(std::move(divided));
    }
    FaceFineness fineness;
    fineness.chord = kHeldToChord * origin_.body->chord;
    fineness.tolerance = kPoleOfBody * rim_.size();
    std::optional<Fill> fill =
        facets_of(surface, loops, fineness, static_cast<std::uint32_t>(mesh_.points.size()));
    if (!fill) return std::nullopt;
    fill->method = method;
    fill->why = std::move(why);
    for (Point& p : fill->points) p = origin_.placement(p);
    if (origin_.placement.mirrors()) {
      for (Triangle& t : fill->triangles) std::swap(t[1], t[2]);
    }
    return fill;
  }

  const SurfaceOrigin& origin_;
  const Body& body_;
  const Mesh& mesh_;
  const EdgeTable& edges_;
  const Opening& opening_;
  const BodyRim& rim_;
  std::set<std::uint32_t> faces_, rim_edges_;
};

}  // namespace

SurfaceFills::SurfaceFills(const Shape& shape, const KnownMesh& mesh) : mesh_(mesh) {
  has_surfaces_ = !shape.surfaces.empty();
  if (shape.surfaces.size() != 1) return;
  origin_ = &shape.surfaces[0];
  rim_.emplace(*origin_->body, origin_->placement);
}

std::optional<Fill> SurfaceFills::of(const Opening& opening) const {
  if (!has_surfaces_) return bend_of_mesh(mesh_.mesh(), opening);
  if (!rim_) return std::nullopt;
  return SurfaceFiller(*origin_, mesh_, *rim_, opening).run();
}

}  // namespace aguja
