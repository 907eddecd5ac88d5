#include "aguja/mend/refusal.h"

#include <array>

#include "base/short_text.h"

namespace aguja {
namespace {

struct Words {
  std::string_view slug;
  std::string_view text;
};

constexpr std::array<Words, 15> kWords = {{
    {"third-triangle", "an edge would carry more than two triangles"},
    {"no-area", "a triangle would lose its area"},
    {"turned-over", "a triangle would be turned over"},
    {"crossing", "triangles would cross, overlap or touch"},
    {"pinch", "surfaces would meet in nothing but a point"},
    {"coincidence", "the common vertex would fall on another one"},
    {"no-gain", "as many naked edges or defects would be left as there were"},
    {"beyond-budget", "the surface would move farther than the budget allows"},
    {"naked-edges", "more naked edges would be left than there were"},
    {"not-a-loop", "the naked edges there form no closed loop that runs one way"},
    {"does-not-apply", "the method has nothing to work on there"},
    {"size-limit", "smaller or larger than the limits of the step"},
    {"undecided", "the evidence does not say which way is right"},
    {"wall-lost", "a wall would lose its thickness there"},
    {"large", "nothing large goes by itself"},
}};

const Words& words(RefusalReason reason) { return kWords.at(static_cast<std::size_t>(reason)); }

}  // namespace

std::string_view slug(RefusalReason reason) { return words(reason).slug; }
std::string_view text(RefusalReason reason) { return words(reason).text; }

Refusal beyond_budget(const Point& place, double budget) {
  constexpr double kRoundedUp = 1.005;
  return {RefusalReason::beyond_budget, place, "it needs " + short_text(kRoundedUp * budget)};
}

}  // namespace aguja
