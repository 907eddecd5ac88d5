#pragma once
/// \file
/// Sizes and masses of parts, and what they are expected to be.

#include <span>
#include <string>
#include <vector>

#include "aguja/base/progress.h"
#include "aguja/base/stage_times.h"
#include "aguja/model/model.h"
#include "aguja/solid/mass_properties.h"

namespace aguja {

struct Density {
  double kg_per_m3;
};

/// What a certificate was held against.
struct Expectation {
  std::string what;  ///< `volume` or `mass`
  double expected;   ///< model units cubed, or kilograms
  double found;
  double within;  ///< fraction of the expected value
  /// How far `found` may be off, because it is that of facets and not of the surfaces behind them.
  double uncertain = 0;
  [[nodiscard]] bool is_met() const;
  /// Would it be the same, met or missed, wherever within that the true value is?
  [[nodiscard]] bool is_told() const;
};

/// The size of a part, or of all parts together.
struct Measurement {
  std::string name;
  std::size_t triangles = 0;
  Box box;
  MassProperties mass;
  bool encloses = false;      ///< else volume, centroid and inertia mean nothing
  std::size_t crossings = 0;  ///< pairs of triangles that cross or overlap
};
/// Why a volume is not that of a body, though the surface encloses something; empty: it is.
[[nodiscard]] std::string volume_doubt(double volume, std::size_t crossings);
/// Cost     Welding, the edge table, one pass over the triangles, and, where something is enclosed, the
///          search for crossings.
/// Errors   ArgumentError as `EdgeTable`; Cancelled. Stages: `weld`, `edges`, `mass`, `crossings`.
[[nodiscard]] std::vector<Measurement> measure_parts(const Model& model,
                                                     StageTimes* times = nullptr,
                                                     Progress* progress = nullptr);
[[nodiscard]] Measurement total(std::span<const Measurement> parts);

/// What tells at a glance whether a part is still what it was.
struct PartSize {
  Box box;
  double area = 0;    ///< copies count
  double volume = 0;  ///< openings closed by a fan from the middle of each rim
  bool is_closed = false;
};
/// Cost     The edge table, rims, and one pass over the triangles.
[[nodiscard]] PartSize size_of(const Mesh& mesh);

/// Mass in kilograms of a volume in model units cubed.
[[nodiscard]] double mass_kg(double volume, LengthUnit unit, Density density);

}  // namespace aguja
