#pragma once
// Meshes for property tests: good ones, and ones with every kind of damage.

#include <cstdint>
#include <initializer_list>
#include <random>

#include "aguja/model/model.h"

namespace aguja::test {

class Random {
 public:
  explicit Random(std::uint64_t seed) : engine_(seed) {}
  /// 0 .. below - 1
  std::size_t index(std::size_t below) { return below == 0 ? 0 : engine_() % below; }
  bool chance(double p) { return unit() < p; }
  double unit() { return static_cast<double>(engine_() >> 11) * 0x1p-53; }
  double between(double low, double high) { return low + (high - low) * unit(); }
  std::uint64_t bits() { return engine_(); }
  std::mt19937_64& engine() { return engine_; }

 private:
  std::mt19937_64 engine_;
};

/// A mesh from literal lists.
[[nodiscard]] Mesh mesh_of(std::initializer_list<Point> points,
                           std::initializer_list<std::initializer_list<std::uint32_t>> triangles);

/// The unit cube with corners at 0 and 1, outward; its diagonals chosen at random by seed.
[[nodiscard]] Mesh cube(const Point& low = Point::Zero(), double side = 1.0);

/// A closed surface of genus 0 with about n x n quads (a grid on a sphere, poles included).
[[nodiscard]] Mesh sphere(int n, double radius = 1.0, const Point& center = Point::Zero());

/// A prism over `outline` (counter-clockwise, in the xy plane), outward.
[[nodiscard]] Mesh extruded(const std::vector<Point>& outline, double height);

/// A closed or torn mesh with random damage: triangles lost, doubled, turned, collapsed; points
/// split into equal copies, with signs of zeros flipped; strays and fins added; unused points; the
/// order shuffled.
[[nodiscard]] Mesh damaged_mesh(std::uint64_t seed);

/// Triangles and points of `b` after those of `a`.
[[nodiscard]] Mesh joined(const Mesh& a, const Mesh& b);

/// Every triangle turned over.
[[nodiscard]] Mesh turned(Mesh mesh);

[[nodiscard]] Model model_of(Mesh mesh, const std::string& name = "part");

/// Changes the mesh of a model's part by `change(Mesh&)`.
template <class Change>
void edit(Model& model, const Change& change, std::size_t part = 0) {
  PartDraft draft(std::move(model.parts[part]));
  change(draft.mesh);
  model.parts[part] = std::move(draft);
}

}  // namespace aguja::test
