#include "aguja/inspect/check.h"

#include <algorithm>
#include <functional>
#include <set>

#include "base/mixed_bits.h"
#include "inspect/checks.h"

namespace aguja {
void Identity::add(std::uint64_t tag, std::uint64_t value) {
  sum_ += mixed(mixed(value + 0x9E3779B97F4A7C15u) + tag);
}

void Identity::add_points(std::span<const Point> points) {
  for (const Point& p : points) {
    std::uint64_t h = 0x243F6A8885A308D3u;
    for (int axis = 0; axis < 3; ++axis) h = mixed(h ^ bits_of(p[axis])) + 0x9E3779B97F4A7C15u;
    sum_ += h;
  }
}

void Identity::add_word(std::string_view word) {
  std::uint64_t h = word.size();
  for (const char c : word) h = mixed(h ^ static_cast<unsigned char>(c)) + 0x9E3779B97F4A7C15u;
  add(3, h);
}

void Identity::add_placement(const Placement& placement) {
  if (placement.is_identity()) return;
  for (std::uint64_t i = 0; i < 9; ++i) {
    add(16 + i, bits_of(placement.linear.data()[i]));
  }
  for (std::uint64_t i = 0; i < 3; ++i) {
    add(32 + i, bits_of(placement.shift[static_cast<Eigen::Index>(i)]));
  }
}

std::uint64_t Identity::value() const { return mixed(sum_); }

std::span<const Check> all_checks() {
  using enum FindingKind;
  static const std::vector<Check> kChecks = {
      {.name = "rims",
       .kinds = {crack, gap, opening, sheet_border, overlap},
       .on_part = check_rims},
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
       .is_counted = true,
       .on_part = check_closed_shells},
      {.name = "inverted-patches", .kinds = {inverted_patch}, .on_part = check_inverted_patches},
      {.name = "internal-faces", .kinds = {internal_face}, .on_part = check_internal_faces},
      {.name = "loose-sheets", .kinds = {loose_sheet}, .on_part = check_loose_sheets},
      {.name = "crossing-groups",
       .kinds = {crossing, overlap, touch},
       .is_counted = true,
       .on_part = check_crossings},
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
      {.name = "surfaces",
       .kinds = {open_loop, loop_crossing, edge_off_surface, vertex_off_edge, unshared_edge,
                 reversed_face, singular_surface, curvature_jump},
       .on_model = check_surfaces},
  };
  return kChecks;
}

bool FindingSink::wants(FindingKind kind) const {
  if (!options_.only.empty()) return options_.only.contains(kind);
  return !options_.profile.skipped.contains(kind);
}

std::size_t FindingSink::seen(FindingKind kind) const {
  const auto i = static_cast<std::size_t>(kind);
  return i < seen_.size() ? seen_[i] : 0;
}

void FindingSink::settle_waiting() {
  std::set<FindingKind> present;
  for (const Finding& f : findings_) present.insert(f.kind);
  for (Finding& f : findings_) {
    std::erase_if(f.waits_for, [&](FindingKind kind) { return !present.contains(kind); });
  }
}

void FindingSink::add(Finding finding, std::span<const Point> geometry,
                      std::vector<TriangleId> triangles) {
  Identity identity;
  if (shape_ == nullptr || shape_->surfaces.empty()) {
    identity.add_points(geometry);
  } else if (wants(finding.kind)) {
    // Facets come and go with the chord height; faces stay.
    std::set<std::pair<const SurfaceOrigin*, std::uint32_t>> faces;
    for (const TriangleId t : triangles) {
      if (const auto face = face_of(*shape_, t)) faces.emplace(face->surface, face->face);
    }
    for (const auto& [surface, face] : faces) {
      const Body& body = surface->body->body;
      Identity one;
      one.add_entity(body.entity);
      one.add_placement(surface->placement);
      if (body.faces[face].entity != 0) {
        one.add_entity(body.faces[face].entity);
      } else {
        one.add_number(face);
      }
      identity.add_number(one.value());
    }
  }
  add(std::move(finding), identity, std::move(triangles));
}

namespace {

// Most lists come in order, which is soon seen.
void sort_out(std::vector<TriangleId>& triangles) {
  const auto is_in_order = std::adjacent_find(triangles.begin(), triangles.end(),
                                              std::greater_equal<>()) == triangles.end();
  if (is_in_order) return;
  std::sort(triangles.begin(), triangles.end());
  triangles.erase(std::unique(triangles.begin(), triangles.end()), triangles.end());
}

// There may be many findings: what is not listed must not keep its memory.
std::vector<TriangleId> first_of(std::vector<TriangleId> triangles, std::size_t count) {
  if (triangles.size() <= count) return triangles;
  return {triangles.begin(), triangles.begin() + static_cast<std::ptrdiff_t>(count)};
}

}  // namespace

void FindingSink::add(Finding finding, const Identity& identity,
                      std::vector<TriangleId> triangles) {
  const auto kind = static_cast<std::size_t>(finding.kind);
  if (kind >= seen_.size()) seen_.resize(kind + 1);
  ++seen_[kind];
  if (!wants(finding.kind)) return;
  finding.identity = identity.value();
  sort_out(triangles);
  if (shape_ != nullptr && !finding.face && !triangles.empty()) {
    if (const auto face = face_of(*shape_, triangles[0])) {
      finding.face = face->face;
      const EntityNumber entity = face->surface->body->body.faces[face->face].entity;
      if (entity != 0) finding.entity = entity;
    }
  }
  finding.triangle_total = triangles.size();
  finding.triangles = first_of(std::move(triangles), options_.most_triangles);
  for (PartEntities& p : finding.further_parts) {
    sort_out(p.triangles);
    p.triangle_total = p.triangles.size();
    p.triangles = first_of(std::move(p.triangles), options_.most_triangles);
  }
  findings_.push_back(std::move(finding));
}

void FindingSink::wait(FindingKind kind, std::size_t count, FindingKind waits_for) {
  if (count > 0) waiting_.push_back({"", kind, count, waits_for});
}

}  // namespace aguja
