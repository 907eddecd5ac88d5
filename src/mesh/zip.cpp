#include "aguja/mesh/zip.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <optional>

#include "aguja/geometry/box_tree.h"
#include "base/disjoint_sets.h"
#include "base/parallel_algorithms.h"

namespace aguja {
namespace {

// A rim that turns by more than 25 degrees has a corner there.
constexpr double kRimCornerCosine = 0.906;

// "Vertex v faces edge e at t", or, with an edge of kNoIndex, "v faces vertex u".
struct Proposal {
  int rank;  // corners that face corners come first: they are decided once for all who meet there
  double width;
  VertexId vertex;
  VertexId other;       // if it is to be one vertex with it
  std::uint32_t naked;  // else the edge
  double at;
  friend auto operator<=>(const Proposal&, const Proposal&) = default;
};

// Rim vertices by number, knots as sets of them.
class Planner {
 public:
  Planner(const Welded& mesh, const EdgeTable& edges, const RimPairing& pairing, double tolerance,
          const ZipOptions& options)
      : mesh_(mesh), edges_(edges), pairing_(pairing), tolerance_(tolerance), options_(options) {
    number_.resize(mesh.points().size(), kNoIndex);
    for (std::uint32_t i = 0; i < pairing.naked.size(); ++i) {
      const NakedEdge& e = pairing.naked[i];
      const double length = (mesh.point(e.to) - mesh.point(e.from)).norm();
      for (const VertexId v : {e.from, e.to}) {
        std::uint32_t& own = number_[v.value];
        if (own == kNoIndex) {
          own = static_cast<std::uint32_t>(vertices_.size());
          vertices_.push_back(v);
          shortest_.push_back(length);
        }
        shortest_[own] = std::min(shortest_[own], length);
      }
    }
    sets_.emplace(vertices_.size());
    content_.resize(vertices_.size());
    for (std::size_t i = 0; i < vertices_.size(); ++i) {
      content_[i].members = {vertices_[i]};
      add_origins(vertices_[i], content_[i].origins);
      content_[i].sum = mesh.point(vertices_[i]);
      content_[i].weight = 1;
    }
  }

  ZipPlan plan() {
    std::vector<Proposal> proposals;
    for (const FacingPair& pair : pairing_.pairs) propose(pair, proposals);
    propose_corners(proposals);
    parallel_sort(proposals.begin(), proposals.end());
    // Vertices first: what becomes one vertex needs no place in an edge.
    for (const Proposal& p : proposals) {
      if (p.naked == kNoIndex) unite(p);
    }
    for (const Proposal& p : proposals) {
      if (p.naked != kNoIndex) insert(p);
    }
    return result();
  }

 private:
  struct Content {
    std::vector<VertexId> members;
    std::vector<Insertion> insertions;
    std::vector<Point> origins;
    Vector sum = Vector::Zero();
    double weight = 0;
  };

  [[nodiscard]] Point place(const Vector& sum, double weight) const {
    const Point p = sum / weight;
    return options_.round_to_float ? rounded_to_float(p) : p;
  }
  std::uint32_t root(std::uint32_t i) { return sets_->find(i); }
  [[nodiscard]] std::uint32_t number(VertexId v) const { return number_[v.value]; }
  [[nodiscard]] bool is_banned(VertexId v) const {
    return std::binary_search(options_.banned.begin(), options_.banned.end(), v);
  }
  void add_origins(VertexId v, std::vector<Point>& out) const {
    auto at = std::lower_bound(options_.origins.begin(), options_.origins.end(), v,
                               [](const auto& o, VertexId w) { return o.first < w; });
    if (at == options_.origins.end() || at->first != v) out.push_back(mesh_.point(v));
    for (; at != options_.origins.end() && at->first == v; ++at) out.push_back(at->second);
  }

  // The ends of both pieces face something each.
  void propose(const FacingPair& pair, std::vector<Proposal>& out) const {
    const bool turned = !pair.same_way;
    propose_end(pair.first, pair.first.begin, pair.second,
                turned ? pair.second.end : pair.second.begin, pair.width_begin, out);
    propose_end(pair.first, pair.first.end, pair.second,
                turned ? pair.second.begin : pair.second.end, pair.width_end, out);
  }
  void propose_end(const RimPiece& first, double s, const RimPiece& second, double t, double width,
                   std::vector<Proposal>& out) const {
    if (width > tolerance_) return;
    if (s == 0 || s == 1) face(vertex_at(first, s), second, t, width, out);
    if (t == 0 || t == 1) face(vertex_at(second, t), first, s, width, out);
  }
  [[nodiscard]] VertexId vertex_at(const RimPiece& piece, double end) const {
    const NakedEdge& e = pairing_.naked[piece.naked];
    return end == 0 ? e.from : e.to;
  }
  void face(VertexId v, const RimPiece& piece, double t, double width,
            std::vector<Proposal>& out) const {
    if (is_banned(v)) return;
    const NakedEdge& e = pairing_.naked[piece.naked];
    const VertexId u = t < 0.5 ? e.from : e.to;
    if (u == v || e.from == v || e.to == v) return;
    const double length = (mesh_.point(e.to) - mesh_.point(e.from)).norm();
    const double along = std::min(t, 1 - t) * length;
    const double distance = (mesh_.point(u) - mesh_.point(v)).norm();
    const double shortest = std::min(shortest_[number(u)], shortest_[number(v)]);
    if (along <= kMergeFraction * shortest && distance <= tolerance_ && !is_banned(u)) {
      out.push_back({1, distance, std::min(u, v), std::max(u, v), kNoIndex, 0});
    }
    // Also asked for where both may become one: that may be refused.
    if (t > 0 && t < 1) out.push_back({2, width, v, v, piece.naked, t});
  }

  [[nodiscard]] std::vector<bool> corners() const {
    std::vector<std::uint8_t> edges(vertices_.size(), 0);
    std::vector<std::array<std::uint32_t, 2>> first_two(vertices_.size());
    for (std::uint32_t i = 0; i < pairing_.naked.size(); ++i) {
      for (const VertexId v : {pairing_.naked[i].from, pairing_.naked[i].to}) {
        const std::uint32_t n = number(v);
        if (edges[n] < 2) first_two[n][edges[n]] = i;
        if (edges[n] < 3) ++edges[n];
      }
    }
    const auto direction = [&](std::uint32_t i) -> Vector {
      const NakedEdge& e = pairing_.naked[i];
      return (mesh_.point(e.to) - mesh_.point(e.from)).normalized();
    };
    std::vector<bool> corner(vertices_.size());
    for (std::size_t i = 0; i < corner.size(); ++i) {
      corner[i] = edges[i] != 2 ||
                  direction(first_two[i][0]).dot(direction(first_two[i][1])) < kRimCornerCosine;
    }
    return corner;
  }

  // Corners of different rims near each other, if the pairs say that their surroundings face each
  // other; of each component the nearest.
  void propose_corners(std::vector<Proposal>& out) const {
    const std::vector<bool> corner = corners();
    std::vector<VertexId> list;
    Array<FloatBox> boxes;
    for (std::size_t i = 0; i < vertices_.size(); ++i) {
      if (!corner[i] || is_banned(vertices_[i])) continue;
      list.push_back(vertices_[i]);
      boxes.push_back(FloatBox(Box{mesh_.point(list.back()), mesh_.point(list.back())}));
    }
    const BoxTree tree(std::move(boxes));
    // Components that a vertex belongs to, and those that its edges face.
    std::vector<std::vector<ShellId>> own(vertices_.size()), faced(vertices_.size());
    for (const NakedEdge& e : pairing_.naked) {
      for (const VertexId v : {e.from, e.to}) {
        const std::uint32_t n = number(v);
        if (corner[n]) own[n].push_back(e.component);
      }
    }
    // Copies of a corner lie no farther apart than a few widths of the cracks that end there.
    constexpr double kWidths = 4.0;
    std::vector<double> reach_of(vertices_.size(), 0.0);
    const auto face_component = [&](VertexId v, ShellId component, const FacingPair& pair) {
      const std::uint32_t n = number(v);
      if (!corner[n]) return;
      faced[n].push_back(component);
      reach_of[n] = std::max(reach_of[n], kWidths * pair.largest_width());
    };
    for (const FacingPair& pair : pairing_.pairs) {
      if (pair.largest_width() > tolerance_) continue;
      const NakedEdge& e = pairing_.naked[pair.first.naked];
      const NakedEdge& f = pairing_.naked[pair.second.naked];
      for (const VertexId v : {e.from, e.to}) face_component(v, f.component, pair);
      for (const VertexId v : {f.from, f.to}) face_component(v, e.component, pair);
    }
    for (const VertexId v : list) {
      struct Near {
        ShellId component;
        double distance;
        VertexId vertex;
        auto operator<=>(const Near&) const = default;
      };
      std::vector<Near> near;
      const Point& p = mesh_.point(v);
      const double within = std::min(tolerance_, reach_of[number(v)]);
      const Vector reach = Vector::Constant(within);
      tree.for_each_meeting(FloatBox(Box{p - reach, p + reach}), [&](std::uint32_t i) {
        const VertexId u = list[i];
        const double distance = (mesh_.point(u) - p).norm();
        if (u == v || distance > within) return;
        for (const ShellId component : own[number(u)]) {
          const auto& wanted = faced[number(v)];
          if (std::find(wanted.begin(), wanted.end(), component) == wanted.end()) continue;
          near.push_back({component, distance, u});
        }
      });
      std::sort(near.begin(), near.end());
      for (std::size_t i = 0; i < near.size(); ++i) {
        if (i > 0 && near[i].component == near[i - 1].component) continue;
        out.push_back({0, near[i].distance, std::min(near[i].vertex, v),
                       std::max(near[i].vertex, v), kNoIndex, 0});
      }
    }
  }

  [[nodiscard]] bool within_tolerance(const Content& a, const Content& b,
                                      const Point& place) const {
    const auto all_near = [&](const Content& c) {
      return std::all_of(c.origins.begin(), c.origins.end(),
                         [&](const Point& p) { return (p - place).norm() <= tolerance_; });
    };
    return all_near(a) && all_near(b);
  }

  void unite(const Proposal& p) {
    const std::uint32_t x = root(number(p.vertex));
    const std::uint32_t y = root(number(p.other));
    if (x == y) return;
    Content& a = content_[std::min(x, y)];
    Content& b = content_[std::max(x, y)];
    if (!within_tolerance(a, b, place(a.sum + b.sum, a.weight + b.weight))) return;
    for (const VertexId u : a.members) {
      for (const VertexId v : b.members) {
        if (edges_.find(u, v)) return;
      }
    }
    sets_->unite(x, y);
    a.members.insert(a.members.end(), b.members.begin(), b.members.end());
    a.origins.insert(a.origins.end(), b.origins.begin(), b.origins.end());
    a.sum += b.sum;
    a.weight += b.weight;
    b = {};
  }

  void insert(const Proposal& p) {
    const std::uint32_t x = root(number(p.vertex));
    const NakedEdge& e = pairing_.naked[p.naked];
    Content& c = content_[x];
    if (root(number(e.from)) == x || root(number(e.to)) == x) return;
    // The triangle's own corner would be put into its side.
    for (const VertexId v : c.members) {
      if (v == e.apex) return;
    }
    for (const Insertion& i : c.insertions) {
      if (i.naked == p.naked) return;
    }
    const Point on_edge = mesh_.point(e.from) + p.at * (mesh_.point(e.to) - mesh_.point(e.from));
    Content addition;
    addition.origins = {on_edge};
    if (!options_.edge_origins.empty()) {
      const auto& [from, to] = options_.edge_origins[p.naked];
      addition.origins = {from + p.at * (to - from)};
    }
    addition.sum = on_edge;
    addition.weight = 1;
    if (!within_tolerance(c, addition, place(c.sum + addition.sum, c.weight + 1))) return;
    c.origins.push_back(addition.origins[0]);
    c.sum += on_edge;
    c.weight += 1;
    c.insertions.push_back({p.naked, p.at, p.vertex});
  }

  ZipPlan result() {
    ZipPlan plan;
    for (std::uint32_t i = 0; i < content_.size(); ++i) {
      Content& c = content_[i];
      if (root(i) != i || c.members.size() + c.insertions.size() < 2) continue;
      std::sort(c.members.begin(), c.members.end());
      plan.knots.push_back({std::move(c.members), std::move(c.insertions), place(c.sum, c.weight)});
    }
    std::sort(plan.knots.begin(), plan.knots.end(),
              [](const Knot& a, const Knot& b) { return a.members[0] < b.members[0]; });
    return plan;
  }

  const Welded& mesh_;
  const EdgeTable& edges_;
  const RimPairing& pairing_;
  double tolerance_;
  const ZipOptions& options_;
  std::vector<std::uint32_t> number_;  // by vertex; kNoIndex if it is on no rim
  std::vector<VertexId> vertices_;
  std::vector<double> shortest_;
  std::optional<DisjointSets> sets_;
  std::vector<Content> content_;
};

// ---- Carrying it out.

// A vertex on the outline of a triangle.
struct OnOutline {
  VertexId vertex;
  CornerSource source;
};
using Chain = std::vector<OnOutline>;
using Piece = std::array<OnOutline, 3>;

// Divides a triangle whose sides carry additional vertices. The chain of side k runs from corner k
// to the next, both included.
class Divider {
 public:
  Divider(std::array<Chain, 3> sides, std::span<const Point> points, std::vector<Piece>& out)
      : sides_(std::move(sides)), points_(points), out_(out) {}

  void divide() {
    // Opposite of the corner from which strips begin lies the side with the fewest vertices.
    int base = 0;
    for (int k = 1; k < 3; ++k) {
      if (sides_[k].size() < sides_[base].size()) base = k;
    }
    const bool one_side = std::count_if(sides_.begin(), sides_.end(),
                                        [](const Chain& c) { return c.size() > 2; }) == 1;
    if (one_side) {
      base = 0;
      while (sides_[base].size() == 2) ++base;
    }
    const Chain& left = sides_[(base + 2) % 3];  // from the apex to where the base begins
    Chain right = sides_[(base + 1) % 3];        // from where the base ends to the apex
    std::reverse(right.begin(), right.end());
    strip(left, right, sides_[base]);
  }

 private:
  [[nodiscard]] double squared(const OnOutline& a, const OnOutline& b) const {
    return (points_[a.vertex.value] - points_[b.vertex.value]).squaredNorm();
  }
  // Down both sides from the apex, by the shorter diagonal; the last triangle is fanned out over
  // the base.
  void strip(const Chain& left, const Chain& right, const Chain& base) {
    std::size_t i = 1;
    std::size_t j = 1;
    const OnOutline apex = left[0];
    if (left.size() == 2 && right.size() == 2) return fan(apex, base);
    out_.push_back({{apex, left[1], right[1]}});
    while (i + 1 < left.size() || j + 1 < right.size()) {
      const bool can_left = i + 1 < left.size();
      const bool can_right = j + 1 < right.size();
      const bool go_left = can_left && (!can_right || squared(left[i + 1], right[j]) <=
                                                          squared(left[i], right[j + 1]));
      // The triangle that would have the whole base for a side is fanned out.
      const bool last = (go_left ? i + 2 == left.size() && j + 1 == right.size()
                                 : j + 2 == right.size() && i + 1 == left.size());
      if (last) return fan(go_left ? left[i] : right[j], base);
      if (go_left) {
        out_.push_back({{left[i], left[i + 1], right[j]}});
        ++i;
      } else {
        out_.push_back({{left[i], right[j + 1], right[j]}});
        ++j;
      }
    }
  }
  void fan(const OnOutline& apex, const Chain& base) {
    for (std::size_t k = 1; k < base.size(); ++k) out_.push_back({{apex, base[k - 1], base[k]}});
  }

  std::array<Chain, 3> sides_;
  std::span<const Point> points_;
  std::vector<Piece>& out_;
};

// A vertex put into a half-edge (3 x triangle + corner).
struct Put {
  std::uint32_t half_edge;
  double at;
  VertexId vertex;
  friend auto operator<=>(const Put&, const Put&) = default;
};

}  // namespace

ZipPlan plan_zip(const Welded& mesh, const EdgeTable& edges, const RimPairing& pairing,
                 double tolerance, const ZipOptions& options) {
  return Planner(mesh, edges, pairing, tolerance, options).plan();
}

Zipped apply_zip(const Welded& mesh, std::span<const PatchId> patch_of, const RimPairing& pairing,
                 const ZipPlan& plan) {
  Zipped zipped;
  const std::size_t count = mesh.points().size();
  // The lowest member stands for its knot.
  std::vector<std::uint32_t> knot_of_old(count, kNoIndex);
  for (std::uint32_t k = 0; k < plan.knots.size(); ++k) {
    for (const VertexId v : plan.knots[k].members) knot_of_old[v.value] = k;
  }
  zipped.new_vertex.resize(count);
  Mesh& out = zipped.mesh;
  out.points.reserve(count);
  for (std::uint32_t v = 0; v < count; ++v) {
    const std::uint32_t k = knot_of_old[v];
    if (k != kNoIndex && plan.knots[k].members[0].value != v) {
      zipped.new_vertex[v] = zipped.new_vertex[plan.knots[k].members[0].value];
      continue;
    }
    zipped.new_vertex[v] = {static_cast<std::uint32_t>(out.points.size())};
    zipped.knot_of.push_back(k);
    out.points.push_back(k == kNoIndex ? mesh.points()[v] : plan.knots[k].place);
  }

  std::vector<Put> puts;
  std::vector<bool> is_divided(mesh.triangles().size());
  for (const Knot& knot : plan.knots) {
    zipped.insertions_of.push_back(static_cast<std::uint32_t>(knot.insertions.size()));
    for (const Insertion& i : knot.insertions) {
      const NakedEdge& e = pairing.naked[i.naked];
      const Triangle& t = mesh.triangle(e.triangle);
      const std::uint32_t corner = t[0] == e.from ? 0 : t[1] == e.from ? 1 : 2;
      puts.push_back(
          {e.triangle.value * 3 + corner, i.at, zipped.new_vertex[knot.members[0].value]});
      is_divided[e.triangle.value] = true;
    }
  }
  zipped.inserted = puts.size();
  std::sort(puts.begin(), puts.end());

  std::vector<Piece> pieces;
  const auto triangle_count = static_cast<std::uint32_t>(mesh.triangles().size());
  out.triangles.reserve(triangle_count + 2 * zipped.inserted);
  zipped.parent.reserve(triangle_count + 2 * zipped.inserted);
  const auto add = [&](const Piece& piece, std::uint32_t parent) {
    const bool changed = std::any_of(piece.begin(), piece.end(), [&](const OnOutline& o) {
      return zipped.knot_of[o.vertex.value] != kNoIndex;
    });
    if (changed) {
      zipped.changed.push_back({static_cast<std::uint32_t>(out.triangles.size())});
      zipped.sources.push_back({piece[0].source, piece[1].source, piece[2].source});
    }
    out.triangles.push_back({{piece[0].vertex, piece[1].vertex, piece[2].vertex}});
    if (!patch_of.empty()) out.patch_of.push_back(patch_of[parent]);
    zipped.parent.push_back({parent});
  };
  std::size_t put = 0;  // triangles and puts come in the same order
  for (std::uint32_t t = 0; t < triangle_count; ++t) {
    const Triangle& old = mesh.triangles()[t];
    Piece whole{};
    for (std::uint8_t c = 0; c < 3; ++c) whole[c] = {zipped.new_vertex[old[c].value], {c, 0}};
    if (!is_divided[t]) {
      add(whole, t);
      continue;
    }
    std::array<Chain, 3> sides;
    for (std::uint8_t c = 0; c < 3; ++c) {
      sides[c].push_back(whole[c]);
      for (; put < puts.size() && puts[put].half_edge == 3 * t + c; ++put) {
        sides[c].push_back({puts[put].vertex, {c, puts[put].at}});
      }
      sides[c].push_back(whole[(c + 1) % 3]);
    }
    pieces.clear();
    Divider(std::move(sides), out.points, pieces).divide();
    for (const Piece& piece : pieces) add(piece, t);
  }
  out.wires.reserve(mesh.wires().size());
  for (const Wire& w : mesh.wires()) {
    out.wires.push_back({zipped.new_vertex[w[0].value], zipped.new_vertex[w[1].value]});
  }
  // Knots may come to lie on other points: whoever needs it welds again.
  return zipped;
}

}  // namespace aguja
