#pragma once
/// \file
/// Reports as text, for people: the answer first, then a table, then what to do next.

#include <string>

#include "aguja/report/json.h"

namespace aguja {

struct TextOptions {
  std::size_t width = 100;     ///< characters a line
  bool some_kinds = false;     ///< only those that were named were looked for
  bool every_finding = false;  ///< one row per finding instead of one per kind
};

[[nodiscard]] std::string inspect_text(const Model& model, const Inspection& inspection,
                                       std::string_view file, const TextOptions& options = {});
/// What kinds of findings are: picture, reason, remedy.
[[nodiscard]] std::string explain_text(std::span<const FindingKind> kinds,
                                       const TextOptions& options = {});
[[nodiscard]] std::string certify_text(const Model& model, const Certificate& certificate,
                                       std::string_view file, std::string_view digest,
                                       std::optional<Density> density,
                                       std::span<const Expectation> expectations,
                                       const TextOptions& options = {});
/// The answer on one line, for lists of files.
[[nodiscard]] std::string inspect_line(const Model& model, const Inspection& inspection,
                                       bool some_kinds = false);
[[nodiscard]] std::string certify_line(const Model& model, const Certificate& certificate,
                                       std::span<const Expectation> expectations = {});
/// `model`: as it was read. Lists at most so many refused joins and rims.
[[nodiscard]] std::string stitch_text(const Model& model, const StitchReport& report,
                                      std::string_view file, const TextOptions& options = {});
[[nodiscard]] std::string compare_text(const Model& a, std::string_view file_a,
                                       std::string_view file_b, const Deviation& deviation,
                                       const TextOptions& options = {});
[[nodiscard]] std::string measure_text(const Model& model, std::span<const Measurement> parts,
                                       std::string_view file, const AskedMeasures& asked,
                                       const TextOptions& options = {});

/// Six significant digits: for people; JSON has them all.
[[nodiscard]] std::string brief(double value);
[[nodiscard]] std::string brief(const Point& p);

}  // namespace aguja
