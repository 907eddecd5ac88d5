#include "bench/shapes.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include <Eigen/Geometry>

#include "aguja/formats/write.h"

namespace aguja::bench {

Model bumpy_torus(std::size_t triangles) {
  const auto around = static_cast<std::uint32_t>(std::sqrt(static_cast<double>(triangles)));
  const std::uint32_t across = around / 2;
  Mesh mesh;
  const double turn = 2 * std::numbers::pi;
  for (std::uint32_t i = 0; i < around; ++i) {
    for (std::uint32_t j = 0; j < across; ++j) {
      const double u = turn * i / around, v = turn * j / across;
      const double r = 10 + 0.5 * std::sin(17 * u) * std::cos(11 * v);
      const Point p((40 + r * std::cos(v)) * std::cos(u), (40 + r * std::cos(v)) * std::sin(u),
                    r * std::sin(v));
      mesh.points.push_back(rounded_to_float(p));
    }
  }
  const auto id = [&](std::uint32_t i, std::uint32_t j) {
    return VertexId{(i % around) * across + j % across};
  };
  for (std::uint32_t i = 0; i < around; ++i) {
    for (std::uint32_t j = 0; j < across; ++j) {
      mesh.triangles.push_back({{id(i, j), id(i + 1, j), id(i + 1, j + 1)}});
      mesh.triangles.push_back({{id(i, j), id(i + 1, j + 1), id(i, j + 1)}});
    }
  }
  Model model;
  model.parts.emplace_back("torus", std::move(mesh));
  return model;
}

Model shuffled(Model model) {
  std::mt19937_64 random(7);
  PartDraft draft(std::move(model.parts[0]));
  std::shuffle(draft.mesh.triangles.begin(), draft.mesh.triangles.end(), random);
  model.parts[0] = std::move(draft);
  return model;
}

Mesh sliver_torus(std::size_t triangles) {
  Mesh mesh = bumpy_torus(triangles).parts[0].mesh();
  for (Point& p : mesh.points) p.z() *= 0.01;
  return mesh;
}

Mesh divided_box(std::size_t triangles, double degrees) {
  const auto steps = static_cast<std::uint32_t>(std::sqrt(static_cast<double>(triangles) / 12.0));
  Mesh mesh;
  for (int side = 0; side < 6; ++side) {
    const int axis = side / 2;
    const auto base = static_cast<std::uint32_t>(mesh.points.size());
    for (std::uint32_t i = 0; i <= steps; ++i) {
      for (std::uint32_t j = 0; j <= steps; ++j) {
        Point p;
        p[axis] = side % 2 == 0 ? 0 : 100;
        p[(axis + 1) % 3] = 100.0 * i / steps;
        p[(axis + 2) % 3] = 100.0 * j / steps;
        mesh.points.push_back(p);
      }
    }
    const auto id = [&](std::uint32_t i, std::uint32_t j) {
      return VertexId{base + i * (steps + 1) + j};
    };
    for (std::uint32_t i = 0; i < steps; ++i) {
      for (std::uint32_t j = 0; j < steps; ++j) {
        const VertexId a = id(i, j), b = id(i + 1, j), c = id(i + 1, j + 1), d = id(i, j + 1);
        for (Triangle t : {Triangle{{a, b, c}}, Triangle{{a, c, d}}}) {
          if (side % 2 == 0) std::swap(t[1], t[2]);
          mesh.triangles.push_back(t);
        }
      }
    }
  }
  if (degrees != 0) {
    const Eigen::Matrix3d turn =
        Eigen::AngleAxisd(degrees * std::numbers::pi / 180, Vector(1, 2, 3).normalized())
            .toRotationMatrix();
    for (Point& p : mesh.points) p = turn * p;
  }
  return mesh;
}

std::string binary_stl(const Model& model) {
  std::string bytes;
  write_stl([&](std::string_view piece) { bytes += piece; }, model);
  return bytes;
}

}  // namespace aguja::bench
