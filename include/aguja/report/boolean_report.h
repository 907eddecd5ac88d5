#pragma once
/// \file
/// What a set operation made, as text and as JSON.

#include "aguja/report/text.h"
#include "aguja/solid/set_operation.h"

namespace aguja {

struct BooleanReport : WrittenFacts {
  SetOperation operation = SetOperation::union_of_all;
  SetOperationResult result;
  /// What was done to operands beforehand, a line each.
  std::vector<std::string> resolved_first;

  /// Is there a result that has triangles?
  [[nodiscard]] bool is_made() const {
    return result.part && !result.part->mesh().triangles.empty();
  }
};

/// `model`: what was made, with the unit and the notes of what was read.
[[nodiscard]] nlohmann::ordered_json boolean_json(const Model& model, const BooleanReport& report,
                                                  const RunFacts& facts);
[[nodiscard]] std::string boolean_text(const Model& model, const BooleanReport& report,
                                       const TextOptions& options = {});

}  // namespace aguja
