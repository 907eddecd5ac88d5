#pragma once
/// \file
/// Reports as JSON, for programs. Each object is described by a JSON Schema in docs/schema/.

#include <algorithm>

#include <nlohmann/json_fwd.hpp>

#include "aguja/base/stage_times.h"
#include "aguja/inspect/inspect.h"
#include "aguja/mend/stitch.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/deviation.h"
#include "aguja/solid/distances.h"
#include "aguja/solid/measure.h"

namespace aguja {

/// How a job ran. Apart from this a report depends on input and options alone.
struct RunFacts {
  StageTimes times;
  std::size_t peak_bytes = 0;  ///< most resident memory of the process
};

[[nodiscard]] nlohmann::ordered_json inspect_json(const Model& model, const Inspection& inspection,
                                                  std::size_t most_findings, const RunFacts& facts);
/// What kinds of findings are, whatever the model.
[[nodiscard]] nlohmann::ordered_json explain_json(std::span<const FindingKind> kinds);
[[nodiscard]] nlohmann::ordered_json certify_json(const Model& model,
                                                  const Certificate& certificate,
                                                  std::string_view digest,
                                                  std::optional<Density> density,
                                                  std::span<const Expectation> expectations,
                                                  const RunFacts& facts);
/// What `measure` was asked beside the parts; each is there if it was asked for.
struct AskedMeasures {
  std::optional<Density> density = {};
  struct Between {
    std::string from, to;  ///< as typed
    Distance distance;
  };
  std::optional<Between> between = {};
  struct Through {
    std::string from, to;
    std::optional<Thickness> thickness;  ///< empty: the second does not lie behind the first
  };
  std::optional<Through> through = {};
  std::optional<double> angle = {};  ///< radians
  std::optional<CircleThrough> circle = {};
  std::optional<std::vector<MeasuredRim>> rims = {};
  std::span<const MeasuredPatch> patches = {};  ///< listed if not empty
};
[[nodiscard]] nlohmann::ordered_json measure_json(const Model& model,
                                                  std::span<const Measurement> parts,
                                                  const AskedMeasures& asked,
                                                  const RunFacts& facts);
/// What was written, and the certificate on it.
struct WrittenFacts {
  double largest_rounding = 0;  ///< on writing
  std::string output;           ///< empty: nothing was written
  std::string digest;
  std::vector<std::string> write_notes;
  Certificate certificate;  ///< on the file read back, or on the model if nothing was written

  [[nodiscard]] bool is_written() const { return !output.empty(); }
};
/// What stitching did.
struct StitchReport : WrittenFacts {
  double tolerance = 0;
  std::string tolerance_why;  ///< where it came from
  std::size_t steps = 1;
  StitchResult result;  ///< its mesh is not looked at

  /// Joined vertices are rounded before they are checked, so a point is moved by the one or the
  /// other, never by both.
  [[nodiscard]] double largest_movement() const {
    return std::max(result.largest_movement, largest_rounding);
  }
};
[[nodiscard]] nlohmann::ordered_json stitch_json(const Model& model, const StitchReport& report,
                                                 const RunFacts& facts);
[[nodiscard]] nlohmann::ordered_json compare_json(const Model& a, const Model& b,
                                                  const Deviation& deviation,
                                                  const RunFacts& facts);
/// Adds `timings` and `peak_bytes`.
void add_facts(nlohmann::ordered_json& object, const RunFacts& facts);
/// `{"name": "aguja.NAME", "version": 1}`
[[nodiscard]] nlohmann::ordered_json schema_json(std::string_view name);

}  // namespace aguja
