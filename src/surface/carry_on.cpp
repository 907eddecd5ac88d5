#include "aguja/surface/carry_on.h"

#include <algorithm>
#include <cmath>

#include "aguja/base/error.h"
#include "base/numbers.h"
#include "surface/limits.h"

namespace aguja {
namespace {

// Beyond an end the speed stays within this factor of what it is there, and directions turn by less
// than a right angle (their cosine stays above the second).
constexpr double kMostSpeedChange = 4;
constexpr double kLeastOnwardCosine = 0.02;
// Halvings of a reach that is too far, before none is left.
constexpr int kMostReachHalvings = 12;
constexpr int kLookedAt = 8;  // places beyond an end, and along a side

using Homogeneous4 = Eigen::Vector4d;

void check_reach(double reach) {
  if (!(reach >= 0) || !std::isfinite(reach)) {
    throw ArgumentError("carried_on: the reach must be a finite length of 0 or more");
  }
}

// The polar form of the polynomial of a span, by the recurrence of de Boor with an argument each.
Homogeneous4 blossom(const KnotVector& k, std::size_t span, std::span<const Homogeneous4> points,
                     std::span<const double> arguments) {
  const auto p = static_cast<std::size_t>(k.degree);
  std::vector<Homogeneous4> d(points.begin() + static_cast<std::ptrdiff_t>(span - p),
                              points.begin() + static_cast<std::ptrdiff_t>(span + 1));
  for (std::size_t r = 1; r <= p; ++r) {
    for (std::size_t j = p; j >= r; --j) {
      const std::size_t i = span - p + j;
      const double low = k.knots[i], high = k.knots[i + p - r + 1];
      const double part = (arguments[r - 1] - low) / (high - low);
      d[j] = (1 - part) * d[j - 1] + part * d[j];
    }
  }
  return d[p];
}

std::vector<Homogeneous4> blossomed(const KnotVector& old, std::span<const Homogeneous4> points,
                                    const KnotVector& knots) {
  const auto p = static_cast<std::size_t>(knots.degree);
  std::vector<Homogeneous4> out;
  for (std::size_t i = 0; i < knots.control_count(); ++i) {
    // Any span that the control point acts on will do; the middle one is the least far off.
    std::vector<double> middles;
    for (std::size_t m = i; m <= i + p; ++m) {
      if (knots.knots[m] < knots.knots[m + 1]) {
        middles.push_back(0.5 * (knots.knots[m] + knots.knots[m + 1]));
      }
    }
    if (middles.empty()) throw ArgumentError("spline: knots of too high a multiplicity");
    const std::size_t span = old.span(old.domain().clamp(middles[middles.size() / 2]));
    out.push_back(blossom(old, span, points, std::span(knots.knots).subspan(i + 1, p)));
  }
  return out;
}

std::vector<Homogeneous4> homogeneous(std::span<const Point> points,
                                      std::span<const double> weights) {
  std::vector<Homogeneous4> out;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const double w = weights.empty() ? 1 : weights[i];
    out.emplace_back(w * points[i].x(), w * points[i].y(), w * points[i].z(), w);
  }
  return out;
}

// Nothing if a weight vanishes.
bool take_apart(std::span<const Homogeneous4> all, bool rational, std::vector<Point>& points,
                std::vector<double>& weights) {
  points.clear();
  weights.clear();
  for (const Homogeneous4& h : all) {
    if (!(h[3] > 0) || !h.allFinite()) return false;
    points.emplace_back(h.head<3>() / h[3]);
    if (rational) weights.push_back(h[3]);
  }
  return true;
}

// Knots of a spline whose domain is carried on by two lengths of parameter; each end span becomes a
// piece of its own, so that what lies between is not touched.
KnotVector longer(const KnotVector& k, double before, double after) {
  const Interval d = k.domain();
  const auto p = static_cast<std::size_t>(k.degree);
  std::vector<double> inner = k.inner(d);
  KnotVector out;
  out.degree = k.degree;
  out.knots.assign(p + 1, d.low - before);
  for (std::size_t i = 0; i < inner.size(); ++i) {
    const bool is_end_span = (i == 0 && before > 0) || (i + 1 == inner.size() && after > 0);
    const auto there =
        static_cast<std::size_t>(std::count(k.knots.begin(), k.knots.end(), inner[i]));
    out.knots.insert(out.knots.end(), is_end_span ? p : std::min(there, p), inner[i]);
  }
  out.knots.insert(out.knots.end(), p + 1, d.high + after);
  return out;
}

// ---- How far it may go.

// What is looked at beyond an end: a derivative, and a direction that must not turn round.
struct EndLook {
  double speed;
  Vector direction;
};

bool is_sane(const EndLook& end, const EndLook& there) {
  return there.speed <= kMostSpeedChange * end.speed &&
         end.speed <= kMostSpeedChange * there.speed &&
         there.direction.dot(end.direction) >= kLeastOnwardCosine;
}

EndLook look_of(const CurvePoint& c) {
  const double speed = c.d1.norm();
  return {speed, speed > 0 ? Vector(c.d1 / speed) : Vector(Vector::Zero())};
}

// The length of a curve from one parameter to another.
double length_between(const Curve& curve, double from, double to) {
  double length = 0;
  Point last = curve.point(from);
  for (int i = 1; i <= kLookedAt; ++i) {
    const Point p = curve.point(from + (to - from) * i / kLookedAt);
    length += (p - last).norm();
    last = p;
  }
  return length;
}

struct ReachStep {
  double parameter = 0;
  double reached = 0;
};

// The largest step beyond an end of a curve that can be evaluated there; `made` gives the curve that
// can for a step, or none.
template <class Made>
ReachStep step_beyond(const Made& made, double end, double sign, double reach, double speed) {
  if (!(reach > 0) || !(speed > 0) || !std::isfinite(speed)) return {};
  double step = reach / speed;
  bool halved = false;
  for (int i = 0; i < kMostReachHalvings; ++i) {
    const CurvePtr curve = made(step);
    bool sane = curve != nullptr;
    if (sane) {
      const EndLook at_end = look_of(curve->at(end));
      for (int k = 1; k <= kLookedAt && sane; ++k) {
        sane = is_sane(at_end, look_of(curve->at(end + sign * step * k / kLookedAt)));
      }
    }
    if (!sane) {
      step *= 0.5;
      halved = true;
      continue;
    }
    const double length = length_between(*curve, end, end + sign * step);
    if (halved || length >= reach || i + 1 == kMostReachHalvings)
      return {step, std::min(length, reach)};
    step *= std::min(1.05 * reach / length, 2.0);
  }
  return {};
}

CurvePtr longer_spline(const SplineData& d, double before, double after) {
  const KnotVector knots = longer(d.knots, before, after);
  const auto all = blossomed(d.knots, homogeneous(d.points, d.weights), knots);
  SplineData out{knots, {}, {}};
  if (!take_apart(all, !d.weights.empty(), out.points, out.weights)) return nullptr;
  return make_spline(std::move(out.knots), std::move(out.points), std::move(out.weights));
}

}  // namespace

SplineData on_knots(const SplineData& spline, const KnotVector& knots) {
  if (knots.degree != spline.knots.degree) {
    throw ArgumentError("spline: the new knots are of another degree");
  }
  if (const std::string flaw = knots.flaw(knots.control_count()); !flaw.empty()) {
    throw ArgumentError("spline: " + flaw);
  }
  for (const double k : spline.knots.inner(spline.knots.domain())) {
    const auto was = std::count(spline.knots.knots.begin(), spline.knots.knots.end(), k);
    const auto is = std::count(knots.knots.begin(), knots.knots.end(), k);
    if (is < std::min<std::ptrdiff_t>(was, knots.degree)) {
      throw ArgumentError("spline: the new knots do not hold the old ones");
    }
  }
  const auto all = blossomed(spline.knots, homogeneous(spline.points, spline.weights), knots);
  SplineData out{knots, {}, {}};
  if (!take_apart(all, !spline.weights.empty(), out.points, out.weights)) {
    throw ArgumentError("spline: a weight vanishes beyond its end");
  }
  return out;
}

CarriedCurve carried_on(const CurvePtr& curve, const Interval& range, double reach) {
  check_reach(reach);
  if (!range.is_finite()) throw ArgumentError("carried_on: a range without ends");
  CarriedCurve out{curve, range, 0, 0};
  const Interval domain = curve->domain();
  const double period = curve->period();
  // Within what it is, first: the rest of its domain, or of a turn.
  const auto inside = [&](double end, double sign, double limit) {
    const double speed = curve->at(end).d1.norm();
    ReachStep s;
    if (speed > 0) {
      s.parameter = std::min(reach / speed, limit);
      for (int i = 0; i < 4; ++i) {
        const double length = length_between(*curve, end, end + sign * s.parameter);
        if (length >= reach || s.parameter >= limit || !(length > 0)) break;
        s.parameter = std::min(limit, s.parameter * 1.05 * reach / length);
      }
      s.reached = std::min(reach, length_between(*curve, end, end + sign * s.parameter));
    }
    return s;
  };
  if (period > 0) {
    // Both ends share what is left of the turn.
    const double left = std::max(0.0, 0.5 * (period - range.width()));
    const ReachStep low = inside(range.low, -1, left), high = inside(range.high, 1, left);
    out.range = {range.low - low.parameter, range.high + high.parameter};
    out.beyond_low = low.reached;
    out.beyond_high = high.reached;
    return out;
  }
  const ReachStep low = inside(range.low, -1, range.low - domain.low);
  const ReachStep high = inside(range.high, 1, domain.high - range.high);
  out.range = {range.low - low.parameter, range.high + high.parameter};
  out.beyond_low = low.reached;
  out.beyond_high = high.reached;
  const double missing_low = reach - low.reached, missing_high = reach - high.reached;
  const auto is_missing = [&](double missing) { return missing > kSamePlace * reach; };
  if (!is_missing(missing_low) && !is_missing(missing_high)) return out;

  if (const auto* spline = curve->as<SplineData>()) {
    const auto side = [&](bool is_high, double missing) -> ReachStep {
      if (!is_missing(missing)) return {};
      const double end = is_high ? domain.high : domain.low;
      return step_beyond(
          [&](double step) {
            return longer_spline(*spline, is_high ? 0 : step, is_high ? step : 0);
          },
          end, is_high ? 1 : -1, missing, curve->at(end).d1.norm());
    };
    const ReachStep before = side(false, missing_low), after = side(true, missing_high);
    if (const CurvePtr made = longer_spline(*spline, before.parameter, after.parameter)) {
      out.curve = made;
      out.range.low -= before.parameter;
      out.range.high += after.parameter;
      out.beyond_low += before.reached;
      out.beyond_high += after.reached;
    }
  } else if (const auto* moved = curve->as<MovedCurveData>()) {
    // By the least that it is scaled.
    const double scale = std::max(moved->placement.linear.norm() / std::sqrt(3.0), kSomeLength);
    const CarriedCurve own = carried_on(moved->curve, range, reach / scale);
    out.curve = make_moved(own.curve, moved->placement);
    out.range = own.range;
    out.beyond_low = length_between(*out.curve, own.range.low, range.low);
    out.beyond_high = length_between(*out.curve, range.high, own.range.high);
  } else if (const auto* trimmed = curve->as<TrimmedCurveData>()) {
    CarriedCurve own = carried_on(trimmed->curve, range, reach);
    own.curve = make_trimmed(own.curve, own.range);
    return own;
  } else if (const auto* offset = curve->as<OffsetCurveData>()) {
    const CarriedCurve own = carried_on(offset->curve, range, reach);
    out.curve = make_offset_curve(own.curve, offset->distance, offset->direction);
    out.range = own.range;
    out.beyond_low = length_between(*out.curve, own.range.low, range.low);
    out.beyond_high = length_between(*out.curve, range.high, own.range.high);
  } else if (const auto* lines = curve->as<PolylineData>()) {
    // Straight on: a spline of degree 1 whose first and last pieces are longer.
    std::vector<Point> points = lines->points;
    const std::size_t last = points.size() - 1;
    const double first_length = (points[1] - points[0]).norm(),
                 last_length = (points[last] - points[last - 1]).norm();
    if (!(first_length > 0) || !(last_length > 0)) return out;
    KnotVector knots;
    knots.degree = 1;
    const double before = is_missing(missing_low) ? missing_low / first_length : 0;
    const double after = is_missing(missing_high) ? missing_high / last_length : 0;
    points.front() += (points[0] - points[1]) * before;
    points.back() += (lines->points[last] - lines->points[last - 1]) * after;
    knots.knots = {-before, -before};
    for (std::size_t i = 1; i < last; ++i) knots.knots.push_back(static_cast<double>(i));
    knots.knots.insert(knots.knots.end(), 2, static_cast<double>(last) + after);
    out.curve = make_spline(std::move(knots), std::move(points));
    out.range.low -= before;
    out.range.high += after;
    out.beyond_low += before * first_length;
    out.beyond_high += after * last_length;
  }
  return out;
}

namespace {

// Sides of a domain, and what lies along them.
struct SideOf {
  bool at_u, is_high;
  [[nodiscard]] Interval own(const Surface& s) const { return at_u ? s.domain_u() : s.domain_v(); }
  [[nodiscard]] Interval along(const Surface& s) const {
    return at_u ? s.domain_v() : s.domain_u();
  }
  [[nodiscard]] double end(const Surface& s) const { return is_high ? own(s).high : own(s).low; }
  [[nodiscard]] double sign() const { return is_high ? 1 : -1; }
  [[nodiscard]] SurfacePoint at(const Surface& s, double across, double along) const {
    return at_u ? s.at(across, along) : s.at(along, across);
  }
  [[nodiscard]] Vector outward(const SurfacePoint& p) const { return at_u ? p.du : p.dv; }
};

// Places along a side: of an endless one, some.
std::vector<double> places_along(const Interval& along) {
  const Interval d{std::max(along.low, -1.0), std::min(along.high, 1.0)};
  const Interval used = along.is_finite() ? along : d;
  std::vector<double> out;
  for (int i = 0; i <= kLookedAt; ++i) out.push_back(used.low + used.width() * i / kLookedAt);
  return out;
}

// Cylinders and the like: however far one goes on, it is the same surface.
bool is_whole(const Surface& s) {
  const SurfaceData data = s.data();
  return std::holds_alternative<const PlaneData*>(data) ||
         std::holds_alternative<const ConeData*>(data) ||
         std::holds_alternative<const SphereData*>(data) ||
         std::holds_alternative<const TorusData*>(data);
}

// Looks beyond a side of a surface that can be evaluated there: how far out it is everywhere, at
// least; nothing where it folds, or changes its speed too much.
std::optional<double> reached_beyond(const Surface& s, const SideOf& side, double end, double step,
                                     std::span<const double> places) {
  const bool turns_at_will = is_whole(s);
  double least = kInfinity;
  for (const double w : places) {
    const SurfacePoint at_end = side.at(s, end, w);
    const Vector n = at_end.normal();
    if (n.isZero()) continue;
    double length = 0;
    Point last = at_end.p;
    for (int k = 1; k <= kLookedAt; ++k) {
      const SurfacePoint p = side.at(s, end + side.sign() * step * k / kLookedAt, w);
      const double speed = side.outward(p).norm(), was = side.outward(at_end).norm();
      if (!turns_at_will && !is_sane({was, n}, {speed, p.normal()})) return std::nullopt;
      length += (p.p - last).norm();
      last = p.p;
    }
    least = std::min(least, length);
  }
  return least < kInfinity ? std::optional(least) : std::nullopt;
}

bool is_pole(const Surface& s, const SideOf& side) {
  const double end = side.end(s);
  for (const Pole& pole : s.poles()) {
    if (pole.at_u == side.at_u &&
        std::fabs(pole.value - end) <= kSameParameter * std::max(1.0, side.own(s).width())) {
      return true;
    }
  }
  return false;
}

// The step of parameter beyond a side, and how far out that is; `made` gives a surface that can be
// evaluated there, or none.
template <class Made>
ReachStep step_beyond_side(const Surface& s, const SideOf& side, double reach, double limit,
                           const Made& made) {
  const double end = side.end(s);
  const std::vector<double> places = places_along(side.along(s));
  double slowest = kInfinity;
  for (const double w : places) {
    const double speed = side.outward(side.at(s, end, w)).norm();
    if (speed > 0) slowest = std::min(slowest, speed);
  }
  if (!(slowest < kInfinity) || !(reach > 0) || !(limit > 0)) return {};
  double step = std::min(reach / slowest, limit);
  bool halved = false;
  for (int i = 0; i < kMostReachHalvings; ++i) {
    const SurfacePtr there = made(step);
    const auto reached =
        there == nullptr ? std::nullopt : reached_beyond(*there, side, end, step, places);
    if (!reached) {
      step *= 0.5;
      halved = true;
      continue;
    }
    if (halved || *reached >= reach || step >= limit || i + 1 == kMostReachHalvings) {
      return {step, std::min(*reached, reach)};
    }
    step = std::min(limit, step * std::min(1.05 * reach / std::max(*reached, kSomeLength), 2.0));
  }
  return {};
}

constexpr SideOf kSides[4] = {{true, false}, {true, true}, {false, false}, {false, true}};

// A spline surface with longer knots in one or both directions.
SurfacePtr longer_spline_surface(const SplineSurfaceData& d, const double (&by)[4]) {
  const KnotVector u = longer(d.u, by[0], by[1]), v = longer(d.v, by[2], by[3]);
  const std::vector<Homogeneous4> all = homogeneous(d.points, d.weights);
  const std::size_t nu = d.u.control_count(), nv = d.v.control_count();
  // Rows of v, then columns of u.
  std::vector<std::vector<Homogeneous4>> rows;
  for (std::size_t i = 0; i < nu; ++i) {
    rows.push_back(blossomed(d.v, std::span(all).subspan(i * nv, nv), v));
  }
  const std::size_t mu = u.control_count(), mv = v.control_count();
  std::vector<Homogeneous4> out(mu * mv);
  for (std::size_t j = 0; j < mv; ++j) {
    std::vector<Homogeneous4> column;
    for (std::size_t i = 0; i < nu; ++i) column.push_back(rows[i][j]);
    const auto made = blossomed(d.u, column, u);
    for (std::size_t i = 0; i < mu; ++i) out[i * mv + j] = made[i];
  }
  std::vector<Point> points;
  std::vector<double> weights;
  if (!take_apart(out, !d.weights.empty(), points, weights)) return nullptr;
  return make_spline_surface(u, v, std::move(points), std::move(weights));
}

class SurfaceCarrier {
 public:
  SurfaceCarrier(const SurfacePtr& surface, double reach) : s_(surface), reach_(reach) {
    out_.surface = surface;
    for (int k = 0; k < 4; ++k) {
      out_.sides[k] = {kSides[k].at_u, kSides[k].is_high, 0};
      const double end = kSides[k].end(*surface);
      if (!std::isfinite(end)) out_.sides[k].beyond = kInfinity;
    }
  }

  CarriedSurface run() {
    std::visit(
        [this](const auto& data) {
          if constexpr (std::is_pointer_v<std::decay_t<decltype(data)>>) carry(*data);
        },
        s_->data());
    return std::move(out_);
  }

 private:
  // Whether a side has an end at all: none goes round, or on without end, or shrinks to a point.
  [[nodiscard]] bool has_end(int k) const {
    const SideOf& side = kSides[k];
    const double period = side.at_u ? s_->period_u() : s_->period_v();
    return std::isfinite(side.end(*s_)) && period == 0 && !is_pole(*s_, side);
  }
  // As they are: without ends, or whole.
  void carry(const PlaneData&) {}
  void carry(const ConeData&) {}
  void carry(const SphereData&) {}
  void carry(const TorusData&) {}

  void carry(const SplineSurfaceData& d) {
    double by[4] = {0, 0, 0, 0};
    for (int k = 0; k < 4; ++k) {
      if (!has_end(k)) continue;
      const ReachStep step = step_beyond_side(*s_, kSides[k], reach_, kInfinity, [&](double one) {
        double alone[4] = {0, 0, 0, 0};
        alone[k] = one;
        return longer_spline_surface(d, alone);
      });
      by[k] = step.parameter;
      out_.sides[k].beyond = step.reached;
    }
    // Corners are carried on both ways: they may be too far where each side is not.
    for (int i = 0; i < kMostReachHalvings; ++i) {
      const SurfacePtr made = longer_spline_surface(d, by);
      if (made && corners_are_sane(*made)) {
        out_.surface = made;
        if (i > 0) measure(by);
        return;
      }
      for (double& b : by) b *= 0.5;
    }
    for (auto& side : out_.sides) side.beyond = std::isfinite(side.beyond) ? 0 : side.beyond;
  }
  [[nodiscard]] bool corners_are_sane(const Surface& made) const {
    const Interval u = s_->domain_u(), v = s_->domain_v();
    const Interval all_u = made.domain_u(), all_v = made.domain_v();
    for (const bool high_u : {false, true}) {
      for (const bool high_v : {false, true}) {
        const double from_u = high_u ? u.high : u.low, from_v = high_v ? v.high : v.low;
        const double to_u = high_u ? all_u.high : all_u.low, to_v = high_v ? all_v.high : all_v.low;
        const Vector n = made.at(from_u, from_v).normal();
        if (n.isZero()) continue;
        for (int k = 1; k <= kLookedAt; ++k) {
          const double part = static_cast<double>(k) / kLookedAt;
          const SurfacePoint p =
              made.at(from_u + part * (to_u - from_u), from_v + part * (to_v - from_v));
          if (p.normal().dot(n) < kLeastOnwardCosine) return false;
        }
      }
    }
    return true;
  }
  void measure(const double (&by)[4]) {
    for (int k = 0; k < 4; ++k) {
      if (!(by[k] > 0)) continue;
      const SideOf& side = kSides[k];
      const auto places = places_along(side.along(*s_));
      out_.sides[k].beyond = std::min(
          reach_, reached_beyond(*out_.surface, side, side.end(*s_), by[k], places).value_or(0));
    }
  }

  void carry(const ExtrusionData& d) {
    const double length = d.direction.norm();
    Interval height = d.height;
    if (std::isfinite(height.low)) height.low -= reach_ / length;
    if (std::isfinite(height.high)) height.high += reach_ / length;
    for (const int k : {2, 3})
      out_.sides[k].beyond = std::min(out_.sides[k].beyond + reach_, kInfinity);
    CarriedCurve curve{d.curve, d.range, 0, 0};
    if (d.range.is_finite() && s_->period_u() == 0) {
      curve = carried_on(d.curve, d.range, reach_);
      // What the curve goes on along the direction is not farther out.
      const auto across = [&](double from, double to) {
        Vector way = curve.curve->point(to) - curve.curve->point(from);
        way -= way.dot(d.direction) / (length * length) * d.direction;
        return std::min(way.norm(), reach_);
      };
      out_.sides[0].beyond = across(d.range.low, curve.range.low);
      out_.sides[1].beyond = across(d.range.high, curve.range.high);
    }
    out_.surface = make_extrusion(curve.curve, curve.range, d.direction, height);
  }

  void carry(const RevolutionData& d) {
    CarriedCurve curve{d.curve, d.range, 0, 0};
    if (d.range.is_finite() && s_->period_v() == 0) {
      curve = carried_on(d.curve, d.range, reach_);
      stop_at_axis(d, curve);
      out_.sides[2].beyond = curve.beyond_low;
      out_.sides[3].beyond = curve.beyond_high;
    }
    Interval angles = d.angles;
    if (s_->period_u() == 0) {
      double radius = kInfinity;
      for (const double t : places_along(d.range)) {
        const Vector off = d.curve->point(t) - d.origin;
        const double r = (off - off.dot(d.axis) * d.axis).norm();
        if (r > 0) radius = std::min(radius, r);
      }
      const double left = std::max(0.0, 0.5 * (kFullTurn - angles.width()));
      const double turn = radius < kInfinity ? std::min(left, reach_ / radius) : 0;
      angles = {angles.low - turn, angles.high + turn};
      out_.sides[0].beyond = out_.sides[1].beyond =
          radius < kInfinity ? std::min(reach_, turn * radius) : 0;
    }
    out_.surface = make_revolution(curve.curve, curve.range, d.origin, d.axis, angles);
  }
  // Beyond the axis it would be on its own other side.
  static void stop_at_axis(const RevolutionData& d, CarriedCurve& curve) {
    const auto across = [&](double t) -> Vector {
      const Vector off = curve.curve->point(t) - d.origin;
      return off - off.dot(d.axis) * d.axis;
    };
    const auto stop = [&](double end, double& beyond_end, double& beyond) {
      const Vector first = across(end);
      for (int i = 0; i < 2 * kMostReachHalvings && beyond_end != end; ++i) {
        bool crosses = first.isZero();
        for (int k = 1; k <= kLookedAt && !crosses; ++k) {
          crosses = across(end + (beyond_end - end) * k / kLookedAt).dot(first) <= 0;
        }
        if (!crosses) break;
        beyond_end = i + 1 < 2 * kMostReachHalvings ? 0.5 * (end + beyond_end) : end;
        beyond = length_between(*curve.curve, end, beyond_end);
      }
    };
    stop(d.range.low, curve.range.low, curve.beyond_low);
    stop(d.range.high, curve.range.high, curve.beyond_high);
  }

  void carry(const RuledData& d) {
    // Along u both curves go on by the same part of their ranges.
    const CarriedCurve a = carried_on(d.first, d.first_range, reach_);
    const CarriedCurve b = carried_on(d.second, d.second_range, reach_);
    const SurfacePtr all = make_ruled(a.curve, d.first_range, b.curve, d.second_range);
    const auto part = [](const Interval& all_of, const Interval& own, bool high) {
      return (high ? all_of.high - own.high : own.low - all_of.low) / own.width();
    };
    widen(
        all,
        Interval{
            -std::min(part(a.range, d.first_range, false), part(b.range, d.second_range, false)),
            1 + std::min(part(a.range, d.first_range, true), part(b.range, d.second_range, true))},
        Interval{-kInfinity, kInfinity});
  }

  void carry(const OffsetSurfaceData& d) {
    const CarriedSurface own = carried_on(d.surface, reach_);
    const SurfacePtr all = make_offset_surface(own.surface, d.distance);
    // It is longer or shorter than what it is an offset of.
    widen(all, all->domain_u(), all->domain_v());
  }

  void carry(const MovedSurfaceData& d) {
    const double scale = std::max(d.placement.linear.norm() / std::sqrt(3.0), kSomeLength);
    CarriedSurface own = carried_on(d.surface, reach_ / scale);
    out_.surface = make_moved(own.surface, d.placement);
    for (int k = 0; k < 4; ++k) out_.sides[k].beyond = own.sides[k].beyond * scale;
  }

  void carry(const TrimmedSurfaceData& d) {
    const SurfacePtr base = carried_on(d.surface, reach_).surface;
    const auto limit = [](const Interval& own, const Interval& all, double period) {
      if (!(period > 0)) return all;
      const double left = std::max(0.0, 0.5 * (period - own.width()));
      return Interval{own.low - left, own.high + left};
    };
    widen(base, limit(d.u, base->domain_u(), base->period_u()),
          limit(d.v, base->domain_v(), base->period_v()));
  }

  // The domain of the surface, made wider within that of `all`, which has the same parameters.
  void widen(const SurfacePtr& all, const Interval& most_u, const Interval& most_v) {
    Interval u = s_->domain_u(), v = s_->domain_v();
    for (int k = 0; k < 4; ++k) {
      const SideOf& side = kSides[k];
      const double end = side.end(*s_);
      const double period = side.at_u ? s_->period_u() : s_->period_v();
      if (!std::isfinite(end) || period > 0) continue;
      const Interval& most = side.at_u ? most_u : most_v;
      const double limit = side.is_high ? most.high - end : end - most.low;
      const ReachStep step =
          step_beyond_side(*s_, side, reach_, limit, [&](double) { return all; });
      Interval& own = side.at_u ? u : v;
      (side.is_high ? own.high : own.low) += side.sign() * step.parameter;
      out_.sides[k].beyond = step.reached;
    }
    out_.surface = make_trimmed_surface(all, u, v);
  }

  const SurfacePtr& s_;
  double reach_;
  CarriedSurface out_;
};

}  // namespace

CarriedSurface carried_on(const SurfacePtr& surface, double reach) {
  check_reach(reach);
  return SurfaceCarrier(surface, reach).run();
}

}  // namespace aguja
