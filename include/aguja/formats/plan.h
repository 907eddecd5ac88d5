#pragma once
/// \file
/// The text of a plan: TOML, format `aguja-plan`, version 1; see docs/plan.md.

#include <filesystem>
#include <string>
#include <string_view>

#include "aguja/mend/plan.h"

namespace aguja {

/// Reads the text of a plan. Bare lengths are in `unit`, the model's. Steps without a number are
/// numbered on. `more_remedies`: known beside those that are built in.
/// Errors   InputError with the line: not TOML, a key, remedy, method or setting that is not known
///          (and the nearest that is), a value of the wrong type, two steps with one number.
[[nodiscard]] Plan parse_plan(std::string_view text, LengthUnit unit,
                              const std::string& name = "plan",
                              std::span<const Remedy> more_remedies = {});
/// As above, from a file. Errors: InputError if it cannot be read.
[[nodiscard]] Plan read_plan(const std::filesystem::path& file, LengthUnit unit);

/// The plan as text that reads back to the same.
[[nodiscard]] std::string plan_text(const Plan& plan, LengthUnit unit);

}  // namespace aguja
