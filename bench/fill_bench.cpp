// Filling one opening, by the length of its rim. Usage: bench_fill [ROUNDS]

#include <cmath>
#include <cstdlib>
#include <numbers>

#include <fmt/format.h>

#include "aguja/mend/fill.h"
#include "aguja/mesh/edge_table.h"
#include "bench/interleave.h"

namespace {

// A cone without its base, whose rim waves: `n` vertices.
aguja::Mesh cone(std::size_t n) {
  aguja::Mesh mesh;
  for (std::size_t i = 0; i < n; ++i) {
    const double turn = 2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(n);
    mesh.points.emplace_back(std::cos(turn), std::sin(turn), 0.1 * std::sin(5 * turn));
  }
  mesh.points.emplace_back(0, 0, -2);
  for (std::size_t i = 0; i < n; ++i) {
    mesh.triangles.push_back({{{static_cast<std::uint32_t>((i + 1) % n)},
                               {static_cast<std::uint32_t>(i)},
                               {static_cast<std::uint32_t>(n)}}});
  }
  mesh.points_are_distinct = true;
  return mesh;
}

}  // namespace

int main(int argc, char** argv) {
  using namespace aguja;
  const int rounds = argc > 1 ? std::atoi(argv[1]) : 5;
  fmt::print("| rim | taut, not refined | taut, refined |\n|---|---|---|\n");
  for (const std::size_t n : {75, 150, 300, 600, 1200, 2400, 4800}) {
    const Mesh mesh = cone(n);
    const EdgeTable edges(mesh.triangles, mesh.points.size());
    const Opening opening{find_loops(mesh.points, mesh.triangles, edges).loops};
    const Filler filler(mesh, 0);
    FillOptions plain, refined;
    plain.method = refined.method = FillMethod::taut;
    plain.refine = false;
    if (!std::holds_alternative<Fill>(filler.fill(opening, plain))) {
      fmt::print(stderr, "a rim of {} was not filled\n", n);
      return 1;
    }
    const auto times = bench::interleaved_medians(
        {{"plain", {}, [&] { static_cast<void>(filler.fill(opening, plain)); }},
         {"refined", {}, [&] { static_cast<void>(filler.fill(opening, refined)); }}},
        rounds);
    fmt::print("| {} | {:.1f} ms | {:.1f} ms |\n", n, 1e3 * times[0], 1e3 * times[1]);
  }
  return 0;
}
