#pragma once
/// \file
/// Findings, counts and certificates as JSON and back, whole: what is written reads back to the same.
/// For programs that keep them; what people and schemas read is in report/json.h.

#include <nlohmann/json_fwd.hpp>

#include "aguja/inspect/finding.h"
#include "aguja/solid/certificate.h"

namespace aguja {

[[nodiscard]] nlohmann::ordered_json data_json(const Finding& finding);
[[nodiscard]] nlohmann::ordered_json data_json(const Counts& counts);
[[nodiscard]] nlohmann::ordered_json data_json(const Certificate& certificate);

/// Errors of all: InputError naming the field that is missing, of the wrong type or not known.
[[nodiscard]] Finding finding_of(const nlohmann::ordered_json& json);
[[nodiscard]] Counts counts_of(const nlohmann::ordered_json& json);
[[nodiscard]] Certificate certificate_of(const nlohmann::ordered_json& json);

}  // namespace aguja
