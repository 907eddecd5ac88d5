#pragma once
/// \file
/// Which findings or triangles a step, or an output, is about.

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "aguja/inspect/inspect.h"

namespace aguja {

/// All that is given must hold, but several ids, kinds, patches or ranges are alternatives. Nothing
/// given selects nothing; only `but` given, all but that.
struct Selection {
  std::string part;              ///< by name; empty: any
  std::vector<std::string> ids;  ///< of findings
  std::vector<FindingKind> kinds;
  std::optional<Point> near;         ///< the finding, or the patch or triangle, that is nearest
  double within = 0;                 ///< not farther than this; 0: however far. Model units
  std::optional<Box> box;            ///< findings and triangles that lie in it
  std::vector<std::string> patches;  ///< by name, `part/name` or number
  /// First and last number of ranges of triangles, counted through the part.
  std::vector<std::pair<std::uint32_t, std::uint32_t>> triangles;
  // What is left out: ids and kinds of findings, patches; parts; triangles; what lies in boxes.
  std::vector<std::string> but;
  std::vector<std::string> but_parts;
  std::vector<std::pair<std::uint32_t, std::uint32_t>> but_triangles;
  std::vector<Box> but_boxes;

  [[nodiscard]] bool is_empty() const;
  [[nodiscard]] bool leaves_out() const {
    return !but.empty() || !but_parts.empty() || !but_triangles.empty() || !but_boxes.empty();
  }
  [[nodiscard]] bool names_findings() const { return !ids.empty() || !kinds.empty(); }
};

/// Reads one clause: `opening-1a2b3c4d` (an id), `kind:crack`, `patch:NAME`, `part:NAME`,
/// `triangles:5-9,12`, `box:X,Y,Z,X,Y,Z`, `near:X,Y,Z`, or `but:` before any of these but the last,
/// or before a bare id, kind or patch; adds it to the selection.
/// Errors: ArgumentError saying what was expected.
void add_clause(Selection& selection, const std::string& clause, LengthUnit unit);
/// What is left out, as clauses without `but:`; lengths in the unit that they were read in.
[[nodiscard]] std::vector<std::string> but_clauses(const Selection& selection);
[[nodiscard]] std::string text_of(const Selection& selection);

/// Numbers of the findings that it is about, rising. Only ids that are there are found: see
/// `missing_ids`.
[[nodiscard]] std::vector<std::size_t> select_findings(const Selection& selection,
                                                       std::span<const Finding> findings);
[[nodiscard]] std::vector<std::string> missing_ids(const Selection& selection,
                                                   std::span<const Finding> findings);
/// The same of ids that are left out.
[[nodiscard]] std::vector<std::string> missing_but_ids(const Selection& selection,
                                                       std::span<const Finding> findings);

/// The triangles that it is about, by part, rising: those of its findings, patches and ranges, or
/// all in its box; `findings` list all their triangles. Errors: ArgumentError (a patch or part that
/// does not exist: which do).
[[nodiscard]] std::vector<std::vector<TriangleId>> select_triangles(
    const Model& model, std::span<const Finding> findings, const Selection& selection);

/// The model with these triangles only; parts without any are left out.
[[nodiscard]] Model only_triangles(const Model& model,
                                   const std::vector<std::vector<TriangleId>>& triangles);

/// The model with its findings as patches: each finding's triangles are a patch named by its id,
/// the worst one where several share triangles; the rest keep their patches.
[[nodiscard]] Model findings_as_patches(const Model& model, std::span<const Finding> findings);

}  // namespace aguja
