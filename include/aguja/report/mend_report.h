#pragma once
/// \file
/// What mending did, for people and programs.

#include "aguja/mend/mend.h"
#include "aguja/report/text.h"

namespace aguja {

struct MendReport : WrittenFacts {
  MendResult result;
};

/// `model`: as it was read.
[[nodiscard]] nlohmann::ordered_json mend_json(const Model& model, const MendReport& report,
                                               const RunFacts& facts);
[[nodiscard]] std::string mend_text(const Model& model, const MendReport& report,
                                    std::string_view file, const TextOptions& options = {});

/// What remedies there are, and what each can be told.
[[nodiscard]] nlohmann::ordered_json remedies_json(std::span<const Remedy> remedies);
[[nodiscard]] std::string remedies_text(std::span<const Remedy> remedies,
                                        const TextOptions& options = {});

/// Fills of one opening, method by method.
[[nodiscard]] nlohmann::ordered_json trial_json(const Model& model, const Trial& trial,
                                                const RunFacts& facts);
[[nodiscard]] std::string trial_text(const Model& model, const Trial& trial, std::string_view file,
                                     const TextOptions& options = {});

}  // namespace aguja
