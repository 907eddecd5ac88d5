#pragma once
// Pieces that several JSON reports have in common.

#include <nlohmann/json.hpp>

#include "aguja/report/json.h"

namespace aguja {

using Json = nlohmann::ordered_json;

[[nodiscard]] Json point_json(const Point& p);
[[nodiscard]] Json matrix_json(const Eigen::Matrix3d& m);  ///< by rows
[[nodiscard]] Json box_json(const Box& box);
/// All counts, those that only `inspect` knows too.
[[nodiscard]] Json all_counts_json(const Counts& c);
[[nodiscard]] Json finding_json(const Finding& f, LengthUnit unit);
/// Adds unit, names and notes of a model.
void add_model(Json& object, const Model& model);
/// Adds `output`, `write_notes` and `certificate`.
void add_written(Json& object, const Model& model, const WrittenFacts& facts);
[[nodiscard]] Json certificate_json(const Model& model, const Certificate& certificate,
                                    std::string_view digest, std::optional<Density> density,
                                    std::span<const Expectation> expectations);

}  // namespace aguja
