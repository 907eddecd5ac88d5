#pragma once
/// \file
/// A number for every triangle, for colours in pictures and columns in files.

#include <string>
#include <vector>

#include "aguja/model/model.h"

namespace aguja {

/// By triangle, those of all parts one after another. NaN where there is none.
struct TriangleField {
  std::string slug;   ///< one word: "thickness"
  std::string title;  ///< for a legend: "thickness of the wall"
  std::string unit;   ///< "mm", "degrees", or empty
  std::vector<float> values;
  bool smaller_is_worse = false;
};

/// Longest side by the height on it; 1.1547 is best. NaN for triangles without area.
[[nodiscard]] TriangleField aspect_field(const Model& model);

/// Straight in from the middle of each triangle to the next triangle of its part that faces the
/// other way. NaN where the ray leaves without meeting one.
/// Cost     O(n log n), parallel; the same for any number of threads.
[[nodiscard]] TriangleField thickness_field(const Model& model);

/// The largest distance to `other` from the corners and the middle of each triangle; on large
/// triangles it may be exceeded between them (`compare` gives bounds).
/// Cost     O(n log m), parallel.
/// Errors   ArgumentError (`other` has no triangles).
[[nodiscard]] TriangleField deviation_field(const Model& model, const Model& other);

}  // namespace aguja
