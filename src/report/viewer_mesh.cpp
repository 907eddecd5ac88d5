#include "report/viewer_mesh.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <unordered_map>

#include "aguja/base/error.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/patches.h"
#include "aguja/mesh/weld.h"
#include "base/numbers.h"
#include "base/packed_text.h"

namespace aguja {
namespace {

// One body of welded vertices: all parts one after another.
struct Scene {
  std::vector<Point> points;
  std::vector<Triangle> triangles;
  std::vector<std::uint32_t> patch_of;
  std::vector<std::uint32_t> naked;
  std::vector<std::uint32_t> borders;
  std::vector<std::size_t> part_ends;
};

Scene scene_of(const Model& model, std::span<const Patches> patches) {
  Scene scene;
  std::uint32_t patches_before = 0;
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    const Part& part = model.parts[p];
    const std::span<const PatchId> patch_of = patches.empty()
                                                  ? std::span<const PatchId>(part.mesh().patch_of)
                                                  : std::span<const PatchId>(patches[p].patch_of);
    const auto patch = [&](std::size_t t) { return patch_of.empty() ? 0 : patch_of[t].value; };
    std::uint32_t most = 0;
    const Welded welded(part.mesh());
    const EdgeTable edges(welded.triangles(), welded.points().size());
    const auto base = static_cast<std::uint32_t>(scene.points.size());
    scene.points.insert(scene.points.end(), welded.points().begin(), welded.points().end());
    for (std::size_t t = 0; t < welded.triangles().size(); ++t) {
      const Triangle& c = welded.triangles()[t];
      scene.triangles.push_back({{{c[0].value + base}, {c[1].value + base}, {c[2].value + base}}});
      const std::uint32_t own = patch(t);
      if (own != kNoIndex) most = std::max(most, own + 1);
      scene.patch_of.push_back(own == kNoIndex ? kNoIndex : patches_before + own);
    }
    for (std::uint32_t e = 0; e < edges.size(); ++e) {
      const Edge& edge = edges.edge({e});
      const auto uses = edges.uses({e});
      const auto add = [&](std::vector<std::uint32_t>& list) {
        list.push_back(base + edge.low.value);
        list.push_back(base + edge.high.value);
      };
      if (edges.is_naked({e})) {
        add(scene.naked);
      } else if (uses.size() != 2 ||
                 patch(uses[0].triangle().value) != patch(uses[1].triangle().value)) {
        add(scene.borders);
      }
    }
    patches_before += most;
    scene.part_ends.push_back(scene.triangles.size());
  }
  return scene;
}

// New place of every vertex if all of a grid cell become one, but those that are `fixed`.
std::vector<std::uint32_t> clusters(const Scene& scene, const std::vector<bool>& fixed,
                                    double cell) {
  std::vector<std::uint32_t> to(scene.points.size());
  std::unordered_map<std::uint64_t, std::uint32_t> first_of;
  for (std::uint32_t v = 0; v < to.size(); ++v) {
    to[v] = v;
    if (fixed[v]) continue;
    std::uint64_t key = 0;
    for (int axis = 0; axis < 3; ++axis) {
      const auto c = cell_number(scene.points[v][axis] / cell);
      key = key * 0x9E3779B97F4A7C15u + static_cast<std::uint64_t>(c);
    }
    to[v] = first_of.try_emplace(key, v).first->second;
  }
  return to;
}

struct Kept {
  std::vector<std::uint32_t> triangles;
  std::vector<std::uint32_t> vertex_of;
};

Kept reduce(const Scene& scene, const std::vector<bool>& keep, std::size_t most) {
  std::vector<bool> fixed(scene.points.size());
  for (const std::uint32_t v : scene.naked) fixed[v] = true;
  for (std::size_t t = 0; t < scene.triangles.size(); ++t) {
    for (std::size_t c = 0; keep[t] && c < 3; ++c) fixed[scene.triangles[t][c].value] = true;
  }
  const Box box = box_of(scene.points);
  // A surface of cells has about as many vertices as cells, and twice as many triangles.
  double cell = box.diagonal() / std::sqrt(static_cast<double>(most) + 1);
  Kept kept;
  constexpr int kMostRounds = 24;
  for (int round = 0; round < kMostRounds; ++round) {
    kept.vertex_of = clusters(scene, fixed, cell);
    kept.triangles.clear();
    std::size_t loose = 0;
    for (std::uint32_t t = 0; t < scene.triangles.size(); ++t) {
      const Triangle& own = scene.triangles[t];
      const Triangle now = {{{kept.vertex_of[own[0].value]},
                             {kept.vertex_of[own[1].value]},
                             {kept.vertex_of[own[2].value]}}};
      if (!keep[t] && has_equal_corners(now)) continue;
      loose += !keep[t];
      kept.triangles.push_back(t);
    }
    if (loose <= most) break;
    cell *= 1.3;
  }
  return kept;
}

std::uint32_t zigzag(std::int64_t value) {
  return static_cast<std::uint32_t>((value << 1) ^ (value >> 63));
}

}  // namespace

ViewerMesh viewer_mesh(const Model& model, std::span<const Patches> patches,
                       const std::vector<bool>& keep, std::size_t most) {
  const Scene scene = scene_of(model, patches);
  ViewerMesh mesh;
  const Box box = box_of(scene.points);
  if (!box.is_empty()) {
    constexpr double kSteps = 2097151;
    mesh.low = box.low;
    mesh.step = std::max((box.high - box.low).maxCoeff() / kSteps, 1e-300);
  }
  mesh.reduced = scene.triangles.size() > most;
  Kept kept;
  if (mesh.reduced) {
    kept = reduce(scene, keep, most);
  } else {
    kept.triangles.resize(scene.triangles.size());
    kept.vertex_of.resize(scene.points.size());
    for (std::uint32_t t = 0; t < kept.triangles.size(); ++t) kept.triangles[t] = t;
    for (std::uint32_t v = 0; v < kept.vertex_of.size(); ++v) kept.vertex_of[v] = v;
  }
  // Vertices are numbered in the order in which triangles first need them.
  std::vector<std::uint32_t> number(scene.points.size(), kNoIndex);
  std::vector<std::uint32_t> order;
  const auto numbered = [&](std::uint32_t v) {
    if (number[v] == kNoIndex) {
      number[v] = static_cast<std::uint32_t>(order.size());
      order.push_back(v);
    }
    return number[v];
  };
  std::size_t part = 0;
  for (const std::uint32_t t : kept.triangles) {
    while (part < scene.part_ends.size() && t >= scene.part_ends[part]) {
      mesh.part_ends.push_back(mesh.source.size());
      ++part;
    }
    for (const VertexId v : scene.triangles[t].corner) {
      const auto next = static_cast<std::uint32_t>(order.size());
      mesh.corners.push_back(next - numbered(kept.vertex_of[v.value]));
    }
    mesh.patch_of.push_back(scene.patch_of[t]);
    mesh.source.push_back(t);
  }
  mesh.part_ends.resize(scene.part_ends.size(), mesh.source.size());
  const auto add_lines = [&](const std::vector<std::uint32_t>& from,
                             std::vector<std::uint32_t>& to) {
    for (std::size_t i = 0; i + 1 < from.size(); i += 2) {
      const std::uint32_t a = number[kept.vertex_of[from[i]]];
      const std::uint32_t b = number[kept.vertex_of[from[i + 1]]];
      if (a == kNoIndex || b == kNoIndex || a == b) continue;
      to.push_back(a);
      to.push_back(b);
    }
  };
  add_lines(scene.naked, mesh.naked);
  add_lines(scene.borders, mesh.borders);
  mesh.positions.reserve(3 * order.size());
  for (int axis = 0; axis < 3; ++axis) {
    std::int64_t last = 0;
    for (const std::uint32_t v : order) {
      const auto at = static_cast<std::int64_t>(
          std::llround((scene.points[v][axis] - mesh.low[axis]) / mesh.step));
      mesh.positions.push_back(zigzag(at - last));
      last = at;
    }
  }
  return mesh;
}

std::string packed(std::span<const std::uint32_t> numbers) {
  std::string bytes;
  bytes.reserve(4 * numbers.size());
  for (int shift = 0; shift < 32; shift += 8) {
    for (const std::uint32_t n : numbers) bytes += static_cast<char>((n >> shift) & 255U);
  }
  return detail::base64(detail::deflated(bytes));
}

}  // namespace aguja
