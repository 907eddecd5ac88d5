#include "surface/over_plane.h"

#include <algorithm>
#include <cmath>

#include <Eigen/Geometry>

namespace aguja {
namespace {

constexpr double kSteepest = 0.15;  // cosine to the plane's normal
constexpr std::size_t kMostSeeds = 48, kMostTried = 6;
constexpr std::size_t kMostAsked = 100000;
constexpr double kOfItsPlace = 1e-3;  // lengths below this part of a place are rounding's

}  // namespace

OverPlane::OverPlane(const Surface& surface, const Frame& plane,
                     const std::vector<Parameters>& seeds)
    : surface_(surface), plane_(plane) {
  for (const Parameters& uv : seeds) {
    seeds_.push_back({uv, Parameters(plane_.of(surface_.point(uv)).head<2>())});
  }
}

Interval OverPlane::domain_u() const { return make_plane(plane_)->domain_u(); }
Interval OverPlane::domain_v() const { return make_plane(plane_)->domain_v(); }

std::optional<SurfacePoint> OverPlane::reached_from(const Parameters& seed,
                                                    const Parameters& wanted) const {
  Parameters uv = seed;
  SurfacePoint s = surface_.at(uv[0], uv[1]);
  Parameters left = wanted - Parameters(plane_.of(s.p).head<2>());
  const double scale = std::max(left.norm(), kOfItsPlace * wanted.norm());
  // Newton, in steps that are halved until they come nearer. False if none does.
  const auto step_nearer = [&] {
    const Eigen::Matrix2d slope = slope_at(s);
    if (!(std::fabs(slope.determinant()) > 0)) return false;
    const Parameters way = slope.inverse() * left;
    constexpr int kMostTimesHalved = 12;
    double part = 1;
    for (int halved = 0; halved < kMostTimesHalved; ++halved, part *= 0.5) {
      const Parameters next = uv + part * way;
      const SurfacePoint there = surface_.at(next[0], next[1]);
      const Parameters then = wanted - Parameters(plane_.of(there.p).head<2>());
      if (!(then.norm() < left.norm())) continue;
      uv = next, s = there, left = then;
      return true;
    }
    return false;
  };
  constexpr int kMostSteps = 40;
  constexpr double kThere = 1e-13, kRounding = 1e-9;
  for (int step = 0; step < kMostSteps && left.norm() > kThere * scale && step_nearer(); ++step) {
  }
  const bool is_there = left.norm() <= kRounding * scale && s.normal().dot(plane_.z) > kSteepest;
  return is_there ? std::optional(s) : std::nullopt;
}

SurfacePoint OverPlane::at(double u, double v) const {
  const auto give_up = [&] {
    failed_ = true;
    SurfacePoint flat;
    flat.p = plane_.at(u, v);
    flat.du = plane_.x, flat.dv = plane_.y;
    return flat;
  };
  if (failed_ || ++asked_ > kMostAsked) return give_up();
  const Parameters wanted(u, v);
  // From the nearest seed; beyond a pole one leads to the surface's far side, and another does not.
  std::vector<std::pair<double, const Seed*>> order;
  for (const Seed& seed : seeds_) {
    order.emplace_back((seed.on_plane - wanted).squaredNorm(), &seed);
  }
  const std::size_t tried = std::min(kMostTried, order.size());
  std::partial_sort(order.begin(), order.begin() + static_cast<std::ptrdiff_t>(tried), order.end());
  std::optional<SurfacePoint> reached;
  for (std::size_t i = 0; i < tried && !reached; ++i) {
    reached = reached_from(order[i].second->on_surface, wanted);
  }
  if (!reached) return give_up();
  const SurfacePoint& s = *reached;
  SurfacePoint out;
  out.p = s.p;
  // Tangents over the axes of the plane, and what the surface bends along them.
  const Vector normal = s.normal();
  const double cosine = normal.dot(plane_.z);
  const Eigen::Matrix2d back = slope_at(s).inverse();
  const double e = normal.dot(s.duu), f = normal.dot(s.duv), g = normal.dot(s.dvv);
  const auto tangent = [&](int k) -> Vector { return back(0, k) * s.du + back(1, k) * s.dv; };
  const auto bend = [&](int i, int k) {
    return (back(0, i) * back(0, k) * e + (back(0, i) * back(1, k) + back(1, i) * back(0, k)) * f +
            back(1, i) * back(1, k) * g) /
           cosine;
  };
  out.du = tangent(0);
  out.dv = tangent(1);
  out.duu = bend(0, 0) * plane_.z;
  out.duv = bend(0, 1) * plane_.z;
  out.dvv = bend(1, 1) * plane_.z;
  return out;
}

Eigen::Matrix2d OverPlane::slope_at(const SurfacePoint& s) const {
  Eigen::Matrix2d m;
  m << plane_.x.dot(s.du), plane_.x.dot(s.dv), plane_.y.dot(s.du), plane_.y.dot(s.dv);
  return m;
}

std::shared_ptr<OverPlane> over_plane(const Surface& surface,
                                      const std::vector<DividedLoop>& loops) {
  if (surface.kind() == SurfaceKind::plane) return nullptr;
  const SurfaceFoot foot(surface);
  std::vector<Parameters> feet;
  std::vector<Vector> normals;
  Vector mean = Vector::Zero(), area = Vector::Zero();
  Point middle = Point::Zero();
  for (const DividedLoop& loop : loops) {
    for (std::size_t i = 0; i < loop.corners.size(); ++i) {
      const Point& p = loop.corners[i].p;
      area += (p - loops[0].corners[0].p)
                  .cross(loop.corners[(i + 1) % loop.corners.size()].p - loops[0].corners[0].p);
      const Parameters uv = foot.of(p);
      const Vector normal = surface.at(uv[0], uv[1]).normal();
      if (!(normal.squaredNorm() > 0)) continue;
      feet.push_back(uv);
      normals.push_back(normal);
      mean += normal;
      middle += p;
    }
  }
  if (feet.empty()) return nullptr;
  middle /= static_cast<double>(feet.size());
  // Across the mean normal, or across what the loops enclose, whichever lies straighter.
  Vector z = Vector::Zero();
  double straightest = kSteepest;
  if (area.dot(mean) < 0) area = -area;
  for (const Vector& way : {mean, area}) {
    if (!(way.norm() > 0)) continue;
    double least = 1;
    for (const Vector& normal : normals) least = std::min(least, normal.dot(way.normalized()));
    if (least > straightest) straightest = least, z = way.normalized();
  }
  if (z.isZero()) return nullptr;
  std::vector<Parameters> seeds = {foot.of(middle)};
  const std::size_t step = std::max<std::size_t>(1, feet.size() / kMostSeeds);
  for (std::size_t i = 0; i < feet.size(); i += step) seeds.push_back(feet[i]);
  Eigen::Index least = 0;
  z.cwiseAbs().minCoeff(&least);
  return std::make_shared<OverPlane>(surface, Frame::from(middle, z, Vector::Unit(least)), seeds);
}

}  // namespace aguja
