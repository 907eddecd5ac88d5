#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <map>
#include <memory>
#include <optional>
#include <set>

#include <Eigen/Geometry>

#include "aguja/formats/write.h"
#include "aguja/geometry/distance.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "base/disjoint_sets.h"
#include "base/short_text.h"
#include "formats/output.h"
#include "formats/step_writer.h"

namespace aguja {
namespace {

using detail::step_flag;
using detail::step_list;
using detail::step_name;
using detail::step_real;
using detail::step_text;
using detail::StepEntities;
using detail::StepGeometryWriter;

using Entities = std::vector<std::uint64_t>;

// What stands in a file that nothing says a time of.
constexpr std::string_view kNoTime = "1970-01-01T00:00:00";

// Of the build's convention for outputs that do not depend on the clock, else of what was read.
std::string time_stamp_of(const Model& model) {
  if (const char* epoch = std::getenv("SOURCE_DATE_EPOCH"); epoch != nullptr) {
    char* end = nullptr;
    const long long seconds = std::strtoll(epoch, &end, 10);
    if (end != epoch && *end == '\0' && seconds >= 0) {
      const auto time = static_cast<std::time_t>(seconds);
      std::tm utc{};
      std::array<char, 32> text{};
      if (gmtime_r(&time, &utc) != nullptr &&
          std::strftime(text.data(), text.size(), "%Y-%m-%dT%H:%M:%S", &utc) > 0) {
        return text.data();
      }
    }
  }
  for (const SurfaceSource& source : model.sources) {
    if (!source.time_stamp.empty()) return source.time_stamp;
  }
  return std::string(kNoTime);
}

// ---- Which way faces face, by their facets.

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

// Does the loop run as the border does? Told by edges that it has once.
bool runs_along(const Body& body, const FaceLoop& loop, const Placement& to_mesh,
                std::span<const std::array<Point, 2>> border) {
  constexpr std::array<double, 3> kPlaces = {0.31, 0.5, 0.77};
  double sum = 0;
  for (const EdgeUseOfFace& use : loop.edges) {
    const auto same = [&](const EdgeUseOfFace& other) { return other.edge == use.edge; };
    if (std::count_if(loop.edges.begin(), loop.edges.end(), same) != 1) continue;
    const BodyEdge& edge = body.edges[use.edge];
    for (const double s : kPlaces) {
      const CurvePoint at = edge.curve->at(edge.from + s * (edge.to - edge.from));
      const Point p = to_mesh(at.p);
      const Vector along = to_mesh.linear * at.d1 * (use.forward == (edge.to > edge.from) ? 1 : -1);
      double nearest = std::numeric_limits<double>::infinity();
      Vector side = Vector::Zero();
      for (const auto& [a, b] : border) {
        const double d = (closest_point(p, a, b, b) - p).squaredNorm();
        if (d < nearest) nearest = d, side = b - a;
      }
      if (along.norm() > 0 && side.norm() > 0) sum += along.normalized().dot(side.normalized());
    }
    if (sum != 0) return sum > 0;
  }
  return true;
}

// Does the surface's normal point out of the facets?
bool faces_out(const Face& face, const Mesh& mesh, const FaceFacets& facets,
               const Placement& to_mesh) {
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

// ---- Bodies.

// What the facets of a part, as they are, were made of, if they are still all that there is: whole
// faces, and nothing beside them.
struct WholeFaces {
  std::vector<std::vector<FaceFacets>> of_origin;  // by face
  std::string why_not;                             // empty: they are
};

WholeFaces whole_faces(const Shape& shape) {
  WholeFaces whole;
  for (const SurfaceOrigin& origin : shape.surfaces) {
    whole.of_origin.emplace_back(origin.body->body.faces.size());
    if (!origin.body->body.facets.triangles.empty()) {
      whole.why_not = "some of it has no surfaces in its file";
      return whole;
    }
    if (!detail::even_scale(origin.placement)) {
      whole.why_not = "it is mirrored or stretched";
      return whole;
    }
  }
  for (std::uint32_t t = 0; t < shape.mesh.triangles.size(); ++t) {
    const std::optional<FaceOrigin> from = face_of(shape, {t});
    if (!from) {
      whole.why_not = "there are triangles that were made of no face";
      return whole;
    }
    const auto origin = static_cast<std::size_t>(from->surface - shape.surfaces.data());
    whole.of_origin[origin][from->face].push_back({t});
  }
  for (std::size_t o = 0; o < shape.surfaces.size(); ++o) {
    const PreparedBody& body = *shape.surfaces[o].body;
    for (std::size_t f = 0; f < body.body.faces.size(); ++f) {
      const std::vector<TriangleId>& facets = whole.of_origin[o][f];
      if (facets.empty()) continue;
      if (f >= body.facets.size() || facets.size() != body.facets[f]) {
        whole.why_not = "some of its faces are there in part";
        return whole;
      }
      if (const std::string why = StepGeometryWriter::why_not(*body.body.faces[f].surface);
          !why.empty()) {
        whole.why_not = "it has " + why;
        return whole;
      }
    }
  }
  return whole;
}

// The faces of a shape that were written, and what they belong to.
struct WrittenShape {
  Entities items;
  bool has_solids = false, has_sheets = false, is_faceted = false, is_tessellated = false;
};

struct Styles {
  std::map<Rgb, Entities> coloured;
  std::map<std::string, Entities> layers, groups;
};

class StepBodyWriter {
 public:
  StepBodyWriter(StepEntities& out, Styles& styles, const Shape& shape, const SurfaceOrigin& origin,
                 const std::vector<FaceFacets>& facets, double fit_within)
      : out_(out),
        styles_(styles),
        mesh_(shape.mesh),
        to_mesh_(origin.placement),
        body_(origin.body->body),
        facets_(facets),
        geometry_(out, origin.placement, fit_within),
        edges_(body_.edges.size(), 0),
        vertices_(body_.vertices.size(), 0) {}

  void write(const std::string& name, WrittenShape& to) {
    find_degenerate();
    for (std::uint32_t f = 0; f < facets_.size(); ++f) {
      if (!facets_[f].empty() && body_.faces[f].is_used) write_face(f);
    }
    collect_shells();
    write_shells(name, to);
  }
  [[nodiscard]] const StepGeometryWriter& geometry() const { return geometry_; }

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
    Entities faces;
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
    Entities uses;
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
    const std::vector<std::array<Point, 2>> border = border_of(mesh_, facets_[f]);
    WrittenFace written{f, 0, {}};
    // In a plane one loop is around all others.
    std::size_t outer = face.loops.size();
    if (face.loops.size() == 1 || face.surface->kind() == SurfaceKind::plane) {
      outer = 0;
      for (std::size_t l = 1; l < face.loops.size(); ++l) {
        if (extent(face.loops[l]) > extent(face.loops[outer])) outer = l;
      }
    }
    Entities bounds;
    for (std::size_t l = 0; l < face.loops.size(); ++l) {
      const bool along = runs_along(body_, face.loops[l], to_mesh_, border);
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
    DisjointSets sets(written_.size());
    std::map<std::uint32_t, std::vector<std::pair<std::uint32_t, bool>>> uses;  // by edge
    for (std::uint32_t i = 0; i < written_.size(); ++i) {
      for (const Use& u : written_[i].uses) {
        auto& list = uses[u.edge];
        if (!list.empty()) sets.unite(list[0].first, i);
        list.push_back({i, u.forward});
      }
    }
    std::map<std::uint32_t, std::size_t> number;
    for (std::uint32_t i = 0; i < written_.size(); ++i) {
      const auto [at, is_new] = number.try_emplace(sets.find(i), shells_.size());
      if (is_new) shells_.emplace_back();
      Shell& shell = shells_[at->second];
      shell.faces.push_back(written_[i].entity);
      for (const TriangleId t : facets_[written_[i].face]) {
        const Triangle& v = mesh_.triangle(t);
        shell.volume += mesh_.point(v[0]).dot(mesh_.point(v[1]).cross(mesh_.point(v[2])));
        for (const VertexId corner : v.corner) shell.box.extend(mesh_.point(corner));
      }
    }
    for (const auto& [edge, list] : uses) {
      const bool is_paired = list.size() == 2 && list[0].second != list[1].second;
      if (!is_paired) shells_[number.at(sets.find(list[0].first))].is_closed = false;
    }
    // A face without an edge is a closed surface, or a piece of one that nothing bounds.
    for (std::uint32_t i = 0; i < written_.size(); ++i) {
      const Face& face = body_.faces[written_[i].face];
      if (written_[i].uses.empty() && !is_closed_by_itself(*face.surface)) {
        shells_[number.at(sets.find(i))].is_closed = false;
      }
    }
  }
  static bool is_closed_by_itself(const Surface& s) {
    return (s.period_u() > 0 && s.period_v() > 0) || s.poles().size() == 2;
  }

  void write_shells(const std::string& name, WrittenShape& to) {
    std::vector<std::vector<std::size_t>> solids;  // the outer shell first
    std::vector<std::size_t> cavities;
    Entities open;
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
    for (const std::vector<std::size_t>& solid : solids) {
      Entities closed;
      for (const std::size_t s : solid) {
        closed.push_back(out_.add("CLOSED_SHELL('',", step_list(shells_[s].faces), ")"));
      }
      if (closed.size() == 1) {
        to.items.push_back(
            out_.add("MANIFOLD_SOLID_BREP(", step_text(name), ",", step_name(closed[0]), ")"));
      } else {
        Entities voids;
        for (std::size_t i = 1; i < closed.size(); ++i) {
          voids.push_back(out_.add("ORIENTED_CLOSED_SHELL('',*,", step_name(closed[i]), ",.T.)"));
        }
        to.items.push_back(out_.add("BREP_WITH_VOIDS(", step_text(name), ",", step_name(closed[0]),
                                    ",", step_list(voids), ")"));
      }
      to.has_solids = true;
    }
    if (open.empty()) return;
    to.items.push_back(
        out_.add("SHELL_BASED_SURFACE_MODEL(", step_text(name), ",", step_list(open), ")"));
    to.has_sheets = true;
  }

  StepEntities& out_;
  Styles& styles_;
  const Mesh& mesh_;
  const Placement& to_mesh_;
  const Body& body_;
  const std::vector<FaceFacets>& facets_;
  StepGeometryWriter geometry_;
  std::vector<std::uint64_t> edges_, vertices_;  // 0: not yet
  std::vector<bool> is_point_;
  std::vector<WrittenFace> written_;
  std::vector<Shell> shells_;
};

// ---- Meshes.

bool is_closed_mesh(const Mesh& mesh) {
  const EdgeTable edges(mesh.triangles, mesh.points.size());
  for (std::uint32_t e = 0; e < edges.size(); ++e) {
    if (edges.use_count({e}) != 2 || !edges.is_balanced({e})) return false;
  }
  return true;
}

class StepMeshWriter {
 public:
  StepMeshWriter(StepEntities& out, Styles& styles, const Shape& shape)
      : out_(out), styles_(styles), shape_(shape), points_(shape.mesh.points.size(), 0) {}

  // A face a triangle: bounded by points alone in a closed body, else by straight edges.
  void faceted(const std::string& name, WrittenShape& to) {
    const Mesh& mesh = shape_.mesh;
    const bool is_closed = is_closed_mesh(mesh);
    Entities faces;
    for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
      const Triangle& v = mesh.triangle({t});
      if (v[0] == v[1] || v[1] == v[2] || v[2] == v[0]) continue;
      const std::uint64_t around = is_closed ? poly_loop(v) : edge_loop(v);
      const std::uint64_t bound = out_.add("FACE_OUTER_BOUND('',", step_name(around), ",.T.)");
      const std::string values =
          step_text(patch_name(t)) + ",(" + step_name(bound) + ")," + step_name(plane(v)) + ",.T.)";
      faces.push_back(out_.add((is_closed ? "FACE_SURFACE(" : "ADVANCED_FACE("), values));
      if (const auto colour = colour_of(shape_, {t})) {
        styles_.coloured[*colour].push_back(faces.back());
      }
    }
    if (faces.empty()) return;
    const std::uint64_t shell =
        out_.add((is_closed ? "CLOSED_SHELL(''," : "OPEN_SHELL('',"), step_list(faces), ")");
    to.items.push_back(is_closed
                           ? out_.add("FACETED_BREP(", step_text(name), ",", step_name(shell), ")")
                           : out_.add("SHELL_BASED_SURFACE_MODEL(", step_text(name), ",(",
                                      step_name(shell), "))"));
    (is_closed ? to.is_faceted : to.has_sheets) = true;
  }

  // A face a patch.
  void tessellated(const std::string& name, WrittenShape& to) {
    const Mesh& mesh = shape_.mesh;
    if (mesh.triangles.empty()) return;
    std::string coordinates;
    for (const Point& p : mesh.points) {
      coordinates += coordinates.empty() ? "((" : ",(";
      coordinates += step_real(p.x()) + "," + step_real(p.y()) + "," + step_real(p.z()) + ")";
    }
    const std::string count = std::to_string(mesh.points.size());
    const std::uint64_t list = out_.add("COORDINATES_LIST('',", count, ",", coordinates, "))");
    std::map<std::uint32_t, std::string> patches;
    for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
      std::string& rows = patches[mesh.patch_of.empty() ? 0 : mesh.patch_of[t].value];
      rows += rows.empty() ? "(" : ",(";
      for (std::size_t k = 0; k < 3; ++k) {
        rows.append(k > 0 ? "," : "").append(std::to_string(mesh.triangle({t})[k].value + 1ULL));
      }
      rows += ')';
    }
    Entities faces;
    for (const auto& [patch, rows] : patches) {
      const std::string own =
          patch < shape_.patch_names.size() ? shape_.patch_names[patch] : std::string();
      std::string face = "TRIANGULATED_FACE(" + step_text(own) + "," + step_name(list) + ",";
      face.append(count).append(",(),$,(),(").append(rows).append("))");
      faces.push_back(out_.add(face));
      if (patch < shape_.patch_colours.size() && shape_.patch_colours[patch]) {
        styles_.coloured[*shape_.patch_colours[patch]].push_back(faces.back());
      }
    }
    to.items.push_back(
        out_.add((is_closed_mesh(mesh) ? "TESSELLATED_SOLID(" : "TESSELLATED_SHELL("),
                 step_text(name), ",", step_list(faces), ",$)"));
    to.is_tessellated = true;
  }

 private:
  std::uint64_t point(VertexId v) {
    std::uint64_t& entity = points_[v.value];
    if (entity == 0) {
      const Point p = shape_.mesh.point(v);
      entity = out_.add("CARTESIAN_POINT('',(", step_real(p.x()), ",", step_real(p.y()), ",",
                        step_real(p.z()), "))");
    }
    return entity;
  }
  std::uint64_t direction(const Vector& d) {
    return out_.add("DIRECTION('',(", step_real(d.x()), ",", step_real(d.y()), ",",
                    step_real(d.z()), "))");
  }
  // Of a triangle without area: any that it lies in.
  std::uint64_t plane(const Triangle& v) {
    const Point a = shape_.mesh.point(v[0]), b = shape_.mesh.point(v[1]),
                c = shape_.mesh.point(v[2]);
    Vector normal = (b - a).stableNormalized().cross((c - a).stableNormalized());
    if (!(normal.norm() > 0)) normal = (b - a).stableNormalized().unitOrthogonal();
    const std::uint64_t z = direction(normal.stableNormalized());
    const std::uint64_t x = direction((b - a).stableNormalized());
    const std::uint64_t place = out_.add("AXIS2_PLACEMENT_3D('',", step_name(point(v[0])), ",",
                                         step_name(z), ",", step_name(x), ")");
    return out_.add("PLANE('',", step_name(place), ")");
  }
  std::uint64_t poly_loop(const Triangle& v) {
    return out_.add("POLY_LOOP('',", step_list(Entities{point(v[0]), point(v[1]), point(v[2])}),
                    ")");
  }
  std::uint64_t vertex(VertexId v) {
    std::uint64_t& entity = vertices_[v.value];
    if (entity == 0) entity = out_.add("VERTEX_POINT('',", step_name(point(v)), ")");
    return entity;
  }
  std::uint64_t edge_loop(const Triangle& v) {
    Entities uses;
    for (std::size_t k = 0; k < 3; ++k) {
      const VertexId a = std::min(v[k], v[(k + 1) % 3]), b = std::max(v[k], v[(k + 1) % 3]);
      std::uint64_t& edge = edges_[{a.value, b.value}];
      if (edge == 0) {
        const Vector along = shape_.mesh.point(b) - shape_.mesh.point(a);
        const std::uint64_t from = vertex(a), to = vertex(b);
        const std::uint64_t d = direction(along.stableNormalized());
        const std::uint64_t vector = out_.add("VECTOR('',", step_name(d), ",1.)");
        const std::uint64_t line =
            out_.add("LINE('',", step_name(point(a)), ",", step_name(vector), ")");
        edge = out_.add("EDGE_CURVE('',", step_name(from), ",", step_name(to), ",", step_name(line),
                        ",.T.)");
      }
      uses.push_back(
          out_.add("ORIENTED_EDGE('',*,*,", step_name(edge), ",", step_flag(a == v[k]), ")"));
    }
    return out_.add("EDGE_LOOP('',", step_list(uses), ")");
  }
  [[nodiscard]] std::string patch_name(std::uint32_t t) const {
    if (shape_.mesh.patch_of.empty()) return {};
    const std::uint32_t patch = shape_.mesh.patch_of[t].value;
    return patch < shape_.patch_names.size() ? shape_.patch_names[patch] : std::string();
  }

  StepEntities& out_;
  Styles& styles_;
  const Shape& shape_;
  Entities points_;  // 0: not yet
  std::map<std::uint32_t, std::uint64_t> vertices_;
  std::map<std::array<std::uint32_t, 2>, std::uint64_t> edges_;
};

// ---- Products.

class StepWriter {
 public:
  StepWriter(const ByteSink& sink, const Model& model, const WriteOptions& options)
      : sink_(sink), model_(model), options_(options), out_(sink) {}

  WriteReport run() {
    std::size_t wires = 0;
    for (const Part& part : model_.parts) wires += part.shape()->mesh.wires.size();
    if (wires > 0) {
      report_.notes.push_back("STEP: " + std::to_string(wires) +
                              (wires == 1 ? " line is" : " lines are") + " not written");
    }
    header();
    contexts();
    for (std::size_t p = 0; p < model_.parts.size(); ++p) write_part(p);
    if (products_.size() > 1 || instances_.size() > 1 ||
        (!instances_.empty() && !instances_[0].placement.is_identity())) {
      assembly();
    }
    styles();
    out_.flush();
    sink_("ENDSEC;\nEND-ISO-10303-21;\n");
    if (!faceted_why_.empty()) {
      for (const auto& [why, names] : faceted_why_) {
        std::string note = "written as facets, since ";
        note.append(why).append(": ").append(names);
        report_.notes.push_back(std::move(note));
      }
    }
    if (fitted_ > 0) {
      report_.notes.push_back(std::to_string(fitted_) + (fitted_ == 1 ? " curve" : " curves") +
                              " for which STEP has no form of its own are fitted by splines, "
                              "nowhere seen farther off than " +
                              short_text(fitted_off_));
    }
    return std::move(report_);
  }

 private:
  struct Product {
    std::uint64_t definition, representation, origin;
  };
  struct Instance {
    std::size_t product;
    Placement placement;
    std::string name;
  };

  void header() {
    const bool is_242 = options_.tessellated;
    sink_("ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME(''," +
          step_text(time_stamp_of(model_)) + ",(''),(''),'','aguja','');\nFILE_SCHEMA(('" +
          (is_242 ? "AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF { 1 0 10303 442 3 1 4 }"
                  : "AUTOMOTIVE_DESIGN { 1 0 10303 214 3 1 1 1 }") +
          "'));\nENDSEC;\nDATA;\n");
    application_ = out_.add(is_242 ? "APPLICATION_CONTEXT('managed model based 3d engineering')"
                                   : "APPLICATION_CONTEXT('automotive design')");
    out_.add("APPLICATION_PROTOCOL_DEFINITION('international standard',",
             std::string(is_242 ? "'ap242_managed_model_based_3d_engineering',2020,"
                                : "'automotive_design',2009,"),
             step_name(application_), ")");
    product_context_ = out_.add("PRODUCT_CONTEXT('',", step_name(application_), ",'mechanical')");
    definition_context_ = out_.add("PRODUCT_DEFINITION_CONTEXT('part definition',",
                                   step_name(application_), ",'design')");
  }

  void contexts() {
    const std::uint64_t length = length_unit();
    const std::uint64_t angle = out_.add("(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))");
    const std::uint64_t solid_angle =
        out_.add("(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())");
    uncertainty_ = uncertainty();
    fit_within_ = kFitPart * uncertainty_;
    const std::uint64_t accuracy = out_.add(
        "UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(", step_real(uncertainty_), "),",
        step_name(length), ",'distance_accuracy_value','largest tolerance of vertices and edges')");
    context_ =
        out_.add("(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((",
                 step_name(accuracy), "))GLOBAL_UNIT_ASSIGNED_CONTEXT((", step_name(length), ",",
                 step_name(angle), ",", step_name(solid_angle), "))REPRESENTATION_CONTEXT('',''))");
  }
  std::uint64_t length_unit() {
    const auto si = [&](std::string_view prefix) {
      return out_.add("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(", std::string(prefix), ",.METRE.))");
    };
    switch (model_.unit) {
      case LengthUnit::micrometre:
        return si(".MICRO.");
      case LengthUnit::millimetre:
        return si(".MILLI.");
      case LengthUnit::centimetre:
        return si(".CENTI.");
      case LengthUnit::metre:
        return si("$");
      case LengthUnit::inch:
      case LengthUnit::foot:
        break;
    }
    const bool is_inch = model_.unit == LengthUnit::inch;
    const std::uint64_t millimetre = si(".MILLI.");
    const std::uint64_t measure =
        out_.add("LENGTH_MEASURE_WITH_UNIT(LENGTH_MEASURE(",
                 std::string(is_inch ? "25.4" : "304.8"), "),", step_name(millimetre), ")");
    const std::uint64_t exponents = out_.add("DIMENSIONAL_EXPONENTS(1.,0.,0.,0.,0.,0.,0.)");
    return out_.add("(CONVERSION_BASED_UNIT('", std::string(is_inch ? "INCH" : "FOOT"), "',",
                    step_name(measure), ")LENGTH_UNIT()NAMED_UNIT(", step_name(exponents), "))");
  }
  // The largest tolerance in any body; no less than what doubles of that size resolve.
  [[nodiscard]] double uncertainty() const {
    double largest = kLeastUncertainty * box_of(model_).diagonal();
    for (const Part& part : model_.parts) {
      for (const SurfaceOrigin& origin : part.shape()->surfaces) {
        const double scale = part.placement().scale() * origin.placement.scale();
        const std::array<PreparedBodyPtr, 1> one = {origin.body};
        const BodyTolerances t = measure_tolerances(one);
        for (const ToleranceStatistics* s : {&t.vertices, &t.edges, &t.faces}) {
          if (std::isfinite(s->largest)) largest = std::max(largest, scale * s->largest);
        }
      }
    }
    return largest > 0 ? largest : kLeastUncertainty;
  }

  // One product for all parts of one shape, unless they are not merely moved.
  void write_part(std::size_t p) {
    const Part& part = model_.parts[p];
    const bool is_moved = part.placement().is_rigid() && !part.placement().mirrors();
    if (!is_moved) {
      products_.push_back(product(part.name, part.placed()));
      instances_.push_back({products_.size() - 1, {}, part.name});
      return;
    }
    const auto [at, is_new] = product_of_.try_emplace(part.shape().get(), products_.size());
    if (is_new) products_.push_back(product(product_name(p), *part.shape()));
    instances_.push_back({at->second, part.placement(), part.name});
  }
  // What parts of one shape have in their names, without their numbers.
  [[nodiscard]] std::string product_name(std::size_t p) const {
    const Part& part = model_.parts[p];
    const auto count = std::count_if(model_.parts.begin(), model_.parts.end(),
                                     [&](const Part& o) { return o.shape() == part.shape(); });
    const std::size_t digits = part.name.find_last_not_of("0123456789");
    if (count == 1 || digits == std::string::npos || digits + 1 == part.name.size() ||
        part.name[digits] != '-' || digits == 0) {
      return part.name;
    }
    return part.name.substr(0, digits);
  }

  Product product(const std::string& name, const Shape& shape) {
    const std::uint64_t origin = axes(Placement{});
    WrittenShape written;
    if (!write_surfaces(name, shape, written)) {
      StepMeshWriter mesh(out_, styles_, shape);
      options_.tessellated ? mesh.tessellated(name, written) : mesh.faceted(name, written);
    }
    Entities items = {origin};
    items.insert(items.end(), written.items.begin(), written.items.end());
    const int kinds =
        written.has_solids + written.has_sheets + written.is_faceted + written.is_tessellated;
    const std::string type = kinds != 1           ? "SHAPE_REPRESENTATION"
                             : written.has_solids ? "ADVANCED_BREP_SHAPE_REPRESENTATION"
                             : written.has_sheets ? "MANIFOLD_SURFACE_SHAPE_REPRESENTATION"
                             : written.is_faceted ? "FACETED_BREP_SHAPE_REPRESENTATION"
                                                  : "TESSELLATED_SHAPE_REPRESENTATION";
    return product_of(name, type, items, origin);
  }
  Product product_of(const std::string& name, const std::string& type, const Entities& items,
                     std::uint64_t origin) {
    const std::uint64_t representation =
        out_.add(type, "(", step_text(name), ",", step_list(items), ",", step_name(context_), ")");
    const std::uint64_t own = out_.add("PRODUCT(", step_text(name), ",", step_text(name), ",'',(",
                                       step_name(product_context_), "))");
    out_.add("PRODUCT_RELATED_PRODUCT_CATEGORY('part',$,(", step_name(own), "))");
    const std::uint64_t formation =
        out_.add("PRODUCT_DEFINITION_FORMATION('','',", step_name(own), ")");
    const std::uint64_t definition =
        out_.add("PRODUCT_DEFINITION('design','',", step_name(formation), ",",
                 step_name(definition_context_), ")");
    const std::uint64_t shape =
        out_.add("PRODUCT_DEFINITION_SHAPE('','',", step_name(definition), ")");
    out_.add("SHAPE_DEFINITION_REPRESENTATION(", step_name(shape), ",", step_name(representation),
             ")");
    return {definition, representation, origin};
  }

  // False if there are none, or not all of it can be written so.
  bool write_surfaces(const std::string& name, const Shape& shape, WrittenShape& to) {
    WholeFaces whole;
    if (shape.surfaces.empty()) {
      if (model_.sources.empty()) return false;  // of meshes nobody expects surfaces
      whole.why_not = "it is a mesh";
    } else {
      whole = whole_faces(shape);
    }
    if (!whole.why_not.empty()) {
      std::string& names = faceted_why_[whole.why_not];
      names += (names.empty() ? "'" : ", '") + name + "'";
      return false;
    }
    for (std::size_t o = 0; o < shape.surfaces.size(); ++o) {
      const SurfaceOrigin& origin = shape.surfaces[o];
      StepBodyWriter body(out_, styles_, shape, origin, whole.of_origin[o], fit_within_);
      body.write(origin.body->body.name.empty() ? name : origin.body->body.name, to);
      fitted_ += body.geometry().fitted();
      fitted_off_ = std::max(fitted_off_, body.geometry().fitted_off());
    }
    return true;
  }

  std::uint64_t axes(const Placement& at) {
    const auto list = [](const Vector& v) {
      return "(" + step_real(v.x()) + "," + step_real(v.y()) + "," + step_real(v.z()) + ")";
    };
    const std::uint64_t origin = out_.add("CARTESIAN_POINT('',", list(at.shift), ")");
    const std::uint64_t z = out_.add("DIRECTION('',", list(at.linear.col(2)), ")");
    const std::uint64_t x = out_.add("DIRECTION('',", list(at.linear.col(0)), ")");
    return out_.add("AXIS2_PLACEMENT_3D('',", step_name(origin), ",", step_name(z), ",",
                    step_name(x), ")");
  }

  void assembly() {
    const std::uint64_t origin = axes({});
    Entities items = {origin};
    for (const Instance& i : instances_) items.push_back(axes(i.placement));
    const Product whole = product_of("assembly", "SHAPE_REPRESENTATION", items, origin);
    for (std::size_t i = 0; i < instances_.size(); ++i) {
      const Instance& instance = instances_[i];
      const Product& part = products_[instance.product];
      const std::string id = step_text(std::to_string(i + 1));
      const std::uint64_t occurrence =
          out_.add("NEXT_ASSEMBLY_USAGE_OCCURRENCE(", id, ",", step_text(instance.name), ",'',",
                   step_name(whole.definition), ",", step_name(part.definition), ",$)");
      const std::uint64_t shape =
          out_.add("PRODUCT_DEFINITION_SHAPE('placement','',", step_name(occurrence), ")");
      const std::uint64_t move =
          out_.add("ITEM_DEFINED_TRANSFORMATION('','',", step_name(part.origin), ",",
                   step_name(items[i + 1]), ")");
      const std::uint64_t relation = out_.add(
          "(REPRESENTATION_RELATIONSHIP('','',", step_name(part.representation), ",",
          step_name(whole.representation), ")REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(",
          step_name(move), ")SHAPE_REPRESENTATION_RELATIONSHIP())");
      out_.add("CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(", step_name(relation), ",",
               step_name(shape), ")");
    }
  }

  void styles() {
    Entities styled;
    for (const auto& [rgb, faces] : styles_.coloured) {
      const std::uint64_t colour = out_.add("COLOUR_RGB('',", step_real(rgb[0]), ",",
                                            step_real(rgb[1]), ",", step_real(rgb[2]), ")");
      const std::uint64_t fill = out_.add("FILL_AREA_STYLE_COLOUR('',", step_name(colour), ")");
      const std::uint64_t area = out_.add("FILL_AREA_STYLE('',(", step_name(fill), "))");
      const std::uint64_t surface = out_.add("SURFACE_STYLE_FILL_AREA(", step_name(area), ")");
      const std::uint64_t side = out_.add("SURFACE_SIDE_STYLE('',(", step_name(surface), "))");
      const std::uint64_t usage = out_.add("SURFACE_STYLE_USAGE(.BOTH.,", step_name(side), ")");
      const std::uint64_t style =
          out_.add("PRESENTATION_STYLE_ASSIGNMENT((", step_name(usage), "))");
      for (const std::uint64_t face : faces) {
        styled.push_back(
            out_.add("STYLED_ITEM('',(", step_name(style), "),", step_name(face), ")"));
      }
    }
    if (!styled.empty()) {
      out_.add("MECHANICAL_DESIGN_GEOMETRIC_PRESENTATION_REPRESENTATION('',", step_list(styled),
               ",", step_name(context_), ")");
    }
    for (const auto& [name, faces] : styles_.layers) {
      out_.add("PRESENTATION_LAYER_ASSIGNMENT(", step_text(name), ",'',", step_list(faces), ")");
    }
    for (const auto& [name, faces] : styles_.groups) {
      const std::uint64_t group = out_.add("GROUP(", step_text(name), ",'')");
      out_.add("APPLIED_GROUP_ASSIGNMENT(", step_name(group), ",", step_list(faces), ")");
    }
  }

  static constexpr double kLeastUncertainty = 1e-9;  // of the model
  static constexpr double kFitPart = 0.1;            // of the uncertainty

  const ByteSink& sink_;
  const Model& model_;
  const WriteOptions& options_;
  StepEntities out_;
  WriteReport report_;
  Styles styles_;
  std::uint64_t application_ = 0, product_context_ = 0, definition_context_ = 0, context_ = 0;
  double uncertainty_ = 0, fit_within_ = 0, fitted_off_ = 0;
  std::size_t fitted_ = 0;
  std::vector<Product> products_;
  std::vector<Instance> instances_;
  std::map<const Shape*, std::size_t> product_of_;
  std::map<std::string, std::string> faceted_why_;  // names by reason
};

}  // namespace

WriteReport write_step(const ByteSink& sink, const Model& model, const WriteOptions& options) {
  return StepWriter(sink, model, options).run();
}

}  // namespace aguja
