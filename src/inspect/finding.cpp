#include "aguja/inspect/finding.h"

#include <array>

namespace aguja {
namespace {

using enum FindingKind;

constexpr std::array<KindInfo, 20> kKinds = {{
    {crack, "crack", "edges", Severity::error, Dimension::length, "largest width",
     "two stretches of naked edges that only need joining",
     "however narrow, the inside runs out through it, and no element crosses it", "stitch"},
    {gap, "gap", "edges", Severity::error, Dimension::length, "largest width",
     "two stretches of naked edges that face each other, too far apart to be noise",
     "a sliver of surface is missing; a mesher fills it badly or not at all",
     "stitch with a larger tolerance if both sides may move so far; else fill"},
    {opening, "opening", "edges", Severity::error, Dimension::length, "rim length",
     "a rim of naked edges around missing surface",
     "the inside runs out through it: nothing can be filled with elements", "fill"},
    {sheet_border, "sheet-border", "edges", Severity::error, Dimension::length, "rim length",
     "the rim of a sheet that encloses no volume",
     "a sheet is no boundary of material; a volume mesher stops at it",
     "drop, or offset to give it a thickness"},
    {nonmanifold_edge, "nonmanifold-edge", "edges", Severity::error, Dimension::length,
     "edge length", "an edge with three or more triangles",
     "which of the triangles bound the material cannot be told", "drop the flap, or resolve"},
    {wire_edge, "wire-edge", "edges", Severity::warning, Dimension::length, "length",
     "a line with no triangle on it", "it bounds no surface; importers keep it as a stray curve",
     "drop"},
    {nonmanifold_vertex, "nonmanifold-vertex", "vertices", Severity::error, Dimension::count,
     "fans", "several fans of triangles that meet in nothing but one point",
     "bodies that hang together by a point have no thickness there",
     "by hand: part them or join "
     "them, since only the designer knows which"},
    {unused_vertex, "unused-vertex", "vertices", Severity::note, Dimension::count, "vertices",
     "points that no triangle or line uses", "they only spoil boxes and counts", "drop"},
    {zero_area, "zero-area", "triangles", Severity::error, Dimension::length, "longest side",
     "a triangle of exactly no area", "it has no normal; elements grown on it have no volume",
     "collapse"},
    {duplicate_triangle, "duplicate-triangle", "triangles", Severity::error, Dimension::area,
     "area of the copies", "the same triangle more than once, facing the same way",
     "its edges carry too many triangles, and the surface meets itself all over",
     "drop the copies"},
    {back_to_back, "back-to-back", "triangles", Severity::error, Dimension::area,
     "area of the copies", "two triangles on the same three vertices, facing opposite ways",
     "a wall without thickness: elements on both sides of nothing", "drop the pair"},
    {winding_conflict, "winding-conflict", "orientation", Severity::error, Dimension::length,
     "edge length", "neighbours that face opposite ways",
     "inside and outside change places across the edge", "orient"},
    {inverted_shell, "inverted-shell", "orientation", Severity::error, Dimension::volume, "volume",
     "a closed shell that faces inward",
     "its volume is negative: the mesher fills the world around "
     "it, or nothing",
     "orient"},
    {crossing, "crossing", "crossings", Severity::error, Dimension::length, "length of the curve",
     "triangles that pass through each other",
     "the surface has no inside there; boundary recovery fails or never ends", "resolve"},
    {overlap, "overlap", "crossings", Severity::error, Dimension::area, "common area",
     "triangles that lie over each other in a plane, or are folded over",
     "one place of the surface is there twice, with nothing between", "resolve"},
    {touch, "touch", "crossings", Severity::error, Dimension::length, "length of contact",
     "triangles in contact that do not share the vertices or edges there",
     "the mesher sees no connection where the geometry has one: elements without thickness",
     "stitch where edges are naked, else resolve"},
    {nesting, "nesting", "volume", Severity::error, Dimension::volume, "volume",
     "a shell inside another that faces the same way",
     "a cavity turned wrong is filled twice; a body in a body is meshed twice",
     "by hand: cavity or body, only the designer knows"},
    {zero_volume, "zero-volume", "volume", Severity::error, Dimension::area, "area",
     "a closed shell that encloses exactly no volume", "there is nothing to fill", "drop"},
    {stray_shell, "stray-shell", "volume", Severity::warning, Dimension::length, "diagonal",
     "a piece far smaller than the part, connected to nothing",
     "left-overs of modelling become bodies of their own with tiny elements", "drop"},
    {unit_doubt, "unit-doubt", "model", Severity::warning, Dimension::length, "diagonal",
     "a size that looks like the wrong unit",
     "every load, mass and element size is off by the same factor",
     "by hand: say the unit with --unit"},
}};

}  // namespace

std::span<const KindInfo> all_kinds() { return kKinds; }

const KindInfo& info(FindingKind kind) { return kKinds.at(static_cast<std::size_t>(kind)); }

std::string_view slug(FindingKind kind) { return info(kind).slug; }

std::string_view slug(Severity severity) {
  constexpr std::array<std::string_view, 3> kSlugs = {"error", "warning", "note"};
  return kSlugs.at(static_cast<std::size_t>(severity));
}

std::optional<FindingKind> parse_finding_kind(std::string_view text) {
  for (const KindInfo& k : kKinds) {
    if (k.slug == text) return k.kind;
  }
  return std::nullopt;
}

}  // namespace aguja
