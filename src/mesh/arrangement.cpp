#include "aguja/mesh/arrangement.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <tuple>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"
#include "aguja/mesh/duplicates.h"
#include "base/disjoint_sets.h"
#include "base/parallel_algorithms.h"
#include "mesh/pair_meetings.h"
#include "mesh/plane_division.h"

namespace aguja {
namespace {

// Products of six differences of coordinates stay finite.
constexpr double kLargestArranged = 1e150;
constexpr std::size_t kGrainOfPairs = 256;

// What a part is at least against its distance from the origin, and against nothing.
constexpr double kLeastSizeByPlace = 0x1p-40;
constexpr double kLeastSize = 0x1p-900;

// Points outside of the model along the axes: with two points of a plane that is seen best along an
// axis, the one on it makes a plane across.
std::array<Point, 3> points_beside(std::span<const Point> points) {
  Box box;
  for (const Point& p : points) box.extend(p);
  const double size =
      std::max((box.high - box.low).maxCoeff(), box.high.cwiseAbs().maxCoeff() * kLeastSizeByPlace);
  // Of few bits, so that what is made of them has few.
  const double unit = std::exp2(std::ceil(std::log2(std::max(size, kLeastSize))));
  Point middle;
  for (int k = 0; k < 3; ++k) middle[k] = std::round(box.center()[k] / unit) * unit;
  std::array<Point, 3> beside = {middle, middle, middle};
  // A plane through the box whose normal is largest along the axis is at most three sizes away from
  // the middle there, which itself may be half a unit off.
  for (int k = 0; k < 3; ++k) beside[static_cast<std::size_t>(k)][k] += 8 * unit;
  return beside;
}

}  // namespace

// Numbers the points, cuts the planes, and puts the pieces in order.
class Arranger {
 public:
  Arranger(const Welded& mesh, std::span<const TrianglePair> pairs, Progress* progress)
      : mesh_(mesh), progress_(progress) {
    find_copies();
    for (const TrianglePair& p : pairs) {
      if (stands_for_itself(p.first) && stands_for_itself(p.second)) pairs_.push_back(p);
    }
    out_.triangles_ = mesh.triangles();
    out_.given_.assign(mesh.points().begin(), mesh.points().end());
    if (!pairs_.empty()) {
      const auto beside = points_beside(mesh.points());
      out_.given_.insert(out_.given_.end(), beside.begin(), beside.end());
    }
    out_.points_ = std::make_unique<ExactPoints>(out_.given_);
  }

  [[nodiscard]] Arrangement run() {
    tell(0);
    if (!pairs_.empty()) {
      number_edges();
      collect_incisions();
      tell(0.2);
      make_points_on_edges();
      tell(0.4);
      group_planes();
      make_points_of_planes();
      tell(0.6);
      divide_planes();
    }
    write_pieces();
    tell(1);
    return std::move(out_);
  }

 private:
  // What the incisions ask for, with points made.
  struct OnEdge {
    std::uint32_t edge;
    std::uint32_t rank;
    ExactPointId point;
    auto operator<=>(const OnEdge&) const = default;
  };
  // A triangle that another one stands for, as that one's pieces have it.
  struct Copy {
    TriangleId of;
    PieceParent as;
    auto operator<=>(const Copy&) const = default;
  };
  // Triangles of the mesh that take part: they meet others, and stand for their copies.
  struct CutTriangles {
    std::vector<TriangleId> id;                       // rising
    std::vector<std::array<std::uint32_t, 3>> edge;   // edge k from corner k to the next
    std::vector<std::array<std::uint32_t, 2>> edges;  // their vertices, the lower first
  };
  struct Group {
    std::vector<std::uint32_t> members;  // of the cut triangles, rising
    std::vector<PlaneCut> cuts;
    std::vector<ExactPointId> points_in;
    std::vector<std::array<std::uint32_t, 3>> crossings;  // of three groups, rising
    ExactPoints::View view{};
    PlaneDivision division;
  };

  void tell(double done) { advance(progress_, "arrange", done); }
  ExactPoints& points() { return *out_.points_; }

  // Copies: triangles on the same three vertices. The first of them stands for all.
  void find_copies() {
    is_copy_.assign(mesh_.triangles().size(), false);
    for (const DuplicateGroup& g : find_duplicates(mesh_.triangles(), mesh_.points().size())) {
      for (const auto* side : {&g.same, &g.opposite}) {
        for (const TriangleId t : *side) {
          if (t == g.same[0]) continue;
          copies_.push_back({g.same[0], PieceParent(t, side == &g.opposite)});
          is_copy_[t.value] = true;
        }
      }
    }
    std::sort(copies_.begin(), copies_.end());
  }
  [[nodiscard]] bool stands_for_itself(TriangleId t) const { return !is_copy_[t.value]; }
  [[nodiscard]] bool has_area(TriangleId t) const {
    const Triangle& v = mesh_.triangle(t);
    return !has_equal_corners(v) &&
           !is_collinear(mesh_.point(v[0]), mesh_.point(v[1]), mesh_.point(v[2]));
  }
  void number_edges() {
    for (const TrianglePair& p : pairs_) {
      cut_.id.push_back(p.first);
      cut_.id.push_back(p.second);
    }
    parallel_sort(cut_.id.begin(), cut_.id.end());
    cut_.id.erase(std::unique(cut_.id.begin(), cut_.id.end()), cut_.id.end());
    const auto edge_at = [&](std::size_t i, std::size_t k) {
      const Triangle& t = mesh_.triangle(cut_.id[i]);
      const std::uint32_t from = t[k].value, to = t[(k + 1) % 3].value;
      return std::array{std::min(from, to), std::max(from, to)};
    };
    for (std::size_t i = 0; i < cut_.id.size(); ++i) {
      for (std::size_t k = 0; k < 3; ++k) cut_.edges.push_back(edge_at(i, k));
    }
    parallel_sort(cut_.edges.begin(), cut_.edges.end());
    cut_.edges.erase(std::unique(cut_.edges.begin(), cut_.edges.end()), cut_.edges.end());
    cut_.edge.resize(cut_.id.size());
    parallel_ranges(cut_.id.size(), kGrainOfPairs, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        for (std::size_t k = 0; k < 3; ++k) {
          const auto at = std::lower_bound(cut_.edges.begin(), cut_.edges.end(), edge_at(i, k));
          cut_.edge[i][k] = static_cast<std::uint32_t>(at - cut_.edges.begin());
        }
      }
    });
  }

  [[nodiscard]] std::uint32_t cut_number(TriangleId t) const {
    return static_cast<std::uint32_t>(std::lower_bound(cut_.id.begin(), cut_.id.end(), t) -
                                      cut_.id.begin());
  }
  [[nodiscard]] EdgedTriangle edged(std::uint32_t cut) const {
    const Triangle& t = mesh_.triangle(cut_.id[cut]);
    EdgedTriangle e{{cut}, {}, cut_.edge[cut], {}};
    for (std::size_t k = 0; k < 3; ++k) {
      e.vertex[k] = t[k].value;
      e.corner[k] = &mesh_.point(t[k]);
    }
    return e;
  }
  [[nodiscard]] PlaneOfPoints plane_of(std::uint32_t cut) const {
    const Triangle& t = mesh_.triangle(cut_.id[cut]);
    return {t[0].value, t[1].value, t[2].value};
  }

  // Triangles in incisions are numbers among those that are cut.
  void collect_incisions() {
    incisions_ = parallel_collect<Incision>(pairs_.size(), kGrainOfPairs, [&](Range r, auto& out) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        append_incisions(edged(cut_number(pairs_[i].first)), edged(cut_number(pairs_[i].second)),
                         out);
      }
    });
  }

  template <class Definition>
  [[nodiscard]] std::vector<ExactPointId> make_points(std::span<const Definition> definitions) {
    std::vector<ExactPointId> made;
    for (const std::optional<ExactPointId>& id : points().add(definitions)) {
      if (!id) throw InternalError("what crosses in a triangle has no point in common");
      made.push_back(*id);
    }
    return made;
  }
  void make_points_on_edges() {
    std::vector<MeetingPoint> all;
    for (const Incision& i : incisions_) {
      if (i.p.kind != MeetingPoint::Kind::vertex) all.push_back(i.p);
      if (i.kind == Incision::Kind::segment && i.q.kind != MeetingPoint::Kind::vertex) {
        all.push_back(i.q);
      }
    }
    parallel_sort(all.begin(), all.end());
    all.erase(
        std::unique(all.begin(), all.end(),
                    [](const MeetingPoint& a, const MeetingPoint& b) { return a.is_same(b); }),
        all.end());
    std::vector<LineAndPlane> definitions(all.size());
    parallel_ranges(all.size(), kGrainOfPairs, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) definitions[i] = definition_of(all[i]);
    });
    const std::vector<ExactPointId> made = make_points(std::span<const LineAndPlane>(definitions));
    std::vector<ExactPointId> vertices;
    for (const TriangleId t : cut_.id) {
      for (const VertexId v : mesh_.triangle(t).corner) vertices.push_back({v.value});
    }
    parallel_sort(vertices.begin(), vertices.end());
    vertices.erase(std::unique(vertices.begin(), vertices.end()), vertices.end());
    merge_equal(std::move(vertices), made);
    resolved_ = std::move(all);
    resolved_first_ = made.empty() ? 0 : made[0].value;
  }
  [[nodiscard]] LineAndPlane definition_of(const MeetingPoint& p) const {
    if (p.kind == MeetingPoint::Kind::edge_in_triangle) {
      return {cut_.edges[p.a], plane_of(p.b)};
    }
    if (p.through != kNoIndex) return {cut_.edges[p.line], plane_of(p.through)};
    // In one plane: the plane through the other edge that stands on it.
    const auto &line = cut_.edges[p.a], &other = cut_.edges[p.b];
    PlaneOfPoints three = {line[0], line[1], other[0]};
    const auto beside = static_cast<std::uint32_t>(mesh_.points().size());
    if (points().view_of(three).sign == 0) three[2] = other[1];
    const int axis = points().view_of(three).axis;
    return {line, {other[0], other[1], beside + static_cast<std::uint32_t>(axis)}};
  }
  [[nodiscard]] const ExactPoints& points() const { return *out_.points_; }

  // Gives points in one place one number, the lowest, and all of them ranks, from low to high.
  void merge_equal(std::vector<ExactPointId> some, std::span<const ExactPointId> more) {
    some.insert(some.end(), more.begin(), more.end());
    // With the range of its first coordinate, which tells of most.
    struct Placed {
      double low, high;
      ExactPointId point;
    };
    Array<Placed> placed(some.size());
    parallel_ranges(some.size(), std::size_t{1} << 12, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        const Box box = points().bounds(some[i]);
        placed[i] = {box.low.x(), box.high.x(), some[i]};
      }
    });
    parallel_sort(placed.begin(), placed.end(), [&](const Placed& a, const Placed& b) {
      if (a.high < b.low) return true;
      if (b.high < a.low) return false;
      const int where = points().compare(a.point, b.point);
      return where != 0 ? where < 0 : a.point < b.point;
    });
    number_.resize(points().size());
    rank_.resize(points().size());
    in_order_.clear();
    double before = 0;
    for (const auto& [low, high, p] : placed) {
      if (in_order_.empty() || before < low || points().compare(in_order_.back(), p) != 0) {
        in_order_.push_back(p);
        before = high;
      }
      number_[p.value] = in_order_.back();
    }
    for (std::size_t i = 0; i < in_order_.size(); ++i) {
      rank_[in_order_[i].value] = static_cast<std::uint32_t>(i);
    }
  }
  [[nodiscard]] ExactPointId resolved(const MeetingPoint& p) const {
    if (p.kind == MeetingPoint::Kind::vertex) return {p.a};
    const auto at = std::lower_bound(
        resolved_.begin(), resolved_.end(), p, [](const MeetingPoint& a, const MeetingPoint& b) {
          return std::tie(a.kind, a.a, a.b) < std::tie(b.kind, b.a, b.b);
        });
    return number_[resolved_first_ + static_cast<std::uint32_t>(at - resolved_.begin())];
  }

  // Triangles that overlap are one group; the others are one each.
  void group_planes() {
    DisjointSets sets(cut_.id.size());
    for (const TrianglePair& p : pairs_) {
      if (p.contact == Contact::overlap) sets.unite(cut_number(p.first), cut_number(p.second));
    }
    group_of_.resize(cut_.id.size());
    for (std::uint32_t i = 0; i < cut_.id.size(); ++i) {
      const std::uint32_t root = sets.find(i);
      if (root == i) {
        group_of_[i] = static_cast<std::uint32_t>(groups_.size());
        groups_.emplace_back().view = points().view_of(plane_of(i));
      } else {
        group_of_[i] = group_of_[root];
      }
      groups_[group_of_[i]].members.push_back(i);
    }
    for (const Incision& i : incisions_) {
      switch (i.kind) {
        case Incision::Kind::on_edge:
          on_edge_.push_back({i.of, 0, resolved(i.p)});
          break;
        case Incision::Kind::inside:
          groups_[group_of_[i.of]].points_in.push_back(resolved(i.p));
          break;
        case Incision::Kind::segment: {
          const ExactPointId p = resolved(i.p), q = resolved(i.q);
          groups_[group_of_[i.of]].cuts.push_back(
              {std::min(p, q), std::max(p, q), group_of_[i.by]});
          break;
        }
      }
    }
    incisions_ = {};
  }

  // Where cuts of one plane cross, three planes meet: points that each of them finds.
  void make_points_of_planes() {
    parallel_ranges(groups_.size(), 16, [&](Range r) {
      for (std::size_t g = r.begin; g < r.end; ++g) {
        Group& own = groups_[g];
        std::sort(own.cuts.begin(), own.cuts.end());
        own.cuts.erase(std::unique(own.cuts.begin(), own.cuts.end()), own.cuts.end());
        for (const auto& [a, b] : crossing_cuts(points(), own.view, own.cuts)) {
          std::array<std::uint32_t, 3> three = {static_cast<std::uint32_t>(g), own.cuts[a].other,
                                                own.cuts[b].other};
          std::sort(three.begin(), three.end());
          own.crossings.push_back(three);
        }
        std::sort(own.crossings.begin(), own.crossings.end());
        own.crossings.erase(std::unique(own.crossings.begin(), own.crossings.end()),
                            own.crossings.end());
      }
    });
    std::vector<std::array<std::uint32_t, 3>> all;
    for (const Group& g : groups_) all.insert(all.end(), g.crossings.begin(), g.crossings.end());
    parallel_sort(all.begin(), all.end());
    all.erase(std::unique(all.begin(), all.end()), all.end());
    std::vector<ThreePlanes> definitions;
    definitions.reserve(all.size());
    const auto plane = [&](std::uint32_t group) { return plane_of(groups_[group].members[0]); };
    for (const auto& [a, b, c] : all) definitions.push_back({plane(a), plane(b), plane(c)});
    const std::vector<ExactPointId> made = make_points(std::span<const ThreePlanes>(definitions));
    merge_equal(std::move(in_order_), made);
    const std::uint32_t first = made.empty() ? 0 : made[0].value;
    parallel_ranges(groups_.size(), 64, [&](Range r) {
      for (std::size_t g = r.begin; g < r.end; ++g) {
        for (const auto& three : groups_[g].crossings) {
          const auto at = std::lower_bound(all.begin(), all.end(), three);
          groups_[g].points_in.push_back(
              number_[first + static_cast<std::uint32_t>(at - all.begin())]);
        }
      }
    });
    for (OnEdge& e : on_edge_) e.rank = rank_[e.point.value];
    parallel_sort(on_edge_.begin(), on_edge_.end());
    on_edge_.erase(std::unique(on_edge_.begin(), on_edge_.end()), on_edge_.end());
  }

  // From one corner of a triangle to the next.
  [[nodiscard]] std::vector<ExactPointId> side_of(std::uint32_t cut, std::size_t k) const {
    const Triangle& t = mesh_.triangle(cut_.id[cut]);
    const ExactPointId from{t[k].value}, to{t[(k + 1) % 3].value};
    std::vector<ExactPointId> side = {from};
    const std::uint32_t edge = cut_.edge[cut][k];
    auto at = std::lower_bound(on_edge_.begin(), on_edge_.end(), OnEdge{edge, 0, {0}});
    for (; at != on_edge_.end() && at->edge == edge; ++at) side.push_back(at->point);
    if (rank_[from.value] > rank_[to.value]) std::reverse(side.begin() + 1, side.end());
    side.push_back(to);
    return side;
  }

  void divide_planes() {
    // In stretches, so that work can be stopped.
    constexpr std::size_t kStretch = 4096;
    for (std::size_t begin = 0; begin < groups_.size(); begin += kStretch) {
      const std::size_t count = std::min(kStretch, groups_.size() - begin);
      parallel_ranges(count, 16, [&](Range r) {
        for (std::size_t g = r.begin; g < r.end; ++g) divide(groups_[begin + g]);
      });
      tell(0.6 + 0.4 * static_cast<double>(begin + count) / static_cast<double>(groups_.size()));
    }
  }
  void divide(Group& group) const {
    std::vector<MemberOfPlane> members;
    for (const std::uint32_t m : group.members) {
      members.push_back({cut_.id[m], {side_of(m, 0), side_of(m, 1), side_of(m, 2)}});
    }
    group.division = divide_plane(points(), group.view, members, group.cuts, group.points_in);
    if (group.division.is_crossed) throw InternalError("cuts of a plane cross in no point");
    group.cuts = {};
    group.points_in = {};
    group.crossings = {};
  }

  void add_piece(Arrangement::Piece piece, std::vector<PieceParent>& parents) {
    std::sort(parents.begin(), parents.end());
    // It faces as the first one does.
    if (parents[0].opposite()) {
      std::swap(piece[1], piece[2]);
      for (PieceParent& p : parents) p = PieceParent(p.triangle(), !p.opposite());
    }
    out_.pieces_.push_back(piece);
    out_.parents_.insert(out_.parents_.end(), parents.begin(), parents.end());
    out_.first_parent_.push_back(static_cast<std::uint32_t>(out_.parents_.size()));
  }
  void append_copies(TriangleId of, bool opposite, std::vector<PieceParent>& parents) const {
    auto at = std::lower_bound(copies_.begin(), copies_.end(), Copy{of, PieceParent({0}, false)});
    for (; at != copies_.end() && at->of == of; ++at) {
      parents.emplace_back(at->as.triangle(), opposite != at->as.opposite());
    }
  }

  void write_pieces() {
    out_.is_as_given_ = pairs_.empty() && copies_.empty();
    out_.pieces_.reserve(mesh_.triangles().size());
    out_.parents_.reserve(mesh_.triangles().size());
    out_.first_parent_.reserve(mesh_.triangles().size() + 1);
    out_.first_parent_.push_back(0);
    std::vector<PieceParent> parents;
    std::size_t next_cut = 0;
    for (std::uint32_t t = 0; t < mesh_.triangles().size(); ++t) {
      const TriangleId id{t};
      if (next_cut < cut_.id.size() && cut_.id[next_cut] == id) {
        const std::size_t own = next_cut++;
        Group& group = groups_[group_of_[own]];
        if (group.members[0] == own) write_group(group);
        continue;
      }
      if (!stands_for_itself(id) || !has_area(id)) continue;
      parents.assign(1, PieceParent(id, false));
      append_copies(id, false, parents);
      const Triangle& v = mesh_.triangle(id);
      add_piece({ExactPointId{v[0].value}, ExactPointId{v[1].value}, ExactPointId{v[2].value}},
                parents);
    }
  }
  void write_group(Group& group) {
    const PlaneDivision& d = group.division;
    std::vector<PieceParent> parents;
    for (std::size_t i = 0; i < d.pieces.size(); ++i) {
      parents.clear();
      static constexpr std::uint32_t kOnly[1] = {0};
      const std::span<const std::uint32_t> members =
          d.members_of.empty() ? std::span<const std::uint32_t>(kOnly) : d.members_of[i];
      for (const std::uint32_t m : members) {
        const TriangleId id = cut_.id[group.members[m]];
        const bool opposite = !d.runs_counter_clockwise[m];
        parents.emplace_back(id, opposite);
        append_copies(id, opposite, parents);
      }
      add_piece(d.pieces[i], parents);
    }
    group.division = {};
  }

  const Welded& mesh_;
  Progress* progress_;
  Arrangement out_;
  std::vector<TrianglePair> pairs_;  // of those that stand for themselves
  std::vector<bool> is_copy_;        // by triangle: another one stands for it
  std::vector<Copy> copies_;         // sorted
  CutTriangles cut_;
  std::vector<Incision> incisions_;
  std::vector<MeetingPoint> resolved_;  // sorted; they have numbers from `resolved_first_` on
  std::uint32_t resolved_first_ = 0;
  std::vector<ExactPointId> in_order_;  // by place
  std::vector<ExactPointId> number_;    // by point: the first one in its place
  std::vector<std::uint32_t> rank_;     // by point: its number in order of places
  std::vector<std::uint32_t> group_of_;
  std::vector<Group> groups_;
  std::vector<OnEdge> on_edge_;
};

Arrangement arrange(const Welded& mesh, std::span<const TrianglePair> pairs, Progress* progress) {
  for (const Point& p : mesh.points()) {
    if (!(p.cwiseAbs().maxCoeff() < kLargestArranged)) {
      throw ArgumentError("arrange: coordinates must be below 1e150");
    }
  }
  return Arranger(mesh, pairs, progress).run();
}

Arrangement arrange(const Welded& mesh, Progress* progress) {
  const std::vector<TrianglePair> pairs = find_crossings(mesh, progress);
  return arrange(mesh, pairs, progress);
}

}  // namespace aguja
