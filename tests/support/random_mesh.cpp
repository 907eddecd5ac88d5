#include "tests/support/random_mesh.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <numbers>

#include "aguja/mesh/polygon.h"

namespace aguja::test {
namespace {

Mesh grid(Random& random) {
  const auto n = static_cast<std::uint32_t>(1 + random.index(6));
  Mesh mesh;
  for (std::uint32_t i = 0; i <= n; ++i) {
    for (std::uint32_t j = 0; j <= n; ++j) {
      mesh.points.emplace_back(i, j, random.chance(0.5) ? 0.0 : random.unit());
    }
  }
  const auto id = [n](std::uint32_t i, std::uint32_t j) { return VertexId{i * (n + 1) + j}; };
  for (std::uint32_t i = 0; i < n; ++i) {
    for (std::uint32_t j = 0; j < n; ++j) {
      mesh.triangles.push_back({{id(i, j), id(i + 1, j), id(i + 1, j + 1)}});
      mesh.triangles.push_back({{id(i, j), id(i + 1, j + 1), id(i, j + 1)}});
    }
  }
  return mesh;
}

Mesh some_mesh(Random& random) {
  switch (random.index(4)) {
    case 0:
      return cube();
    case 1:
      return sphere(static_cast<int>(3 + random.index(5)));
    case 2:
      return joined(cube(), cube({random.chance(0.5) ? 1.0 : 3.0, 0, 0}));
    default:
      return grid(random);
  }
}

VertexId any_vertex(const Mesh& mesh, Random& random) {
  return {static_cast<std::uint32_t>(random.index(mesh.points.size()))};
}

void damage(Mesh& mesh, Random& random) {
  if (mesh.triangles.empty()) return;
  const std::size_t t = random.index(mesh.triangles.size());
  Triangle& triangle = mesh.triangles[t];
  const Triangle copy = triangle;
  switch (random.index(9)) {
    case 0:
      mesh.triangles.erase(mesh.triangles.begin() + static_cast<std::ptrdiff_t>(t));
      break;
    case 1:
      mesh.triangles.push_back({{copy[1], copy[2], copy[0]}});
      break;
    case 2:
      mesh.triangles.push_back({{copy[1], copy[0], copy[2]}});
      break;
    case 3:
      std::swap(triangle[0], triangle[1]);
      break;
    case 4:
      triangle[random.index(3)] = triangle[random.index(3)];
      break;
    case 5: {  // one corner gets a point of its own, equal or equal but for the sign of a zero
      Point p = mesh.point(triangle[0]);
      for (int axis = 0; axis < 3; ++axis) {
        if (p[axis] == 0 && random.chance(0.5)) p[axis] = -p[axis];
      }
      triangle[0] = {static_cast<std::uint32_t>(mesh.points.size())};
      mesh.points.push_back(p);
      break;
    }
    case 6: {  // a fin
      const VertexId tip{static_cast<std::uint32_t>(mesh.points.size())};
      mesh.points.emplace_back(random.unit(), random.unit(), 5 + random.unit());
      mesh.triangles.push_back({{copy[0], copy[1], tip}});
      break;
    }
    case 7:
      mesh.triangles.push_back(
          {{any_vertex(mesh, random), any_vertex(mesh, random), any_vertex(mesh, random)}});
      break;
    default:
      mesh.points.emplace_back(9, 9, random.unit());
      break;
  }
}

}  // namespace

Mesh mesh_of(std::initializer_list<Point> points,
             std::initializer_list<std::initializer_list<std::uint32_t>> triangles) {
  Mesh mesh;
  mesh.points.assign(points);
  for (const auto& t : triangles) {
    mesh.triangles.push_back({{{t.begin()[0]}, {t.begin()[1]}, {t.begin()[2]}}});
  }
  return mesh;
}

Mesh cube(const Point& low, double side) {
  Mesh mesh;
  for (int i = 0; i < 8; ++i) {
    mesh.points.push_back(low + side * Point(i & 1, (i >> 1) & 1, (i >> 2) & 1));
  }
  constexpr std::uint32_t kQuads[6][4] = {{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4},
                                          {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}};
  for (const auto& q : kQuads) {
    mesh.triangles.push_back({{{q[0]}, {q[1]}, {q[2]}}});
    mesh.triangles.push_back({{{q[0]}, {q[2]}, {q[3]}}});
  }
  return mesh;
}

Mesh sphere(int n, double radius, const Point& center) {
  Mesh mesh;
  const int around = 2 * n;
  mesh.points.push_back(center - Point(0, 0, radius));
  for (int i = 1; i < n; ++i) {
    const double polar = std::numbers::pi * i / n;
    for (int j = 0; j < around; ++j) {
      const double turn = 2 * std::numbers::pi * j / around;
      mesh.points.push_back(center + radius * Point(std::sin(polar) * std::cos(turn),
                                                    std::sin(polar) * std::sin(turn),
                                                    -std::cos(polar)));
    }
  }
  mesh.points.push_back(center + Point(0, 0, radius));
  const auto last = static_cast<std::uint32_t>(mesh.points.size() - 1);
  const auto id = [&](int i, int j) {
    if (i == 0) return VertexId{0};
    if (i == n) return VertexId{last};
    return VertexId{static_cast<std::uint32_t>(1 + (i - 1) * around + j % around)};
  };
  for (int i = 0; i < n; ++i) {
    for (int j = 0; j < around; ++j) {
      if (i > 0) mesh.triangles.push_back({{id(i, j), id(i, j + 1), id(i + 1, j + 1)}});
      if (i + 1 < n) mesh.triangles.push_back({{id(i, j), id(i + 1, j + 1), id(i + 1, j)}});
    }
  }
  return mesh;
}

Mesh damaged_mesh(std::uint64_t seed) {
  Random random(seed);
  Mesh mesh = some_mesh(random);
  const std::size_t times = random.index(8);
  for (std::size_t i = 0; i < times; ++i) damage(mesh, random);
  if (random.chance(0.5)) {
    std::shuffle(mesh.triangles.begin(), mesh.triangles.end(), random.engine());
  }
  return mesh;
}

Mesh extruded(const std::vector<Point>& outline, double height) {
  const auto n = static_cast<std::uint32_t>(outline.size());
  Mesh mesh;
  for (const Point& p : outline) mesh.points.push_back(p);
  for (const Point& p : outline) mesh.points.emplace_back(p.x(), p.y(), p.z() + height);
  std::vector<VertexId> top, bottom;
  for (std::uint32_t i = 0; i < n; ++i) {
    top.push_back({n + i});
    bottom.push_back({n - 1 - i});
    const std::uint32_t j = (i + 1) % n;
    append_fan(mesh.triangles, std::vector<VertexId>{{i}, {j}, {n + j}, {n + i}});
  }
  std::vector<FannedPolygon> caps;
  for (const auto* cap : {&top, &bottom}) {
    caps.push_back({mesh.triangles.size(), cap->size()});
    append_fan(mesh.triangles, *cap);
  }
  if (divide_polygons(mesh.points, mesh.triangles, caps) > 0) std::abort();
  return mesh;
}

Mesh joined(const Mesh& a, const Mesh& b) {
  Mesh all = a;
  const auto base = static_cast<std::uint32_t>(a.points.size());
  all.points.insert(all.points.end(), b.points.begin(), b.points.end());
  for (const Triangle& t : b.triangles) {
    all.triangles.push_back({{{t[0].value + base}, {t[1].value + base}, {t[2].value + base}}});
  }
  all.points_are_distinct = false;
  return all;
}

Mesh turned(Mesh mesh) {
  for (Triangle& t : mesh.triangles) std::swap(t[0], t[1]);
  return mesh;
}

Model model_of(Mesh mesh, const std::string& name) {
  Model model;
  model.parts.emplace_back(name, std::move(mesh));
  return model;
}

}  // namespace aguja::test
