#pragma once
// The checks that are built in, one file each in checks/; their table is in check.cpp.

#include "aguja/inspect/check.h"
#include "aguja/mesh/joined_surface.h"
#include "aguja/mesh/patches.h"
#include "aguja/solid/material.h"
#include "inspect/causes.h"

namespace aguja {

/// Triangles that lie back on two neighbours at least, each with the least angle; nothing else is
/// told of them.
struct FoldedTriangle {
  TriangleId triangle;
  double angle;  // degrees
};
[[nodiscard]] std::vector<FoldedTriangle> find_folded(const PartView& view);
[[nodiscard]] FindingKind contact_kind(Contact contact);

void check_rims(const PartView& view, FindingSink& sink);
void check_nonmanifold_edges(const PartView& view, FindingSink& sink);
void check_wire_edges(const PartView& view, FindingSink& sink);
void check_nonmanifold_vertices(const PartView& view, FindingSink& sink);
void check_unused_vertices(const PartView& view, FindingSink& sink);
void check_zero_area(const PartView& view, FindingSink& sink);
void check_duplicates(const PartView& view, FindingSink& sink);
void check_winding(const PartView& view, FindingSink& sink);
void check_closed_shells(const PartView& view, FindingSink& sink);
void check_crossings(const PartView& view, FindingSink& sink);
void check_stray_shells(const PartView& view, FindingSink& sink);
void check_internal_faces(const PartView& view, FindingSink& sink);
void check_inverted_patches(const PartView& view, FindingSink& sink);
void check_loose_sheets(const PartView& view, FindingSink& sink);
void check_hanging_vertices(const PartView& view, FindingSink& sink);
void check_near_vertices(const PartView& view, FindingSink& sink);
void check_slivers(const PartView& view, FindingSink& sink);
void check_folded(const PartView& view, FindingSink& sink);
void check_stored_normals(const PartView& view, FindingSink& sink);
void check_patches(const PartView& view, FindingSink& sink);
void check_thin_walls(const PartView& view, FindingSink& sink);
void check_narrow_slots(const PartView& view, FindingSink& sink);
void check_decimals(const PartView& view, FindingSink& sink);
void check_precision(const Model& model, const ResolvedLimits& limits, FindingSink& sink);
void check_unit(const Model& model, const ResolvedLimits& limits, FindingSink& sink);
void check_surfaces(const Model& model, const ResolvedLimits& limits, FindingSink& sink);

}  // namespace aguja
