// How the time of an inspection grows on models that are not clean: open, overlapping, torn, of many
// shells. Each is held against a clean torus of its size; pairs that cross cost 2 µs each beside.
// Then shapes that crowd about a vertex, an edge, a line, a place: how their time grows.
// Last polygons with very many corners, divided.
// Usage: bench_growth [LARGEST [ROUNDS [CROWD]]]

#include <cmath>
#include <cstdlib>
#include <map>
#include <numbers>
#include <random>

#include <fmt/format.h>

#include "aguja/inspect/inspect.h"
#include "aguja/mesh/polygon.h"
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

// ---- Shapes that crowd: each would cost its square if all were held against all.

class CrowdMaker {
 public:
  explicit CrowdMaker(std::size_t count) : count_(count) {}

  // Needles about one vertex: the lid of a cylinder.
  Mesh disc() {
    const VertexId hub = add({0, 0, 0});
    for (std::size_t i = 0; i < count_; ++i) add(on_circle(i, 0));
    for (std::uint32_t i = 0; i < count_; ++i) triangle(hub, {1 + i}, {1 + (i + 1) % last()});
    return mesh_;
  }
  // Pages on one edge.
  Mesh book() {
    const VertexId low = add({0, 0, 0}), high = add({0, 0, 1});
    for (std::size_t i = 0; i < count_; ++i) triangle(low, high, add(on_circle(i, 0.5)));
    return mesh_;
  }
  Mesh loose_needles() {
    const VertexId hub = add({0, 0, 0});
    for (std::size_t i = 0; i < count_; ++i) {
      const Point end = Point(anywhere() - Point(0.5, 0.5, 0.5)).normalized();
      const VertexId tip = add(end);
      triangle(hub, tip, add(end + 1e-3 * anywhere()));
    }
    return mesh_;
  }
  Mesh tube() {
    const auto around = static_cast<std::uint32_t>(count_ / 2);
    for (const double z : {0.0, 1.0}) {
      for (std::uint32_t i = 0; i < around; ++i) add(on_circle(2 * i, z));
    }
    for (std::uint32_t i = 0; i < around; ++i) {
      const std::uint32_t next = (i + 1) % around;
      triangle({i}, {next}, {around + next});
      triangle({i}, {around + next}, {around + i});
    }
    return mesh_;
  }
  Mesh strips() {
    for (std::size_t i = 0; i < count_ / 2; ++i) {
      const Point at = 100 * anywhere();
      const VertexId a = add(at), b = add(at + Point(1, 0, 0)), c = add(at + Point(1, 0.01, 0));
      triangle(a, b, c);
      triangle(a, c, add(at + Point(0, 0.01, 0)));
    }
    return mesh_;
  }
  Mesh same_triangle() {
    const VertexId a = add({0, 0, 0}), b = add({1, 0, 0}), c = add({0, 1, 0});
    for (std::size_t i = 0; i < count_; ++i) triangle(a, b, c);
    return mesh_;
  }
  Mesh on_a_line() {
    for (std::size_t i = 0; i < count_ + 2; ++i) add({1e-3 * static_cast<double>(i), 0, 0});
    for (std::uint32_t i = 0; i < count_; ++i) triangle({i}, {i + 1}, {i + 2});
    return mesh_;
  }
  // All corners in three places, or nearly so: nearly all pass through each other.
  Mesh three_places() {
    for (std::size_t i = 0; i < count_; ++i) {
      const VertexId a = add(1e-7 * anywhere()), b = add(Point(1, 0, 0) + 1e-7 * anywhere());
      triangle(a, b, add(Point(0, 1, 0) + 1e-7 * anywhere()));
    }
    return mesh_;
  }
  // A stack of sheets of a hundred squares each in one plane, turned a little.
  Mesh sheets() {
    constexpr std::uint32_t kAcross = 10;
    const auto sheet_count = static_cast<std::uint32_t>(count_ / (2 * kAcross * kAcross));
    for (std::uint32_t k = 0; k < sheet_count; ++k) {
      const auto first = static_cast<std::uint32_t>(mesh_.points.size());
      const double turn = 2 * std::numbers::pi * k / sheet_count / 100;
      for (std::uint32_t i = 0; i <= kAcross; ++i) {
        for (std::uint32_t j = 0; j <= kAcross; ++j) {
          add({i * std::cos(turn) - j * std::sin(turn), i * std::sin(turn) + j * std::cos(turn),
               0.01 * k});
        }
      }
      for (std::uint32_t i = 0; i < kAcross; ++i) {
        for (std::uint32_t j = 0; j < kAcross; ++j) {
          const std::uint32_t a = first + i * (kAcross + 1) + j, b = a + kAcross + 1;
          triangle({a}, {b}, {b + 1});
          triangle({a}, {b + 1}, {a + 1});
        }
      }
    }
    return mesh_;
  }
  Mesh soup() {
    for (std::size_t i = 0; i < count_; ++i) {
      const VertexId a = add(anywhere()), b = add(anywhere());
      triangle(a, b, add(anywhere()));
    }
    return mesh_;
  }

 private:
  VertexId add(const Point& p) {
    mesh_.points.push_back(p);
    return {static_cast<std::uint32_t>(mesh_.points.size() - 1)};
  }
  void triangle(VertexId a, VertexId b, VertexId c) { mesh_.triangles.push_back({{a, b, c}}); }
  [[nodiscard]] std::uint32_t last() const { return static_cast<std::uint32_t>(count_); }
  [[nodiscard]] Point on_circle(std::size_t i, double z) const {
    const double angle =
        2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(count_);
    return {std::cos(angle), std::sin(angle), z};
  }
  Point anywhere() {
    std::uniform_real_distribution<double> unit(0, 1);
    const double x = unit(random_), y = unit(random_);
    return {x, y, unit(random_)};
  }

  std::size_t count_;
  Mesh mesh_;
  std::mt19937_64 random_{7};
};

// Corners of a polygon in the plane, n of them.
std::vector<Point> star(std::size_t n) {
  std::vector<Point> points;
  for (std::size_t i = 0; i < n; ++i) {
    const double angle = 2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(n);
    const double radius = i % 2 == 0 ? 1 : 0.4;
    points.emplace_back(radius * std::cos(angle), radius * std::sin(angle), 0);
  }
  return points;
}
std::vector<Point> comb(std::size_t n) {
  std::vector<Point> points = {{static_cast<double>(n), -1, 0}, {-1, -1, 0}};
  for (std::size_t i = 2; i < n; ++i)
    points.emplace_back(static_cast<double>(i - 2), i % 2 == 0 ? 0 : 10, 0);
  return points;
}
// A band along a spiral, there on its one side and back on the other.
std::vector<Point> spiral(std::size_t n) {
  std::vector<Point> points;
  const std::size_t half = n / 2;
  for (std::size_t i = 0; i < 2 * half; ++i) {
    const bool there = i < half;
    const double along = static_cast<double>(there ? i : 2 * half - 1 - i) / 50;
    const double radius = 1 + along / (2 * std::numbers::pi) + (there ? 0.0 : 0.4);
    points.emplace_back(radius * std::cos(along), radius * std::sin(along), 0);
  }
  return points;
}
// A triangle with nearly all corners in line on one side.
std::vector<Point> in_line(std::size_t n) {
  std::vector<Point> points = {{0.5 * static_cast<double>(n), 1, 0}};
  for (std::size_t i = 1; i < n; ++i) points.emplace_back(static_cast<double>(n - i), 0, 0);
  return points;
}
// A star of which two sides cross.
std::vector<Point> crossed(std::size_t n) {
  std::vector<Point> points = star(n);
  std::swap(points[n / 3], points[n / 3 + 1]);
  return points;
}

struct Polygons {
  const char* name;
  std::vector<Point> (*make)(std::size_t);
};
constexpr Polygons kPolygons[] = {{"star", star},
                                  {"comb", comb},
                                  {"spiral", spiral},
                                  {"corners in line", in_line},
                                  {"crosses itself", crossed}};

void divide_them(std::size_t largest, int rounds) {
  fmt::print("\n| polygon | corners | divided | ms | growth |\n|---|---|---|---|---|\n");
  for (const Polygons& family : kPolygons) {
    double first = 0;
    for (const std::size_t n : {largest / 4, largest}) {
      const std::vector<Point> points = family.make(n);
      std::vector<VertexId> corners;
      for (std::uint32_t i = 0; i < points.size(); ++i) corners.push_back({i});
      SharedArray<Triangle> triangles;
      std::size_t left = 0;
      const FannedPolygon polygon{0, corners.size()};
      const auto t = bench::interleaved_medians(
          {{"divide",
            [&] {
              triangles.clear();
              append_fan(triangles, corners);
            },
            [&] { left = divide_polygons(points, triangles, std::span(&polygon, 1)); }}},
          rounds);
      fmt::print("| {} | {} | {} | {:.1f} | {} |\n", family.name, corners.size(),
                 left == 0 ? "yes" : "no", 1e3 * t[0],
                 first > 0 ? fmt::format("n^{:.2f}", std::log(t[0] / first) / std::log(4.0)) : "");
      first = t[0];
    }
  }
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
      {"closed boxes, one of them open",
       [](std::size_t n) {
         Mesh mesh = boxes(n, 1.5, 12);
         mesh.triangles.pop_back();
         return mesh;
       }},
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
  const std::size_t crowd = argc > 3 ? std::strtoull(argv[3], nullptr, 10) : 20'000;
  const std::vector<Family> crowds = {
      {"disc about one vertex", [](std::size_t n) { return CrowdMaker(n).disc(); }},
      {"pages on one edge", [](std::size_t n) { return CrowdMaker(n).book(); }},
      {"loose needles about one vertex",
       [](std::size_t n) { return CrowdMaker(n).loose_needles(); }},
      {"tube, two rims", [](std::size_t n) { return CrowdMaker(n).tube(); }},
      {"loose strips", [](std::size_t n) { return CrowdMaker(n).strips(); }},
      {"one triangle again and again", [](std::size_t n) { return CrowdMaker(n).same_triangle(); }},
      {"all on one line", [](std::size_t n) { return CrowdMaker(n).on_a_line(); }},
      {"corners in three places", [](std::size_t n) { return CrowdMaker(n / 4).three_places(); }},
      {"sheets in a stack", [](std::size_t n) { return CrowdMaker(n).sheets(); }},
      {"soup", [](std::size_t n) { return CrowdMaker(n / 4).soup(); }},
  };
  fmt::print("\n| crowd | triangles | pairs | s | growth | of the longest stage |\n");
  fmt::print("|---|---|---|---|---|---|\n");
  for (const Family& family : crowds) {
    double first = 0;
    std::map<std::string, double> before;
    for (const std::size_t n : {crowd / 4, crowd}) {
      const Model model = model_of(family.make(n));
      StageTimes times;
      Counts counts;
      const auto t = bench::interleaved_medians(
          {{"model", [&] { times = {}; }, [&] { counts = inspect(model, {}, &times).counts; }}},
          rounds);
      std::string longest;
      std::map<std::string, double> now;
      for (const auto& [stage, seconds] : times.stages()) {
        now[stage] = seconds;
        if (longest.empty() || seconds > now[longest]) longest = stage;
      }
      const auto growth = [](double small, double large) {
        return fmt::format("n^{:.2f}", std::log(large / small) / std::log(4.0));
      };
      const std::size_t pairs = counts.crossing_pairs + counts.overlap_pairs + counts.touch_pairs;
      fmt::print("| {} | {} | {}{} | {:.2f} | {} | {} |\n", family.name,
                 model.parts[0].mesh().triangles.size(), counts.more_pairs ? "> " : "", pairs, t[0],
                 first > 0 ? growth(first, t[0]) : "",
                 first > 0 ? longest + " " + growth(before[longest], now[longest]) : "");
      first = t[0];
      before = now;
    }
  }
  constexpr std::size_t kCornersOfCrowd = 5;
  divide_them(kCornersOfCrowd * crowd, rounds);
  fmt::print("\n{}\n", is_held ? "held" : "not held: more than 4 times the clean torus");
  return is_held ? 0 : 1;
}
