#include "aguja/solid/common_space.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <tuple>
#include <unordered_map>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/geometry/distance.h"
#include "aguja/geometry/predicates.h"
#include "base/disjoint_sets.h"
#include "geometry/expansion.h"

namespace aguja {
namespace {

using CornerPlaces = std::array<const Point*, 3>;

// The sign of the triangle's normal along an axis.
int normal_sign(const CornerPlaces& t, int axis) {
  const int u = (axis + 1) % 3, v = (axis + 2) % 3;
  return orient2d((*t[0])[u], (*t[0])[v], (*t[1])[u], (*t[1])[v], (*t[2])[u], (*t[2])[v]);
}

// On which side of the triangle the point lies, the point moved by `way` times (e, e^2, e^3), e
// infinitely small. Zero for triangles of no area alone.
int moved_side(const CornerPlaces& t, const Point& p, int way) {
  const int side = orient3d(*t[0], *t[1], *t[2], p);
  if (side != 0) return side;
  for (int axis = 0; axis < 3; ++axis) {
    if (const int sign = normal_sign(t, axis); sign != 0) return way * sign;
  }
  return 0;
}

// The sign of a component of (q - p) x (b - c).
int sign_of_cross(const Point& p, const Point& q, const Point& b, const Point& c, int axis) {
  using namespace detail;
  const int u = (axis + 1) % 3, v = (axis + 2) % 3;
  return (difference(q[u], p[u]) * difference(b[v], c[v]) -
          difference(q[v], p[v]) * difference(b[u], c[u]))
      .sign();
}

// orient3d(p, q, b, c), the latter two moved by (e, e^2, e^3). Zero if the edges are parallel.
int moved_turn(const Point& p, const Point& q, const Point& b, const Point& c) {
  const int turn = orient3d(p, q, b, c);
  if (turn != 0) return turn;
  for (int axis = 0; axis < 3; ++axis) {
    if (const int sign = sign_of_cross(p, q, b, c, axis); sign != 0) return sign;
  }
  return 0;
}

double height(const CornerPlaces& t, const Point& p) {
  return (*t[1] - *t[0]).cross(*t[2] - *t[0]).dot(p - *t[0]);
}

// Where an edge of one mesh passes through a triangle of the other.
struct EdgePassage {
  std::uint64_t edge;  // both vertices, the lower first
  std::uint32_t triangle;
  int enters;    // going from the lower vertex: +1 into the other, -1 out
  double along;  // from the lower vertex, in lengths of the edge
  Point place;
  [[nodiscard]] auto key() const { return std::tie(edge, along, triangle); }
};

// A piece of the line in which two triangles meet.
struct MeetingLine {
  std::uint32_t first, second;  // triangles
  Point from, to;               // for the first; the inside of the second lies to the left
};

struct FoundPassages {
  std::vector<EdgePassage> of_first, of_second;
  std::vector<MeetingLine> pieces;
};

std::uint64_t passage_key(std::uint32_t a, std::uint32_t b) {
  return (std::uint64_t{std::min(a, b)} << 32) | std::max(a, b);
}

// What one pair of triangles has in common.
class PairOfTriangles {
 public:
  PairOfTriangles(const SearchedMesh& first, std::uint32_t t, const SearchedMesh& second,
                  std::uint32_t u)
      : vertices_{first.welded.triangle({t}), second.welded.triangle({u})}, triangles_{t, u} {
    for (std::size_t i = 0; i < 3; ++i) {
      corners_[0][i] = &first.welded.point(vertices_[0][i]);
      corners_[1][i] = &second.welded.point(vertices_[1][i]);
    }
  }

  void find(FoundPassages& out) {
    if (!set_sides(0) || !set_sides(1)) return;
    std::optional<Point> from, to;
    for (std::size_t own = 0; own < 2; ++own) {
      for (std::size_t i = 0; i < 3; ++i) {
        const auto passage = passage_of(own, i);
        if (!passage) continue;
        // Along the border of the first, its part in the second ends where the border leaves the
        // second; there the line begins. An edge of the second begins it where it enters the first.
        const int enters = passage->second;
        ((enters > 0) == (own == 0) ? to : from) = passage->first.place;
        (own == 0 ? out.of_first : out.of_second).push_back(passage->first);
      }
    }
    if (from && to) out.pieces.push_back({triangles_[0], triangles_[1], *from, *to});
  }

 private:
  // Of the corners of `own` against the plane of the other; false if all lie on one side.
  bool set_sides(std::size_t own) {
    const int way = own == 0 ? -1 : 1;
    for (std::size_t i = 0; i < 3; ++i) {
      sides_[own][i] = moved_side(corners_[1 - own], *corners_[own][i], way);
    }
    return !(sides_[own][0] == sides_[own][1] && sides_[own][1] == sides_[own][2]);
  }

  // With +1 if the edge, as the triangle runs, enters the other.
  std::optional<std::pair<EdgePassage, int>> passage_of(std::size_t own, std::size_t i) const {
    const std::size_t j = (i + 1) % 3;
    const int before = sides_[own][i], after = sides_[own][j];
    if (before == 0 || after == 0 || before == after) return std::nullopt;
    const Point &p = *corners_[own][i], &q = *corners_[own][j];
    const CornerPlaces& t = corners_[1 - own];
    int turn = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      const Point &b = *t[k], &c = *t[(k + 1) % 3];
      const int own_turn = own == 0 ? moved_turn(p, q, b, c) : moved_turn(b, c, p, q);
      if (own_turn == 0 || (turn != 0 && own_turn != turn)) return std::nullopt;
      turn = own_turn;
    }
    const int enters = before > 0 ? 1 : -1;
    const std::uint32_t v = vertices_[own][i].value, w = vertices_[own][j].value;
    const bool rises = v < w;
    const Point &low = rises ? p : q, &high = rises ? q : p;
    const double a = height(t, low), b = height(t, high);
    const double along = a == b ? 0.5 : std::clamp(a / (a - b), 0.0, 1.0);
    EdgePassage passage{passage_key(v, w), triangles_[1 - own], rises ? enters : -enters, along,
                        low + along * (high - low)};
    return std::pair(passage, enters);
  }

  std::array<Triangle, 2> vertices_;
  std::array<std::uint32_t, 2> triangles_;
  std::array<CornerPlaces, 2> corners_;
  std::array<std::array<int, 3>, 2> sides_{};
};

FloatBox float_box_of(const SearchedMesh& mesh, std::uint32_t t) {
  Box box;
  for (std::size_t i = 0; i < 3; ++i) box.extend(mesh.corner(t, i));
  return FloatBox(box);
}

std::vector<std::uint32_t> triangles_within(const SearchedMesh& mesh, const Box& box) {
  std::vector<std::uint32_t> found;
  mesh.tree.for_each_meeting(FloatBox(box), [&](std::uint32_t t) { found.push_back(t); });
  std::sort(found.begin(), found.end());
  return found;
}

// How often `mesh` winds around p, moved by `way` times (e, e^2, e^3): signed hits of a ray upward.
int moved_winding(const SearchedMesh& mesh, const Point& p, int way) {
  Box ray;
  ray.extend(p);
  ray.high.z() = std::max(p.z(), mesh.box.high.z());
  const auto side_in_plan = [&](const Point& a, const Point& b) {
    const int side = orient2d(a.x(), a.y(), b.x(), b.y(), p.x(), p.y());
    if (side != 0) return side;
    if (a.y() != b.y()) return a.y() < b.y() ? -way : way;
    if (a.x() != b.x()) return a.x() < b.x() ? way : -way;
    return 0;
  };
  int winding = 0;
  mesh.tree.for_each_meeting(FloatBox(ray), [&](std::uint32_t t) {
    const CornerPlaces c = {&mesh.corner(t, 0), &mesh.corner(t, 1), &mesh.corner(t, 2)};
    const int turn = side_in_plan(*c[0], *c[1]);
    if (turn == 0 || side_in_plan(*c[1], *c[2]) != turn || side_in_plan(*c[2], *c[0]) != turn) {
      return;
    }
    // `turn` is the sign of the normal's z.
    if (moved_side(c, p, way) == -turn) winding += turn;
  });
  return winding;
}

// The part of one surface that lies in the other.
class InsideOfOther {
 public:
  InsideOfOther(const SearchedMesh& own, const SearchedMesh& other, int way,
                std::span<const std::uint32_t> triangles, std::vector<EdgePassage> passages)
      : own_(own), other_(other), way_(way), triangles_(triangles), passages_(std::move(passages)) {
    const auto by_key = [](const EdgePassage& a, const EdgePassage& b) {
      return a.key() < b.key();
    };
    std::sort(passages_.begin(), passages_.end(), by_key);
    passages_.erase(
        std::unique(passages_.begin(), passages_.end(),
                    [](const EdgePassage& a, const EdgePassage& b) { return a.key() == b.key(); }),
        passages_.end());
    number_vertices();
    find_windings();
  }

  // `pieces` of the lines in which the triangles meet others, by triangle as listed.
  // The moment is the integral of (x - origin).n / 3 over the part inside.
  std::pair<double, double> measure(std::span<const double> twice_area_of_pieces,
                                    const Point& origin) const {
    double area = 0, moment = 0;
    for (std::size_t k = 0; k < triangles_.size(); ++k) {
      const std::uint32_t t = triangles_[k];
      const Point& p = own_.corner(t, 0);
      const Vector normal = (own_.corner(t, 1) - p).cross(own_.corner(t, 2) - p);
      const Plan plan(normal, p);
      if (normal[plan.axis] == 0) continue;
      double twice = twice_area_of_pieces[k];
      for (std::size_t i = 0; i < 3; ++i) {
        const std::uint32_t v = vertex(t, i), w = vertex(t, (i + 1) % 3);
        const Point& end = own_.welded.point({w});
        twice += winding(v) * plan.twice_area(own_.welded.point({v}), end);
        for (const EdgePassage& passage : passages_of(v, w)) {
          twice += (v < w ? 1 : -1) * passage.enters * plan.twice_area(passage.place, end);
        }
      }
      const double share = twice / normal[plan.axis];
      area += share * 0.5 * normal.norm();
      moment += share * 0.5 * normal.dot(p - origin) / 3;
    }
    return {area, moment};
  }

  [[nodiscard]] std::vector<Point> samples() const {
    std::vector<Point> out;
    for (std::uint32_t i = 0; i < vertices_.size(); ++i) {
      if (windings_[i] > 0) out.push_back(own_.welded.point({vertices_[i]}));
    }
    for (std::size_t i = 0; i < passages_.size();) {
      const std::uint64_t edge = passages_[i].edge;
      const auto low = static_cast<std::uint32_t>(edge >> 32);
      const auto high = static_cast<std::uint32_t>(edge);
      int in = winding(low);
      double since = 0;
      const auto add = [&](double until) {
        const Point &a = own_.welded.point({low}), &b = own_.welded.point({high});
        if (in > 0 && until > since) out.emplace_back(a + 0.5 * (since + until) * (b - a));
        since = until;
      };
      for (; i < passages_.size() && passages_[i].edge == edge; ++i) {
        add(passages_[i].along);
        in += passages_[i].enters;
      }
      add(1);
    }
    for (const std::uint32_t t : triangles_) {
      bool inside = true;
      for (std::size_t i = 0; inside && i < 3; ++i) {
        const std::uint32_t v = vertex(t, i);
        inside = winding(v) > 0 && passages_of(v, vertex(t, (i + 1) % 3)).empty();
      }
      if (!inside) continue;
      out.emplace_back((own_.corner(t, 0) + own_.corner(t, 1) + own_.corner(t, 2)) / 3);
    }
    return out;
  }

  // A triangle seen along the axis in which it is largest, from one of its corners.
  struct Plan {
    Plan(const Vector& normal, const Point& from) : base(from) {
      normal.cwiseAbs().maxCoeff(&axis);
    }
    [[nodiscard]] double twice_area(const Point& a, const Point& b) const {
      const Eigen::Index u = (axis + 1) % 3, v = (axis + 2) % 3;
      return (a[u] - base[u]) * (b[v] - base[v]) - (a[v] - base[v]) * (b[u] - base[u]);
    }
    Eigen::Index axis = 0;
    Point base;
  };

 private:
  [[nodiscard]] std::uint32_t vertex(std::uint32_t t, std::size_t i) const {
    return own_.welded.triangle({t})[i].value;
  }
  [[nodiscard]] int winding(std::uint32_t v) const { return windings_[number(v)]; }
  [[nodiscard]] std::uint32_t number(std::uint32_t v) const {
    return static_cast<std::uint32_t>(std::lower_bound(vertices_.begin(), vertices_.end(), v) -
                                      vertices_.begin());
  }
  [[nodiscard]] std::span<const EdgePassage> passages_of(std::uint32_t v, std::uint32_t w) const {
    const auto at = range_of_.find(passage_key(v, w));
    if (at == range_of_.end()) return {};
    return {passages_.data() + at->second.begin, at->second.size()};
  }

  void number_vertices() {
    for (const std::uint32_t t : triangles_) {
      for (std::size_t i = 0; i < 3; ++i) vertices_.push_back(vertex(t, i));
    }
    std::sort(vertices_.begin(), vertices_.end());
    vertices_.erase(std::unique(vertices_.begin(), vertices_.end()), vertices_.end());
    for (std::size_t i = 0; i < passages_.size();) {
      std::size_t j = i;
      while (j < passages_.size() && passages_[j].edge == passages_[i].edge) ++j;
      range_of_[passages_[i].edge] = {i, j};
      i = j;
    }
  }

  // Vertices between which no edge passes through the other have the same: one ray for all.
  void find_windings() {
    DisjointSets sets(vertices_.size());
    for (const std::uint32_t t : triangles_) {
      for (std::size_t i = 0; i < 3; ++i) {
        const std::uint32_t v = vertex(t, i), w = vertex(t, (i + 1) % 3);
        if (passages_of(v, w).empty()) sets.unite(number(v), number(w));
      }
    }
    windings_.assign(vertices_.size(), 0);
    std::vector<std::uint32_t> roots;
    for (std::uint32_t i = 0; i < vertices_.size(); ++i) {
      if (sets.find(i) == i) roots.push_back(i);
    }
    constexpr std::size_t kGrain = 16;
    parallel_ranges(roots.size(), kGrain, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        windings_[roots[i]] = moved_winding(other_, own_.welded.point({vertices_[roots[i]]}), way_);
      }
    });
    for (std::uint32_t i = 0; i < vertices_.size(); ++i) windings_[i] = windings_[sets.find(i)];
  }

  const SearchedMesh& own_;
  const SearchedMesh& other_;
  int way_;
  std::span<const std::uint32_t> triangles_;
  std::vector<EdgePassage> passages_;
  std::unordered_map<std::uint64_t, Range> range_of_;
  std::vector<std::uint32_t> vertices_;
  std::vector<int> windings_;  // by vertex of `vertices_`
};

FoundPassages find_passages(const SearchedMesh& first, const SearchedMesh& second,
                            std::span<const std::uint32_t> triangles) {
  constexpr std::size_t kGrain = 256;
  const auto lists = parallel_map(triangles.size(), kGrain, [&](Range r) {
    FoundPassages out;
    for (std::size_t i = r.begin; i < r.end; ++i) {
      std::vector<std::uint32_t> near;
      second.tree.for_each_meeting(float_box_of(first, triangles[i]),
                                   [&](std::uint32_t u) { near.push_back(u); });
      for (const std::uint32_t u : near) {
        PairOfTriangles(first, triangles[i], second, u).find(out);
      }
    }
    return out;
  });
  FoundPassages all;
  for (const FoundPassages& list : lists) {
    all.of_first.insert(all.of_first.end(), list.of_first.begin(), list.of_first.end());
    all.of_second.insert(all.of_second.end(), list.of_second.begin(), list.of_second.end());
    all.pieces.insert(all.pieces.end(), list.pieces.begin(), list.pieces.end());
  }
  return all;
}

// By triangle of `triangles`: what lies between the pieces and its base point, twice.
std::vector<double> areas_of_pieces(const SearchedMesh& mesh,
                                    std::span<const std::uint32_t> triangles,
                                    std::span<const MeetingLine> pieces, bool of_first) {
  std::vector<double> twice(triangles.size());
  for (const MeetingLine& piece : pieces) {
    const std::uint32_t t = of_first ? piece.first : piece.second;
    const auto at = std::lower_bound(triangles.begin(), triangles.end(), t);
    const Point& p = mesh.corner(t, 0);
    const InsideOfOther::Plan plan((mesh.corner(t, 1) - p).cross(mesh.corner(t, 2) - p), p);
    twice[static_cast<std::size_t>(at - triangles.begin())] +=
        of_first ? plan.twice_area(piece.from, piece.to) : plan.twice_area(piece.to, piece.from);
  }
  return twice;
}

}  // namespace

SearchedMesh::SearchedMesh(const Mesh& mesh) : welded(mesh) {
  const auto triangles = welded.triangles();
  // Near it, so that little is lost to rounding.
  const Point origin = triangles.empty() ? Point(Point::Zero()) : corner(0, 0);
  Array<FloatBox> boxes(triangles.size());
  for (std::uint32_t t = 0; t < triangles.size(); ++t) {
    boxes[t] = float_box_of(*this, t);
    for (std::size_t i = 0; i < 3; ++i) box.extend(corner(t, i));
    const Point& p = corner(t, 0);
    const Vector normal = (corner(t, 1) - p).cross(corner(t, 2) - p);
    area += 0.5 * normal.norm();
    volume += normal.dot(p - origin) / 6;
  }
  tree = BoxTree(std::move(boxes));
}

double depth_of(const SurfaceInside& inside, const SearchedMesh& other) {
  constexpr std::size_t kGrain = 64;
  const auto deepest = parallel_map(inside.samples.size(), kGrain, [&](Range r) {
    double most = 0;
    for (std::size_t i = r.begin; i < r.end; ++i) {
      const Point& p = inside.samples[i];
      const auto squared = [&](std::uint32_t t) {
        return (closest_point(p, other.corner(t, 0), other.corner(t, 1), other.corner(t, 2)) - p)
            .squaredNorm();
      };
      const std::uint32_t nearest =
          other.tree.nearest(p, std::numeric_limits<double>::infinity(), squared);
      if (nearest != BoxTree::kNone) most = std::max(most, squared(nearest));
    }
    return most;
  });
  double most = 0;
  for (const double d : deepest) most = std::max(most, d);
  return std::sqrt(most);
}

CommonSpace common_space(const SearchedMesh& first, bool first_is_solid, const SearchedMesh& second,
                         bool second_is_solid) {
  CommonSpace out;
  const auto of_first = triangles_within(first, second.box);
  const auto of_second = triangles_within(second, first.box);
  FoundPassages found = find_passages(first, second, of_first);
  Box both;
  both.low = first.box.low.cwiseMax(second.box.low);
  both.high = first.box.high.cwiseMin(second.box.high);
  const Point origin = both.center();
  double volume = 0;
  if (second_is_solid) {
    const InsideOfOther inside(first, second, -1, of_first, std::move(found.of_first));
    const auto [area, moment] =
        inside.measure(areas_of_pieces(first, of_first, found.pieces, true), origin);
    out.first = SurfaceInside{area, inside.samples()};
    volume += moment;
  }
  if (first_is_solid) {
    const InsideOfOther inside(second, first, 1, of_second, std::move(found.of_second));
    const auto [area, moment] =
        inside.measure(areas_of_pieces(second, of_second, found.pieces, false), origin);
    out.second = SurfaceInside{area, inside.samples()};
    volume += moment;
  }
  if (first_is_solid && second_is_solid) out.volume = volume;
  return out;
}

}  // namespace aguja
