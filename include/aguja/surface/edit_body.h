#pragma once
/// \file
/// Faces of a body taken out, turned over and put in.

#include <span>
#include <vector>

#include "aguja/surface/prepared_body.h"

namespace aguja {

/// A face to put in. Its loops name edges of the body, and new ones by the numbers that follow these.
struct NewFace {
  Face face;
  std::uint32_t facets = 0;  ///< how many stand for it
  FaceFit fit;
};

/// A face that covers more, or less, of its surface, or lies on another: all else of it stays.
struct OtherLoops {
  std::uint32_t face = 0;
  std::vector<FaceLoop> loops;  ///< as it faces: on their left
  std::uint32_t facets = 0;
  FaceFit fit;
  /// That it is on from then on, and whether it faces as this does; null: its own.
  SurfacePtr surface = nullptr;
  bool same_sense = true;
};

/// A face that is as it was, with other facets.
struct OtherFacets {
  std::uint32_t face = 0;
  std::uint32_t facets = 0;
  FaceFit fit;
};

/// What is to become of the faces of a body. Numbers are those of the body before, rising.
struct FaceEdit {
  std::vector<std::uint32_t> dropped, turned;
  std::vector<OtherLoops> looped;
  std::vector<OtherFacets> divided;
  std::vector<BodyVertex> new_vertices;
  std::vector<BodyEdge> new_edges;  ///< may name new vertices, which are numbered on
  std::vector<NewFace> added;

  [[nodiscard]] bool is_empty() const {
    return dropped.empty() && turned.empty() && looped.empty() && divided.empty() && added.empty();
  }
};

/// The body after that. What is dropped is no longer used, its number stays; a face that is put in
/// belongs to the shell of the first face with which it shares an edge, else to one of its own.
/// Surfaces and edges that are there stay as they are, unless a face is told to be on another surface.
///
/// Cost     O(n) for n faces and edges.
/// Errors   ArgumentError (numbers of nothing, or of faces that are not used).
[[nodiscard]] BodyChange edit_faces(const Body& body, const FaceEdit& edit);

/// The same of a body that has facets: what was found of its faces goes on with them. The facets
/// themselves are the caller's: those of dropped faces are to go, those of turned ones to be turned,
/// those of new ones to be put in, with their patches numbered as the faces are. Sizes of the
/// surfaces of faces that are new, or have other loops, are not known (see `FaceSizes`).
[[nodiscard]] PreparedBody edited(const PreparedBodyPtr& body, const FaceEdit& edit);

/// A face with its edges and vertices as a body of its own, numbered anew.
/// Cost     O(n) in its edges, and in the faces of the shells.
[[nodiscard]] Body body_of_face(const Body& body, std::uint32_t face);

}  // namespace aguja
