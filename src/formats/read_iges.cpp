#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <numbers>
#include <set>

#include <Eigen/Geometry>

#include "aguja/formats/read_surfaces.h"
#include "aguja/surface/heal.h"
#include "formats/iges_file.h"

namespace aguja {
namespace {

using detail::IgesEntity;
using detail::IgesError;
using detail::IgesFile;
using detail::IgesValues;

constexpr double kTurn = 2 * std::numbers::pi;
constexpr int kMostDepth = 60;  // of entities in entities

class IgesReader {
 public:
  IgesReader(const Source& source, Progress* progress) : progress_(progress), file_(source) {}

  SurfaceModel run() {
    const IgesFile::Global& g = file_.global();
    set_unit(g);
    const double stated = g.resolution * scale_;
    if (stated > 0) model_.uncertainty = stated;
    find_used();
    std::size_t done = 0;
    for (const IgesEntity& e : file_.entities()) {
      if (done++ % 256 == 0)
        advance(
            progress_, "read",
            0.1 + 0.9 * static_cast<double>(done) / static_cast<double>(file_.entities().size()));
      if (used_.contains(e.number) || e.is_blank) continue;
      guarded(e, [&] { top_level(e); });
    }
    finish();
    return std::move(model_);
  }

 private:
  void set_unit(const IgesFile::Global& g) {
    double off = 1e9;
    for (const LengthUnit u : {LengthUnit::millimetre, LengthUnit::metre, LengthUnit::centimetre,
                               LengthUnit::inch, LengthUnit::foot, LengthUnit::micrometre}) {
      const double ratio = std::fabs(std::log(metres_per(u) / g.metres));
      if (ratio < off - 1e-9) off = ratio, model_.unit = u;
    }
    model_.unit_assumed = !g.has_unit;
    const double ratio = g.metres / metres_per(model_.unit);
    scale_ = std::fabs(ratio - 1) < 1e-9 ? 1 : ratio;
    scale_ /= g.scale;  // the model is drawn at this scale
  }

  template <class Work>
  void guarded(const IgesEntity& e, const Work& work) {
    try {
      work();
    } catch (const IgesError& error) {
      omit(e, error.what());
    } catch (const ArgumentError& error) {
      omit(e, "D" + std::to_string(e.number) + ": " + error.what());
    }
  }
  void omit(const IgesEntity& e, const std::string& why) {
    ++omitted_["type " + std::to_string(e.type)];
    if (notes_ < 20 && told_.insert(e.type).second) {
      model_.notes.push_back(why);
      ++notes_;
    }
  }

  // Surfaces and shells that others are made of are no faces by themselves.
  void find_used() {
    const auto use = [&](std::uint64_t number) {
      if (number != 0) used_.insert(number);
    };
    for (const IgesEntity& e : file_.entities()) {
      if (e.is_dependent && e.type != 144 && e.type != 143 && e.type != 186) used_.insert(e.number);
      guarded(e, [&] {
        const IgesValues v(e);
        switch (e.type) {
          case 144:
            use(v.pointer(0));
            break;
          case 143:
            use(v.pointer(1));
            break;
          case 140:
            use(v.pointer(4));
            break;
          case 510:
            use(v.pointer(0));
            break;
          case 186:
            use(v.pointer(0));
            for (std::size_t i = 0, n = v.size(2); i < n; ++i) use(v.pointer(3 + 2 * i));
            break;
          case 514:
            for (std::size_t i = 0, n = v.size(0); i < n; ++i) use(v.pointer(1 + 2 * i));
            break;
          case 308:
            for (std::size_t i = 0, n = v.size(2); i < n; ++i) use(v.pointer(3 + i));
            break;
          default:
            break;
        }
      });
    }
    omitted_.clear();
    told_.clear();
  }

  static bool is_surface(int type) {
    return type == 114 || type == 118 || type == 120 || type == 122 || type == 128 || type == 140 ||
           type == 190 || type == 192 || type == 194 || type == 196 || type == 198 || type == 108;
  }

  void top_level(const IgesEntity& e) {
    if (e.type == 186) {
      solid(e);
    } else if (e.type == 514) {
      begin_body(e);
      shell(e.number, e.number, false, false, true);
      end_body();
    } else if (e.type == 144 || e.type == 143 || e.type == 510 || is_surface(e.type)) {
      if (e.type == 108 && IgesValues(e).pointer(4) == 0) return;  // a plane without a bound
      add_loose_face(e);
    } else if (e.type == 408) {
      subfigure(e, {}, 0);
    } else if (is_curve(e.type) || is_silent(e.type)) {
      return;
    } else {
      ++omitted_["type " + std::to_string(e.type)];
    }
  }
  static bool is_curve(int type) {
    return type == 100 || type == 102 || type == 104 || type == 106 || type == 110 || type == 112 ||
           type == 116 || type == 126 || type == 130 || type == 142 || type == 141;
  }
  // Properties, colours, matrices, views, notes: nothing with a shape.
  static bool is_silent(int type) {
    return type == 124 || type == 123 || type == 314 || type == 406 || type == 402 || type == 404 ||
           type == 410 || type == 308 || type == 502 || type == 504 || type == 508 || type == 212 ||
           type == 0 || type == 304 || type == 312 || type == 302 || type == 310 ||
           (type >= 202 && type <= 230);
  }

  // ---- Placing.

  Placement matrix(std::uint64_t number, std::uint64_t asked_by, int depth = 0) {
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
    return matrix(e.matrix, number, depth + 1) * p;
  }

  // ---- Curves. In the model's unit; `raw`: parameters, unscaled.

  CurvePtr curve(std::uint64_t number, std::uint64_t asked_by, bool raw = false) {
    const IgesEntity& e = file_.entity(number, asked_by);
    if (++depth_ > kMostDepth) {
      depth_ = 0;
      throw IgesError(number, "is made of itself");
    }
    CurvePtr made;
    try {
      made = make_curve(e, raw ? 1.0 : scale_, raw);
    } catch (...) {
      --depth_;
      throw;
    }
    --depth_;
    return e.matrix != 0 ? make_moved(made, matrix(e.matrix, number)) : made;
  }

  CurvePtr make_curve(const IgesEntity& e, double s, bool raw) {
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
        if (from < 0) from += kTurn;
        while (to <= from + 1e-12) to += kTurn;
        if ((a - b).norm() <= 1e-9 * radius) to = from + kTurn;
        Frame f;
        f.origin = center;
        const CurvePtr whole = make_circle(f, radius);
        if (std::fabs(to - from - kTurn) < 1e-12)
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
      case 130: {
        // Along the whole curve by one distance: other laws are rare.
        const CurvePtr c = curve(v.pointer(0), e.number, raw);
        const Vector normal(v.number(8), v.number(9), v.number(10));
        if (v.integer(1) != 1) throw IgesError(e.number, "an offset curve whose distance varies");
        return make_trimmed(make_offset_curve(c, -v.number(4) * s, normal), c->domain());
      }
      default:
        throw IgesError(e.number,
                        "type " + std::to_string(e.type) + " is no curve that is understood");
    }
  }
  static Point point(const IgesValues& v, std::size_t at, double s) {
    return Point(v.number(at), v.number(at + 1), v.number(at + 2)) * s;
  }

  CurvePtr conic(const IgesEntity& e, const IgesValues& v, double s) {
    const double a = v.number(0), b = v.number(1), c = v.number(2), d = v.number(3),
                 f0 = v.number(4), g = v.number(5), z = v.number(6) * s;
    const Point p(v.number(7) * s, v.number(8) * s, z), q(v.number(9) * s, v.number(10) * s, z);
    if (!(std::fabs(b) <= 1e-12 * (std::fabs(a) + std::fabs(c))))
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
      while (to <= from + 1e-12) to += kTurn;
      if ((p - q).norm() == 0) to = from + kTurn;
      return to - from > kTurn - 1e-12 ? make_composite({{whole, {from, to}, true}})
                                       : make_trimmed(whole, {from, to});
    }
    if (from <= to) return make_trimmed(whole, {from, to});
    return make_composite({{whole, {to, from}, false}});
  }

  CurvePtr copious(const IgesEntity& e, const IgesValues& v, double s) {
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
  CurvePtr parametric_spline(const IgesEntity& e, const IgesValues& v, double s) {
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

  CurvePtr spline(const IgesEntity& e, const IgesValues& v, double s) {
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
    const double from = v.number(at, knots.domain().low),
                 to = v.number(at + 1, knots.domain().high);
    const CurvePtr whole = make_spline(std::move(knots), std::move(points), std::move(weights));
    const Interval d = whole->domain();
    if (!(to > from)) return whole;
    const Interval range{d.clamp(from), d.clamp(to)};
    return range.low == d.low && range.high == d.high ? whole : make_trimmed(whole, range);
  }

  // ---- Surfaces.

  SurfacePtr surface(std::uint64_t number, std::uint64_t asked_by) {
    if (const auto at = surfaces_.find(number); at != surfaces_.end()) return at->second;
    const IgesEntity& e = file_.entity(number, asked_by);
    if (++depth_ > kMostDepth) {
      depth_ = 0;
      throw IgesError(number, "is made of itself");
    }
    SurfacePtr made;
    try {
      made = make_surface(e);
    } catch (...) {
      --depth_;
      throw;
    }
    --depth_;
    if (e.matrix != 0) made = make_moved(made, matrix(e.matrix, number));
    surfaces_[number] = made;
    return made;
  }

  Point point_entity(std::uint64_t number, std::uint64_t asked_by) {
    const IgesEntity& e = file_.entity(number, asked_by);
    if (e.type != 116) throw IgesError(number, "is no point");
    Point p = point(IgesValues(e), 0, scale_);
    return e.matrix != 0 ? matrix(e.matrix, number)(p) : p;
  }
  Vector direction_entity(std::uint64_t number, std::uint64_t asked_by) {
    const IgesEntity& e = file_.entity(number, asked_by);
    if (e.type != 123) throw IgesError(number, "is no direction");
    const IgesValues v(e);
    Vector d(v.number(0), v.number(1), v.number(2));
    if (e.matrix != 0) d = matrix(e.matrix, number).linear * d;
    if (!(d.norm() > 0)) throw IgesError(number, "a direction without length");
    return d.normalized();
  }

  SurfacePtr make_surface(const IgesEntity& e) {
    const IgesValues v(e);
    const std::uint64_t n = e.number;
    const auto frame_at = [&](std::size_t location, std::size_t axis, std::size_t reference) {
      const Vector z =
          v.pointer(axis) != 0 ? direction_entity(v.pointer(axis), n) : Vector(0, 0, 1);
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
        const double angle = v.number(3) * kTurn / 360;
        return make_cone(frame_at(0, 1, 4), std::max(0.0, v.number(2)) * scale_, angle);
      }
      case 196: {
        Frame f = Frame::from(point_entity(v.pointer(0), n),
                              v.count() > 2 && v.pointer(2) != 0 ? direction_entity(v.pointer(2), n)
                                                                 : Vector(0, 0, 1),
                              v.count() > 3 && v.pointer(3) != 0 ? direction_entity(v.pointer(3), n)
                                                                 : Vector(1, 0, 0));
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
        return make_revolution(c, c->domain(), p.p, p.d1, {from, std::min(to, from + kTurn)});
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
  double positive(const IgesEntity& e, const IgesValues& v, std::size_t i) const {
    const double x = v.number(i) * scale_;
    if (!(x > 0)) throw IgesError(e.number, "a radius that is not above 0");
    return x;
  }

  SurfacePtr spline_surface(const IgesEntity& e, const IgesValues& v) {
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
    const SurfacePtr whole =
        make_spline_surface(std::move(ku), std::move(kv), std::move(points), std::move(weights));
    const Interval wu = whole->domain_u(), wv = whole->domain_v();
    const Interval tu{wu.clamp(du.low), wu.clamp(du.high)}, tv{wv.clamp(dv.low), wv.clamp(dv.high)};
    if (!(tu.width() > 0) || !(tv.width() > 0)) return whole;
    if (tu.low == wu.low && tu.high == wu.high && tv.low == wv.low && tv.high == wv.high)
      return whole;
    return make_trimmed_surface(whole, tu, tv);
  }

  SurfacePtr parametric_spline_surface(const IgesEntity& e, const IgesValues& v) {
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
            points[(3 * i + static_cast<std::size_t>(a)) * nv + 3 * j +
                   static_cast<std::size_t>(b)] = p;
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

  // ---- Faces.

  // Loose faces are one body: what belongs together is sewn later.
  void add_loose_face(const IgesEntity& e) {
    if (!loose_) {
      loose_.emplace();
      loose_->shells.emplace_back();
    }
    const std::size_t edges = loose_->edges.size(), vertices = loose_->vertices.size();
    try {
      Face face = make_face(e, *loose_);
      if (e.matrix != 0 && (e.type == 144 || e.type == 143)) throw_if_moved(e);
      face.colour = colour_of(e);
      loose_->faces.push_back(std::move(face));
      loose_->shells[0].faces.push_back(
          {static_cast<std::uint32_t>(loose_->faces.size() - 1), true});
    } catch (...) {
      loose_->edges.resize(edges);
      loose_->vertices.resize(vertices);
      throw;
    }
  }
  void throw_if_moved(const IgesEntity& e) {
    if (!matrix(e.matrix, e.number).is_identity())
      throw IgesError(e.number, "a trimmed surface with a transformation of its own");
  }

  Face make_face(const IgesEntity& e, Body& body) {
    Face face;
    face.entity = e.number;
    face.name = e.label;
    const IgesValues v(e);
    if (e.type == 144) {
      face.surface = surface(v.pointer(0), e.number);
      const bool has_outer = v.integer(1) != 0;
      const std::size_t inner = v.size(2);
      if (has_outer) add_loops(v.pointer(3), e.number, face, body);
      if (!has_outer && inner > 0) face.loops = natural_bounds(face.surface, body, e.number);
      for (std::size_t i = 0; i < inner; ++i) add_loops(v.pointer(4 + i), e.number, face, body);
      if (!has_outer && inner == 0) face.loops = natural_bounds(face.surface, body, e.number);
    } else if (e.type == 143) {
      face.surface = surface(v.pointer(1), e.number);
      for (std::size_t i = 0, n = v.size(2); i < n; ++i)
        add_loops(v.pointer(3 + i), e.number, face, body);
    } else if (e.type == 108) {
      face.surface = surface(e.number, e.number);
      add_loops(v.pointer(4), e.number, face, body);
    } else if (e.type == 510) {
      throw IgesError(e.number, "a face outside of a shell");
    } else {
      face.surface = surface(e.number, e.number);
      face.loops = natural_bounds(face.surface, body, e.number);
    }
    return face;
  }

  // Boundaries: curves on a surface (142), boundaries (141), or plain curves.
  void add_loops(std::uint64_t number, std::uint64_t asked_by, Face& face, Body& body) {
    const IgesEntity& e = file_.entity(number, asked_by);
    const IgesValues v(e);
    FaceLoop loop;
    loop.entity = number;
    if (e.type == 142) {
      const std::uint64_t in_parameters = v.pointer(2), in_space = v.pointer(3);
      const int preferred = v.integer(4, 0);
      CurvePtr space;
      if (in_space != 0 && (preferred != 1 || in_parameters == 0)) {
        add_curve(curve_or_null(in_space, number), in_space, loop, body);
      }
      if (!loop.edges.empty() && in_parameters != 0) {
        // Of the whole loop: which piece belongs to which edge is told by being near.
        const CurvePtr flat = curve_or_null(in_parameters, number, true);
        for (EdgeUseOfFace& u : loop.edges) u.in_parameters = flat;
      }
      if (loop.edges.empty() && in_parameters != 0) {
        // In the surface's own parameters, as the file counts them.
        const CurvePtr flat = curve(in_parameters, number, true);
        add_pieces(face.surface, flat, loop, body, number);
      }
      if (loop.edges.empty() && in_space != 0)
        add_curve(curve(in_space, number), in_space, loop, body);
    } else if (e.type == 141) {
      const std::size_t n = v.size(3);
      std::size_t at = 4;
      for (std::size_t i = 0; i < n; ++i) {
        const std::uint64_t c = v.pointer(at);
        const bool reversed = v.integer(at + 1, 1) == 2;
        const std::size_t more = v.size(at + 2);
        at += 3 + more;
        CurvePtr space = curve(c, number);
        if (reversed) space = make_composite({{space, space->domain(), false}});
        add_curve(space, c, loop, body);
      }
    } else {
      add_curve(curve(number, asked_by), number, loop, body);
    }
    if (loop.edges.empty()) throw IgesError(number, "a boundary without curves");
    close_loop(loop, body);
    face.loops.push_back(std::move(loop));
  }
  CurvePtr curve_or_null(std::uint64_t number, std::uint64_t asked_by, bool in_parameters = false) {
    try {
      return curve(number, asked_by, in_parameters);
    } catch (const IgesError&) {
      return nullptr;
    } catch (const ArgumentError&) {
      return nullptr;
    }
  }
  void add_pieces(const SurfacePtr& surface, const CurvePtr& flat, FaceLoop& loop, Body& body,
                  std::uint64_t entity) {
    // At corners in parameters there is a vertex.
    const Interval d = flat->domain();
    if (flat->kind() == CurveKind::composite) {
      for (double t = d.low; t + 0.5 < d.high; t += 1) {
        add_edge(make_curve_on_surface(surface, make_trimmed(flat, {t, t + 1})), loop, body,
                 entity);
      }
      return;
    }
    add_edge(make_curve_on_surface(surface, flat), loop, body, entity);
  }

  // A composite curve is an edge per piece.
  void add_curve(const CurvePtr& c, std::uint64_t entity, FaceLoop& loop, Body& body) {
    if (!c) return;
    const Interval d = c->domain();
    if (!d.is_finite()) throw IgesError(entity, "a boundary curve without ends");
    if (c->kind() == CurveKind::composite && d.high > 1.5) {
      for (double t = d.low; t + 0.5 < d.high; t += 1)
        add_edge(make_trimmed(c, {t, t + 1}), loop, body, entity);
      return;
    }
    add_edge(c, loop, body, entity);
  }
  void add_edge(const CurvePtr& c, FaceLoop& loop, Body& body, std::uint64_t entity) {
    const Interval d = c->domain();
    BodyEdge edge;
    edge.curve = c;
    edge.from = d.low;
    edge.to = d.high;
    edge.entity = entity;
    const Point a = c->point(d.low), b = c->point(d.high);
    if (!a.allFinite() || !b.allFinite()) throw IgesError(entity, "a curve whose ends are nowhere");
    const double bulge = (c->point(d.middle()) - 0.5 * (a + b)).norm();
    if ((a - b).norm() == 0 && bulge == 0) return;  // a pole
    edge.start = static_cast<std::uint32_t>(body.vertices.size());
    body.vertices.push_back({a, 0});
    if ((a - b).norm() <= 1e-9 * bulge) {
      edge.end = edge.start;
    } else {
      edge.end = static_cast<std::uint32_t>(body.vertices.size());
      body.vertices.push_back({b, 0});
    }
    body.edges.push_back(edge);
    loop.edges.push_back({static_cast<std::uint32_t>(body.edges.size() - 1), true, nullptr});
  }
  // Pieces of one loop follow each other: the end of one is the start of the next, and runs against
  // it where the file has it so.
  void close_loop(FaceLoop& loop, Body& body) {
    const std::size_t n = loop.edges.size();
    if (n < 2) return;
    const auto start = [&](const EdgeUseOfFace& u) {
      return u.forward ? body.edges[u.edge].start : body.edges[u.edge].end;
    };
    const auto end = [&](const EdgeUseOfFace& u) {
      return u.forward ? body.edges[u.edge].end : body.edges[u.edge].start;
    };
    const auto distance = [&](std::uint32_t a, std::uint32_t b) {
      return (body.vertices[a].point - body.vertices[b].point).norm();
    };
    // The first runs so that its end is nearer to the second.
    EdgeUseOfFace &first = loop.edges[0], &second = loop.edges[1];
    const double ahead =
        std::min(distance(end(first), start(second)), distance(end(first), end(second)));
    const double behind =
        std::min(distance(start(first), start(second)), distance(start(first), end(second)));
    if (behind < ahead) first.forward = false;
    for (std::size_t i = 1; i < n; ++i) {
      EdgeUseOfFace& u = loop.edges[i];
      const std::uint32_t last = end(loop.edges[i - 1]);
      if (distance(last, end(u)) < distance(last, start(u))) u.forward = false;
    }
    // Reversed first edges of a loop that the file runs backwards as a whole stay as they are.
    for (std::size_t i = 0; i < n; ++i) {
      const EdgeUseOfFace &u = loop.edges[i], &next = loop.edges[(i + 1) % n];
      const std::uint32_t a = end(u), b = start(next);
      if (a == b) continue;
      const double size = distance(start(u), end(u)) + distance(start(next), end(next));
      if (distance(a, b) > 1e-3 * size + uncertainty()) continue;  // open there
      for (BodyEdge& e : body.edges) {
        if (e.start == b) e.start = a;
        if (e.end == b) e.end = a;
      }
    }
  }
  [[nodiscard]] double uncertainty() const { return model_.uncertainty.value_or(0); }

  // ---- Manifold solids: 186, 514, 510, 508, 504, 502.

  void begin_body(const IgesEntity& e) {
    body_ = {};
    body_.entity = e.number;
    body_.name = e.label;
    vertex_at_.clear();
    edge_at_.clear();
    face_at_.clear();
  }
  void end_body() {
    if (body_.faces.empty()) return;
    model_.bodies.push_back(std::move(body_));
    model_.instances.push_back({model_.bodies.size() - 1, {}, model_.bodies.back().name});
  }
  void solid(const IgesEntity& e) {
    begin_body(e);
    const IgesValues v(e);
    shell(v.pointer(0), e.number, true, false, v.integer(1, 1) != 0);
    for (std::size_t i = 0, n = v.size(2); i < n; ++i) {
      shell(v.pointer(3 + 2 * i), e.number, true, true, v.integer(4 + 2 * i, 1) != 0);
    }
    end_body();
  }
  void shell(std::uint64_t number, std::uint64_t asked_by, bool closed, bool is_void,
             bool forward) {
    const IgesEntity& e = file_.entity(number, asked_by);
    if (e.type != 514) throw IgesError(number, "is no shell");
    BodyShell s;
    s.entity = number;
    s.meant_closed = closed;
    s.is_void = is_void;
    body_.shells.push_back(s);
    const IgesValues v(e);
    for (std::size_t i = 0, n = v.size(0); i < n; ++i) {
      const IgesEntity& face = file_.entity(v.pointer(1 + 2 * i), number);
      const bool own = v.integer(2 + 2 * i, 1) != 0;
      guarded(face, [&] {
        auto at = face_at_.find(face.number);
        if (at == face_at_.end()) {
          body_.faces.push_back(solid_face(face));
          at = face_at_.emplace(face.number, static_cast<std::uint32_t>(body_.faces.size() - 1))
                   .first;
        }
        body_.shells.back().faces.push_back({at->second, own == forward});
      });
    }
    settle_loops(body_.shells.back());
  }
  // Loops run with the face on their left. Some writers see that against the surface's normal, as
  // the standard has it, others against that of the face as the shell uses it: neighbours tell,
  // since they run along their edge in opposite ways.
  void settle_loops(BodyShell& s) {
    std::map<std::uint32_t, std::vector<std::pair<bool, bool>>>
        uses;  // way of the edge, of the face
    for (const BodyShell::Use& u : s.faces) {
      for (const FaceLoop& l : body_.faces[u.face].loops) {
        for (const EdgeUseOfFace& e : l.edges) uses[e.edge].emplace_back(e.forward, u.forward);
      }
    }
    std::size_t against_surface = 0, against_face = 0;  // neighbours that disagree, either way
    for (const auto& [edge, list] : uses) {
      if (list.size() != 2) continue;
      const bool opposite = list[0].first != list[1].first;
      against_face += !opposite;
      against_surface += opposite != (list[0].second == list[1].second);
    }
    if (against_face >= against_surface) return;
    for (BodyShell::Use& u : s.faces) {
      body_.faces[u.face].same_sense = u.forward;
      u.forward = true;
    }
  }
  Face solid_face(const IgesEntity& e) {
    if (e.type != 510) throw IgesError(e.number, "is no face");
    const IgesValues v(e);
    Face face;
    face.entity = e.number;
    face.name = e.label;
    face.colour = colour_of(e);
    face.surface = surface(v.pointer(0), e.number);
    for (std::size_t i = 0, n = v.size(1); i < n; ++i)
      face.loops.push_back(solid_loop(v.pointer(3 + i), e.number));
    return face;
  }
  FaceLoop solid_loop(std::uint64_t number, std::uint64_t asked_by) {
    const IgesEntity& e = file_.entity(number, asked_by);
    if (e.type != 508) throw IgesError(number, "is no loop");
    const IgesValues v(e);
    FaceLoop loop;
    loop.entity = number;
    std::size_t at = 1;
    for (std::size_t i = 0, n = v.size(0); i < n; ++i) {
      const bool is_vertex = v.integer(at, 0) == 1;
      const std::uint64_t list = v.pointer(at + 1);
      const int index = v.integer(at + 2);
      const bool forward = v.integer(at + 3, 1) != 0;
      const std::size_t curves = v.size(at + 4);
      at += 5 + 2 * curves;
      if (is_vertex) {
        if (n == 1) loop.vertex = vertex(list, index, number);
        continue;
      }
      loop.edges.push_back({solid_edge(list, index, number), forward, nullptr});
    }
    return loop;
  }
  std::uint32_t vertex(std::uint64_t list, int index, std::uint64_t asked_by) {
    const auto key = std::pair(list, index);
    if (const auto at = vertex_at_.find(key); at != vertex_at_.end()) return at->second;
    const IgesEntity& e = file_.entity(list, asked_by);
    if (e.type != 502) throw IgesError(list, "is no list of vertices");
    const IgesValues v(e);
    if (index < 1 || static_cast<std::size_t>(index) > v.size(0))
      throw IgesError(asked_by, "names vertex " + std::to_string(index) + " of a list of " +
                                    std::to_string(v.size(0)));
    body_.vertices.push_back({point(v, 1 + 3 * static_cast<std::size_t>(index - 1), scale_), list});
    return vertex_at_[key] = static_cast<std::uint32_t>(body_.vertices.size() - 1);
  }
  std::uint32_t solid_edge(std::uint64_t list, int index, std::uint64_t asked_by) {
    const auto key = std::pair(list, index);
    if (const auto at = edge_at_.find(key); at != edge_at_.end()) return at->second;
    const IgesEntity& e = file_.entity(list, asked_by);
    if (e.type != 504) throw IgesError(list, "is no list of edges");
    const IgesValues v(e);
    if (index < 1 || static_cast<std::size_t>(index) > v.size(0))
      throw IgesError(asked_by, "names edge " + std::to_string(index) + " of a list of " +
                                    std::to_string(v.size(0)));
    const std::size_t at = 1 + 5 * static_cast<std::size_t>(index - 1);
    BodyEdge edge;
    edge.entity = list;
    edge.curve = curve(v.pointer(at), list);
    edge.start = vertex(v.pointer(at + 1), v.integer(at + 2), list);
    edge.end = vertex(v.pointer(at + 3), v.integer(at + 4), list);
    const Interval d = edge.curve->domain();
    if (!d.is_finite()) throw IgesError(list, "an edge on a curve without ends");
    edge.from = d.low;
    edge.to = d.high;
    // The curve may run on beyond its vertices, or the other way.
    const Point a = body_.vertices[edge.start].point, b = body_.vertices[edge.end].point;
    if (edge.start != edge.end) {
      const double there =
          (edge.curve->point(d.low) - a).norm() + (edge.curve->point(d.high) - b).norm();
      const double back =
          (edge.curve->point(d.low) - b).norm() + (edge.curve->point(d.high) - a).norm();
      if (back < there) std::swap(edge.from, edge.to);
      const double size = (a - b).norm();
      if (std::min(there, back) > 1e-3 * size) {
        edge.from = nearest_parameter(*edge.curve, d, a);
        edge.to = nearest_parameter(*edge.curve, d, b);
      }
    }
    body_.edges.push_back(edge);
    return edge_at_[key] = static_cast<std::uint32_t>(body_.edges.size() - 1);
  }

  // ---- Subfigures: what they hold, placed again.

  void subfigure(const IgesEntity& e, const Placement& outer, int depth) {
    if (depth > kMostDepth) throw IgesError(e.number, "subfigures in one another");
    const IgesValues v(e);
    Placement own;
    own.linear *= v.number(4, 1.0);
    own.shift = Vector(v.number(1, 0.0), v.number(2, 0.0), v.number(3, 0.0)) * scale_;
    const Placement place = outer * matrix(e.matrix, e.number) * own;
    const IgesEntity& definition = file_.entity(v.pointer(0), e.number);
    if (definition.type != 308) throw IgesError(definition.number, "is no subfigure definition");
    const IgesValues d(definition);
    const std::size_t n = d.size(2);
    std::optional<Body> outer_loose = std::move(loose_);
    loose_.reset();
    for (std::size_t i = 0; i < n; ++i) {
      const IgesEntity& part = file_.entity(d.pointer(3 + i), definition.number);
      guarded(part, [&] {
        if (part.type == 408) return subfigure(part, place, depth + 1);
        const std::size_t before = model_.instances.size();
        top_level(part);
        for (std::size_t k = before; k < model_.instances.size(); ++k)
          model_.instances[k].placement = place * model_.instances[k].placement;
      });
    }
    if (loose_) {
      model_.bodies.push_back(std::move(*loose_));
      model_.instances.push_back({model_.bodies.size() - 1, place, definition.label});
    }
    loose_ = std::move(outer_loose);
  }

  std::optional<std::array<float, 3>> colour_of(const IgesEntity& e) {
    constexpr std::array<std::array<float, 3>, 9> kColours = {{{0, 0, 0},
                                                               {0, 0, 0},
                                                               {1, 0, 0},
                                                               {0, 1, 0},
                                                               {0, 0, 1},
                                                               {1, 1, 0},
                                                               {1, 0, 1},
                                                               {0, 1, 1},
                                                               {1, 1, 1}}};
    if (e.color > 0 && e.color <= 8) return kColours[static_cast<std::size_t>(e.color)];
    if (e.color >= 0) return std::nullopt;
    try {
      const IgesEntity& c = file_.entity(static_cast<std::uint64_t>(-e.color), e.number);
      if (c.type != 314) return std::nullopt;
      const IgesValues v(c);
      return std::array<float, 3>{static_cast<float>(v.number(0) / 100),
                                  static_cast<float>(v.number(1) / 100),
                                  static_cast<float>(v.number(2) / 100)};
    } catch (const IgesError&) {
      return std::nullopt;
    }
  }

  void finish() {
    if (loose_ && !loose_->faces.empty()) {
      model_.bodies.push_back(std::move(*loose_));
      model_.instances.push_back({model_.bodies.size() - 1, {}, {}});
    }
    for (const auto& [type, count] : omitted_) model_.not_understood.push_back({type, count});
    std::stable_sort(
        model_.not_understood.begin(), model_.not_understood.end(),
        [](const NotUnderstood& a, const NotUnderstood& b) { return a.count > b.count; });
  }

  Progress* progress_;
  IgesFile file_;
  SurfaceModel model_;
  double scale_ = 1;  // file to model
  int depth_ = 0;
  std::set<std::uint64_t> used_;
  std::map<std::string, std::size_t> omitted_;
  std::set<int> told_;
  std::size_t notes_ = 0;
  std::map<std::uint64_t, SurfacePtr> surfaces_;
  std::optional<Body> loose_;
  Body body_;
  std::map<std::pair<std::uint64_t, int>, std::uint32_t> vertex_at_, edge_at_;
  std::map<std::uint64_t, std::uint32_t> face_at_;
};

}  // namespace

SurfaceModel read_iges(const Source& source, const ReadOptions& /*options*/, Progress* progress) {
  return IgesReader(source, progress).run();
}

}  // namespace aguja
