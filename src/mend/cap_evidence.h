#pragma once
// Which openings may be closed by a flat cap without asking: what speaks against it, looking at all
// openings of a part together.

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "aguja/mend/fill.h"

namespace aguja {

enum class CapDoubt {
  none,
  fits_another,  ///< another rim fits it: what is missing lies between the two
  undoes_trim,   ///< the cap lies in the face that it would close: the wall of a hole is missing
  corner,        ///< the neighbours carried on meet close by: a sharp corner is missing
  inlet,         ///< one of several flat ends of walls: open on purpose, mostly
};

struct CapVerdict {
  CapDoubt doubt = CapDoubt::none;
  std::string why;
  std::optional<FillMethod> rather;    ///< what the evidence speaks for
  std::optional<std::size_t> partner;  ///< of `fits_another`: the other opening
};

/// By opening, of a mesh with distinct points; all but `corner`. Of several rims that fit one, that
/// which faces it most squarely is its partner.
/// Cost     The rims, and pairs of openings of like length: O(k log k) for k of different lengths.
[[nodiscard]] std::vector<CapVerdict> judge_caps(const KnownMesh& mesh,
                                                 std::span<const Opening> openings);

/// Does `extend` bring back a corner close to the opening?
/// Cost     That of the fill.
[[nodiscard]] bool misses_a_corner(const KnownMesh& mesh, const Filler& filler,
                                   const Opening& opening, double tolerance);

}  // namespace aguja
