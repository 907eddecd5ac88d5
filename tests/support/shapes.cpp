#include "tests/support/shapes.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numbers>

#include "aguja/mend/change.h"
#include "aguja/mend/drop.h"
#include "aguja/solid/certificate.h"
#include "tests/support/random_mesh.h"

namespace aguja::test {

Mesh grid_box(int steps, const Vector& extent, bool patches) {
  Mesh mesh;
  for (int side = 0; side < 6; ++side) {
    const int axis = side / 2;
    const auto base = static_cast<std::uint32_t>(mesh.points.size());
    // The last step is the very extent, or the sides would not meet.
    const auto at = [&](int k, int step) {
      return step == steps ? extent[k] : extent[k] * step / steps;
    };
    for (int i = 0; i <= steps; ++i) {
      for (int j = 0; j <= steps; ++j) {
        Point p;
        p[axis] = side % 2 == 0 ? 0 : extent[axis];
        p[(axis + 1) % 3] = at((axis + 1) % 3, i);
        p[(axis + 2) % 3] = at((axis + 2) % 3, j);
        mesh.points.push_back(p);
      }
    }
    const auto id = [&](int i, int j) {
      return VertexId{base + static_cast<std::uint32_t>(i * (steps + 1) + j)};
    };
    for (int i = 0; i < steps; ++i) {
      for (int j = 0; j < steps; ++j) {
        const VertexId a = id(i, j), b = id(i + 1, j), c = id(i + 1, j + 1), d = id(i, j + 1);
        for (Triangle t : {Triangle{{a, b, c}}, Triangle{{a, c, d}}}) {
          if (side % 2 == 0) std::swap(t[1], t[2]);
          mesh.triangles.push_back(t);
          if (patches) mesh.patch_of.push_back({static_cast<std::uint32_t>(side)});
        }
      }
    }
  }
  return with_distinct_points(mesh);
}

Mesh torus(int around, int across, double major, double minor) {
  Mesh mesh;
  const auto id = [&](int i, int j) {
    return VertexId{static_cast<std::uint32_t>((i % around) * across + j % across)};
  };
  for (int i = 0; i < around; ++i) {
    for (int j = 0; j < across; ++j) {
      const double u = 2 * std::numbers::pi * i / around, v = 2 * std::numbers::pi * j / across;
      const double r = major + minor * std::cos(v);
      mesh.points.emplace_back(r * std::cos(u), r * std::sin(u), minor * std::sin(v));
    }
  }
  for (int i = 0; i < around; ++i) {
    for (int j = 0; j < across; ++j) {
      mesh.triangles.push_back({{id(i, j), id(i + 1, j), id(i + 1, j + 1)}});
      mesh.triangles.push_back({{id(i, j), id(i + 1, j + 1), id(i, j + 1)}});
    }
  }
  mesh.points_are_distinct = true;
  return mesh;
}

Mesh cylinder(int around, int rows, double radius, double height) {
  Mesh mesh;
  const auto id = [&](int i, int j) {
    return VertexId{static_cast<std::uint32_t>(j * around + i % around)};
  };
  for (int j = 0; j <= rows; ++j) {
    for (int i = 0; i < around; ++i) {
      const double u = 2 * std::numbers::pi * i / around;
      mesh.points.emplace_back(radius * std::cos(u), radius * std::sin(u), height * j / rows);
    }
  }
  const VertexId bottom{static_cast<std::uint32_t>(mesh.points.size())};
  mesh.points.emplace_back(0, 0, 0);
  const VertexId top{static_cast<std::uint32_t>(mesh.points.size())};
  mesh.points.emplace_back(0, 0, height);
  for (int i = 0; i < around; ++i) {
    for (int j = 0; j < rows; ++j) {
      mesh.triangles.push_back({{id(i, j), id(i + 1, j), id(i + 1, j + 1)}});
      mesh.triangles.push_back({{id(i, j), id(i + 1, j + 1), id(i, j + 1)}});
    }
    mesh.triangles.push_back({{bottom, id(i + 1, 0), id(i, 0)}});
    mesh.triangles.push_back({{top, id(i, rows), id(i + 1, rows)}});
  }
  mesh.points_are_distinct = true;
  return mesh;
}

Mesh without(const Mesh& mesh, const std::function<bool(const Point&)>& is_in) {
  std::vector<TriangleId> goes;
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    const Triangle& tri = mesh.triangles[t];
    if (is_in((mesh.point(tri[0]) + mesh.point(tri[1]) + mesh.point(tri[2])) / 3.0)) {
      goes.push_back({t});
    }
  }
  return drop_triangles(mesh, goes, {.may_bare = true}).mesh;
}

void split_edge(Mesh& mesh, std::uint32_t t, std::size_t c, double at, const Vector& off) {
  const VertexId a = mesh.triangles[t][c], b = mesh.triangles[t][(c + 1) % 3];
  const Point p = mesh.point(a) + at * (mesh.point(b) - mesh.point(a)) + off;
  const VertexId m{static_cast<std::uint32_t>(mesh.points.size())};
  mesh.points.push_back(p);
  for (std::size_t k = 0, n = mesh.triangles.size(); k < n; ++k) {
    for (std::size_t e = 0; e < 3; ++e) {
      const VertexId u = mesh.triangles[k][e], v = mesh.triangles[k][(e + 1) % 3];
      if (!((u == a && v == b) || (u == b && v == a))) continue;
      Triangle other = mesh.triangles[k];
      mesh.triangles[k][(e + 1) % 3] = m;
      other[e] = m;
      mesh.triangles.push_back(other);
      if (!mesh.patch_of.empty()) mesh.patch_of.push_back(PatchId(mesh.patch_of[k]));
      break;
    }
  }
}

double volume_of(const Mesh& mesh) { return certify(model_of(mesh)).mass.volume; }

std::size_t naked_edges(const Mesh& mesh) {
  const Welded welded(mesh);
  return count_edges(EdgeTable(welded.triangles(), welded.points().size())).naked;
}

bool is_solid(const Mesh& mesh) { return certify(model_of(mesh)).verdict == Verdict::solid; }

std::vector<std::array<double, 9>> facets(const Mesh& mesh) {
  std::vector<std::array<double, 9>> all;
  for (const Triangle& t : mesh.triangles) {
    std::array<Point, 3> c = {mesh.point(t[0]), mesh.point(t[1]), mesh.point(t[2])};
    const auto less = [](const Point& a, const Point& b) {
      return std::tuple(a.x(), a.y(), a.z()) < std::tuple(b.x(), b.y(), b.z());
    };
    std::rotate(c.begin(), std::min_element(c.begin(), c.end(), less), c.end());
    all.push_back(
        {c[0].x(), c[0].y(), c[0].z(), c[1].x(), c[1].y(), c[1].z(), c[2].x(), c[2].y(), c[2].z()});
  }
  std::sort(all.begin(), all.end());
  return all;
}

}  // namespace aguja::test
