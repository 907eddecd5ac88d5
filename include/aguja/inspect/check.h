#pragma once
/// \file
/// Checks: each turns what is known of a part, or of the whole model, into findings. To add one of
/// your own, fill in a `Check` and hand it to `inspect` (`InspectOptions::more_checks`).

#include <cstdint>
#include <functional>
#include <span>
#include <string_view>
#include <vector>

#include "aguja/inspect/inspect.h"

namespace aguja {

class Causes;
class JoinedSurface;
struct Material;

/// What a check sees of a part, in the coordinates of its shape.
struct PartView {
  const Shape& shape;
  const Anatomy& anatomy;
  const Causes& causes;
  const RimSurvey& survey;
  const JoinedSurface& joined;
  /// Only where it cannot be told from closed shells alone.
  const std::optional<Material>& material;
  /// Only if a check that is wanted asks for it.
  const std::optional<Patches>& patches;
  const ResolvedLimits& limits;
  Intent intent;
};

/// What a finding is about, as a number. It does not depend on the order in which things are added.
/// Findings are known by it from run to run, so nothing measured goes into it, no setting, and no
/// number that depends on either.
class Identity {
 public:
  void add_points(std::span<const Point> points);
  /// The number that a file gives an entity.
  void add_entity(std::uint64_t entity) { add(1, entity); }
  /// Of something that has no other name: its place in a list that its file determines.
  void add_number(std::uint64_t number) { add(2, number); }
  void add_word(std::string_view word);
  void add_placement(const Placement& placement);
  [[nodiscard]] std::uint64_t value() const;

 private:
  void add(std::uint64_t tag, std::uint64_t value);
  std::uint64_t sum_ = 0;
};

/// Collects the findings of one part, or those of the whole model, and completes them.
class FindingSink {
 public:
  /// Of a part: its shape. Of the model: null; findings name their parts, one or several, by
  /// themselves then.
  FindingSink(const Shape* shape, const InspectOptions& options)
      : shape_(shape), options_(options) {}

  /// `geometry`: all points of the entities, in any order; the finding is known by them or, where
  /// the shape was made of surfaces, by the faces that the triangles belong to.
  void add(Finding finding, std::span<const Point> geometry,
           std::vector<TriangleId> triangles = {});
  void add(Finding finding, const Identity& identity, std::vector<TriangleId> triangles = {});
  void wait(FindingKind kind, std::size_t count, FindingKind waits_for);
  [[nodiscard]] bool wants(FindingKind kind) const;

  /// How many findings of the kind there were, wanted or not.
  [[nodiscard]] std::size_t seen(FindingKind kind) const;

  /// After all checks: of what findings wait for, only what is there is left.
  void settle_waiting();
  [[nodiscard]] std::vector<Finding> take_findings() { return std::move(findings_); }
  [[nodiscard]] std::vector<Waiting> take_waiting() { return std::move(waiting_); }

 private:
  const Shape* shape_;
  const InspectOptions& options_;
  std::vector<std::size_t> seen_;  // by kind
  std::vector<Finding> findings_;
  std::vector<Waiting> waiting_;
};

struct Check {
  std::string_view name;  ///< also of its stage in timings
  std::vector<FindingKind> kinds;
  bool needs_patches = false;
  /// What it finds is counted (`Counts`), whatever is asked for: it always runs.
  bool is_counted = false;
  // One of the two:
  std::function<void(const PartView&, FindingSink&)> on_part = {};
  std::function<void(const Model&, const ResolvedLimits&, FindingSink&)> on_model = {};
};

/// Those that are built in, from cheap to dear.
[[nodiscard]] std::span<const Check> all_checks();

}  // namespace aguja
