#include "aguja/formats/read_surfaces.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numbers>
#include <set>

#include <Eigen/Geometry>

#include "formats/step_geometry.h"

namespace aguja {
namespace {

using detail::Entity;
using detail::EntityError;
using detail::Fields;
using detail::Part21;
using detail::Record;
using detail::StepGeometry;
using detail::StepUnits;
using detail::Value;

constexpr int kMostLevels = 64;  // of assemblies
constexpr std::size_t kMostInstances = 200000;
constexpr std::size_t kMostNotes = 20;

// What is left out, by type, and why for the first of each.
class Omissions {
 public:
  void add(const std::string& type, const std::string& why) {
    ++counts_[type];
    if (notes_.size() < kMostNotes && told_.insert(type).second) notes_.push_back(why);
  }
  void write(SurfaceModel& model) const {
    for (const auto& [type, count] : counts_) model.not_understood.push_back({type, count});
    std::stable_sort(
        model.not_understood.begin(), model.not_understood.end(),
        [](const NotUnderstood& a, const NotUnderstood& b) { return a.count > b.count; });
    model.notes.insert(model.notes.end(), notes_.begin(), notes_.end());
  }

 private:
  std::map<std::string, std::size_t> counts_;
  std::vector<std::string> notes_;
  std::set<std::string> told_;
};

// ---- Topology of one body.

class BodyReader {
 public:
  BodyReader(StepGeometry& geometry, Omissions& omissions,
             const std::map<std::uint64_t, std::array<float, 3>>& colours)
      : geometry_(geometry), omissions_(omissions), colours_(colours) {}

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
        guarded(s, [&] { shell(s, e.number, false, false); });
    } else if (const Record* b = e.find("FACE_BASED_SURFACE_MODEL")) {
      named(e, *b);
      for (const std::uint64_t s : Fields(e, *b).references(1))
        guarded(s, [&] { shell(s, e.number, false, false); });
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
  void guarded(std::uint64_t number, const Work& work) {
    try {
      work();
    } catch (const EntityError& error) {
      const auto entry = file().find(number);
      omissions_.add(entry && !entry->type.empty() ? std::string(entry->type) : "entity",
                     error.what());
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
    guarded(outer.reference(at), [&] { shell(outer.reference(at), e.number, true, false); });
    if (const Record* voids = e.find("BREP_WITH_VOIDS")) {
      const Fields vf(e, *voids);
      for (const std::uint64_t v : vf.references(voids->values.size() - 1)) {
        guarded(v, [&] { shell(v, e.number, true, true); });
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
      guarded(face, [&] { use_face(face, e.number, forward); });
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
    if (const auto c = colours_.find(e.number); c != colours_.end()) face.colour = c->second;
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
        named(e, *r);
        for (const std::uint64_t item : Fields(e, *r).references(1)) {
          guarded(item, [&] { facets(file().parse(item, e.number), depth + 1); });
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
    const bool is_face = r.type.find("FACE") != std::string_view::npos;
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
  Omissions& omissions_;
  const std::map<std::uint64_t, std::array<float, 3>>& colours_;
  Body body_;
  std::map<std::uint64_t, std::uint32_t> face_numbers_, edge_numbers_, vertex_numbers_,
      coordinates_;
  std::map<std::uint32_t, std::uint64_t> curve_of_edge_;
  std::map<std::uint64_t, std::size_t> coordinate_counts_;
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> poly_edges_;
  std::uint32_t patches_ = 0;
};

// ---- The whole file.

class StepReader {
 public:
  StepReader(const Source& source, Progress* progress) : progress_(progress), file_(source) {}

  SurfaceModel run() {
    advance(progress_, "read", 0.1);
    sort_entries();
    read_contexts();
    read_colours();
    read_representations();
    read_structure();
    place_all();
    omissions_.write(model_);
    if (file_.repeated() > 0) {
      model_.notes.push_back(std::to_string(file_.repeated()) +
                             " entities are there more than once: the first counts");
    }
    if (model_.instances.empty() && model_.not_understood.empty()) {
      model_.notes.push_back("there is no shape in the file");
    }
    return std::move(model_);
  }

 private:
  using Numbers = std::vector<std::uint64_t>;

  // Entities by type; complex ones under each of their records.
  void sort_entries() {
    file_.for_each([&](const Part21::Entry& e) {
      if (!e.type.empty()) {
        if (is_wanted(e.type)) by_type_[e.type].push_back(e.number);
        return;
      }
      try {
        const Entity whole = file_.parse(e.number);
        for (const Record& r : whole.records) {
          if (is_wanted(r.type)) by_type_[r.type].push_back(e.number);
        }
      } catch (const EntityError& error) {
        omissions_.add("entity", error.what());
      }
    });
  }
  static bool is_wanted(std::string_view type) {
    return type.ends_with("SHAPE_REPRESENTATION") || type == "GLOBAL_UNIT_ASSIGNED_CONTEXT" ||
           type == "STYLED_ITEM" || type == "OVER_RIDING_STYLED_ITEM" ||
           type == "SHAPE_DEFINITION_REPRESENTATION" || type == "NEXT_ASSEMBLY_USAGE_OCCURRENCE" ||
           type == "CONTEXT_DEPENDENT_SHAPE_REPRESENTATION" ||
           type == "SHAPE_REPRESENTATION_RELATIONSHIP" || type == "REPRESENTATION_RELATIONSHIP" ||
           type == "REPRESENTATION";
  }
  template <class Work>
  void for_each(std::string_view type, const Work& work) {
    const auto at = by_type_.find(type);
    if (at == by_type_.end()) return;
    for (const std::uint64_t number : at->second) {
      try {
        work(file_.parse(number));
      } catch (const EntityError& error) {
        omissions_.add(std::string(type), error.what());
      }
    }
  }

  // ---- Units.

  struct Context {
    double metres = 1e-3;
    double radians = 1;
    bool has_length = false;
    std::optional<double> uncertainty;
  };

  static double prefix(std::string_view word) {
    static const std::map<std::string_view, double> kPrefixes = {
        {"EXA", 1e18},  {"PETA", 1e15},  {"TERA", 1e12},   {"GIGA", 1e9},
        {"MEGA", 1e6},  {"KILO", 1e3},   {"HECTO", 1e2},   {"DECA", 1e1},
        {"DECI", 1e-1}, {"CENTI", 1e-2}, {"MILLI", 1e-3},  {"MICRO", 1e-6},
        {"NANO", 1e-9}, {"PICO", 1e-12}, {"FEMTO", 1e-15}, {"ATTO", 1e-18}};
    const auto at = kPrefixes.find(word);
    return at == kPrefixes.end() ? 1.0 : at->second;
  }
  // Of a length in metres, of an angle in radians.
  double unit_value(std::uint64_t number, std::uint64_t asked_by, int depth) {
    const Entity e = file_.parse(number, asked_by);
    if (depth > 8) throw EntityError(number, "a unit that is made of itself");
    if (const Record* r = e.find("CONVERSION_BASED_UNIT")) {
      const std::uint64_t factor = Fields(e, *r).reference(r->values.size() - 1);
      const Entity m = file_.parse(factor, number);
      for (const Record& measure : m.records) {
        if (measure.values.size() < 2) continue;
        const Fields f(m, measure);
        return f.number(0) * unit_value(f.reference(1), factor, depth + 1);
      }
      throw EntityError(factor, "a measure with a unit is needed");
    }
    const Record& r = e.record("SI_UNIT");
    const std::size_t at = r.values.size() - 2;  // in complex entities only prefix and name
    return r.values.at(at).kind == Value::Kind::word ? prefix(r.values[at].text) : 1.0;
  }

  void read_contexts() {
    for_each("GLOBAL_UNIT_ASSIGNED_CONTEXT", [&](const Entity& e) {
      Context c;
      for (const std::uint64_t u :
           Fields(e, e.record("GLOBAL_UNIT_ASSIGNED_CONTEXT")).references(0)) {
        const Entity unit = file_.parse(u, e.number);
        if (unit.is("LENGTH_UNIT")) {
          c.metres = unit_value(u, e.number, 0);
          c.has_length = true;
        }
        if (unit.is("PLANE_ANGLE_UNIT")) c.radians = unit_value(u, e.number, 0);
      }
      if (const Record* g = e.find("GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT")) {
        for (const std::uint64_t u : Fields(e, *g).references(0)) {
          const Entity m = file_.parse(u, e.number);
          for (const Record& r : m.records) {
            if (r.values.size() < 2 || r.values[1].kind != Value::Kind::reference) continue;
            const Entity own = file_.parse(r.values[1].reference, u);
            if (!own.is("LENGTH_UNIT")) continue;
            c.uncertainty = Fields(m, r).number(0) * unit_value(r.values[1].reference, u, 0);
          }
        }
      }
      contexts_[e.number] = c;
    });
    // The model is in the unit of its first shape.
    for (const auto& [number, c] : contexts_) {
      if (!c.has_length) continue;
      model_.unit = unit_of(c.metres);
      model_.unit_assumed = false;
      break;
    }
  }
  static LengthUnit unit_of(double metres) {
    LengthUnit best = LengthUnit::millimetre;
    double off = 1e9;
    for (const LengthUnit u : {LengthUnit::millimetre, LengthUnit::metre, LengthUnit::centimetre,
                               LengthUnit::inch, LengthUnit::foot, LengthUnit::micrometre}) {
      const double ratio = std::fabs(std::log(metres_per(u) / metres));
      if (ratio < off - 1e-9) off = ratio, best = u;
    }
    return best;
  }
  [[nodiscard]] Context context_of(std::uint64_t number) const {
    const auto at = contexts_.find(number);
    return at == contexts_.end() ? Context{} : at->second;
  }

  // ---- Colours.

  void read_colours() {
    for (const std::string_view type : {"STYLED_ITEM", "OVER_RIDING_STYLED_ITEM"}) {
      for_each(type, [&](const Entity& e) {
        const Fields f(e, *e.find(e.is("STYLED_ITEM") ? "STYLED_ITEM" : "OVER_RIDING_STYLED_ITEM"));
        std::optional<std::array<float, 3>> colour;
        for (const std::uint64_t style : f.references(1)) {
          if (!colour) colour = colour_in(style, e.number, 0);
        }
        if (colour && f.has_reference(2)) colours_[f.reference(2)] = *colour;
      });
    }
  }
  std::optional<std::array<float, 3>> colour_in(std::uint64_t number, std::uint64_t asked_by,
                                                int depth) {
    if (depth > 10 || !file_.find(number)) return std::nullopt;
    const Entity e = file_.parse(number, asked_by);
    if (const Record* r = e.find("COLOUR_RGB")) {
      const Fields f(e, *r);
      return std::array<float, 3>{static_cast<float>(f.number(1)), static_cast<float>(f.number(2)),
                                  static_cast<float>(f.number(3))};
    }
    for (const Record& r : e.records) {
      for (const Value& v : r.values) {
        if (v.kind == Value::Kind::reference) {
          if (auto c = colour_in(v.reference, number, depth + 1)) return c;
        }
        for (const Value& item : v.items) {
          if (item.kind != Value::Kind::reference) continue;
          if (auto c = colour_in(item.reference, number, depth + 1)) return c;
        }
      }
    }
    return std::nullopt;
  }

  // ---- Shapes.

  struct Mapped {
    std::uint64_t representation;
    Placement placement;
  };
  struct Representation {
    std::vector<std::size_t> bodies;
    std::vector<Mapped> mapped;
  };

  void read_representations() {
    std::set<std::uint64_t> numbers;
    for (const auto& [type, list] : by_type_) {
      if (type.ends_with("SHAPE_REPRESENTATION") &&
          type != "CONTEXT_DEPENDENT_SHAPE_REPRESENTATION") {
        numbers.insert(list.begin(), list.end());
      }
    }
    std::size_t done = 0;
    for (const std::uint64_t number : numbers) {
      advance(progress_, "read",
              0.2 + 0.7 * static_cast<double>(done++) / static_cast<double>(numbers.size()));
      try {
        read_representation(number);
      } catch (const EntityError& error) {
        omissions_.add("representation", error.what());
      }
    }
  }
  StepGeometry& geometry_in(std::uint64_t context) {
    const auto at = geometries_.find(context);
    if (at != geometries_.end()) return *at->second;
    const Context c = context_of(context);
    StepUnits units;
    // Whole powers of ten, and the same unit, stay exact.
    const double ratio = c.metres / metres_per(model_.unit);
    units.length = std::fabs(ratio - std::round(ratio)) < 1e-12 * ratio ? std::round(ratio) : ratio;
    units.angle = c.radians;
    if (c.uncertainty) {
      const double own = *c.uncertainty / metres_per(model_.unit);
      model_.uncertainty = std::max(model_.uncertainty.value_or(0), own);
    }
    return *geometries_.emplace(context, std::make_unique<StepGeometry>(file_, units))
                .first->second;
  }
  void read_representation(std::uint64_t number) {
    const Entity e = file_.parse(number);
    for (const Record& r : e.records) {
      if (r.values.size() < 3 || r.values[1].kind != Value::Kind::list) continue;
      const Fields f(e, r);
      const std::uint64_t context = f.has_reference(2) ? f.reference(2) : 0;
      StepGeometry& geometry = geometry_in(context);
      Representation& own = representations_[number];
      for (const std::uint64_t item : f.references(1)) {
        try {
          read_item(item, number, geometry, own);
        } catch (const EntityError& error) {
          const auto entry = file_.find(item);
          omissions_.add(entry && !entry->type.empty() ? std::string(entry->type) : "entity",
                         error.what());
        }
      }
      return;
    }
  }
  void read_item(std::uint64_t number, std::uint64_t asked_by, StepGeometry& geometry,
                 Representation& own) {
    const auto entry = file_.find(number);
    if (entry && (entry->type == "AXIS2_PLACEMENT_3D" || entry->type == "CARTESIAN_POINT")) return;
    if (const auto known = body_of_item_.find(number); known != body_of_item_.end()) {
      own.bodies.push_back(known->second);
      return;
    }
    const Entity e = file_.parse(number, asked_by);
    if (const Record* r = e.find("MAPPED_ITEM")) {
      const Fields f(e, *r);
      const Entity map = file_.parse(f.reference(1), number);
      const Fields mf(map, map.record("REPRESENTATION_MAP"));
      own.mapped.push_back(
          {mf.reference(1), target_of(f.reference(2), number, geometry) *
                                inverse(target_of(mf.reference(0), map.number, geometry))});
      return;
    }
    BodyReader reader(geometry, omissions_, colours_);
    std::optional<Body> body = reader.read(e);
    if (!body) {
      if (is_shape(e))
        omissions_.add(std::string(e.records[0].type),
                       "#" + std::to_string(number) + ": nothing of it could be read");
      else if (!is_harmless(e))
        omissions_.add(std::string(e.records[0].type), "#" + std::to_string(number) + ": " +
                                                           std::string(e.records[0].type) +
                                                           " is not understood");
      return;
    }
    model_.bodies.push_back(std::move(*body));
    body_of_item_[number] = model_.bodies.size() - 1;
    own.bodies.push_back(model_.bodies.size() - 1);
  }
  static bool is_shape(const Entity& e) {
    return e.is("MANIFOLD_SOLID_BREP") || e.is("SHELL_BASED_SURFACE_MODEL") ||
           e.is("BREP_WITH_VOIDS") || e.is("FACETED_BREP") || e.is("FACE_BASED_SURFACE_MODEL");
  }
  static bool is_harmless(const Entity& e) {
    for (const std::string_view type :
         {"GEOMETRIC_SET", "GEOMETRIC_CURVE_SET", "CARTESIAN_POINT", "AXIS2_PLACEMENT_3D",
          "DIRECTION", "COMPOSITE_CURVE", "TRIMMED_CURVE", "POLYLINE", "LINE", "CIRCLE", "PLANE",
          "STYLED_ITEM", "DRAUGHTING_CALLOUT", "DESCRIPTIVE_REPRESENTATION_ITEM",
          "ANNOTATION_PLANE", "CAMERA_MODEL_D3"}) {
      if (e.is(type)) return true;
    }
    return false;
  }
  static Placement placement_of(const Frame& f) {
    Placement p;
    p.linear.col(0) = f.x;
    p.linear.col(1) = f.y;
    p.linear.col(2) = f.z;
    p.shift = f.origin;
    return p;
  }
  static Placement inverse(const Placement& p) {
    const Eigen::Matrix3d inverted = p.linear.inverse();
    return {inverted, -inverted * p.shift};
  }
  Placement target_of(std::uint64_t number, std::uint64_t asked_by, StepGeometry& geometry) {
    const Entity e = file_.parse(number, asked_by);
    const Record* r = e.find("CARTESIAN_TRANSFORMATION_OPERATOR_3D");
    if (r == nullptr && !e.is("CARTESIAN_TRANSFORMATION_OPERATOR")) {
      return placement_of(geometry.frame(number, asked_by));
    }
    // name, [description,] axis1, axis2, origin, scale, axis3: as one record or two.
    const Record& general = e.is("CARTESIAN_TRANSFORMATION_OPERATOR")
                                ? e.record("CARTESIAN_TRANSFORMATION_OPERATOR")
                                : *r;
    std::vector<std::uint64_t> axes;
    std::optional<Point> origin;
    double scale = 1;
    for (const Record* one : {&general, r}) {
      if (one == nullptr || (one == r && r == &general && one != &general)) continue;
      for (const Value& v : one->values) {
        if (v.kind == Value::Kind::number) scale = v.number;
        if (v.kind != Value::Kind::reference) continue;
        const auto entry = file_.find(v.reference);
        if (entry && entry->type == "CARTESIAN_POINT")
          origin = geometry.point(v.reference, number);
        else
          axes.push_back(v.reference);
      }
      if (r == &general) break;
    }
    Vector x(1, 0, 0), y(0, 1, 0);
    if (!axes.empty()) x = geometry.direction(axes[0], number);
    if (axes.size() > 1) y = geometry.direction(axes[1], number);
    Vector z = axes.size() > 2 ? geometry.direction(axes[2], number) : Vector(x.cross(y));
    const Frame f = Frame::from(origin.value_or(Point::Zero()), z, x);
    Placement p = placement_of(f);
    if (f.y.dot(y) < 0) p.linear.col(1) *= -1;
    p.linear *= scale;
    return p;
  }

  // ---- Products and assemblies.

  struct Use {
    std::uint64_t child = 0;  // product definition
    Placement placement;
    std::string name;
  };
  struct Product {
    std::string name;
    Numbers representations;
    std::vector<Use> uses;
    bool is_used = false;
  };

  std::string product_name(std::uint64_t definition) {
    try {
      const Entity d = file_.parse(definition);
      for (const Record& r : d.records) {
        if (!r.type.starts_with("PRODUCT_DEFINITION")) continue;
        const Entity formation = file_.parse(Fields(d, r).reference(2), definition);
        const std::uint64_t product = Fields(formation, formation.records.at(0)).reference(2);
        const Entity p = file_.parse(product, formation.number);
        const Fields f(p, p.record("PRODUCT"));
        return f.text(1).empty() ? f.text(0) : f.text(1);
      }
    } catch (const EntityError&) {
      // A product without a name is a product all the same.
    }
    return {};
  }

  void read_structure() {
    // Which product a representation is of.
    for_each("SHAPE_DEFINITION_REPRESENTATION", [&](const Entity& e) {
      const Fields f(e, e.record("SHAPE_DEFINITION_REPRESENTATION"));
      const Entity shape = file_.parse(f.reference(0), e.number);
      if (!shape.is("PRODUCT_DEFINITION_SHAPE")) return;
      const std::uint64_t definition =
          Fields(shape, shape.record("PRODUCT_DEFINITION_SHAPE")).reference(2);
      const Entity d = file_.parse(definition, shape.number);
      if (d.records.empty() || !d.records[0].type.starts_with("PRODUCT_DEFINITION") ||
          d.is("PRODUCT_DEFINITION_SHAPE"))
        return;
      Product& p = products_[definition];
      if (p.name.empty()) p.name = product_name(definition);
      p.representations.push_back(f.reference(1));
      product_of_[f.reference(1)] = definition;
    });
    // Representations that are the same shape.
    for (const std::string_view type :
         {"SHAPE_REPRESENTATION_RELATIONSHIP", "REPRESENTATION_RELATIONSHIP"}) {
      for_each(type, [&](const Entity& e) {
        if (e.records.size() > 1) return;  // with a transformation: below
        const Fields f(e, e.records[0]);
        same_as_[f.reference(2)].push_back(f.reference(3));
        same_as_[f.reference(3)].push_back(f.reference(2));
      });
    }
    std::map<std::uint64_t, std::pair<std::uint64_t, std::uint64_t>> occurrences;  // parent, child
    std::map<std::uint64_t, std::string> names;
    for_each("NEXT_ASSEMBLY_USAGE_OCCURRENCE", [&](const Entity& e) {
      const Fields f(e, e.record("NEXT_ASSEMBLY_USAGE_OCCURRENCE"));
      occurrences[e.number] = {f.reference(3), f.reference(4)};
      names[e.number] = f.text(1);
    });
    std::set<std::uint64_t> placed;
    for_each("CONTEXT_DEPENDENT_SHAPE_REPRESENTATION", [&](const Entity& e) {
      const Fields f(e, e.record("CONTEXT_DEPENDENT_SHAPE_REPRESENTATION"));
      const Entity shape = file_.parse(f.reference(1), e.number);
      const std::uint64_t occurrence =
          Fields(shape, shape.record("PRODUCT_DEFINITION_SHAPE")).reference(2);
      const auto at = occurrences.find(occurrence);
      if (at == occurrences.end()) return;
      const auto [parent, child] = at->second;
      add_use(parent, {child, relative_placement(f.reference(0), e.number, parent, child),
                       names[occurrence]});
      placed.insert(occurrence);
    });
    for (const auto& [number, pair] : occurrences) {
      if (!placed.contains(number)) add_use(pair.first, {pair.second, {}, names[number]});
    }
  }
  void add_use(std::uint64_t parent, Use use) {
    Product& child = products_[use.child];
    child.is_used = true;
    if (child.name.empty()) child.name = product_name(use.child);
    Product& p = products_[parent];
    if (p.name.empty()) p.name = product_name(parent);
    p.uses.push_back(std::move(use));
  }
  Placement relative_placement(std::uint64_t number, std::uint64_t asked_by, std::uint64_t parent,
                               std::uint64_t child) {
    const Entity e = file_.parse(number, asked_by);
    const Record* relation = e.find("REPRESENTATION_RELATIONSHIP");
    const Record* transformation = e.find("REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION");
    if (relation == nullptr || transformation == nullptr) return {};
    const Fields f(e, *relation);
    const std::uint64_t first = f.reference(2), second = f.reference(3);
    const Entity t = file_.parse(Fields(e, *transformation).reference(0), number);
    const Record* items = t.find("ITEM_DEFINED_TRANSFORMATION");
    if (items == nullptr) return target_of(t.number, number, geometry_of(second));
    const Fields tf(t, *items);
    const Placement a = target_of(tf.reference(2), t.number, geometry_of(first));
    const Placement b = target_of(tf.reference(3), t.number, geometry_of(second));
    // From the first to the second; which of them is the child's is told by the products.
    const auto is_of = [&](std::uint64_t representation, std::uint64_t product) {
      const auto at = product_of_.find(representation);
      return at != product_of_.end() && at->second == product;
    };
    const bool reversed = is_of(first, parent) && is_of(second, child);
    return reversed ? a * inverse(b) : b * inverse(a);
  }
  StepGeometry& geometry_of(std::uint64_t representation) {
    const Entity e = file_.parse(representation);
    for (const Record& r : e.records) {
      if (r.values.size() > 2 && r.values[2].kind == Value::Kind::reference)
        return geometry_in(r.values[2].reference);
    }
    return geometry_in(0);
  }

  void place_all() {
    for (const auto& [definition, product] : products_) {
      if (!product.is_used) place_product(definition, {}, product.name, 0);
    }
    // Shapes that belong to no product.
    for (const auto& [number, representation] : representations_) {
      if (!placed_.contains(number) && !is_mapped(number)) place_representation(number, {}, {}, 0);
    }
    name_instances();
  }
  [[nodiscard]] bool is_mapped(std::uint64_t number) const {
    for (const auto& [other, r] : representations_) {
      for (const Mapped& m : r.mapped) {
        if (m.representation == number) return true;
      }
    }
    return false;
  }
  void place_product(std::uint64_t definition, const Placement& placement, const std::string& name,
                     int level) {
    if (level > kMostLevels) {
      omissions_.add(
          "NEXT_ASSEMBLY_USAGE_OCCURRENCE",
          "assemblies in one another more than " + std::to_string(kMostLevels) + " levels deep");
      return;
    }
    const auto at = products_.find(definition);
    if (at == products_.end()) return;
    std::set<std::uint64_t> seen;
    Numbers pending = at->second.representations;
    for (std::size_t i = 0; i < pending.size(); ++i) {
      if (!seen.insert(pending[i]).second) continue;
      place_representation(pending[i], placement, name, 0);
      const auto same = same_as_.find(pending[i]);
      if (same == same_as_.end()) continue;
      for (const std::uint64_t other : same->second) {
        // Not into another product's shape.
        const auto owner = product_of_.find(other);
        if (owner == product_of_.end() || owner->second == definition) pending.push_back(other);
      }
    }
    for (const Use& use : at->second.uses) {
      const auto child = products_.find(use.child);
      std::string own = child != products_.end() ? child->second.name : std::string();
      if (own.empty()) own = use.name;
      place_product(use.child, placement * use.placement, own, level + 1);
    }
  }
  void place_representation(std::uint64_t number, const Placement& placement,
                            const std::string& name, int depth) {
    const auto at = representations_.find(number);
    if (at == representations_.end() || depth > kMostLevels) return;
    placed_.insert(number);
    for (const std::size_t body : at->second.bodies) {
      if (model_.instances.size() >= kMostInstances) {
        omissions_.add("instance", "more than " + std::to_string(kMostInstances) +
                                       " shapes are placed: the rest is left out");
        return;
      }
      std::string own = name.empty() ? model_.bodies[body].name : name;
      if (at->second.bodies.size() > 1 && !name.empty() && !model_.bodies[body].name.empty() &&
          model_.bodies[body].name != name) {
        own += "/" + model_.bodies[body].name;
      }
      model_.instances.push_back({body, placement, own});
    }
    for (const Mapped& m : at->second.mapped)
      place_representation(m.representation, placement * m.placement, name, depth + 1);
  }
  // Several of one name are numbered.
  void name_instances() {
    std::map<std::string, std::size_t> count, next;
    for (const BodyInstance& i : model_.instances) ++count[i.name];
    for (BodyInstance& i : model_.instances) {
      if (count[i.name] > 1 && !i.name.empty()) i.name += "-" + std::to_string(++next[i.name]);
    }
  }

  Progress* progress_;
  Part21 file_;
  SurfaceModel model_;
  Omissions omissions_;
  std::map<std::string_view, Numbers> by_type_;
  std::map<std::uint64_t, Context> contexts_;
  std::map<std::uint64_t, std::array<float, 3>> colours_;
  std::map<std::uint64_t, std::unique_ptr<StepGeometry>> geometries_;
  std::map<std::uint64_t, Representation> representations_;
  std::map<std::uint64_t, std::size_t> body_of_item_;
  std::map<std::uint64_t, Product> products_;
  std::map<std::uint64_t, std::uint64_t> product_of_;  // by representation
  std::map<std::uint64_t, Numbers> same_as_;
  std::set<std::uint64_t> placed_;
};

}  // namespace

SurfaceModel read_step(const Source& source, const ReadOptions& /*options*/, Progress* progress) {
  return StepReader(source, progress).run();
}

}  // namespace aguja
