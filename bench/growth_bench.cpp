// How the time of an inspection grows on models that are not clean: open, overlapping, torn, of many
// shells. Each is held against a clean torus of its size; pairs that cross cost 2 µs each beside.
// Usage: bench_growth [LARGEST [ROUNDS]]

#include <cmath>
#include <cstdlib>
#include <random>

#include <fmt/format.h>

#include "aguja/inspect/inspect.h"
#include "bench/interleave.h"
#include "bench/shapes.h"

namespace {

using namespace aguja;

// Boxes on a grid: so far apart, with so many of their twelve triangles, each with its own points.
Mesh boxes(std::size_t triangles, double apart, std::size_t of_each) {
  static constexpr std::array<std::array<std::uint32_t, 3>, 12> kSides = {{{0, 2, 1},
                                                                           {1, 2, 3},
                                                                           {4, 5, 6},
                                                                           {5, 7, 6},
                                                                           {0, 1, 4},
                                                                           {1, 5, 4},
                                                                           {2, 6, 3},
                                                                           {3, 6, 7},
                                                                           {0, 4, 2},
                                                                           {2, 4, 6},
                                                                           {1, 3, 5},
                                                                           {3, 7, 5}}};
  std::mt19937_64 random(5);
  std::uniform_real_distribution<double> height(0.5, 3);
  Mesh mesh;
  const std::size_t count = triangles / of_each;
  const auto across = static_cast<std::size_t>(std::ceil(std::sqrt(static_cast<double>(count))));
  for (std::size_t b = 0; b < count; ++b) {
    const auto first = static_cast<std::uint32_t>(mesh.points.size());
    const double x = apart * static_cast<double>(b % across);
    const double y = apart * static_cast<double>(b / across);
    const double top = height(random);
    for (int k = 0; k < 8; ++k) {
      mesh.points.emplace_back(x + (k & 1), y + (k >> 1 & 1), (k >> 2 & 1) * top);
    }
    for (std::size_t s = 12 - of_each; s < 12; ++s) {
      mesh.triangles.push_back(
          {{{first + kSides[s][0]}, {first + kSides[s][1]}, {first + kSides[s][2]}}});
    }
  }
  return mesh;
}

// Every triangle a hair away from its neighbours.
Mesh torn(const Mesh& whole) {
  Mesh mesh;
  for (const Triangle& t : whole.triangles) {
    Point middle = Point::Zero();
    for (const VertexId v : t.corner) middle += whole.point(v) / 3;
    const auto first = static_cast<std::uint32_t>(mesh.points.size());
    for (const VertexId v : t.corner) {
      mesh.points.push_back(whole.point(v) + 1e-4 * (middle - whole.point(v)));
    }
    mesh.triangles.push_back({{{first}, {first + 1}, {first + 2}}});
  }
  return mesh;
}

struct Family {
  std::string name;
  std::function<Mesh(std::size_t)> make;
};

Model model_of(Mesh mesh) {
  Model model;
  model.parts.emplace_back("part", std::move(mesh));
  return model;
}

}  // namespace

int main(int argc, char** argv) {
  const std::size_t largest = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 400'000;
  const int rounds = argc > 2 ? std::atoi(argv[2]) : 3;
  const std::vector<Family> families = {
      {"closed boxes apart", [](std::size_t n) { return boxes(n, 1.5, 12); }},
      {"boxes without a bottom", [](std::size_t n) { return boxes(n, 1.5, 10); }},
      {"boxes in each other", [](std::size_t n) { return boxes(n, 0.8, 12); }},
      {"boxes wall to wall", [](std::size_t n) { return boxes(n, 1, 10); }},
      {"torn torus", [](std::size_t n) { return torn(bench::bumpy_torus(n).parts[0].mesh()); }},
  };
  constexpr double kMostTimesClean = 4, kPair = 2e-6;
  bool is_held = true;
  fmt::print("| model | triangles | pairs | s | of the clean torus, pairs aside | growth |\n");
  fmt::print("|---|---|---|---|---|---|\n");
  for (const Family& family : families) {
    double first = 0;
    for (const std::size_t n : {largest / 4, largest}) {
      const Model model = model_of(family.make(n));
      const Model clean = bench::bumpy_torus(n);
      const Counts counts = inspect(model).counts;
      const std::size_t pairs = counts.crossing_pairs + counts.overlap_pairs + counts.touch_pairs;
      const auto t =
          bench::interleaved_medians({{"model", {}, [&] { static_cast<void>(inspect(model)); }},
                                      {"clean", {}, [&] { static_cast<void>(inspect(clean)); }}},
                                     rounds);
      const double ratio = (t[0] - kPair * static_cast<double>(pairs)) / t[1];
      const double growth = first > 0 ? std::log(t[0] / first) / std::log(4.0) : 0;
      fmt::print("| {} | {} | {} | {:.2f} | {:.2f} | {} |\n", family.name,
                 model.parts[0].mesh().triangles.size(), pairs, t[0], ratio,
                 first > 0 ? fmt::format("n^{:.2f}", growth) : "");
      if (first > 0 && ratio > kMostTimesClean) is_held = false;
      first = t[0];
    }
  }
  fmt::print("\n{}\n", is_held ? "held" : "not held: more than 4 times the clean torus");
  return is_held ? 0 : 1;
}
