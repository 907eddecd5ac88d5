#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <numbers>
#include <set>

#include <Eigen/Geometry>

#include "aguja/formats/read_surfaces.h"
#include "aguja/surface/heal.h"
#include "formats/iges_geometry.h"
#include "surface/limits.h"

namespace aguja {
namespace {

using detail::IgesEntity;
using detail::IgesError;
using detail::IgesFile;
using detail::IgesGeometry;
using detail::IgesValues;

constexpr int kMostDepth = detail::IgesGeometry::kMostDepth;
// Subfigures and solids placed, with those in one another.
constexpr std::size_t kMostIgesInstances = 200000;

class IgesReader {
 public:
  IgesReader(const Source& source, Progress* progress)
      : progress_(progress), file_(source), geometry_(file_) {}

  SurfaceModel run() {
    const IgesFile::Global& g = file_.global();
    set_unit(g);
    const double stated = g.resolution * geometry_.scale();
    if (stated > 0) model_.uncertainty = stated;
    find_used();
    find_groups();
    std::size_t done = 0;
    for (const IgesEntity& e : file_.entities()) {
      if (done++ % 256 == 0)
        advance(
            progress_, "read",
            0.1 + 0.9 * static_cast<double>(done) / static_cast<double>(file_.entities().size()));
      if (used_.contains(e.number)) continue;
      if (e.is_blank) {
        blank_ += has_shape(e.type);
        continue;
      }
      loose_curves_ += is_curve(e.type) && e.type != 116;
      const bool is_read = guarded(e, [&] { top_level(e); });
      if (!is_read && has_shape(e.type)) model_.not_read.push_back(e.number);
    }
    finish();
    return std::move(model_);
  }

 private:
  void set_unit(const IgesFile::Global& g) {
    model_.unit = nearest_length_unit(g.metres);
    model_.unit_assumed = !g.has_unit;
    const double ratio = g.metres / metres_per(model_.unit);
    // The model is drawn at a scale of its own.
    geometry_.set_scale((std::fabs(ratio - 1) < kSameParameter ? 1 : ratio) / g.scale);
  }

  template <class Work>
  bool guarded(const IgesEntity& e, const Work& work) {
    try {
      work();
      return true;
    } catch (const IgesError& error) {
      omit(e, error.what());
    } catch (const ArgumentError& error) {
      omit(e, "D" + std::to_string(e.number) + ": " + error.what());
    }
    return false;
  }
  void omit(const IgesEntity& e, const std::string& why) {
    ++omitted_["type " + std::to_string(e.type)];
    if (notes_ < 20 && told_.insert(e.type).second) {
      model_.notes.push_back(why);
      ++notes_;
    }
  }

  // What others are made of is no face or curve by itself.
  void find_used() {
    for (const IgesEntity& e : file_.entities()) {
      if (e.is_dependent && e.type != 144 && e.type != 143 && e.type != 186) used_.insert(e.number);
      try {
        for (const std::uint64_t part : detail::made_of(e)) used_.insert(part);
      } catch (const IgesError&) {
        // Told when it is made.
      }
    }
  }

  static bool has_shape(int type) {
    return is_surface(type) || type == 186 || type == 184 || type == 430 || type == 514 ||
           type == 144 || type == 143 || type == 408;
  }
  static bool is_surface(int type) {
    return type == 114 || type == 118 || type == 120 || type == 122 || type == 128 || type == 140 ||
           type == 190 || type == 192 || type == 194 || type == 196 || type == 198 || type == 108;
  }

  void top_level(const IgesEntity& e) {
    if (e.type == 186) {
      solid(e);
    } else if (e.type == 514) {
      begin_body(e);
      shell(e.number, e.number, false, false, true);
      end_body();
    } else if (e.type == 144 || e.type == 143 || e.type == 510 || is_surface(e.type)) {
      if (e.type == 108 && IgesValues(e).pointer(4) == 0) return;  // a plane without a bound
      add_loose_face(e);
    } else if (e.type == 408) {
      subfigure(e, {}, 0);
    } else if (e.type == 184 || e.type == 430) {
      placed_solid(e, {}, 0);
    } else if (is_curve(e.type) || is_silent(e.type)) {
      return;
    } else {
      ++omitted_["type " + std::to_string(e.type)];
    }
  }
  static bool is_curve(int type) {
    return type == 100 || type == 102 || type == 104 || type == 106 || type == 110 || type == 112 ||
           type == 116 || type == 126 || type == 130 || type == 142 || type == 141;
  }
  // Properties, colours, matrices, views, notes: nothing with a shape.
  static bool is_silent(int type) {
    return type == 124 || type == 123 || type == 314 || type == 406 || type == 402 || type == 404 ||
           type == 410 || type == 308 || type == 502 || type == 504 || type == 508 || type == 212 ||
           type == 0 || type == 304 || type == 312 || type == 302 || type == 310 ||
           (type >= 202 && type <= 230);
  }

  // ---- Faces.

  // Loose faces are one body: what belongs together is sewn later.
  void add_loose_face(const IgesEntity& e) {
    if (!loose_) {
      loose_.emplace();
      loose_->shells.emplace_back();
    }
    const std::size_t edges = loose_->edges.size(), vertices = loose_->vertices.size();
    try {
      Face face = make_face(e, *loose_);
      if (e.matrix != 0 && (e.type == 144 || e.type == 143))
        move(geometry_.matrix(e.matrix, e.number), face, edges, vertices, *loose_);
      face.colour = colour_of(e);
      face.layer = layer_of(e);
      add_groups(e.number, face.groups);
      loose_->faces.push_back(std::move(face));
      loose_->shells[0].faces.push_back(
          {static_cast<std::uint32_t>(loose_->faces.size() - 1), true});
    } catch (...) {
      loose_->edges.resize(edges);
      loose_->vertices.resize(vertices);
      throw;
    }
  }
  // A face with its edges and vertices, which begin at these numbers.
  static void move(const Placement& place, Face& face, std::size_t edges, std::size_t vertices,
                   Body& body) {
    if (place.is_identity()) return;
    face.surface = make_moved(face.surface, place);
    for (std::size_t i = edges; i < body.edges.size(); ++i)
      body.edges[i].curve = make_moved(body.edges[i].curve, place);
    for (std::size_t i = vertices; i < body.vertices.size(); ++i)
      body.vertices[i].point = place(body.vertices[i].point);
  }

  Face make_face(const IgesEntity& e, Body& body) {
    Face face;
    face.entity = e.number;
    face.name = name_of(e);
    // Boundaries of trimmed surfaces say which of them is the outer one, and mostly not more.
    face.loops_directed = false;
    const IgesValues v(e);
    if (e.type == 144) {
      face.surface = geometry_.surface(v.pointer(0), e.number);
      const bool has_outer = v.integer(1) != 0;
      const std::size_t inner = v.size(2);
      if (has_outer) add_loops(v.pointer(3), e.number, face, body);
      if (!has_outer && inner > 0)
        face.loops = put_into(body, natural_bounds(face.surface, body, e.number));
      for (std::size_t i = 0; i < inner; ++i) add_loops(v.pointer(4 + i), e.number, face, body);
      if (!has_outer && inner == 0)
        face.loops = put_into(body, natural_bounds(face.surface, body, e.number));
    } else if (e.type == 143) {
      face.surface = geometry_.surface(v.pointer(1), e.number);
      for (std::size_t i = 0, n = v.size(2); i < n; ++i)
        add_loops(v.pointer(3 + i), e.number, face, body);
    } else if (e.type == 108) {
      face.surface = geometry_.surface(e.number, e.number);
      add_loops(v.pointer(4), e.number, face, body);
    } else if (e.type == 510) {
      throw IgesError(e.number, "a face outside of a shell");
    } else {
      face.surface = geometry_.surface(e.number, e.number);
      face.loops = put_into(body, natural_bounds(face.surface, body, e.number));
    }
    return face;
  }

  // Boundaries: curves on a surface (142), boundaries (141), or plain curves.
  void add_loops(std::uint64_t number, std::uint64_t asked_by, Face& face, Body& body) {
    const IgesEntity& e = file_.entity(number, asked_by);
    const IgesValues v(e);
    FaceLoop loop;
    loop.entity = number;
    if (e.type == 142) {
      const std::uint64_t in_parameters = v.pointer(2), in_space = v.pointer(3);
      if (in_space != 0) add_curve(curve_or_null(in_space, number), in_space, loop, body);
      if (!loop.edges.empty()) {
        // Of the whole loop: which piece belongs to which edge is told by being near.
        const CurvePtr flat = flat_curve(v.pointer(1), in_parameters, number);
        for (EdgeUseOfFace& u : loop.edges) u.in_parameters = flat;
      }
      if (loop.edges.empty() && in_parameters != 0) {
        const auto law = geometry_.parameters(v.pointer(1), number);
        if (!law)
          throw IgesError(number, "a boundary in parameters that do not follow those used here");
        add_pieces(face.surface, geometry_.curve(in_parameters, number, true), *law, loop, body,
                   number);
      }
      if (loop.edges.empty() && in_space != 0)
        add_curve(geometry_.curve(in_space, number), in_space, loop, body);
    } else if (e.type == 141) {
      const std::size_t n = v.size(3);
      std::size_t at = 4;
      for (std::size_t i = 0; i < n; ++i) {
        const std::uint64_t c = v.pointer(at);
        const bool reversed = v.integer(at + 1, 1) == 2;
        const std::size_t more = v.size(at + 2);
        const std::size_t first_flat = at + 3, before = loop.edges.size();
        at += 3 + more;
        CurvePtr space = geometry_.curve(c, number);
        if (reversed) space = make_composite({{space, space->domain(), false}});
        add_curve(space, c, loop, body);
        if (more != 1 || loop.edges.size() != before + 1) continue;
        loop.edges.back().in_parameters = flat_curve(v.pointer(2), v.pointer(first_flat), number);
      }
    } else {
      add_curve(geometry_.curve(number, asked_by), number, loop, body);
    }
    if (loop.edges.empty()) throw IgesError(number, "a boundary without curves");
    close_loop(loop, body);
    face.loops.push_back(std::move(loop));
  }
  CurvePtr curve_or_null(std::uint64_t number, std::uint64_t asked_by) {
    try {
      return geometry_.curve(number, asked_by);
    } catch (const IgesError&) {
      return nullptr;
    } catch (const ArgumentError&) {
      return nullptr;
    }
  }
  // A curve in parameters that is compared only: what is not understood of it is none.
  CurvePtr flat_curve(std::uint64_t surface, std::uint64_t number, std::uint64_t asked_by) {
    if (number == 0) return nullptr;
    try {
      const auto law = geometry_.parameters(surface, asked_by);
      return law ? mapped(geometry_.curve(number, asked_by, true), *law) : nullptr;
    } catch (const IgesError&) {
      return nullptr;
    } catch (const ArgumentError&) {
      return nullptr;
    }
  }
  static CurvePtr mapped(const CurvePtr& flat, const Placement& law) {
    return law.is_identity() ? flat : make_moved(flat, law);
  }
  void add_pieces(const SurfacePtr& surface, const CurvePtr& flat, const Placement& law,
                  FaceLoop& loop, Body& body, std::uint64_t entity) {
    // At corners in parameters there is a vertex.
    const Interval d = flat->domain();
    if (flat->kind() == CurveKind::composite) {
      for (double t = d.low; t + 0.5 < d.high; t += 1) {
        add_edge(make_curve_on_surface(surface, mapped(make_trimmed(flat, {t, t + 1}), law)), loop,
                 body, entity);
      }
      return;
    }
    add_edge(make_curve_on_surface(surface, mapped(flat, law)), loop, body, entity);
  }

  // A composite curve is an edge per piece.
  void add_curve(const CurvePtr& c, std::uint64_t entity, FaceLoop& loop, Body& body) {
    if (!c) return;
    const Interval d = c->domain();
    if (!d.is_finite()) throw IgesError(entity, "a boundary curve without ends");
    if (c->kind() == CurveKind::composite && d.high > 1.5) {
      for (double t = d.low; t + 0.5 < d.high; t += 1)
        add_edge(make_trimmed(c, {t, t + 1}), loop, body, entity);
      return;
    }
    add_edge(c, loop, body, entity);
  }
  void add_edge(const CurvePtr& c, FaceLoop& loop, Body& body, std::uint64_t entity) {
    const Interval d = c->domain();
    BodyEdge edge;
    edge.curve = c;
    edge.from = d.low;
    edge.to = d.high;
    edge.entity = entity;
    const Point a = c->point(d.low), b = c->point(d.high);
    if (!a.allFinite() || !b.allFinite()) throw IgesError(entity, "a curve whose ends are nowhere");
    const double bulge = (c->point(d.middle()) - 0.5 * (a + b)).norm();
    if ((a - b).norm() == 0 && bulge == 0) return;  // a pole
    edge.start = static_cast<std::uint32_t>(body.vertices.size());
    body.vertices.push_back({a, 0});
    if ((a - b).norm() <= kSamePlace * bulge) {
      edge.end = edge.start;
    } else {
      edge.end = static_cast<std::uint32_t>(body.vertices.size());
      body.vertices.push_back({b, 0});
    }
    body.edges.push_back(edge);
    loop.edges.push_back({static_cast<std::uint32_t>(body.edges.size() - 1), true, nullptr});
  }
  // Pieces of one loop follow each other: the end of one is the start of the next, and runs against
  // it where the file has it so.
  void close_loop(FaceLoop& loop, Body& body) {
    const std::size_t n = loop.edges.size();
    if (n < 2) return;
    const auto start = [&](const EdgeUseOfFace& u) {
      return u.forward ? body.edges[u.edge].start : body.edges[u.edge].end;
    };
    const auto end = [&](const EdgeUseOfFace& u) {
      return u.forward ? body.edges[u.edge].end : body.edges[u.edge].start;
    };
    const auto distance = [&](std::uint32_t a, std::uint32_t b) {
      return (body.vertices[a].point - body.vertices[b].point).norm();
    };
    // The first runs so that its end is nearer to the second.
    EdgeUseOfFace &first = loop.edges[0], &second = loop.edges[1];
    const double ahead =
        std::min(distance(end(first), start(second)), distance(end(first), end(second)));
    const double behind =
        std::min(distance(start(first), start(second)), distance(start(first), end(second)));
    if (behind < ahead) first.forward = false;
    for (std::size_t i = 1; i < n; ++i) {
      EdgeUseOfFace& u = loop.edges[i];
      const std::uint32_t last = end(loop.edges[i - 1]);
      if (distance(last, end(u)) < distance(last, start(u))) u.forward = false;
    }
    // Reversed first edges of a loop that the file runs backwards as a whole stay as they are.
    for (std::size_t i = 0; i < n; ++i) {
      const EdgeUseOfFace &u = loop.edges[i], &next = loop.edges[(i + 1) % n];
      const std::uint32_t a = end(u), b = start(next);
      if (a == b) continue;
      const double size = distance(start(u), end(u)) + distance(start(next), end(next));
      if (distance(a, b) > kEndElsewhere * size + uncertainty()) continue;  // open there
      for (BodyEdge& e : body.edges) {
        if (e.start == b) e.start = a;
        if (e.end == b) e.end = a;
      }
    }
  }
  [[nodiscard]] double uncertainty() const { return model_.uncertainty.value_or(0); }

  // ---- Manifold solids: 186, 514, 510, 508, 504, 502.

  void begin_body(const IgesEntity& e) {
    body_ = {};
    body_.entity = e.number;
    body_.name = name_of(e);
    vertex_at_.clear();
    edge_at_.clear();
    face_at_.clear();
  }
  void end_body() {
    if (body_.faces.empty()) return;
    for (Face& face : body_.faces) {
      add_groups(face.entity, face.groups);
      add_groups(body_.entity, face.groups);
    }
    model_.bodies.push_back(std::move(body_));
    model_.instances.push_back({model_.bodies.size() - 1, {}, model_.bodies.back().name});
  }
  void solid(const IgesEntity& e) {
    begin_body(e);
    const IgesValues v(e);
    shell(v.pointer(0), e.number, true, false, v.integer(1, 1) != 0);
    for (std::size_t i = 0, n = v.size(2); i < n; ++i) {
      shell(v.pointer(3 + 2 * i), e.number, true, true, v.integer(4 + 2 * i, 1) != 0);
    }
    end_body();
  }
  void shell(std::uint64_t number, std::uint64_t asked_by, bool closed, bool is_void,
             bool forward) {
    const IgesEntity& e = file_.entity(number, asked_by);
    if (e.type != 514) throw IgesError(number, "is no shell");
    BodyShell s;
    s.entity = number;
    s.meant_closed = closed;
    s.is_void = is_void;
    body_.shells.push_back(s);
    const IgesValues v(e);
    for (std::size_t i = 0, n = v.size(0); i < n; ++i) {
      const IgesEntity& face = file_.entity(v.pointer(1 + 2 * i), number);
      const bool own = v.integer(2 + 2 * i, 1) != 0;
      const bool is_read = guarded(face, [&] {
        auto at = face_at_.find(face.number);
        if (at == face_at_.end()) {
          body_.faces.push_back(solid_face(face));
          at = face_at_.emplace(face.number, static_cast<std::uint32_t>(body_.faces.size() - 1))
                   .first;
        }
        body_.shells.back().faces.push_back({at->second, own == forward});
      });
      if (!is_read) body_.not_read.push_back(face.number);
    }
    settle_loops(body_.shells.back());
  }
  // Loops run with the face on their left. Some writers see that against the surface's normal, as
  // the standard has it, others against that of the face as the shell uses it: neighbours tell,
  // since they run along their edge in opposite ways.
  void settle_loops(BodyShell& s) {
    std::map<std::uint32_t, std::vector<std::pair<bool, bool>>>
        uses;  // way of the edge, of the face
    for (const BodyShell::Use& u : s.faces) {
      for (const FaceLoop& l : body_.faces[u.face].loops) {
        for (const EdgeUseOfFace& e : l.edges) uses[e.edge].emplace_back(e.forward, u.forward);
      }
    }
    std::size_t against_surface = 0, against_face = 0;  // neighbours that disagree, either way
    for (const auto& [edge, list] : uses) {
      if (list.size() != 2) continue;
      const bool opposite = list[0].first != list[1].first;
      against_face += !opposite;
      against_surface += opposite != (list[0].second == list[1].second);
    }
    if (against_face >= against_surface) return;
    for (BodyShell::Use& u : s.faces) {
      body_.faces[u.face].same_sense = u.forward;
      u.forward = true;
    }
  }
  Face solid_face(const IgesEntity& e) {
    if (e.type != 510) throw IgesError(e.number, "is no face");
    const IgesValues v(e);
    Face face;
    face.entity = e.number;
    face.name = name_of(e);
    face.colour = colour_of(e);
    face.layer = layer_of(e);
    face.surface = geometry_.surface(v.pointer(0), e.number);
    for (std::size_t i = 0, n = v.size(1); i < n; ++i)
      face.loops.push_back(solid_loop(v.pointer(3 + i), v.pointer(0), e.number));
    return face;
  }
  FaceLoop solid_loop(std::uint64_t number, std::uint64_t surface, std::uint64_t asked_by) {
    const IgesEntity& e = file_.entity(number, asked_by);
    if (e.type != 508) throw IgesError(number, "is no loop");
    const IgesValues v(e);
    FaceLoop loop;
    loop.entity = number;
    std::size_t at = 1;
    for (std::size_t i = 0, n = v.size(0); i < n; ++i) {
      const bool is_vertex = v.integer(at, 0) == 1;
      const std::uint64_t list = v.pointer(at + 1);
      const int index = v.integer(at + 2);
      const bool forward = v.integer(at + 3, 1) != 0;
      const std::size_t curves = v.size(at + 4), first_flat = at + 6;
      at += 5 + 2 * curves;
      if (is_vertex) {
        if (n == 1) loop.vertex = vertex(list, index, number);
        continue;
      }
      loop.edges.push_back(
          {solid_edge(list, index, number), forward,
           curves == 1 ? flat_curve(surface, v.pointer(first_flat), number) : nullptr});
    }
    return loop;
  }
  std::uint32_t vertex(std::uint64_t list, int index, std::uint64_t asked_by) {
    const auto key = std::pair(list, index);
    if (const auto at = vertex_at_.find(key); at != vertex_at_.end()) return at->second;
    const IgesEntity& e = file_.entity(list, asked_by);
    if (e.type != 502) throw IgesError(list, "is no list of vertices");
    const IgesValues v(e);
    if (index < 1 || static_cast<std::size_t>(index) > v.size(0))
      throw IgesError(asked_by, "names vertex " + std::to_string(index) + " of a list of " +
                                    std::to_string(v.size(0)));
    body_.vertices.push_back(
        {IgesGeometry::point(v, 1 + 3 * static_cast<std::size_t>(index - 1), geometry_.scale()),
         list});
    return vertex_at_[key] = static_cast<std::uint32_t>(body_.vertices.size() - 1);
  }
  std::uint32_t solid_edge(std::uint64_t list, int index, std::uint64_t asked_by) {
    const auto key = std::pair(list, index);
    if (const auto at = edge_at_.find(key); at != edge_at_.end()) return at->second;
    const IgesEntity& e = file_.entity(list, asked_by);
    if (e.type != 504) throw IgesError(list, "is no list of edges");
    const IgesValues v(e);
    if (index < 1 || static_cast<std::size_t>(index) > v.size(0))
      throw IgesError(asked_by, "names edge " + std::to_string(index) + " of a list of " +
                                    std::to_string(v.size(0)));
    const std::size_t at = 1 + 5 * static_cast<std::size_t>(index - 1);
    BodyEdge edge;
    edge.entity = list;
    edge.curve = geometry_.curve(v.pointer(at), list);
    edge.start = vertex(v.pointer(at + 1), v.integer(at + 2), list);
    edge.end = vertex(v.pointer(at + 3), v.integer(at + 4), list);
    const Interval d = edge.curve->domain();
    if (!d.is_finite()) throw IgesError(list, "an edge on a curve without ends");
    edge.from = d.low;
    edge.to = d.high;
    // The curve may run on beyond its vertices, or the other way.
    const Point a = body_.vertices[edge.start].point, b = body_.vertices[edge.end].point;
    if (edge.start != edge.end) {
      const double there =
          (edge.curve->point(d.low) - a).norm() + (edge.curve->point(d.high) - b).norm();
      const double back =
          (edge.curve->point(d.low) - b).norm() + (edge.curve->point(d.high) - a).norm();
      if (back < there) std::swap(edge.from, edge.to);
      const double size = (a - b).norm();
      if (std::min(there, back) > kEndElsewhere * size) {
        edge.from = nearest_parameter(*edge.curve, d, a);
        edge.to = nearest_parameter(*edge.curve, d, b);
      }
    }
    body_.edges.push_back(edge);
    return edge_at_[key] = static_cast<std::uint32_t>(body_.edges.size() - 1);
  }

  // ---- Subfigures: what they hold, placed again.

  void check_placing(const IgesEntity& e, int depth) {
    if (depth > kMostDepth)
      throw IgesError(e.number,
                      "placed in one another more than " + std::to_string(kMostDepth) + " deep");
    if (++placed_ > kMostIgesInstances)
      throw IgesError(e.number, "more than " + std::to_string(kMostIgesInstances) + " are placed");
  }
  void subfigure(const IgesEntity& e, const Placement& outer, int depth) {
    check_placing(e, depth);
    const IgesValues v(e);
    Placement own;
    own.linear *= v.number(4, 1.0);
    own.shift = Vector(v.number(1, 0.0), v.number(2, 0.0), v.number(3, 0.0)) * geometry_.scale();
    const Placement place = outer * geometry_.matrix(e.matrix, e.number) * own;
    if (!place.is_regular()) throw IgesError(e.number, "flattens what it places, or is not finite");
    const IgesEntity& definition = file_.entity(v.pointer(0), e.number);
    if (definition.type != 308) throw IgesError(definition.number, "is no subfigure definition");
    const IgesValues d(definition);
    const std::size_t n = d.size(2);
    std::optional<Body> outer_loose = std::move(loose_);
    loose_.reset();
    for (std::size_t i = 0; i < n; ++i) {
      const IgesEntity& part = file_.entity(d.pointer(3 + i), definition.number);
      guarded(part, [&] {
        if (part.type == 408) return subfigure(part, place, depth + 1);
        const std::size_t before = model_.instances.size();
        top_level(part);
        for (std::size_t k = before; k < model_.instances.size(); ++k)
          model_.instances[k].placement = place * model_.instances[k].placement;
      });
    }
    if (loose_) {
      model_.bodies.push_back(std::move(*loose_));
      model_.instances.push_back({model_.bodies.size() - 1, place, definition.label});
    }
    loose_ = std::move(outer_loose);
  }

  // A solid placed again (430), or several of them (184).
  void placed_solid(const IgesEntity& e, const Placement& outer, int depth) {
    check_placing(e, depth);
    const IgesValues v(e);
    const Placement place = outer * geometry_.matrix(e.matrix, e.number);
    if (e.type == 430) return placed_solid(file_.entity(v.pointer(0), e.number), place, depth + 1);
    if (e.type == 184) {
      const std::size_t n = v.size(0);
      for (std::size_t i = 0; i < n; ++i) {
        const IgesEntity& part = file_.entity(v.pointer(1 + i), e.number);
        guarded(part, [&] {
          placed_solid(part, place * geometry_.matrix(v.pointer(1 + n + i), e.number), depth + 1);
        });
      }
      return;
    }
    if (e.type != 186) throw IgesError(e.number, "is no solid with a boundary");
    const std::size_t before = model_.instances.size();
    solid(e);
    for (std::size_t i = before; i < model_.instances.size(); ++i)
      model_.instances[i].placement = outer * model_.instances[i].placement;
  }

  // Groups (402 forms 1, 7, 14, 15) that have a name, by member.
  void find_groups() {
    for (const IgesEntity& e : file_.entities()) {
      if (e.type != 402 || (e.form != 1 && e.form != 7 && e.form != 14 && e.form != 15)) continue;
      const std::string name = name_of(e);
      guarded(e, [&] {
        const IgesValues v(e);
        for (std::size_t i = 0, n = v.size(0); i < n; ++i)
          groups_of_[v.pointer(1 + i)].push_back({e.number, name});
      });
    }
  }
  void add_groups(std::uint64_t member, std::vector<std::string>& names, int depth = 0) const {
    const auto at = groups_of_.find(member);
    if (at == groups_of_.end() || depth > 8) return;
    for (const auto& [number, name] : at->second) {
      if (!name.empty() && std::find(names.begin(), names.end(), name) == names.end())
        names.push_back(name);
      add_groups(number, names, depth + 1);
    }
  }

  std::optional<Rgb> colour_of(const IgesEntity& e) {
    constexpr std::array<Rgb, 9> kColours = {{{0, 0, 0},
                                              {0, 0, 0},
                                              {1, 0, 0},
                                              {0, 1, 0},
                                              {0, 0, 1},
                                              {1, 1, 0},
                                              {1, 0, 1},
                                              {0, 1, 1},
                                              {1, 1, 1}}};
    if (e.color > 0 && e.color <= 8) return kColours[static_cast<std::size_t>(e.color)];
    if (e.color >= 0) return std::nullopt;
    try {
      const IgesEntity& c = file_.entity(static_cast<std::uint64_t>(-e.color), e.number);
      if (c.type != 314) return std::nullopt;
      const IgesValues v(c);
      return Rgb{static_cast<float>(v.number(0) / 100), static_cast<float>(v.number(1) / 100),
                 static_cast<float>(v.number(2) / 100)};
    } catch (const IgesError&) {
      return std::nullopt;
    }
  }

  // What a property (406 forms 7, 9, 15) calls it, else the label. Pointers to properties follow an
  // entity's own values, behind those to associativities.
  std::string name_of(const IgesEntity& e) {
    const IgesValues v(e);
    try {
      const auto own = [&]() -> std::size_t {
        switch (e.type) {
          case 143:
            return 3 + v.size(2);
          case 144:
            return 4 + v.size(2);
          case 186:
            return 3 + 2 * v.size(2);
          case 402:
            return 1 + v.size(0);
          case 510:
            return 3 + v.size(1);
          default:
            return v.count();
        }
      }();
      if (own >= v.count()) return e.label;
      const std::size_t properties = own + 1 + v.size(own);
      if (properties >= v.count()) return e.label;
      for (std::size_t i = 1, n = v.size(properties); i <= n; ++i) {
        const IgesEntity& p = file_.entity(v.pointer(properties + i), e.number);
        // A name; a designator; the first of four part numbers.
        if (p.type == 406 && (p.form == 15 || p.form == 7 || p.form == 9) && p.values.size() > 1)
          return detail::counted_text(p.values[1]);
      }
    } catch (const IgesError&) {
      // What is wrong behind an entity's own values takes away a name at most.
    }
    return e.label;
  }

  // Levels are numbers; a property (406 form 3) may name what one is for.
  std::string layer_of(const IgesEntity& e) {
    if (!level_names_) {
      level_names_.emplace();
      for (const IgesEntity& p : file_.entities()) {
        if (p.type != 406 || p.form != 3 || p.values.size() < 3) continue;
        level_names_->try_emplace(p.level, detail::counted_text(p.values[2]));
      }
    }
    int level = e.level;
    if (level < 0) {
      // Several levels (406 form 1): the first.
      try {
        const IgesEntity& list = file_.entity(static_cast<std::uint64_t>(-level), e.number);
        level = IgesValues(list).integer(1, 0);
      } catch (const IgesError&) {
        return {};
      }
    }
    if (level == 0) return {};
    const auto name = level_names_->find(level);
    return name != level_names_->end() ? name->second : "level " + std::to_string(level);
  }

  void finish() {
    if (loose_ && !loose_->faces.empty()) {
      model_.bodies.push_back(std::move(*loose_));
      model_.instances.push_back({model_.bodies.size() - 1, {}, {}});
    }
    const auto note = [&](std::size_t count, const std::string& what) {
      if (count > 0) model_.notes.push_back(std::to_string(count) + what);
    };
    note(blank_, " shapes that the file says are not to be shown: left out");
    note(loose_curves_, " curves that bound no face: left out");
    for (const auto& [type, count] : omitted_) model_.not_understood.push_back({type, count});
    std::stable_sort(
        model_.not_understood.begin(), model_.not_understood.end(),
        [](const NotUnderstood& a, const NotUnderstood& b) { return a.count > b.count; });
  }

  Progress* progress_;
  IgesFile file_;
  IgesGeometry geometry_;
  SurfaceModel model_;
  std::set<std::uint64_t> used_;
  std::map<std::string, std::size_t> omitted_;
  std::set<int> told_;
  std::size_t notes_ = 0;
  std::size_t placed_ = 0, blank_ = 0, loose_curves_ = 0;
  std::map<std::uint64_t, std::vector<std::pair<std::uint64_t, std::string>>> groups_of_;
  std::optional<std::map<int, std::string>> level_names_;
  std::optional<Body> loose_;
  Body body_;
  std::map<std::pair<std::uint64_t, int>, std::uint32_t> vertex_at_, edge_at_;
  std::map<std::uint64_t, std::uint32_t> face_at_;
};

}  // namespace

SurfaceModel read_iges(const Source& source, const ReadOptions& /*options*/, Progress* progress) {
  return IgesReader(source, progress).run();
}

}  // namespace aguja
