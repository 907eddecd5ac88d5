#pragma once
// What reports on operations on solids have in common: operands, pieces, rounding.

#include "aguja/report/text.h"
#include "aguja/solid/set_operation.h"
#include "report/json_parts.h"

namespace aguja {

[[nodiscard]] Json operands_json(std::span<const OperandFacts> operands);
[[nodiscard]] Json pieces_json(const Certificate& certificate);
[[nodiscard]] Json rounding_json(const RoundingReport& rounding);
[[nodiscard]] std::string operand_lines(std::span<const OperandFacts> operands, LengthUnit unit,
                                        const TextOptions& options);
[[nodiscard]] std::string piece_lines(const Certificate& certificate, LengthUnit unit,
                                      const TextOptions& options);

}  // namespace aguja
