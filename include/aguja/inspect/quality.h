#pragma once
/// \file
/// How good the triangles are as elements, and which element sizes suit the model.

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "aguja/inspect/profile.h"
#include "aguja/mesh/patches.h"
#include "aguja/solid/anatomy.h"

namespace aguja {

/// One measure of all triangles that have an area.
struct QualityMeasure {
  double least = 0;
  double mean = 0;
  double largest = 0;
  std::optional<double> limit;  ///< empty: none is set for this measure
  std::size_t beyond = 0;       ///< triangles on the wrong side of the limit
  /// Counts between bounds: `counts[i]` of those in [bounds[i], bounds[i + 1]), the last one
  /// closed; what lies outside of all bounds is in the first or last.
  std::vector<double> bounds;
  std::vector<std::size_t> counts;
};

struct Quality {
  std::size_t triangles = 0;    ///< with an area
  std::size_t beyond = 0;       ///< beyond any of the limits
  QualityMeasure aspect_ratio;  ///< longest side by the height on it; 1.1547 is best
  QualityMeasure least_angle;   ///< degrees; 60 is best
  QualityMeasure largest_angle;
  QualityMeasure edge_ratio;   ///< longest side by shortest
  QualityMeasure edge_length;  ///< longest sides, in model units
};

/// Cost     A pass over the triangles; parallel, the same for any number of threads.
[[nodiscard]] Quality measure_quality(const Anatomy& anatomy, const ResolvedLimits& limits);

/// Of all parts together.
[[nodiscard]] Quality combined(const Quality& a, const Quality& b);

/// A proposal for the elements of a mesh.
struct ElementSizes {
  double least = 0;              ///< model units: smaller ones only follow defects
  double largest = 0;            ///< larger ones lose the shape
  std::vector<std::string> why;  ///< a sentence for each
};

/// From the sizes of patches, their borders and radii: `least` is the smallest feature that is not
/// below the limits that make it a finding, `largest` a tenth of the diagonal or half of the
/// shortest side of the part's box, whichever is less.
[[nodiscard]] ElementSizes propose_sizes(const Anatomy& anatomy, const Patches& patches,
                                         const ResolvedLimits& limits);

}  // namespace aguja
