#include "formats/step_body.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include <Eigen/Geometry>

namespace aguja::detail {
namespace {

class BodyReader {
 public:
  BodyReader(StepGeometry& geometry, StepOmissions& omissions, const StepLooks& looks)
      : geometry_(geometry), omissions_(omissions), looks_(looks) {}

  // Of a representation item; nothing if it is no shape.
  std::optional<Body> read(const Entity& e) {
    body_ = {};
    body_.entity = e.number;
    if (const Record* r = e.find("MANIFOLD_SOLID_BREP")) {
      solid(e, *r);
    } else if (const Record* w = e.find("BREP_WITH_VOIDS")) {
      solid(e, *w);
    } else if (const Record* f = e.find("FACETED_BREP")) {
      solid(e, *f);
    } else if (const Record* m = e.find("SHELL_BASED_SURFACE_MODEL")) {
      named(e, *m);
      for (const std::uint64_t s : Fields(e, *m).references(1))
        guarded_surface(s, [&] { shell(s, e.number, false, false); });
    } else if (const Record* b = e.find("FACE_BASED_SURFACE_MODEL")) {
      named(e, *b);
      for (const std::uint64_t s : Fields(e, *b).references(1))
        guarded_surface(s, [&] { shell(s, e.number, false, false); });
    } else if (e.is("OPEN_SHELL") || e.is("CLOSED_SHELL") || e.is("CONNECTED_FACE_SET")) {
      guarded(e.number, [&] { shell(e.number, e.number, false, false); });
    } else if (e.is("GEOMETRIC_SET") || e.is("GEOMETRIC_CURVE_SET")) {
      surfaces_of(e);
    } else if (e.is("ADVANCED_FACE") || e.is("FACE_SURFACE")) {
      body_.shells.emplace_back();
      guarded(e.number, [&] { use_face(e.number, e.number); });
    } else if (is_facets(e)) {
      facets(e, 0);
    } else {
      return std::nullopt;
    }
    if (body_.faces.empty() && body_.facets.triangles.empty()) return std::nullopt;
    inherit(e.number);
    return std::move(body_);
  }
  std::optional<Body> read_faces(std::span<const std::uint64_t> faces) {
    body_.shells.emplace_back();
    for (const std::uint64_t face : faces) guarded_surface(face, [&] { use_face(face, face); });
    if (body_.faces.empty()) return std::nullopt;
    return std::move(body_);
  }
  static bool is_facets(const Entity& e) {
    return e.is("TRIANGULATED_FACE") || e.is("COMPLEX_TRIANGULATED_FACE") ||
           e.is("TRIANGULATED_SURFACE_SET") || e.is("COMPLEX_TRIANGULATED_SURFACE_SET") ||
           e.is("TESSELLATED_SHELL") || e.is("TESSELLATED_SOLID") ||
           e.is("TESSELLATED_GEOMETRIC_SET");
  }

 private:
  const Part21& file() const { return geometry_.file(); }

  // What one entity has wrong leaves out that one alone.
  template <class Work>
  bool guarded(std::uint64_t number, const Work& work) {
    try {
      work();
      return true;
    } catch (const EntityError& error) {
      const auto entry = file().find(number);
      omissions_.add(entry && !entry->type.empty() ? std::string(entry->type) : "entity",
                     error.what());
      return false;
    }
  }
  // As above, of what bounds the body.
  template <class Work>
  void guarded_surface(std::uint64_t number, const Work& work) {
    if (!guarded(number, work)) body_.not_read.push_back(number);
  }
  // What its shell or the whole has, a face has that says nothing else.
  void inherit(std::uint64_t whole) {
    const auto give = [&](std::uint64_t from, Face& face) {
      const auto c = looks_.colours.find(from);
      if (!face.colour && c != looks_.colours.end()) face.colour = c->second;
      const auto l = looks_.layers.find(from);
      if (face.layer.empty() && l != looks_.layers.end()) face.layer = l->second;
      add_groups(from, face);
    };
    for (const BodyShell& s : body_.shells) {
      for (const BodyShell::Use& u : s.faces) give(s.entity, body_.faces[u.face]);
    }
    for (Face& face : body_.faces) give(whole, face);
  }
  void add_groups(std::uint64_t member, Face& face) const {
    const auto at = looks_.groups.find(member);
    if (at == looks_.groups.end()) return;
    for (const std::string& name : at->second) {
      if (std::find(face.groups.begin(), face.groups.end(), name) == face.groups.end())
        face.groups.push_back(name);
    }
  }
  void named(const Entity& e, const Record& r) {
    if (!r.values.empty()) body_.name = Fields(e, r).text(0);
  }

  void solid(const Entity& e, const Record& r) {
    named(e, r);
    const Fields f(e, r);
    // Complex entities hold the outer shell in the record of the general type.
    const Record& general = e.records.size() > 1 && e.find("MANIFOLD_SOLID_BREP") != nullptr
                                ? e.record("MANIFOLD_SOLID_BREP")
                                : r;
    const Fields outer(e, general);
    const std::size_t at =
        general.values.size() > 1 && general.values[0].kind != Value::Kind::reference ? 1 : 0;
    guarded_surface(outer.reference(at),
                    [&] { shell(outer.reference(at), e.number, true, false); });
    if (const Record* voids = e.find("BREP_WITH_VOIDS")) {
      const Fields vf(e, *voids);
      for (const std::uint64_t v : vf.references(voids->values.size() - 1)) {
        guarded_surface(v, [&] { shell(v, e.number, true, true); });
      }
    }
  }

  void shell(std::uint64_t number, std::uint64_t asked_by, bool closed, bool is_void) {
    bool forward = true;
    Entity e = file().parse(number, asked_by);
    for (int depth = 0; depth < 8; ++depth) {
      const Record* r = e.find("ORIENTED_CLOSED_SHELL");
      if (r == nullptr) r = e.find("ORIENTED_OPEN_SHELL");
      if (r == nullptr) break;
      const Fields f(e, *r);
      if (!f.flag(3)) forward = !forward;
      e = file().parse(f.reference(2), e.number);
    }
    const Record* r = nullptr;
    for (const std::string_view type :
         {"CLOSED_SHELL", "OPEN_SHELL", "CONNECTED_FACE_SET", "SURFACED_OPEN_SHELL"}) {
      if (r == nullptr) r = e.find(type);
    }
    if (r == nullptr) throw EntityError(number, "is no shell");
    BodyShell shell;
    shell.entity = e.number;
    shell.meant_closed = closed || e.is("CLOSED_SHELL");
    shell.is_void = is_void;
    body_.shells.push_back(shell);
    const Fields f(e, *r);
    for (const std::uint64_t face : f.references(r->values.size() - 1)) {
      guarded_surface(face, [&] { use_face(face, e.number, forward); });
    }
  }

  void use_face(std::uint64_t number, std::uint64_t asked_by, bool forward = true) {
    Entity e = file().parse(number, asked_by);
    for (int depth = 0; depth < 8 && e.is("ORIENTED_FACE"); ++depth) {
      const Fields f(e, e.record("ORIENTED_FACE"));
      if (!f.flag(3)) forward = !forward;
      e = file().parse(f.reference(2), e.number);
    }
    auto at = face_numbers_.find(e.number);
    if (at == face_numbers_.end()) {
      Face face = make_face(e);
      body_.faces.push_back(std::move(face));
      at =
          face_numbers_.emplace(e.number, static_cast<std::uint32_t>(body_.faces.size() - 1)).first;
    }
    body_.shells.back().faces.push_back({at->second, forward});
  }

  Face make_face(const Entity& e) {
    Face face;
    face.entity = e.number;
    const Record* r = nullptr;
    for (const std::string_view type : {"ADVANCED_FACE", "FACE_SURFACE", "FACE"}) {
      if (r == nullptr) r = e.find(type);
    }
    if (r == nullptr) throw EntityError(e.number, "is no face");
    const Fields f(e, *r);
    face.name = f.text(0);
    for (const std::uint64_t bound : f.references(1))
      face.loops.push_back(make_loop(bound, e.number));
    if (r->type == "FACE" || !f.has_reference(2)) {
      face.surface = plane_of(face, e.number);
    } else {
      face.surface = geometry_.surface(f.reference(2), e.number);
      face.same_sense = f.flag(3);
      add_parameter_curves(face, f.reference(2));
    }
    if (const auto c = looks_.colours.find(e.number); c != looks_.colours.end())
      face.colour = c->second;
    if (const auto l = looks_.layers.find(e.number); l != looks_.layers.end())
      face.layer = l->second;
    add_groups(e.number, face);
    return face;
  }

  void add_parameter_curves(Face& face, std::uint64_t surface) {
    for (FaceLoop& l : face.loops) {
      for (EdgeUseOfFace& u : l.edges) {
        const auto curve = curve_of_edge_.find(u.edge);
        if (curve == curve_of_edge_.end()) continue;
        guarded(curve->second, [&] {
          const std::vector<std::uint64_t> found =
              geometry_.parameter_curves(curve->second, surface);
          if (found.empty()) return;
          const std::uint64_t mine = u.forward ? found.front() : found.back();
          u.in_parameters = geometry_.parameter_curve(mine, curve->second);
        });
      }
    }
  }

  FaceLoop make_loop(std::uint64_t number, std::uint64_t asked_by) {
    const Entity bound = file().parse(number, asked_by);
    const Record* r = bound.find("FACE_OUTER_BOUND");
    if (r == nullptr) r = &bound.record("FACE_BOUND");
    const Fields bf(bound, *r);
    const bool forward = bf.flag(2);
    const Entity e = file().parse(bf.reference(1), number);
    FaceLoop loop;
    loop.entity = e.number;
    if (const Record* v = e.find("VERTEX_LOOP")) {
      loop.vertex = vertex(Fields(e, *v).reference(1), e.number);
      return loop;
    }
    if (const Record* p = e.find("POLY_LOOP")) {
      poly_loop(e, Fields(e, *p).references(1), loop);
    } else {
      for (const std::uint64_t o : Fields(e, e.record("EDGE_LOOP")).references(1))
        loop.edges.push_back(use_edge(o, e.number));
    }
    if (!forward) {
      std::reverse(loop.edges.begin(), loop.edges.end());
      for (EdgeUseOfFace& u : loop.edges) u.forward = !u.forward;
    }
    return loop;
  }

  EdgeUseOfFace use_edge(std::uint64_t number, std::uint64_t asked_by) {
    Entity e = file().parse(number, asked_by);
    bool forward = true;
    for (int depth = 0; depth < 8 && e.is("ORIENTED_EDGE"); ++depth) {
      const Fields f(e, e.record("ORIENTED_EDGE"));
      if (!f.flag(4)) forward = !forward;
      e = file().parse(f.reference(3), e.number);
    }
    auto at = edge_numbers_.find(e.number);
    if (at == edge_numbers_.end()) {
      body_.edges.push_back(make_edge(e));
      at =
          edge_numbers_.emplace(e.number, static_cast<std::uint32_t>(body_.edges.size() - 1)).first;
    }
    return {at->second, forward, nullptr};
  }

  BodyEdge make_edge(const Entity& e) {
    BodyEdge edge;
    edge.entity = e.number;
    const Record* r = e.find("EDGE_CURVE");
    if (r == nullptr) r = &e.record("EDGE");
    const Fields f(e, *r);
    edge.start = vertex(f.reference(1), e.number);
    edge.end = vertex(f.reference(2), e.number);
    const Point a = body_.vertices[edge.start].point, b = body_.vertices[edge.end].point;
    if (r->type == "EDGE") {
      edge.curve = make_line(a, b - a);
      edge.to = 1;
      return edge;
    }
    edge.curve = geometry_.curve(f.reference(3), e.number);
    curve_of_edge_[static_cast<std::uint32_t>(body_.edges.size())] = f.reference(3);
    const auto piece =
        StepGeometry::piece_between(*edge.curve, a, b, edge.start == edge.end, f.flag(4));
    edge.from = piece.from;
    edge.to = piece.to;
    if (piece.over_seam) {
      edge.curve = StepGeometry::over_seam(edge.curve, piece, f.flag(4));
      edge.from = 0;
      edge.to = 2;
    }
    return edge;
  }

  std::uint32_t vertex(std::uint64_t number, std::uint64_t asked_by) {
    if (const auto at = vertex_numbers_.find(number); at != vertex_numbers_.end())
      return at->second;
    const Entity e = file().parse(number, asked_by);
    const std::uint64_t place = Fields(e, e.record("VERTEX_POINT")).reference(1);
    body_.vertices.push_back({geometry_.point(place, number), number});
    return vertex_numbers_[number] = static_cast<std::uint32_t>(body_.vertices.size() - 1);
  }
  // Faceted shapes share points, not edges: two loops along the same points have the same edge.
  void poly_loop(const Entity& e, const std::vector<std::uint64_t>& points, FaceLoop& loop) {
    std::vector<std::uint32_t> v;
    for (const std::uint64_t p : points) {
      const auto [at, is_new] =
          vertex_numbers_.try_emplace(p, static_cast<std::uint32_t>(body_.vertices.size()));
      if (is_new) body_.vertices.push_back({geometry_.point(p, e.number), p});
      v.push_back(at->second);
    }
    if (v.size() < 3) throw EntityError(e.number, "a loop of fewer than three points");
    for (std::size_t i = 0; i < v.size(); ++i) {
      const std::uint32_t a = v[i], b = v[(i + 1) % v.size()];
      if (a == b) continue;
      const auto key = std::minmax(a, b);
      const auto [at, is_new] =
          poly_edges_.try_emplace(key, static_cast<std::uint32_t>(body_.edges.size()));
      if (is_new) {
        BodyEdge edge;
        edge.start = key.first;
        edge.end = key.second;
        const Point p = body_.vertices[edge.start].point;
        edge.curve = make_line(p, body_.vertices[edge.end].point - p);
        edge.to = 1;
        body_.edges.push_back(edge);
      }
      loop.edges.push_back({at->second, a == key.first, nullptr});
    }
  }
  // The plane that the loops lie in, facing as the first one runs.
  SurfacePtr plane_of(const Face& face, std::uint64_t number) const {
    for (const FaceLoop& loop : face.loops) {
      Vector area = Vector::Zero();
      Point origin = Point::Zero();
      for (const EdgeUseOfFace& u : loop.edges) {
        const BodyEdge& edge = body_.edges[u.edge];
        Point a = body_.vertices[edge.start].point, b = body_.vertices[edge.end].point;
        if (!u.forward) std::swap(a, b);
        if (&u == &loop.edges[0]) origin = a;
        area += (a - origin).cross(b - origin);
      }
      if (area.norm() > 0) return make_plane(Frame::from(origin, area, Vector(1, 0, 0)));
    }
    throw EntityError(number, "a face without a surface, and with no area in its loops");
  }

  // Surfaces by themselves: those with natural bounds are faces.
  void surfaces_of(const Entity& e) {
    const Record& r = *std::find_if(e.records.begin(), e.records.end(), [](const Record& x) {
      return x.type == "GEOMETRIC_SET" || x.type == "GEOMETRIC_CURVE_SET";
    });
    named(e, r);
    body_.shells.emplace_back();
    for (const std::uint64_t item : Fields(e, r).references(r.values.size() - 1)) {
      guarded(item, [&] {
        const Entity own = file().parse(item, e.number);
        if (own.records[0].type.find("CURVE") != std::string_view::npos &&
            !own.is("CURVE_BOUNDED_SURFACE"))
          return;
        if (own.is("CARTESIAN_POINT") || own.is("LINE") || own.is("CIRCLE") || own.is("ELLIPSE"))
          return;
        Face face;
        face.entity = item;
        face.surface = geometry_.surface(item, e.number);
        if (const Record* bounded = own.find("CURVE_BOUNDED_SURFACE"))
          bound_by_curves(own, *bounded, face);
        const bool finite =
            face.surface->domain_u().is_finite() && face.surface->domain_v().is_finite();
        if (face.loops.empty() && !finite) throw EntityError(item, "a surface without bounds");
        body_.faces.push_back(std::move(face));
        body_.shells.back().faces.push_back(
            {static_cast<std::uint32_t>(body_.faces.size() - 1), true});
      });
    }
  }
  void bound_by_curves(const Entity& e, const Record& r, Face& face) {
    const Fields f(e, r);
    if (f.count() > 3 && f.flag(3)) return;  // its natural bounds
    for (const std::uint64_t number : f.references(2)) {
      const CurvePtr c = geometry_.curve(number, e.number);
      const Interval d = c->domain();
      if (!d.is_finite()) throw EntityError(number, "a bound without ends");
      BodyEdge edge;
      edge.curve = c;
      edge.from = d.low;
      edge.to = d.high;
      edge.entity = number;
      body_.vertices.push_back({c->point(d.low), 0});
      edge.start = edge.end = static_cast<std::uint32_t>(body_.vertices.size() - 1);
      body_.edges.push_back(edge);
      FaceLoop loop;
      loop.edges.push_back({static_cast<std::uint32_t>(body_.edges.size() - 1), true, nullptr});
      face.loops.push_back(std::move(loop));
    }
  }

  // ---- Tessellated shapes.

  void facets(const Entity& e, int depth) {
    if (depth > 8) throw EntityError(e.number, "tessellated items in one another");
    for (const std::string_view type :
         {"TESSELLATED_SHELL", "TESSELLATED_SOLID", "TESSELLATED_GEOMETRIC_SET"}) {
      if (const Record* r = e.find(type)) {
        // In complex entities the name is in a record of its own, and another may hold a place.
        const std::size_t at = e.records.size() > 1 ? 0 : 1;
        if (at == 1) named(e, *r);
        const std::size_t first = body_.facets.points.size();
        for (const std::uint64_t item : Fields(e, *r).references(at)) {
          guarded(item, [&] { facets(file().parse(item, e.number), depth + 1); });
        }
        if (const Record* p = e.find("REPOSITIONED_TESSELLATED_ITEM")) {
          const Frame place = geometry_.frame(Fields(e, *p).reference(0), e.number);
          for (std::size_t i = first; i < body_.facets.points.size(); ++i) {
            const Point q = body_.facets.points[i];
            body_.facets.points[i] = place.at(q.x(), q.y(), q.z());
          }
          // Others may use the same points where they are.
          coordinates_.clear();
        }
        return;
      }
    }
    for (const Record& r : e.records) {
      if (r.type == "TRIANGULATED_FACE" || r.type == "TRIANGULATED_SURFACE_SET")
        return triangles(e, r, false);
      if (r.type == "COMPLEX_TRIANGULATED_FACE" || r.type == "COMPLEX_TRIANGULATED_SURFACE_SET")
        return triangles(e, r, true);
    }
    throw EntityError(
        e.number, std::string(e.records[0].type) + " is no tessellated face that is understood");
  }
  void triangles(const Entity& e, const Record& r, bool is_complex) {
    const Fields f(e, r);
    const bool is_face = r.type.ends_with("FACE");
    // name, coordinates, pnmax, normals, [geometric link,] pnindex, then triangles, or strips and
    // fans
    const std::size_t at = is_face ? 5 : 4;
    Mesh& mesh = body_.facets;
    const std::uint64_t list = f.reference(1);
    const auto known =
        coordinates_.try_emplace(list, static_cast<std::uint32_t>(mesh.points.size()));
    const std::uint32_t base = known.first->second;
    if (known.second) {
      const Entity c = file().parse(list, e.number);
      const Fields cf(c, c.record("COORDINATES_LIST"));
      for (const Value& row : cf.list(2)) {
        if (row.items.size() != 3) cf.fail(2, "points of three coordinates");
        mesh.points.emplace_back(row.items[0].number, row.items[1].number, row.items[2].number);
        mesh.points[mesh.points.size() - 1] *= geometry_.units().length;
      }
      coordinate_counts_[list] = mesh.points.size() - base;
    }
    const std::vector<double> index =
        f.at(at).kind == Value::Kind::list ? f.numbers(at) : std::vector<double>();
    const std::size_t count = coordinate_counts_[list];
    const auto corner = [&](double number) -> VertexId {
      double n = number;
      if (!index.empty()) {
        if (!(n >= 1) || n > static_cast<double>(index.size()))
          f.fail(at + 1, "numbers of points that are there");
        n = index[static_cast<std::size_t>(n) - 1];
      }
      if (!(n >= 1) || n > static_cast<double>(count))
        f.fail(at + 1, "numbers of points that are there");
      return {base + static_cast<std::uint32_t>(n) - 1};
    };
    const PatchId patch{patches_++};
    const auto add = [&](double a, double b, double c) {
      mesh.triangles.push_back({{corner(a), corner(b), corner(c)}});
      mesh.patch_of.push_back(PatchId(patch));
    };
    const auto rows = [&](std::size_t i, const auto& take) {
      for (const Value& row : f.list(i)) {
        std::vector<double> numbers;
        for (const Value& v : row.items) numbers.push_back(v.number);
        take(numbers);
      }
    };
    if (!is_complex) {
      rows(at + 1, [&](const std::vector<double>& t) {
        if (t.size() != 3) f.fail(at + 1, "triangles of three corners");
        add(t[0], t[1], t[2]);
      });
      return;
    }
    rows(at + 1, [&](const std::vector<double>& strip) {
      for (std::size_t i = 2; i < strip.size(); ++i) {
        if (strip[i] == strip[i - 1] || strip[i] == strip[i - 2] || strip[i - 1] == strip[i - 2])
          continue;
        i % 2 == 0 ? add(strip[i - 2], strip[i - 1], strip[i])
                   : add(strip[i - 1], strip[i - 2], strip[i]);
      }
    });
    rows(at + 2, [&](const std::vector<double>& fan) {
      for (std::size_t i = 2; i < fan.size(); ++i) add(fan[0], fan[i - 1], fan[i]);
    });
  }

  StepGeometry& geometry_;
  StepOmissions& omissions_;
  const StepLooks& looks_;
  Body body_;
  std::map<std::uint64_t, std::uint32_t> face_numbers_, edge_numbers_, vertex_numbers_,
      coordinates_;
  std::map<std::uint32_t, std::uint64_t> curve_of_edge_;
  std::map<std::uint64_t, std::size_t> coordinate_counts_;
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> poly_edges_;
  std::uint32_t patches_ = 0;
};

}  // namespace

void StepOmissions::write(SurfaceModel& model) const {
  for (const auto& [type, count] : counts_) model.not_understood.push_back({type, count});
  std::stable_sort(
      model.not_understood.begin(), model.not_understood.end(),
      [](const NotUnderstood& a, const NotUnderstood& b) { return a.count > b.count; });
  model.notes.insert(model.notes.end(), notes_.begin(), notes_.end());
}

std::optional<Body> read_step_body(StepGeometry& geometry, StepOmissions& omissions,
                                   const StepLooks& looks, const Entity& item) {
  return BodyReader(geometry, omissions, looks).read(item);
}

std::optional<Body> read_step_faces(StepGeometry& geometry, StepOmissions& omissions,
                                    const StepLooks& looks, std::span<const std::uint64_t> faces) {
  return BodyReader(geometry, omissions, looks).read_faces(faces);
}

}  // namespace aguja::detail
