#pragma once
// Recognises patches on one piece of a surface that nowhere turns sharply.

#include <array>
#include <bit>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include <Eigen/Core>

#include "aguja/mesh/patches.h"

namespace aguja {

// Points enough to fit any surface to; more only take time.
inline constexpr std::size_t kMostFitted = 160;

// Falls as the area rises; an order even where an area is no number.
inline std::uint32_t falling_key(float area) { return ~std::bit_cast<std::uint32_t>(area); }

// Triangles with numbers of their own, each with three different corners; across sides at which the
// surface does not turn sharply they hang together, and with no others.
struct SmoothPiece {
  std::span<const Point> points;
  std::span<const Triangle> triangles;
  std::span<const Eigen::Vector3f> normals;  // 0 where a triangle has no area
  std::span<const float> areas;
  // By triangle and side: the triangle across; kNoIndex where the piece ends.
  std::span<const std::array<std::uint32_t, 3>> neighbours;
};

struct RecognisedPiece {
  struct Found {
    Patch patch;
    // The largest facets come first; what nothing explains comes last.
    int pass = 0;
    float facet_area = 0;
    float seed_area = 0;
    std::uint32_t seed = 0;  // a triangle
  };
  std::vector<PatchId> patch_of;  // by triangle
  std::vector<Found> patches;
};

// Piece after piece in the same memory. What is found depends on the piece alone.
// Cost     O(n log n) for n triangles, with some 40 bytes for each.
class PatchRecogniser {
 public:
  explicit PatchRecogniser(double fit);
  ~PatchRecogniser();
  PatchRecogniser(const PatchRecogniser&) = delete;
  PatchRecogniser& operator=(const PatchRecogniser&) = delete;

  [[nodiscard]] RecognisedPiece recognise(const SmoothPiece& piece);

 private:
  class Work;
  std::unique_ptr<Work> work_;
};

}  // namespace aguja
