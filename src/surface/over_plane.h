#pragma once
// A surface in other parameters: the coordinates of a plane that it lies over.

#include <atomic>
#include <memory>
#include <vector>

#include "aguja/surface/surface.h"
#include "surface/face_domain.h"

namespace aguja {

// The part of a surface near some places, as heights over a plane: no seams, no poles, and lengths
// as in space. Where it is steeper than that, or no such part, it says that it has failed: from then
// on it is its plane, and what was made of it is worth nothing.
//
// Cost     A few evaluations of the surface a place; it fails after a hundred thousand places.
class OverPlane : public Surface {
 public:
  // `surface` must outlive it.
  OverPlane(const Surface& surface, const Frame& plane, const std::vector<Parameters>& seeds);

  [[nodiscard]] bool has_failed() const { return failed_; }

  [[nodiscard]] SurfaceKind kind() const override { return surface_.kind(); }
  [[nodiscard]] SurfacePoint at(double u, double v) const override;
  [[nodiscard]] Interval domain_u() const override;
  [[nodiscard]] Interval domain_v() const override;
  [[nodiscard]] Effort effort() const override { return surface_.effort(); }
  [[nodiscard]] std::optional<Parameters> parameters_of(const Point& p) const override {
    return Parameters(plane_.of(p).head<2>());
  }

 private:
  [[nodiscard]] std::optional<SurfacePoint> reached_from(const Parameters& seed,
                                                         const Parameters& wanted) const;
  [[nodiscard]] Eigen::Matrix2d slope_at(const SurfacePoint& s) const;

  struct Seed {
    Parameters on_surface, on_plane;
  };
  const Surface& surface_;
  Frame plane_;
  std::vector<Seed> seeds_;
  mutable std::atomic<bool> failed_ = false;
  mutable std::atomic<std::size_t> asked_ = 0;
};

// Over a plane to which the surface's normals along the loops are as straight as may be; nothing if
// they turn too far.
[[nodiscard]] std::shared_ptr<OverPlane> over_plane(const Surface& surface,
                                                    const std::vector<DividedLoop>& loops);

}  // namespace aguja
