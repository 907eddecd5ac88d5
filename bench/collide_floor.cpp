#include "bench/collide_floor.h"

#include <atomic>
#include <cmath>

#include <embree3/rtcore.h>
#include <Eigen/Geometry>

namespace aguja::bench {
namespace {

// Do the corners of each lie on both sides of the other's plane, and do the pieces on the common
// line meet? Plain doubles, an epsilon nowhere, wrong where it is close.
bool plain_test(const Mesh& mesh, std::uint32_t i, std::uint32_t j) {
  const Triangle& s = mesh.triangles[i];
  const Triangle& t = mesh.triangles[j];
  const Point* const a[3] = {&mesh.point(s[0]), &mesh.point(s[1]), &mesh.point(s[2])};
  const Point* const b[3] = {&mesh.point(t[0]), &mesh.point(t[1]), &mesh.point(t[2])};
  const Vector na = (*a[1] - *a[0]).cross(*a[2] - *a[0]);
  double hb[3];
  for (int k = 0; k < 3; ++k) hb[k] = na.dot(*b[k] - *a[0]);
  if ((hb[0] > 0 && hb[1] > 0 && hb[2] > 0) || (hb[0] < 0 && hb[1] < 0 && hb[2] < 0)) return false;
  const Vector nb = (*b[1] - *b[0]).cross(*b[2] - *b[0]);
  double ha[3];
  for (int k = 0; k < 3; ++k) ha[k] = nb.dot(*a[k] - *b[0]);
  if ((ha[0] > 0 && ha[1] > 0 && ha[2] > 0) || (ha[0] < 0 && ha[1] < 0 && ha[2] < 0)) return false;
  const Vector line = na.cross(nb);
  const auto piece = [&](const Point* const* p, const double* h, double& low, double& high) {
    low = HUGE_VAL, high = -HUGE_VAL;
    for (int k = 0; k < 3; ++k) {
      const int n = (k + 1) % 3;
      if (h[k] * h[n] >= 0) continue;
      const double at = line.dot(*p[k] + (*p[n] - *p[k]) * (h[k] / (h[k] - h[n])));
      low = std::min(low, at), high = std::max(high, at);
    }
  };
  double la, ha2, lb, hb2;
  piece(a, ha, la, ha2);
  piece(b, hb, lb, hb2);
  return la < hb2 && lb < ha2;
}

}  // namespace

struct CollideFloor::Impl {
  const Mesh& mesh;
  RTCDevice device;
  std::atomic<std::size_t> found = 0;

  static void bounds(const RTCBoundsFunctionArguments* args) {
    const auto& self = *static_cast<const Impl*>(args->geometryUserPtr);
    const Triangle& t = self.mesh.triangles[args->primID];
    RTCBounds& out = *args->bounds_o;
    const Point low =
        self.mesh.point(t[0]).cwiseMin(self.mesh.point(t[1])).cwiseMin(self.mesh.point(t[2]));
    const Point high =
        self.mesh.point(t[0]).cwiseMax(self.mesh.point(t[1])).cwiseMax(self.mesh.point(t[2]));
    out.lower_x = static_cast<float>(low.x());
    out.lower_y = static_cast<float>(low.y());
    out.lower_z = static_cast<float>(low.z());
    out.upper_x = static_cast<float>(high.x());
    out.upper_y = static_cast<float>(high.y());
    out.upper_z = static_cast<float>(high.z());
  }
  static void collide(void* user, RTCCollision* collisions, unsigned count) {
    auto& self = *static_cast<Impl*>(user);
    std::size_t some = 0;
    for (unsigned c = 0; c < count; ++c) {
      const std::uint32_t i = collisions[c].primID0;
      const std::uint32_t j = collisions[c].primID1;
      if (i < j) some += plain_test(self.mesh, i, j);
    }
    self.found += some;
  }
};

CollideFloor::CollideFloor(const Mesh& mesh) : impl_(new Impl{mesh, rtcNewDevice(nullptr)}) {}

CollideFloor::~CollideFloor() { rtcReleaseDevice(impl_->device); }

std::size_t CollideFloor::run() {
  impl_->found = 0;
  RTCScene scene = rtcNewScene(impl_->device);
  rtcSetSceneBuildQuality(scene, RTC_BUILD_QUALITY_MEDIUM);
  RTCGeometry geometry = rtcNewGeometry(impl_->device, RTC_GEOMETRY_TYPE_USER);
  rtcSetGeometryUserPrimitiveCount(geometry, static_cast<unsigned>(impl_->mesh.triangles.size()));
  rtcSetGeometryUserData(geometry, impl_.get());
  rtcSetGeometryBoundsFunction(geometry, Impl::bounds, nullptr);
  rtcCommitGeometry(geometry);
  rtcAttachGeometry(scene, geometry);
  rtcReleaseGeometry(geometry);
  rtcCommitScene(scene);
  rtcCollide(scene, scene, Impl::collide, impl_.get());
  rtcReleaseScene(scene);
  return impl_->found;
}

}  // namespace aguja::bench
