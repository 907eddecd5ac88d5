#include "mend/faces_of_fills.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

#include <Eigen/Geometry>

#include "aguja/surface/intersection.h"
#include "mend/body_rim.h"

namespace aguja {
namespace {

// How near splines come to the curves in which surfaces meet, as a part of the body's size.
constexpr double kFittedCrease = 1e-7;
// Of two surfaces that a facet lies on, the later one must face more its way by this much.
constexpr double kBetterFacing = 1e-6;
constexpr std::uint32_t kNoEdge = kNoIndex;

std::uint64_t key_of(std::uint32_t a, std::uint32_t b) {
  const auto [low, high] = std::minmax(a, b);
  return std::uint64_t{low} << 32 | high;
}

class FaceMaker {
 public:
  explicit FaceMaker(const FillScope& scope)
      : scope_(scope), mesh_(scope.mesh), body_(scope.body.body), rim_(scope.body, scope.to_mesh) {}

  std::optional<FillFaces> run() {
    if (!find_sides() || !find_rim_edges()) return std::nullopt;
    number_regions();
    if (!divide_by_surface()) return std::nullopt;
    out_.triangles = added_;
    out_.face_of = region_;
    for (std::uint32_t r = 0; r < regions_.size(); ++r) {
      if (!make_face(r)) return std::nullopt;
    }
    return std::move(out_);
  }

 private:
  // Of an added triangle.
  struct Side {
    std::uint32_t triangle;  // among the added
    std::uint32_t a, b;      // vertices, as it runs
  };
  struct SidesAt {
    std::vector<Side> added;
    std::vector<std::uint32_t> faces;  // of triangles that were there
    std::uint32_t edge = kNoEdge;      // of the body, if it is on the rim
  };
  // Triangles of one fill on one surface.
  struct Region {
    std::uint32_t fill = 0;
    std::uint32_t candidate = kNoEdge;
    std::vector<std::uint32_t> triangles;
  };

  [[nodiscard]] Point place(std::uint32_t v) const { return rim_.to_body(mesh_.point({v})); }
  [[nodiscard]] SidesAt& at(std::uint32_t a, std::uint32_t b) { return sides_.at(key_of(a, b)); }

  bool find_sides() {
    std::vector<bool> is_of_fill(mesh_.points.size());
    for (std::uint32_t t = 0; t < mesh_.triangles.size(); ++t) {
      if (scope_.fill_of[t] == kNoIndex) continue;
      const Triangle& v = mesh_.triangles[t];
      for (std::size_t k = 0; k < 3; ++k) {
        is_of_fill[v[k].value] = true;
        const std::uint32_t a = v[k].value, b = v[(k + 1) % 3].value;
        sides_[key_of(a, b)].added.push_back({static_cast<std::uint32_t>(added_.size()), a, b});
      }
      added_.push_back({t});
    }
    for (std::uint32_t t = 0; t < mesh_.triangles.size(); ++t) {
      if (scope_.fill_of[t] != kNoIndex) continue;
      const Triangle& v = mesh_.triangles[t];
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t a = v[k].value, b = v[(k + 1) % 3].value;
        if (!is_of_fill[a] || !is_of_fill[b]) continue;
        const auto found = sides_.find(key_of(a, b));
        if (found == sides_.end()) continue;
        const std::uint32_t face = scope_.patch_of[t].value - scope_.first_patch;
        if (face >= body_.faces.size()) return false;
        found->second.faces.push_back(face);
      }
    }
    return std::all_of(sides_.begin(), sides_.end(), [](const auto& s) {
      const SidesAt& at = s.second;
      return at.added.size() + at.faces.size() == 2 && !at.added.empty();
    });
  }

  // The edge of the body that each side on the rim is a piece of.
  bool find_rim_edges() {
    for (auto& [key, sides] : sides_) {
      if (sides.faces.empty()) continue;
      const std::uint32_t a = sides.added[0].a, b = sides.added[0].b;
      const auto e = rim_.edge_of_side(sides.faces[0], mesh_.point({a}), mesh_.point({b}));
      if (!e) return false;
      sides.edge = *e;
      for (const std::uint32_t v : {body_.edges[*e].start, body_.edges[*e].end}) {
        for (const std::uint32_t m : {a, b}) {
          if (rim_.is_vertex(mesh_.point({m}), v)) body_vertex_.emplace(m, v);
        }
      }
      const std::uint32_t fill = fill_of(sides.added[0].triangle);
      neighbours_of_fill_[fill].insert(sides.faces[0]);
      edges_of_fill_[fill].insert(sides.edge);
    }
    return true;
  }
  [[nodiscard]] std::uint32_t fill_of(std::uint32_t added) const {
    return scope_.fill_of[added_[added].value];
  }

  // One for each fill at first.
  void number_regions() {
    std::map<std::uint32_t, std::uint32_t> region_of_fill;
    region_.resize(added_.size());
    for (std::uint32_t i = 0; i < added_.size(); ++i) {
      const auto [found, is_new] =
          region_of_fill.try_emplace(fill_of(i), static_cast<std::uint32_t>(regions_.size()));
      if (is_new) regions_.push_back({.fill = fill_of(i), .triangles = {}});
      region_[i] = found->second;
      regions_[found->second].triangles.push_back(i);
    }
  }

  bool divide_by_surface() {
    const std::size_t fills = regions_.size();
    for (std::size_t r = 0; r < fills; ++r) {
      const std::size_t first = candidates_.size();
      if (scope_.surface) {
        candidates_.emplace_back(scope_.surface);
        if (!take_one(regions_[r], first)) return false;
        continue;
      }
      std::set<const Surface*> seen;
      for (const std::uint32_t f : neighbours_of_fill_[regions_[r].fill]) {
        const SurfacePtr& s = body_.faces[f].surface;
        if (seen.insert(s.get()).second) candidates_.emplace_back(s);
      }
      if (!take_one(regions_[r], first) && !take_plane(regions_[r]) && !take_round(regions_[r]) &&
          !take_several(static_cast<std::uint32_t>(r), first)) {
        return false;
      }
    }
    return true;
  }
  [[nodiscard]] std::array<Point, 3> corners(std::uint32_t added) const {
    const Triangle& v = mesh_.triangle(added_[added]);
    return {place(v[0].value), place(v[1].value), place(v[2].value)};
  }
  [[nodiscard]] bool is_on(const FillSurface& c, std::uint32_t added) const {
    const auto p = corners(added);
    return std::all_of(p.begin(), p.end(),
                       [&](const Point& q) { return c.off(q) <= rim_.tolerance(); });
  }
  // Facets may cut short what bends between their corners.
  [[nodiscard]] bool is_along(const FillSurface& c, std::uint32_t added) const {
    const auto p = corners(added);
    return is_on(c, added) &&
           c.off((p[0] + p[1] + p[2]) / 3) <= scope_.body.chord + rim_.tolerance();
  }
  bool take_one(Region& region, std::size_t first) const {
    for (std::size_t c = first; c < candidates_.size(); ++c) {
      if (std::all_of(region.triangles.begin(), region.triangles.end(),
                      [&](std::uint32_t t) { return is_along(candidates_[c], t); })) {
        region.candidate = static_cast<std::uint32_t>(c);
        return true;
      }
    }
    return false;
  }
  bool take_plane(Region& region) {
    Vector area = Vector::Zero();
    Point middle = Point::Zero();
    for (const std::uint32_t t : region.triangles) {
      const auto p = corners(t);
      area += (p[1] - p[0]).cross(p[2] - p[0]);
      middle += (p[0] + p[1] + p[2]) / (3 * static_cast<double>(region.triangles.size()));
    }
    if (!(area.norm() > 0)) return false;
    const Vector n = area.normalized();
    FillSurface plane(make_plane(Frame::from(middle, n, n.unitOrthogonal())));
    if (!std::all_of(region.triangles.begin(), region.triangles.end(),
                     [&](std::uint32_t t) { return is_on(plane, t); })) {
      return false;
    }
    region.candidate = static_cast<std::uint32_t>(candidates_.size());
    candidates_.push_back(std::move(plane));
    return true;
  }
  bool take_round(Region& region) {
    const std::size_t first = candidates_.size();
    for (SurfacePtr& s : round_surfaces(body_, edges_of_fill_[region.fill],
                                        neighbours_of_fill_[region.fill], rim_.tolerance())) {
      candidates_.emplace_back(std::move(s));
    }
    return take_one(region, first);
  }
  // Each triangle on one of them, and what hangs together there a region.
  bool take_several(std::uint32_t r, std::size_t first) {
    const std::vector<std::uint32_t> triangles = regions_[r].triangles;
    std::map<std::uint32_t, std::uint32_t> candidate_of;  // by added triangle
    for (const std::uint32_t t : triangles) {
      const auto p = corners(t);
      const Vector n = (p[1] - p[0]).cross(p[2] - p[0]).normalized();
      double best = -1;
      for (std::size_t c = first; c < candidates_.size(); ++c) {
        if (!is_on(candidates_[c], t)) continue;
        const double facing = std::fabs(candidates_[c].normal_at((p[0] + p[1] + p[2]) / 3).dot(n));
        if (facing <= best + kBetterFacing) continue;
        best = facing;
        candidate_of[t] = static_cast<std::uint32_t>(c);
      }
      if (!candidate_of.contains(t)) return false;
    }
    std::set<std::uint32_t> left(triangles.begin(), triangles.end());
    for (bool is_first = true; !left.empty(); is_first = false) {
      const std::uint32_t own = is_first ? r : static_cast<std::uint32_t>(regions_.size());
      if (!is_first) regions_.push_back({.fill = regions_[r].fill, .triangles = {}});
      Region& region = regions_[own];
      region.triangles.clear();
      region.candidate = candidate_of[*left.begin()];
      std::vector<std::uint32_t> pending = {*left.begin()};
      left.erase(left.begin());
      while (!pending.empty()) {
        const std::uint32_t t = pending.back();
        pending.pop_back();
        region_[t] = own;
        region.triangles.push_back(t);
        const Triangle& v = mesh_.triangle(added_[t]);
        for (std::size_t k = 0; k < 3; ++k) {
          for (const Side& s : at(v[k].value, v[(k + 1) % 3].value).added) {
            if (!left.contains(s.triangle) || candidate_of[s.triangle] != region.candidate)
              continue;
            left.erase(s.triangle);
            pending.push_back(s.triangle);
          }
        }
      }
    }
    return true;
  }

  // ---- Loops.

  [[nodiscard]] bool is_border(const SidesAt& sides) const {
    return sides.added.size() == 1 ||
           region_[sides.added[0].triangle] != region_[sides.added[1].triangle];
  }
  // Where three regions meet, or two at the rim.
  bool is_node(std::uint32_t v) {
    if (nodes_.empty()) {
      std::map<std::uint32_t, int> creases;
      for (const auto& [key, sides] : sides_) {
        if (sides.added.size() != 2 || !is_border(sides)) continue;
        ++creases[sides.added[0].a];
        ++creases[sides.added[0].b];
      }
      for (const auto& [vertex, count] : creases) {
        if (count != 2 || body_vertex_.contains(vertex)) nodes_.insert(vertex);
      }
      nodes_.insert(kNoEdge);  // it was looked for
    }
    return nodes_.contains(v);
  }

  bool make_face(std::uint32_t r) {
    const Region& region = regions_[r];
    std::map<std::uint32_t, std::uint32_t> next;
    for (const std::uint32_t t : region.triangles) {
      const Triangle& v = mesh_.triangle(added_[t]);
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t a = v[k].value, b = v[(k + 1) % 3].value;
        if (!is_border(at(a, b))) continue;
        if (!next.emplace(a, b).second) return false;  // it touches itself
      }
    }
    const FillSurface& candidate = candidates_[region.candidate];
    NewFace made;
    made.face.surface = candidate.surface();
    std::vector<std::pair<double, FaceLoop>> loops;
    while (!next.empty()) {
      std::vector<std::uint32_t> loop;
      for (std::uint32_t v = next.begin()->first; next.contains(v);) {
        loop.push_back(v);
        const std::uint32_t to = next[v];
        next.erase(v);
        v = to;
      }
      std::optional<FaceLoop> edges = edges_of(r, loop);
      if (!edges) return false;
      Box box;
      for (const std::uint32_t v : loop) box.extend(place(v));
      loops.emplace_back(-box.diagonal(), std::move(*edges));
    }
    std::stable_sort(loops.begin(), loops.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    for (auto& [size, loop] : loops) made.face.loops.push_back(std::move(loop));
    if (!measure(region, made)) return false;
    out_.faces.push_back(std::move(made));
    out_.fill_of_face.push_back(region.fill);
    return true;
  }

  // Sides one after another that are pieces of one edge.
  std::optional<FaceLoop> edges_of(std::uint32_t r, std::vector<std::uint32_t> loop) {
    const std::size_t n = loop.size();
    const auto side = [&](std::size_t i) -> SidesAt& { return at(loop[i % n], loop[(i + 1) % n]); };
    // What is on the other side of it: an edge of the body, or another region.
    const auto label = [&](std::size_t i) -> std::pair<std::uint32_t, std::uint32_t> {
      const SidesAt& s = side(i);
      if (s.edge != kNoEdge) return {s.edge, kNoEdge};
      const std::uint32_t first = region_[s.added[0].triangle];
      return {kNoEdge, first == r ? region_[s.added[1].triangle] : first};
    };
    const auto breaks = [&](std::size_t i) {
      const auto before = label(i + n - 1), here = label(i);
      if (before != here) return true;
      return here.second == kNoEdge ? body_vertex_.contains(loop[i % n]) : is_node(loop[i % n]);
    };
    std::size_t start = 0;
    while (start < n && !breaks(start)) ++start;
    if (start == n) {
      // A crease that closes on itself, the same from both sides.
      if (label(0).second == kNoEdge) return std::nullopt;
      start = static_cast<std::size_t>(std::min_element(loop.begin(), loop.end()) - loop.begin());
    }
    std::rotate(loop.begin(), loop.begin() + static_cast<std::ptrdiff_t>(start), loop.end());
    FaceLoop out;
    for (std::size_t i = 0; i < n;) {
      std::size_t end = i + 1;
      while (end < n && !breaks(end)) ++end;
      std::vector<std::uint32_t> chain(loop.begin() + static_cast<std::ptrdiff_t>(i),
                                       loop.begin() + static_cast<std::ptrdiff_t>(end));
      chain.push_back(loop[end % n]);
      const auto use = label(i).second == kNoEdge ? use_of_rim(side(i).edge, chain)
                                                  : use_of_crease(r, label(i).second, chain);
      if (!use) return std::nullopt;
      out.edges.push_back(*use);
      i = end;
    }
    return out;
  }
  std::optional<EdgeUseOfFace> use_of_rim(std::uint32_t e,
                                          const std::vector<std::uint32_t>& chain) const {
    const auto first = body_vertex_.find(chain.front()), last = body_vertex_.find(chain.back());
    if (first == body_vertex_.end() || last == body_vertex_.end()) return std::nullopt;
    const BodyEdge& edge = body_.edges[e];
    if (edge.is_closed()) {
      if (first->second != edge.start || last->second != edge.start || chain.size() < 4) {
        return std::nullopt;
      }
      const double t = nearest_parameter(*edge.curve, edge.range(), place(chain[1]));
      return EdgeUseOfFace{e, 2 * std::fabs(t - edge.from) < edge.range().width(), nullptr};
    }
    if (first->second == edge.start && last->second == edge.end) {
      return EdgeUseOfFace{e, true, nullptr};
    }
    if (first->second == edge.end && last->second == edge.start) {
      return EdgeUseOfFace{e, false, nullptr};
    }
    return std::nullopt;
  }
  std::optional<EdgeUseOfFace> use_of_crease(std::uint32_t r, std::uint32_t other,
                                             const std::vector<std::uint32_t>& chain) {
    const std::pair<std::uint32_t, std::uint32_t> ahead(chain[0], chain[1]),
        back(chain.back(), chain[chain.size() - 2]);
    if (const auto known = creases_.find(back); known != creases_.end()) {
      return EdgeUseOfFace{known->second, false, nullptr};
    }
    const auto first = vertex_at(chain.front()), last = vertex_at(chain.back());
    std::vector<Point> places = {point_of(first)};
    for (std::size_t i = 1; i + 1 < chain.size(); ++i) places.push_back(place(chain[i]));
    places.push_back(point_of(last));
    const auto curve = meeting_curve(*candidates_[regions_[r].candidate].surface(),
                                     *candidates_[regions_[other].candidate].surface(), places,
                                     kFittedCrease * rim_.size());
    if (!curve) return std::nullopt;
    BodyEdge edge;
    edge.curve = curve->curve;
    edge.from = curve->from;
    edge.to = curve->to;
    edge.start = first;
    edge.end = last;
    const auto number = static_cast<std::uint32_t>(body_.edges.size() + out_.edges.size());
    out_.edges.push_back(std::move(edge));
    creases_.emplace(ahead, number);
    return EdgeUseOfFace{number, true, nullptr};
  }
  [[nodiscard]] Point point_of(std::uint32_t vertex) const {
    return vertex < body_.vertices.size() ? body_.vertices[vertex].point
                                          : out_.vertices[vertex - body_.vertices.size()].point;
  }
  std::uint32_t vertex_at(std::uint32_t v) {
    const auto known = body_vertex_.find(v);
    if (known != body_vertex_.end()) return known->second;
    BodyVertex made;
    made.point = place(v);
    // Of three surfaces better than as it was found.
    std::set<std::uint32_t> surfaces;
    for (const auto& [key, sides] : sides_) {
      if (sides.added[0].a != v && sides.added[0].b != v) continue;
      for (const Side& s : sides.added) surfaces.insert(regions_[region_[s.triangle]].candidate);
    }
    if (surfaces.size() == 3) {
      const std::vector<std::uint32_t> all(surfaces.begin(), surfaces.end());
      const auto better =
          meeting_point(*candidates_[all[0]].surface(), *candidates_[all[1]].surface(),
                        *candidates_[all[2]].surface(), made.point);
      if (better && (*better - made.point).norm() <= rim_.tolerance()) made.point = *better;
    }
    const auto number = static_cast<std::uint32_t>(body_.vertices.size() + out_.vertices.size());
    out_.vertices.push_back(made);
    body_vertex_.emplace(v, number);
    return number;
  }

  // Which way it faces, and how well it fits.
  bool measure(const Region& region, NewFace& made) const {
    const FillSurface& candidate = candidates_[region.candidate];
    double facing = 0;
    for (const std::uint32_t t : region.triangles) {
      const auto p = corners(t);
      const Point middle = (p[0] + p[1] + p[2]) / 3;
      facing += (p[1] - p[0]).cross(p[2] - p[0]).dot(candidate.normal_at(middle));
      made.fit.facets_off = std::max(made.fit.facets_off, candidate.off(middle));
      for (const Point& q : p)
        made.fit.facets_off = std::max(made.fit.facets_off, candidate.off(q));
    }
    made.face.same_sense = facing > 0;
    made.facets = static_cast<std::uint32_t>(region.triangles.size());
    for (const FaceLoop& loop : made.face.loops) {
      for (const EdgeUseOfFace& use : loop.edges) {
        const BodyEdge& edge = use.edge < body_.edges.size()
                                   ? body_.edges[use.edge]
                                   : out_.edges[use.edge - body_.edges.size()];
        const double off = candidate.off(edge);
        if (off <= made.fit.largest_off) continue;
        made.fit.largest_off = off;
        made.fit.at = edge.curve->point(edge.range().middle());
      }
    }
    return facing != 0 && made.fit.largest_off <= rim_.tolerance();
  }

  const FillScope& scope_;
  const Mesh& mesh_;
  const Body& body_;
  BodyRim rim_;
  std::vector<TriangleId> added_;
  std::map<std::uint64_t, SidesAt> sides_;              // of added triangles, by their vertices
  std::map<std::uint32_t, std::uint32_t> body_vertex_;  // by vertex of the mesh
  std::map<std::uint32_t, std::set<std::uint32_t>> neighbours_of_fill_, edges_of_fill_;
  std::vector<FillSurface> candidates_;
  std::vector<Region> regions_;
  std::vector<std::uint32_t> region_;  // by added triangle
  std::set<std::uint32_t> nodes_;
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> creases_;  // by first step
  FillFaces out_;
};

}  // namespace

std::optional<FillFaces> faces_of_fills(const FillScope& scope) { return FaceMaker(scope).run(); }

}  // namespace aguja
