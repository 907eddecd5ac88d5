#pragma once
/// \file
/// How far two models lie apart, and where.

#include <optional>
#include <string>
#include <vector>

#include "aguja/base/progress.h"
#include "aguja/model/model.h"

namespace aguja {

struct DeviationOptions {
  /// The largest distance is known to within this; if left out, to a hundredth of itself, but not
  /// below a millionth of the models' diagonal.
  std::optional<double> accuracy = {};
};

struct PatchDeviation {
  std::string part;
  std::string patch;  ///< its name, or its number
  double largest = 0;
  double mean = 0;
  Point at = Point::Zero();
};

/// From the points of one surface to another surface.
struct OneWayDeviation {
  double largest = 0;  ///< found at `at`; the true one is at most `largest_error` more
  double largest_error = 0;
  double mean = 0;  ///< over the area; the true one is within `mean_error`
  double mean_error = 0;
  Point at = Point::Zero();
  Point nearest = Point::Zero();        ///< the place on the other surface that is nearest to `at`
  std::vector<PatchDeviation> patches;  ///< largest first
};

struct Deviation {
  OneWayDeviation a_to_b;
  OneWayDeviation b_to_a;
  [[nodiscard]] double largest() const { return std::max(a_to_b.largest, b_to_a.largest); }
};

/// From all points of `from` to `to`, one way. As `compare` else.
[[nodiscard]] OneWayDeviation one_way_deviation(const Model& from, const Model& to,
                                                const DeviationOptions& options = {},
                                                Progress* progress = nullptr);

/// Both ways. The models must be in the same unit; all parts of each are one surface.
///
/// Guarantee  The bounds hold up to the rounding of double arithmetic: distance to one triangle is a
///            convex function, so over a piece of the other surface it is largest at a corner;
///            pieces are divided until that bound is near enough to a distance really found.
/// Cost       O(n log m) and as many pieces as the shapes differ in; parallel; the same for any
///            number of threads.
/// Errors     ArgumentError (a model without triangles; accuracy not above 0), Cancelled.
[[nodiscard]] Deviation compare(const Model& a, const Model& b,
                                const DeviationOptions& options = {}, Progress* progress = nullptr);

}  // namespace aguja
