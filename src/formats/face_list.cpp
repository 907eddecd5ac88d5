#include "formats/face_list.h"

#include "formats/text.h"

namespace aguja::detail {

void FaceList::append(const FaceList& later) {
  for (const FannedPolygon& p : later.polygons) {
    polygons.push_back({triangles.size() + p.first, p.corners});
  }
  triangles.insert(triangles.end(), later.triangles.begin(), later.triangles.end());
  wires.insert(wires.end(), later.wires.begin(), later.wires.end());
  single_corners += later.single_corners;
}

Model model_of(const Source& source, SharedArray<Point> points, FaceList faces) {
  if (faces.triangles.size() > kMostTriangles) {
    fail_at_byte(source, 0, InputProblem::too_large,
                 std::to_string(faces.triangles.size()) + " triangles are more than a mesh holds");
  }
  Model model;
  const std::size_t defeated = divide_polygons(points, faces.triangles, faces.polygons);
  if (!faces.polygons.empty()) {
    model.notes.push_back(std::to_string(faces.polygons.size()) +
                          " polygons were divided into triangles");
  }
  if (defeated > 0) model.notes.push_back(std::to_string(defeated) + " of them cross themselves");
  if (faces.single_corners > 0) {
    model.notes.push_back(std::to_string(faces.single_corners) +
                          " faces with fewer than two corners are not kept");
  }
  PartDraft part;
  part.mesh.points = std::move(points);
  part.mesh.triangles = std::move(faces.triangles);
  part.mesh.wires = std::move(faces.wires);
  model.parts.emplace_back(std::move(part));
  return model;
}

}  // namespace aguja::detail
