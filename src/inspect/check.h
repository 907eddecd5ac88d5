#pragma once
// A check turns what is known of a part into findings. To add one: write its file in checks/,
// declare it below, and add its line to the registry in check.cpp.

#include <span>
#include <string_view>

#include "aguja/mesh/joined_surface.h"
#include "aguja/mesh/patches.h"
#include "aguja/solid/material.h"
#include "inspect/causes.h"

namespace aguja {

/// What a check sees of a part.
struct PartView {
  const Part& part;
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

/// Collects findings and completes them: severity, part, id, list of triangles.
class FindingSink {
 public:
  /// `part_index`: empty for the whole model.
  FindingSink(const Model& model, std::optional<std::size_t> part_index,
              const InspectOptions& options, Inspection& inspection);

  /// `geometry`: all points of the entities, in any order; the id is made of them.
  void add(Finding finding, std::span<const Point> geometry,
           std::vector<TriangleId> triangles = {});
  void wait(FindingKind kind, std::size_t count, FindingKind waits_for);
  [[nodiscard]] bool wants(FindingKind kind) const;
  /// After all checks: of what findings wait for, only what this part has is left.
  void settle_waiting();

  /// Is there a finding of one of these kinds in this part?
  [[nodiscard]] bool has_found(std::initializer_list<FindingKind> kinds) const;
  void count_inverted_shell() { ++inverted_shells_; }
  [[nodiscard]] std::size_t inverted_shells() const { return inverted_shells_; }

 private:
  std::string part_;
  std::optional<std::size_t> part_index_;
  const InspectOptions& options_;
  std::size_t first_;
  std::size_t inverted_shells_ = 0;
  Inspection& inspection_;
};

using PartCheck = void (*)(const PartView&, FindingSink&);
using ModelCheck = void (*)(const Model&, const ResolvedLimits&, FindingSink&);

struct RegisteredCheck {
  std::string_view name;  // also the name of its stage in timings
  std::vector<FindingKind> kinds;
  bool needs_patches = false;
  PartCheck on_part = nullptr;
  ModelCheck on_model = nullptr;
};
[[nodiscard]] std::span<const RegisteredCheck> registered_checks();

/// Triangles that lie back on two neighbours at least, each with the least angle; nothing else is
/// told of them.
struct FoldedTriangle {
  TriangleId triangle;
  double angle;  // degrees
};
[[nodiscard]] std::vector<FoldedTriangle> find_folded(const PartView& view);

void check_rims(const PartView& view, FindingSink& sink);
void check_nonmanifold_edges(const PartView& view, FindingSink& sink);
void check_wire_edges(const PartView& view, FindingSink& sink);
void check_nonmanifold_vertices(const PartView& view, FindingSink& sink);
void check_unused_vertices(const PartView& view, FindingSink& sink);
void check_zero_area(const PartView& view, FindingSink& sink);
void check_duplicates(const PartView& view, FindingSink& sink);
void check_winding(const PartView& view, FindingSink& sink);
void check_closed_shells(const PartView& view, FindingSink& sink);
void check_crossings(const PartView& view, FindingSink& sink);
void check_stray_shells(const PartView& view, FindingSink& sink);
void check_internal_faces(const PartView& view, FindingSink& sink);
void check_inverted_patches(const PartView& view, FindingSink& sink);
void check_loose_sheets(const PartView& view, FindingSink& sink);
void check_hanging_vertices(const PartView& view, FindingSink& sink);
void check_near_vertices(const PartView& view, FindingSink& sink);
void check_slivers(const PartView& view, FindingSink& sink);
void check_folded(const PartView& view, FindingSink& sink);
void check_stored_normals(const PartView& view, FindingSink& sink);
void check_patches(const PartView& view, FindingSink& sink);
void check_thin_walls(const PartView& view, FindingSink& sink);
void check_narrow_slots(const PartView& view, FindingSink& sink);
void check_decimals(const PartView& view, FindingSink& sink);
void check_precision(const Model& model, const ResolvedLimits& limits, FindingSink& sink);
void check_unit(const Model& model, const ResolvedLimits& limits, FindingSink& sink);

}  // namespace aguja
