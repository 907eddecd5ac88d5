// Orientation predicates against the plain determinant.

#include <random>

#include <benchmark/benchmark.h>

#include "aguja/geometry/predicates.h"

namespace {

using aguja::Point;

std::vector<Point> random_points(bool coplanar) {
  std::mt19937_64 random(1);
  std::uniform_real_distribution<double> unit(0, 1);
  std::vector<Point> points;
  for (int i = 0; i < 4096; ++i) {
    points.emplace_back(unit(random), unit(random), coplanar ? 0.25 : unit(random));
  }
  return points;
}

double plain(const Point& a, const Point& b, const Point& c, const Point& d) {
  const Point u = b - a, v = c - a, w = d - a;
  return u.x() * (v.y() * w.z() - v.z() * w.y()) - u.y() * (v.x() * w.z() - v.z() * w.x()) +
         u.z() * (v.x() * w.y() - v.y() * w.x());
}

template <class Test>
void over_points(benchmark::State& state, bool coplanar, const Test& test) {
  const std::vector<Point> p = random_points(coplanar);
  std::size_t i = 0;
  for (auto _ : state) {
    benchmark::DoNotOptimize(test(p[i], p[i + 1], p[i + 2], p[i + 3]));
    i = (i + 4) % p.size();
  }
}

void PlainDeterminant(benchmark::State& state) { over_points(state, false, plain); }
void Orient3dRandom(benchmark::State& state) {
  over_points(state, false, [](const auto&... p) { return aguja::orient3d(p...); });
}
void Orient3dAxisAlignedZeros(benchmark::State& state) {
  over_points(state, true, [](const auto&... p) { return aguja::orient3d(p...); });
}
void Orient3dRational(benchmark::State& state) {
  over_points(state, false,
              [](const auto&... p) { return aguja::detail::orient3d_rational(p...); });
}
BENCHMARK(PlainDeterminant);
BENCHMARK(Orient3dRandom);
BENCHMARK(Orient3dAxisAlignedZeros);
BENCHMARK(Orient3dRational);

}  // namespace
