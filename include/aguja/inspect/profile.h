#pragma once
/// \file
/// The profile: what findings are held against, how severe they are, what is meant to be as it is.

#include <array>
#include <map>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "aguja/base/units.h"
#include "aguja/inspect/finding.h"

namespace aguja {

/// Every size that a check holds something against.
enum class Limit : std::uint8_t {
  stray_shell,
  sheet,
  reach,
  smallest_model,
  largest_model,
  near_vertices,
  short_edge,
  sliver_triangle,
  folded_triangle,
  sharp_edge,
  patch_fit,
  sliver_patch,
  tiny_patch,
  acute_corner,
  knife_edge,
  runaway_face,
  thin_wall,
  narrow_slot,
  elements_across,
  precision,
  quality_aspect,
  quality_least_angle,
  quality_largest_angle,
  quality_share,
};
inline constexpr std::size_t kLimitCount = static_cast<std::size_t>(Limit::quality_share) + 1;

/// What a limit's number means.
enum class LimitBasis : std::uint8_t {
  number,
  degrees,
  length,           ///< in `unit`
  of_diagonal,      ///< a fraction of the part's diagonal
  of_element_size,  ///< a fraction of the element size
};

struct LimitValue {
  double value = 0;
  LimitBasis basis = LimitBasis::number;
  LengthUnit unit = LengthUnit::millimetre;
  friend bool operator==(const LimitValue&, const LimitValue&) = default;
};

struct LimitInfo {
  Limit limit;
  std::string_view slug;  ///< its key in the profile
  LimitValue standard;
  /// Instead of `standard` where an element size is given.
  std::optional<LimitValue> with_element_size;
  std::string_view what;
  std::string_view why;  ///< the reason for the default
};
[[nodiscard]] std::span<const LimitInfo> all_limits();
[[nodiscard]] const LimitInfo& info(Limit limit);

/// `0.01 of diagonal`, `0.5 of element size`, `1 mm`, `15 deg`, `1000`.
[[nodiscard]] std::string text_of(const LimitValue& value);
/// Reads such a text for a limit (a bare number of a length is in `unit`, of an angle in degrees).
/// Errors: ArgumentError saying what was expected.
[[nodiscard]] LimitValue parse_limit(Limit limit, std::string_view text, LengthUnit unit);

/// What a part is meant to be.
enum class Intent : std::uint8_t { solid, sheet };
[[nodiscard]] std::string_view slug(Intent intent);
[[nodiscard]] std::optional<Intent> parse_intent(std::string_view text);

/// A finding that is to be left as it is. All that is given must hold.
struct Waiver {
  std::string id;  ///< of one finding; empty: any
  std::optional<FindingKind> kind;
  std::string part;           ///< empty: any
  std::optional<Point> near;  ///< within `within` of a finding's place
  double within = 0;          ///< model units
  std::string reason;         ///< never empty
  [[nodiscard]] bool covers(const Finding& finding) const;
};

struct Profile {
  std::map<Limit, LimitValue> limits;  ///< those that differ from the default
  std::map<FindingKind, Severity> severities;
  std::set<FindingKind> skipped;          ///< kinds that are not looked for
  std::map<std::string, Intent> intents;  ///< by part
  Intent intent = Intent::solid;          ///< of all other parts
  std::vector<Waiver> waivers;
  std::optional<double> element_size;  ///< model units, > 0
  std::optional<double> tolerance;     ///< what counts as a crack, model units
  bool parts_apart = false;            ///< what lies between parts is not looked at

  [[nodiscard]] LimitValue value(Limit limit) const;
  [[nodiscard]] Severity severity(FindingKind kind) const;
  [[nodiscard]] Intent intent_of(const std::string& part) const;
};

/// A profile's limits in model units, degrees and numbers, for a part of this size.
class ResolvedLimits {
 public:
  ResolvedLimits(const Profile& profile, double diagonal, LengthUnit unit);
  [[nodiscard]] double operator[](Limit limit) const {
    return values_[static_cast<std::size_t>(limit)];
  }
  [[nodiscard]] std::optional<double> element_size() const { return element_size_; }

 private:
  std::array<double, kLimitCount> values_{};
  std::optional<double> element_size_;
};

/// The word of a list that is nearest to a misspelt one, by edits.
[[nodiscard]] std::string nearest_word(std::string_view word,
                                       std::span<const std::string_view> words);

}  // namespace aguja
