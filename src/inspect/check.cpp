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
  using enum FindingKind;
  static const std::vector<RegisteredCheck> kChecks = {
      {.name = "rims", .kinds = {crack, gap, opening, sheet_border}, .on_part = check_rims},
      {.name = "nonmanifold-edges",
       .kinds = {nonmanifold_edge},
       .on_part = check_nonmanifold_edges},
      {.name = "wire-edges", .kinds = {wire_edge}, .on_part = check_wire_edges},
      {.name = "nonmanifold-vertices",
       .kinds = {nonmanifold_vertex},
       .on_part = check_nonmanifold_vertices},
      {.name = "unused-vertices", .kinds = {unused_vertex}, .on_part = check_unused_vertices},
      {.name = "zero-area", .kinds = {FindingKind::zero_area}, .on_part = check_zero_area},
      {.name = "duplicates",
       .kinds = {duplicate_triangle, back_to_back},
       .on_part = check_duplicates},
      {.name = "winding", .kinds = {winding_conflict}, .on_part = check_winding},
      {.name = "closed-shells",
       .kinds = {inverted_shell, nesting, zero_volume},
       .on_part = check_closed_shells},
      {.name = "inverted-patches", .kinds = {inverted_patch}, .on_part = check_inverted_patches},
      {.name = "internal-faces", .kinds = {internal_face}, .on_part = check_internal_faces},
      {.name = "loose-sheets", .kinds = {loose_sheet}, .on_part = check_loose_sheets},
      {.name = "crossing-groups", .kinds = {crossing, overlap, touch}, .on_part = check_crossings},
      {.name = "stray-shells", .kinds = {stray_shell}, .on_part = check_stray_shells},
      {.name = "hanging-vertices", .kinds = {hanging_vertex}, .on_part = check_hanging_vertices},
      {.name = "near-vertices", .kinds = {near_vertices}, .on_part = check_near_vertices},
      {.name = "slivers", .kinds = {sliver_triangle}, .on_part = check_slivers},
      {.name = "folds", .kinds = {folded_triangle}, .on_part = check_folded},
      {.name = "stored-normals", .kinds = {normal_mismatch}, .on_part = check_stored_normals},
      {.name = "patch-shapes",
       .kinds = {short_edge, sliver_patch, tiny_patch, acute_corner, knife_edge, split_patch,
                 runaway_face},
       .needs_patches = true,
       .on_part = check_patches},
      {.name = "thin-walls",
       .kinds = {thin_wall},
       .needs_patches = true,
       .on_part = check_thin_walls},
      {.name = "narrow-slots",
       .kinds = {narrow_slot},
       .needs_patches = true,
       .on_part = check_narrow_slots},
      {.name = "decimals",
       .kinds = {precision_doubt},
       .needs_patches = true,
       .on_part = check_decimals},
      {.name = "precision", .kinds = {precision_doubt}, .on_model = check_precision},
      {.name = "unit", .kinds = {unit_doubt}, .on_model = check_unit},
  };
  return kChecks;
}

FindingSink::FindingSink(const Model& model, std::optional<std::size_t> part_index,
                         const InspectOptions& options, Inspection& inspection)
    : part_(part_index ? model.parts[*part_index].name : ""),
      part_index_(part_index),
      options_(options),
      first_(inspection.findings.size()),
      inspection_(inspection) {}

bool FindingSink::wants(FindingKind kind) const {
  if (!options_.only.empty()) return options_.only.contains(kind);
  return !options_.profile.skipped.contains(kind);
}

bool FindingSink::has_found(std::initializer_list<FindingKind> kinds) const {
  const auto& all = inspection_.findings;
  return std::any_of(all.begin() + static_cast<std::ptrdiff_t>(first_), all.end(),
                     [&](const Finding& f) {
                       return std::find(kinds.begin(), kinds.end(), f.kind) != kinds.end();
                     });
}

void FindingSink::settle_waiting() {
  auto& findings = inspection_.findings;
  std::set<FindingKind> present;
  for (std::size_t i = first_; i < findings.size(); ++i) present.insert(findings[i].kind);
  for (std::size_t i = first_; i < findings.size(); ++i) {
    std::erase_if(findings[i].waits_for, [&](FindingKind kind) { return !present.contains(kind); });
  }
}

void FindingSink::add(Finding finding, std::span<const Point> geometry,
                      std::vector<TriangleId> triangles) {
  if (!wants(finding.kind)) return;
  finding.severity = options_.profile.severity(finding.kind);
  finding.part = part_;
  finding.part_index = part_index_;
  finding.id = std::string(slug(finding.kind)) + "-" + hex8(digest(geometry));
  std::sort(triangles.begin(), triangles.end());
  triangles.erase(std::unique(triangles.begin(), triangles.end()), triangles.end());
  finding.triangle_total = triangles.size();
  if (triangles.size() > options_.most_triangles) triangles.resize(options_.most_triangles);
  finding.triangles = std::move(triangles);
  for (const Waiver& waiver : options_.profile.waivers) {
    if (!finding.waived && waiver.covers(finding)) finding.waived = waiver.reason;
  }
  inspection_.findings.push_back(std::move(finding));
}

void FindingSink::wait(FindingKind kind, std::size_t count, FindingKind waits_for) {
  if (count > 0) inspection_.waiting.push_back({part_, kind, count, waits_for});
}

}  // namespace aguja
