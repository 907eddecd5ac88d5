#include "aguja/mesh/rim_survey.h"

#include <algorithm>
#include <cmath>

#include "base/short_text.h"

namespace aguja {
namespace {

// The spacing of float numbers of this magnitude: what a file of floats cannot tell apart.
double float_spacing(const Box& box) {
  const double largest = std::max(box.low.cwiseAbs().maxCoeff(), box.high.cwiseAbs().maxCoeff());
  constexpr double kFloatSpacing = 0x1p-23;
  return largest * kFloatSpacing;
}

// Up to two significant digits.
double rounded_up(double value) {
  if (!(value > 0)) return value;
  const double unit = std::pow(10.0, std::floor(std::log10(value)) - 1);
  constexpr double kWholeButForRounding = 1e-9;
  return std::ceil(value / unit - kWholeButForRounding) * unit;
}

bool is_narrow(const Stretch& s, const SurveyOptions& options) {
  if (options.widest_crack && s.largest_width > *options.widest_crack &&
      s.largest_width > options.tolerance.value_or(0)) {
    return false;
  }
  return s.length >= options.narrow_factor * s.largest_width;
}

// Widths of a crack are noise; between noise and features of the design there is a jump.
constexpr double kJump = 4.0;

std::optional<ToleranceProposal> propose(const std::vector<Stretch>& stretches, double feature,
                                         double noise, const SurveyOptions& options) {
  std::vector<double> widths;
  for (const Stretch& s : stretches) {
    if (is_narrow(s, options)) widths.push_back(s.largest_width);
  }
  if (widths.empty()) return std::nullopt;
  std::sort(widths.begin(), widths.end());
  std::size_t closes = widths.size();
  double largest_jump = kJump;
  for (std::size_t k = 1; k < widths.size(); ++k) {
    const double jump = widths[k] / std::max(widths[k - 1], noise);
    if (jump < largest_jump) continue;
    largest_jump = jump;
    closes = k;
  }
  const double widest = widths[closes - 1];
  ToleranceProposal proposal;
  proposal.closes = closes;
  proposal.of = widths.size();
  double limit = feature;
  std::string limit_is = "the thinnest wall or strip beside a rim";
  if (closes < widths.size() && widths[closes] < limit) {
    limit = widths[closes];
    limit_is = "the next wider gap";
  }
  // A quarter above the widest; nearer to it where a feature is near.
  double value = rounded_up(std::max(1.25 * widest, noise));
  // A feature narrower than the cracks is no limit that could be kept: stitching looks after it.
  if (std::isfinite(limit) && widest < limit) {
    proposal.stay_below = limit;
    if (value >= limit) value = std::sqrt(widest * limit);
  }
  proposal.value = std::max(value, widest);
  proposal.why =
      "the widest of " + std::to_string(closes) + " narrow stretches is " + short_text(widest);
  if (proposal.stay_below) proposal.why += "; " + limit_is + " is " + short_text(limit);
  return proposal;
}

}  // namespace

std::size_t RimSurvey::count(StretchKind wanted) const {
  return static_cast<std::size_t>(std::count(kind.begin(), kind.end(), wanted));
}

RimSurvey survey_rims(const Welded& mesh, std::span<const PatchId> patch_of, const EdgeTable& edges,
                      const Components& components, const SurveyOptions& options) {
  RimSurvey survey;
  const Box box = box_of(mesh.points());
  double reach = options.reach_fraction * box.diagonal();
  if (options.tolerance) reach = std::max(reach, *options.tolerance);
  survey.pairing = pair_rims(mesh, edges, components, reach);
  if (survey.pairing.naked.empty()) return survey;
  survey.stretches = stretches_of(mesh, survey.pairing);
  survey.proposal =
      propose(survey.stretches, survey.pairing.narrowest_feature, float_spacing(box), options);
  if (options.tolerance) {
    survey.tolerance = *options.tolerance;
  } else if (survey.proposal) {
    survey.tolerance = survey.proposal->value;
  }
  for (const Stretch& s : survey.stretches) {
    survey.kind.push_back(!is_narrow(s, options)                ? StretchKind::other
                          : s.largest_width <= survey.tolerance ? StretchKind::crack
                                                                : StretchKind::gap);
  }
  if (survey.count(StretchKind::crack) == 0) return survey;
  // Only what was found to be a crack is joined.
  RimPairing cracks{survey.pairing.naked, {}, 0};
  for (std::size_t s = 0; s < survey.stretches.size(); ++s) {
    if (survey.kind[s] != StretchKind::crack) continue;
    for (const std::uint32_t p : survey.stretches[s].pairs) {
      cracks.pairs.push_back(survey.pairing.pairs[p]);
    }
  }
  survey.joined = std::make_unique<Zipped>(
      apply_zip(mesh, patch_of, cracks, plan_zip(mesh, edges, cracks, survey.tolerance)));
  survey.joined->mesh.points_are_distinct = true;
  return survey;
}

std::optional<ToleranceProposal> common_tolerance(const std::optional<ToleranceProposal>& a,
                                                  const std::optional<ToleranceProposal>& b) {
  if (!a || !b) return a ? a : b;
  ToleranceProposal common = a->value >= b->value ? *a : *b;
  common.closes = a->closes + b->closes;
  common.of = a->of + b->of;
  common.stay_below = a->stay_below;
  if (b->stay_below) {
    common.stay_below = std::min(common.stay_below.value_or(*b->stay_below), *b->stay_below);
  }
  return common;
}

}  // namespace aguja
