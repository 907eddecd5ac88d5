#include "tests/support/crossing_soups.h"

#include <Eigen/Geometry>

#include "aguja/geometry/predicates.h"
#include "tests/support/random_mesh.h"

namespace aguja::test {
namespace {

void add(Mesh& mesh, const Point& a, const Point& b, const Point& c) {
  const auto first = static_cast<std::uint32_t>(mesh.points.size());
  for (const Point& p : {a, b, c}) mesh.points.push_back(p);
  mesh.triangles.push_back({{{first}, {first + 1}, {first + 2}}});
}

}  // namespace

Mesh crossing_triangles(std::uint64_t seed) {
  Random random(seed);
  Mesh mesh;
  const auto grid = [&](std::size_t steps) {
    return Point(static_cast<double>(random.index(steps)), static_cast<double>(random.index(steps)),
                 static_cast<double>(random.index(steps)));
  };
  const auto any = [&] { return Point(random.unit(), random.unit(), random.unit()); };
  const std::size_t kind = random.index(6);
  const std::size_t count = 2 + random.index(7);
  const double thin = random.chance(0.5) ? 1e-7 : 0.01;
  for (std::size_t i = 0; i < count; ++i) {
    switch (kind) {
      case 0:
        add(mesh, grid(4), grid(4), grid(4));
        break;
      case 1:
        add(mesh, any(), any(), any());
        break;
      case 2: {  // layers of one plane, and some across
        Point a = grid(5), b = grid(5), c = grid(5);
        if (!random.chance(0.3)) a.z() = b.z() = c.z() = 2;
        add(mesh, a, b, c);
        break;
      }
      case 3:  // through the z-axis, as a whole or in part
        add(mesh, Point(0, 0, static_cast<double>(random.index(3))),
            Point(0, 0, static_cast<double>(3 + random.index(3))),
            Point(random.between(-1, 1), random.between(-1, 1), random.between(0, 5)));
        break;
      case 4: {  // needles
        const Point from = any(), to = any();
        add(mesh, from, to, from + thin * any());
        break;
      }
      default: {  // a tilted plane that rounding bends, and its like
        const Point a = any(), u = grid(4), v = grid(4);
        add(mesh, a, a + u / 3, a + v / 7);
        break;
      }
    }
    if (random.chance(0.2)) {
      const Triangle last = mesh.triangles.back();
      if (random.chance(0.5)) {
        mesh.triangles.push_back({{last[1], last[2], last[0]}});
      } else {
        mesh.triangles.push_back({{last[0], last[2], last[1]}});
      }
    }
  }
  const double scale = random.chance(0.2) ? 1e-9 : 1;
  const Vector off = random.chance(0.2) ? Vector(1e6, -2e6, 1e6) : Vector(0, 0, 0);
  for (Point& p : mesh.points) p = scale * p + off;
  return mesh;
}

Mesh box_between(const Point& low, const Point& high, std::uint64_t seed) {
  Random random(seed);
  Mesh mesh;
  for (std::uint32_t i = 0; i < 8; ++i) {
    mesh.points.emplace_back((i & 1 ? high : low).x(), (i & 2 ? high : low).y(),
                             (i & 4 ? high : low).z());
  }
  constexpr std::uint32_t kSides[6][4] = {{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4},
                                          {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}};
  for (const auto& s : kSides) {
    const std::size_t turn = random.index(2);
    const auto v = [&](std::size_t k) { return VertexId{s[(k + turn) % 4]}; };
    mesh.triangles.push_back({{v(0), v(1), v(2)}});
    mesh.triangles.push_back({{v(0), v(2), v(3)}});
  }
  return mesh;
}

Mesh tetrahedron(const std::array<Point, 4>& corner) {
  Mesh mesh;
  mesh.points.assign(corner.begin(), corner.end());
  const bool is_turned = orient3d(corner[0], corner[1], corner[2], corner[3]) > 0;
  constexpr std::uint32_t kSides[4][3] = {{0, 1, 2}, {0, 3, 1}, {1, 3, 2}, {2, 3, 0}};
  for (const auto& s : kSides) {
    Triangle t{{{s[0]}, {s[1]}, {s[2]}}};
    if (is_turned) std::swap(t[1], t[2]);
    mesh.triangles.push_back(t);
  }
  return mesh;
}

}  // namespace aguja::test
