#pragma once
/// \file
/// What a cut made, as text and as JSON.

#include <span>
#include <string>
#include <vector>

#include "aguja/report/text.h"
#include "aguja/solid/cut_model.h"
#include "aguja/solid/set_operation.h"

namespace aguja {

struct CutReport : WrittenFacts {
  std::vector<std::string> cutters;  ///< as they are called
  std::vector<OperandFacts> operands;
  bool is_capped = true;
  CutModel result;
  std::string sections_file;  ///< empty: none was written

  [[nodiscard]] bool is_made() const { return !result.model.parts.empty(); }
};

[[nodiscard]] nlohmann::ordered_json cut_json(const CutReport& report, const RunFacts& facts);
[[nodiscard]] std::string cut_text(const CutReport& report, const TextOptions& options = {});

}  // namespace aguja
