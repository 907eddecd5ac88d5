#include "surface/edge_fit.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

namespace aguja {

std::array<Point, 2> ends_of(const BodyEdge& e) {
  return {e.curve->point(e.from), e.curve->point(e.to)};
}

bool has_ends(const BodyEdge& e) { return e.curve && e.range().is_finite(); }

double off_of_edge(const Face& face, const BodyEdge& edge) {
  if (!has_ends(edge) || !face.surface) return 0;
  const SurfaceFoot foot(*face.surface);
  double off = 0;
  std::optional<Parameters> last;
  for (int i = 0; i <= 4; ++i) {
    const Point p = edge.curve->point(edge.range().low + edge.range().width() * i / 4);
    const Parameters uv = foot.of(p, last);
    off = std::max(off, (face.surface->point(uv) - p).norm());
    last = uv;
  }
  return off;
}

namespace {

// Of p from a curve in the surface's parameters. Near in parameters is not yet nearest in space.
double distance_in_parameters(const SurfacePtr& surface, const CurvePtr& flat, const Point& p,
                              const Parameters& uv) {
  const Interval domain = flat->domain();
  // Endless curves without a closed form are not looked for.
  if (!domain.is_finite() && !flat->parameter_of(p)) return 0;
  const double t = nearest_parameter(*flat, domain, Point(uv[0], uv[1], 0));
  const CurvePoint at = flat->at(t);
  const double speed = at.d1.norm();
  double distance = (surface->point(at.p.x(), at.p.y()) - p).norm();
  const double reach = 10 * (at.p - Point(uv[0], uv[1], 0)).norm() / speed;
  if (!std::isfinite(reach) || distance == 0) return distance;
  const Interval near{domain.clamp(t - reach), domain.clamp(t + reach)};
  const CurvePtr on = make_curve_on_surface(surface, flat);
  return std::min(distance, (on->point(nearest_parameter(*on, near, p)) - p).norm());
}

}  // namespace

std::pair<double, Point> off_in_parameters(const SurfacePtr& surface, const CurvePtr& flat,
                                           const BodyEdge& edge, double limit) {
  constexpr int kPieces = 6;
  const SurfaceFoot foot(*surface);
  const auto shifts = [](double period) {
    return period > 0 ? std::vector<double>{0, period, -period} : std::vector<double>{0};
  };
  std::pair<double, Point> worst{0, Point::Zero()};
  // Not at the ends, which may be poles, where parameters mean nothing.
  for (int i = 1; i < kPieces; ++i) {
    const Point p = edge.curve->point(edge.range().low + edge.range().width() * i / kPieces);
    const Parameters uv = foot.of(p);
    double nearest = std::numeric_limits<double>::infinity();
    for (const double du : shifts(surface->period_u())) {
      for (const double dv : shifts(surface->period_v())) {
        if (nearest <= limit) continue;
        nearest = std::min(
            nearest, distance_in_parameters(surface, flat, p, Parameters(uv[0] + du, uv[1] + dv)));
      }
    }
    if (nearest > worst.first) worst = {nearest, p};
  }
  return worst;
}

}  // namespace aguja
