#pragma once
/// \file
/// Union, difference and intersection of solids.

#include <limits>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "aguja/base/progress.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/material_boundary.h"

namespace aguja {

enum class SetOperation { union_of_all, difference, intersection };
/// `union`, `difference`, `intersection`.
[[nodiscard]] std::string_view slug(SetOperation operation);
[[nodiscard]] std::optional<SetOperation> parse_set_operation(std::string_view slug);

/// One or several parts that are taken as one body.
struct SetOperand {
  std::string name;
  std::vector<Part> parts;
};

/// What an operand is by itself.
struct OperandFacts {
  std::string name;
  Verdict verdict = Verdict::undecided;
  double volume = 0;    ///< model units, floating point; of a solid
  std::string problem;  ///< why nothing can be made of it; empty if something can
};

/// Cost     `certify`.
[[nodiscard]] OperandFacts facts_of_operand(const SetOperand& operand,
                                            Progress* progress = nullptr);

/// A connected piece of the result, with its cavities.
struct PieceFacts {
  std::string part;
  double volume = 0;
  std::size_t shells = 1;          ///< one more than it has cavities
  std::optional<long long> genus;  ///< of its outer shell
  Point place = Point::Zero();     ///< the middle of its box
};

struct SetOperationResult {
  std::vector<OperandFacts> operands;
  /// Empty if an operand has a problem, or rounding kept the boundary from being clean; without
  /// triangles if nothing is left.
  std::optional<Part> part;
  std::vector<std::string> gone;  ///< operands of which no surface is left, where some should be
  RoundingReport rounding;
  std::size_t pairs = 0;  ///< triangles of which so many pairs meet
};

struct SetOperationOptions {
  bool round_to_float = false;
  /// See `RoundingOptions`.
  double most_moved = std::numeric_limits<double>::infinity();
};

/// Of all operands together; of the first without the others; of what all have in common. Triangles
/// that are not cut stay as they are; pieces keep the patches, and the names of patches, of their
/// parents; a part without patches becomes one, named as it.
///
/// Promises  As `boundary_of`.
/// Cost      As `boundary_of`, and `certify` of each operand.
/// Errors    ArgumentError (fewer than two operands); Cancelled.
[[nodiscard]] SetOperationResult combine_solids(std::span<const SetOperand> operands,
                                                SetOperation operation,
                                                const SetOperationOptions& options = {},
                                                Progress* progress = nullptr);

/// What the shells of a certified model are pieces of.
[[nodiscard]] std::vector<PieceFacts> pieces_of(const Certificate& certificate);

}  // namespace aguja
