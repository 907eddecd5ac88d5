#include "formats/iges_geometry.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "base/numbers.h"
#include "surface/limits.h"

namespace aguja::detail {
namespace {}  // namespace

// ---- Placing.

Placement IgesGeometry::matrix(std::uint64_t number, std::uint64_t asked_by, int depth) {
  if (number == 0) return {};
  const IgesEntity& e = file_.entity(number, asked_by);
  if (e.type != 124) throw IgesError(number, "is no transformation");
  if (depth > kMostDepth) throw IgesError(number, "transformations in one another");
  const IgesValues v(e);
  Placement p;
  for (int i = 0; i < 3; ++i) {
    for (int j = 0; j < 3; ++j) p.linear(i, j) = v.number(static_cast<std::size_t>(4 * i + j));
    p.shift[i] = v.number(static_cast<std::size_t>(4 * i + 3)) * scale_;
  }
  if (!p.is_regular()) throw IgesError(number, "flattens what it places, or is not finite");
  return matrix(e.matrix, number, depth + 1) * p;
}

// ---- Curves. In the model's unit; `raw`: parameters, unscaled.

CurvePtr IgesGeometry::curve(std::uint64_t number, std::uint64_t asked_by, bool raw) {
  const IgesEntity& e = file_.entity(number, asked_by);
  if (const auto known = curves_.find({number, raw}); known != curves_.end()) return known->second;
  const Deeper deeper(depth_, number);
  CurvePtr made = make_curve(e, raw ? 1.0 : scale_, raw);
  if (e.matrix != 0) made = make_moved(made, matrix(e.matrix, number));
  curves_[{number, raw}] = made;
  return made;
}

CurvePtr IgesGeometry::make_curve(const IgesEntity& e, double s, bool raw) {
  const IgesValues v(e);
  switch (e.type) {
    case 110: {
      const Point a = point(v, 0, s), b = point(v, 3, s);
      if (!((b - a).norm() > 0)) throw IgesError(e.number, "a line without length");
      return make_trimmed(make_line(a, b - a), {0, 1});
    }
    case 100: {
      const double z = v.number(0) * s;
      const Point center(v.number(1) * s, v.number(2) * s, z),
          a(v.number(3) * s, v.number(4) * s, z), b(v.number(5) * s, v.number(6) * s, z);
      const double radius = (a - center).norm();
      if (!(radius > 0)) throw IgesError(e.number, "an arc without a radius");
      double from = std::atan2(a.y() - center.y(), a.x() - center.x());
      double to = std::atan2(b.y() - center.y(), b.x() - center.x());
      if (from < 0) from += kFullTurn;
      while (to <= from + kParameterRounding) to += kFullTurn;
      if ((a - b).norm() <= kSamePlace * radius) to = from + kFullTurn;
      Frame f;
      f.origin = center;
      const CurvePtr whole = make_circle(f, radius);
      if (std::fabs(to - from - kFullTurn) < kParameterRounding)
        return make_composite({{whole, {from, to}, true}});
      return make_trimmed(whole, {from, to});
    }
    case 102: {
      std::vector<CurveSegment> segments;
      for (std::size_t i = 0, n = v.size(0); i < n; ++i) {
        const std::uint64_t part = v.pointer(1 + i);
        if (file_.entity(part, e.number).type == 116) continue;
        const CurvePtr c = curve(part, e.number, raw);
        if (!c->domain().is_finite()) throw IgesError(part, "a curve without ends");
        segments.push_back({c, c->domain(), true});
      }
      if (segments.empty()) throw IgesError(e.number, "a composite curve of nothing");
      return make_composite(std::move(segments));
    }
    case 104:
      return conic(e, v, s);
    case 106:
      return copious(e, v, s);
    case 112:
      return parametric_spline(e, v, s);
    case 126:
      return spline(e, v, s);
    case 130:
      return offset(e, v, s, raw);
    default:
      throw IgesError(e.number,
                      "type " + std::to_string(e.type) + " is no curve that is understood");
  }
}
Point IgesGeometry::point(const IgesValues& v, std::size_t at, double s) {
  return Point(v.number(at), v.number(at + 1), v.number(at + 2)) * s;
}

CurvePtr IgesGeometry::offset(const IgesEntity& e, const IgesValues& v, double s, bool raw) {
  const CurvePtr c = curve(v.pointer(0), e.number, raw);
  const Vector normal(v.number(9), v.number(10), v.number(11));
  const double first = v.number(5) * s;
  CurveLaw distance;
  switch (v.integer(1)) {
    case 1:
      distance = [first](double) { return first; };
      break;
    case 2: {
      const double last = v.number(7) * s;
      double from = v.number(6), to = v.number(8);
      if (v.integer(4, 2) == 1) {
        // By arc length, which is the parameter's multiple where the curve is run through evenly.
        const CurveKind kind = c->kind();
        const Interval d = c->domain();
        const double speed = c->at(d.middle()).d1.norm() / s;
        const bool is_even =
            std::fabs(c->at(d.low).d1.norm() / s - speed) <= kSameParameter * speed &&
            std::fabs(c->at(d.high).d1.norm() / s - speed) <= kSameParameter * speed;
        if (!is_even || (kind != CurveKind::trimmed && kind != CurveKind::composite))
          throw IgesError(e.number, "an offset curve whose distance varies by arc length");
        from = d.low + from / speed;
        to = d.low + to / speed;
      }
      if (!(std::fabs(to - from) > 0)) throw IgesError(e.number, "an offset over no length");
      distance = [=](double t) { return first + (last - first) * (t - from) / (to - from); };
      break;
    }
    case 3: {
      const int axis = v.integer(3);
      if (axis < 1 || axis > 3) throw IgesError(e.number, "an offset by no coordinate of its law");
      distance = [law = curve(v.pointer(2), e.number, raw), axis](double t) {
        return law->point(t)[axis - 1];
      };
      break;
    }
    default:
      throw IgesError(e.number, "an offset curve by no law that the standard knows");
  }
  const Interval d = c->domain();
  const Interval range{d.clamp(v.number(12, d.low)), d.clamp(v.number(13, d.high))};
  return make_trimmed(make_offset_curve(c, std::move(distance), normal),
                      range.width() > 0 ? range : d);
}

CurvePtr IgesGeometry::conic(const IgesEntity& e, const IgesValues& v, double s) {
  const double a = v.number(0), b = v.number(1), c = v.number(2), d = v.number(3), f0 = v.number(4),
               g = v.number(5), z = v.number(6) * s;
  const Point p(v.number(7) * s, v.number(8) * s, z), q(v.number(9) * s, v.number(10) * s, z);
  if (!(std::fabs(b) <= kParameterRounding * (std::fabs(a) + std::fabs(c))))
    throw IgesError(e.number, "a conic that is not in its axes");
  Frame frame;
  CurvePtr whole;
  if (a * c > 0) {
    // a x^2 + c y^2 + d x + f y + g = 0
    const double x0 = -d / (2 * a), y0 = -f0 / (2 * c), k = a * x0 * x0 + c * y0 * y0 - g;
    if (!(k / a > 0 && k / c > 0)) throw IgesError(e.number, "an ellipse without points");
    frame.origin = Point(x0 * s, y0 * s, z);
    whole = make_ellipse(frame, std::sqrt(k / a) * s, std::sqrt(k / c) * s);
  } else if (a * c < 0) {
    const double x0 = -d / (2 * a), y0 = -f0 / (2 * c), k = a * x0 * x0 + c * y0 * y0 - g;
    frame.origin = Point(x0 * s, y0 * s, z);
    const bool along_x = k / a > 0;
    if (!along_x) {
      frame.x = Vector(0, 1, 0);
      frame.y = Vector(-1, 0, 0);
    }
    const Point local = frame.of(p);
    if (local.x() < 0) frame.x = -frame.x, frame.y = -frame.y;
    const double first = std::sqrt(std::fabs(along_x ? k / a : k / c)),
                 second = std::sqrt(std::fabs(along_x ? k / c : k / a));
    whole = make_hyperbola(frame, first * s, second * s);
  } else if (std::fabs(a) > 0 && std::fabs(f0) > 0) {
    // y = -(a x^2 + d x + g) / f: an axis along y
    const double x0 = -d / (2 * a), y0 = -(a * x0 * x0 + d * x0 + g) / f0, focal = -f0 / (4 * a);
    frame.origin = Point(x0 * s, y0 * s, z);
    frame.x = Vector(0, focal > 0 ? 1 : -1, 0);
    frame.y = Vector(focal > 0 ? -1 : 1, 0, 0);
    whole = make_parabola(frame, std::fabs(focal) * s);
  } else if (std::fabs(c) > 0 && std::fabs(d) > 0) {
    const double y0 = -f0 / (2 * c), x0 = -(c * y0 * y0 + f0 * y0 + g) / d, focal = -d / (4 * c);
    frame.origin = Point(x0 * s, y0 * s, z);
    frame.x = Vector(focal > 0 ? 1 : -1, 0, 0);
    frame.y = Vector(0, focal > 0 ? 1 : -1, 0);
    whole = make_parabola(frame, std::fabs(focal) * s);
  } else {
    throw IgesError(e.number, "a conic of no kind");
  }
  double from = *whole->parameter_of(p), to = *whole->parameter_of(q);
  if (whole->period() > 0) {
    while (to <= from + kParameterRounding) to += kFullTurn;
    if ((p - q).norm() == 0) to = from + kFullTurn;
    return to - from > kFullTurn - kParameterRounding ? make_composite({{whole, {from, to}, true}})
                                                      : make_trimmed(whole, {from, to});
  }
  if (from <= to) return make_trimmed(whole, {from, to});
  return make_composite({{whole, {to, from}, false}});
}

CurvePtr IgesGeometry::copious(const IgesEntity& e, const IgesValues& v, double s) {
  const int kind = v.integer(0);
  const std::size_t n = v.size(1);
  std::vector<Point> points;
  if (kind == 1) {
    const double z = v.number(2) * s;
    for (std::size_t i = 0; i < n; ++i)
      points.emplace_back(v.number(3 + 2 * i) * s, v.number(4 + 2 * i) * s, z);
  } else {
    const std::size_t stride = kind == 3 ? 6 : 3;
    for (std::size_t i = 0; i < n; ++i) points.push_back(point(v, 2 + stride * i, s));
  }
  if (e.form == 63 && points.size() > 2 && points.front() != points.back())
    points.push_back(Point(points.front()));
  points.erase(std::unique(points.begin(), points.end()), points.end());
  return make_polyline(std::move(points));
}

// Polynomials of third degree, piece by piece, as a spline of pieces.
CurvePtr IgesGeometry::parametric_spline(const IgesEntity& e, const IgesValues& v, double s) {
  const std::size_t n = v.size(3);
  if (n == 0) throw IgesError(e.number, "a spline of no pieces");
  KnotVector knots;
  knots.degree = 3;
  std::vector<Point> points;
  std::vector<double> breaks;
  for (std::size_t i = 0; i <= n; ++i) breaks.push_back(v.number(4 + i));
  for (std::size_t i = 0; i < n; ++i) {
    const double h = breaks[i + 1] - breaks[i];
    Point c[4];
    for (int k = 0; k < 4; ++k) {
      for (int axis = 0; axis < 3; ++axis)
        c[k][axis] = v.number(5 + n + 12 * i + static_cast<std::size_t>(4 * axis + k)) * s;
    }
    // From powers to Bézier points over the piece.
    const Point b0 = c[0], b1 = c[0] + c[1] * (h / 3),
                b2 = c[0] + c[1] * (2 * h / 3) + c[2] * (h * h / 3),
                b3 = c[0] + h * (c[1] + h * (c[2] + h * c[3]));
    if (i == 0) points.push_back(b0);
    points.push_back(b1);
    points.push_back(b2);
    points.push_back(b3);
  }
  for (std::size_t i = 0; i <= n; ++i) {
    for (int k = 0; k < (i == 0 || i == n ? 4 : 3); ++k) knots.knots.push_back(breaks[i]);
  }
  return make_spline(std::move(knots), std::move(points));
}

CurvePtr IgesGeometry::spline(const IgesEntity& e, const IgesValues& v, double s) {
  const int k = v.integer(0), m = v.integer(1);
  if (k < 1 || m < 1 || m > 25 || static_cast<std::size_t>(k) > v.count())
    throw IgesError(e.number, "a spline without a degree or points");
  const bool polynomial = v.integer(4, 0) == 1;
  KnotVector knots;
  knots.degree = m;
  const auto count = static_cast<std::size_t>(k) + 1;
  const std::size_t knot_count = count + static_cast<std::size_t>(m) + 1;
  std::size_t at = 6;
  for (std::size_t i = 0; i < knot_count; ++i) knots.knots.push_back(v.number(at + i));
  at += knot_count;
  std::vector<double> weights;
  for (std::size_t i = 0; i < count; ++i) weights.push_back(v.number(at + i, 1.0));
  at += count;
  std::vector<Point> points;
  for (std::size_t i = 0; i < count; ++i) points.push_back(point(v, at + 3 * i, s));
  at += 3 * count;
  const bool equal =
      std::all_of(weights.begin(), weights.end(), [&](double w) { return w == weights[0]; });
  if (polynomial || equal) weights.clear();
  const double from = v.number(at, knots.domain().low), to = v.number(at + 1, knots.domain().high);
  CurvePtr whole = make_spline(std::move(knots), std::move(points), std::move(weights));
  const Interval d = whole->domain();
  if (!(to > from)) return whole;
  const Interval range{d.clamp(from), d.clamp(to)};
  return range.low == d.low && range.high == d.high ? whole : make_trimmed(whole, range);
}

// ---- Parameters.

std::optional<Interval> IgesGeometry::file_domain(const IgesEntity& e, int depth) {
  const IgesValues v(e);
  switch (e.type) {
    case 100: {
      const double from = std::atan2(v.number(4) - v.number(2), v.number(3) - v.number(1));
      const double to = std::atan2(v.number(6) - v.number(2), v.number(5) - v.number(1));
      const double start = from < 0 ? from + kFullTurn : from;
      double end = to;
      while (end <= start + kParameterRounding) end += kFullTurn;
      return Interval{start, end};
    }
    case 102: {
      // One after another; only pieces of one length keep to a straight law.
      double total = 0;
      std::optional<double> width;
      for (std::size_t i = 0, n = v.size(0); i < n; ++i) {
        const IgesEntity& part = file_.entity(v.pointer(1 + i), e.number);
        if (part.type == 116) continue;
        const auto own = depth < kMostDepth ? file_domain(part, depth + 1) : std::nullopt;
        if (!own || (width && std::fabs(own->width() - *width) > kSameParameter * *width))
          return {};
        width = own->width();
        total += *width;
      }
      return Interval{0, total};
    }
    case 104:
    case 106:
    case 110:
    case 112:
    case 126:
    case 130: {
      const Interval d = curve(e.number, e.number)->domain();
      // Whole ellipses are made of one piece of length 1, parabolas have another law.
      if (e.type == 104 && (v.number(0) * v.number(2) <= 0 || d.high == 1)) return {};
      return d;
    }
    default:
      return {};
  }
}

std::optional<Placement> IgesGeometry::parameters(std::uint64_t surface, std::uint64_t asked_by) {
  const IgesEntity& e = file_.entity(surface, asked_by);
  const IgesValues v(e);
  constexpr double kDegree = kFullTurn / 360;
  Placement p;
  // From what the file counts along a generating curve to the curve as it is made here.
  const auto along = [&](std::uint64_t generator, bool from_unit) -> std::optional<Interval> {
    const Interval own = curve(generator, surface)->domain();
    const auto file = from_unit ? Interval{0, 1} : file_domain(file_.entity(generator, surface), 0);
    if (!file || !own.is_finite() || !(file->width() > 0)) return {};
    const double slope = own.width() / file->width();
    return Interval{own.low - slope * file->low, slope};  // shift and slope
  };
  switch (e.type) {
    case 108:
    case 190:
      p.linear.diagonal() << scale_, scale_, 1;
      return p;
    case 192:
    case 194:
      p.linear.diagonal() << kDegree, scale_, 1;
      return p;
    case 196:
    case 198:
      p.linear.diagonal() << kDegree, kDegree, 1;
      return p;
    case 120: {
      // The generator's parameter, then the angle.
      const auto law = along(v.pointer(1), false);
      if (!law) return {};
      p.linear << 0, 1, 0, law->high, 0, 0, 0, 0, 1;
      p.shift = Vector(0, law->low, 0);
      return p;
    }
    case 122: {
      if (!file_domain(file_.entity(v.pointer(0), surface), 0)) return {};
      const auto law = along(v.pointer(0), true);
      if (!law) return {};
      p.linear.diagonal() << law->high, 1, 1;
      p.shift = Vector(law->low, 0, 0);
      return p;
    }
    case 118:
      for (const std::size_t i : {0u, 1u}) {
        if (!file_domain(file_.entity(v.pointer(i), surface), 0)) return {};
      }
      return p;
    case 140: {
      const Deeper deeper(depth_, surface);
      return parameters(v.pointer(4), surface);
    }
    default:
      return p;  // splines: the file's own
  }
}

// ---- Surfaces.

SurfacePtr IgesGeometry::surface(std::uint64_t number, std::uint64_t asked_by) {
  if (const auto at = surfaces_.find(number); at != surfaces_.end()) return at->second;
  const IgesEntity& e = file_.entity(number, asked_by);
  const Deeper deeper(depth_, number);
  SurfacePtr made = make_surface(e);
  if (e.matrix != 0) made = make_moved(made, matrix(e.matrix, number));
  surfaces_[number] = made;
  return made;
}

Point IgesGeometry::point_entity(std::uint64_t number, std::uint64_t asked_by) {
  const IgesEntity& e = file_.entity(number, asked_by);
  if (e.type != 116) throw IgesError(number, "is no point");
  Point p = point(IgesValues(e), 0, scale_);
  return e.matrix != 0 ? matrix(e.matrix, number)(p) : p;
}
Vector IgesGeometry::direction_entity(std::uint64_t number, std::uint64_t asked_by) {
  const IgesEntity& e = file_.entity(number, asked_by);
  if (e.type != 123) throw IgesError(number, "is no direction");
  const IgesValues v(e);
  Vector d(v.number(0), v.number(1), v.number(2));
  if (e.matrix != 0) d = matrix(e.matrix, number).linear * d;
  if (!(d.norm() > 0)) throw IgesError(number, "a direction without length");
  return d.normalized();
}

SurfacePtr IgesGeometry::make_surface(const IgesEntity& e) {
  const IgesValues v(e);
  const std::uint64_t n = e.number;
  const auto frame_at = [&](std::size_t location, std::size_t axis, std::size_t reference) {
    const Vector z = v.pointer(axis) != 0 ? direction_entity(v.pointer(axis), n) : Vector(0, 0, 1);
    const bool has_x = reference < v.count() && v.pointer(reference) != 0;
    return Frame::from(point_entity(v.pointer(location), n), z,
                       has_x ? direction_entity(v.pointer(reference), n) : Vector(1, 0, 0));
  };
  switch (e.type) {
    case 108: {
      const Vector normal(v.number(0), v.number(1), v.number(2));
      const double length = normal.norm();
      if (!(length > 0)) throw IgesError(n, "a plane without a normal");
      return make_plane(Frame::from(normal * (v.number(3) * scale_ / (length * length)), normal,
                                    Vector(1, 0, 0)));
    }
    case 190:
      return make_plane(frame_at(0, 1, 2));
    case 192:
      return make_cylinder(frame_at(0, 1, 3), positive(e, v, 2));
    case 194: {
      const double angle = v.number(3) * kFullTurn / 360;
      return make_cone(frame_at(0, 1, 4), std::max(0.0, v.number(2)) * scale_, angle);
    }
    case 196: {
      Frame f = Frame::from(
          point_entity(v.pointer(0), n),
          v.count() > 2 && v.pointer(2) != 0 ? direction_entity(v.pointer(2), n) : Vector(0, 0, 1),
          v.count() > 3 && v.pointer(3) != 0 ? direction_entity(v.pointer(3), n) : Vector(1, 0, 0));
      return make_sphere(f, positive(e, v, 1));
    }
    case 198:
      return make_torus(frame_at(0, 1, 4), positive(e, v, 2), positive(e, v, 3));
    case 114:
      return parametric_spline_surface(e, v);
    case 128:
      return spline_surface(e, v);
    case 118: {
      const CurvePtr a = curve(v.pointer(0), n), b = curve(v.pointer(1), n);
      const bool reversed = v.integer(2, 0) == 1;
      const Interval ra = a->domain(), rb = b->domain();
      if (!ra.is_finite() || !rb.is_finite())
        throw IgesError(n, "a ruled surface on curves without ends");
      if (!reversed) return make_ruled(a, ra, b, rb);
      return make_ruled(a, ra, make_composite({{b, rb, false}}), {0, 1});
    }
    case 120: {
      const CurvePtr axis = curve(v.pointer(0), n), c = curve(v.pointer(1), n);
      const double from = v.number(2), to = v.number(3);
      const CurvePoint p = axis->at(axis->domain().is_finite() ? axis->domain().low : 0);
      if (!c->domain().is_finite()) throw IgesError(n, "a curve without ends turned");
      if (!(to > from)) throw IgesError(n, "a surface of revolution over no angle");
      // Where the generator lies is the angle 0.
      return make_revolution(c, c->domain(), p.p, p.d1, {from, std::min(to, from + kFullTurn)});
    }
    case 122: {
      const CurvePtr c = curve(v.pointer(0), n);
      const Interval d = c->domain();
      if (!d.is_finite()) throw IgesError(n, "a curve without ends moved along");
      const Point start = c->point(d.low), end = point(v, 1, scale_);
      return make_extrusion(c, d, end - start, {0, 1});
    }
    case 140: {
      const SurfacePtr base = surface(v.pointer(4), n);
      const Vector indicator(v.number(0), v.number(1), v.number(2));
      const Interval u = base->domain_u(), w = base->domain_v();
      const SurfacePoint s =
          base->at(u.is_finite() ? u.middle() : 0, w.is_finite() ? w.middle() : 0);
      const double sign = s.normal().dot(indicator) < 0 ? -1 : 1;
      return make_offset_surface(base, sign * v.number(3) * scale_);
    }
    default:
      throw IgesError(n, "type " + std::to_string(e.type) + " is no surface that is understood");
  }
}
double IgesGeometry::positive(const IgesEntity& e, const IgesValues& v, std::size_t i) const {
  const double x = v.number(i) * scale_;
  if (!(x > 0)) throw IgesError(e.number, "a radius that is not above 0");
  return x;
}

SurfacePtr IgesGeometry::spline_surface(const IgesEntity& e, const IgesValues& v) {
  const int k1 = v.integer(0), k2 = v.integer(1), m1 = v.integer(2), m2 = v.integer(3);
  if (k1 < 1 || k2 < 1 || m1 < 1 || m2 < 1 || m1 > 25 || m2 > 25 ||
      static_cast<double>(k1) * k2 > static_cast<double>(v.count())) {
    throw IgesError(e.number, "a spline surface without degrees or points");
  }
  const bool polynomial = v.integer(6, 0) == 1;
  KnotVector ku, kv;
  ku.degree = m1;
  kv.degree = m2;
  const auto nu = static_cast<std::size_t>(k1) + 1, nv = static_cast<std::size_t>(k2) + 1;
  std::size_t at = 9;
  for (std::size_t i = 0; i < nu + static_cast<std::size_t>(m1) + 1; ++i)
    ku.knots.push_back(v.number(at++));
  for (std::size_t i = 0; i < nv + static_cast<std::size_t>(m2) + 1; ++i)
    kv.knots.push_back(v.number(at++));
  // The file runs through u first.
  std::vector<double> weights(nu * nv);
  std::vector<Point> points(nu * nv);
  for (std::size_t j = 0; j < nv; ++j) {
    for (std::size_t i = 0; i < nu; ++i) weights[i * nv + j] = v.number(at++, 1.0);
  }
  for (std::size_t j = 0; j < nv; ++j) {
    for (std::size_t i = 0; i < nu; ++i, at += 3) points[i * nv + j] = point(v, at, scale_);
  }
  const bool equal =
      std::all_of(weights.begin(), weights.end(), [&](double w) { return w == weights[0]; });
  if (polynomial || equal) weights.clear();
  const Interval du{v.number(at, ku.domain().low), v.number(at + 1, ku.domain().high)};
  const Interval dv{v.number(at + 2, kv.domain().low), v.number(at + 3, kv.domain().high)};
  SurfacePtr whole =
      make_spline_surface(std::move(ku), std::move(kv), std::move(points), std::move(weights));
  const Interval wu = whole->domain_u(), wv = whole->domain_v();
  const Interval tu{wu.clamp(du.low), wu.clamp(du.high)}, tv{wv.clamp(dv.low), wv.clamp(dv.high)};
  if (!(tu.width() > 0) || !(tv.width() > 0)) return whole;
  if (tu.low == wu.low && tu.high == wu.high && tv.low == wv.low && tv.high == wv.high)
    return whole;
  return make_trimmed_surface(whole, tu, tv);
}

SurfacePtr IgesGeometry::parametric_spline_surface(const IgesEntity& e, const IgesValues& v) {
  const std::size_t m = v.size(2), n = v.size(3);
  if (m == 0 || n == 0 || m * n * 48 > v.count())
    throw IgesError(e.number, "a spline surface of no pieces");
  std::vector<double> u, w;
  std::size_t at = 4;
  for (std::size_t i = 0; i <= m; ++i) u.push_back(v.number(at++));
  for (std::size_t i = 0; i <= n; ++i) w.push_back(v.number(at++));
  const std::size_t nu = 3 * m + 1, nv = 3 * n + 1;
  std::vector<Point> points(nu * nv, Point::Zero());
  // Powers to Bézier: b_k = sum over j <= k of c_j C(k, j) / C(3, j).
  constexpr double kFrom[4][4] = {
      {1, 0, 0, 0}, {1, 1.0 / 3, 0, 0}, {1, 2.0 / 3, 1.0 / 3, 0}, {1, 1, 1, 1}};
  for (std::size_t i = 0; i < m; ++i) {
    for (std::size_t j = 0; j <= n; ++j) {
      // The file has one more patch in each row, which says nothing.
      if (j == n) {
        at += 48;
        continue;
      }
      double c[3][4][4];
      for (auto& axis : c) {
        for (int b = 0; b < 4; ++b) {
          for (int a = 0; a < 4; ++a) axis[a][b] = v.number(at++) * scale_;
        }
      }
      const double hu = u[i + 1] - u[i], hw = w[j + 1] - w[j];
      for (int a = 0; a < 4; ++a) {
        for (int b = 0; b < 4; ++b) {
          Point p = Point::Zero();
          for (int x = 0; x <= a; ++x) {
            for (int y = 0; y <= b; ++y) {
              const double f = kFrom[a][x] * kFrom[b][y] * std::pow(hu, x) * std::pow(hw, y);
              for (int axis = 0; axis < 3; ++axis) p[axis] += f * c[axis][x][y];
            }
          }
          points[(3 * i + static_cast<std::size_t>(a)) * nv + 3 * j + static_cast<std::size_t>(b)] =
              p;
        }
      }
    }
  }
  KnotVector ku, kv;
  ku.degree = kv.degree = 3;
  for (std::size_t i = 0; i <= m; ++i) {
    for (int k = 0; k < (i == 0 || i == m ? 4 : 3); ++k) ku.knots.push_back(u[i]);
  }
  for (std::size_t i = 0; i <= n; ++i) {
    for (int k = 0; k < (i == 0 || i == n ? 4 : 3); ++k) kv.knots.push_back(w[i]);
  }
  return make_spline_surface(std::move(ku), std::move(kv), std::move(points));
}

}  // namespace aguja::detail
