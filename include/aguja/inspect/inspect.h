#pragma once
/// \file
/// Everything that is wrong with a model.

#include <optional>
#include <string>
#include <vector>

#include "aguja/inspect/finding.h"
#include "aguja/mesh/model.h"
#include "aguja/mesh/rim_survey.h"
#include "aguja/solid/anatomy.h"

namespace aguja {

/// Limits that checks hold sizes against; each finding repeats the one it was held against.
struct Limits {
  /// A component is a stray shell if its diagonal is at most this fraction of its part's.
  double stray_fraction = 0.01;
  /// A component is a sheet, not an open body, if the volume that it encloses when its rims are
  /// capped is less than area x diagonal x this.
  double sheet_fraction = 1e-5;
  /// Stretches of rim farther apart than this fraction of the part's diagonal do not face each
  /// other.
  double reach_fraction = 0.02;
  /// A model whose diagonal is outside these (in metres) is doubted to be in the right unit.
  double smallest_model = 1e-3;
  double largest_model = 1e2;
};

struct InspectOptions {
  Limits limits;
  /// What counts as a crack, in model units; if left out, what the widths propose.
  std::optional<double> tolerance = {};
};

/// A question that could not be asked yet, and what must be mended first.
struct Waiting {
  std::string part;
  FindingKind kind;       ///< what could not be looked for
  std::size_t count = 0;  ///< on how many shells
  FindingKind waits_for;
};

struct Inspection {
  Counts counts;                    ///< summed over parts
  std::vector<Counts> part_counts;  ///< by part
  std::vector<Finding> findings;    ///< worst first: severity, kind, measure
  std::vector<Waiting> waiting;
  /// For all parts: the largest of their proposals; empty if nothing needs stitching.
  std::optional<ToleranceProposal> proposed_tolerance;
  std::vector<std::string> hints;  ///< what is seen only across parts, a sentence each

  [[nodiscard]] std::size_t count(Severity severity) const;
};

/// Runs all registered checks on each part by itself, then those on the model.
///
/// Promises
///  1. The model is not changed.
///  2. Each entity counts under its cause only: a symptom makes no finding of its own.
///  3. The same findings with the same ids for any order of triangles and number of threads (lists
///     of triangles name them by their number in the file).
/// Cost     As `Anatomy`, plus O(k log k) for k defects.
/// Errors   ArgumentError (more than the index types hold), Cancelled.
[[nodiscard]] Inspection inspect(const Model& model, const InspectOptions& options = {},
                                 StageTimes* times = nullptr, Progress* progress = nullptr);

}  // namespace aguja
