#include "aguja/inspect/profile.h"

#include <algorithm>
#include <charconv>
#include <numeric>

#include "aguja/base/error.h"

namespace aguja {
namespace {

namespace limit_table {
using enum Limit;

constexpr LimitValue number(double v) { return {v, LimitBasis::number}; }
constexpr LimitValue degrees(double v) { return {v, LimitBasis::degrees}; }
constexpr LimitValue of_diagonal(double v) { return {v, LimitBasis::of_diagonal}; }
constexpr LimitValue of_element(double v) { return {v, LimitBasis::of_element_size}; }
constexpr LimitValue length(double v, LengthUnit u) { return {v, LimitBasis::length, u}; }

const std::array<LimitInfo, kLimitCount> kLimits = {{
    {stray_shell,
     "stray_shell",
     of_diagonal(0.01),
     {},
     "a component is a stray shell up to this diagonal",
     "smaller than any element that would be used for the part"},
    {sheet,
     "sheet",
     number(1e-5),
     {},
     "a component is a sheet if its volume within capped rims is less than area x diagonal x this",
     "flat within the precision of exported coordinates"},
    {reach,
     "reach",
     of_diagonal(0.02),
     {},
     "stretches of rim farther apart than this do not face each other",
     "wider than any crack that modelling leaves, narrower than most openings"},
    {smallest_model,
     "smallest_model",
     length(1, LengthUnit::millimetre),
     {},
     "a model whose diagonal is smaller is doubted to be in the right unit",
     "smaller than what is commonly meshed"},
    {largest_model,
     "largest_model",
     length(100, LengthUnit::metre),
     {},
     "a model whose diagonal is larger is doubted to be in the right unit",
     "larger than what is commonly meshed as one model"},
    {near_vertices,
     "near_vertices",
     of_diagonal(1e-6),
     {},
     "vertices nearer than this are probably meant to be one; edges shorter than this are short",
     "about the precision of single-precision files: nearer points cannot be told apart there"},
    {short_edge, "short_edge", of_diagonal(2e-4), of_element(0.1),
     "an edge between corners of patches is short up to this length",
     "a mesh of ten thousand elements along the part is finer than usual; a tenth of an element "
     "makes triangles of aspect ten"},
    {sliver_triangle,
     "sliver_triangle",
     number(20000),
     {},
     "a triangle is a sliver from this aspect ratio (longest side by its height)",
     "higher than exact tessellations of long faces; rounding to single precision turns worse ones "
     "over"},
    {folded_triangle,
     "folded_triangle",
     degrees(10),
     {},
     "a triangle is folded if it lies back on two neighbours within this angle",
     "no surface turns so sharply twice within one triangle"},
    {sharp_edge,
     "sharp_edge",
     degrees(35),
     {},
     "patches end at edges where the surface turns by more than this",
     "tessellations turn by 30 degrees at most from facet to facet of a curved face"},
    {patch_fit,
     "patch_fit",
     of_diagonal(2e-6),
     {},
     "vertices of a recognised plane, cylinder, cone, sphere or torus lie within this of it",
     "the precision of exported coordinates (or their spacing, where that is coarser)"},
    {sliver_patch, "sliver_patch", of_diagonal(1e-3), of_element(0.25),
     "a patch is a sliver up to this width, if it is ten times longer",
     "a thousand elements along the part; or elements four times smaller than asked for"},
    {tiny_patch, "tiny_patch", of_diagonal(2e-3), of_element(0.5),
     "a patch is tiny if no two of its vertices are farther apart",
     "five hundred elements along the part; or half of an element"},
    {acute_corner,
     "acute_corner",
     degrees(5),
     {},
     "a patch's corner is acute up to this angle",
     "elements in it are slivers of that angle, and cannot be smoothed away"},
    {knife_edge,
     "knife_edge",
     degrees(10),
     {},
     "an edge between patches is a knife edge up to this angle",
     "tetrahedra in the wedge have dihedral angles of that size"},
    {runaway_face,
     "runaway_face",
     number(2.5),
     {},
     "a patch runs away if it reaches farther out of the ball around its border than this times "
     "the "
     "ball's diameter",
     "wells and domes that a file keeps as one patch reach two diameters, spikes farther"},
    {thin_wall,
     "thin_wall",
     of_diagonal(1e-3),
     {},
     "a wall is thin up to this thickness (with an element size: that times elements_across)",
     "a thousand elements along the part"},
    {narrow_slot, "narrow_slot", of_diagonal(0), of_element(1),
     "a slot is narrow up to this width of air",
     "elements on both sides pass each other; without an element size none is looked for"},
    {elements_across,
     "elements_across",
     number(2),
     {},
     "a wall should have so many elements across",
     "one linear element does not bend"},
    {precision,
     "precision",
     of_diagonal(1e-5),
     {},
     "coordinates are too coarse if their spacing is larger than this",
     "a hundred thousand steps along the part; small features need that"},
    {quality_aspect,
     "quality_aspect",
     number(20),
     {},
     "triangle quality: largest aspect ratio (longest side by height; 1.15 is best)",
     "beyond it surface elements stiffen; solvers warn at 10 to 20"},
    {quality_least_angle,
     "quality_least_angle",
     degrees(5),
     {},
     "triangle quality: least angle (60 is best)",
     "elements below it are poorly conditioned"},
    {quality_largest_angle,
     "quality_largest_angle",
     degrees(165),
     {},
     "triangle quality: largest angle (60 is best)",
     "the error grows with one over its sine"},
    {quality_share,
     "quality_share",
     number(0.05),
     {},
     "element-quality is reported if more than this share of triangles is beyond the limits",
     "a few bad ones are remeshed; many say that the tessellation is no mesh"},
}};
}  // namespace limit_table
using limit_table::kLimits;

std::string trimmed(std::string_view text) {
  const auto begin = text.find_first_not_of(" \t");
  if (begin == std::string_view::npos) return "";
  return std::string(text.substr(begin, text.find_last_not_of(" \t") + 1 - begin));
}

double plain_number(std::string_view text, Limit limit) {
  std::string clean = trimmed(text);
  const bool percent = clean.ends_with('%');
  if (percent) clean = trimmed(std::string_view(clean).substr(0, clean.size() - 1));
  double value = 0;
  const auto [end, error] = std::from_chars(clean.data(), clean.data() + clean.size(), value);
  if (error != std::errc() || end != clean.data() + clean.size() || !(value >= 0) ||
      value > 1e300) {
    throw ArgumentError("limit " + std::string(info(limit).slug) +
                        ": expected a number of 0 or more; got '" + std::string(text) + "'");
  }
  return percent ? value / 100 : value;
}

}  // namespace

std::span<const LimitInfo> all_limits() { return kLimits; }
const LimitInfo& info(Limit limit) { return kLimits.at(static_cast<std::size_t>(limit)); }

std::string text_of(const LimitValue& value) {
  std::string v = shortest(value.value);
  switch (value.basis) {
    case LimitBasis::number:
      return v;
    case LimitBasis::degrees:
      return v + " deg";
    case LimitBasis::length:
      return v + " " + std::string(symbol(value.unit));
    case LimitBasis::of_diagonal:
      return v + " of diagonal";
    case LimitBasis::of_element_size:
      return v + " of element size";
  }
  return v;
}

LimitValue parse_limit(Limit limit, std::string_view text, LengthUnit unit) {
  const LimitBasis own = info(limit).standard.basis;
  if (own == LimitBasis::number) return {plain_number(text, limit), own};
  if (own == LimitBasis::degrees) {
    // Degrees stay as they were typed: radians and back would change the last digit.
    std::string clean = trimmed(text);
    if (clean.ends_with("deg")) clean.resize(clean.size() - 3);
    return {plain_number(clean, limit), own};
  }
  for (const auto& [words, basis] :
       {std::pair{std::string_view("of diagonal"), LimitBasis::of_diagonal},
        std::pair{std::string_view("of element size"), LimitBasis::of_element_size}}) {
    const std::string clean = trimmed(text);
    if (!clean.ends_with(words)) continue;
    return {plain_number(std::string_view(clean).substr(0, clean.size() - words.size()), limit),
            basis};
  }
  std::string clean = trimmed(text);
  std::erase(clean, ' ');
  if (clean.starts_with('-')) {
    throw ArgumentError("limit " + std::string(info(limit).slug) +
                        ": expected a length of 0 or more; got '" + std::string(text) + "'");
  }
  try {
    // The unit that was typed is kept.
    for (const LengthUnit u : all_length_units()) {
      const std::string_view end = symbol(u);
      if (!clean.ends_with(end)) continue;
      const std::string_view before = std::string_view(clean).substr(0, clean.size() - end.size());
      if (before.empty() ||
          std::string_view("0123456789.").find(before.back()) == std::string_view::npos)
        continue;
      return {parse_length(before, u), LimitBasis::length, u};
    }
    return {parse_length(clean, unit), LimitBasis::length, unit};
  } catch (const ArgumentError& error) {
    throw ArgumentError("limit " + std::string(info(limit).slug) + ": " + error.what() +
                        ", or a number `of diagonal` or `of element size`");
  }
}

std::string_view slug(Intent intent) { return intent == Intent::solid ? "solid" : "sheet"; }

std::optional<Intent> parse_intent(std::string_view text) {
  if (text == "solid") return Intent::solid;
  if (text == "sheet") return Intent::sheet;
  return std::nullopt;
}

bool Waiver::covers(const Finding& finding) const {
  if (!id.empty() && finding.id != id) return false;
  if (kind && finding.kind != *kind) return false;
  if (!part.empty() && finding.part != part) return false;
  return !near || (finding.place - *near).norm() <= within;
}

LimitValue Profile::value(Limit limit) const {
  const auto at = limits.find(limit);
  if (at != limits.end()) return at->second;
  const LimitInfo& known = info(limit);
  return element_size && known.with_element_size ? *known.with_element_size : known.standard;
}

Severity Profile::severity(FindingKind kind) const {
  const auto at = severities.find(kind);
  return at != severities.end() ? at->second : info(kind).severity;
}

Intent Profile::intent_of(const std::string& part) const {
  const auto at = intents.find(part);
  return at != intents.end() ? at->second : intent;
}

ResolvedLimits::ResolvedLimits(const Profile& profile, double diagonal, LengthUnit unit)
    : element_size_(profile.element_size) {
  for (const LimitInfo& known : kLimits) {
    const LimitValue v = profile.value(known.limit);
    double factor = 1;
    if (v.basis == LimitBasis::of_diagonal) factor = diagonal;
    if (v.basis == LimitBasis::length) factor = conversion(v.unit, unit);
    if (v.basis == LimitBasis::of_element_size) factor = profile.element_size.value_or(0.0);
    values_.at(static_cast<std::size_t>(known.limit)) = v.value * factor;
  }
}

std::string nearest_word(std::string_view word, std::span<const std::string_view> words) {
  std::string best;
  std::size_t least = static_cast<std::size_t>(-1);
  for (const std::string_view candidate : words) {
    // Levenshtein's distance, row by row.
    std::vector<std::size_t> row(candidate.size() + 1);
    std::iota(row.begin(), row.end(), std::size_t{0});
    for (std::size_t i = 1; i <= word.size(); ++i) {
      std::size_t diagonal = row[0];
      row[0] = i;
      for (std::size_t j = 1; j <= candidate.size(); ++j) {
        const std::size_t change = diagonal + (word[i - 1] == candidate[j - 1] ? 0 : 1);
        diagonal = row[j];
        row[j] = std::min({row[j] + 1, row[j - 1] + 1, change});
      }
    }
    if (row.back() < least) {
      least = row.back();
      best = candidate;
    }
  }
  return best;
}

}  // namespace aguja
