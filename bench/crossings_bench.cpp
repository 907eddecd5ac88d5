// All crossings of clean meshes, as ratios to a float ray-tracing kernel's collision with itself.
// Usage: bench_crossings [TRIANGLES [ROUNDS]]

#include <cmath>
#include <cstdlib>

#include <fmt/format.h>

#include "aguja/base/parallel.h"
#include "aguja/mesh/crossings.h"
#include "bench/collide_floor.h"
#include "bench/interleave.h"
#include "bench/shapes.h"

int main(int argc, char** argv) {
  using namespace aguja;
  using namespace aguja::bench;
  const std::size_t wanted = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 1000000;
  const int rounds = argc > 2 ? std::atoi(argv[2]) : 5;
  fmt::print("{} threads, medians of {} interleaved runs\n\n", thread_count(), rounds);
  fmt::print("| mesh | triangles | ns/triangle | x F6 |\n|---|---|---|---|\n");
  struct NamedMesh {
    const char* name;
    Mesh mesh;
  };
  NamedMesh shapes[] = {{"bumpy torus", bumpy_torus(wanted).parts[0].mesh()},
                        {"slivers", sliver_torus(wanted)},
                        {"box, axis-aligned", divided_box(wanted, 0)},
                        {"box, turned by 17 degrees", divided_box(wanted, 17)}};
  for (const NamedMesh& shape : shapes) {
    const Welded welded(shape.mesh);
    CollideFloor floor(shape.mesh);
    if (!find_crossings(welded).empty()) {
      fmt::print(stderr, "{}: crossings in a clean mesh\n", shape.name);
      return 1;
    }
    std::size_t sum = 0;
    const std::vector<double> t =
        interleaved_medians({{"F6", {}, [&] { sum += floor.run(); }},
                             {"ours", {}, [&] { sum += find_crossings(welded).size(); }}},
                            rounds);
    const auto n = static_cast<double>(shape.mesh.triangles.size());
    fmt::print("| {} | {} | {:.0f} | {:.2f} |\n", shape.name, shape.mesh.triangles.size(),
               1e9 * t[1] / n, t[1] / t[0]);
    std::fflush(stdout);
  }
  return 0;
}
