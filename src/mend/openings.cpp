#include "aguja/mend/openings.h"

#include <algorithm>
#include <cmath>
#include <map>

#include <Eigen/Geometry>

namespace aguja {
namespace {

// A naked edge as the filling triangle will run along it.
struct RimSide {
  VertexId from, to;
  TriangleId triangle;
};

class LoopFinder {
 public:
  LoopFinder(std::span<const Point> points, std::span<const Triangle> triangles,
             const EdgeTable& edges, std::span<const EdgeId> naked)
      : points_(points), triangles_(triangles) {
    for (const EdgeId e : naked) {
      const EdgeUse use = edges.uses(e)[0];
      const Triangle& t = triangles[use.triangle().value];
      sides_.push_back({t[(use.corner() + 1) % 3], t[use.corner()], use.triangle()});
    }
    std::sort(sides_.begin(), sides_.end(), [](const RimSide& a, const RimSide& b) {
      return std::pair(a.from, a.to) < std::pair(b.from, b.to);
    });
    used_.resize(sides_.size());
  }

  Loops run() {
    for (std::size_t s = 0; s < sides_.size(); ++s) {
      if (!used_[s]) walk(s);
    }
    for (Loop& loop : out_.loops) {
      std::rotate(loop.begin(), std::min_element(loop.begin(), loop.end()), loop.end());
    }
    std::sort(out_.loops.begin(), out_.loops.end());
    return std::move(out_);
  }

 private:
  [[nodiscard]] std::vector<std::size_t> leaving(VertexId v) const {
    std::vector<std::size_t> out;
    auto at = std::lower_bound(sides_.begin(), sides_.end(), v,
                               [](const RimSide& s, VertexId w) { return s.from < w; });
    for (; at != sides_.end() && at->from == v; ++at) {
      const auto s = static_cast<std::size_t>(at - sides_.begin());
      if (!used_[s]) out.push_back(s);
    }
    return out;
  }

  // Of several ways on, the one that turns most to the side where the hole is: seen with the
  // surface facing the viewer, the hole of this loop is on the left.
  [[nodiscard]] std::size_t choose(std::size_t came, const std::vector<std::size_t>& ways) const {
    const RimSide& in = sides_[came];
    const Point& p = points_[in.to.value];
    const Vector back = points_[in.from.value] - p;
    Vector normal = normal_of(in.triangle);
    for (const std::size_t w : ways) normal += normal_of(sides_[w].triangle);
    std::size_t best = ways[0];
    double least = 10;
    for (const std::size_t w : ways) {
      const Vector out = points_[sides_[w].to.value] - p;
      // From the way out, counter-clockwise to the way back: the hole's own angle.
      double angle = std::atan2(normal.normalized().dot(out.cross(back)), out.dot(back));
      if (angle <= 0) angle += 2 * M_PI;
      if (angle < least) {
        least = angle;
        best = w;
      }
    }
    return best;
  }
  [[nodiscard]] Vector normal_of(TriangleId id) const {
    const Triangle& t = triangles_[id.value];
    const Point& a = points_[t[0].value];
    return (points_[t[1].value] - a).cross(points_[t[2].value] - a).normalized();
  }

  void walk(std::size_t first) {
    std::vector<std::size_t> path;
    std::map<VertexId, std::size_t> at;  // where the path entered a vertex
    std::size_t s = first;
    while (true) {
      used_[s] = true;
      at.try_emplace(sides_[s].from, path.size());
      path.push_back(s);
      const VertexId v = sides_[s].to;
      // A vertex seen before closes a loop: cut it off and go on with what came before.
      if (const auto known = at.find(v); known != at.end()) {
        close(path, known->second, at);
        if (path.empty()) return;
        s = path.back();
      }
      const std::vector<std::size_t> ways = leaving(sides_[s].to);
      if (ways.empty()) break;
      s = ways.size() == 1 ? ways[0] : choose(s, ways);
    }
    Point sum = Point::Zero();
    for (const std::size_t p : path) sum += points_[sides_[p].from.value];
    out_.refused.push_back({RefusalReason::not_a_loop,
                            Point(sum / static_cast<double>(path.size())),
                            std::string("neighbours there face opposite ways, or edges branch")});
  }

  void close(std::vector<std::size_t>& path, std::size_t begin,
             std::map<VertexId, std::size_t>& at) {
    Loop loop;
    for (std::size_t i = begin; i < path.size(); ++i) {
      loop.push_back(sides_[path[i]].from);
      at.erase(sides_[path[i]].from);
    }
    path.resize(begin);
    if (loop.size() >= 3) {
      out_.loops.push_back(std::move(loop));
    } else {
      out_.refused.push_back({RefusalReason::not_a_loop, points_[loop[0].value],
                              std::string("two naked edges between the same vertices")});
    }
  }

  std::span<const Point> points_;
  std::span<const Triangle> triangles_;
  std::vector<RimSide> sides_;  // by where they leave
  std::vector<bool> used_;
  Loops out_;
};

Point center_of(std::span<const Point> points, const Loop& loop) {
  Point sum = Point::Zero();
  for (const VertexId v : loop) sum += points[v.value];
  return sum / static_cast<double>(loop.size());
}

// Seen along the normal: is the point inside of the loop?
bool is_inside(std::span<const Point> points, const Loop& loop, const Vector& normal,
               const Point& p) {
  const Vector x = normal.unitOrthogonal();
  const Vector y = normal.cross(x);
  bool inside = false;
  for (std::size_t i = 0; i < loop.size(); ++i) {
    const Vector a = points[loop[i].value] - p, b = points[loop[(i + 1) % loop.size()].value] - p;
    const double ay = y.dot(a), by = y.dot(b);
    if ((ay > 0) == (by > 0)) continue;
    if (x.dot(a) + (x.dot(b) - x.dot(a)) * ay / (ay - by) > 0) inside = !inside;
  }
  return inside;
}

}  // namespace

Loops find_loops(std::span<const Point> points, std::span<const Triangle> triangles,
                 const EdgeTable& edges) {
  const auto naked = select_edges(edges, [&](EdgeId e) { return edges.is_naked(e); });
  return LoopFinder(points, triangles, edges, naked).run();
}

Loops find_loops(const KnownMesh& mesh) {
  return LoopFinder(mesh.mesh().points, mesh.mesh().triangles, mesh.edges(), mesh.naked_edges())
      .run();
}

Vector area_vector(std::span<const Point> points, const Loop& loop) {
  const Point origin = center_of(points, loop);
  Vector sum = Vector::Zero();
  for (std::size_t i = 0; i < loop.size(); ++i) {
    sum +=
        (points[loop[i].value] - origin).cross(points[loop[(i + 1) % loop.size()].value] - origin);
  }
  return 0.5 * sum;
}

double length(std::span<const Point> points, const Loop& loop) {
  double sum = 0;
  for (std::size_t i = 0; i < loop.size(); ++i) {
    sum += (points[loop[(i + 1) % loop.size()].value] - points[loop[i].value]).norm();
  }
  return sum;
}

std::vector<Opening> with_islands(std::span<const Point> points, std::vector<Loop> loops,
                                  double tolerance) {
  struct Flat {
    Point center = Point::Zero();
    Vector area = Vector::Zero();
    bool flat = false;
  };
  std::vector<Flat> flats(loops.size());
  for (std::size_t i = 0; i < loops.size(); ++i) {
    flats[i].center = center_of(points, loops[i]);
    flats[i].area = area_vector(points, loops[i]);
    if (!(flats[i].area.norm() > 0)) continue;
    const Vector n = flats[i].area.normalized();
    flats[i].flat = std::all_of(loops[i].begin(), loops[i].end(), [&](VertexId v) {
      return std::fabs(n.dot(points[v.value] - flats[i].center)) <= tolerance;
    });
  }
  // An island belongs to the smallest loop around it.
  std::vector<std::size_t> owner(loops.size(), loops.size());
  for (std::size_t i = 0; i < loops.size(); ++i) {
    for (std::size_t o = 0; o < loops.size(); ++o) {
      if (o == i || !flats[i].flat || !flats[o].flat) continue;
      if (flats[o].area.norm() <= flats[i].area.norm() || flats[o].area.dot(flats[i].area) >= 0) {
        continue;
      }
      const Vector n = flats[o].area.normalized();
      const bool in_plane = std::all_of(loops[i].begin(), loops[i].end(), [&](VertexId v) {
        return std::fabs(n.dot(points[v.value] - flats[o].center)) <= tolerance;
      });
      if (!in_plane || !is_inside(points, loops[o], n, points[loops[i][0].value])) continue;
      if (owner[i] == loops.size() || flats[o].area.norm() < flats[owner[i]].area.norm()) {
        owner[i] = o;
      }
    }
  }
  std::vector<Opening> openings;
  std::vector<std::size_t> opening_of(loops.size());
  for (std::size_t i = 0; i < loops.size(); ++i) {
    if (owner[i] != loops.size()) continue;
    opening_of[i] = openings.size();
    openings.push_back({{loops[i]}});
  }
  for (std::size_t i = 0; i < loops.size(); ++i) {
    if (owner[i] == loops.size()) continue;
    // An island of an island's hole is an opening of its own.
    if (owner[owner[i]] != loops.size()) {
      openings.push_back({{std::move(loops[i])}});
    } else {
      openings[opening_of[owner[i]]].loops.push_back(std::move(loops[i]));
    }
  }
  return openings;
}

}  // namespace aguja
