#include "report/ray_scene.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include <embree3/rtcore.h>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"

namespace aguja {
namespace {

constexpr float kFar = std::numeric_limits<float>::infinity();

// What one sample sees.
struct SeenPixel {
  float red = 0, green = 0, blue = 0;
  std::uint32_t patch = kNoIndex;
  float depth = kFar;
  bool is_patterned = false;  // stripes or dots, which change within pixels
  std::uint32_t met = 0;      // a digest of the triangles that are seen
};

// Where a ray meets a triangle.
struct Met {
  float along;
  float normal[3];
  std::uint32_t triangle;
};

// Rays side by side, which meet nearly the same.
constexpr std::size_t kBeam = 8;
struct Beam {
  std::array<double, kBeam> x, y;
  std::size_t size = 0;
  std::array<std::vector<Met>, kBeam> met;  // by each ray, nearest first

  void add(std::size_t column, std::size_t row, double across, double down) {
    x[size] = static_cast<double>(column) + across;
    y[size++] = static_cast<double>(row) + down;
  }
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
    // The kernel knows no numbers beyond this; nothing is seen there.
    constexpr double kBeyondRays = 1e18;
    if (!(start.cwiseAbs().maxCoeff() < kBeyondRays) || start.hasNaN()) {
      hit.ray.dir_z = 1;
      hit.ray.tfar = -1;
      return hit;
    }
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
    if (!(hit.ray.tnear < hit.ray.tfar)) return false;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    hit.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    rtcIntersect1(scene, &context, &hit);
    return hit.hit.geomID != RTC_INVALID_GEOMETRY_ID;
  }

  // Above the eye.
  [[nodiscard]] static Vector lamp_of(const Look& look) {
    return (0.3 * look.right + 0.45 * look.up + look.back).normalized();
  }

  // Where between two lines of a pattern; `at` >= 0.
  static double within(double at, int apart) { return at - apart * static_cast<int>(at / apart); }
  // Back sides are striped, what is chosen is dotted.
  [[nodiscard]] SeenPixel shade(const Met& met, const Look& look, const Vector& lamp, bool chosen,
                                double x, double y) const {
    using namespace palette;
    const Vector n(met.normal[0], met.normal[1], met.normal[2]);
    const bool from_behind = n.dot(look.back) < 0;
    const double length = n.norm();
    const double facing = from_behind ? -n.dot(lamp) : n.dot(lamp);
    const double light = 0.52 + 0.5 * (facing > 0 ? facing / length : 0);
    Colour colour = kFront;
    if (from_behind) {
      const bool stripe = within(x + y, 9) < 4.5;
      colour = stripe ? (chosen ? kMark : kBackA) : kBackB;
    } else if (chosen) {
      const double dx = within(x, 7) - 3.5, dy = within(y, 7) - 3.5;
      colour = dx * dx + dy * dy < 2.6 ? kPanel : kMark;
    }
    const auto lit = [&](std::uint8_t c) { return static_cast<float>(std::min(255.0, light * c)); };
    return {lit(colour.red),        lit(colour.green), lit(colour.blue),
            patch_of[met.triangle], met.along,         from_behind || chosen};
  }

  // What each ray meets: the nearest, or all of it, asked for at once and not layer by layer.
  void intersect(const Look& look, Beam& beam) const {
    struct Gathering {
      RTCIntersectContext context;  // first: Embree hands it back
      Beam* beam;
    };
    Gathering gathering{};
    rtcInitIntersectContext(&gathering.context);
    gathering.context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
    gathering.beam = &beam;
    if (look.see_through) {
      gathering.context.filter = [](const RTCFilterFunctionNArguments* args) {
        for (unsigned i = 0; i < args->N; ++i) {
          if (args->valid[i] != -1) continue;
          const RTCHit hit = rtcGetHitFromHitN(args->hit, args->N, i);
          const unsigned ray = RTCRayN_id(args->ray, args->N, i);
          reinterpret_cast<const Gathering*>(args->context)
              ->beam->met[ray]
              .push_back({RTCRayN_tfar(args->ray, args->N, i),
                          {hit.Ng_x, hit.Ng_y, hit.Ng_z},
                          hit.primID});
          args->valid[i] = 0;  // on to the next
        }
      };
    }
    alignas(32) RTCRayHit8 rays{};
    alignas(32) int valid[kBeam] = {};
    for (std::size_t i = 0; i < beam.size; ++i) {
      beam.met[i].clear();
      const RTCRay ray = ray_at(look, beam.x[i], beam.y[i]).ray;
      valid[i] = ray.tnear < ray.tfar ? -1 : 0;
      RTCRay8& all = rays.ray;
      all.org_x[i] = ray.org_x, all.org_y[i] = ray.org_y, all.org_z[i] = ray.org_z;
      all.dir_x[i] = ray.dir_x, all.dir_y[i] = ray.dir_y, all.dir_z[i] = ray.dir_z;
      all.tnear[i] = ray.tnear, all.tfar[i] = ray.tfar;
      all.mask[i] = ray.mask;
      all.id[i] = static_cast<unsigned>(i);
      rays.hit.geomID[i] = RTC_INVALID_GEOMETRY_ID;
    }
    rtcIntersect8(valid, scene, &gathering.context, &rays);
    for (std::size_t i = 0; i < beam.size; ++i) {
      if (valid[i] != 0 && rays.hit.geomID[i] != RTC_INVALID_GEOMETRY_ID) {
        beam.met[i].push_back({rays.ray.tfar[i],
                               {rays.hit.Ng_x[i], rays.hit.Ng_y[i], rays.hit.Ng_z[i]},
                               rays.hit.primID[i]});
      }
      if (beam.met[i].size() < 2) continue;
      std::sort(beam.met[i].begin(), beam.met[i].end(), [](const Met& a, const Met& b) {
        return std::pair(a.along, a.triangle) < std::pair(b.along, b.triangle);
      });
    }
  }

  [[nodiscard]] SeenPixel seen_along(const Look& look, const Vector& lamp,
                                     const std::vector<bool>& chosen, double x, double y,
                                     std::span<const Met> all) const {
    SeenPixel seen;
    float left = 1;  // how much still comes through
    int layers = 0;
    float last = -kFar;
    constexpr int kMostLayers = 12;
    constexpr float kVeil = 0.17F;
    for (const Met& met : all) {
      if (layers == kMostLayers || left <= 0) break;
      // What lies on each other is one layer.
      if (met.along <= last + static_cast<float>(1e-6 * radius)) continue;
      last = met.along;
      ++layers;
      seen.met = (seen.met + met.triangle + 1) * 0x9E3779B1U;
      const bool own = chosen[met.triangle];
      const SeenPixel here = shade(met, look, lamp, own, x, y);
      const float share = look.see_through && !own ? kVeil : 1.0F;
      seen.red += left * share * here.red;
      seen.green += left * share * here.green;
      seen.blue += left * share * here.blue;
      left *= 1 - share;
      // Of what is seen through, stripes are faint.
      seen.is_patterned = seen.is_patterned || (here.is_patterned && share == 1);
      if (seen.depth == kFar) {
        seen.patch = here.patch;
        seen.depth = here.depth;
      }
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
  // Its number of threads would be that of all loops of the process.
  k.device = rtcNewDevice("set_affinity=0");
  if (k.device == nullptr) throw InternalError("picture: no ray-tracing device");
  k.scene = rtcNewScene(k.device);
  rtcSetSceneFlags(k.scene, static_cast<RTCSceneFlags>(RTC_SCENE_FLAG_ROBUST |
                                                       RTC_SCENE_FLAG_CONTEXT_FILTER_FUNCTION));
  rtcSetSceneBuildQuality(k.scene, RTC_BUILD_QUALITY_HIGH);
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
    const std::span<const PatchId> own = patches.empty()
                                             ? std::span<const PatchId>(mesh.patch_of)
                                             : std::span<const PatchId>(patches[p].patch_of);
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

namespace {

// A picture in the making: one sample in the middle of each pixel, and four of those pixels around
// which something changes.
class Samples {
 public:
  // `meet`: the rays of a beam. `see`: what they met, at a place of the picture.
  template <class Meet, class See>
  Samples(int width, int height, double pixel, const Meet& meet, const See& see)
      : width_(static_cast<std::size_t>(width)),
        height_(static_cast<std::size_t>(height)),
        farthest_(12 * pixel),
        middle_(width_ * height_),
        finer_(width_ * height_, kNoIndex) {
    parallel_ranges(height_, 8, [&](Range r) {
      Beam beam;
      for (std::size_t y = r.begin; y < r.end; ++y) {
        for (std::size_t x = 0; x < width_; x += beam.size) {
          beam.size = 0;
          while (beam.size < kBeam && x + beam.size < width_) beam.add(x + beam.size, y, 0.5, 0.5);
          meet(beam);
          for (std::size_t i = 0; i < beam.size; ++i) {
            middle_[y * width_ + x + i] = see(beam.met[i], beam.x[i], beam.y[i]);
          }
        }
      }
    });
    std::uint32_t count = 0;
    for (std::size_t y = 0; y < height_; ++y) {
      for (std::size_t x = 0; x < width_; ++x) {
        if (changes_around(x, y)) finer_[y * width_ + x] = count++;
      }
    }
    fine_.resize(count);
    parallel_ranges(height_, 8, [&](Range r) {
      for (std::size_t y = r.begin; y < r.end; ++y) refine(y, meet, see);
    });
  }

  [[nodiscard]] std::vector<Colour> image() const {
    std::vector<Colour> out(middle_.size());
    over_rows([&](std::size_t x, std::size_t y) {
      const std::size_t at = y * width_ + x;
      double sum[3] = {};
      const std::size_t count = finer_[at] == kNoIndex ? 1 : kFine;
      for (std::size_t i = 0; i < count; ++i) {
        const SeenPixel& s = count == 1 ? middle_[at] : fine_[finer_[at]][i];
        using palette::kEdge;
        const bool line = count > 1 && is_line(x, y, i);
        sum[0] += line ? kEdge.red : static_cast<double>(s.red);
        sum[1] += line ? kEdge.green : static_cast<double>(s.green);
        sum[2] += line ? kEdge.blue : static_cast<double>(s.blue);
      }
      const auto mean = [&](int c) {
        return static_cast<std::uint8_t>(std::lround(sum[c] / static_cast<double>(count)));
      };
      out[at] = {mean(0), mean(1), mean(2)};
    });
    return out;
  }

 private:
  static constexpr std::size_t kSide = 2, kFine = kSide * kSide;
  static double part_of(std::size_t i) { return (static_cast<double>(i) + 0.5) / kSide; }

  template <class Meet, class See>
  void refine(std::size_t y, const Meet& meet, const See& see) {
    Beam finer, middles;
    std::array<std::size_t, kBeam> pixel;  // of a ray of `middles`
    const auto end_finer = [&] {
      meet(finer);
      for (std::size_t i = 0; i < finer.size; ++i) {
        const auto x = static_cast<std::size_t>(finer.x[i]);
        fine_[finer_[y * width_ + x]][i % kFine] = see(finer.met[i], finer.x[i], finer.y[i]);
      }
      finer.size = 0;
    };
    // The same triangles all around: only the pattern changes.
    const auto end_middles = [&] {
      meet(middles);
      for (std::size_t i = 0; i < middles.size; ++i) {
        for (std::size_t k = 0; k < kFine; ++k) {
          fine_[finer_[y * width_ + pixel[i]]][k] =
              see(middles.met[i], static_cast<double>(pixel[i]) + part_of(k % kSide),
                  static_cast<double>(y) + part_of(k / kSide));
        }
      }
      middles.size = 0;
    };
    for (std::size_t x = 0; x < width_; ++x) {
      if (finer_[y * width_ + x] == kNoIndex) continue;
      if (is_within_one(x, y)) {
        pixel[middles.size] = x;
        middles.add(x, y, 0.5, 0.5);
        if (middles.size == kBeam) end_middles();
        continue;
      }
      for (std::size_t k = 0; k < kFine; ++k)
        finer.add(x, y, part_of(k % kSide), part_of(k / kSide));
      if (finer.size == kBeam) end_finer();
    }
    if (finer.size > 0) end_finer();
    if (middles.size > 0) end_middles();
  }
  template <class Work>
  void over_rows(const Work& work) const {
    parallel_ranges(height_, 8, [&](Range r) {
      for (std::size_t y = r.begin; y < r.end; ++y) {
        for (std::size_t x = 0; x < width_; ++x) work(x, y);
      }
    });
  }
  // A dark line where patches end, or where the surface jumps away.
  [[nodiscard]] bool ends(const SeenPixel& a, const SeenPixel& b) const {
    if (a.patch != b.patch || std::isfinite(a.depth) != std::isfinite(b.depth)) return true;
    return std::isfinite(a.depth) && std::fabs(static_cast<double>(a.depth - b.depth)) > farthest_;
  }
  template <class Differs>
  [[nodiscard]] bool any_beside(std::size_t x, std::size_t y, const Differs& differs) const {
    const std::size_t at = y * width_ + x;
    return (x > 0 && differs(middle_[at - 1])) || (x + 1 < width_ && differs(middle_[at + 1])) ||
           (y > 0 && differs(middle_[at - width_])) ||
           (y + 1 < height_ && differs(middle_[at + width_]));
  }
  [[nodiscard]] bool changes_around(std::size_t x, std::size_t y) const {
    const SeenPixel& own = middle_[y * width_ + x];
    if (own.is_patterned) return true;
    return any_beside(x, y, [&](const SeenPixel& s) {
      constexpr float kSeenDifference = 14;
      return s.is_patterned || ends(own, s) || std::fabs(own.red - s.red) > kSeenDifference ||
             std::fabs(own.green - s.green) > kSeenDifference ||
             std::fabs(own.blue - s.blue) > kSeenDifference;
    });
  }
  [[nodiscard]] bool is_within_one(std::size_t x, std::size_t y) const {
    const SeenPixel& own = middle_[y * width_ + x];
    return !any_beside(x, y, [&](const SeenPixel& s) { return s.met != own.met || ends(own, s); });
  }
  // The sample at a place among finer ones.
  [[nodiscard]] const SeenPixel& at(std::size_t sx, std::size_t sy) const {
    const std::size_t pixel = sy / kSide * width_ + sx / kSide;
    if (finer_[pixel] == kNoIndex) return middle_[pixel];
    return fine_[finer_[pixel]][sy % kSide * kSide + sx % kSide];
  }
  [[nodiscard]] bool is_line(std::size_t x, std::size_t y, std::size_t i) const {
    const std::size_t sx = x * kSide + i % kSide, sy = y * kSide + i / kSide;
    const SeenPixel& own = at(sx, sy);
    return (sx + 1 < width_ * kSide && ends(own, at(sx + 1, sy))) ||
           (sy + 1 < height_ * kSide && ends(own, at(sx, sy + 1)));
  }

  std::size_t width_, height_;
  double farthest_;
  std::vector<SeenPixel> middle_;
  std::vector<std::uint32_t> finer_;  // by pixel: its number in `fine_`, or none
  std::vector<std::array<SeenPixel, kFine>> fine_;
};

}  // namespace

std::vector<Colour> RayScene::render(const Look& look, const std::vector<bool>& chosen) const {
  const Vector lamp = Kernel::lamp_of(look);
  const auto meet = [&](Beam& beam) { kernel_->intersect(look, beam); };
  const auto see = [&](std::span<const Met> met, double x, double y) {
    return kernel_->seen_along(look, lamp, chosen, x, y, met);
  };
  return Samples(look.width, look.height, look.pixel, meet, see).image();
}

bool RayScene::is_hidden(const Point& p, const Look& look) const {
  const auto at = look.on_screen(p);
  RTCRayHit hit = kernel_->ray_at(look, at[0], at[1]);
  if (hit.ray.tnear >= hit.ray.tfar || !kernel_->intersect(hit)) return false;
  const double depth = 2 * kernel_->radius - (p - kernel_->origin).dot(look.back);
  return static_cast<double>(hit.ray.tfar) < depth - 3 * look.pixel;
}

}  // namespace aguja
