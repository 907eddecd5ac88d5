// `inspect` of clean meshes, without patches and with them, as ratios to a float ray-tracing
// kernel's collision with itself; and winding numbers of queries. Usage: bench_inspect [TRIANGLES
// [ROUNDS]]

#include <cstdlib>
#include <random>

#include <fmt/format.h>

#include "aguja/base/parallel.h"
#include "aguja/inspect/inspect.h"
#include "aguja/solid/winding_field.h"
#include "bench/collide_floor.h"
#include "bench/interleave.h"
#include "bench/shapes.h"

namespace aguja::bench {
namespace {

Model model_of(Mesh mesh) {
  Model model;
  model.parts.emplace_back("part", std::move(mesh));
  return model;
}

// Findings of the mesh itself: edges to crossings and volume, no patches, walls or quality.
InspectOptions mesh_alone() {
  InspectOptions options;
  for (const KindInfo& k : all_kinds()) {
    if (k.family != "patches" && k.kind != FindingKind::short_edge &&
        k.kind != FindingKind::precision_doubt) {
      options.only.insert(k.kind);
    }
  }
  return options;
}

void inspections(std::size_t wanted, int rounds) {
  fmt::print("| mesh | triangles | mesh alone, x F6 | everything, x F6 | ns/triangle |\n");
  fmt::print("|---|---|---|---|---|\n");
  const std::pair<const char*, Model> shapes[] = {
      {"bumpy torus", model_of(bumpy_torus(wanted).parts[0].mesh())},
      {"slivers", model_of(sliver_torus(wanted))},
      {"box, turned by 17 degrees", model_of(divided_box(wanted, 17))}};
  for (const auto& [name, model] : shapes) {
    CollideFloor floor(model.parts[0].mesh());
    std::size_t sum = 0;
    const auto t = interleaved_medians(
        {{"F6", {}, [&] { sum += floor.run(); }},
         {"mesh", {}, [&] { sum += inspect(model, mesh_alone()).findings.size(); }},
         {"all", {}, [&] { sum += inspect(model).findings.size(); }}},
        rounds);
    const std::size_t n = model.parts[0].mesh().triangles.size();
    fmt::print("| {} | {} | {:.2f} | {:.2f} | {:.0f} |\n", name, n, t[1] / t[0], t[2] / t[0],
               1e9 * t[2] / static_cast<double>(n));
    std::fflush(stdout);
  }
}

void winding(std::size_t wanted, int rounds) {
  const Mesh mesh = bumpy_torus(wanted).parts[0].mesh();
  std::vector<TriangleId> all(mesh.triangles.size());
  for (std::uint32_t t = 0; t < all.size(); ++t) all[t] = {t};
  const Box box = box_of(mesh);
  std::mt19937_64 random(1);
  std::vector<Point> queries;
  for (int i = 0; i < 100000; ++i) {
    Point p;
    for (int axis = 0; axis < 3; ++axis) {
      p[axis] = std::uniform_real_distribution<>(box.low[axis], box.high[axis])(random);
    }
    queries.push_back(p);
  }
  const WindingField field(mesh.points, mesh.triangles, all);
  double sum = 0;
  const auto t = interleaved_medians(
      {{"build", {}, [&] { sum += WindingField(mesh.points, mesh.triangles, all).at(queries[0]); }},
       {"queries",
        {},
        [&] {
          for (const Point& q : queries) sum += field.at(q);
        }}},
      rounds);
  fmt::print(
      "\nwinding field of {} triangles: built in {:.0f} ns a triangle; {:.0f} queries a second "
      "on one core ({:.3g})\n",
      mesh.triangles.size(), 1e9 * t[0] / static_cast<double>(mesh.triangles.size()), 1e5 / t[1],
      sum);
}

}  // namespace
}  // namespace aguja::bench

int main(int argc, char** argv) {
  const std::size_t wanted = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 1000000;
  const int rounds = argc > 2 ? std::atoi(argv[2]) : 5;
  fmt::print("{} threads, medians of {} interleaved runs\n\n", aguja::thread_count(), rounds);
  aguja::bench::inspections(wanted, rounds);
  aguja::bench::winding(wanted, rounds);
  return 0;
}
