#include "aguja/surface/intersection.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include <Eigen/Geometry>

#include "geometry/circles.h"
#include "surface/fit_curve.h"
#include "surface/limits.h"

namespace aguja {
namespace {

constexpr int kMostMeetingSteps = 40;
// The least sine between normals at which surfaces cross: below it, places along them say nothing.
constexpr double kLeastMeetingSine = 1e-6;

struct Foot {
  double distance;  // along the normal
  Vector normal;
};
Foot foot_on(const Surface& surface, const SurfaceFoot& foot, const Point& p) {
  const Parameters uv = foot.of(p);
  const SurfacePoint at = surface.at(uv[0], uv[1]);
  const Vector n = at.normal();
  return {(p - at.p).dot(n), n};
}
// From where it is so far from three planes, to where they meet; not finite where they do not.
Vector common_step(const std::array<Vector, 3>& normals, const Vector& distances) {
  const Vector across = normals[1].cross(normals[2]);
  return (distances[0] * across + distances[1] * normals[2].cross(normals[0]) +
          distances[2] * normals[0].cross(normals[1])) /
         normals[0].dot(across);
}
double off_surface(const Surface& surface, const SurfaceFoot& foot, const Point& p) {
  return (surface.point(foot.of(p)) - p).norm();
}

// Both surfaces, and how to come onto both.
class SurfaceMeeting {
 public:
  SurfaceMeeting(const Surface& a, const Surface& b) : a_(a), b_(b), foot_a_(a), foot_b_(b) {}

  struct Place {
    Point p;
    Vector along;  // unit, either way
  };
  // From a place near both; `across`: the step stays in the plane with this normal, if it is not 0.
  [[nodiscard]] std::optional<Place> onto(Point p, const Vector& across, double size) const {
    double last = kFar;
    for (int i = 0; i < kMostMeetingSteps; ++i) {
      const Foot on_a = foot_on(a_, foot_a_, p), on_b = foot_on(b_, foot_b_, p);
      const Vector along = on_a.normal.cross(on_b.normal);
      if (!(along.norm() > kLeastMeetingSine)) return std::nullopt;
      const Vector third = across.norm() > 0 ? across : along;
      const Vector step =
          common_step({on_a.normal, on_b.normal, third}, Vector(on_a.distance, on_b.distance, 0));
      if (!step.allFinite()) return std::nullopt;
      p -= step;
      const double length = step.norm();
      if (length <= kOnBoth * size || (length >= last && length <= kSamePlace * size)) {
        if (off(p) > kSamePlace * size) return std::nullopt;
        return Place{p, along.normalized()};
      }
      last = length;
    }
    return std::nullopt;
  }
  [[nodiscard]] double off(const Point& p) const {
    return std::max(off_surface(a_, foot_a_, p), off_surface(b_, foot_b_, p));
  }

 private:
  static constexpr double kFar = 1e300;
  static constexpr double kOnBoth = 1e-15;  // of the size: what rounding leaves

  const Surface &a_, &b_;
  SurfaceFoot foot_a_, foot_b_;
};

// Through places on the curve, by their distances: at every parameter the place on both surfaces that
// lies in the plane across the chord.
class SurfaceMeetingLine final : public Curve {
 public:
  SurfaceMeetingLine(const SurfaceMeeting& meeting, std::vector<Point> places, double size)
      : meeting_(meeting), places_(std::move(places)), size_(size) {
    for (std::size_t i = 1; i < places_.size(); ++i) {
      at_.push_back(at_.back() + (places_[i] - places_[i - 1]).norm());
    }
  }
  [[nodiscard]] CurveKind kind() const override { return CurveKind::spline; }
  [[nodiscard]] Interval domain() const override { return {0, at_.back()}; }
  [[nodiscard]] std::vector<double> breaks(const Interval&) const override {
    return {at_.begin() + 1, at_.end() - 1};
  }
  [[nodiscard]] CurvePoint at(double t) const override {
    const auto after = std::upper_bound(at_.begin() + 1, at_.end() - 1, t);
    const auto i = static_cast<std::size_t>(after - at_.begin()) - 1;
    const Vector way = (places_[i + 1] - places_[i]).normalized();
    const Point guess = places_[i] + (t - at_[i]) * way;
    const auto place = meeting_.onto(guess, way, size_);
    CurvePoint out;
    out.p = guess;
    out.d1 = way;
    if (!place) {
      failed_ = true;
      return out;
    }
    out.p = place->p;
    const double cosine = place->along.dot(way);
    if (std::fabs(cosine) < kLeastCosine) {
      failed_ = true;
      return out;
    }
    out.d1 = place->along / cosine;
    return out;
  }
  [[nodiscard]] bool failed() const { return failed_; }

 private:
  static constexpr double kLeastCosine = 0.01;

  const SurfaceMeeting& meeting_;
  std::vector<Point> places_;
  std::vector<double> at_ = {0};
  double size_;
  mutable bool failed_ = false;  // it is asked by one thread, here
};

// Is it, between two parameters, on both surfaces as far as these can be told?
std::optional<MeetingCurve> if_it_is(const SurfaceMeeting& meeting, CurvePtr curve, double from,
                                     double to, double size) {
  constexpr int kLooks = 24;
  MeetingCurve out{std::move(curve), from, to, 0};
  for (int i = 0; i <= kLooks; ++i) {
    out.off = std::max(out.off, meeting.off(out.curve->point(from + (to - from) * i / kLooks)));
  }
  if (out.off <= kSamePlace * size) return out;
  return std::nullopt;
}

// The angle of the last place, from the first at 0, going round past all others.
double turned_to(const Frame& frame, const std::vector<Point>& places, double a, double b) {
  double angle = 0;
  const auto angle_of = [&](const Point& p) {
    const Point q = frame.of(p);
    return std::atan2(q.y() / b, q.x() / a);
  };
  for (std::size_t i = 1; i < places.size(); ++i) {
    angle += std::remainder(angle_of(places[i]) - angle_of(places[i - 1]), 2 * M_PI);
  }
  return angle;
}

std::optional<MeetingCurve> as_line(const SurfaceMeeting& meeting, const std::vector<Point>& places,
                                    double size) {
  const Vector along = places.back() - places.front();
  if (!(along.norm() > 0)) return std::nullopt;
  return if_it_is(meeting, make_line(places.front(), along.normalized()), 0, along.norm(), size);
}

std::optional<MeetingCurve> as_circle(const SurfaceMeeting& meeting,
                                      const std::vector<Point>& places, double size) {
  // Through the first, and two that lie far from it and from each other.
  const Point& a = places.front();
  const auto far_from = [&](const auto& measure) {
    return *std::max_element(places.begin(), places.end(), [&](const Point& p, const Point& q) {
      return measure(p) < measure(q);
    });
  };
  const Point b = far_from([&](const Point& p) { return (p - a).norm(); });
  const Point c = far_from([&](const Point& p) { return (b - a).cross(p - a).norm(); });
  const Vector u = b - a, v = c - a, n = u.cross(v);
  if (!(n.norm() > kSamePlace * size * size)) return std::nullopt;
  const Vector to_center = to_circle_center(u, v);
  // As the places run.
  const Frame frame = Frame::from(a + to_center, n, -to_center);
  const double radius = to_center.norm(), turn = turned_to(frame, places, 1, 1);
  return if_it_is(meeting, make_circle(frame, radius), 0, turn, size);
}

std::optional<MeetingCurve> as_ellipse(const SurfaceMeeting& meeting, const Surface& a,
                                       const Surface& b, const std::vector<Point>& places,
                                       double size) {
  const auto* plane = a.as<PlaneData>();
  const auto* cylinder = b.as<ConeData>();
  if (plane == nullptr || cylinder == nullptr || cylinder->half_angle != 0) return std::nullopt;
  const Vector n = plane->frame.z, axis = cylinder->frame.z;
  const double cosine = n.dot(axis);
  if (!(std::fabs(cosine) > kLeastMeetingSine)) return std::nullopt;
  const Point center = cylinder->frame.origin +
                       (plane->frame.origin - cylinder->frame.origin).dot(n) / cosine * axis;
  const Frame frame = Frame::from(center, n, axis - cosine * n);
  const double major = cylinder->radius / std::fabs(cosine), minor = cylinder->radius;
  const Point first = frame.of(places.front());
  const double from = std::atan2(first.y() / minor, first.x() / major);
  return if_it_is(meeting, make_ellipse(frame, major, minor), from,
                  from + turned_to(frame, places, major, minor), size);
}

}  // namespace

std::optional<MeetingCurve> meeting_curve(const Surface& a, const Surface& b,
                                          std::span<const Point> places, double within) {
  if (places.size() < 2) return std::nullopt;
  Box box;
  for (const Point& p : places) box.extend(p);
  const double size = std::max(box.diagonal(), kSamePlace * box.center().norm());
  if (!(size > 0)) return std::nullopt;
  const SurfaceMeeting meeting(a, b);
  std::vector<Point> on;
  bool touches = false;  // somewhere: there a place can only be taken as it is
  for (const Point& p : places) {
    const auto place = meeting.onto(p, Vector::Zero(), size);
    touches |= !place;
    if (!place && meeting.off(p) > kSamePlace * size) return std::nullopt;
    on.push_back(place ? place->p : p);
  }
  const bool is_closed = places.front() == places.back();
  if (is_closed) on.back() = on.front();
  if (!is_closed) {
    if (auto line = as_line(meeting, on, size)) return line;
  }
  // Two places do not tell how the curve bends.
  if (on.size() == 2) {
    const Vector along = on[1] - on[0];
    const auto middle = meeting.onto(0.5 * (on[0] + on[1]), along.normalized(), size);
    if (!middle) return std::nullopt;
    on.insert(on.begin() + 1, middle->p);
  }
  if (auto circle = as_circle(meeting, on, size)) return circle;
  if (auto ellipse = as_ellipse(meeting, a, b, on, size)) return ellipse;
  if (auto ellipse = as_ellipse(meeting, b, a, on, size)) return ellipse;
  if (touches) return std::nullopt;
  const SurfaceMeetingLine line(meeting, on, size);
  const FittedCurve fit = fit_curve(line, line.domain(), within);
  if (line.failed()) return std::nullopt;
  MeetingCurve out{make_spline(fit.knots, fit.points), line.domain().low, line.domain().high, 0};
  out.off = fit.off;
  return out;
}

std::optional<Point> meeting_point(const Surface& a, const Surface& b, const Surface& c,
                                   const Point& near) {
  const std::array<const Surface*, 3> surfaces = {&a, &b, &c};
  const std::array<SurfaceFoot, 3> feet = {SurfaceFoot(a), SurfaceFoot(b), SurfaceFoot(c)};
  Point p = near;
  double first = 0, last = 0;
  for (int i = 0; i < kMostMeetingSteps; ++i) {
    std::array<Vector, 3> normals;
    Vector off;
    for (std::size_t k = 0; k < 3; ++k) {
      const Foot foot = foot_on(*surfaces[k], feet[k], p);
      normals[k] = foot.normal;
      off[static_cast<Eigen::Index>(k)] = foot.distance;
    }
    if (!(std::fabs(normals[0].cross(normals[1]).dot(normals[2])) > kLeastMeetingSine)) {
      return std::nullopt;
    }
    const Vector step = common_step(normals, off);
    if (!step.allFinite()) return std::nullopt;
    p -= step;
    const double length = step.norm();
    if (i == 0) first = length;
    // Until it is rounding that moves it.
    if (i > 0 && length >= last)
      return length <= kSamePlace * first || length == 0 ? std::optional(p) : std::nullopt;
    if (length == 0) return p;
    last = length;
  }
  return std::nullopt;
}

}  // namespace aguja
