#include "formats/step_geometry.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include "surface/limits.h"

namespace aguja::detail {
namespace {

// While it lives an entity is being made.
class Making {
 public:
  Making(std::unordered_set<std::uint64_t>& set, std::uint64_t number)
      : set_(set), number_(number) {
    if (!set.insert(number).second) throw EntityError(number, "is made of itself");
    if (set.size() > 200)
      throw EntityError(number, "is made of more than 200 entities in one another");
  }
  Making(const Making&) = delete;
  Making& operator=(const Making&) = delete;
  ~Making() { set_.erase(number_); }

 private:
  std::unordered_set<std::uint64_t>& set_;
  std::uint64_t number_;
};

// Contracts of geometry are the entity's fault here.
template <class Make>
auto made_for(std::uint64_t number, const Make& make) {
  try {
    return make();
  } catch (const ArgumentError& error) {
    throw EntityError(number, error.what());
  }
}

double positive(const Fields& f, std::size_t i, double scale) {
  const double x = f.number(i) * scale;
  if (!(x > 0)) f.fail(i, "a length above 0");
  return x;
}

std::vector<double> repeated_knots(const Fields& f, std::size_t multiplicities, std::size_t knots,
                                   std::size_t most) {
  const std::vector<double> counts = f.numbers(multiplicities), values = f.numbers(knots);
  if (counts.size() != values.size()) f.fail(multiplicities, "as many multiplicities as knots");
  std::vector<double> out;
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (!(counts[i] >= 1) || counts[i] > static_cast<double>(most))
      f.fail(multiplicities, "multiplicities of 1 or more");
    for (int k = 0; k < static_cast<int>(counts[i]); ++k) out.push_back(values[i]);
    if (out.size() > most) break;
  }
  return out;
}

// Beyond so many turns doubles tell badly where a trim ends.
constexpr double kMostTurns = 1e6;

// Where a trim ends that goes on from `first`, or back, to `second`: within a turn, since more of
// them go over the same places again; nothing if nobody can tell.
std::optional<double> end_within_turn(double first, double second, double period, bool forward) {
  if (!(std::fabs(first) <= kMostTurns * period && std::fabs(second) <= kMostTurns * period)) {
    return std::nullopt;
  }
  double way = forward ? second - first : first - second;
  if (way <= 0 || way > period * (1 + kParameterRounding)) {
    way -= period * std::floor(way / period);
    if (way <= period * kParameterRounding) way = period;
  }
  return forward ? first + way : first - way;
}

// From the first parameter on in the sense that the flag says, round where that is possible.
Interval trimmed_range(double first, double second, double period, const Fields& f,
                       std::size_t sense) {
  if (f.count() > sense && !f.flag(sense)) std::swap(first, second);
  if (period > 0) {
    const auto end = end_within_turn(first, second, period, true);
    if (!end) f.fail(sense, "a trim of few turns");
    second = *end;
  }
  return {std::min(first, second), std::max(first, second)};
}

// Knots of the forms that state none.
std::vector<double> implied_knots(std::string_view form, int degree, std::size_t count) {
  std::vector<double> knots;
  const auto p = static_cast<std::size_t>(degree);
  if (form.starts_with("UNIFORM")) {
    for (std::size_t i = 0; i < count + p + 1; ++i)
      knots.push_back(static_cast<double>(i) - static_cast<double>(p));
    return knots;
  }
  // Quasi-uniform: ends with full multiplicity; Bézier: all inner knots p times.
  const std::size_t inner = form.starts_with("BEZIER") ? p : 1;
  const std::size_t spans =
      form.starts_with("BEZIER") ? (count - 1) / std::max<std::size_t>(p, 1) : count - p;
  for (std::size_t i = 0; i <= spans; ++i) {
    const std::size_t times = i == 0 || i == spans ? p + 1 : inner;
    for (std::size_t k = 0; k < times; ++k) knots.push_back(static_cast<double>(i));
  }
  return knots;
}

// Knot vectors of closed splines may run on beyond the domain; some writers give one value too few
// at each end.
void mend_knots(KnotVector& k, std::size_t count) {
  const auto wanted = count + static_cast<std::size_t>(k.degree) + 1;
  if (k.knots.size() + 2 == wanted && !k.knots.empty()) {
    k.knots.insert(k.knots.begin(), k.knots.front());
    k.knots.push_back(k.knots.back());
  }
}

}  // namespace

Point StepGeometry::point(std::uint64_t number, std::uint64_t asked_by) {
  const Entity e = file_.parse(number, asked_by);
  const Record& r = e.record("CARTESIAN_POINT");
  const std::vector<double> x = Fields(e, r).numbers(1);
  if (x.empty() || x.size() > 3) throw EntityError(number, "a point has one to three coordinates");
  Point p = Point::Zero();
  for (std::size_t i = 0; i < x.size(); ++i) p[static_cast<Eigen::Index>(i)] = x[i];
  return in_parameters_ ? p : Point(p * units_.length);
}

Vector StepGeometry::direction(std::uint64_t number, std::uint64_t asked_by) {
  const Entity e = file_.parse(number, asked_by);
  const std::vector<double> x = Fields(e, e.record("DIRECTION")).numbers(1);
  if (x.size() < 2 || x.size() > 3)
    throw EntityError(number, "a direction has two or three ratios");
  Vector d(x[0], x[1], x.size() > 2 ? x[2] : 0.0);
  if (!(d.norm() > 0)) throw EntityError(number, "a direction without length");
  return d.normalized();
}

Frame StepGeometry::frame(std::uint64_t number, std::uint64_t asked_by) {
  const Entity e = file_.parse(number, asked_by);
  if (const Record* r = e.find("AXIS2_PLACEMENT_2D")) {
    const Fields f(e, *r);
    const Vector x = f.has_reference(2) ? direction(f.reference(2), number) : Vector(1, 0, 0);
    return Frame::from(point(f.reference(1), number), Vector(0, 0, 1), x);
  }
  const Record* r = e.find("AXIS2_PLACEMENT_3D");
  if (r == nullptr) r = &e.record("AXIS1_PLACEMENT");
  const Fields f(e, *r);
  const Vector z = f.has_reference(2) ? direction(f.reference(2), number) : Vector(0, 0, 1);
  const bool has_x = r->type == "AXIS2_PLACEMENT_3D" && f.has_reference(3);
  return Frame::from(point(f.reference(1), number), z,
                     has_x ? direction(f.reference(3), number) : Vector(1, 0, 0));
}

CurvePtr StepGeometry::curve(std::uint64_t number, std::uint64_t asked_by) {
  if (const auto at = curves_.find(number); at != curves_.end()) return at->second;
  const Making making(making_, number);
  const Entity e = file_.parse(number, asked_by);
  CurvePtr made = made_for(number, [&] { return make_curve(e); });
  if (!in_parameters_) curves_[number] = made;
  return made;
}

CurvePtr StepGeometry::make_curve(const Entity& e) {
  const std::uint64_t n = e.number;
  const double scale = in_parameters_ ? 1 : units_.length;
  if (const Record* r = e.find("LINE")) {
    const Fields f(e, *r);
    const Entity v = file_.parse(f.reference(2), n);
    const Fields vf(v, v.record("VECTOR"));
    const double length = vf.number(2);
    if (!(std::fabs(length) > 0)) throw EntityError(v.number, "a vector without length");
    return make_line(point(f.reference(1), n),
                     direction(vf.reference(1), v.number) * (length * scale));
  }
  if (const Record* r = e.find("CIRCLE")) {
    const Fields f(e, *r);
    return make_circle(frame(f.reference(1), n), positive(f, 2, scale));
  }
  if (const Record* r = e.find("ELLIPSE")) {
    const Fields f(e, *r);
    return make_ellipse(frame(f.reference(1), n), positive(f, 2, scale), positive(f, 3, scale));
  }
  if (const Record* r = e.find("PARABOLA")) {
    const Fields f(e, *r);
    return make_parabola(frame(f.reference(1), n), positive(f, 2, scale));
  }
  if (const Record* r = e.find("HYPERBOLA")) {
    const Fields f(e, *r);
    return make_hyperbola(frame(f.reference(1), n), positive(f, 2, scale), positive(f, 3, scale));
  }
  if (const Record* r = e.find("POLYLINE")) {
    std::vector<Point> points;
    for (const std::uint64_t p : Fields(e, *r).references(1)) points.push_back(point(p, n));
    return make_polyline(std::move(points));
  }
  if (e.is("B_SPLINE_CURVE_WITH_KNOTS") || e.is("BEZIER_CURVE") || e.is("UNIFORM_CURVE") ||
      e.is("QUASI_UNIFORM_CURVE") || e.is("B_SPLINE_CURVE")) {
    return make_spline_curve(e);
  }
  if (e.is("TRIMMED_CURVE")) return make_trimmed_curve(e);
  if (e.is("COMPOSITE_CURVE") || e.is("COMPOSITE_CURVE_ON_SURFACE") || e.is("BOUNDARY_CURVE") ||
      e.is("OUTER_BOUNDARY_CURVE")) {
    return make_composite_curve(e);
  }
  if (const Record* r = e.find("OFFSET_CURVE_3D")) {
    const Fields f(e, *r);
    return make_offset_curve(curve(f.reference(1), n), f.number(2) * scale,
                             direction(f.reference(4), n));
  }
  for (const std::string_view type :
       {"SURFACE_CURVE", "SEAM_CURVE", "INTERSECTION_CURVE", "BOUNDED_SURFACE_CURVE"}) {
    if (const Record* r = e.find(type)) return curve(Fields(e, *r).reference(1), n);
  }
  if (const Record* r = e.find("PCURVE")) {
    const Fields f(e, *r);
    return make_curve_on_surface(surface(f.reference(1), n), parameter_curve(n, n));
  }
  throw EntityError(n, (e.records.empty() ? std::string("it") : std::string(e.records[0].type)) +
                           " is no curve that is understood");
}

CurvePtr StepGeometry::curve_in_parameters(std::uint64_t number, std::uint64_t asked_by) {
  const Entity e = file_.parse(number, asked_by);
  const std::vector<std::uint64_t> items =
      Fields(e, e.record("DEFINITIONAL_REPRESENTATION")).references(1);
  if (items.empty()) throw EntityError(number, "a curve in parameters without a curve");
  const bool before = in_parameters_;
  in_parameters_ = true;
  CurvePtr made;
  try {
    made = curve(items[0], number);
  } catch (...) {
    in_parameters_ = before;
    throw;
  }
  in_parameters_ = before;
  return made;
}

std::vector<std::uint64_t> StepGeometry::parameter_curves(std::uint64_t curve,
                                                          std::uint64_t surface) {
  std::vector<std::uint64_t> found;
  const Entity e = file_.parse(curve, curve);
  for (const std::string_view type : {"SURFACE_CURVE", "SEAM_CURVE", "INTERSECTION_CURVE"}) {
    const Record* r = e.find(type);
    if (r == nullptr) continue;
    for (const std::uint64_t a : Fields(e, *r).references(2)) {
      const Entity associated = file_.parse(a, curve);
      const Record* p = associated.find("PCURVE");
      if (p != nullptr && Fields(associated, *p).reference(1) == surface) found.push_back(a);
    }
  }
  return found;
}

CurvePtr StepGeometry::parameter_curve(std::uint64_t number, std::uint64_t asked_by) {
  const Entity e = file_.parse(number, asked_by);
  const Fields f(e, e.record("PCURVE"));
  const std::uint64_t basis = f.reference(1);
  CurvePtr made = curve_in_parameters(f.reference(2), number);
  const auto [u, v] = parameter_units(basis, number);
  if (u == 1 && v == 1) return made;
  Placement scaled;
  scaled.linear = Eigen::Vector3d(u, v, 1).asDiagonal();
  return make_moved(made, scaled);
}

// Parameters are lengths and angles too, in the file's units.
std::pair<double, double> StepGeometry::parameter_units(std::uint64_t number,
                                                        std::uint64_t asked_by) {
  const Entity e = file_.parse(number, asked_by);
  const double length = units_.length, angle = units_.angle;
  if (e.is("PLANE")) return {length, length};
  if (e.is("CYLINDRICAL_SURFACE") || e.is("CONICAL_SURFACE")) return {angle, length};
  if (e.is("SPHERICAL_SURFACE") || e.is("TOROIDAL_SURFACE") || e.is("DEGENERATE_TOROIDAL_SURFACE"))
    return {angle, angle};
  if (const Record* r = e.find("SURFACE_OF_LINEAR_EXTRUSION"))
    return {parameter_scale(*curve(Fields(e, *r).reference(1), number)), 1};
  if (const Record* r = e.find("SURFACE_OF_REVOLUTION"))
    return {angle, parameter_scale(*curve(Fields(e, *r).reference(1), number))};
  for (const std::string_view type :
       {"OFFSET_SURFACE", "RECTANGULAR_TRIMMED_SURFACE", "CURVE_BOUNDED_SURFACE"}) {
    const Record* r = e.find(type);
    if (r == nullptr) continue;
    const Making making(making_, number);
    return parameter_units(Fields(e, *r).reference(1), number);
  }
  return {1, 1};
}

CurvePtr StepGeometry::make_spline_curve(const Entity& e) {
  // One record, or the records of the kinds that it is at once.
  const Record* whole = nullptr;
  for (const std::string_view type :
       {"B_SPLINE_CURVE_WITH_KNOTS", "BEZIER_CURVE", "UNIFORM_CURVE", "QUASI_UNIFORM_CURVE"}) {
    const Record* r = e.find(type);
    if (r != nullptr && e.records.size() == 1) whole = r;
  }
  const Record& base = whole != nullptr ? *whole : e.record("B_SPLINE_CURVE");
  const std::size_t first = whole != nullptr ? 1 : 0;
  const Fields f(e, base);
  KnotVector knots;
  knots.degree = f.integer(first);
  std::vector<Point> points;
  for (const std::uint64_t p : f.references(first + 1)) points.push_back(point(p, e.number));
  if (knots.degree < 1 || knots.degree > 25 ||
      points.size() <= static_cast<std::size_t>(knots.degree)) {
    f.fail(first, "a degree from 1 to 25, and more control points than that");
  }
  if (const Record* r = e.find("B_SPLINE_CURVE_WITH_KNOTS")) {
    const std::size_t at = whole != nullptr ? 6 : 0;
    knots.knots = repeated_knots(Fields(e, *r), at, at + 1, points.size() + 100);
    mend_knots(knots, points.size());
  } else {
    std::string_view form = "QUASI";
    if (e.is("BEZIER_CURVE")) form = "BEZIER";
    if (e.is("UNIFORM_CURVE")) form = "UNIFORM";
    knots.knots = implied_knots(form, knots.degree, points.size());
  }
  std::vector<double> weights;
  if (const Record* r = e.find("RATIONAL_B_SPLINE_CURVE")) weights = Fields(e, *r).numbers(0);
  return make_spline(std::move(knots), std::move(points), std::move(weights));
}

double StepGeometry::parameter_scale(const Curve& curve) const {
  return curve.period() > 0 &&
                 (curve.kind() == CurveKind::circle || curve.kind() == CurveKind::ellipse)
             ? units_.angle
             : 1;
}

StepGeometry::Piece StepGeometry::piece_between(const Curve& curve, const Point& start,
                                                const Point& end, bool closed, bool forward) {
  const Interval domain = curve.domain();
  Piece piece;
  if (curve.period() > 0) {
    const double period = curve.period();
    const Interval whole{domain.low, domain.low + period};
    piece.from = nearest_parameter(curve, whole, start);
    piece.to = closed ? piece.from : nearest_parameter(curve, whole, end);
    // Two vertices at one place: all round, whichever way rounding has put them.
    const double apart = std::fabs(piece.to - piece.from);
    if (std::min(apart, period - apart) <= kSameParameter * period) piece.to = piece.from;
    const double least = kSameParameter * period;
    if (forward) {
      while (piece.to < piece.from + least) piece.to += period;
      while (piece.to > piece.from + period * (1 + kParameterRounding)) piece.to -= period;
    } else {
      while (piece.to > piece.from - least) piece.to -= period;
      while (piece.to < piece.from - period * (1 + kParameterRounding)) piece.to += period;
    }
    return piece;
  }
  if (closed && domain.is_finite()) {
    const Point low = curve.point(domain.low);
    const double size = (curve.point(domain.middle()) - low).norm();
    const bool closes = (low - curve.point(domain.high)).norm() <= kClosedCurve * size;
    if (closes && (low - start).norm() > kEndElsewhere * size) {
      // It begins and ends elsewhere on the curve.
      piece.from = piece.to = nearest_parameter(curve, domain, start);
      piece.over_seam = piece.from > domain.low && piece.from < domain.high;
      if (piece.over_seam) return piece;
    }
    return forward ? Piece{domain.low, domain.high} : Piece{domain.high, domain.low};
  }
  piece.from = nearest_parameter(curve, domain, start);
  piece.to = nearest_parameter(curve, domain, end);
  // Curves that come back to where they began, with a corner there.
  if (domain.is_finite() && (forward ? piece.to <= piece.from : piece.to >= piece.from)) {
    const Point low = curve.point(domain.low);
    const double size = std::max((start - end).norm(), (curve.point(domain.middle()) - low).norm());
    const bool closes = (low - curve.point(domain.high)).norm() <= kClosedCurve * size;
    const double reach = kClosedCurve * domain.width();
    if (closes && forward && piece.to <= domain.low + reach) piece.to = domain.high;
    if (closes && forward && piece.from >= domain.high - reach) piece.from = domain.low;
    if (closes && !forward && piece.to >= domain.high - reach) piece.to = domain.low;
    if (closes && !forward && piece.from <= domain.low + reach) piece.from = domain.high;
    piece.over_seam = closes && (forward ? piece.to < piece.from : piece.to > piece.from);
  }
  return piece;
}

CurvePtr StepGeometry::over_seam(const CurvePtr& curve, const Piece& piece, bool forward) {
  const Interval d = curve->domain();
  if (forward)
    return make_composite({{curve, {piece.from, d.high}, true}, {curve, {d.low, piece.to}, true}});
  return make_composite({{curve, {d.low, piece.from}, false}, {curve, {piece.to, d.high}, false}});
}

CurvePtr StepGeometry::make_trimmed_curve(const Entity& e) {
  const Fields f(e, e.record("TRIMMED_CURVE"));
  const CurvePtr basis = curve(f.reference(1), e.number);
  const bool same = f.flag(4);
  const std::string_view preferred = f.word(5);
  struct Trim {
    std::optional<double> parameter;
    std::optional<Point> place;
  };
  const auto trim = [&](std::size_t i) {
    Trim t;
    for (const Value& v : f.list(i)) {
      if (v.kind == Value::Kind::reference) t.place = point(v.reference, e.number);
      if (v.kind == Value::Kind::typed && v.items.size() == 1)
        t.parameter = v.items[0].number * parameter_scale(*basis);
      if (v.kind == Value::Kind::number) t.parameter = v.number * parameter_scale(*basis);
    }
    return t;
  };
  const Trim a = trim(2), b = trim(3);
  const bool by_parameter =
      a.parameter && b.parameter && (preferred != "CARTESIAN" || !a.place || !b.place);
  Piece piece;
  if (by_parameter) {
    piece = {*a.parameter, *b.parameter};
    const double period = basis->period();
    if (period > 0) {
      const auto end = end_within_turn(piece.from, piece.to, period, same);
      if (!end) throw EntityError(e.number, "a trim of more turns than can be told");
      piece.to = *end;
    }
  } else {
    const auto place = [&](const Trim& t) {
      if (t.place) return *t.place;
      if (t.parameter) return basis->point(*t.parameter);
      throw EntityError(e.number, "a trimmed curve without an end");
    };
    const Point p = place(a), q = place(b);
    piece = piece_between(*basis, p, q, (p - q).norm() == 0, same);
  }
  if (piece.over_seam) return over_seam(basis, piece, same);
  const Interval range{std::min(piece.from, piece.to), std::max(piece.from, piece.to)};
  if (piece.from <= piece.to) return make_trimmed(basis, range);
  return make_composite({{basis, range, false}});
}

CurvePtr StepGeometry::make_composite_curve(const Entity& e) {
  const Record* r = nullptr;
  for (const std::string_view type : {"COMPOSITE_CURVE", "COMPOSITE_CURVE_ON_SURFACE",
                                      "BOUNDARY_CURVE", "OUTER_BOUNDARY_CURVE"}) {
    if (r == nullptr) r = e.find(type);
  }
  const Fields f(e, *r);
  std::vector<CurveSegment> segments;
  for (const std::uint64_t number : f.references(1)) {
    const Entity s = file_.parse(number, e.number);
    const Record* own = s.find("COMPOSITE_CURVE_SEGMENT");
    if (own == nullptr) own = &s.record("REPARAMETRISED_COMPOSITE_CURVE_SEGMENT");
    const Fields sf(s, *own);
    const CurvePtr c = curve(sf.reference(2), number);
    const Interval d = c->domain();
    if (!d.is_finite()) throw EntityError(number, "a segment of a curve without ends");
    segments.push_back({c, d, sf.flag(1)});
  }
  return make_composite(std::move(segments));
}

SurfacePtr StepGeometry::surface(std::uint64_t number, std::uint64_t asked_by) {
  if (const auto at = surfaces_.find(number); at != surfaces_.end()) return at->second;
  const Making making(making_, number);
  const Entity e = file_.parse(number, asked_by);
  SurfacePtr made = made_for(number, [&] { return make_surface(e); });
  surfaces_[number] = made;
  return made;
}

SurfacePtr StepGeometry::make_surface(const Entity& e) {
  const std::uint64_t n = e.number;
  const double scale = units_.length;
  if (const Record* r = e.find("PLANE")) return make_plane(frame(Fields(e, *r).reference(1), n));
  if (const Record* r = e.find("CYLINDRICAL_SURFACE")) {
    const Fields f(e, *r);
    return make_cylinder(frame(f.reference(1), n), positive(f, 2, scale));
  }
  if (const Record* r = e.find("CONICAL_SURFACE")) {
    const Fields f(e, *r);
    const double radius = f.number(2) * scale;
    if (!(radius >= 0)) f.fail(2, "a radius of 0 or more");
    const double angle = f.number(3) * units_.angle;
    if (!(std::fabs(angle) < std::numbers::pi / 2)) f.fail(3, "half an angle below a right one");
    return make_cone(frame(f.reference(1), n), radius, angle);
  }
  if (const Record* r = e.find("SPHERICAL_SURFACE")) {
    const Fields f(e, *r);
    return make_sphere(frame(f.reference(1), n), positive(f, 2, scale));
  }
  for (const std::string_view type : {"TOROIDAL_SURFACE", "DEGENERATE_TOROIDAL_SURFACE"}) {
    if (const Record* r = e.find(type)) {
      const Fields f(e, *r);
      const bool outer = r->values.size() > 4 ? f.flag(4) : true;
      return make_torus(frame(f.reference(1), n), positive(f, 2, scale), positive(f, 3, scale),
                        outer);
    }
  }
  if (e.is("B_SPLINE_SURFACE_WITH_KNOTS") || e.is("BEZIER_SURFACE") || e.is("UNIFORM_SURFACE") ||
      e.is("QUASI_UNIFORM_SURFACE") || e.is("B_SPLINE_SURFACE")) {
    return make_spline_surface_of(e);
  }
  const double infinity = std::numeric_limits<double>::infinity();
  if (const Record* r = e.find("SURFACE_OF_LINEAR_EXTRUSION")) {
    const Fields f(e, *r);
    const CurvePtr c = curve(f.reference(1), n);
    const Entity v = file_.parse(f.reference(2), n);
    const Fields vf(v, v.record("VECTOR"));
    return make_extrusion(c, c->domain(),
                          direction(vf.reference(1), v.number) * (vf.number(2) * scale),
                          {-infinity, infinity});
  }
  if (const Record* r = e.find("SURFACE_OF_REVOLUTION")) {
    const Fields f(e, *r);
    const CurvePtr c = curve(f.reference(1), n);
    const Frame axis = frame(f.reference(2), n);
    return make_revolution(c, c->domain(), axis.origin, axis.z);
  }
  if (const Record* r = e.find("OFFSET_SURFACE")) {
    const Fields f(e, *r);
    return make_offset_surface(surface(f.reference(1), n), f.number(2) * scale);
  }
  if (const Record* r = e.find("RECTANGULAR_TRIMMED_SURFACE")) {
    const Fields f(e, *r);
    const SurfacePtr basis = surface(f.reference(1), n);
    const auto [u, v] = parameter_units(f.reference(1), n);
    double u1 = f.number(2) * u, u2 = f.number(3) * u;
    double v1 = f.number(4) * v, v2 = f.number(5) * v;
    return make_trimmed_surface(basis, trimmed_range(u1, u2, basis->period_u(), f, 6),
                                trimmed_range(v1, v2, basis->period_v(), f, 7));
  }
  if (const Record* r = e.find("CURVE_BOUNDED_SURFACE"))
    return surface(Fields(e, *r).reference(1), n);
  throw EntityError(n, (e.records.empty() ? std::string("it") : std::string(e.records[0].type)) +
                           " is no surface that is understood");
}

SurfacePtr StepGeometry::make_spline_surface_of(const Entity& e) {
  const Record* whole = nullptr;
  for (const std::string_view type : {"B_SPLINE_SURFACE_WITH_KNOTS", "BEZIER_SURFACE",
                                      "UNIFORM_SURFACE", "QUASI_UNIFORM_SURFACE"}) {
    const Record* r = e.find(type);
    if (r != nullptr && e.records.size() == 1) whole = r;
  }
  const Record& base = whole != nullptr ? *whole : e.record("B_SPLINE_SURFACE");
  const std::size_t first = whole != nullptr ? 1 : 0;
  const Fields f(e, base);
  KnotVector u, v;
  u.degree = f.integer(first);
  v.degree = f.integer(first + 1);
  std::vector<Point> points;
  std::size_t rows = 0, columns = 0;
  for (const Value& row : f.list(first + 2)) {
    if (row.kind != Value::Kind::list) f.fail(first + 2, "rows of control points");
    if (rows++ == 0) columns = row.items.size();
    if (row.items.size() != columns) f.fail(first + 2, "rows of the same length");
    for (const Value& p : row.items) {
      if (p.kind != Value::Kind::reference) f.fail(first + 2, "control points");
      points.push_back(point(p.reference, e.number));
    }
  }
  for (const auto& [knots, count] : {std::pair(&u, rows), std::pair(&v, columns)}) {
    if (knots->degree < 1 || knots->degree > 25 ||
        count <= static_cast<std::size_t>(knots->degree)) {
      f.fail(first, "degrees from 1 to 25, and more control points than those");
    }
  }
  if (const Record* r = e.find("B_SPLINE_SURFACE_WITH_KNOTS")) {
    const std::size_t at = whole != nullptr ? 8 : 0;
    const Fields kf(e, *r);
    u.knots = repeated_knots(kf, at, at + 2, rows + 100);
    v.knots = repeated_knots(kf, at + 1, at + 3, columns + 100);
    mend_knots(u, rows);
    mend_knots(v, columns);
  } else {
    std::string_view form = "QUASI";
    if (e.is("BEZIER_SURFACE")) form = "BEZIER";
    if (e.is("UNIFORM_SURFACE")) form = "UNIFORM";
    u.knots = implied_knots(form, u.degree, rows);
    v.knots = implied_knots(form, v.degree, columns);
  }
  if (u.knots.size() != rows + static_cast<std::size_t>(u.degree) + 1 ||
      v.knots.size() != columns + static_cast<std::size_t>(v.degree) + 1) {
    throw EntityError(e.number, "a spline surface with the wrong number of knots");
  }
  std::vector<double> weights;
  if (const Record* r = e.find("RATIONAL_B_SPLINE_SURFACE")) {
    for (const Value& row : Fields(e, *r).list(0)) {
      for (const Value& w : row.items) weights.push_back(w.number);
    }
  }
  return make_spline_surface(std::move(u), std::move(v), std::move(points), std::move(weights));
}

}  // namespace aguja::detail
