#pragma once
/// \file
/// All parts of a model cut by planes, boxes and swept outlines.

#include <optional>
#include <span>
#include <string>
#include <variant>
#include <vector>

#include "aguja/model/model.h"
#include "aguja/solid/cut.h"

namespace aguja {

/// What cuts, and what it is called in names of pieces.
struct Cutter {
  std::string name;                 ///< `x=12mm`, `patch lid`, `box`, `outline`
  std::variant<CutPlane, Mesh> by;  ///< a plane, or what lies within a closed body
  double on_within = 0;             ///< see `CutOptions`

  [[nodiscard]] bool is_plane() const { return std::holds_alternative<CutPlane>(by); }
  /// `below`, `above`; `inside`, `outside`.
  [[nodiscard]] std::string_view side_name(std::size_t side) const;
};

/// Reads `x=12mm`; `plane:X,Y,Z,NX,NY,NZ` (a point and a normal); `patch:NAME` (the plane that a
/// flat patch lies in, up to `flat_within`; above is where it faces); `box:X,Y,Z,X,Y,Z`;
/// `outline:X,Y,Z,X,Y,Z,…`, swept through the whole model along `along`, or square to its plane.
/// Lengths may carry units.
/// Errors   ArgumentError saying what was expected, or how far from flat the patch is.
[[nodiscard]] Cutter parse_cutter(const std::string& text, const Model& model, double flat_within,
                                  const std::optional<Vector>& along = {});

/// An outline swept along a direction, or square to its plane, through all of `reach`.
/// Errors   As `swept_outline`.
[[nodiscard]] Cutter outline_cutter(std::span<const Point> outline,
                                    const std::optional<Vector>& along, const Box& reach);

enum class KeptSides { both, first, second };
/// `both`, `below` and `inside`, `above` and `outside`; nothing if it fits no or not all cutters.
[[nodiscard]] std::optional<KeptSides> parse_kept_sides(std::string_view word,
                                                        std::span<const Cutter> cutters);

struct CutModelOptions : CutOptions {
  KeptSides keep = KeptSides::both;
};

struct PartSection {
  std::string part;
  std::string cutter;
  PlaneSection section;
};

struct CutTrouble {
  std::string part;
  std::string cutter;
  std::string text;
  Point place = Point::Zero();
};

struct CutModel {
  Model model;  ///< the pieces; of parts that nothing passes through, the parts as they were
  std::vector<PartSection> sections;
  std::vector<std::string> cut;       ///< parts that were cut
  std::vector<std::string> left_out;  ///< pieces and parts that were not kept
  std::vector<CutTrouble> troubles;   ///< if there is any, there are no pieces
  RoundingReport rounding;
  double off_plane = 0;
};

/// One cutter after the other, each through all pieces that are there. Pieces are parts, named after
/// the part and their sides of what cut them, or as the part where only one side is kept. What the
/// caps are made of is a patch named `cut` and the cutter.
///
/// Promises  As `cut_by_plane` and `cut_by_body`.
/// Errors    As these.
[[nodiscard]] CutModel cut_model(const Model& model, std::span<const Cutter> cutters,
                                 const CutModelOptions& options = {}, Progress* progress = nullptr);

}  // namespace aguja
