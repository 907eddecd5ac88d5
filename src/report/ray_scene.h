#pragma once
// A model seen along parallel rays: the image without its text.

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "aguja/mesh/patches.h"
#include "aguja/model/model.h"

namespace aguja {

/// From where, and how much of it. Parallel rays, so that lengths can be read off.
struct Look {
  Vector right, up, back;        ///< unit; `back` points to the eye
  Point center = Point::Zero();  ///< in the middle of the image
  double pixel = 1;              ///< model units
  int width = 0, height = 0;     ///< pixels
  std::optional<Vector> normal;  ///< of a section: what lies beyond n.x = offset is away
  double offset = 0;
  bool see_through = false;  ///< all but what is chosen

  /// Pixels from the upper left.
  [[nodiscard]] std::array<double, 2> on_screen(const Point& p) const {
    return {0.5 * width + (p - center).dot(right) / pixel,
            0.5 * height - (p - center).dot(up) / pixel};
  }
};

struct Colour {
  std::uint8_t red, green, blue;
};
/// The colours of pictures; those of the page in the light.
namespace palette {
inline constexpr Colour kGround{236, 229, 214}, kInk{35, 49, 59}, kSoft{95, 107, 114},
    kThread{29, 79, 145}, kMark{184, 106, 0}, kFront{217, 205, 180}, kBackA{143, 179, 181},
    kBackB{201, 220, 218}, kEdge{74, 84, 91}, kPanel{251, 248, 241};
}  // namespace palette

class RayScene {
 public:
  /// `patches`: by part; empty: what the file brings.
  RayScene(const Model& model, std::span<const Patches> patches);
  RayScene(const RayScene&) = delete;
  RayScene& operator=(const RayScene&) = delete;
  ~RayScene();

  /// `chosen`: by triangle of all parts. Rows from above. Parallel, the same for any number of
  /// threads.
  [[nodiscard]] std::vector<Colour> render(const Look& look, const std::vector<bool>& chosen) const;
  /// Does something lie between `p` and the eye? What lies nearer to `p` than a few pixels does not
  /// count.
  [[nodiscard]] bool is_hidden(const Point& p, const Look& look) const;

 private:
  struct Kernel;
  std::unique_ptr<Kernel> kernel_;
};

}  // namespace aguja
