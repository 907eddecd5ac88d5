#include "aguja/solid/winding_cells.h"

#include <algorithm>
#include <cmath>
#include <memory>
#include <numeric>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"
#include "base/disjoint_sets.h"
#include "solid/cell_sides.h"

namespace aguja {
namespace {

class CellFinder {
 public:
  CellFinder(const Welded& mesh, const Arrangement& arrangement,
             std::span<const std::uint32_t> label_of, std::size_t labels)
      : mesh_(mesh), a_(arrangement), label_of_(label_of) {
    out_.labels = labels;
    out_.pieces.resize(a_.pieces().size());
    parallel_ranges(out_.pieces.size(), kGrain, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        for (std::size_t k = 0; k < 3; ++k) out_.pieces[i][k] = {a_.pieces()[i][k].value};
      }
    });
    out_.edges = EdgeTable(out_.pieces, a_.points().size());
  }

  [[nodiscard]] WindingCells run() {
    join_sides();
    number_cells();
    walk_through_pieces();
    add_what_is_around();
    return std::move(out_);
  }

 private:
  static constexpr std::size_t kGrain = std::size_t{1} << 12;

  [[nodiscard]] std::size_t piece_count() const { return out_.pieces.size(); }
  [[nodiscard]] static ExactPointId point(VertexId v) { return {v.value}; }
  // The side of a use's piece that looks counter-clockwise about the edge.
  [[nodiscard]] static std::uint32_t side(EdgeUse use) {
    return side_about(use, use.triangle().value, true);
  }
  [[nodiscard]] std::vector<HalfPlane> half_planes(std::span<const EdgeUse> uses) const {
    std::vector<HalfPlane> planes;
    for (const EdgeUse use : uses) {
      const std::uint32_t piece = use.triangle().value;
      planes.push_back({a_.plane(piece), a_.pieces()[piece][(use.corner() + 2) % 3]});
    }
    return planes;
  }
  // Those of an edge in counter-clockwise order; no two pieces lie on each other.
  [[nodiscard]] std::vector<EdgeUse> by_angle(EdgeId e) const {
    const std::span<const EdgeUse> uses = out_.edges.uses(e);
    const Edge& edge = out_.edges.edge(e);
    std::vector<EdgeUse> sorted;
    for (const auto& group :
         order_around(a_.points(), point(edge.low), point(edge.high), half_planes(uses))) {
      if (group.size() != 1) throw InternalError("pieces of an arrangement lie on each other");
      sorted.push_back(uses[group[0]]);
    }
    return sorted;
  }

  void join_sides() {
    DisjointSets sides(2 * piece_count()), sets(piece_count());
    parallel_ranges(out_.edges.size(), kGrain, [&](Range r) {
      std::vector<EdgeUse> sorted;
      for (std::size_t i = r.begin; i < r.end; ++i) {
        const EdgeId e{static_cast<std::uint32_t>(i)};
        std::span<const EdgeUse> uses = out_.edges.uses(e);
        if (uses.size() > 2) {
          sorted = by_angle(e);
          uses = sorted;
        }
        join_sides_around(
            uses, [](TriangleId t) { return t.value; },
            [&](std::uint32_t a, std::uint32_t b) {
              sides.unite(a, b);
              sets.unite(a / 2, b / 2);
            });
      }
    });
    side_root_.resize(2 * piece_count());
    set_of_piece_.resize(piece_count());
    parallel_ranges(side_root_.size(), kGrain, [&](Range r) {
      for (std::size_t s = r.begin; s < r.end; ++s) {
        side_root_[s] = sides.find(static_cast<std::uint32_t>(s));
      }
    });
    std::uint32_t count = 0;
    for (std::uint32_t i = 0; i < piece_count(); ++i) {
      const std::uint32_t root = sets.find(i);
      set_of_piece_[i] = root == i ? count++ : set_of_piece_[root];
    }
    out_.is_open.assign(count, false);
    out_.label_is_open.assign(count * out_.labels, false);
    first_of_set_.assign(count + 1, 0);
    for (const std::uint32_t s : set_of_piece_) ++first_of_set_[s + 1];
    std::partial_sum(first_of_set_.begin(), first_of_set_.end(), first_of_set_.begin());
    by_set_.resize(piece_count());
    std::vector<std::uint32_t> next(first_of_set_.begin(), first_of_set_.end() - 1);
    for (std::uint32_t i = 0; i < piece_count(); ++i) by_set_[next[set_of_piece_[i]]++] = i;
  }

  [[nodiscard]] std::size_t set_count() const { return out_.is_open.size(); }
  [[nodiscard]] std::span<const std::uint32_t> pieces_of(std::size_t set) const {
    return {by_set_.data() + first_of_set_[set], by_set_.data() + first_of_set_[set + 1]};
  }

  void number_cells() {
    out_.of_side.resize(side_root_.size());
    std::vector<std::uint32_t> number(side_root_.size(), kNoIndex);
    for (std::uint32_t set = 0; set < set_count(); ++set) {
      Box box;
      for (const std::uint32_t i : pieces_of(set)) {
        for (const ExactPointId p : a_.pieces()[i]) box.extend(a_.points().bounds(p).center());
      }
      const Point origin = box.center();
      for (const std::uint32_t i : pieces_of(set)) {
        const auto corner = [&](std::size_t k) {
          return Vector(a_.points().bounds(a_.pieces()[i][k]).center() - origin);
        };
        const double cone = corner(0).dot(corner(1).cross(corner(2))) / 6;
        for (std::uint32_t s = 0; s < 2; ++s) {
          std::uint32_t& cell = number[side_root_[2 * i + s]];
          if (cell == kNoIndex) {
            cell = static_cast<std::uint32_t>(out_.volume.size());
            out_.volume.push_back(0);
            out_.set_of.push_back(set);
          }
          out_.of_side[2 * i + s] = cell;
          out_.volume[cell] += s == 0 ? -cone : cone;
        }
      }
    }
    out_.winding.resize(out_.count() * out_.labels);
    std::fill(out_.winding.begin(), out_.winding.end(), 0);
  }

  // How often more each label winds around what is behind the piece than around what is in front.
  void add_step(std::uint32_t piece, std::span<std::int32_t> step) const {
    std::fill(step.begin(), step.end(), 0);
    for (const PieceParent p : a_.parents(piece)) {
      step[label(p.triangle().value)] += p.opposite() ? -1 : 1;
    }
  }

  // Winding numbers of all cells of a set against that of its outside. An edge at which they
  // contradict each other makes it open.
  void walk_through_pieces() {
    find_outer_cells();
    std::vector<std::uint32_t> first(out_.count() + 1, 0), sides(out_.of_side.size());
    for (const std::uint32_t cell : out_.of_side) ++first[cell + 1];
    std::partial_sum(first.begin(), first.end(), first.begin());
    std::vector<std::uint32_t> next(first.begin(), first.end() - 1);
    for (std::uint32_t s = 0; s < sides.size(); ++s) sides[next[out_.of_side[s]]++] = s;
    std::vector<bool> reached(out_.count(), false);
    std::vector<std::int32_t> step(out_.labels);
    std::vector<std::uint32_t> pending;
    for (std::uint32_t set = 0; set < set_count(); ++set) {
      pending.assign(1, out_.outer[set]);
      reached[out_.outer[set]] = true;
      while (!pending.empty()) {
        const std::uint32_t cell = pending.back();
        pending.pop_back();
        for (std::uint32_t i = first[cell]; i < first[cell + 1]; ++i) {
          const std::uint32_t here = sides[i], there = here ^ 1U;
          const std::uint32_t other = out_.of_side[there];
          add_step(here / 2, step);
          const std::int32_t sign = here % 2 == 0 ? 1 : -1;
          for (std::size_t l = 0; l < out_.labels; ++l) {
            const std::int32_t value = out_.winding[cell * out_.labels + l] + sign * step[l];
            std::int32_t& known = out_.winding[other * out_.labels + l];
            if (!reached[other]) {
              known = value;
            } else if (known != value) {
              out_.is_open[set] = true;
              out_.label_is_open[set * out_.labels + l] = true;
            }
          }
          if (reached[other]) continue;
          reached[other] = true;
          pending.push_back(other);
        }
      }
    }
  }

  // The outermost vertex of each set, and the cell on its far side.
  void find_outer_cells() {
    const auto given = static_cast<std::uint32_t>(mesh_.points().size());
    outermost_.assign(set_count(), kNoIndex);
    for (std::uint32_t i = 0; i < piece_count(); ++i) {
      std::uint32_t& best = outermost_[set_of_piece_[i]];
      for (const ExactPointId p : a_.pieces()[i]) {
        if (p.value >= given) continue;
        if (best == kNoIndex ||
            lexicographically_less(mesh_.points()[best], mesh_.points()[p.value])) {
          best = p.value;
        }
      }
    }
    std::vector<std::vector<std::uint32_t>> at(set_count());
    for (std::uint32_t i = 0; i < piece_count(); ++i) {
      const std::uint32_t set = set_of_piece_[i];
      for (const ExactPointId p : a_.pieces()[i]) {
        if (p.value == outermost_[set]) at[set].push_back(i);
      }
    }
    out_.outer.resize(set_count());
    parallel_ranges(set_count(), 64, [&](Range r) {
      for (std::size_t set = r.begin; set < r.end; ++set) {
        out_.outer[set] = outer_cell({outermost_[set]}, at[set]);
      }
    });
  }
  // All directions from the outermost vertex q into the set point down along x, or, if not along x
  // at all, down along y, or along z alone. Seen along z they fill less than half a turn: at the edge
  // that is the last of them counter-clockwise, what lies beyond is outside.
  [[nodiscard]] std::uint32_t outer_cell(ExactPointId q,
                                         std::span<const std::uint32_t> pieces) const {
    constexpr int kAlongZ = 2;
    const ExactPoints& points = a_.points();
    std::vector<ExactPointId> ends;
    for (const std::uint32_t i : pieces) {
      for (const ExactPointId p : a_.pieces()[i]) {
        if (points.compare(p, q, 0) != 0 || points.compare(p, q, 1) != 0) ends.push_back(p);
      }
    }
    ExactPointId last = ends[0];
    for (const ExactPointId p : ends) {
      if (points.orient2d(q, last, p, kAlongZ) > 0) last = p;
    }
    const EdgeId e = *out_.edges.find({q.value}, {last.value});
    const Edge& edge = out_.edges.edge(e);
    const ExactPointId low = point(edge.low), high = point(edge.high);
    const std::vector<EdgeUse> uses = by_angle(e);
    if (uses.size() == 1) return out_.of_side[side(uses[0])];
    // All pieces lie within half a turn: what lies beyond is at least the other half.
    const std::vector<HalfPlane> planes = half_planes(uses);
    std::vector<std::size_t> halves;
    for (std::size_t k = 0; k < uses.size(); ++k) {
      const int turn = turn_around(points, low, high, planes[k], planes[(k + 1) % uses.size()]);
      if (turn < 0) return out_.of_side[side(uses[k])];
      if (turn == 0) halves.push_back(k);
    }
    if (halves.size() == 1) return out_.of_side[side(uses[halves[0]])];
    // Two pieces in one plane: the set is on that side of it on which its other edges at q are.
    const std::uint32_t piece = uses[0].triangle().value;
    for (const ExactPointId p : ends) {
      const int where = points.orient3d(planes[0].plane, p);
      if (where != 0) return out_.of_side[2 * piece + (where > 0 ? 1U : 0U)];
    }
    return out_.of_side[2 * piece];
  }

  // Sets touch each other in vertices at most. What is around a set can thus be told at any of its
  // points that is not a vertex of another: at a vertex, or else between two of them.
  struct Places {
    Array<Point> given;  // empty: those of the mesh
    std::unique_ptr<ExactPoints> own;
    const ExactPoints* points = nullptr;
    std::vector<ExactPointId> of_set;
  };
  [[nodiscard]] Places places_on_sets() const {
    const auto given = static_cast<std::uint32_t>(mesh_.points().size());
    constexpr std::uint32_t kSeveral = kNoIndex - 1;
    std::vector<std::uint32_t> set_at(a_.points().size(), kNoIndex);
    for (std::uint32_t i = 0; i < piece_count(); ++i) {
      for (const ExactPointId p : a_.pieces()[i]) {
        std::uint32_t& known = set_at[p.value];
        known = known == kNoIndex || known == set_of_piece_[i] ? set_of_piece_[i] : kSeveral;
      }
    }
    Places places;
    places.of_set.assign(set_count(), {kNoIndex});
    for (std::uint32_t v = 0; v < given; ++v) {
      if (set_at[v] < set_count()) places.of_set[set_at[v]] = {v};
    }
    places.points = &a_.points();
    if (std::none_of(places.of_set.begin(), places.of_set.end(),
                     [](ExactPointId p) { return p.value == kNoIndex; })) {
      return places;
    }
    add_places_between(places);
    return places;
  }
  // Where an edge of one of its triangles meets a plane across an axis.
  void add_places_between(Places& places) const {
    places.given.assign(mesh_.points().begin(), mesh_.points().end());
    std::vector<LineAndPlane> definitions;
    std::vector<std::uint32_t> sets;
    for (std::uint32_t set = 0; set < set_count(); ++set) {
      if (places.of_set[set].value != kNoIndex) continue;
      const Triangle& t = mesh_.triangle(a_.parents(pieces_of(set)[0])[0].triangle());
      const Point &p = mesh_.point(t[0]), &q = mesh_.point(t[1]);
      Eigen::Index axis = 0;
      (q - p).cwiseAbs().maxCoeff(&axis);
      const double at = place_between(set, t, axis);
      const auto first = static_cast<std::uint32_t>(places.given.size());
      for (int k = 0; k < 3; ++k) {
        Point corner = p;
        corner[axis] = at;
        // Far enough off to be another number.
        if (k > 0) {
          double& c = corner[(axis + k) % 3];
          c += std::max(1.0, std::fabs(c));
        }
        places.given.push_back(corner);
      }
      definitions.push_back({{t[0].value, t[1].value}, {first, first + 1, first + 2}});
      sets.push_back(set);
    }
    places.own = std::make_unique<ExactPoints>(places.given);
    const auto ids = places.own->add(std::span<const LineAndPlane>(definitions));
    for (std::size_t i = 0; i < ids.size(); ++i) {
      if (!ids[i]) throw InternalError("an edge meets no plane across its longest axis");
      places.of_set[sets[i]] = *ids[i];
    }
    places.points = places.own.get();
  }
  // A coordinate strictly between the ends of the triangle's first edge at which the set has no
  // vertex. Of the doubles there, no more than a few are taken by the rounded ones of vertices.
  [[nodiscard]] double place_between(std::uint32_t set, const Triangle& t,
                                     Eigen::Index axis) const {
    const double p = mesh_.point(t[0])[axis], q = mesh_.point(t[1])[axis];
    std::vector<double> taken = {p, q};
    for (const std::uint32_t i : pieces_of(set)) {
      for (const ExactPointId v : a_.pieces()[i]) {
        const Box box = a_.points().bounds(v);
        taken.push_back(box.low[axis]);
        taken.push_back(box.high[axis]);
      }
    }
    std::sort(taken.begin(), taken.end());
    // The widest room between them.
    const auto [low, high] = std::minmax(p, q);
    double best = low, width = 0;
    for (std::size_t k = 0; k + 1 < taken.size(); ++k) {
      const double from = std::max(taken[k], low), to = std::min(taken[k + 1], high);
      if (to - from > width) {
        width = to - from;
        best = from + 0.5 * width;
      }
    }
    if (!(best > low && best < high)) throw InternalError("no room between vertices of an edge");
    return best;
  }

  void add_what_is_around() {
    const Places places = places_on_sets();
    std::vector<std::uint32_t> set_of_triangle(mesh_.triangles().size(), kNoIndex);
    for (std::uint32_t i = 0; i < piece_count(); ++i) {
      for (const PieceParent p : a_.parents(i)) {
        set_of_triangle[p.triangle().value] = set_of_piece_[i];
      }
    }
    const std::vector<std::int32_t> around = winding_of_others(places, set_of_triangle);
    for (std::uint32_t cell = 0; cell < out_.count(); ++cell) {
      const std::uint32_t set = out_.set_of[cell];
      for (std::size_t l = 0; l < out_.labels; ++l) {
        std::int32_t& winding = out_.winding[cell * out_.labels + l];
        const std::size_t own = set * out_.labels + l;
        winding = (out_.label_is_open[own] ? 0 : winding) + around[own];
      }
    }
  }

  // By set and label: how often closed sets wind around a place on each other one. Signed hits of a
  // ray along x, thought moved by an infinitely small amount in y and far less in z.
  [[nodiscard]] std::vector<std::int32_t> winding_of_others(
      const Places& places, std::span<const std::uint32_t> set_of_triangle) const {
    struct Query {
      Box box;
      ExactPointId point;
      std::uint32_t set;
    };
    std::vector<Query> queries;
    double widest = 0;
    for (std::uint32_t set = 0; set < set_count(); ++set) {
      queries.push_back({places.points->bounds(places.of_set[set]), places.of_set[set], set});
      widest = std::max(widest, queries.back().box.high.y() - queries.back().box.low.y());
    }
    std::sort(queries.begin(), queries.end(), [](const Query& a, const Query& b) {
      return a.box.high.y() != b.box.high.y() ? a.box.high.y() < b.box.high.y() : a.set < b.set;
    });
    struct RayHit {
      std::uint32_t set, label;
      std::int32_t sign;
    };
    const auto hits = parallel_collect<RayHit>(
        set_of_triangle.size(), kGrain, [&](Range r, std::vector<RayHit>& out) {
          for (std::size_t t = r.begin; t < r.end; ++t) {
            const std::uint32_t own = set_of_triangle[t];
            if (own == kNoIndex || out_.label_is_open[own * out_.labels + label(t)]) continue;
            const Triangle& corners = mesh_.triangles()[t];
            Box box;
            for (const VertexId v : corners.corner) box.extend(mesh_.point(v));
            auto q = std::lower_bound(
                queries.begin(), queries.end(), box.low.y(),
                [](const Query& query, double y) { return query.box.high.y() < y; });
            for (; q != queries.end() && q->box.high.y() - 2 * widest <= box.high.y(); ++q) {
              if (q->set == own || q->box.low.y() > box.high.y() || q->box.high.z() < box.low.z() ||
                  q->box.low.z() > box.high.z() || q->box.low.x() > box.high.x()) {
                continue;
              }
              const std::int32_t sign = hit(*places.points, corners, q->point);
              if (sign != 0) out.push_back({q->set, label(t), sign});
            }
          }
        });
    std::vector<std::int32_t> around(set_count() * out_.labels, 0);
    for (const RayHit& h : hits) around[h.set * out_.labels + h.label] += h.sign;
    return around;
  }
  [[nodiscard]] std::uint32_t label(std::size_t triangle) const {
    return label_of_.empty() ? 0 : label_of_[triangle];
  }
  // +1 where the ray leaves through the triangle, -1 where it enters, 0 where it misses it.
  [[nodiscard]] static std::int32_t hit(const ExactPoints& points, const Triangle& t,
                                        ExactPointId q) {
    constexpr int kAlongX = 0, kY = 1, kZ = 2;
    const auto moved_side = [&](VertexId from, VertexId to) {
      const ExactPointId a = point(from), b = point(to);
      if (const int sign = points.orient2d(a, b, q, kAlongX); sign != 0) return sign;
      if (const int z = points.compare(a, b, kZ); z != 0) return z;
      return -points.compare(a, b, kY);
    };
    const int turn = moved_side(t[0], t[1]);
    if (turn == 0 || moved_side(t[1], t[2]) != turn || moved_side(t[2], t[0]) != turn) return 0;
    // `turn` is also the sign of the x component of the normal.
    const int side = points.orient3d({t[0].value, t[1].value, t[2].value}, q);
    return side == -turn ? turn : 0;
  }

  const Welded& mesh_;
  const Arrangement& a_;
  std::span<const std::uint32_t> label_of_;
  WindingCells out_;
  std::vector<std::uint32_t> side_root_;
  std::vector<std::uint32_t> set_of_piece_;
  std::vector<std::uint32_t> first_of_set_, by_set_;
  std::vector<std::uint32_t> outermost_;  // by set, a vertex of the mesh
};

}  // namespace

WindingCells find_winding_cells(const Welded& mesh, const Arrangement& arrangement,
                                std::span<const std::uint32_t> label_of, std::size_t labels) {
  if (!label_of.empty() && label_of.size() != mesh.triangles().size()) {
    throw ArgumentError("find_winding_cells: there must be a label for each triangle");
  }
  for (const std::uint32_t l : label_of) {
    if (l >= labels) throw ArgumentError("find_winding_cells: a label that does not exist");
  }
  return CellFinder(mesh, arrangement, label_of, labels).run();
}

}  // namespace aguja
