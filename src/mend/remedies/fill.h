#pragma once
// What the remedies that fill can be told, and which openings a step is about.

#include <set>

#include "aguja/mend/fill.h"
#include "aguja/mend/remedy.h"
#include "mend/finding_openings.h"

namespace aguja::remedies {

[[nodiscard]] std::span<const SettingInfo> fill_settings();
[[nodiscard]] FillOptions fill_options(const SettingReader& read, double tolerance);

struct WantedOpenings {
  std::vector<Opening> openings;
  std::vector<Refusal> refused;
  bool closed_already = false;  ///< some are: islands of openings that were filled before, say
};
inline constexpr const char* kClosedAlready = "closed with another opening";

/// `taken`: loops that are filled already; what is wanted is added to them.
[[nodiscard]] WantedOpenings wanted_openings(const FindingOpenings& openings,
                                             const RemedyTarget& target, FillMethod method,
                                             std::set<Loop>& taken);

}  // namespace aguja::remedies
