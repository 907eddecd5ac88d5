#pragma once
// Collects faces of any number of corners while a file is read.

#include "aguja/formats/format.h"
#include "aguja/mesh/polygon.h"
#include "aguja/model/model.h"

namespace aguja::detail {

struct FaceList {
  SharedArray<Triangle> triangles;
  SharedArray<Wire> wires;
  std::vector<FannedPolygon> polygons;
  std::size_t single_corners = 0;

  /// Two corners make a wire, one makes nothing but a note.
  void add(std::span<const VertexId> corners) {
    if (corners.size() == 3) {
      triangles.push_back({{corners[0], corners[1], corners[2]}});
    } else if (corners.size() > 3) {
      polygons.push_back({triangles.size(), corners.size()});
      append_fan(triangles, corners);
    } else if (corners.size() == 2) {
      wires.push_back({corners[0], corners[1]});
    } else {
      ++single_corners;
    }
  }
  /// Adds what a later piece of the file collected.
  void append(const FaceList& later);
};

/// The faces as a model of one part, polygons divided.
/// Errors: InputError if there are more triangles than a mesh holds.
[[nodiscard]] Model model_of(const Source& source, SharedArray<Point> points, FaceList faces);

}  // namespace aguja::detail
