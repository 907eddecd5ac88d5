#pragma once
// Pieces that several text reports have in common.

#include "aguja/report/table.h"
#include "aguja/report/text.h"

namespace aguja {

[[nodiscard]] std::string plural(std::size_t n, std::string_view one, std::string_view many = {});
/// Severity has a shape and a word; colour, where there is any, comes on top.
[[nodiscard]] std::string_view mark(Severity severity);
[[nodiscard]] std::string quantity(double value, Dimension dimension, LengthUnit unit);
[[nodiscard]] std::string headline(const Model& model, std::string_view file);
[[nodiscard]] std::string note_lines(const Model& model, std::size_t width);
/// `doubt`: why the volume is not that of a body (`volume_doubt`); no mass is said of it then.
[[nodiscard]] std::string mass_lines(const MassProperties& mass, bool encloses,
                                     std::string_view doubt, LengthUnit unit,
                                     std::optional<Density> density);
[[nodiscard]] std::string verdict_lines(const Model& model, const Certificate& certificate,
                                        const TextOptions& options);
/// What was written, and where to; the last lines.
[[nodiscard]] std::string written_lines(const WrittenFacts& facts, const TextOptions& options);
/// Parts that are not apart; nothing if there are none.
[[nodiscard]] std::string pair_lines(const Model& model, std::span<const PartPair> pairs,
                                     const TextOptions& options);

}  // namespace aguja
