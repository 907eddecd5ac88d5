#include "bench/shapes.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "aguja/formats/write.h"

namespace aguja::bench {

Model bumpy_torus(std::size_t triangles) {
  const auto around = static_cast<std::uint32_t>(std::sqrt(static_cast<double>(triangles)));
  const std::uint32_t across = around / 2;
  Model model;
  Mesh& mesh = model.parts.emplace_back().mesh;
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
  return model;
}

Model shuffled(Model model) {
  std::mt19937_64 random(7);
  auto& triangles = model.parts[0].mesh.triangles;
  std::shuffle(triangles.begin(), triangles.end(), random);
  return model;
}

std::string binary_stl(const Model& model) {
  std::string bytes;
  write_stl([&](std::string_view piece) { bytes += piece; }, model);
  return bytes;
}

}  // namespace aguja::bench
