#include "mend/keep_surfaces.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include <Eigen/Geometry>

#include "mend/body_rim.h"
#include "mend/faces_of_fills.h"
#include "mend/fill_name.h"
#include "mend/other_facets.h"
#include "mend/same_triangle.h"

namespace aguja {
namespace {

// By patch, what became of its triangles.
struct PatchTally {
  std::size_t all = 0, left = 0, turned = 0, joined = 0;
  std::uint32_t now = kNoIndex;  // the patch that those that are left have
  bool are_others = false;       // some are not what they were
  [[nodiscard]] bool is_gone() const { return left == 0; }
  [[nodiscard]] bool is_whole() const {
    return is_gone() || (left == all && !are_others && (turned == 0 || turned == all));
  }
  // Something else may stand for the same face.
  [[nodiscard]] bool is_divided(std::uint32_t own) const {
    return !is_whole() && now == own && turned == 0 && joined == 0;
  }
};

// None if those of a patch are not all of one, or some are turned and others not.
std::optional<std::vector<PatchTally>> tallies(const Mesh& before, const Change& change,
                                               std::size_t patches) {
  std::vector<PatchTally> tally(patches);
  for (const PatchId patch : before.patch_of) ++tally[patch.value].all;
  std::vector<bool> is_left(before.triangles.size());
  for (std::uint32_t t = 0; t < change.mesh.triangles.size(); ++t) {
    const TriangleId parent = change.parent[t];
    if (parent.value == kNoIndex) continue;
    PatchTally& own = tally[before.patch_of[parent.value].value];
    const std::uint32_t now = change.mesh.patch_of[t].value;
    const Sameness same = same_triangle(before, parent, change.mesh, {t});
    if (own.now == kNoIndex) own.now = now;
    if (own.now != now) return std::nullopt;
    own.are_others |= same == Sameness::different || is_left[parent.value];
    is_left[parent.value] = true;
    ++own.left;
    own.turned += same == Sameness::turned;
  }
  // What others were joined to stays itself.
  for (std::uint32_t p = 0; p < patches; ++p) {
    const std::uint32_t now = tally[p].now;
    if (now == kNoIndex || now == p) continue;
    if (now >= patches || tally[now].now != now) return std::nullopt;
    ++tally[now].joined;
  }
  for (std::uint32_t p = 0; p < patches; ++p) {
    if (!tally[p].is_whole() && !tally[p].is_divided(p)) return std::nullopt;
  }
  return tally;
}

// The faces of one body through a change.
class FacesThrough {
 public:
  FacesThrough(const SurfaceOrigin& origin, const Mesh& before, Change& change,
               const std::vector<PatchTally>& tally)
      : origin_(origin), change_(change), tally_(tally), body_(origin.body) {
    for (std::uint32_t t = 0; t < change.mesh.triangles.size(); ++t) {
      const TriangleId parent = change.parent[t];
      patch_of_.push_back(parent.value == kNoIndex ? PatchId{kNoIndex}
                                                   : before.patch_of[parent.value]);
    }
  }

  void drop_and_turn() {
    FaceEdit edit;
    for (std::uint32_t f = 0; f < face_count(); ++f) {
      const PatchTally& own = tally_[origin_.first_patch + f];
      if (own.all == 0 || !body_->body.faces[f].is_used) continue;
      if (own.left == 0) {
        edit.dropped.push_back(f);
      } else if (own.turned > 0) {
        edit.turned.push_back(f);
      }
    }
    dropped_ = edit.dropped.size();
    turned_ = edit.turned.size();
    take(edit);
  }

  // One of the faces that are to be one gets loops around all of them.
  bool join() {
    for (std::uint32_t f = 0; f < face_count(); ++f) {
      const std::uint32_t patch = origin_.first_patch + f;
      if (tally_[patch].joined == 0) continue;
      std::vector<std::uint32_t> faces;
      for (std::uint32_t g = 0; g < face_count(); ++g) {
        if (tally_[origin_.first_patch + g].now == patch) faces.push_back(g);
      }
      if (faces.size() != tally_[patch].joined + 1) return false;  // some of another body
      std::vector<std::uint32_t> fill_of(patch_of_.size(), kNoIndex);
      for (std::size_t t = 0; t < patch_of_.size(); ++t) {
        if (patch_of_[t].value == kNoIndex || tally_[patch_of_[t].value].now != patch) continue;
        fill_of[t] = 0;
      }
      if (!join(faces, fill_of)) part_again(faces.size() - 1, fill_of);
    }
    return true;
  }
  bool join(const std::vector<std::uint32_t>& faces, const std::vector<std::uint32_t>& fill_of) {
    FaceEdit all;
    all.dropped = faces;
    const PreparedBody without = edited(body_, all);
    const BodyRim rim(*body_, origin_.placement);
    std::vector<TriangleId> triangles;
    double area = 0;
    for (std::uint32_t t = 0; t < fill_of.size(); ++t) {
      if (fill_of[t] != 0) continue;
      triangles.push_back({t});
      area += area_in_body(rim, {t});
    }
    for (const auto& [own, surface] : surfaces_for(faces, rim, triangles)) {
      std::optional<FillFaces> made =
          faces_of_fills({change_.mesh, fill_of, patch_of_, without, origin_.placement,
                          origin_.first_patch, surface});
      if (!made || made->faces.size() != 1 || !made->edges.empty()) continue;
      NewFace& face = made->faces[0];
      const bool is_other = surface != body_->body.faces[own].surface;
      FaceEdit edit;
      for (const std::uint32_t g : faces) {
        if (g != own) edit.dropped.push_back(g);
      }
      const std::size_t joined = edit.dropped.size();
      edit.looped.push_back({own, std::move(face.face.loops), face.facets, face.fit,
                             is_other ? surface : nullptr, face.face.same_sense});
      const auto joint = std::make_shared<const PreparedBody>(edited(body_, edit));
      if (!can_be_divided(*joint, own, area)) continue;
      body_ = joint;
      dropped_ += joined;
      for (const TriangleId t : triangles) {
        patch_of_[t.value] = {origin_.first_patch + own};
        change_.mesh.patch_of[t.value] = patch_of_[t.value];
      }
      return true;
    }
    return false;
  }
  // Who reads the face will find what its facets show now.
  [[nodiscard]] static bool can_be_divided(const PreparedBody& body, std::uint32_t face,
                                           double area) {
    constexpr double kOtherArea = 0.05;
    TessellationOptions options;
    options.chord = body.chord;
    const TessellatedBody own = tessellate(body_of_face(body.body, face), options);
    double found = 0;
    for (const Triangle& t : own.mesh.triangles) {
      found += area_of({own.mesh.point(t[0]), own.mesh.point(t[1]), own.mesh.point(t[2])});
    }
    return own.troubles.empty() && std::fabs(found - area) <= kOtherArea * area;
  }
  // In the body's unit.
  [[nodiscard]] double area_in_body(const BodyRim& rim, TriangleId t) const {
    const Triangle& v = change_.mesh.triangles[t.value];
    return area_of({rim.to_body(change_.mesh.point(v[0])), rim.to_body(change_.mesh.point(v[1])),
                    rim.to_body(change_.mesh.point(v[2]))});
  }
  // Which of the faces may be around all of them, on what: on its own surface, on the plane of one, on
  // that of the facets, if the surfaces are splines that end.
  [[nodiscard]] std::vector<std::pair<std::uint32_t, SurfacePtr>> surfaces_for(
      const std::vector<std::uint32_t>& faces, const BodyRim& rim,
      const std::vector<TriangleId>& triangles) const {
    std::vector<std::pair<std::uint32_t, SurfacePtr>> all;
    const auto add = [&](std::uint32_t f) { all.emplace_back(f, body_->body.faces[f].surface); };
    add(faces[0]);
    for (std::size_t i = 1; i < faces.size(); ++i) {
      if (body_->body.faces[faces[i]].surface->kind() != SurfaceKind::plane) continue;
      add(faces[i]);
      break;
    }
    Vector area = Vector::Zero();
    Point middle = Point::Zero();
    for (const TriangleId t : triangles) {
      const Triangle& v = change_.mesh.triangles[t.value];
      const Point a = rim.to_body(change_.mesh.point(v[0])),
                  b = rim.to_body(change_.mesh.point(v[1])),
                  c = rim.to_body(change_.mesh.point(v[2]));
      area += (b - a).cross(c - a);
      middle += (a + b + c) / (3 * static_cast<double>(triangles.size()));
    }
    if (area.norm() > 0) {
      const Vector n = area.normalized();
      all.emplace_back(faces[0], make_plane(Frame::from(middle, n, n.unitOrthogonal())));
    }
    return all;
  }

  // What other facets stand for stays as it is.
  bool divide() {
    std::vector<std::uint32_t> faces;
    for (std::uint32_t f = 0; f < face_count(); ++f) {
      if (tally_[origin_.first_patch + f].is_divided(origin_.first_patch + f)) faces.push_back(f);
    }
    if (faces.empty()) return true;
    const EdgeTable edges(change_.mesh.triangles, change_.mesh.points.size());
    const SurfaceOrigin now{body_, origin_.placement, origin_.first_patch};
    auto facets = other_facets({change_.mesh, edges, now, origin_.body->body}, faces);
    if (!facets) return false;
    FaceEdit edit;
    edit.divided = std::move(*facets);
    divided_ = faces.size();
    take(edit);
    return true;
  }

  // Fills take the numbers after those of the faces.
  bool add(std::uint32_t first_fill, std::size_t fills_before) {
    std::vector<std::uint32_t> fill_of;
    for (std::size_t t = 0; t < patch_of_.size(); ++t) {
      if (patch_of_[t].value != kNoIndex) {
        fill_of.push_back(kNoIndex);
        continue;
      }
      // What is added by hand may be of no fill.
      const std::uint32_t fill = change_.mesh.patch_of[t].value - first_fill;
      if (change_.mesh.patch_of[t].value < first_fill || fill >= change_.new_patches.size()) {
        return false;
      }
      fill_of.push_back(fill);
    }
    std::optional<FillFaces> fills = faces_of_fills(
        {change_.mesh, fill_of, patch_of_, *body_, origin_.placement, origin_.first_patch});
    if (!fills) return false;
    std::vector<std::string> names;
    for (std::size_t i = 0; i < fills->faces.size(); ++i) {
      names.push_back(change_.new_patches[fills->fill_of_face[i]]);
      fills->faces[i].face.name = fill_name(names[i], fills_before + i + 1);
    }
    change_.new_patches = std::move(names);
    const std::uint32_t first = origin_.first_patch + face_count();
    for (std::size_t i = 0; i < fills->triangles.size(); ++i) {
      change_.mesh.patch_of[fills->triangles[i].value] = {first + fills->face_of[i]};
    }
    FaceEdit edit;
    edit.new_vertices = std::move(fills->vertices);
    edit.new_edges = std::move(fills->edges);
    edit.added = std::move(fills->faces);
    added_ = edit.added.size();
    const std::uint32_t first_face = face_count();
    take(edit);
    std::vector<double> area(added_);
    const BodyRim rim(*body_, origin_.placement);
    for (std::size_t i = 0; i < fills->triangles.size(); ++i) {
      area[fills->face_of[i]] += area_in_body(rim, fills->triangles[i]);
    }
    for (std::uint32_t i = 0; i < added_; ++i) {
      if (!can_be_divided(*body_, first_face + i, area[i])) return false;
    }
    return true;
  }

  void tell(KeptSurfaces& kept) const {
    kept.dropped += dropped_;
    kept.turned += turned_;
    kept.added += added_;
    kept.divided += divided_;
    kept.apart += apart_;
    kept.surfaces.push_back(origin_);
    kept.surfaces.back().body = body_;
  }

 private:
  [[nodiscard]] std::uint32_t face_count() const {
    return static_cast<std::uint32_t>(origin_.body->body.faces.size());
  }
  // They stay themselves.
  void part_again(std::size_t joined, const std::vector<std::uint32_t>& fill_of) {
    for (std::uint32_t t = 0; t < patch_of_.size(); ++t) {
      if (fill_of[t] == 0) change_.mesh.patch_of[t] = patch_of_[t];
    }
    apart_ += joined;
  }
  void take(const FaceEdit& edit) {
    if (!edit.is_empty()) body_ = std::make_shared<const PreparedBody>(edited(body_, edit));
  }

  const SurfaceOrigin& origin_;
  Change& change_;
  const std::vector<PatchTally>& tally_;
  PreparedBodyPtr body_;
  std::vector<PatchId> patch_of_;  // by triangle: as it is before those of it are joined
  std::size_t dropped_ = 0, turned_ = 0, added_ = 0, divided_ = 0, apart_ = 0;
};

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
  if (!tally) return std::nullopt;
  const bool adds = std::any_of(change.parent.begin(), change.parent.end(),
                                [](TriangleId p) { return p.value == kNoIndex; });
  // Numbers that follow the last face's are those of what has no face, or of the next body.
  const bool has_room =
      before.surfaces.size() == 1 &&
      before.surfaces[0].first_patch + before.surfaces[0].body->body.faces.size() == patches;
  if (adds && !has_room) return std::nullopt;
  // What is tried in vain leaves the patches as the remedy numbered them.
  const auto patch_of = change.mesh.patch_of;
  const auto new_patches = change.new_patches;
  KeptSurfaces kept;
  kept.first_added = patches;
  for (const SurfaceOrigin& origin : before.surfaces) {
    FacesThrough faces(origin, mesh, change, *tally);
    faces.drop_and_turn();
    if (!faces.join() || (adds && !faces.add(first_fill, fills)) || !faces.divide()) {
      change.mesh.patch_of = patch_of;
      change.new_patches = new_patches;
      return std::nullopt;
    }
    faces.tell(kept);
  }
  return kept;
}

}  // namespace aguja
