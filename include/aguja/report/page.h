#pragma once
/// \file
/// One HTML file to look at a model and decide: findings, what they mean, and where they are.

#include <optional>
#include <string>
#include <vector>

#include "aguja/inspect/inspect.h"
#include "aguja/solid/deviation.h"
#include "aguja/solid/fields.h"

namespace aguja {

/// One of the models that a page shows. What is referred to must outlive the call.
struct PageModel {
  std::string label;   ///< "as read", "before", "after"
  std::string file;    ///< as the user named it
  std::string digest;  ///< of the file; empty if it has none
  const Model* model = nullptr;
  const Inspection* inspection = nullptr;  ///< best with all triangles, patches, certificate
  std::vector<TriangleField> fields;
  std::string note = {};  ///< shown while it is looked at
};

struct PageOptions {
  /// More triangles are reduced for viewing, but not those of findings and rims.
  std::size_t most_triangles = 1'000'000;
  /// More findings are counted, not listed.
  std::size_t most_findings = 5000;
  /// The first model's finding that the others show fills of, each labelled by its method: the page
  /// lets one change between them and put one into the plan. Empty: none.
  std::string trial = {};
};

/// What becomes of a finding of the first model in the second.
enum class Fate { gone, left, new_ };
[[nodiscard]] std::string_view slug(Fate fate);
struct Fates {
  std::vector<Fate> before;  ///< by finding: gone or left
  std::vector<Fate> after;   ///< by finding: left or new
};
/// Findings of one kind, one of whose places lies within the other's box, grown by `reach`,
/// are the same. Cost: O(n log n) unless most boxes meet.
[[nodiscard]] Fates fates_of(const Inspection& before, const Inspection& after, double reach);

/// A page of one model, of two (before and after), or of a trial. It needs no other file and no
/// network.
///
/// Promises  The same bytes for the same input: no clock, no name of a machine. Places, boxes and
///           measures of findings as exact as in JSON; the surface to half a millionth of the
///           model's largest side.
/// Cost      O(n log n); about 8 bytes a triangle in the page, beside 0.9 MB for the viewer.
/// Errors    ArgumentError (no model, or more than two without a trial; a field of another length).
[[nodiscard]] std::string page_html(const std::vector<PageModel>& models,
                                    const std::optional<Deviation>& deviation = {},
                                    const PageOptions& options = {});

}  // namespace aguja
