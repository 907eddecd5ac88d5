#pragma once
/// \file
/// Everything that is wrong with a model.

#include <memory>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <vector>

#include "aguja/inspect/profile.h"
#include "aguja/inspect/quality.h"
#include "aguja/mesh/patches.h"
#include "aguja/mesh/rim_survey.h"
#include "aguja/model/model.h"
#include "aguja/solid/anatomy.h"
#include "aguja/solid/certificate.h"

namespace aguja {

struct Check;

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
  /// Run beside those that are built in; see inspect/check.h. They must outlive the call.
  std::span<const Check> more_checks = {};
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
  std::vector<PartPair> pairs;             ///< parts that are not apart, worst first
  std::optional<Certificate> certificate;  ///< if it was asked for; the same as of `certify`
  std::vector<std::string> hints;          ///< what is seen only across parts, a sentence each

  /// Of findings that are not waived.
  [[nodiscard]] std::size_t count(Severity severity) const;
  [[nodiscard]] std::size_t waived() const;
};

/// What inspecting one part by itself gives, in the coordinates of its shape: no ids yet, no
/// severities, no name of the part. Parts of one shape share it.
struct PartInspection {
  Counts counts;
  std::vector<Finding> findings;
  std::vector<Waiting> waiting;
  std::optional<ToleranceProposal> proposed_tolerance;
  std::optional<Quality> quality;
  std::optional<ElementSizes> element_sizes;
  std::optional<Patches> patches;
  PartEvidence evidence;
};
using PartInspectionPtr = std::shared_ptr<const PartInspection>;

/// Runs all checks of parts on a shape. `unit` is what limits are resolved in. `mesh`: what is known
/// of the shape's mesh, and kept; null: nothing.
/// Cost     As `Anatomy`, plus O(k log k) for k defects.
[[nodiscard]] PartInspectionPtr inspect_shape(const Shape& shape, Intent intent, LengthUnit unit,
                                              const InspectOptions& options = {},
                                              StageTimes* times = nullptr,
                                              Progress* progress = nullptr,
                                              const KnownMeshPtr& mesh = nullptr);

/// The shape of a part that is inspected for it, and where it then lies. A placement that keeps
/// lengths and angles changes nothing that is looked for, so that instances share what is found;
/// under any other the shape is looked at as placed.
struct InspectedShape {
  const Shape& shape;
  Placement placement;
};
[[nodiscard]] InspectedShape inspected_shape(const Part& part);

/// Inspections of all parts, by part: of each `inspected_shape` once. `known`, by part if not empty,
/// holds those that are made already (null: not), and `meshes` likewise what is known of the parts'
/// meshes, and kept. Small shapes are looked at side by side, unless there are checks of others.
/// Errors   ArgumentError (more than the index types hold), Cancelled.
[[nodiscard]] std::vector<PartInspectionPtr> inspect_parts(
    const Model& model, std::vector<PartInspectionPtr> known = {},
    const InspectOptions& options = {}, StageTimes* times = nullptr, Progress* progress = nullptr,
    std::span<const KnownMeshPtr> meshes = {});

/// Inspections of all parts (`inspect_shape` of each `inspected_shape`, with the same options) as
/// one; with the checks of the model, ids, severities and waivers.
/// Cost     O(k log k) for k findings; if there are several parts, `relate_parts` and a survey of
///          open rims.
/// Errors   Cancelled.
[[nodiscard]] Inspection merged(const Model& model, std::span<const PartInspectionPtr> parts,
                                const InspectOptions& options = {}, StageTimes* times = nullptr,
                                Progress* progress = nullptr);

/// What the pair is found as; nothing of parts that only touch. Without its id.
[[nodiscard]] std::optional<Finding> pair_finding(const Model& model, const PartPair& pair);
/// Does a waiver of the profile say that the two parts are meant to lie so?
[[nodiscard]] bool is_meant(const Profile& profile, const Model& model, const PartPair& pair);

/// Runs all checks on each shape, then those on the model.
///
/// Promises
///  1. The model is not changed.
///  2. Each entity counts under its cause only: a symptom makes no finding of its own.
///  3. The same findings with the same ids for any order of triangles and number of threads (lists
///     of triangles name them by their number in the file).
///  4. Counts do not depend on which kinds are looked for.
///  5. A shape that several parts have is looked at once.
/// Cost     As `Anatomy`, plus O(k log k) for k defects.
/// Errors   ArgumentError (more than the index types hold), Cancelled.
[[nodiscard]] Inspection inspect(const Model& model, const InspectOptions& options = {},
                                 StageTimes* times = nullptr, Progress* progress = nullptr);

}  // namespace aguja
