#include "formats/step_writer.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

#include <Eigen/Geometry>

#include "surface/fit_curve.h"

namespace aguja::detail {
namespace {

// The standard's reals have a point always, and a large E.
template <class Number>
std::string real_of(Number value) {
  value += 0;  // no zero below zero
  std::array<char, 40> buffer{};
  const auto result = std::to_chars(buffer.data(), buffer.data() + buffer.size(), value);
  std::string text(buffer.data(), result.ptr);
  const std::size_t e = text.find('e');
  if (e != std::string::npos) text[e] = 'E';
  if (text.find('.') == std::string::npos) {
    text.insert(e == std::string::npos ? text.size() : e, 1, '.');
  }
  return text;
}

// Code points of UTF-8; what is no UTF-8 is taken byte by byte.
std::vector<char32_t> code_points(std::string_view text) {
  std::vector<char32_t> points;
  for (std::size_t i = 0; i < text.size();) {
    const auto lead = static_cast<unsigned char>(text[i]);
    const std::size_t length = lead < 0x80       ? 1
                               : lead >> 5 == 6  ? 2
                               : lead >> 4 == 14 ? 3
                               : lead >> 3 == 30 ? 4
                                                 : 0;
    char32_t point = length <= 1 ? lead : lead & (0x7Fu >> length);
    std::size_t k = 1;
    for (; k < length && i + k < text.size(); ++k) {
      const auto next = static_cast<unsigned char>(text[i + k]);
      if (next >> 6 != 2) break;
      point = point << 6 | (next & 0x3Fu);
    }
    const bool is_whole = length > 0 && k == std::max<std::size_t>(length, 1);
    points.push_back(is_whole ? point : lead);
    i += is_whole ? length : 1;
  }
  return points;
}

void append_hex(std::string& out, std::uint32_t value, int digits) {
  constexpr std::string_view kDigits = "0123456789ABCDEF";
  for (int d = digits - 1; d >= 0; --d) out += kDigits[value >> (4 * d) & 15u];
}

std::string numbers_list(std::span<const double> values) {
  std::string text = "(";
  for (const double v : values) text.append(text.size() > 1 ? "," : "").append(step_real(v));
  return text + ")";
}

struct KnotRuns {
  std::vector<double> knots;
  std::string multiplicities;  // as a list
};
KnotRuns runs_of(const KnotVector& knots) {
  KnotRuns runs;
  std::size_t count = 0;
  const auto close = [&] {
    if (count > 0)
      runs.multiplicities.append(runs.multiplicities.empty() ? "(" : ",") += std::to_string(count);
  };
  for (const double k : knots.knots) {
    if (!runs.knots.empty() && runs.knots.back() == k) {
      ++count;
      continue;
    }
    close();
    runs.knots.push_back(k);
    count = 1;
  }
  close();
  runs.multiplicities += ")";
  return runs;
}

// A law that gives one number wherever it is asked.
std::optional<double> constant_of(const CurveLaw& law, const Interval& range) {
  constexpr int kPlaces = 16;
  const double first = law(range.low);
  for (int i = 1; i <= kPlaces; ++i) {
    if (law(range.low + i * range.width() / kPlaces) != first) return std::nullopt;
  }
  return first;
}

// Of the domain where it is finite, else of what is used.
Interval finite_range(const Curve& curve, const Interval& used) {
  const Interval domain = curve.domain();
  return domain.is_finite() ? domain : used;
}

}  // namespace

void StepEntities::begin() {
  std::array<char, 24> number{};
  const auto result = std::to_chars(number.data(), number.data() + number.size(), ++count_);
  pending_ += '#';
  pending_.append(number.data(), result.ptr);
  pending_ += '=';
}

std::uint64_t StepEntities::end() {
  constexpr std::size_t kStretch = std::size_t{1} << 20;
  pending_ += ";\n";
  if (pending_.size() > kStretch) flush();
  return count_;
}

void StepEntities::flush() {
  if (!pending_.empty()) sink_(pending_);
  pending_.clear();
}

std::string step_real(double value) { return real_of(value); }
std::string step_real(float value) { return real_of(value); }

std::string step_text(std::string_view utf8) {
  std::string text = "'";
  bool is_wide = false;
  const auto end_wide = [&] {
    if (is_wide) text += "\\X0\\";
    is_wide = false;
  };
  for (const char32_t c : code_points(utf8)) {
    if (c >= 0x20 && c < 0x7F) {
      end_wide();
      text += static_cast<char>(c);
      if (c == '\'' || c == '\\') text += static_cast<char>(c);
      continue;
    }
    if (c > 0xFFFF) {
      end_wide();
      text += "\\X4\\";
      append_hex(text, c, 8);
      text += "\\X0\\";
      continue;
    }
    if (!is_wide) text += "\\X2\\";
    is_wide = true;
    append_hex(text, c, 4);
  }
  end_wide();
  return text + "'";
}

std::string step_name(std::uint64_t entity) { return "#" + std::to_string(entity); }

std::string step_list(std::span<const std::uint64_t> entities) {
  std::string text = "(";
  for (const std::uint64_t e : entities) {
    if (text.size() > 1) text += ',';
    text += step_name(e);
  }
  return text + ")";
}

std::string_view step_flag(bool value) { return value ? ".T." : ".F."; }

std::optional<double> even_scale(const Placement& at) {
  if (!at.is_regular() || at.mirrors()) return std::nullopt;
  if (at.is_rigid()) return 1.0;
  const double scale = at.scale();
  return Placement{at.linear / scale, at.shift}.is_rigid() ? std::optional(scale) : std::nullopt;
}

std::uint64_t StepGeometryWriter::placed_point(const Point& p) {
  return out_.add("CARTESIAN_POINT('',", numbers_list(std::array{p.x(), p.y(), p.z()}), ")");
}
std::uint64_t StepGeometryWriter::direction(const Vector& d) {
  return out_.add("DIRECTION('',", numbers_list(std::array{d.x(), d.y(), d.z()}), ")");
}
std::uint64_t StepGeometryWriter::vector(const Vector& v) {
  const std::uint64_t d = direction(v);
  return out_.add("VECTOR('',", step_name(d), ",", step_real(v.norm()), ")");
}
std::uint64_t StepGeometryWriter::frame(const Frame& f, const Placement& at) {
  const std::uint64_t origin = placed_point(at(f.origin));
  const double scale = at.is_identity() ? 1 : at.scale();
  const std::uint64_t z = direction(at.linear * f.z / scale);
  const std::uint64_t x = direction(at.linear * f.x / scale);
  return out_.add("AXIS2_PLACEMENT_3D('',", step_name(origin), ",", step_name(z), ",", step_name(x),
                  ")");
}

std::uint64_t StepGeometryWriter::curve(const CurvePtr& curve, const Interval& used) {
  if (const auto at = curves_.find(curve.get()); at != curves_.end()) return at->second;
  const std::size_t before = fitted_;
  const std::uint64_t entity = curve_at(*curve, used, at_);
  if (fitted_ == before) curves_[curve.get()] = entity;
  return entity;
}

StepGeometryWriter::EdgeGeometry StepGeometryWriter::edge_curve(const CurvePtr& curve, double from,
                                                                double to) {
  CurvePtr own = curve;
  Placement at = at_;
  bool forward = from < to;
  Interval used = forward ? Interval{from, to} : Interval{to, from};
  // What only says where another curve begins and ends, or lies: vertices do that, and the placement.
  while (true) {
    if (const auto* t = own->as<TrimmedCurveData>()) {
      own = t->curve;
      continue;
    }
    if (const auto* m = own->as<MovedCurveData>(); m != nullptr && even_scale(m->placement)) {
      at = at * m->placement;
      own = m->curve;
      continue;
    }
    const auto* c = own->as<CompositeData>();
    const double segment = std::floor(used.low);
    if (c == nullptr || segment < 0 || used.high > segment + 1 ||
        !(segment < static_cast<double>(c->segments.size()))) {
      break;
    }
    const CurveSegment& s = c->segments[static_cast<std::size_t>(segment)];
    const double low = s.range.low, width = s.range.width();
    used = {used.low - segment, used.high - segment};
    if (!s.forward) {
      forward = !forward;
      used = {1 - used.high, 1 - used.low};
    }
    used = {low + used.low * width, low + used.high * width};
    own = s.curve;
  }
  const bool has_form = own->as<LineData>() != nullptr || own->as<EllipseData>() != nullptr ||
                        own->as<ParabolaData>() != nullptr || own->as<HyperbolaData>() != nullptr ||
                        own->as<PolylineData>() != nullptr || own->as<SplineData>() != nullptr;
  if (!has_form) return {fitted_at(*own, used, at), forward};
  return {at == at_ ? this->curve(own, used) : curve_at(*own, used, at), forward};
}

std::uint64_t StepGeometryWriter::curve_at(const Curve& curve, const Interval& used,
                                           const Placement& at) {
  const double scale = at.is_identity() ? 1 : at.scale();
  if (const auto* line = curve.as<LineData>()) {
    const std::uint64_t origin = placed_point(at(line->origin));
    const std::uint64_t along = vector(at.linear * line->direction);
    return out_.add("LINE('',", step_name(origin), ",", step_name(along), ")");
  }
  if (const auto* e = curve.as<EllipseData>()) {
    const std::string place = step_name(frame(e->frame, at));
    if (curve.kind() == CurveKind::circle) {
      return out_.add("CIRCLE('',", place, ",", step_real(e->a * scale), ")");
    }
    return out_.add("ELLIPSE('',", place, ",", step_real(e->a * scale), ",",
                    step_real(e->b * scale), ")");
  }
  if (const auto* p = curve.as<ParabolaData>()) {
    return out_.add("PARABOLA('',", step_name(frame(p->frame, at)), ",",
                    step_real(p->focal * scale), ")");
  }
  if (const auto* h = curve.as<HyperbolaData>()) {
    return out_.add("HYPERBOLA('',", step_name(frame(h->frame, at)), ",", step_real(h->a * scale),
                    ",", step_real(h->b * scale), ")");
  }
  if (const auto* p = curve.as<PolylineData>()) {
    std::vector<std::uint64_t> points;
    for (const Point& q : p->points) points.push_back(placed_point(at(q)));
    return out_.add("POLYLINE('',", step_list(points), ")");
  }
  if (const auto* s = curve.as<SplineData>()) return spline(s->knots, s->points, s->weights, at);
  if (const auto* c = curve.as<CompositeData>()) {
    std::vector<std::uint64_t> segments;
    const bool is_closed = curve.period() > 0;
    for (std::size_t i = 0; i < c->segments.size(); ++i) {
      const CurveSegment& s = c->segments[i];
      const std::uint64_t piece = bounded_at(*s.curve, s.range, at);
      const bool goes_on = i + 1 < c->segments.size() || is_closed;
      segments.push_back(out_.add("COMPOSITE_CURVE_SEGMENT(",
                                  (goes_on ? ".CONTINUOUS.," : ".DISCONTINUOUS.,"),
                                  step_flag(s.forward), ",", step_name(piece), ")"));
    }
    return out_.add("COMPOSITE_CURVE('',", step_list(segments), ",.F.)");
  }
  if (const auto* t = curve.as<TrimmedCurveData>()) return bounded_at(*t->curve, t->range, at);
  if (const auto* o = curve.as<OffsetCurveData>()) {
    const Interval range = finite_range(curve, used);
    if (const auto distance = constant_of(o->distance, range)) {
      const std::uint64_t basis = curve_at(*o->curve, used, at);
      const std::uint64_t reference = direction(at.linear * o->direction / scale);
      return out_.add("OFFSET_CURVE_3D('',", step_name(basis), ",", step_real(*distance * scale),
                      ",.F.,", step_name(reference), ")");
    }
  }
  if (const auto* m = curve.as<MovedCurveData>()) {
    if (even_scale(m->placement)) return curve_at(*m->curve, used, at * m->placement);
  }
  return fitted_at(curve, finite_range(curve, used), at);
}

std::uint64_t StepGeometryWriter::bounded_at(const Curve& curve, const Interval& range,
                                             const Placement& at) {
  const Interval domain = curve.domain();
  const bool is_whole = domain.low == range.low && domain.high == range.high;
  const bool is_bounded =
      curve.as<SplineData>() != nullptr || curve.as<PolylineData>() != nullptr ||
      curve.as<CompositeData>() != nullptr || curve.as<TrimmedCurveData>() != nullptr;
  if (is_whole && is_bounded) return curve_at(curve, range, at);
  if (curve.as<CurveOnSurfaceData>() != nullptr) return fitted_at(curve, range, at);
  const std::uint64_t basis = curve_at(curve, range, at);
  return out_.add("TRIMMED_CURVE('',", step_name(basis), ",(PARAMETER_VALUE(", step_real(range.low),
                  ")),(PARAMETER_VALUE(", step_real(range.high), ")),.T.,.PARAMETER.)");
}

std::uint64_t StepGeometryWriter::fitted_at(const Curve& curve, const Interval& range,
                                            const Placement& at) {
  const double scale = at.is_identity() ? 1 : at.scale();
  const FittedCurve fit = fit_curve(curve, range, fit_within_ / scale);
  ++fitted_;
  fitted_off_ = std::max(fitted_off_, fit.off * scale);
  return spline(fit.knots, fit.points, {}, at);
}

std::uint64_t StepGeometryWriter::spline(const KnotVector& knots, std::span<const Point> points,
                                         std::span<const double> weights, const Placement& at) {
  std::vector<std::uint64_t> poles;
  for (const Point& p : points) poles.push_back(placed_point(at(p)));
  const KnotRuns runs = runs_of(knots);
  const std::string closed(step_flag(points.front() == points.back()));
  const std::string shape =
      std::to_string(knots.degree) + "," + step_list(poles) + ",.UNSPECIFIED.," + closed + ",.F.";
  const std::string parameters =
      runs.multiplicities + "," + numbers_list(runs.knots) + ",.UNSPECIFIED.";
  if (weights.empty()) {
    return out_.add("B_SPLINE_CURVE_WITH_KNOTS('',", shape, ",", parameters, ")");
  }
  return out_.add("(BOUNDED_CURVE()B_SPLINE_CURVE(", shape, ")B_SPLINE_CURVE_WITH_KNOTS(",
                  parameters, ")CURVE()GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_CURVE(",
                  numbers_list(weights), ")REPRESENTATION_ITEM(''))");
}

std::uint64_t StepGeometryWriter::spline_surface(const SplineSurfaceData& s, const Placement& at) {
  const std::size_t across = s.v.control_count(), along = s.u.control_count();
  std::string poles = "(", weights = "(";
  for (std::size_t i = 0; i < along; ++i) {
    std::vector<std::uint64_t> row;
    for (std::size_t j = 0; j < across; ++j)
      row.push_back(placed_point(at(s.points[i * across + j])));
    poles.append(i > 0 ? "," : "").append(step_list(row));
    if (s.weights.empty()) continue;
    weights.append(i > 0 ? "," : "")
        .append(numbers_list(std::span(s.weights).subspan(i * across, across)));
  }
  const auto is_same = [&](std::size_t step, std::size_t count, std::size_t from, std::size_t to) {
    for (std::size_t k = 0; k < count; ++k) {
      if (s.points[from + k * step] != s.points[to + k * step]) return false;
    }
    return true;
  };
  const bool closed_u = is_same(1, across, 0, (along - 1) * across);
  const bool closed_v = is_same(across, along, 0, across - 1);
  const KnotRuns u = runs_of(s.u), v = runs_of(s.v);
  const std::string shape = std::to_string(s.u.degree) + "," + std::to_string(s.v.degree) + "," +
                            poles + "),.UNSPECIFIED.," + std::string(step_flag(closed_u)) + "," +
                            std::string(step_flag(closed_v)) + ",.F.";
  const std::string parameters = u.multiplicities + "," + v.multiplicities + "," +
                                 numbers_list(u.knots) + "," + numbers_list(v.knots) +
                                 ",.UNSPECIFIED.";
  if (s.weights.empty()) {
    return out_.add("B_SPLINE_SURFACE_WITH_KNOTS('',", shape, ",", parameters, ")");
  }
  return out_.add("(BOUNDED_SURFACE()B_SPLINE_SURFACE(", shape, ")B_SPLINE_SURFACE_WITH_KNOTS(",
                  parameters, ")GEOMETRIC_REPRESENTATION_ITEM()RATIONAL_B_SPLINE_SURFACE(", weights,
                  "))REPRESENTATION_ITEM('')SURFACE())");
}

// Straight lines between fitted curves: as far from the surface as they are from its curves, at most.
std::uint64_t StepGeometryWriter::ruled(const RuledData& r, const Placement& at) {
  // Both over 0 to 1, so that one division does for both.
  const CurvePtr first = make_composite({{r.first, r.first_range, true}});
  const CurvePtr second = make_composite({{r.second, r.second_range, true}});
  const double within = fit_within_ / (at.is_identity() ? 1 : at.scale());
  const Interval unit{0, 1};
  std::vector<double> ends = {0, 1};
  for (const auto& c : {first, second}) {
    for (const double k : fit_curve(*c, unit, within).knots.knots) ends.push_back(k);
  }
  std::sort(ends.begin(), ends.end());
  ends.erase(std::unique(ends.begin(), ends.end()), ends.end());
  SplineSurfaceData s;
  s.u.degree = 3;
  s.u.knots.assign(4, 0.0);
  s.v = {1, {0, 0, 1, 1}};
  double off = 0;
  for (std::size_t i = 1; i < ends.size(); ++i) {
    const CubicPiece a = cubic_piece(*first, ends[i - 1], ends[i]);
    const CubicPiece b = cubic_piece(*second, ends[i - 1], ends[i]);
    for (std::size_t k = i == 1 ? 0 : 1; k < 4; ++k) {
      s.points.push_back(a.points[k]);
      s.points.push_back(b.points[k]);
    }
    s.u.knots.insert(s.u.knots.end(), 3, ends[i]);
    off = std::max({off, a.off, b.off});
  }
  s.u.knots.push_back(1.0);
  ++fitted_;
  fitted_off_ = std::max(fitted_off_, off * (at.is_identity() ? 1 : at.scale()));
  return spline_surface(s, at);
}

std::uint64_t StepGeometryWriter::surface(const SurfacePtr& surface) {
  const auto [at, is_new] = surfaces_.try_emplace(surface.get(), 0);
  if (is_new) {
    const std::uint64_t entity = surface_at(*surface, at_);
    surfaces_[surface.get()] = entity;
    return entity;
  }
  return at->second;
}

std::uint64_t StepGeometryWriter::surface_at(const Surface& surface, const Placement& at) {
  const double scale = at.is_identity() ? 1 : at.scale();
  if (const auto* p = surface.as<PlaneData>()) {
    return out_.add("PLANE('',", step_name(frame(p->frame, at)), ")");
  }
  if (const auto* c = surface.as<ConeData>()) {
    Frame f = c->frame;
    if (c->half_angle < 0) {  // the standard's cones open along their axis
      f.y = -f.y;
      f.z = -f.z;
    }
    const std::string start = step_name(frame(f, at)) + "," + step_real(c->radius * scale);
    if (c->half_angle == 0) return out_.add("CYLINDRICAL_SURFACE('',", start, ")");
    return out_.add("CONICAL_SURFACE('',", start, ",", step_real(std::fabs(c->half_angle)), ")");
  }
  if (const auto* s = surface.as<SphereData>()) {
    return out_.add("SPHERICAL_SURFACE('',", step_name(frame(s->frame, at)), ",",
                    step_real(s->radius * scale), ")");
  }
  if (const auto* t = surface.as<TorusData>()) {
    const std::string values = "''," + step_name(frame(t->frame, at)) + "," +
                               step_real(t->major * scale) + "," + step_real(t->minor * scale);
    if (t->major > t->minor) return out_.add("TOROIDAL_SURFACE(", values, ")");
    return out_.add("DEGENERATE_TOROIDAL_SURFACE(", values, ",", step_flag(t->outer), ")");
  }
  if (const auto* s = surface.as<SplineSurfaceData>()) return spline_surface(*s, at);
  if (const auto* e = surface.as<ExtrusionData>()) {
    const std::uint64_t swept = curve_at(*e->curve, e->range, at);
    const std::uint64_t along = vector(at.linear * e->direction);
    return out_.add("SURFACE_OF_LINEAR_EXTRUSION('',", step_name(swept), ",", step_name(along),
                    ")");
  }
  if (const auto* r = surface.as<RevolutionData>()) {
    const std::uint64_t swept = curve_at(*r->curve, r->range, at);
    const std::uint64_t origin = placed_point(at(r->origin));
    const std::uint64_t along = direction(at.linear * r->axis / scale);
    const std::uint64_t axis =
        out_.add("AXIS1_PLACEMENT('',", step_name(origin), ",", step_name(along), ")");
    return out_.add("SURFACE_OF_REVOLUTION('',", step_name(swept), ",", step_name(axis), ")");
  }
  if (const auto* r = surface.as<RuledData>()) return ruled(*r, at);
  if (const auto* o = surface.as<OffsetSurfaceData>()) {
    const std::uint64_t basis = surface_at(*o->surface, at);
    return out_.add("OFFSET_SURFACE('',", step_name(basis), ",", step_real(o->distance * scale),
                    ",.F.)");
  }
  if (const auto* m = surface.as<MovedSurfaceData>()) {
    return surface_at(*m->surface, at * m->placement);
  }
  return surface_at(*std::get<const TrimmedSurfaceData*>(surface.data())->surface, at);
}

std::string StepGeometryWriter::why_not(const Surface& surface) {
  if (const auto* o = surface.as<OffsetSurfaceData>()) return why_not(*o->surface);
  if (const auto* t = surface.as<TrimmedSurfaceData>()) return why_not(*t->surface);
  if (const auto* m = surface.as<MovedSurfaceData>()) {
    return even_scale(m->placement) ? why_not(*m->surface)
                                    : "a surface that is mirrored or stretched";
  }
  if (const auto* c = surface.as<ConeData>(); c != nullptr && c->radius < 0) {
    return "a cone of a radius below 0";
  }
  return std::holds_alternative<std::monostate>(surface.data()) ? "a surface of a kind of its own"
                                                                : std::string();
}

}  // namespace aguja::detail
