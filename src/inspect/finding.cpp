#include "aguja/inspect/finding.h"

#include <algorithm>

namespace aguja {

std::vector<std::size_t> parts_of(const Finding& finding) {
  std::vector<std::size_t> parts;
  if (finding.part_index) parts.push_back(*finding.part_index);
  for (const PartEntities& p : finding.further_parts) parts.push_back(p.part_index);
  return parts;
}

std::string part_names(const Finding& finding) {
  std::string names = finding.part;
  for (const PartEntities& p : finding.further_parts) names += ", " + p.part;
  return names;
}

bool is_about(const Finding& finding, std::string_view part) {
  return finding.part == part ||
         std::any_of(finding.further_parts.begin(), finding.further_parts.end(),
                     [&](const PartEntities& p) { return p.part == part; });
}

std::span<const TriangleId> triangles_in(const Finding& finding, std::size_t part) {
  if (finding.part_index == part) return finding.triangles;
  for (const PartEntities& p : finding.further_parts) {
    if (p.part_index == part) return p.triangles;
  }
  return {};
}

}  // namespace aguja
