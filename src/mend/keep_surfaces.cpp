#include "mend/keep_surfaces.h"

#include <algorithm>

#include "mend/faces_of_fills.h"
#include "mend/fill_name.h"
#include "mend/same_triangle.h"

namespace aguja {
namespace {

// By patch, what became of its triangles.
struct PatchTally {
  std::size_t all = 0, left = 0, turned = 0;
  [[nodiscard]] bool is_whole() const {
    return left == 0 || (left == all && (turned == 0 || turned == all));
  }
};

// None if a triangle is neither what it was nor turned.
std::optional<std::vector<PatchTally>> tallies(const Mesh& before, const Change& change,
                                               std::size_t patches) {
  std::vector<PatchTally> tally(patches);
  for (const PatchId patch : before.patch_of) ++tally[patch.value].all;
  std::vector<bool> is_left(before.triangles.size());
  for (std::uint32_t t = 0; t < change.mesh.triangles.size(); ++t) {
    const TriangleId parent = change.parent[t];
    if (parent.value == kNoIndex) continue;
    const PatchId patch = before.patch_of[parent.value];
    const Sameness same = same_triangle(before, parent, change.mesh, {t});
    if (same == Sameness::different || is_left[parent.value] || change.mesh.patch_of[t] != patch) {
      return std::nullopt;
    }
    is_left[parent.value] = true;
    ++tally[patch.value].left;
    tally[patch.value].turned += same == Sameness::turned;
  }
  return tally;
}

FaceEdit edit_of(const SurfaceOrigin& origin, const std::vector<PatchTally>& tally) {
  FaceEdit edit;
  const Body& body = origin.body->body;
  for (std::uint32_t f = 0; f < body.faces.size(); ++f) {
    const PatchTally& own = tally[origin.first_patch + f];
    if (own.all == 0 || !body.faces[f].is_used) continue;
    if (own.left == 0) {
      edit.dropped.push_back(f);
    } else if (own.turned > 0) {
      edit.turned.push_back(f);
    }
  }
  return edit;
}

// Fills as faces of the body, which has no other beside it.
bool add_faces(const SurfaceOrigin& origin, std::uint32_t first_fill, std::size_t fills_before,
               Change& change, FaceEdit& edit) {
  FaceEdit drops;
  drops.dropped = edit.dropped;
  const PreparedBody without = edited(origin.body, drops);
  std::optional<FillFaces> fills = faces_of_fills(
      {change.mesh, change.parent, first_fill, without, origin.placement, origin.first_patch});
  if (!fills) return false;
  std::vector<std::string> names;
  for (const std::uint32_t patch : fills->patch_of_face) {
    names.push_back(change.new_patches[patch]);
  }
  for (std::size_t i = 0; i < names.size(); ++i) {
    fills->faces[i].face.name = fill_name(names[i], fills_before + i + 1);
  }
  change.new_patches = std::move(names);
  const auto first =
      origin.first_patch + static_cast<std::uint32_t>(origin.body->body.faces.size());
  for (std::size_t i = 0; i < fills->triangles.size(); ++i) {
    change.mesh.patch_of[fills->triangles[i].value] = {first + fills->face_of[i]};
  }
  edit.new_vertices = std::move(fills->vertices);
  edit.new_edges = std::move(fills->edges);
  edit.added = std::move(fills->faces);
  return true;
}

}  // namespace

std::optional<KeptSurfaces> keep_surfaces(const Shape& before, Change& change, std::size_t fills) {
  const Mesh& mesh = before.mesh;
  if (before.surfaces.empty() || mesh.patch_of.empty() || change.mesh.patch_of.empty() ||
      !change.cut_off.triangles.empty()) {
    return std::nullopt;
  }
  std::size_t patches = 0;
  for (const PatchId patch : mesh.patch_of)
    patches = std::max<std::size_t>(patches, patch.value + 1);
  const auto first_fill = static_cast<std::uint32_t>(patches);
  for (const SurfaceOrigin& origin : before.surfaces) {
    patches = std::max(patches, origin.first_patch + origin.body->body.faces.size());
  }
  const auto tally = tallies(mesh, change, patches);
  if (!tally || !std::all_of(tally->begin(), tally->end(),
                             [](const PatchTally& t) { return t.is_whole(); })) {
    return std::nullopt;
  }
  const bool adds = std::any_of(change.parent.begin(), change.parent.end(),
                                [](TriangleId p) { return p.value == kNoIndex; });
  // Numbers that follow the last face's are those of what has no face, or of the next body.
  const bool has_room =
      before.surfaces.size() == 1 &&
      before.surfaces[0].first_patch + before.surfaces[0].body->body.faces.size() == patches;
  if (adds && !has_room) return std::nullopt;
  KeptSurfaces kept;
  kept.first_added = patches;
  for (const SurfaceOrigin& origin : before.surfaces) {
    FaceEdit edit = edit_of(origin, *tally);
    if (adds && !add_faces(origin, first_fill, fills, change, edit)) return std::nullopt;
    kept.dropped += edit.dropped.size();
    kept.turned += edit.turned.size();
    kept.added += edit.added.size();
    SurfaceOrigin after = origin;
    if (!edit.is_empty()) {
      after.body = std::make_shared<const PreparedBody>(edited(origin.body, edit));
    }
    kept.surfaces.push_back(std::move(after));
  }
  return kept;
}

}  // namespace aguja
