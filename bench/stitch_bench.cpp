// Stitching a torus torn into square patches (2 % of its edges naked), as a ratio to loading it.
// Usage: bench_stitch [TRIANGLES [ROUNDS]]

#include <cmath>
#include <cstdlib>

#include <fmt/format.h>

#include "aguja/base/parallel.h"
#include "aguja/formats/read.h"
#include "aguja/mend/stitch.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "bench/interleave.h"
#include "bench/shapes.h"
#include "demo/crack.h"

int main(int argc, char** argv) {
  using namespace aguja;
  using namespace aguja::bench;
  const std::size_t wanted = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 1000000;
  const int rounds = argc > 2 ? std::atoi(argv[2]) : 5;
  Mesh mesh = bumpy_torus(wanted).parts[0].mesh();
  const auto across = static_cast<std::size_t>(std::sqrt(static_cast<double>(wanted))) / 2;
  constexpr std::size_t kPatch = 66;  // squares along the side of a patch
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const std::size_t i = t / 2 / across / kPatch, j = t / 2 % across / kPatch;
    mesh.patch_of.push_back({static_cast<std::uint32_t>(i * (across / kPatch + 1) + j)});
  }
  const double spacing = 60.0 / static_cast<double>(across);
  Model cracked;
  cracked.parts.emplace_back("torus", demo::cracked(mesh, {.width = 0.1 * spacing}));
  const std::string stl = binary_stl(cracked);
  const Model read = read_model(Source{"bench", stl});
  const Mesh& torn = read.parts[0].mesh();

  std::size_t left = 1;
  StageTimes stages;
  const std::vector<double> t = interleaved_medians(
      {{"load",
        {},
        [&] {
          const Model model = read_model(Source{"bench", stl});
          const Welded welded(model.parts[0].mesh());
          static_cast<void>(EdgeTable(welded.triangles(), welded.points().size()).size());
        }},
       {"stitch", {}, [&] { left = stitch(torn, 0.2 * spacing, {}, &stages).naked_after; }}},
      rounds);
  const StitchResult result = stitch(torn, 0.2 * spacing);
  if (left != 0) {
    fmt::print(stderr, "{} edges stayed open\n", left);
    return 1;
  }
  const auto n = static_cast<double>(torn.triangles.size());
  const double edges = 1.5 * n + 0.5 * static_cast<double>(result.naked_before);
  fmt::print("{} triangles, {:.1f} % of the edges naked, {} threads, medians of {} runs\n\n",
             torn.triangles.size(), 100 * static_cast<double>(result.naked_before) / edges,
             thread_count(), rounds);
  fmt::print("| job | ns/triangle | x load |\n|---|---|---|\n");
  fmt::print("| load | {:.0f} | 1 |\n| stitch | {:.0f} | {:.2f} |\n", 1e9 * t[0] / n,
             1e9 * t[1] / n, t[1] / t[0]);
  for (const auto& [stage, seconds] : stages.stages()) {
    fmt::print("| of which {} | {:.0f} | |\n", stage, 1e9 * seconds / n / (rounds + 1));
  }
  return 0;
}
