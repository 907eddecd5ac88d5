#include "aguja/surface/tessellate.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <map>
#include <set>
#include <span>
#include <unordered_map>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/mesh/crossings.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "base/numbers.h"
#include "surface/face_mesh.h"
#include "surface/face_sizes.h"

namespace aguja {
namespace {

// Ends of edges nearer than this part of the body's diagonal to a pole are in it.
constexpr double kPoleOfDiagonal = 1e-6;

constexpr int kMostFinerRounds = 5;
constexpr double kFinest = 1.0 / 64;  // of the chord
// Facets are held to a little less than what is promised: it is measured at places, not everywhere.
constexpr double kHeldTo = 0.8;

// An end of a curve is beside its vertex if it is off by this part of the steps along it.
constexpr double kEndBeside = 1e-3;
// So many times as far as an end is off the curve is led to its vertex.
constexpr double kLedAlong = 10;
// Faces with one tangent plane at an edge, as cosines of the angle between them.
constexpr double kSmoothEdge = 0.99939082701909576;  // 2 degrees
// Where two faces turn back upon each other at an edge, tangent, facets of one side must begin farther
// from it than a part of its chords: these are made so much shorter, as a part of the chord height.
constexpr double kFinerAtCusp = 1.0 / 16, kFinestAtCusp = 1.0 / 256;
// A face turns back where it does so along this many times the length at which it goes straight on.
constexpr double kMostlyBack = 2;

class Tessellator {
 public:
  Tessellator(const Body& body, const TessellationOptions& options, double chord,
              Progress* progress)
      : body_(body),
        options_(options),
        chord_(chord),
        progress_(progress),
        fineness_(body.faces.size(), 1.0),
        faces_(body.faces.size()),
        divided_(body.edges.size()),
        edge_fineness_(body.edges.size(), 1.0) {
    for (std::uint32_t f = 0; f < body.faces.size(); ++f) {
      for (const FaceLoop& loop : body.faces[f].loops) {
        for (const EdgeUseOfFace& use : loop.edges) faces_of_edge_[use.edge].push_back(f);
      }
    }
    const Box box = aguja::box_of(body_);
    diagonal_ = (box.high - box.low).norm();
    middle_ = box.center();
    pole_tolerance_ = kPoleOfDiagonal * diagonal_;
    find_sides();
  }

  TessellatedBody run() {
    std::vector<bool> stale(body_.faces.size(), true);
    TessellatedBody best;
    Harm least;
    int in_vain = 0;
    for (int round = 0;; ++round) {
      divide_edges();
      mesh_faces(stale, round);
      if (round == 0) settle_senses();
      TessellatedBody out = merged();
      // Facets of faces nearer to each other than the chord would cross, loops that are divided too
      // coarsely cross themselves: these get finer.
      Harm harm;
      std::set<std::uint32_t> cusps;
      std::vector<bool> meets = faces_that_meet(out.mesh, harm, cusps);
      for (const FaceTrouble& t : out.troubles) {
        if (t.kind != FaceTrouble::Kind::loop_crossing && t.kind != FaceTrouble::Kind::turned)
          continue;
        harm.crossing += static_cast<std::size_t>(std::max(1.0, t.measure));
        if (fineness_[t.face] > kFinest) meets[t.face] = true;
      }
      in_vain = round > 0 && !harm.is_much_less_than(least) ? in_vain + 1 : 0;
      if (round == 0 || harm < least) {
        least = harm;
        best = std::move(out);
      }
      if (round == kMostFinerRounds || !harm.is_any() || in_vain == 2) return best;
      bool any = !cusps.empty();
      std::fill(stale.begin(), stale.end(), false);
      for (const std::uint32_t e : cusps) {
        edge_fineness_[e] *= kFinerAtCusp;
        divided_[e].points.clear();
        for (const std::uint32_t f : faces_of_edge_.at(e)) stale[f] = true;
      }
      for (std::uint32_t f = 0; f < meets.size(); ++f) {
        if (!meets[f]) continue;
        any = true;
        fineness_[f] *= 0.5;
        stale[f] = true;
      }
      if (!any) return best;
      // Their edges change, and with them the faces on their other sides.
      for (const auto& [edge, faces] : faces_of_edge_) {
        if (std::none_of(faces.begin(), faces.end(), [&](std::uint32_t f) { return meets[f]; }))
          continue;
        divided_[edge].points.clear();
        for (const std::uint32_t f : faces) stale[f] = true;
      }
    }
  }

 private:
  // Surfaces may touch in truth: that stays however fine facets are.
  struct Harm {
    std::size_t crossing = 0, touching = 0;
    auto operator<=>(const Harm&) const = default;
    [[nodiscard]] bool is_any() const { return crossing + touching > 0; }
    [[nodiscard]] bool is_much_less_than(const Harm& other) const {
      const auto much = [](std::size_t a, std::size_t b) { return 10 * a <= 7 * b; };
      return other.crossing > 0 ? much(crossing, other.crossing) : much(touching, other.touching);
    }
  };

  // Which way a face is used by its shells: turned once if any turns it.
  void find_sides() {
    turned_.assign(body_.faces.size(), false);
    for (const Face& face : body_.faces) same_sense_.push_back(face.same_sense);
    for (const BodyShell& shell : body_.shells) {
      for (const BodyShell::Use& use : shell.faces) {
        if (!use.forward) turned_[use.face] = true;
      }
    }
  }

  [[nodiscard]] double chord_of_edge(std::uint32_t e) const {
    double part = edge_fineness_[e];
    const auto at = faces_of_edge_.find(e);
    if (at != faces_of_edge_.end()) {
      double finest = 1;
      for (const std::uint32_t f : at->second) finest = std::min(finest, fineness_[f]);
      part *= finest;
    }
    return part;
  }

  void divide_edges() {
    advance(progress_, "divide", 0.0);
    std::vector<std::uint8_t> is_new(body_.edges.size());
    parallel_ranges(body_.edges.size(), 64, [&](Range r) {
      for (std::size_t e = r.begin; e < r.end; ++e) {
        if (!divided_[e].points.empty()) continue;
        divided_[e] = divide(static_cast<std::uint32_t>(e));
        is_new[e] = 1;
      }
    });
    keep_apart(is_new);
    // Points of edges get their numbers in the order of the edges. Those of edges that stay as they
    // are stay, too: faces that are not made anew name them.
    first_of_edge_.resize(body_.edges.size());
    for (std::size_t e = 0; e < divided_.size(); ++e) {
      if (is_new[e] == 0) continue;
      first_of_edge_[e] = static_cast<std::uint32_t>(body_.vertices.size() + edge_points_.size());
      const std::vector<Point>& points = divided_[e].points;
      edge_points_.insert(edge_points_.end(), points.begin() + 1, points.end() - 1);
    }
    if (options_.sizes) find_pieces();
  }

  // Two edges between the same vertices, an arc and its chord, say, must not become one.
  void keep_apart(const std::vector<std::uint8_t>& is_new) {
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::vector<std::uint32_t>> straight;
    for (std::uint32_t e = 0; e < divided_.size(); ++e) {
      const BodyEdge& edge = body_.edges[e];
      if (divided_[e].points.size() == 2) straight[std::minmax(edge.start, edge.end)].push_back(e);
    }
    for (const auto& [ends, edges] : straight) {
      if (edges.size() < 2) continue;
      for (const std::uint32_t e : edges) {
        const BodyEdge& edge = body_.edges[e];
        if (is_new[e] == 0 || !edge.curve || edge.curve->kind() == CurveKind::line) continue;
        if (!edge.range().is_finite()) continue;
        const double middle = edge.range().middle();
        DividedEdge& divided = divided_[e];
        divided.points.insert(divided.points.begin() + 1, edge.curve->point(middle));
        divided.at.insert(divided.at.begin() + 1, middle);
      }
    }
  }

  // Points along the edge from start to end, both included, and where they are on its curve, if it
  // has one that is not straight.
  struct DividedEdge {
    std::vector<Point> points;
    std::vector<double> at;
  };
  [[nodiscard]] DividedEdge divide(std::uint32_t id) const {
    const BodyEdge& edge = body_.edges[id];
    const Point& a = body_.vertices[edge.start].point;
    const Point& b = body_.vertices[edge.end].point;
    if (!edge.curve || edge.curve->kind() == CurveKind::line || !edge.range().is_finite()) {
      std::vector<Point> points = {a};
      if (options_.longest > 0 && !edge.is_closed()) {
        const int pieces =
            static_cast<int>(std::clamp(std::ceil((b - a).norm() / options_.longest), 1.0, 1e5));
        for (int i = 1; i < pieces; ++i) points.push_back(a + (b - a) * i / pieces);
      }
      points.push_back(b);
      return {std::move(points), {}};
    }
    const double part = chord_of_edge(id);
    std::vector<double> at = divide_curve(*edge.curve, edge.range(), kHeldTo * chord_ * part,
                                          options_.angle * std::sqrt(part), options_.longest);
    divide_near_poles(id, at);
    std::vector<Point> points;
    points.reserve(at.size());
    for (const double t : at) points.push_back(edge.curve->point(t));
    if (edge.from > edge.to) {
      std::reverse(points.begin(), points.end());
      std::reverse(at.begin(), at.end());
    }
    lead_to(a, b, points);
    // Closed edges need three sides at least.
    if (edge.is_closed() && points.size() < 4) {
      const Interval r = edge.range();
      points = {a};
      at = {edge.from};
      for (int i = 1; i < 4; ++i) {
        at.push_back(r.clamp(edge.from + (edge.to - edge.from) * i / 4));
        points.push_back(edge.curve->point(at.back()));
      }
      points.push_back(b);
      at.push_back(edge.to);
    }
    return {std::move(points), std::move(at)};
  }

  // Where the ends of a curve are not its vertices, what is near them is moved towards these, less
  // and less: loops whose edges ran on past their corners would cross themselves there.
  static void lead_to(const Point& a, const Point& b, std::vector<Point>& points) {
    const Vector at_start = a - points.front(), at_end = b - points.back();
    double shortest = kInfinity, length = 0;
    std::vector<double> along = {0};
    for (std::size_t i = 1; i < points.size(); ++i) {
      const double step = (points[i] - points[i - 1]).norm();
      shortest = std::min(shortest, step);
      along.push_back(length += step);
    }
    const auto share = [&](const Vector& offset, double way) {
      const double reach = std::min(kLedAlong * offset.norm(), length);
      return reach > 0 ? std::max(0.0, 1 - way / reach) : 0.0;
    };
    if (std::max(at_start.norm(), at_end.norm()) > kEndBeside * shortest) {
      for (std::size_t i = 1; i + 1 < points.size(); ++i) {
        points[i] +=
            share(at_start, along[i]) * at_start + share(at_end, length - along[i]) * at_end;
      }
    }
    points.front() = a;
    points.back() = b;
  }

  // Past a pole no chord is longer than it is far: the way around is not cut short in parameters.
  void divide_near_poles(std::uint32_t id, std::vector<double>& at) const {
    const auto faces = faces_of_edge_.find(id);
    if (faces == faces_of_edge_.end()) return;
    const Curve& curve = *body_.edges[id].curve;
    for (const std::uint32_t f : faces->second) {
      if (!body_.faces[f].surface) continue;
      for (const Pole& pole : body_.faces[f].surface->poles()) {
        constexpr int kMostHalvings = 12;
        for (int round = 0; round < kMostHalvings; ++round) {
          std::vector<double> finer = {at[0]};
          for (std::size_t i = 1; i < at.size(); ++i) {
            const Point p = curve.point(at[i - 1]), q = curve.point(at[i]);
            const Vector along = q - p;
            const double length = along.norm();
            const double foot =
                length > 0 ? std::clamp((pole.place - p).dot(along) / (length * length), 0.0, 1.0)
                           : 0;
            const double far = (p + foot * along - pole.place).norm();
            // What goes through it, or ends in it, stays.
            if (far > pole_tolerance_ && length > far && foot > 0 && foot < 1)
              finer.push_back(0.5 * (at[i - 1] + at[i]));
            finer.push_back(at[i]);
          }
          if (finer.size() == at.size()) break;
          at = std::move(finer);
        }
      }
    }
  }

  [[nodiscard]] VertexId vertex_on(std::uint32_t e, std::size_t i) const {
    const BodyEdge& edge = body_.edges[e];
    if (i == 0) return {edge.start};
    if (i + 1 == divided_[e].points.size()) return {edge.end};
    return {first_of_edge_[e] + static_cast<std::uint32_t>(i) - 1};
  }

  // Pieces of edges by the points between which they lie.
  struct PieceOfEdge {
    std::uint32_t edge, number;
  };
  static std::uint64_t key(VertexId a, VertexId b) {
    const auto [low, high] = std::minmax(a.value, b.value);
    return std::uint64_t{low} << 32 | high;
  }
  void find_pieces() {
    pieces_.clear();
    for (std::uint32_t e = 0; e < divided_.size(); ++e) {
      for (std::uint32_t i = 0; i + 1 < divided_[e].points.size(); ++i) {
        pieces_.try_emplace(key(vertex_on(e, i), vertex_on(e, i + 1)), PieceOfEdge{e, i});
      }
    }
  }
  [[nodiscard]] std::optional<EdgePiece> piece_between(VertexId a, VertexId b) const {
    const auto found = pieces_.find(key(a, b));
    if (found == pieces_.end()) return std::nullopt;
    const auto [e, i] = found->second;
    const DividedEdge& divided = divided_[e];
    const bool forward = vertex_on(e, i) == a;
    const std::size_t first = forward ? i : i + 1, second = forward ? i + 1 : i;
    if (divided.at.empty()) return EdgePiece(divided.points[first], divided.points[second]);
    return EdgePiece(*body_.edges[e].curve, divided.at[first], divided.at[second],
                     divided.points[first], divided.points[second]);
  }

  [[nodiscard]] std::vector<DividedLoop> loops_of(const Face& face) const {
    std::vector<DividedLoop> loops;
    for (const FaceLoop& loop : face.loops) {
      DividedLoop out;
      if (loop.vertex) {
        out.is_vertex = true;
        out.corners.push_back({{*loop.vertex}, body_.vertices[*loop.vertex].point});
        loops.push_back(std::move(out));
        continue;
      }
      for (const EdgeUseOfFace& use : loop.edges) {
        const std::vector<Point>& points = divided_[use.edge].points;
        const std::size_t n = points.size();
        // Without its last point, with which the next edge begins.
        for (std::size_t k = 0; k + 1 < n; ++k) {
          const std::size_t i = use.forward ? k : n - 1 - k;
          const VertexId v = vertex_on(use.edge, i);
          if (!out.corners.empty() && out.corners.back().vertex == v) continue;
          out.corners.push_back(
              {v, i == 0 || i + 1 == n ? body_.vertices[v.value].point : points[i]});
        }
        // Where the next edge begins elsewhere, the loop is led on to there all the same.
        const VertexId end = vertex_on(use.edge, use.forward ? n - 1 : 0);
        if (out.corners.empty() || out.corners.back().vertex != end) {
          out.corners.push_back({end, body_.vertices[end.value].point});
        }
      }
      while (out.corners.size() > 1 && out.corners.front().vertex == out.corners.back().vertex) {
        out.corners.pop_back();
      }
      loops.push_back(std::move(out));
    }
    return loops;
  }

  void mesh_faces(const std::vector<bool>& stale, int round) {
    std::atomic<std::size_t> done = 0;
    parallel_tasks(body_.faces.size(), [&](std::size_t f) {
      const Face& face = body_.faces[f];
      if (stale[f] && face.surface && face.is_used) faces_[f] = meshed(f, same_sense_[f]);
      ++done;
    });
    advance(progress_, "tessellate", static_cast<double>(round + 1) / (kMostFinerRounds + 1));
  }

  [[nodiscard]] FaceMesh meshed(std::size_t f, bool same_sense) const {
    const Face& face = body_.faces[f];
    FaceFineness fineness;
    fineness.chord = kHeldTo * chord_ * fineness_[f];
    fineness.angle = options_.angle * std::sqrt(fineness_[f]);
    fineness.longest = options_.longest;
    fineness.tolerance = pole_tolerance_;
    fineness.no_ears = fineness_[f] < 1;
    fineness.cells = options_.sizes;
    FaceMesh mesh = mesh_face(face, same_sense, loops_of(face), fineness);
    if (options_.sizes && !mesh.cells.surface)
      mesh.sizes = {.area_within = kInfinity, .volume_within = kInfinity};
    if (mesh.cells.surface) {
      mesh.sizes = sizes_of_face(
          mesh.cells, [this](VertexId a, VertexId b) { return piece_between(a, b); }, middle_,
          diagonal_);
      mesh.cells = {};
      if (!same_sense) mesh.sizes.turn();
    }
    if (turned_[f]) turn_over(mesh);
    return mesh;
  }
  static void turn_over(FaceMesh& mesh) {
    for (Triangle& t : mesh.triangles) std::swap(t[1], t[2]);
    mesh.sizes.turn();
  }

  // Flags that contradict loops: these are followed, as neighbours know them by their edges.
  void settle_senses() {
    std::vector<std::uint32_t> against;
    std::size_t with = 0;
    for (std::uint32_t f = 0; f < faces_.size(); ++f) {
      const Face& face = body_.faces[f];
      if (!face.surface || !face.loops_directed || face.loops.empty()) continue;
      if (faces_[f].is_against_loops) {
        against.push_back(f);
      } else if (!faces_[f].either_side) {
        ++with;
      }
    }
    std::vector<FaceMesh> other(faces_.size());
    const auto make_other = [&](std::span<const std::uint32_t> faces) {
      parallel_tasks(faces.size(), [&](std::size_t i) {
        other[faces[i]] = meshed(faces[i], !same_sense_[faces[i]]);
      });
    };
    make_other(against);
    std::erase_if(against, [&](std::uint32_t f) {
      return other[f].triangles.empty() || other[f].is_against_loops;
    });
    // A writer whose loops all run the other way.
    const bool all_loops = against.size() > with;
    for (const std::uint32_t f : against) {
      take_other_side(f, std::move(other[f]), FaceTrouble::Kind::against_loops);
      if (!all_loops) continue;
      turned_[f] = !turned_[f];
      turn_over(faces_[f]);
    }
    find_folded_back(make_other, other);
  }

  void take_other_side(std::uint32_t f, FaceMesh mesh, FaceTrouble::Kind why) {
    same_sense_[f] = !same_sense_[f];
    faces_[f] = std::move(mesh);
    FaceTrouble t;
    t.kind = why;
    t.face = f;
    if (!faces_[f].triangles.empty()) {
      const VertexId v = faces_[f].triangles[0][0];
      t.place = v.value >= kOwnVertices           ? faces_[f].points[v.value - kOwnVertices]
                : v.value < body_.vertices.size() ? body_.vertices[v.value].point
                                                  : edge_points_[v.value - body_.vertices.size()];
    }
    settled_.push_back(t);
  }

  // Where either side of the loops would be a face, smooth edges tell which is meant.
  template <typename MakeOther>
  void find_folded_back(const MakeOther& make_other, std::vector<FaceMesh>& other) {
    std::vector<bool> is_open(faces_.size());
    std::vector<std::uint32_t> open;
    for (std::uint32_t f = 0; f < faces_.size(); ++f) {
      if (!faces_[f].either_side) continue;
      is_open[f] = true;
      open.push_back(f);
    }
    // From those that are known to those beside them.
    while (!open.empty()) {
      std::vector<std::uint32_t> folded, still;
      for (const std::uint32_t f : open) {
        const SmoothEdges edges = smooth_edges(f, is_open);
        if (!(edges.straight + edges.back > 0)) {
          still.push_back(f);
          continue;
        }
        if (edges.back > kMostlyBack * edges.straight) folded.push_back(f);
      }
      make_other(folded);
      for (const std::uint32_t f : folded) {
        if (!other[f].triangles.empty())
          take_other_side(f, std::move(other[f]), FaceTrouble::Kind::folds_back);
      }
      if (still.size() == open.size()) return;
      for (const std::uint32_t f : open) is_open[f] = false;
      for (const std::uint32_t f : still) is_open[f] = true;
      open = std::move(still);
    }
  }

  // Lengths of edges at which the face and its known neighbours have one tangent plane: where they
  // face one way, and where one turns back upon the other.
  struct SmoothEdges {
    double straight = 0, back = 0;
  };
  [[nodiscard]] SmoothEdges smooth_edges(std::uint32_t f, const std::vector<bool>& is_open) const {
    SmoothEdges out;
    for (const FaceLoop& loop : body_.faces[f].loops) {
      for (const EdgeUseOfFace& use : loop.edges) {
        const auto at = faces_of_edge_.find(use.edge);
        if (at == faces_of_edge_.end() || at->second.size() != 2) continue;
        const std::uint32_t g = at->second[0] == f ? at->second[1] : at->second[0];
        if (g == f || is_open[g] || !body_.faces[g].surface) continue;
        const std::vector<Point>& points = divided_[use.edge].points;
        double length = 0;
        for (std::size_t i = 1; i < points.size(); ++i)
          length += (points[i] - points[i - 1]).norm();
        const Cosines normals = normals_at(use.edge, f, g);
        if (normals.least > kSmoothEdge) out.straight += length;
        if (normals.most < -kSmoothEdge) out.back += length;
      }
    }
    return out;
  }
  // Between the normals of two faces along an edge.
  struct Cosines {
    double least = 1, most = -1;
  };
  [[nodiscard]] Cosines normals_at(std::uint32_t e, std::uint32_t f, std::uint32_t g) const {
    const BodyEdge& edge = body_.edges[e];
    const Point &a = body_.vertices[edge.start].point, &b = body_.vertices[edge.end].point;
    Cosines out;
    for (const double part : {0.25, 0.5, 0.75}) {
      const Point p = edge.curve && edge.range().is_finite()
                          ? edge.curve->point(edge.from + part * (edge.to - edge.from))
                          : Point(a + part * (b - a));
      const double cosine = normal_at(f, p).dot(normal_at(g, p));
      out.least = std::min(out.least, cosine);
      out.most = std::max(out.most, cosine);
    }
    return out;
  }
  // As its shell has it.
  [[nodiscard]] Vector normal_at(std::uint32_t f, const Point& p) const {
    const Surface& surface = *body_.faces[f].surface;
    const Parameters uv = SurfaceFoot(surface).of(p);
    const Vector normal = surface.at(uv[0], uv[1]).normal();
    return same_sense_[f] == turned_[f] ? Vector(-normal) : normal;
  }

  TessellatedBody merged() const {
    TessellatedBody out;
    Mesh& mesh = out.mesh;
    out.chord = chord_;
    for (const double f : fineness_) out.chord = std::min(out.chord, chord_ * f);
    std::size_t triangles = body_.facets.triangles.size(), own = 0;
    for (const FaceMesh& f : faces_) {
      triangles += f.triangles.size();
      own += f.points.size();
    }
    mesh.points.reserve(body_.vertices.size() + edge_points_.size() + own +
                        body_.facets.points.size());
    for (const BodyVertex& v : body_.vertices) mesh.points.push_back(v.point);
    mesh.points.insert(mesh.points.end(), edge_points_.begin(), edge_points_.end());
    mesh.triangles.reserve(triangles);
    mesh.patch_of.reserve(triangles);
    for (std::uint32_t f = 0; f < faces_.size(); ++f) {
      const auto shift = static_cast<std::uint32_t>(mesh.points.size());
      mesh.points.insert(mesh.points.end(), faces_[f].points.begin(), faces_[f].points.end());
      for (Triangle t : faces_[f].triangles) {
        for (VertexId& v : t.corner) {
          if (v.value >= kOwnVertices) v.value = v.value - kOwnVertices + shift;
        }
        mesh.triangles.push_back(t);
        mesh.patch_of.push_back({f});
      }
      for (FaceTrouble trouble : faces_[f].troubles) {
        trouble.face = f;
        out.troubles.push_back(trouble);
      }
      out.fits.push_back({faces_[f].largest_off, faces_[f].off_at, faces_[f].deviation});
      if (options_.sizes) out.sizes.push_back(faces_[f].sizes);
    }
    out.troubles.insert(out.troubles.end(), settled_.begin(), settled_.end());
    std::stable_sort(out.troubles.begin(), out.troubles.end(),
                     [](const FaceTrouble& a, const FaceTrouble& b) { return a.face < b.face; });
    const auto shift = static_cast<std::uint32_t>(mesh.points.size());
    mesh.points.insert(mesh.points.end(), body_.facets.points.begin(), body_.facets.points.end());
    for (std::size_t i = 0; i < body_.facets.triangles.size(); ++i) {
      Triangle t = body_.facets.triangles[i];
      for (VertexId& v : t.corner) v.value += shift;
      mesh.triangles.push_back(t);
      mesh.patch_of.push_back(
          {static_cast<std::uint32_t>(faces_.size()) +
           (body_.facets.patch_of.empty() ? 0 : body_.facets.patch_of[i].value)});
    }
    drop_unused(mesh);
    return out;
  }
  static void drop_unused(Mesh& mesh) {
    std::vector<bool> used(mesh.points.size());
    for (const Triangle& t : mesh.triangles) {
      for (const VertexId v : t.corner) used[v.value] = true;
    }
    std::vector<std::uint32_t> number(used.size());
    SharedArray<Point> points;
    for (std::size_t v = 0; v < used.size(); ++v) {
      number[v] = static_cast<std::uint32_t>(points.size());
      if (used[v]) points.push_back(mesh.points[v]);
    }
    for (Triangle& t : mesh.triangles) {
      for (VertexId& v : t.corner) v = {number[v.value]};
    }
    mesh.points = std::move(points);
  }

  // Edges of both faces at which they turn back upon each other with one tangent plane.
  [[nodiscard]] std::vector<std::uint32_t> cusps_between(std::uint32_t f, std::uint32_t g) const {
    std::vector<std::uint32_t> cusps;
    for (const FaceLoop& loop : body_.faces[f].loops) {
      for (const EdgeUseOfFace& use : loop.edges) {
        const std::vector<std::uint32_t>& faces = faces_of_edge_.at(use.edge);
        const bool is_between = faces.size() == 2 && (faces[0] == g || faces[1] == g);
        if (is_between && normals_at(use.edge, f, g).most < -kSmoothEdge) cusps.push_back(use.edge);
      }
    }
    return cusps;
  }

  // Faces whose facets cross others, and how often that happens; where these are divided by edges
  // at which they turn back upon each other, the edges.
  [[nodiscard]] std::vector<bool> faces_that_meet(const Mesh& mesh, Harm& harm,
                                                  std::set<std::uint32_t>& cusps) const {
    std::vector<bool> meets(body_.faces.size());
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::vector<std::uint32_t>> cusps_of;
    const auto finer_at_cusps = [&](std::uint32_t f, std::uint32_t g) {
      if (f == g || std::max(f, g) >= meets.size()) return false;
      const auto [at, is_new] = cusps_of.try_emplace(std::minmax(f, g));
      if (is_new) at->second = cusps_between(f, g);
      bool any = false;
      for (const std::uint32_t e : at->second) {
        if (edge_fineness_[e] <= kFinestAtCusp) continue;
        cusps.insert(e);
        any = true;
      }
      return any;
    };
    const Welded welded(mesh);
    for (const TrianglePair& pair : find_crossings_up_to(welded, kMostCrossings, progress_).pairs) {
      ++(pair.contact == Contact::touch ? harm.touching : harm.crossing);
      if (finer_at_cusps(mesh.patch_of[pair.first.value].value,
                         mesh.patch_of[pair.second.value].value)) {
        continue;
      }
      for (const TriangleId t : {pair.first, pair.second}) {
        const std::uint32_t f = mesh.patch_of[t.value].value;
        if (f < meets.size() && fineness_[f] > kFinest) meets[f] = true;
      }
    }
    // Inner edges of a face that fall on edges of others: small faces whose few points are those of
    // their neighbours.
    const EdgeTable edges(welded.triangles(), welded.points().size());
    for (const EdgeId e :
         select_edges(edges, [&](EdgeId id) { return edges.is_nonmanifold(id); })) {
      ++harm.crossing;
      for (const EdgeUse use : edges.uses(e)) {
        const std::uint32_t f = mesh.patch_of[use.triangle().value].value;
        if (f < meets.size() && fineness_[f] > kFinest) meets[f] = true;
      }
    }
    return meets;
  }

  const Body& body_;
  TessellationOptions options_;
  double diagonal_ = 0;
  Point middle_ = Point::Zero();
  double pole_tolerance_ = 0;
  double chord_;
  Progress* progress_;
  std::vector<double> fineness_;  // by face, as a part of the chord
  std::vector<FaceMesh> faces_;
  std::vector<DividedEdge> divided_;   // by edge
  std::vector<double> edge_fineness_;  // by edge, as a further part of the chord
  std::unordered_map<std::uint64_t, PieceOfEdge> pieces_;  // by its ends, the lower first
  std::vector<std::uint32_t> first_of_edge_;
  std::vector<Point> edge_points_;  // numbered on from the vertices
  std::map<std::uint32_t, std::vector<std::uint32_t>> faces_of_edge_;
  std::vector<bool> turned_;
  std::vector<bool> same_sense_;      // by face: as the file says, or as its loops do
  std::vector<FaceTrouble> settled_;  // where these differ
};

void check(const TessellationOptions& options) {
  if (!(options.angle > 0) || !(options.longest >= 0) || !std::isfinite(options.longest)) {
    throw ArgumentError("tessellate: the angle must be above 0, and the longest side 0 or more");
  }
}

}  // namespace

double chosen_chord(const TessellationOptions& options, const Box& box) {
  check(options);
  if (options.chord) {
    if (!(*options.chord > 0) || !std::isfinite(*options.chord)) {
      throw ArgumentError("tessellate: the chord height must be a finite length above 0");
    }
    return *options.chord;
  }
  const double diagonal = (box.high - box.low).norm();
  return std::isfinite(diagonal) && diagonal > 0 ? diagonal / 1000 : 1;
}

TessellatedBody tessellate(const Body& body, const TessellationOptions& options,
                           Progress* progress) {
  return Tessellator(body, options, chosen_chord(options, box_of(body)), progress).run();
}

}  // namespace aguja
