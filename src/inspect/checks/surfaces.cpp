// What is wrong with surfaces themselves, in the terms of their file.

#include <algorithm>
#include <cmath>
#include <numbers>
#include <set>

#include <Eigen/Geometry>

#include "base/short_text.h"
#include "inspect/checks.h"
#include "surface/edge_fit.h"

namespace aguja {
namespace {

// Where a body is seen: as part of a shape, or nowhere, if nothing of it could be shown.
struct SeenBody {
  const PreparedBody& prepared;
  Placement placement;  // to the model's coordinates
  std::optional<std::size_t> part = {};
  const Mesh* mesh = nullptr;
  std::uint32_t first_patch = 0;
};

class SurfaceChecker {
 public:
  SurfaceChecker(const SeenBody& seen, FindingSink& sink)
      : prepared_(seen.prepared),
        body_(&seen.prepared.body),
        placement_(seen.placement),
        scale_(seen.placement.is_rigid() ? 1 : seen.placement.scale()),
        part_(seen.part),
        mesh_(seen.mesh),
        triangles_of_face_(seen.prepared.body.faces.size()),
        limit_(seen.prepared.limit()),
        sink_(sink) {
    if (mesh_ == nullptr) return;
    for (std::uint32_t t = 0; t < mesh_->patch_of.size(); ++t) {
      const std::uint32_t face = mesh_->patch_of[t].value - seen.first_patch;
      if (mesh_->patch_of[t].value >= seen.first_patch && face < triangles_of_face_.size()) {
        triangles_of_face_[face].push_back({t});
      }
    }
  }

  void run() {
    check_loops();
    check_troubles();
    check_off_surface();
    for (std::uint32_t f = 0; f < body_->faces.size(); ++f) check_parameter_curves(f);
    check_vertices();
    check_shared();
    check_turned();
    for (std::uint32_t f = 0; f < body_->faces.size(); ++f) {
      if (body_->faces[f].surface->kind() == SurfaceKind::spline) check_spline(f);
    }
    for (Draft& d : drafts_) sink_.add(std::move(d.finding), d.identity, std::move(d.triangles));
  }

 private:
  struct Draft {
    Finding finding;
    Identity identity;
    std::vector<TriangleId> triangles;
  };

  // A finding about a face; `measure` is in the body's unit. It is known by its kind and its face.
  Draft& add(FindingKind kind, std::uint32_t face, const Point& at, double measure) {
    Draft d;
    d.finding.kind = kind;
    d.finding.part_index = part_;
    d.finding.place = placement_(at);
    d.finding.box.extend(d.finding.place);
    d.finding.measure = info(kind).measures == Dimension::length ? scale_ * measure : measure;
    d.finding.count = 1;
    d.finding.face = face;
    d.finding.entity = body_->faces[face].entity;
    d.finding.detail = "face " + std::to_string(face) + number_of(body_->faces[face].entity) +
                       ", " + std::string(slug(body_->faces[face].surface->kind()));
    d.identity.add_entity(body_->entity);
    if (body_->faces[face].entity != 0) {
      d.identity.add_entity(body_->faces[face].entity);
    } else {
      d.identity.add_number(face);
    }
    d.triangles = triangles_of_face_[face];
    drafts_.push_back(std::move(d));
    return drafts_.back();
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
          if (d <= prepared_.tolerance.value) continue;
          ++open;
          if (d > widest) widest = d, at = body_->vertices[a].point;
        }
        if (open == before || !why.empty()) continue;
        if (const auto ordered = ordered_loops(*body_, l, prepared_.tolerance.value, &why)) {
          why = ordered->moved > 0 ? "its edges would close in another order"
                                   : "its edges would close if they ran the other way";
        }
      }
      if (open == 0) {
        check_branching(f);
        continue;
      }
      Draft& g = add(FindingKind::open_loop, f, at, widest);
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

  struct Told {
    FindingKind kind;
    std::string_view what = {};
  };
  static Told told_as(FaceTrouble::Kind kind) {
    using Kind = FaceTrouble::Kind;
    switch (kind) {
      case Kind::open_loop:
        return {FindingKind::open_loop, "its loop does not close in the surface's parameters"};
      case Kind::no_facets:
        return {FindingKind::open_loop, "no facets come of it"};
      case Kind::other_border:
        return {FindingKind::open_loop, "its facets do not end in its loops"};
      case Kind::other_area:
        return {FindingKind::singular_surface, "its facets have another area than it"};
      case Kind::loop_crossing:
        return {FindingKind::loop_crossing};
      case Kind::off_surface:
        return {FindingKind::edge_off_surface};
      case Kind::turned:
        return {FindingKind::singular_surface, "facets turn over there"};
      case Kind::turned_loop:
        return {FindingKind::reversed_face, "a loop runs with the face on its right"};
      case Kind::against_loops:
        return {FindingKind::reversed_face, "its flag contradicts its loops, which were followed"};
      case Kind::folds_back:
        return {FindingKind::reversed_face,
                "it would turn back upon its neighbours; the other side of its loops was taken"};
    }
    return {FindingKind::open_loop};
  }

  void check_troubles() {
    std::set<std::pair<std::uint32_t, FindingKind>> told;
    for (const FaceTrouble& trouble : prepared_.troubles) {
      const auto [kind, what] = told_as(trouble.kind);
      const bool is_open = trouble.kind == FaceTrouble::Kind::open_loop ||
                           trouble.kind == FaceTrouble::Kind::no_facets;
      if (is_open && told_open_.contains(trouble.face)) continue;
      if (!told.insert({trouble.face, kind}).second) continue;
      Draft& g = add(kind, trouble.face, trouble.place, trouble.measure);
      if (!what.empty()) g.finding.detail += ": " + std::string(what);
      if (kind != FindingKind::reversed_face) continue;
      told_turned_.insert(trouble.face);
      g.finding.measure = area_of_face(trouble.face);
    }
  }

  void check_off_surface() {
    for (std::uint32_t f = 0; f < prepared_.fits.size(); ++f) {
      if (!(prepared_.fits[f].largest_off > limit_)) continue;
      add(FindingKind::edge_off_surface, f, prepared_.fits[f].at, prepared_.fits[f].largest_off)
          .finding.limit = scale_ * limit_;
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
    for (const Healed& h : prepared_.healed) {
      if (h.healing != Healing::parameter_curve || h.face != f) continue;
      ++off;
      then = "; made anew";
      if (h.distance > widest) widest = h.distance, at = h.place, entity = h.entity;
    }
    if (off == 0) return;
    Draft& g = add(FindingKind::edge_off_surface, f, at, widest);
    g.finding.count = off;
    g.finding.limit = scale_ * limit_;
    g.finding.detail += ": in the surface's parameters, edge" + number_of(entity) +
                        " runs elsewhere than in space" + std::string(then);
    g.identity.add_word("in-parameters");
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
            Draft& g = add(FindingKind::vertex_off_edge, f, body_->vertices[v[k]].point, d);
            g.finding.limit = scale_ * limit_;
            g.finding.entity = edge.entity;
            g.identity.add_number(v[k]);
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
    for (std::uint32_t f = 0; f < body_->faces.size(); ++f) {
      for (const FaceLoop& l : body_->faces[f].loops) {
        for (const EdgeUseOfFace& u : l.edges) {
          const BodyEdge& edge = body_->edges[u.edge];
          if (!edge.sewn || !u.forward) continue;
          ++count;
          const Point middle = edge.curve->point(edge.range().middle());
          if (edge.tolerance > largest) largest = edge.tolerance, at = middle, face = f;
        }
      }
    }
    if (count == 0) return;
    const std::size_t away = prepared_.sewing.closed_away.size();
    Draft& g = add(FindingKind::unshared_edge, face, at, largest);
    g.finding.count = count;
    g.finding.limit = scale_ * prepared_.tolerance.value;
    g.finding.detail =
        "sewn at " + short_text(prepared_.tolerance.value) + ", " + prepared_.tolerance.why;
    if (away > 0) {
      g.finding.detail += "; " + std::to_string(away) +
                          (away == 1 ? " face that is" : " faces that are") +
                          " narrower were closed away:";
      for (const std::uint32_t f : prepared_.sewing.closed_away) {
        g.finding.detail += " " + std::to_string(f) + number_of(body_->faces[f].entity);
      }
    }
    g.identity = {};
    g.identity.add_entity(body_->entity);
    g.triangles.clear();
  }
  [[nodiscard]] double area_of_face(std::uint32_t f) const {
    double area = 0;
    if (!part_) return area;
    const Mesh& m = *mesh_;
    for (const TriangleId t : triangles_of_face_[f]) {
      const Triangle& tri = m.triangle(t);
      area +=
          0.5 * (m.point(tri[1]) - m.point(tri[0])).cross(m.point(tri[2]) - m.point(tri[0])).norm();
    }
    return area;
  }
  void check_turned() {
    for (const std::uint32_t f : prepared_.turned) {
      if (told_turned_.contains(f)) continue;
      Point at = Point::Zero();
      if (!triangles_of_face_[f].empty()) {
        const Mesh& m = *mesh_;
        at = m.point(m.triangle(triangles_of_face_[f][0])[0]);
      }
      Draft& g = add(FindingKind::reversed_face, f, Point::Zero(), area_of_face(f));
      g.finding.place = at;
      g.finding.box = {};
      g.finding.box.extend(at);
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
        constexpr double kBeside = 1e-7;  // of a break, as a part of the domain
        const double h = kBeside * range.width();
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
      Draft& g = add(FindingKind::curvature_jump, f, at, turn);
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

  const PreparedBody& prepared_;
  const Body* body_;
  Placement placement_;
  double scale_;  // of lengths, from the body's unit to the model's
  std::optional<std::size_t> part_;
  const Mesh* mesh_;
  std::vector<std::vector<TriangleId>> triangles_of_face_;
  std::set<std::uint32_t> told_open_, told_turned_;
  double limit_;  // in the body's unit
  FindingSink& sink_;
  std::vector<Draft> drafts_;
};

}  // namespace

void check_surfaces(const Model& model, const ResolvedLimits& /*limits*/, FindingSink& sink) {
  // A body that is used again and again is told of once.
  std::set<const PreparedBody*> seen;
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    for (const SurfaceOrigin& origin : model.parts[p].placed().surfaces) {
      if (!seen.insert(origin.body.get()).second) continue;
      for (const PreparedBody* was = origin.body->before.get(); was != nullptr;
           was = was->before.get()) {
        seen.insert(was);
      }
      SurfaceChecker(
          {*origin.body, origin.placement, p, &model.parts[p].mesh(), origin.first_patch}, sink)
          .run();
    }
  }
  // Bodies of which nothing could be shown.
  for (const SurfaceSource& source : model.sources) {
    for (const PreparedBodyPtr& body : source.bodies) {
      if (seen.insert(body.get()).second) {
        SurfaceChecker({*body, scaled_by(source.to_model)}, sink).run();
      }
    }
  }
}

}  // namespace aguja
