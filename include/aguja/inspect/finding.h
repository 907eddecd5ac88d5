#pragma once
/// \file
/// Findings: what is wrong, where, how large, and what would mend it.

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "aguja/geometry/box.h"
#include "aguja/mesh/ids.h"

namespace aguja {

/// A kind of defect; its name with hyphens is its slug in JSON, plans and docs.
enum class FindingKind : std::uint8_t {
  crack,
  gap,
  opening,
  sheet_border,
  nonmanifold_edge,
  hanging_vertex,
  short_edge,
  wire_edge,
  nonmanifold_vertex,
  near_vertices,
  unused_vertex,
  zero_area,
  sliver_triangle,
  duplicate_triangle,
  back_to_back,
  folded_triangle,
  winding_conflict,
  inverted_patch,
  inverted_shell,
  normal_mismatch,
  crossing,
  overlap,
  touch,
  internal_face,
  stray_shell,
  loose_sheet,
  zero_volume,
  nesting,
  sliver_patch,
  tiny_patch,
  acute_corner,
  knife_edge,
  split_patch,
  runaway_face,
  thin_wall,
  narrow_slot,
  interference,
  enclosed_part,
  duplicate_part,
  unit_doubt,
  precision_doubt,
  element_quality,
  open_loop,
  loop_crossing,
  edge_off_surface,
  vertex_off_edge,
  unshared_edge,
  reversed_face,
  singular_surface,
  curvature_jump,
};

/// A volume mesher will fail or fill the wrong space; quality or time will suffer; good to know.
enum class Severity : std::uint8_t { error, warning, note };

/// What `Finding::measure` measures: powers of the model's unit of length, degrees, or a number.
enum class Dimension : std::uint8_t { count, length, area, volume, angle, ratio };

/// What is known about a kind, whatever the model: the one source for the tool's texts and
/// docs/kinds.md.
struct KindInfo {
  FindingKind kind;
  std::string_view slug;
  std::string_view family;
  Severity severity;  ///< unless the profile says otherwise
  Dimension measures;
  std::string_view measure_name;  ///< what the measure is, for tables: "rim length"
  std::string_view what;          ///< one line
  std::string_view why;           ///< why a mesher minds
  std::string_view remedy;        ///< names of remedies, or "by hand: ..."
  bool smaller_is_worse = false;
  std::string_view hints;    ///< how to decide, or how it is told from its neighbours
  std::string_view picture;  ///< a few lines of text, at most 60 characters wide
  /// What makes an answer of this kind unsafe: these are mended first.
  std::span<const FindingKind> waits_for;
};

[[nodiscard]] std::span<const KindInfo> all_kinds();
[[nodiscard]] const KindInfo& info(FindingKind kind);
[[nodiscard]] std::string_view slug(FindingKind kind);
[[nodiscard]] std::string_view slug(Severity severity);
[[nodiscard]] std::optional<FindingKind> parse_finding_kind(std::string_view slug);
[[nodiscard]] std::optional<Severity> parse_severity(std::string_view slug);

/// Entities of another kind that count under a finding.
struct Symptom {
  FindingKind kind;
  std::size_t count;
  friend bool operator==(const Symptom&, const Symptom&) = default;
};

/// How wide a crack or gap is along its length; see `Stretch`.
struct WidthProfile {
  double least = 0;
  double median = 0;  ///< by length
  double largest = 0;
  double length = 0;
  std::size_t hanging = 0;  ///< vertices that face the inside of an edge
};

/// What a finding is about in one part beside its first.
struct PartEntities {
  std::string part;
  std::size_t part_index = 0;
  std::vector<TriangleId> triangles;  ///< as `Finding::triangles`
  std::size_t triangle_total = 0;
  friend bool operator==(const PartEntities&, const PartEntities&) = default;
};

/// One defect. Lengths are in the model's unit.
struct Finding {
  /// Kind and digest of what it is about: independent of order, threads, measured numbers and
  /// settings. Given when the parts are put together.
  std::string id;
  std::uint64_t identity = 0;  ///< the digest by itself, within the part
  FindingKind kind{};
  Severity severity{};
  std::string part;                       ///< empty: the whole model
  std::optional<std::size_t> part_index;  ///< several parts may have one name
  std::size_t count = 0;        ///< how many edges, vertices, triangles or shells it consists of
  Point place = Point::Zero();  ///< where to look
  Box box;
  double measure = 0;           ///< see `KindInfo::measures`
  std::optional<double> limit;  ///< what the measure was held against
  /// Crossings: how far the triangles reach past each other, where they reach least.
  std::optional<double> reach;
  /// Bodies that cross: the largest distance found of the surface of one, inside the other's
  /// material, from the other's surface. Empty where neither has an inside by itself.
  std::optional<double> depth;
  std::optional<WidthProfile> widths;  ///< cracks and gaps
  std::string detail;                  ///< one clause with what the figures do not say
  std::vector<TriangleId> triangles;   ///< in the part as read, rising; as many as asked for
  std::size_t triangle_total = 0;      ///< how many there are
  std::vector<FindingKind> waits_for;
  std::vector<Symptom> cause_of;        ///< what would go with it, by kind
  std::optional<std::string> waived;    ///< the profile's reason to leave it as it is
  std::optional<std::uint32_t> face;    ///< of a surface model: by number within its body
  std::optional<std::uint64_t> entity;  ///< the number that its file gives it
  /// Where it lies between parts: the others, by number.
  std::vector<PartEntities> further_parts = {};
};

/// Numbers of the parts that it is about; none: the whole model.
[[nodiscard]] std::vector<std::size_t> parts_of(const Finding& finding);
/// Their names, with commas between.
[[nodiscard]] std::string part_names(const Finding& finding);
/// Is it about a part of this name?
[[nodiscard]] bool is_about(const Finding& finding, std::string_view part);
/// Its triangles in one part.
[[nodiscard]] std::span<const TriangleId> triangles_in(const Finding& finding, std::size_t part);

}  // namespace aguja
