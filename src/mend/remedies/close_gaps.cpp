#include "aguja/mend/close_gaps.h"

#include <set>

#include "aguja/mend/remedy.h"
#include "mend/change_chain.h"

namespace aguja::remedies {
namespace {

constexpr SettingInfo kGapSettings[] = {
    {"method", SettingType::word, "auto, move (both sides meet), strip (triangles between)"},
    {"width", SettingType::length,
     "the widest gap that is closed; what the finding says if left out"}};

Change run_close_gaps(const RemedyInput& in) {
  GapOptions options;
  if (const auto word = in.settings.word("method")) {
    const auto method = parse_gap_method(*word);
    if (!method) in.settings.fail("there is no method '" + *word + "' of close-gaps");
    options.method = *method;
  }
  // One after another: what one changes, the next must see.
  ChangeChain chain(in.mesh, in.budget);
  for (const Finding* f : in.target.findings) {
    options.width = in.settings.number("width").value_or(f->measure);
    std::vector<TriangleId> now;
    const std::set<TriangleId> own(f->triangles.begin(), f->triangles.end());
    for (std::uint32_t t = 0; t < chain.now().parent.size(); ++t) {
      if (own.contains(chain.now().parent[t])) now.push_back({t});
    }
    chain.add(close_gap(chain.now().mesh, now, options, chain.budget(), in.progress));
  }
  return chain.take();
}

}  // namespace

constinit const RemedyInfo close_gaps = {
    .slug = "close-gaps",
    .what = "both sides of a gap meet, or a strip is put between",
    .settings = kGapSettings,
    .needs_selection = true,
    .run = run_close_gaps};

}  // namespace aguja::remedies
