#include "aguja/solid/internal_triangles.h"

#include <algorithm>

#include "aguja/base/parallel.h"
#include "aguja/solid/winding_field.h"

namespace aguja {

std::size_t count_internal_triangles(const Anatomy& a, const JoinedSurface& joined,
                                     const std::optional<Material>& material, bool crossings) {
  std::vector<bool> internal(a.welded.triangles().size());
  if (material) {
    for (std::uint32_t t = 0; t < material->region_of.size(); ++t) {
      const std::uint32_t r = material->region_of[t];
      if (r != kNoIndex && material->regions[r].role == RegionRole::internal) {
        internal[joined.parent({t}).value] = true;
      }
    }
  }
  // Closed shells in others that face the same way.
  std::optional<TrianglesByShell> triangles;
  for (std::size_t s = 0; s < a.shells.size(); ++s) {
    const Shell& shell = a.shells[s];
    if (!shell.orientation_decided() || !shell.inside_of) continue;
    int around = 0;
    for (auto outer = shell.inside_of; outer; outer = a.shells[*outer].inside_of) {
      around += a.shells[*outer].volume_sign;
    }
    if (std::min(around, around + shell.volume_sign) < 1) continue;
    if (!triangles) triangles.emplace(a.components);
    for (const TriangleId t : (*triangles)[s]) internal[t.value] = true;
  }
  // Where surfaces pass through each other, what lies within the other; and walls that are there
  // twice, back to back.
  if (crossings || !a.duplicates.empty()) {
    std::vector<bool> asked(a.welded.triangles().size());
    if (crossings) {
      std::vector<bool> involved(a.components.count);
      for (const TrianglePair& pair : a.crossings) {
        if (pair.contact == Contact::touch) continue;
        for (const TriangleId t : {pair.first, pair.second}) {
          involved[a.components.shell_of[t.value].value] = true;
        }
      }
      for (std::uint32_t t = 0; t < asked.size(); ++t) {
        asked[t] = a.components.has({t}) && involved[a.components.shell_of[t].value];
      }
    }
    std::vector<bool> balanced(asked.size());
    for (const DuplicateGroup& group : a.duplicates) {
      if (group.same.size() != group.opposite.size()) continue;
      for (const auto* side : {&group.same, &group.opposite}) {
        for (const TriangleId t : *side) asked[t.value] = balanced[t.value] = true;
      }
    }
    // The field of the whole surface is worth its time only if something asks it.
    const bool any = std::find(asked.begin(), asked.end(), true) != asked.end();
    std::vector<TriangleId> all;
    for (std::uint32_t t = 0; any && t < asked.size(); ++t) {
      if (a.components.has({t})) all.push_back({t});
    }
    const WindingField field(a.welded.points(), a.welded.triangles(), all);
    std::vector<std::uint8_t> inside(asked.size());
    parallel_ranges(asked.size(), 1024, [&](Range r) {
      for (std::size_t t = r.begin; t < r.end; ++t) {
        if (!asked[t] || internal[t]) continue;
        const std::optional<double> mean =
            field.at_middle({static_cast<std::uint32_t>(t)}, WindingField::kMostNear);
        inside[t] = mean && (balanced[t] ? *mean >= 0.75 : *mean >= 1.25);
      }
    });
    for (std::size_t t = 0; t < asked.size(); ++t) {
      if (inside[t] != 0) internal[t] = true;
    }
  }
  return static_cast<std::size_t>(std::count(internal.begin(), internal.end(), true));
}

}  // namespace aguja
