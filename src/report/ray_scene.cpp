#include "report/ray_scene.h"

#include <cmath>
#include <limits>

#include <embree3/rtcore.h>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"

namespace aguja {
namespace {

constexpr int kSamplesPerSide = 2;  // along each side of a pixel
constexpr float kFar = std::numeric_limits<float>::infinity();

// What one sample sees.
struct SeenPixel {
  float red = 0, green = 0, blue = 0;
  std::uint32_t patch = kNoIndex;
  float depth = kFar;
};

}  // namespace

struct RayScene::Kernel {
  RTCDevice device = nullptr;
  RTCScene scene = nullptr;
  Point origin = Point::Zero();
  double radius = 0;
  std::vector<std::uint32_t> patch_of;

  ~Kernel() {
    if (scene != nullptr) rtcReleaseScene(scene);
    if (device != nullptr) rtcReleaseDevice(device);
  }

  [[nodiscard]] RTCRayHit ray_at(const Look& look, double x, double y) const {
    const Point from = look.center - origin + (x - 0.5 * look.width) * look.pixel * look.right +
                       (0.5 * look.height - y) * look.pixel * look.up;
    const Point start = from + (2 * radius - from.dot(look.back)) * look.back;
    RTCRayHit hit{};
    hit.ray.org_x = static_cast<float>(start.x());
    hit.ray.org_y = static_cast<float>(start.y());
    hit.ray.org_z = static_cast<float>(start.z());
    hit.ray.dir_x = static_cast<float>(-look.back.x());
    hit.ray.dir_y = static_cast<float>(-look.back.y());
    hit.ray.dir_z = static_cast<float>(-look.back.z());
    hit.ray.tnear = 0;
    hit.ray.tfar = kFar;
    hit.ray.mask = 0xFFFFFFFFu;
    if (!look.normal) return hit;
    const double height = start.dot(*look.normal) - (look.offset - origin.dot(*look.normal));
    const double falls = look.back.dot(*look.normal);
    if (falls > 0) {
      hit.ray.tnear = static_cast<float>(std::max(0.0, height / falls));
    } else if (height > 0) {
      hit.ray.tfar = 0;
    } else if (falls < 0) {
      hit.ray.tfar = static_cast<float>(height / falls);
    }
    return hit;
  }

  [[nodiscard]] bool intersect(RTCRayHit& hit) const {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    hit.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    rtcIntersect1(scene, &context, &hit);
    return hit.hit.geomID != RTC_INVALID_GEOMETRY_ID;
  }

  // Shaded by a lamp above the eye; back sides striped, what is chosen dotted.
  [[nodiscard]] SeenPixel shade(const RTCRayHit& hit, const Look& look, bool chosen, double x,
                                double y) const {
    using namespace palette;
    Vector n(hit.hit.Ng_x, hit.hit.Ng_y, hit.hit.Ng_z);
    if (n.norm() > 0) n.normalize();
    const bool from_behind = n.dot(look.back) < 0;
    if (from_behind) n = -n;
    const Vector lamp = (0.3 * look.right + 0.45 * look.up + look.back).normalized();
    const double light = 0.52 + 0.5 * std::max(0.0, n.dot(lamp));
    const bool stripe = std::fmod(x + y, 9.0) < 4.5;
    Colour colour = kFront;
    if (from_behind) {
      colour = stripe ? (chosen ? kMark : kBackA) : kBackB;
    } else if (chosen) {
      const double dx = std::fmod(x, 7.0) - 3.5, dy = std::fmod(y, 7.0) - 3.5;
      colour = dx * dx + dy * dy < 2.6 ? kPanel : kMark;
    }
    const auto lit = [&](std::uint8_t c) { return static_cast<float>(std::min(255.0, light * c)); };
    return {lit(colour.red), lit(colour.green), lit(colour.blue), patch_of[hit.hit.primID],
            hit.ray.tfar};
  }

  [[nodiscard]] SeenPixel look_along(const Look& look, const std::vector<bool>& chosen, double x,
                                     double y) const {
    RTCRayHit hit = ray_at(look, x, y);
    const float last = hit.ray.tfar;
    SeenPixel seen;
    float left = 1;  // how much still comes through
    constexpr int kMostLayers = 12;
    constexpr float kVeil = 0.17F;
    for (int layer = 0; layer < kMostLayers; ++layer) {
      if (hit.ray.tnear >= hit.ray.tfar || !intersect(hit)) break;
      const bool own = chosen[hit.hit.primID];
      const SeenPixel here = shade(hit, look, own, x, y);
      const float share = look.see_through && !own ? kVeil : 1.0F;
      seen.red += left * share * here.red;
      seen.green += left * share * here.green;
      seen.blue += left * share * here.blue;
      left *= 1 - share;
      if (seen.depth == kFar) {
        seen.patch = here.patch;
        seen.depth = here.depth;
      }
      if (left <= 0) break;
      hit.ray.tnear = std::nextafter(hit.ray.tfar, kFar) + static_cast<float>(1e-6 * radius);
      hit.ray.tfar = last;
    }
    using palette::kGround;
    seen.red += left * static_cast<float>(kGround.red);
    seen.green += left * static_cast<float>(kGround.green);
    seen.blue += left * static_cast<float>(kGround.blue);
    return seen;
  }
};

RayScene::RayScene(const Model& model, std::span<const Patches> patches)
    : kernel_(std::make_unique<Kernel>()) {
  Kernel& k = *kernel_;
  // Our own loops are the parallel ones.
  k.device = rtcNewDevice("threads=1,set_affinity=0");
  if (k.device == nullptr) throw InternalError("picture: no ray-tracing device");
  k.scene = rtcNewScene(k.device);
  rtcSetSceneFlags(k.scene, RTC_SCENE_FLAG_ROBUST);
  const Box box = box_of(model);
  if (!box.is_empty()) {
    k.origin = box.center();
    k.radius = 0.5 * box.diagonal();
  }
  std::size_t points = 0;
  for (const Part& part : model.parts) points += part.mesh().points.size();
  const std::size_t triangles = triangle_count(model);
  if (triangles == 0) {
    rtcCommitScene(k.scene);
    return;
  }
  const RTCGeometry geometry = rtcNewGeometry(k.device, RTC_GEOMETRY_TYPE_TRIANGLE);
  auto* place = static_cast<float*>(rtcSetNewGeometryBuffer(
      geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 3 * sizeof(float), points));
  auto* corner = static_cast<unsigned*>(rtcSetNewGeometryBuffer(
      geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 3 * sizeof(unsigned), triangles));
  if (place == nullptr || corner == nullptr) throw std::bad_alloc();
  std::uint32_t base = 0;
  std::uint32_t patch_base = 0;
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    const Mesh& mesh = model.parts[p].mesh();
    for (const Point& point : mesh.points) {
      for (int axis = 0; axis < 3; ++axis) {
        *place++ = static_cast<float>(point[axis] - k.origin[axis]);
      }
    }
    const std::span<const PatchId> own =
        patches.empty() ? std::span<const PatchId>(mesh.patch_of) : patches[p].patch_of;
    std::uint32_t most = 0;
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
      for (const VertexId v : mesh.triangles[t].corner) *corner++ = base + v.value;
      const std::uint32_t patch = own.empty() ? 0 : own[t].value;
      if (patch != kNoIndex) most = std::max(most, patch + 1);
      k.patch_of.push_back(patch == kNoIndex ? kNoIndex : patch_base + patch);
    }
    base += static_cast<std::uint32_t>(mesh.points.size());
    patch_base += std::max(most, 1U);
  }
  rtcCommitGeometry(geometry);
  rtcAttachGeometry(k.scene, geometry);
  rtcReleaseGeometry(geometry);
  rtcCommitScene(k.scene);
}

RayScene::~RayScene() = default;

std::vector<Colour> RayScene::render(const Look& look, const std::vector<bool>& chosen) const {
  const auto columns = static_cast<std::size_t>(look.width * kSamplesPerSide);
  const auto rows = static_cast<std::size_t>(look.height * kSamplesPerSide);
  std::vector<SeenPixel> seen(columns * rows);
  parallel_ranges(rows, 8, [&](Range r) {
    for (std::size_t y = r.begin; y < r.end; ++y) {
      for (std::size_t x = 0; x < columns; ++x) {
        seen[y * columns + x] =
            kernel_->look_along(look, chosen, (static_cast<double>(x) + 0.5) / kSamplesPerSide,
                                (static_cast<double>(y) + 0.5) / kSamplesPerSide);
      }
    }
  });
  // A dark line where patches end, or where the surface jumps away.
  const auto ends = [&](const SeenPixel& a, const SeenPixel& b) {
    if (a.patch != b.patch) return true;
    return std::isfinite(a.depth) &&
           std::fabs(static_cast<double>(a.depth - b.depth)) > 12 * look.pixel;
  };
  std::vector<Colour> image(static_cast<std::size_t>(look.width * look.height));
  parallel_ranges(static_cast<std::size_t>(look.height), 16, [&](Range r) {
    for (std::size_t y = r.begin; y < r.end; ++y) {
      for (std::size_t x = 0; x < static_cast<std::size_t>(look.width); ++x) {
        double sum[3] = {};
        for (std::size_t i = 0; i < kSamplesPerSide * kSamplesPerSide; ++i) {
          const std::size_t sx = x * kSamplesPerSide + i % kSamplesPerSide,
                            sy = y * kSamplesPerSide + i / kSamplesPerSide;
          const SeenPixel& s = seen[sy * columns + sx];
          const bool line = (sx + 1 < columns && ends(s, seen[sy * columns + sx + 1])) ||
                            (sy + 1 < rows && ends(s, seen[(sy + 1) * columns + sx]));
          using palette::kEdge;
          sum[0] += line ? kEdge.red : static_cast<double>(s.red);
          sum[1] += line ? kEdge.green : static_cast<double>(s.green);
          sum[2] += line ? kEdge.blue : static_cast<double>(s.blue);
        }
        const auto mean = [&](int c) {
          return static_cast<std::uint8_t>(
              std::lround(sum[c] / (kSamplesPerSide * kSamplesPerSide)));
        };
        image[y * static_cast<std::size_t>(look.width) + x] = {mean(0), mean(1), mean(2)};
      }
    }
  });
  return image;
}

bool RayScene::is_hidden(const Point& p, const Look& look) const {
  const auto at = look.on_screen(p);
  RTCRayHit hit = kernel_->ray_at(look, at[0], at[1]);
  if (hit.ray.tnear >= hit.ray.tfar || !kernel_->intersect(hit)) return false;
  const double depth = 2 * kernel_->radius - (p - kernel_->origin).dot(look.back);
  return static_cast<double>(hit.ray.tfar) < depth - 3 * look.pixel;
}

}  // namespace aguja
