// One boundary of what passes through itself: a clean torus against its search for crossings, two tori
// through each other against loading and that search, a heap of triangles and layers of one plane by
// pairs, a union of two meshes; cuts by a plane and a box.
// Usage: bench_resolve [TRIANGLES [ROUNDS]]

#include <cmath>
#include <cstdlib>
#include <random>

#include <fmt/format.h>

#include "aguja/base/parallel.h"
#include "aguja/formats/read.h"
#include "aguja/mend/resolve.h"
#include "aguja/mesh/arrangement.h"
#include "aguja/solid/cut.h"
#include "aguja/solid/material_boundary.h"
#include "bench/interleave.h"
#include "bench/shapes.h"

namespace {

using namespace aguja;

// The second one is moved off the first, so that they pass through each other.
Mesh two(const Mesh& mesh) {
  Mesh both = mesh;
  const auto count = static_cast<std::uint32_t>(mesh.points.size());
  const Box box = box_of(mesh);
  const Vector by = 0.27 * (box.high - box.low).cwiseProduct(Vector(1, 0.13, 0.07));
  for (const Point& p : mesh.points) both.points.push_back(rounded_to_float(p + by));
  for (Triangle t : mesh.triangles) {
    for (VertexId& v : t.corner) v.value += count;
    both.triangles.push_back(t);
  }
  both.points_are_distinct = false;
  return with_distinct_points(both);
}

Mesh heap(std::size_t count, double size) {
  std::mt19937_64 random(5);
  std::uniform_real_distribution<double> place(0, 1), off(-size, size);
  Mesh mesh;
  for (std::size_t i = 0; i < count; ++i) {
    const Point middle(place(random), place(random), place(random));
    const auto first = static_cast<std::uint32_t>(mesh.points.size());
    for (int k = 0; k < 3; ++k) {
      mesh.points.push_back(middle + Vector(off(random), off(random), off(random)));
    }
    mesh.triangles.push_back({{{first}, {first + 1}, {first + 2}}});
  }
  return mesh;
}

// So many divisions of one square.
Mesh layers(std::size_t count, std::uint32_t across) {
  std::mt19937_64 random(3);
  std::uniform_real_distribution<double> off(-0.4, 0.4);
  Mesh mesh;
  for (std::size_t layer = 0; layer < count; ++layer) {
    const auto first = static_cast<std::uint32_t>(mesh.points.size());
    for (std::uint32_t i = 0; i <= across; ++i) {
      for (std::uint32_t j = 0; j <= across; ++j) {
        const bool rim = i == 0 || j == 0 || i == across || j == across;
        const double x = rim ? 0 : off(random), y = rim ? 0 : off(random);
        mesh.points.emplace_back(i + x, j + y, 1.5);
      }
    }
    for (std::uint32_t i = 0; i < across; ++i) {
      for (std::uint32_t j = 0; j < across; ++j) {
        const std::uint32_t v = first + i * (across + 1) + j, w = v + across + 1;
        mesh.triangles.push_back({{{v}, {w}, {w + 1}}});
        mesh.triangles.push_back({{{v}, {w + 1}, {v + 1}}});
      }
    }
  }
  return mesh;
}

}  // namespace

int main(int argc, char** argv) {
  using namespace aguja::bench;
  const std::size_t wanted = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 1000000;
  const int rounds = argc > 2 ? std::atoi(argv[2]) : 3;
  const Mesh clean = with_distinct_points(bumpy_torus(wanted).parts[0].mesh());
  const Mesh tori = two(bumpy_torus(wanted / 2).parts[0].mesh());
  const Mesh hundreds = two(bumpy_torus(wanted / 10).parts[0].mesh());
  const Mesh dense = heap(20000, 0.1);
  const Mesh flat = layers(10, 12);
  Model model;
  model.parts.emplace_back("tori", tori);
  const std::string stl = binary_stl(model);
  const Budget budget{1e-3};
  std::size_t crossing = 0;
  const auto search = [&](const Mesh& mesh) { crossing = find_crossings(Welded(mesh)).size(); };
  const CutPlane tilted{box_of(clean).center(), Vector(1, 0.3, 0.2)};
  Box quarter = box_of(clean);
  quarter.low.head<2>() = quarter.center().head<2>();
  quarter.high *= 2;
  const Mesh box = body_of(quarter);
  const std::vector<double> t = interleaved_medians(
      {{"search clean", {}, [&] { search(clean); }},
       {"resolve clean", {}, [&] { static_cast<void>(resolve(clean, {}, budget)); }},
       {"load tori",
        {},
        [&] {
          static_cast<void>(read_model(Source{"bench", stl}));
        }},
       {"search tori", {}, [&] { search(tori); }},
       {"resolve tori", {}, [&] { static_cast<void>(resolve(tori, {}, budget)); }},
       {"union", {}, [&] { static_cast<void>(resolve(hundreds, {}, budget)); }},
       {"arrange dense", {}, [&] { static_cast<void>(arrange(Welded(dense))); }},
       {"arrange layers", {}, [&] { static_cast<void>(arrange(Welded(flat))); }},
       {"cut by plane", {}, [&] { static_cast<void>(cut_by_plane(clean, tilted)); }},
       {"cut by box", {}, [&] { static_cast<void>(cut_by_body(clean, box)); }}},
      rounds);
  const Change result = resolve(tori, {}, budget);
  if (!result.refused.empty() || !find_crossings(Welded(result.mesh)).empty()) {
    fmt::print(stderr, "the tori were not resolved\n");
    return 1;
  }
  for (const CutResult& cut : {cut_by_plane(clean, tilted), cut_by_body(clean, box)}) {
    if (cut.problem.empty() && !cut.sides[0].mesh.triangles.empty()) continue;
    fmt::print(stderr, "the torus was not cut: {}\n", cut.problem);
    return 1;
  }
  const auto pairs = [](const Mesh& mesh) {
    return static_cast<double>(find_crossings(Welded(mesh)).size());
  };
  fmt::print("{} threads, medians of {} runs\n\n| what | s | ratio |\n|---|---|---|\n",
             thread_count(), rounds);
  fmt::print("| clean torus, {} triangles | {:.2f} | {:.2f} x its search for crossings |\n",
             clean.triangles.size(), t[1], t[1] / t[0]);
  fmt::print("| two tori, {} triangles, {} pairs | {:.2f} | {:.2f} x load and search |\n",
             tori.triangles.size(), pairs(tori), t[4], t[4] / (t[2] + t[3]));
  fmt::print("| union of two, {} triangles, {} pairs | {:.2f} | |\n", hundreds.triangles.size(),
             pairs(hundreds), t[5]);
  const double in_dense = pairs(dense), in_flat = pairs(flat);
  fmt::print("| heap of {} triangles, {} pairs | {:.2f} | {:.1f} µs a pair |\n",
             dense.triangles.size(), in_dense, t[6], 1e6 * t[6] / in_dense);
  fmt::print("| ten layers of one plane, {} pairs | {:.2f} | {:.1f} µs a pair |\n", in_flat, t[7],
             1e6 * t[7] / in_flat);
  fmt::print("| the clean torus cut by a plane | {:.2f} | {:.2f} x its search |\n", t[8],
             t[8] / t[0]);
  fmt::print("| the clean torus cut by a box | {:.2f} | {:.2f} x its search |\n", t[9],
             t[9] / t[0]);
  return 0;
}
