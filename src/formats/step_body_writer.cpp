#include "formats/step_body_writer.h"

#include <algorithm>
#include <array>
#include <map>
#include <optional>

#include <Eigen/Geometry>

#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/distance.h"
#include "base/disjoint_sets.h"
#include "base/numbers.h"

namespace aguja::detail {
namespace {

// Triangles of a shape's mesh that were made of one face.
using FaceFacets = std::vector<TriangleId>;

double facet_area(const Mesh& mesh, TriangleId t) {
  const Triangle& v = mesh.triangle(t);
  return 0.5 *
         (mesh.point(v[1]) - mesh.point(v[0])).cross(mesh.point(v[2]) - mesh.point(v[0])).norm();
}

// Sides of facets that no other facet of the face has, in their direction: the face is on their left.
std::vector<std::array<Point, 2>> border_of(const Mesh& mesh, const FaceFacets& facets) {
  struct Side {
    std::uint32_t low, high;
    bool forward;
    auto operator<=>(const Side&) const = default;
  };
  std::vector<Side> sides;
  for (const TriangleId t : facets) {
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint32_t a = mesh.triangle(t)[k].value, b = mesh.triangle(t)[(k + 1) % 3].value;
      sides.push_back({std::min(a, b), std::max(a, b), a < b});
    }
  }
  std::sort(sides.begin(), sides.end());
  std::vector<std::array<Point, 2>> border;
  for (std::size_t i = 0; i < sides.size();) {
    std::size_t end = i;
    std::ptrdiff_t sum = 0;
    for (; end < sides.size() && sides[end].low == sides[i].low && sides[end].high == sides[i].high;
         ++end) {
      sum += sides[end].forward ? 1 : -1;
    }
    const Point &low = mesh.point({sides[i].low}), &high = mesh.point({sides[i].high});
    if (sum > 0) border.push_back({low, high});
    if (sum < 0) border.push_back({high, low});
    i = end;
  }
  return border;
}

// Which way the border of a face runs.
class FaceBorder {
 public:
  FaceBorder(const Mesh& mesh, const FaceFacets& facets) : sides_(border_of(mesh, facets)) {
    Array<FloatBox> boxes;
    for (const auto& [a, b] : sides_) {
      Box box;
      box.extend(a);
      box.extend(b);
      boxes.push_back(FloatBox(box));
    }
    tree_ = BoxTree(std::move(boxes));
  }

  // Does the loop run as the border does? Told by an edge that it has once; true if none tells.
  [[nodiscard]] bool runs_along(const Body& body, const FaceLoop& loop,
                                const Placement& to_mesh) const {
    constexpr std::array<double, 3> kPlaces = {0.31, 0.5, 0.77};
    std::map<std::uint32_t, int> uses;
    for (const EdgeUseOfFace& use : loop.edges) ++uses[use.edge];
    for (const EdgeUseOfFace& use : loop.edges) {
      if (uses[use.edge] != 1) continue;
      const BodyEdge& edge = body.edges[use.edge];
      const double way = use.forward == (edge.to > edge.from) ? 1 : -1;
      double sum = 0;
      for (const double s : kPlaces) {
        const CurvePoint at = edge.curve->at(edge.from + s * (edge.to - edge.from));
        const Vector along = way * (to_mesh.linear * at.d1), side = side_near(to_mesh(at.p));
        if (along.norm() > 0 && side.norm() > 0) sum += along.normalized().dot(side.normalized());
      }
      if (sum != 0) return sum > 0;
    }
    return true;
  }

 private:
  // Of the nearest side; zero if there is none.
  [[nodiscard]] Vector side_near(const Point& p) const {
    const auto squared = [&](std::uint32_t i) {
      return (closest_point(p, sides_[i][0], sides_[i][1], sides_[i][1]) - p).squaredNorm();
    };
    const std::uint32_t nearest = tree_.nearest(p, kInfinity, squared);
    return nearest == BoxTree::kNone ? Vector(Vector::Zero())
                                     : Vector(sides_[nearest][1] - sides_[nearest][0]);
  }

  std::vector<std::array<Point, 2>> sides_;
  BoxTree tree_;
};

// Does the surface's normal point out of the facets? Without any it does as the file says.
bool faces_out(const Face& face, const Mesh& mesh, const FaceFacets& facets,
               const Placement& to_mesh) {
  if (facets.empty()) return face.same_sense;
  const auto largest = *std::max_element(
      facets.begin(), facets.end(),
      [&](TriangleId a, TriangleId b) { return facet_area(mesh, a) < facet_area(mesh, b); });
  const Triangle& v = mesh.triangle(largest);
  const Point a = mesh.point(v[0]), b = mesh.point(v[1]), c = mesh.point(v[2]);
  const Point middle = to_mesh.linear.inverse() * ((a + b + c) / 3 - to_mesh.shift);
  const Vector normal = to_mesh.linear.inverse() * (b - a).cross(c - a);
  const Parameters uv = SurfaceFoot(*face.surface).of(middle);
  return face.surface->at(uv[0], uv[1]).normal().dot(normal) >= 0;
}

class StepBodyWriter {
 public:
  StepBodyWriter(StepEntities& out, StepStyles& styles, const Shape& shape,
                 const SurfaceOrigin& origin, const WholeFaces::OfBody& faces, double fit_within)
      : out_(out),
        styles_(styles),
        mesh_(shape.mesh),
        to_mesh_(origin.placement),
        body_(origin.body->body),
        facets_(faces.facets),
        is_complete_(faces.is_complete),
        geometry_(out, origin.placement, fit_within),
        edges_(body_.edges.size(), 0),
        vertices_(body_.vertices.size(), 0) {}

  void write(const std::string& name, StepItems& to) {
    find_degenerate();
    for (std::uint32_t f = 0; f < facets_.size(); ++f) {
      if (body_.faces[f].is_used && (is_complete_ || !facets_[f].empty())) write_face(f);
    }
    collect_shells();
    write_shells(name, to);
  }
  [[nodiscard]] WrittenBody report() const {
    WrittenBody report{geometry_.fitted(), geometry_.fitted_off(), {}};
    for (const WrittenFace& f : written_) {
      if (facets_[f.face].empty()) report.undivided.push_back(body_.faces[f.face].entity);
    }
    return report;
  }

 private:
  struct Use {
    std::uint32_t edge;
    bool forward;
  };
  struct WrittenFace {
    std::uint32_t face;
    std::uint64_t entity;
    std::vector<Use> uses;
  };
  struct Shell {
    StepIds faces;
    bool is_closed = true;
    double volume = 0;
    Box box;
  };

  // Edges that are a point in space, as sides of a surface may be.
  void find_degenerate() {
    constexpr double kPoint = 1e-9;  // of the body
    const double size = kPoint * box_of(body_).diagonal();
    is_point_.resize(body_.edges.size(), false);
    for (std::size_t e = 0; e < is_point_.size(); ++e) {
      const BodyEdge& edge = body_.edges[e];
      if (!edge.is_closed() || !edge.curve) continue;
      const Point& p = body_.vertices[edge.start].point;
      bool stays = true;
      for (const double s : {0.25, 0.5, 0.75}) {
        stays =
            stays && (edge.curve->point(edge.from + s * (edge.to - edge.from)) - p).norm() <= size;
      }
      is_point_[e] = stays;
    }
  }
  std::uint64_t vertex(std::uint32_t v) {
    if (vertices_[v] == 0) {
      const std::uint64_t point = geometry_.point(body_.vertices[v].point);
      vertices_[v] = out_.add("VERTEX_POINT('',", step_name(point), ")");
    }
    return vertices_[v];
  }
  std::uint64_t edge(std::uint32_t e) {
    if (edges_[e] != 0) return edges_[e];
    const BodyEdge& edge = body_.edges[e];
    const std::uint64_t start = vertex(edge.start), end = vertex(edge.end);
    const auto [curve, forward] = geometry_.edge_curve(edge.curve, edge.from, edge.to);
    edges_[e] = out_.add("EDGE_CURVE('',", step_name(start), ",", step_name(end), ",",
                         step_name(curve), ",", step_flag(forward), ")");
    return edges_[e];
  }
  // `along`: as it is, else the other way round.
  std::optional<std::uint64_t> loop(const FaceLoop& loop, bool along) {
    if (loop.vertex) return out_.add("VERTEX_LOOP('',", step_name(vertex(*loop.vertex)), ")");
    StepIds uses;
    for (const EdgeUseOfFace& u : loop.edges) {
      if (is_point_[u.edge]) continue;
      uses.push_back(out_.add("ORIENTED_EDGE('',*,*,", step_name(edge(u.edge)), ",",
                              step_flag(u.forward == along), ")"));
    }
    if (!along) std::reverse(uses.begin(), uses.end());
    if (!uses.empty()) return out_.add("EDGE_LOOP('',", step_list(uses), ")");
    if (loop.edges.empty()) return std::nullopt;
    return out_.add("VERTEX_LOOP('',", step_name(vertex(body_.edges[loop.edges[0].edge].start)),
                    ")");
  }
  [[nodiscard]] double extent(const FaceLoop& loop) const {
    Box box;
    for (const EdgeUseOfFace& u : loop.edges) {
      const BodyEdge& edge = body_.edges[u.edge];
      for (const double s : {0.0, 0.25, 0.5, 0.75, 1.0}) {
        box.extend(edge.curve->point(edge.from + s * (edge.to - edge.from)));
      }
    }
    return loop.edges.empty() ? 0 : box.diagonal();
  }

  void write_face(std::uint32_t f) {
    const Face& face = body_.faces[f];
    const FaceBorder border(mesh_, facets_[f]);
    WrittenFace written{f, 0, {}};
    // In a plane one loop is around all others.
    std::size_t outer = face.loops.size();
    if (face.loops.size() == 1 || face.surface->kind() == SurfaceKind::plane) {
      double largest = -1;
      for (std::size_t l = 0; l < face.loops.size(); ++l) {
        const double own = face.loops.size() == 1 ? 0 : extent(face.loops[l]);
        if (own > largest) largest = own, outer = l;
      }
    }
    StepIds bounds;
    for (std::size_t l = 0; l < face.loops.size(); ++l) {
      const bool along = border.runs_along(body_, face.loops[l], to_mesh_);
      const auto entity = loop(face.loops[l], along);
      if (!entity) continue;
      bounds.push_back(out_.add((l == outer ? "FACE_OUTER_BOUND(''," : "FACE_BOUND('',"),
                                step_name(*entity), ",.T.)"));
      for (const EdgeUseOfFace& u : face.loops[l].edges) {
        if (!is_point_[u.edge]) written.uses.push_back({u.edge, u.forward == along});
      }
    }
    if (face.loops.empty()) bounds.push_back(bound_of_all(face));
    const std::uint64_t surface = geometry_.surface(face.surface);
    const bool sense = faces_out(face, mesh_, facets_[f], to_mesh_);
    written.entity = out_.add("ADVANCED_FACE(", step_text(face.name), ",", step_list(bounds), ",",
                              step_name(surface), ",", step_flag(sense), ")");
    if (face.colour) {
      styles_.coloured[*face.colour].push_back(written.entity);
    }
    if (!face.layer.empty()) styles_.layers[face.layer].push_back(written.entity);
    for (const std::string& group : face.groups) styles_.groups[group].push_back(written.entity);
    written_.push_back(std::move(written));
  }
  // A closed surface has no edge: a vertex stands for its bound.
  std::uint64_t bound_of_all(const Face& face) {
    const Interval u = face.surface->domain_u(), v = face.surface->domain_v();
    const std::vector<Pole> poles = face.surface->poles();
    const Point place =
        poles.empty() ? face.surface->point(u.is_finite() ? u.low : 0, v.is_finite() ? v.low : 0)
                      : poles[0].place;
    const std::uint64_t point = geometry_.point(place);
    const std::uint64_t at = out_.add("VERTEX_POINT('',", step_name(point), ")");
    const std::uint64_t around = out_.add("VERTEX_LOOP('',", step_name(at), ")");
    return out_.add("FACE_BOUND('',", step_name(around), ",.T.)");
  }

  // Faces that hang together by edges.
  void collect_shells() {
    struct UsesOfEdge {
      std::uint32_t first = kNoIndex;  // of the faces written
      int count = 0, balance = 0;
    };
    DisjointSets sets(written_.size());
    std::vector<UsesOfEdge> of_edge(body_.edges.size());
    for (std::uint32_t i = 0; i < written_.size(); ++i) {
      for (const Use& u : written_[i].uses) {
        UsesOfEdge& uses = of_edge[u.edge];
        if (uses.first == kNoIndex) uses.first = i;
        sets.unite(uses.first, i);
        ++uses.count;
        uses.balance += u.forward ? 1 : -1;
      }
    }
    std::vector<std::size_t> number(written_.size());
    for (std::uint32_t i = 0; i < written_.size(); ++i) {
      const std::uint32_t root = sets.find(i);
      if (root == i) {
        number[i] = shells_.size();
        shells_.emplace_back();
      }
      number[i] = number[root];
      add_to(shells_[number[i]], written_[i]);
    }
    for (const UsesOfEdge& uses : of_edge) {
      if (uses.first != kNoIndex && (uses.count != 2 || uses.balance != 0)) {
        shells_[number[uses.first]].is_closed = false;
      }
    }
  }
  void add_to(Shell& shell, const WrittenFace& written) {
    shell.faces.push_back(written.entity);
    for (const TriangleId t : facets_[written.face]) {
      const Triangle& v = mesh_.triangle(t);
      shell.volume += mesh_.point(v[0]).dot(mesh_.point(v[1]).cross(mesh_.point(v[2])));
      for (const VertexId corner : v.corner) shell.box.extend(mesh_.point(corner));
    }
    // A face without an edge is a closed surface, or a piece of one that nothing bounds.
    if (written.uses.empty() && !is_closed_by_itself(*body_.faces[written.face].surface)) {
      shell.is_closed = false;
    }
  }
  static bool is_closed_by_itself(const Surface& s) {
    return (s.period_u() > 0 && s.period_v() > 0) || s.poles().size() == 2;
  }

  void write_shells(const std::string& name, StepItems& to) {
    std::vector<std::vector<std::size_t>> solids;  // the outer shell first
    std::vector<std::size_t> cavities;
    StepIds open;
    for (std::size_t s = 0; s < shells_.size(); ++s) {
      if (!shells_[s].is_closed) {
        open.push_back(out_.add("OPEN_SHELL('',", step_list(shells_[s].faces), ")"));
      } else if (shells_[s].volume < 0) {
        cavities.push_back(s);
      } else {
        solids.push_back({s});
      }
    }
    for (const std::size_t c : cavities) {
      std::size_t best = solids.size();
      for (std::size_t i = 0; i < solids.size(); ++i) {
        const Box &around = shells_[solids[i][0]].box, &own = shells_[c].box;
        const bool holds = around.contains(own.low) && around.contains(own.high);
        if (holds && (best == solids.size() ||
                      shells_[solids[i][0]].volume < shells_[solids[best][0]].volume)) {
          best = i;
        }
      }
      if (best == solids.size()) {
        solids.push_back({c});
      } else {
        solids[best].push_back(c);
      }
    }
    // Around a cavity, or of one that is open: what belongs together stays so, though it is no solid.
    const bool has_cavity = std::any_of(body_.shells.begin(), body_.shells.end(),
                                        [](const BodyShell& s) { return s.is_void; });
    if (has_cavity && !open.empty()) {
      for (const std::vector<std::size_t>& solid : solids) {
        for (const std::size_t s : solid) {
          open.push_back(out_.add("CLOSED_SHELL('',", step_list(shells_[s].faces), ")"));
        }
      }
      solids.clear();
    }
    for (const std::vector<std::size_t>& solid : solids) {
      StepIds closed;
      for (const std::size_t s : solid) {
        closed.push_back(out_.add("CLOSED_SHELL('',", step_list(shells_[s].faces), ")"));
      }
      if (closed.size() == 1) {
        to.ids.push_back(
            out_.add("MANIFOLD_SOLID_BREP(", step_text(name), ",", step_name(closed[0]), ")"));
      } else {
        StepIds voids;
        for (std::size_t i = 1; i < closed.size(); ++i) {
          voids.push_back(out_.add("ORIENTED_CLOSED_SHELL('',*,", step_name(closed[i]), ",.T.)"));
        }
        to.ids.push_back(out_.add("BREP_WITH_VOIDS(", step_text(name), ",", step_name(closed[0]),
                                  ",", step_list(voids), ")"));
      }
      to.has_solids = true;
    }
    if (open.empty()) return;
    to.ids.push_back(
        out_.add("SHELL_BASED_SURFACE_MODEL(", step_text(name), ",", step_list(open), ")"));
    to.has_sheets = true;
  }

  StepEntities& out_;
  StepStyles& styles_;
  const Mesh& mesh_;
  const Placement& to_mesh_;
  const Body& body_;
  const std::vector<FaceFacets>& facets_;
  bool is_complete_;
  StepGeometryWriter geometry_;
  std::vector<std::uint64_t> edges_, vertices_;  // 0: not yet
  std::vector<bool> is_point_;
  std::vector<WrittenFace> written_;
  std::vector<Shell> shells_;
};

}  // namespace

WholeFaces find_whole_faces(const Shape& shape) {
  WholeFaces whole;
  for (const SurfaceOrigin& origin : shape.surfaces) {
    whole.bodies.emplace_back().facets.resize(origin.body->body.faces.size());
    if (!origin.body->body.facets.triangles.empty()) {
      whole.why_not = "some of it has no surfaces in its file";
    } else if (!even_scale(origin.placement)) {
      whole.why_not = "it is mirrored or stretched";
    }
  }
  if (!whole.why_not.empty()) return whole;
  // By patch: where its triangles go.
  std::vector<std::vector<TriangleId>*> place(patch_count(shape));
  for (std::size_t o = 0; o < shape.surfaces.size(); ++o) {
    for (std::size_t f = 0; f < whole.bodies[o].facets.size(); ++f) {
      const std::size_t patch = shape.surfaces[o].first_patch + f;
      if (patch < place.size()) place[patch] = &whole.bodies[o].facets[f];
    }
  }
  for (std::uint32_t t = 0; t < shape.mesh.triangles.size(); ++t) {
    auto* const facets =
        shape.mesh.patch_of.empty() ? nullptr : place[shape.mesh.patch_of[t].value];
    if (facets == nullptr) {
      whole.why_not = "there are triangles that were made of no face";
      return whole;
    }
    facets->push_back({t});
  }
  for (std::size_t o = 0; o < shape.surfaces.size(); ++o) {
    WholeFaces::OfBody& own = whole.bodies[o];
    const PreparedBody& body = *shape.surfaces[o].body;
    for (std::size_t f = 0; f < own.facets.size(); ++f) {
      const std::size_t made = f < body.facets.size() ? body.facets[f] : 0;
      if (own.facets[f].empty() && made > 0) own.is_complete = false;
      if (own.facets[f].empty()) continue;
      if (own.facets[f].size() != made) {
        whole.why_not = "some of its faces are there in part";
        return whole;
      }
    }
    for (std::size_t f = 0; f < own.facets.size(); ++f) {
      if (own.facets[f].empty() && !own.is_complete) continue;
      const std::string why = StepGeometryWriter::why_not(*body.body.faces[f].surface);
      if (why.empty()) continue;
      whole.why_not = "it has " + why;
      return whole;
    }
  }
  return whole;
}

WrittenBody write_step_body(StepEntities& out, StepStyles& styles, const Shape& shape,
                            const SurfaceOrigin& origin, const WholeFaces::OfBody& faces,
                            double fit_within, const std::string& name, StepItems& to) {
  StepBodyWriter writer(out, styles, shape, origin, faces, fit_within);
  writer.write(name, to);
  return writer.report();
}

}  // namespace aguja::detail
