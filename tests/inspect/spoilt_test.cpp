// A good solid spoilt once: that finding, that place, that size, and no other; on several shapes,
// far from the origin, tiny and large.

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include <cmath>
#include <functional>
#include <numbers>

#include "aguja/inspect/inspect.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace spoilt_test {

using test::Random;

struct Expected {
  FindingKind kind;
  Point place;
  double measure;
  std::size_t count;
};

// Spoils the mesh and says what must be found, in its own coordinates.
using Spoil = std::function<Expected(Mesh&, Random&)>;

struct NamedSpoil {
  const char* name;
  Spoil spoil;
};

Point corner(const Mesh& mesh, std::size_t t, std::size_t c) {
  return mesh.point(mesh.triangles[t][c % 3]);
}
double side(const Mesh& mesh, std::size_t t, std::size_t c) {
  return (corner(mesh, t, c + 1) - corner(mesh, t, c)).norm();
}
// Away from the solid, so that what stands there meets nothing else.
Vector outward(const Mesh& mesh, std::size_t t) {
  const Vector n =
      (corner(mesh, t, 1) - corner(mesh, t, 0)).cross(corner(mesh, t, 2) - corner(mesh, t, 0));
  return 0.7 * n.normalized();
}
double perimeter(const Mesh& mesh, std::size_t t) {
  return side(mesh, t, 0) + side(mesh, t, 1) + side(mesh, t, 2);
}
Point centroid(const Mesh& mesh, std::size_t t) {
  return (corner(mesh, t, 0) + corner(mesh, t, 1) + corner(mesh, t, 2)) / 3.0;
}
double area(const Mesh& mesh, std::size_t t) {
  return 0.5 * (corner(mesh, t, 1) - corner(mesh, t, 0))
                   .cross(corner(mesh, t, 2) - corner(mesh, t, 0))
                   .norm();
}
// The mean of a triangle's sides, weighted by length: where the rim around it has its centre.
Point rim_center(const Mesh& mesh, std::size_t t) {
  Vector sum = Vector::Zero();
  for (std::size_t c = 0; c < 3; ++c) {
    sum += side(mesh, t, c) * 0.5 * (corner(mesh, t, c) + corner(mesh, t, c + 1));
  }
  return sum / perimeter(mesh, t);
}
VertexId add_point(Mesh& mesh, const Point& p) {
  mesh.points.push_back(p);
  return {static_cast<std::uint32_t>(mesh.points.size() - 1)};
}
std::size_t any(const Mesh& mesh, Random& random) { return random.index(mesh.triangles.size()); }

const std::vector<NamedSpoil>& spoils() {
  static const std::vector<NamedSpoil> kAll = {
      {"lost triangle",
       [](Mesh& mesh, Random& random) {
         const std::size_t t = any(mesh, random);
         const Expected expected = {FindingKind::opening, rim_center(mesh, t), perimeter(mesh, t),
                                    3};
         mesh.triangles.erase(mesh.triangles.begin() + static_cast<std::ptrdiff_t>(t));
         return expected;
       }},
      {"copy",
       [](Mesh& mesh, Random& random) {
         const std::size_t t = any(mesh, random);
         const Triangle copy = mesh.triangles[t];
         mesh.triangles.push_back({{copy[2], copy[0], copy[1]}});
         return Expected{FindingKind::duplicate_triangle, centroid(mesh, t), area(mesh, t), 1};
       }},
      {"turned copy",
       [](Mesh& mesh, Random& random) {
         const std::size_t t = any(mesh, random);
         const Triangle copy = mesh.triangles[t];
         mesh.triangles.push_back({{copy[1], copy[0], copy[2]}});
         return Expected{FindingKind::back_to_back, centroid(mesh, t), area(mesh, t), 1};
       }},
      {"three copies",
       [](Mesh& mesh, Random& random) {
         const std::size_t t = any(mesh, random);
         for (int i = 0; i < 3; ++i) mesh.triangles.push_back(Triangle(mesh.triangles[t]));
         return Expected{FindingKind::duplicate_triangle, centroid(mesh, t), 3 * area(mesh, t), 3};
       }},
      {"turned triangle",
       [](Mesh& mesh, Random& random) {
         const std::size_t t = any(mesh, random);
         std::swap(mesh.triangles[t][0], mesh.triangles[t][1]);
         return Expected{FindingKind::winding_conflict, centroid(mesh, t), perimeter(mesh, t), 3};
       }},
      {"fin",
       [](Mesh& mesh, Random& random) {
         const std::size_t t = any(mesh, random);
         const Triangle triangle = mesh.triangles[t];
         const Point foot = 0.5 * (corner(mesh, t, 0) + corner(mesh, t, 1));
         const double length = side(mesh, t, 0);
         const VertexId tip = add_point(mesh, foot + outward(mesh, t));
         mesh.triangles.push_back({{triangle[0], triangle[1], tip}});
         return Expected{FindingKind::nonmanifold_edge, foot, length, 1};
       }},
      {"fin of two triangles",
       [](Mesh& mesh, Random& random) {
         const std::size_t t = any(mesh, random);
         const Triangle triangle = mesh.triangles[t];
         const Point foot = 0.5 * (corner(mesh, t, 0) + corner(mesh, t, 1));
         const double length = side(mesh, t, 0);
         const VertexId a = add_point(mesh, corner(mesh, t, 0) + outward(mesh, t));
         const VertexId b = add_point(mesh, corner(mesh, t, 1) + outward(mesh, t));
         mesh.triangles.push_back({{triangle[0], triangle[1], b}});
         mesh.triangles.push_back({{triangle[0], b, a}});
         return Expected{FindingKind::nonmanifold_edge, foot, length, 1};
       }},
      {"stray triangle",
       [](Mesh& mesh, Random& random) {
         const Point at{3 + random.unit(), random.unit(), 0};
         const Vector x(0.016, 0, 0), y(0, 0.016, 0);
         const VertexId a = add_point(mesh, at), b = add_point(mesh, at + x),
                        c = add_point(mesh, at + y);
         mesh.triangles.push_back({{a, b, c}});
         return Expected{FindingKind::stray_shell, at + 0.5 * (x + y), (x + y).norm(), 1};
       }},
      {"needle",
       [](Mesh& mesh, Random& random) {
         const std::size_t t = any(mesh, random);
         const Triangle n = mesh.triangles[t];
         mesh.triangles.push_back({{n[0], n[1], n[1]}});
         return Expected{FindingKind::zero_area,
                         (corner(mesh, t, 0) + 2 * corner(mesh, t, 1)) / 3.0, side(mesh, t, 0), 1};
       }},
      {"point",
       [](Mesh& mesh, Random& random) {
         const VertexId v = mesh.triangles[any(mesh, random)][0];
         mesh.triangles.push_back({{v, v, v}});
         return Expected{FindingKind::zero_area, mesh.point(v), 0, 1};
       }},
      {"inside out",
       [](Mesh& mesh, Random&) {
         const Model model = test::model_of(mesh);
         const Anatomy anatomy(model.parts[0].mesh());
         const MassProperties mass = anatomy.shells[0].mass;
         for (Triangle& t : mesh.triangles) std::swap(t[0], t[1]);
         return Expected{FindingKind::inverted_shell, mass.centroid, mass.volume, 1};
       }},
      {"body in the body",
       [](Mesh& mesh, Random&) {
         // Small enough for the torus's tube.
         const Point at(1, 0, 0);
         const Mesh inner = test::cube(at - Point::Constant(0.1), 0.2);
         mesh = test::joined(mesh, inner);
         return Expected{FindingKind::nesting, at, 0.008, 1};
       }},
      {"line",
       [](Mesh& mesh, Random& random) {
         const Point a(2, random.unit(), 0), b(2, 3, random.unit());
         mesh.wires.push_back({add_point(mesh, a), add_point(mesh, b)});
         return Expected{FindingKind::wire_edge, 0.5 * (a + b), (b - a).norm(), 1};
       }},
      {"loose points",
       [](Mesh& mesh, Random&) {
         const Point first(2, 2, 2);
         for (int i = 0; i < 4; ++i) add_point(mesh, first + i * Vector(0, 0, 0.25));
         return Expected{FindingKind::unused_vertex, first, 4, 4};
       }},
      {"another body at a corner",
       [](Mesh& mesh, Random&) {
         // The vertex that lies farthest along (1, 2, 3): nothing else of the part is beyond it.
         const Vector direction(1, 2, 3);
         Point tip = mesh.points[0];
         for (const Point& p : mesh.points) {
           if (p.dot(direction) > tip.dot(direction)) tip = p;
         }
         mesh = test::joined(mesh, test::cube(tip, 0.5));
         return Expected{FindingKind::nonmanifold_vertex, tip, 2, 1};
       }},
  };
  return kAll;
}

// Around the circle of radius 1 in the x-y plane, tube radius 0.3.
Mesh torus() {
  Mesh mesh;
  constexpr std::uint32_t kAround = 24, kAcross = 12;
  for (std::uint32_t i = 0; i < kAround; ++i) {
    for (std::uint32_t j = 0; j < kAcross; ++j) {
      const double u = 2 * std::numbers::pi * i / kAround, v = 2 * std::numbers::pi * j / kAcross;
      mesh.points.emplace_back((1 + 0.3 * std::cos(v)) * std::cos(u),
                               (1 + 0.3 * std::cos(v)) * std::sin(u), 0.3 * std::sin(v));
    }
  }
  const auto id = [](std::uint32_t i, std::uint32_t j) {
    return VertexId{(i % kAround) * kAcross + j % kAcross};
  };
  for (std::uint32_t i = 0; i < kAround; ++i) {
    for (std::uint32_t j = 0; j < kAcross; ++j) {
      mesh.triangles.push_back({{id(i, j), id(i + 1, j), id(i + 1, j + 1)}});
      mesh.triangles.push_back({{id(i, j), id(i + 1, j + 1), id(i, j + 1)}});
    }
  }
  return mesh;
}

struct NamedMesh {
  const char* name;
  Mesh mesh;
};
std::vector<NamedMesh> shapes() {
  return {{"sphere", test::sphere(10, 1.3)},
          {"box", test::cube(Point::Constant(-1.2), 2.4)},
          {"torus", torus()}};
}

struct NamedPlace {
  const char* name;
  double scale;  // a power of two keeps everything exact
  Point shift;
};
const std::vector<NamedPlace>& placements() {
  static const std::vector<NamedPlace> kAll = {{"at the origin", 8, {0, 0, 0}},
                                               {"far", 8, {1 << 16, -(1 << 16), 1 << 15}},
                                               {"tiny", 0x1p-20, {0, 0, 0}},
                                               {"huge", 0x1p30, {0, 0, 0}}};
  return kAll;
}

Mesh at_place(Mesh mesh, const NamedPlace& place) {
  for (Point& p : mesh.points) p = place.scale * p + place.shift;
  mesh.points_are_distinct = false;
  return mesh;
}

double measure_scale(const Expected& expected, double scale) {
  switch (info(expected.kind).measures) {
    case Dimension::length:
      return scale;
    case Dimension::area:
      return scale * scale;
    case Dimension::volume:
      return scale * scale * scale;
    default:
      return 1;
  }
}

std::vector<Finding> findings_in(const Model& model) {
  std::vector<Finding> findings = inspect(model).findings;
  // The sizes are chosen to be odd.
  std::erase_if(findings, [](const Finding& f) { return f.kind == FindingKind::unit_doubt; });
  return findings;
}

TEST(Spoilt, AShapeThatIsNotHasNoFindings) {
  for (const NamedMesh& shape : shapes()) {
    for (const NamedPlace& placement : placements()) {
      SCOPED_TRACE(testing::Message() << shape.name << ", " << placement.name);
      const Model model = test::model_of(at_place(shape.mesh, placement));
      EXPECT_TRUE(findings_in(model).empty());
    }
  }
}

TEST(Spoilt, HasThatFindingAtThatPlaceOfThatSizeAndNoOther) {
  int cases = 0;
  for (const NamedMesh& shape : shapes()) {
    for (const NamedSpoil& spoil : spoils()) {
      for (const NamedPlace& placement : placements()) {
        for (std::uint64_t seed = 1; seed <= 5; ++seed) {
          SCOPED_TRACE(testing::Message() << shape.name << ", " << spoil.name << ", "
                                          << placement.name << ", seed " << seed);
          Random random(seed);
          Mesh mesh = shape.mesh;
          const Expected expected = spoil.spoil(mesh, random);
          const Model model = test::model_of(at_place(std::move(mesh), placement));
          const auto findings = findings_in(model);
          ASSERT_EQ(findings.size(), 1u);
          const Finding& found = findings[0];
          ASSERT_EQ(slug(found.kind), slug(expected.kind));
          EXPECT_EQ(found.count, expected.count);
          const Point place = placement.scale * expected.place + placement.shift;
          EXPECT_LT((found.place - place).norm(), 1e-8 * placement.scale);
          const double measure = measure_scale(expected, placement.scale) * expected.measure;
          EXPECT_NEAR(found.measure, measure, 1e-8 * std::fabs(measure));
          if (HasFailure()) return;
          ++cases;
        }
      }
    }
  }
  EXPECT_EQ(cases, 3 * 15 * 4 * 5);
}

}  // namespace spoilt_test
}  // namespace aguja
