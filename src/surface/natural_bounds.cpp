#include <array>
#include <cmath>
#include <iterator>

#include "aguja/base/error.h"
#include "aguja/surface/heal.h"
#include "surface/limits.h"

namespace aguja {
namespace {

class BoundMaker {
 public:
  BoundMaker(const SurfacePtr& surface, const Body& body, EntityNumber entity)
      : surface_(surface),
        first_vertex_(body.vertices.size()),
        first_edge_(body.edges.size()),
        entity_(entity) {}

  AddedLoops run() {
    out_.loops = loops();
    return std::move(out_);
  }

 private:
  std::vector<FaceLoop> loops() {
    const Surface& s = *surface_;
    const Interval u = s.domain_u(), v = s.domain_v();
    if (!u.is_finite() || !v.is_finite()) throw ArgumentError("the surface has no bounds");
    const bool around_u = s.period_u() > 0, around_v = s.period_v() > 0;
    if (around_u && around_v) return {};
    const std::array<Parameters, 4> corners = {Parameters(u.low, v.low), Parameters(u.high, v.low),
                                               Parameters(u.high, v.high),
                                               Parameters(u.low, v.high)};
    const std::array<bool, 4> is_pole = {pole(false, v.low), pole(true, u.high),
                                         pole(false, v.high), pole(true, u.low)};
    std::vector<FaceLoop> loops;
    if (around_u || around_v) {
      // Two circles, or one and a pole, or two poles.
      for (const std::size_t side :
           around_u ? std::array<std::size_t, 2>{0, 2} : std::array<std::size_t, 2>{1, 3}) {
        if (is_pole[side]) continue;
        loops.emplace_back();
        add(corners[side], corners[(side + 1) % 4], loops.back());
      }
      return loops;
    }
    loops.emplace_back();
    for (std::size_t side = 0; side < 4; ++side) {
      if (!is_pole[side]) add(corners[side], corners[(side + 1) % 4], loops[0]);
    }
    join(loops[0]);
    return loops;
  }
  [[nodiscard]] bool pole(bool at_u, double value) const {
    const double width = (at_u ? surface_->domain_u() : surface_->domain_v()).width();
    for (const Pole& p : surface_->poles()) {
      if (p.at_u == at_u && std::fabs(p.value - value) <= kSameParameter * width) return true;
    }
    return false;
  }
  std::uint32_t vertex(const Point& p) {
    out_.vertices.push_back({p, 0});
    return static_cast<std::uint32_t>(first_vertex_ + out_.vertices.size() - 1);
  }
  void add(const Parameters& from, const Parameters& to, FaceLoop& loop) {
    const CurvePtr curve = make_curve_on_surface(
        surface_, make_polyline({Point(from[0], from[1], 0), Point(to[0], to[1], 0)}));
    const Interval d = curve->domain();
    BodyEdge edge{curve, d.low, d.high};
    edge.entity = entity_;
    const Point a = curve->point(d.low), b = curve->point(d.high);
    const double bulge = (curve->point(d.middle()) - 0.5 * (a + b)).norm();
    if ((a - b).norm() == 0 && bulge == 0) return;  // a pole that the surface does not know of
    edge.start = vertex(a);
    edge.end = (a - b).norm() <= kSamePlace * bulge ? edge.start : vertex(b);
    out_.edges.push_back(edge);
    const std::size_t number = first_edge_ + out_.edges.size() - 1;
    loop.edges.push_back({static_cast<std::uint32_t>(number), true, nullptr});
  }
  // Each side ends where the next begins, but for rounding.
  void join(FaceLoop& loop) {
    for (std::size_t i = 0; i < loop.edges.size(); ++i) {
      BodyEdge& edge = out_.edges[loop.edges[i].edge - first_edge_];
      BodyEdge& next = out_.edges[loop.edges[(i + 1) % loop.edges.size()].edge - first_edge_];
      if (edge.end != edge.start && next.start != next.end) next.start = edge.end;
    }
  }

  const SurfacePtr& surface_;
  std::size_t first_vertex_, first_edge_;
  EntityNumber entity_;
  AddedLoops out_;
};

}  // namespace

AddedLoops natural_bounds(const SurfacePtr& surface, const Body& body, EntityNumber entity) {
  return BoundMaker(surface, body, entity).run();
}

std::vector<FaceLoop> put_into(Body& body, AddedLoops added) {
  body.vertices.insert(body.vertices.end(), added.vertices.begin(), added.vertices.end());
  body.edges.insert(body.edges.end(), std::make_move_iterator(added.edges.begin()),
                    std::make_move_iterator(added.edges.end()));
  return std::move(added.loops);
}

}  // namespace aguja
