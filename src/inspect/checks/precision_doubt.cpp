// precision-doubt: single-precision coordinates too far from the origin for the size of the model,
// or decimals cut short.

#include <cmath>

#include "base/short_text.h"
#include "inspect/checks.h"

namespace aguja {
namespace {

// Do all coordinates fit single precision? A few may by chance.
constexpr std::size_t kFewestPoints = 50;

bool are_floats(const Model& model) {
  std::size_t points = 0;
  for (const Part& part : model.parts) {
    points += part.mesh().points.size();
    const auto others = parallel_collect<bool>(
        part.mesh().points.size(), 1 << 14, [&](Range r, std::vector<bool>& out) {
          for (std::size_t i = r.begin; i < r.end; ++i) {
            if (rounded_to_float(part.mesh().points[i]) == part.mesh().points[i]) continue;
            out.push_back(true);
            return;
          }
        });
    if (!others.empty()) return false;
  }
  return points >= kFewestPoints;
}

}  // namespace

// What was drawn on a grid lies on it exactly; what was rounded to it leaves its surfaces.
void check_decimals(const PartView& view, FindingSink& sink) {
  if (!view.patches) return;
  const std::span<const Point> points = view.anatomy.welded.points();
  const double limit = view.limits[Limit::precision];
  const auto grid = decimal_grid(points, limit);
  if (!grid) return;
  constexpr double kLeastOfCell = 0.2;
  std::size_t off = 0;
  for (const Patch& patch : view.patches->patches) {
    if (patch.surface && patch.fit_error > kLeastOfCell * *grid) ++off;
  }
  if (off == 0) return;
  Finding finding;
  finding.kind = FindingKind::precision_doubt;
  finding.count = 1;
  finding.measure = *grid;
  finding.limit = limit;
  finding.box = box_of(points);
  finding.place = finding.box.center();
  finding.detail = "decimals cut short: vertices of " + std::to_string(off) +
                   " patches leave their surfaces by up to half of that";
  const Point corners[] = {finding.box.low, finding.box.high};
  sink.add(std::move(finding), corners);
}

void check_precision(const Model& model, const ResolvedLimits& limits, FindingSink& sink) {
  const Box box = box_of(model);
  if (box.is_empty()) return;
  const double farthest = std::max(box.low.cwiseAbs().maxCoeff(), box.high.cwiseAbs().maxCoeff());
  if (!(farthest > 0) || !std::isfinite(farthest)) return;
  // Floats have 24 bits.
  const double spacing = std::ldexp(1.0, std::ilogb(farthest) - 23);
  const double limit = limits[Limit::precision];
  if (spacing <= limit || !are_floats(model)) return;
  Finding finding;
  finding.kind = FindingKind::precision_doubt;
  finding.count = 1;
  finding.measure = spacing;
  finding.limit = limit;
  finding.place = box.center();
  finding.box = box;
  finding.detail = "single precision, up to " + short_text(farthest) + " from the origin";
  const Point corners[] = {box.low, box.high};
  sink.add(std::move(finding), corners);
}

}  // namespace aguja
