#include "aguja/surface/check_surfaces.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <numbers>
#include <set>

#include <Eigen/Geometry>

#include "base/short_text.h"
#include "surface/edge_fit.h"

namespace aguja {
namespace {

class StatisticsOf {
 public:
  void add(double distance, const Point& at, EntityNumber entity) {
    s_.least = s_.count == 0 ? distance : std::min(s_.least, distance);
    if (s_.count == 0 || distance > s_.largest) {
      s_.largest = distance;
      s_.at = at;
      s_.entity = entity;
    }
    sum_ += distance;
    ++s_.count;
  }
  [[nodiscard]] ToleranceStatistics result() const {
    ToleranceStatistics s = s_;
    if (s.count > 0) s.mean = sum_ / static_cast<double>(s.count);
    return s;
  }

 private:
  ToleranceStatistics s_;
  double sum_ = 0;
};

}  // namespace

BodyTolerances measure_tolerances(const PreparedSurfaces& surfaces) {
  StatisticsOf vertices, edges, faces;
  for (std::size_t b = 0; b < surfaces.model.bodies.size(); ++b) {
    const Body& body = surfaces.model.bodies[b];
    std::vector<double> of_vertex(body.vertices.size(), -1);
    std::vector<double> of_edge(body.edges.size(), -1);
    const std::vector<std::uint32_t> uses = edge_uses(body);
    for (std::uint32_t e = 0; e < body.edges.size(); ++e) {
      const BodyEdge& edge = body.edges[e];
      if (uses[e] == 0 || !has_ends(edge)) continue;
      const auto ends = ends_of(edge);
      const std::uint32_t v[2] = {edge.start, edge.end};
      for (int k = 0; k < 2; ++k) {
        of_vertex[v[k]] = std::max(of_vertex[v[k]], (ends[k] - body.vertices[v[k]].point).norm());
      }
      of_edge[e] = edge.tolerance;
    }
    const auto& fits = surfaces.tessellated.bodies[b].fits;
    for (std::uint32_t f = 0; f < body.faces.size() && f < fits.size(); ++f) {
      faces.add(fits[f].largest_off, fits[f].at, body.faces[f].entity);
      for (const FaceLoop& l : body.faces[f].loops) {
        for (const EdgeUseOfFace& u : l.edges) {
          if (of_edge[u.edge] >= 0)
            of_edge[u.edge] =
                std::max(of_edge[u.edge], off_of_edge(body.faces[f], body.edges[u.edge]));
        }
      }
    }
    for (std::uint32_t v = 0; v < of_vertex.size(); ++v) {
      if (of_vertex[v] >= 0)
        vertices.add(of_vertex[v], body.vertices[v].point, body.vertices[v].entity);
    }
    for (std::uint32_t e = 0; e < of_edge.size(); ++e) {
      if (of_edge[e] < 0) continue;
      const BodyEdge& edge = body.edges[e];
      edges.add(of_edge[e], edge.curve->point(edge.range().middle()), edge.entity);
    }
  }
  return {vertices.result(), edges.result(), faces.result()};
}

SurfaceCounts count_surfaces(const SurfaceModel& model) {
  SurfaceCounts c;
  for (const Body& body : model.bodies) {
    c.faces += body.faces.size();
    const std::vector<std::uint32_t> uses = edge_uses(body);
    std::set<std::uint32_t> vertices;
    for (std::uint32_t e = 0; e < uses.size(); ++e) {
      if (uses[e] == 0) continue;
      ++c.edges;
      vertices.insert(body.edges[e].start);
      vertices.insert(body.edges[e].end);
      ++(uses[e] == 1 ? c.edges_used_once : uses[e] == 2 ? c.edges_used_twice : c.edges_used_more);
    }
    c.vertices += vertices.size();
    for (const BodyShell& s : body.shells) {
      if (s.faces.empty()) continue;
      // Sets of faces without topology hang together by what was sewn.
      std::map<std::uint32_t, int> own;
      for (const BodyShell::Use& u : s.faces) {
        for (const FaceLoop& l : body.faces[u.face].loops) {
          for (const EdgeUseOfFace& e : l.edges) ++own[e.edge];
        }
      }
      ++c.shells;
      c.closed_shells +=
          std::all_of(own.begin(), own.end(), [](const auto& x) { return x.second == 2; });
    }
  }
  return c;
}

namespace {

class Checker {
 public:
  Checker(const PreparedSurfaces& surfaces, const Model& mesh) : surfaces_(surfaces), mesh_(mesh) {}

  std::vector<GivenFinding> run() {
    std::set<std::size_t> seen;
    for (std::size_t part = 0; part < surfaces_.instance_of_part.size(); ++part) {
      const std::size_t body = surfaces_.model.instances[surfaces_.instance_of_part[part]].body;
      // A body that is used again and again is told of once.
      if (!seen.insert(body).second) continue;
      look_at(part, body);
    }
    // Bodies of which nothing could be shown.
    for (std::size_t b = 0; b < surfaces_.model.bodies.size(); ++b) {
      if (!seen.contains(b)) look_at(std::nullopt, b);
    }
    return std::move(out_);
  }

 private:
  void look_at(std::optional<std::size_t> part, std::size_t b) {
    part_ = part;
    index_ = b;
    body_ = &surfaces_.model.bodies[b];
    placement_ =
        part ? surfaces_.model.instances[surfaces_.instance_of_part[*part]].placement : Placement{};
    triangles_of_face_.assign(body_->faces.size(), {});
    if (part) {
      const auto& patch_of = mesh_.parts[*part].mesh.patch_of;
      for (std::uint32_t t = 0; t < patch_of.size(); ++t) {
        if (patch_of[t].value < triangles_of_face_.size())
          triangles_of_face_[patch_of[t].value].push_back({t});
      }
    }
    limit_ = 10 * std::max(surfaces_.sew_tolerance, surfaces_.model.uncertainty.value_or(0));
    told_open_.clear();
    told_turned_.clear();
    check_loops();
    check_troubles(surfaces_.tessellated.bodies[b]);
    check_off_surface(surfaces_.tessellated.bodies[b]);
    for (std::uint32_t f = 0; f < body_->faces.size(); ++f) check_parameter_curves(f);
    check_vertices();
    check_shared();
    check_turned(surfaces_.sewing[b]);
    for (std::uint32_t f = 0; f < body_->faces.size(); ++f) {
      if (body_->faces[f].surface->kind() == SurfaceKind::spline) check_spline(f);
    }
  }

  // A finding about a face; geometry for its id is the place and the entity's own points.
  GivenFinding& add(FindingKind kind, std::uint32_t face, const Point& at, double measure) {
    GivenFinding g;
    g.finding.kind = kind;
    g.finding.part_index = part_;
    g.finding.place = placement_(at);
    g.finding.box.extend(g.finding.place);
    g.finding.measure = measure;
    g.finding.count = 1;
    g.finding.face = face;
    g.finding.entity = body_->faces[face].entity;
    g.finding.detail = "face " + std::to_string(face) + number_of(body_->faces[face].entity) +
                       ", " + std::string(slug(body_->faces[face].surface->kind()));
    g.geometry = {g.finding.place, Point(static_cast<double>(face),
                                         static_cast<double>(body_->faces[face].entity), measure)};
    g.triangles = triangles_of_face_[face];
    out_.push_back(std::move(g));
    return out_.back();
  }
  static std::string number_of(EntityNumber entity) {
    return entity == 0 ? std::string() : " (#" + std::to_string(entity) + ")";
  }

  void check_loops() {
    for (std::uint32_t f = 0; f < body_->faces.size(); ++f) {
      double widest = 0;
      Point at = Point::Zero();
      std::size_t open = 0;
      std::string why;
      for (const FaceLoop& l : body_->faces[f].loops) {
        const std::size_t before = open;
        const std::size_t n = l.edges.size();
        for (std::size_t i = 0; i < n; ++i) {
          const EdgeUseOfFace &u = l.edges[i], &next = l.edges[(i + 1) % n];
          const std::uint32_t a = u.forward ? body_->edges[u.edge].end : body_->edges[u.edge].start;
          const std::uint32_t b =
              next.forward ? body_->edges[next.edge].start : body_->edges[next.edge].end;
          if (a == b) continue;
          const double d = (body_->vertices[a].point - body_->vertices[b].point).norm();
          if (d <= surfaces_.sew_tolerance) continue;
          ++open;
          if (d > widest) widest = d, at = body_->vertices[a].point;
        }
        if (open == before || !why.empty()) continue;
        if (const auto ordered = ordered_loops(*body_, l, surfaces_.sew_tolerance, &why)) {
          why = ordered->moved > 0 ? "its edges would close in another order"
                                   : "its edges would close if they ran the other way";
        }
      }
      if (open == 0) {
        check_branching(f);
        continue;
      }
      GivenFinding& g = add(FindingKind::open_loop, f, at, widest);
      g.finding.count = open;
      g.finding.detail += ": " + why;
      told_open_.insert(f);
    }
  }

  // A loop comes to each of its vertices once; along a seam it runs both ways.
  void check_branching(std::uint32_t f) {
    for (const FaceLoop& l : body_->faces[f].loops) {
      std::set<std::uint32_t> edges, starts;
      std::optional<std::uint32_t> twice;
      bool has_seam = false;
      for (const EdgeUseOfFace& u : l.edges) {
        const BodyEdge& e = body_->edges[u.edge];
        has_seam |= !edges.insert(u.edge).second;
        if (e.is_closed()) continue;
        const std::uint32_t start = u.forward ? e.start : e.end;
        if (!starts.insert(start).second) twice = start;
      }
      if (has_seam || !twice) continue;
      add(FindingKind::open_loop, f, body_->vertices[*twice].point, 0).finding.detail +=
          ": a vertex with more than two edges of the loop";
      return;
    }
  }

  void check_troubles(const TessellatedBody& t) {
    std::set<std::pair<std::uint32_t, FindingKind>> told;
    for (const FaceTrouble& trouble : t.troubles) {
      using Kind = FaceTrouble::Kind;
      FindingKind kind = FindingKind::open_loop;
      std::string what;
      switch (trouble.kind) {
        case Kind::open_loop:
        case Kind::no_facets:
          what = trouble.kind == Kind::open_loop
                     ? "its loop does not close in the surface's parameters"
                     : "no facets come of it";
          if (told_open_.contains(trouble.face)) continue;
          break;
        case Kind::loop_crossing:
          kind = FindingKind::loop_crossing;
          break;
        case Kind::off_surface:
          kind = FindingKind::edge_off_surface;
          break;
        case Kind::turned:
          kind = FindingKind::singular_surface;
          what = "facets turn over there";
          break;
        case Kind::turned_loop:
          kind = FindingKind::reversed_face;
          what = "a loop runs with the face on its right";
          break;
      }
      if (!told.insert({trouble.face, kind}).second) continue;
      GivenFinding& g = add(kind, trouble.face, trouble.place, trouble.measure);
      if (!what.empty()) g.finding.detail += ": " + what;
      if (kind != FindingKind::reversed_face) continue;
      told_turned_.insert(trouble.face);
      g.finding.measure = area_of_face(trouble.face);
    }
  }

  void check_off_surface(const TessellatedBody& t) {
    for (std::uint32_t f = 0; f < t.fits.size(); ++f) {
      if (!(t.fits[f].largest_off > limit_)) continue;
      add(FindingKind::edge_off_surface, f, t.fits[f].at, t.fits[f].largest_off).finding.limit =
          limit_;
    }
  }

  // Curves in space are what faces are bounded by; a reader that takes those in parameters instead
  // gets another shape where they differ.
  void check_parameter_curves(std::uint32_t f) {
    double widest = limit_;
    Point at = Point::Zero();
    std::size_t off = 0;
    EntityNumber entity = 0;
    for (const FaceLoop& l : body_->faces[f].loops) {
      for (const EdgeUseOfFace& u : l.edges) {
        const BodyEdge& edge = body_->edges[u.edge];
        if (!u.in_parameters || !has_ends(edge)) continue;
        const auto [distance, where] =
            off_in_parameters(body_->faces[f].surface, u.in_parameters, edge, limit_);
        if (distance > limit_) ++off;
        if (distance > widest) widest = distance, at = where, entity = edge.entity;
      }
    }
    std::string_view then;
    for (const Healed& h : surfaces_.healing[index_].healed) {
      if (h.healing != Healing::parameter_curve || h.face != f) continue;
      ++off;
      then = "; made anew";
      if (h.distance > widest) widest = h.distance, at = h.place, entity = h.entity;
    }
    if (off == 0) return;
    GivenFinding& g = add(FindingKind::edge_off_surface, f, at, widest);
    g.finding.count = off;
    g.finding.limit = limit_;
    g.finding.detail += ": in the surface's parameters, edge" + number_of(entity) +
                        " runs elsewhere than in space" + std::string(then);
    g.geometry.push_back(Point(static_cast<double>(entity), 0, 0));
  }

  void check_vertices() {
    std::set<std::uint32_t> told;
    for (std::uint32_t f = 0; f < body_->faces.size(); ++f) {
      for (const FaceLoop& l : body_->faces[f].loops) {
        for (const EdgeUseOfFace& u : l.edges) {
          const BodyEdge& edge = body_->edges[u.edge];
          if (!has_ends(edge)) continue;
          const auto ends = ends_of(edge);
          const std::uint32_t v[2] = {edge.start, edge.end};
          for (int k = 0; k < 2; ++k) {
            const double d = (ends[k] - body_->vertices[v[k]].point).norm();
            if (!(d > limit_) || !told.insert(v[k]).second) continue;
            GivenFinding& g = add(FindingKind::vertex_off_edge, f, body_->vertices[v[k]].point, d);
            g.finding.limit = limit_;
            g.finding.entity = edge.entity;
            g.finding.detail =
                "an end of edge" + number_of(edge.entity) + " of face " + std::to_string(f);
            g.triangles.clear();
          }
        }
      }
    }
  }

  // What sewing joined, as one finding a body.
  void check_shared() {
    double largest = -1;
    std::size_t count = 0;
    Point at = Point::Zero();
    std::uint32_t face = 0;
    std::vector<Point> geometry;
    for (std::uint32_t f = 0; f < body_->faces.size(); ++f) {
      for (const FaceLoop& l : body_->faces[f].loops) {
        for (const EdgeUseOfFace& u : l.edges) {
          const BodyEdge& edge = body_->edges[u.edge];
          if (!edge.sewn || !u.forward) continue;
          ++count;
          const Point middle = edge.curve->point(edge.range().middle());
          geometry.push_back(placement_(middle));
          if (edge.tolerance > largest) largest = edge.tolerance, at = middle, face = f;
        }
      }
    }
    if (count == 0) return;
    GivenFinding& g = add(FindingKind::unshared_edge, face, at, largest);
    g.finding.count = count;
    g.finding.limit = surfaces_.sew_tolerance;
    g.finding.detail = "sewn at " + short_text(surfaces_.sew_tolerance) + ", " + surfaces_.sew_why;
    g.geometry = std::move(geometry);
    g.triangles.clear();
  }
  [[nodiscard]] double area_of_face(std::uint32_t f) const {
    double area = 0;
    if (!part_) return area;
    const Mesh& m = mesh_.parts[*part_].mesh;
    for (const TriangleId t : triangles_of_face_[f]) {
      const Triangle& tri = m.triangle(t);
      area +=
          0.5 * (m.point(tri[1]) - m.point(tri[0])).cross(m.point(tri[2]) - m.point(tri[0])).norm();
    }
    return area;
  }
  void check_turned(const SewResult& sewn) {
    for (const std::uint32_t f : sewn.turned) {
      if (told_turned_.contains(f)) continue;
      Point at = Point::Zero();
      if (part_ && !triangles_of_face_[f].empty()) {
        const Mesh& m = mesh_.parts[*part_].mesh;
        at = m.point(m.triangle(triangles_of_face_[f][0])[0]);
      }
      GivenFinding& g = add(FindingKind::reversed_face, f, Point::Zero(), area_of_face(f));
      g.finding.place = at;
      g.finding.box = {};
      g.finding.box.extend(at);
      g.geometry[0] = at;
    }
  }

  // Creases at knots, and places without a normal, inside of what the face may cover.
  void check_spline(std::uint32_t f) {
    const Surface& s = *body_->faces[f].surface;
    const Interval u = s.domain_u(), v = s.domain_v();
    constexpr int kSamples = 5;
    double turn = 0;
    Point at = Point::Zero();
    for (const bool along_u : {true, false}) {
      const Interval range = along_u ? u : v, other = along_u ? v : u;
      for (const double t : along_u ? s.breaks_u(u) : s.breaks_v(v)) {
        const double h = 1e-7 * range.width();
        for (int i = 1; i < kSamples; ++i) {
          const double w = other.low + other.width() * i / kSamples;
          const SurfacePoint a = along_u ? s.at(t - h, w) : s.at(w, t - h);
          const SurfacePoint b = along_u ? s.at(t + h, w) : s.at(w, t + h);
          const Vector n = a.normal(), m = b.normal();
          const double angle = std::atan2(n.cross(m).norm(), n.dot(m)) * 180 / std::numbers::pi;
          if (angle > turn) turn = angle, at = a.p;
        }
      }
    }
    constexpr double kCrease = 1;  // degrees
    if (turn > kCrease) {
      GivenFinding& g = add(FindingKind::curvature_jump, f, at, turn);
      g.finding.limit = kCrease;
    }
    std::size_t places = 0;
    for (int i = 1; i < kSamples; ++i) {
      for (int j = 1; j < kSamples; ++j) {
        const SurfacePoint p =
            s.at(u.low + u.width() * i / kSamples, v.low + v.width() * j / kSamples);
        if (p.normal() == Vector::Zero()) ++places, at = p.p;
      }
    }
    if (places > 0) add(FindingKind::singular_surface, f, at, static_cast<double>(places));
  }

  const PreparedSurfaces& surfaces_;
  const Model& mesh_;
  std::vector<GivenFinding> out_;
  std::optional<std::size_t> part_;
  std::size_t index_ = 0;  // of the body
  const Body* body_ = nullptr;
  Placement placement_;
  std::vector<std::vector<TriangleId>> triangles_of_face_;
  std::set<std::uint32_t> told_open_, told_turned_;
  double limit_ = 0;
};

}  // namespace

std::vector<GivenFinding> check_surfaces(const PreparedSurfaces& surfaces, const Model& mesh) {
  return Checker(surfaces, mesh).run();
}

void name_face(Finding& finding, const PreparedSurfaces& surfaces, std::size_t part,
               const Mesh& mesh, TriangleId triangle) {
  if (finding.face || part >= surfaces.instance_of_part.size()) return;
  if (triangle.value >= mesh.patch_of.size()) return;
  const BodyInstance& instance = surfaces.model.instances[surfaces.instance_of_part[part]];
  const Body& body = surfaces.model.bodies[instance.body];
  const std::uint32_t face = mesh.patch_of[triangle.value].value;
  if (face >= body.faces.size()) return;
  finding.face = face;
  if (body.faces[face].entity != 0) finding.entity = body.faces[face].entity;
}

}  // namespace aguja
