#pragma once
/// \file
/// What the naked edges of a mesh are: cracks, gaps, and what is left open once cracks are thought
/// joined; and the tolerance that would join them.

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "aguja/mesh/rim_pairing.h"
#include "aguja/mesh/zip.h"

namespace aguja {

/// A tolerance for stitching, with the evidence.
struct ToleranceProposal {
  double value = 0;        ///< model units
  std::size_t closes = 0;  ///< stretches that lie within it
  std::size_t of = 0;      ///< long narrow stretches in all
  /// Of these, those that were gone once it was stitched by it; empty: nobody tried.
  std::optional<std::size_t> tried = {};
  bool as_one = false;               ///< it is of all parts taken as one body
  std::optional<double> stay_below;  ///< the smallest real feature found near rims
  std::string why;                   ///< one sentence
};

enum class StretchKind {
  crack,  ///< within the tolerance: only needs joining
  gap,    ///< long against its width, wider than the tolerance
  other,  ///< sides of an opening
};

struct SurveyOptions {
  /// Stretches farther apart than this part of the diagonal do not face each other.
  double reach_fraction = 0.02;
  /// A stretch is long against its width if its length is this many times its largest width.
  double narrow_factor = 5.0;
  /// What counts as a crack; proposed from the widths if left out.
  std::optional<double> tolerance = {};
  /// Wider ones are sides of openings, however narrow, unless the tolerance says otherwise.
  std::optional<double> widest_crack = {};
};

struct RimSurvey {
  RimPairing pairing;
  std::vector<Stretch> stretches;  ///< of all widths
  std::vector<StretchKind> kind;   ///< by stretch
  double tolerance = 0;            ///< that cracks were told by; 0 if there is nothing to tell
  std::optional<ToleranceProposal> proposal;
  /// The mesh with all cracks thought joined, unchecked; empty if there are none.
  std::unique_ptr<Zipped> joined;

  [[nodiscard]] std::size_t count(StretchKind wanted) const;
};

/// Cost     That of `pair_rims`, and a pass over the mesh if there are cracks. Nothing if no edge is
///          naked.
[[nodiscard]] RimSurvey survey_rims(const Welded& mesh, std::span<const PatchId> patch_of,
                                    const EdgeTable& edges, const Components& components,
                                    const SurveyOptions& options = {});

/// One tolerance for both: the larger of the two, below the smaller of what they must stay below.
[[nodiscard]] std::optional<ToleranceProposal> common_tolerance(
    const std::optional<ToleranceProposal>& a, const std::optional<ToleranceProposal>& b);

}  // namespace aguja
