#pragma once
/// \file
/// What became of parts that were given a thickness, as text and as JSON.

#include <vector>

#include "aguja/report/text.h"
#include "aguja/solid/offset_model.h"
#include "aguja/solid/set_operation.h"

namespace aguja {

struct OffsetReport : WrittenFacts {
  double thickness = 0;
  OffsetSide side = OffsetSide::in;
  bool is_whole = false;
  std::vector<OperandFacts> operands;
  OffsetModel result;

  [[nodiscard]] bool is_made() const { return !result.model.parts.empty(); }
};

[[nodiscard]] nlohmann::ordered_json offset_json(const OffsetReport& report, const RunFacts& facts);
[[nodiscard]] std::string offset_text(const OffsetReport& report, const TextOptions& options = {});

}  // namespace aguja
