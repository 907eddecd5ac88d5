#pragma once
/// \file
/// Everything that is wrong with a model.

#include <optional>
#include <set>
#include <string>
#include <vector>

#include "aguja/inspect/profile.h"
#include "aguja/inspect/quality.h"
#include "aguja/mesh/model.h"
#include "aguja/mesh/patches.h"
#include "aguja/mesh/rim_survey.h"
#include "aguja/solid/anatomy.h"
#include "aguja/solid/certificate.h"

namespace aguja {

/// A finding from elsewhere, of the surfaces that a model was made from, say: `inspect` gives it
/// its severity, id, waiver and place in the order. `geometry` is what its id is made of.
struct GivenFinding {
  Finding finding;  ///< with its `part_index`, or none for the whole model
  std::vector<Point> geometry;
  std::vector<TriangleId> triangles;
};

struct InspectOptions {
  Profile profile;
  /// Only these kinds are looked for; empty: all that the profile does not skip.
  std::set<FindingKind> only = {};
  /// A finding lists at most so many of its triangles.
  std::size_t most_triangles = kMostListed;
  static constexpr std::size_t kMostListed = 100;
  /// Keep the patches that were recognised, for who shows them.
  bool keep_patches = false;
  /// Give the verdict, too, from what is looked at anyway.
  bool certify = false;
  std::vector<GivenFinding> given = {};
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
  std::vector<Finding> findings;    ///< worst first: waived last, severity, kind, measure
  std::vector<Waiting> waiting;
  /// For all parts: the largest of their proposals; empty if nothing needs stitching.
  std::optional<ToleranceProposal> proposed_tolerance;
  /// Where the profile gives an element size.
  std::optional<Quality> quality;
  std::optional<ElementSizes> element_sizes;
  std::vector<Patches> patches;            ///< by part, if they were to be kept
  std::optional<Certificate> certificate;  ///< if it was asked for; the same as of `certify`
  std::vector<std::string> hints;          ///< what is seen only across parts, a sentence each

  /// Of findings that are not waived.
  [[nodiscard]] std::size_t count(Severity severity) const;
  [[nodiscard]] std::size_t waived() const;
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
