// Orientation predicates against the plain determinant; those of made points on random input against
// those on axis-parallel planes, where zeros are.

#include <optional>
#include <random>

#include <benchmark/benchmark.h>

#include "aguja/geometry/exact_points.h"

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

// Where slanted lines, and planes, meet planes: random ones, or one that is axis-parallel.
class MadePoints {
 public:
  explicit MadePoints(bool coplanar) {
    std::mt19937_64 random(2);
    std::uniform_real_distribution<double> unit(0, 1);
    const auto number = [&] { return unit(random); };
    // By turns: three corners of a plane, two points of a line.
    for (int i = 0; i < 5 * kCount; ++i) {
      const bool in_plane = i % 5 < 3;
      given_.emplace_back(number(), number(), coplanar && in_plane ? 0.25 : number());
    }
    points_.emplace(given_);
    for (std::uint32_t i = 0; i < kCount; ++i) {
      const std::uint32_t first = 5 * i;
      planes_.push_back({first, first + 1, first + 2});
      made_.push_back(points_->add({first + 3, first + 4}, planes_.back()).value());
    }
  }
  template <class Test>
  void run(benchmark::State& state, const Test& test) const {
    std::uint32_t i = 0;
    for (auto _ : state) {
      benchmark::DoNotOptimize(test(*points_, planes_[i], made_[(i + 1) % kCount],
                                    made_[(i + 2) % kCount], made_[(i + 3) % kCount]));
      i = (i + 1) % kCount;
    }
  }

 private:
  static constexpr std::uint32_t kCount = 1024;
  std::vector<Point> given_;
  std::optional<aguja::ExactPoints> points_;
  std::vector<aguja::PlaneOfPoints> planes_;
  std::vector<aguja::ExactPointId> made_;
};

template <bool kCoplanar>
void MadeOrient3d(benchmark::State& state) {
  MadePoints(kCoplanar).run(state, [](const auto& points, const auto& plane, auto a, auto, auto) {
    return points.orient3d(plane, a);
  });
}
template <bool kCoplanar>
void MadeOrient2d(benchmark::State& state) {
  MadePoints(kCoplanar).run(state, [](const auto& points, const auto&, auto a, auto b, auto c) {
    return points.orient2d(a, b, c, 2);
  });
}
// Seen along the plane: all zeros, if it is one.
template <bool kCoplanar>
void MadeOrient2dAlong(benchmark::State& state) {
  MadePoints(kCoplanar).run(state, [](const auto& points, const auto&, auto a, auto b, auto c) {
    return points.orient2d(a, b, c, 0);
  });
}
template <bool kCoplanar>
void MadeCompare(benchmark::State& state) {
  MadePoints(kCoplanar).run(state, [](const auto& points, const auto&, auto a, auto b, auto) {
    return points.compare(a, b, 2);
  });
}
template <bool kCoplanar>
void Making(benchmark::State& state) {
  for (auto _ : state) MadePoints made(kCoplanar);
}
BENCHMARK(MadeOrient3d<false>);
BENCHMARK(MadeOrient3d<true>);
BENCHMARK(MadeOrient2d<false>);
BENCHMARK(MadeOrient2d<true>);
BENCHMARK(MadeOrient2dAlong<false>);
BENCHMARK(MadeOrient2dAlong<true>);
BENCHMARK(MadeCompare<false>);
BENCHMARK(MadeCompare<true>);
BENCHMARK(Making<false>);
BENCHMARK(Making<true>);

}  // namespace
