#include "inspect/check.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cstring>

namespace aguja {
namespace {

// Order-free: the sum over points of a well-mixed hash of their bits.
std::uint64_t digest(std::span<const Point> points) {
  std::uint64_t sum = 0;
  for (const Point& p : points) {
    std::uint64_t h = 0x243F6A8885A308D3u;
    for (int axis = 0; axis < 3; ++axis) {
      h ^= std::bit_cast<std::uint64_t>(p[axis] + 0.0);
      h *= 0x9E3779B97F4A7C15u;
      h ^= h >> 29;
    }
    h *= 0xBF58476D1CE4E5B9u;
    sum += h ^ (h >> 32);
  }
  return sum * 0x94D049BB133111EBu;
}

std::string hex8(std::uint64_t value) {
  constexpr std::string_view kDigits = "0123456789abcdef";
  std::string text;
  for (int shift = 60; shift >= 32; shift -= 4) text += kDigits[(value >> shift) & 15u];
  return text;
}

}  // namespace

std::span<const RegisteredCheck> registered_checks() {
  static constexpr std::array<RegisteredCheck, 12> kChecks = {{
      {.name = "rims", .on_part = check_rims},
      {.name = "nonmanifold-edges", .on_part = check_nonmanifold_edges},
      {.name = "wire-edges", .on_part = check_wire_edges},
      {.name = "nonmanifold-vertices", .on_part = check_nonmanifold_vertices},
      {.name = "unused-vertices", .on_part = check_unused_vertices},
      {.name = "zero-area", .on_part = check_zero_area},
      {.name = "duplicates", .on_part = check_duplicates},
      {.name = "winding", .on_part = check_winding},
      {.name = "closed-shells", .on_part = check_closed_shells},
      {.name = "crossing-groups", .on_part = check_crossings},
      {.name = "stray-shells", .on_part = check_stray_shells},
      {.name = "unit", .on_model = check_unit},
  }};
  return kChecks;
}

void FindingSink::add(Finding finding, std::span<const Point> geometry,
                      std::vector<TriangleId> triangles) {
  finding.severity = info(finding.kind).severity;
  finding.part = part_;
  finding.id = std::string(slug(finding.kind)) + "-" + hex8(digest(geometry));
  std::sort(triangles.begin(), triangles.end());
  triangles.erase(std::unique(triangles.begin(), triangles.end()), triangles.end());
  finding.triangle_total = triangles.size();
  if (triangles.size() > Finding::kMostListed) triangles.resize(Finding::kMostListed);
  finding.triangles = std::move(triangles);
  inspection_.findings.push_back(std::move(finding));
}

void FindingSink::wait(FindingKind kind, std::size_t count, FindingKind waits_for) {
  if (count > 0) inspection_.waiting.push_back({part_, kind, count, waits_for});
}

}  // namespace aguja
