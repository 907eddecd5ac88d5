#pragma once
// Garza's pod and clamp as surface models: clean ones, and ones with what is often wrong.

#include <optional>
#include <string>
#include <vector>

#include "demo/drawing.h"
#include "demo/seeded.h"

namespace aguja::demo {

/// The pod without ports and bolts: a hull with a rounded keel, a flange, a neck with a chamfer; a
/// domed cavity.
[[nodiscard]] DrawnBody draw_pod();
/// A split ring with two bolt holes.
[[nodiscard]] DrawnBody draw_clamp();

struct SurfaceDemo {
  std::string name;  ///< file name with extension
  std::string what;
  std::string text;
  std::vector<SeededDefect> defects;
  std::optional<double> volume;         ///< closed form, of the body as it should be
  std::optional<double> sew_tolerance;  ///< joins everything
};
[[nodiscard]] std::vector<SurfaceDemo> surface_demos();

}  // namespace aguja::demo
