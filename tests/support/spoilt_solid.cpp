#include "tests/support/spoilt_solid.h"

#include <Eigen/Geometry>

#include "demo/crack.h"
#include "tests/support/shapes.h"

namespace aguja::test {

Whole random_solid(Random& random) {
  Mesh mesh;
  switch (random.index(4)) {
    case 0:
      mesh = grid_box(4 + static_cast<int>(random.index(4)), {1, random.between(0.5, 2), 1}, true);
      break;
    case 1:
      mesh = torus(40, 16, 3, 1);
      break;
    case 2:
      mesh = cylinder(32, 6, 1, 2);
      break;
    default:
      mesh = sphere(16);
  }
  const Eigen::AngleAxisd turn{random.between(0, 6),
                               Vector{random.unit(), 1, random.unit()}.normalized()};
  const Vector shift(random.unit(), 2, 3);
  for (Point& p : mesh.points) p = turn * p + shift;
  return {mesh, volume_of(mesh)};
}

namespace {

std::uint32_t any(const Mesh& mesh, Random& random) {
  return static_cast<std::uint32_t>(random.index(mesh.triangles.size()));
}

}  // namespace

Mesh soup_of(const Mesh& mesh) {
  Mesh soup;
  for (Triangle t : mesh.triangles) {
    for (VertexId& v : t.corner) {
      soup.points.push_back(mesh.point(v));
      v = {static_cast<std::uint32_t>(soup.points.size() - 1)};
    }
    soup.triangles.push_back(t);
  }
  soup.patch_of = mesh.patch_of;
  return soup;
}

void spoil(Mesh& mesh, Defect defect, double width, Random& random) {
  switch (defect) {
    case Defect::crack: {
      // Two halves, torn apart along the triangles between.
      const Point middle = box_of(mesh).low + 0.5 * (box_of(mesh).high - box_of(mesh).low);
      const auto kept = mesh.patch_of;
      mesh.patch_of.clear();
      for (const Triangle& t : mesh.triangles) {
        mesh.patch_of.push_back({mesh.point(t[0]).x() < middle.x() ? 0u : 1u});
      }
      mesh = demo::cracked(mesh, {.width = width, .seed = random.bits()});
      mesh.patch_of = kept;
      break;
    }
    case Defect::hole: {
      const std::uint32_t t = any(mesh, random);
      mesh.triangles.erase(mesh.triangles.begin() + t);
      if (!mesh.patch_of.empty()) mesh.patch_of.erase(mesh.patch_of.begin() + t);
      break;
    }
    case Defect::turned:
      for (int i = 0; i < 3; ++i) {
        Triangle& t = mesh.triangles[any(mesh, random)];
        std::swap(t[0], t[1]);
      }
      break;
    case Defect::copies:
    case Defect::back: {
      const std::uint32_t t = any(mesh, random);
      Triangle copy = mesh.triangles[t];
      if (defect == Defect::back) std::swap(copy[0], copy[1]);
      mesh.triangles.push_back(copy);
      if (!mesh.patch_of.empty()) mesh.patch_of.push_back(PatchId(mesh.patch_of[t]));
      break;
    }
    case Defect::fin: {
      const std::uint32_t t = any(mesh, random);
      const Triangle base = mesh.triangles[t];
      const Vector n = (mesh.point(base[1]) - mesh.point(base[0]))
                           .cross(mesh.point(base[2]) - mesh.point(base[0]))
                           .normalized();
      mesh.points.push_back(mesh.point(base[0]) + 0.3 * n);
      mesh.triangles.push_back(
          {{base[0], base[1], {static_cast<std::uint32_t>(mesh.points.size() - 1)}}});
      if (!mesh.patch_of.empty()) mesh.patch_of.push_back(PatchId(mesh.patch_of[t]));
      break;
    }
    case Defect::stray: {
      const auto base = static_cast<std::uint32_t>(mesh.points.size());
      const Point at = box_of(mesh).high + Vector(1, 1, 1);
      for (int i = 0; i < 3; ++i) mesh.points.push_back(at + 0.01 * Vector(i == 0, i == 1, 0));
      mesh.triangles.push_back({{{base}, {base + 1}, {base + 2}}});
      if (!mesh.patch_of.empty()) mesh.patch_of.push_back({0});
      break;
    }
    case Defect::needle: {
      // An edge of two triangles divided next to its end.
      split_edge(mesh, any(mesh, random), 0, 1e-7, Vector::Zero());
      break;
    }
    case Defect::soup: {
      mesh = soup_of(mesh);
      break;
    }
  }
  mesh.points_are_distinct = false;
}

}  // namespace aguja::test
