#include "demo/crack.h"

#include <array>
#include <map>
#include <random>
#include <set>
#include <utility>

namespace aguja::demo {
namespace {

class Cracker {
 public:
  Cracker(const Mesh& mesh, const CrackOptions& options)
      : mesh_(mesh), options_(options), random_(options.seed) {}

  Mesh run() {
    find_borders();
    for (std::size_t t = 0; t < mesh_.triangles.size(); ++t) {
      piece_ = piece_of(t);
      patch_ = mesh_.patch_of[t];
      add(mesh_.triangles[t]);
    }
    return std::move(out_);
  }

 private:
  using Side = std::pair<std::uint32_t, std::uint32_t>;

  // Patches that stay are one piece.
  [[nodiscard]] std::uint32_t piece_of(std::size_t t) const {
    const PatchId patch = mesh_.patch_of[t];
    return !options_.comes_off || options_.comes_off(patch) ? patch.value : kNoIndex;
  }

  void find_borders() {
    std::map<Side, std::uint32_t> piece_of_side;
    for (std::size_t t = 0; t < mesh_.triangles.size(); ++t) {
      for (std::size_t c = 0; c < 3; ++c) {
        const Side side(mesh_.triangles[t][c].value, mesh_.triangles[t][(c + 1) % 3].value);
        piece_of_side[side] = piece_of(t);
      }
    }
    for (const auto& [side, piece] : piece_of_side) {
      const auto other = piece_of_side.find({side.second, side.first});
      if (other != piece_of_side.end() && other->second == piece) continue;
      border_sides_.insert(side);
      border_points_.insert(side.first);
      border_points_.insert(side.second);
    }
  }

  // A vector no longer than half the width.
  Vector jolt() {
    const auto unit = [&] { return static_cast<double>(random_() >> 11) * 0x1p-52 - 1.0; };
    while (true) {
      const Vector v(unit(), unit(), unit());
      if (v.squaredNorm() <= 1) return 0.5 * options_.width * v;
    }
  }

  VertexId append(const Point& p) {
    out_.points.push_back(p);
    return {static_cast<std::uint32_t>(out_.points.size() - 1)};
  }
  VertexId copy_of(VertexId v) {
    const auto [at, is_new] = copies_.try_emplace({piece_, v.value});
    if (is_new) {
      const bool moves = border_points_.contains(v.value) && options_.width > 0;
      at->second = append(moves ? Point(mesh_.point(v) + jolt()) : mesh_.point(v));
    }
    return at->second;
  }

  void push(VertexId a, VertexId b, VertexId c) {
    out_.triangles.push_back({{a, b, c}});
    out_.patch_of.push_back(patch_);
  }

  void add(const Triangle& t) {
    const int pieces = options_.pieces ? options_.pieces(patch_) : 1;
    std::vector<VertexId> outline;
    std::array<bool, 3> divided{};
    for (std::size_t c = 0; c < 3; ++c) {
      const VertexId from = t[c], to = t[(c + 1) % 3];
      outline.push_back(copy_of(from));
      divided[c] = pieces > 1 && border_sides_.contains({from.value, to.value});
      if (!divided[c]) continue;
      const Point a = out_.points[copy_of(from).value], b = out_.points[copy_of(to).value];
      for (int k = 1; k < pieces; ++k) {
        outline.push_back(append(a + (b - a) * (static_cast<double>(k) / pieces)));
      }
    }
    if (outline.size() == 3) return push(outline[0], outline[1], outline[2]);
    const auto n = outline.size();
    if (divided[0] + divided[1] + divided[2] == 1) {
      // A fan from the corner that faces the divided side.
      const std::size_t side = divided[0] ? 0 : divided[1] ? 1 : 2;
      const std::size_t apex = side == 0 ? n - 1 : side - 1;
      for (std::size_t k = 1; k + 1 < n; ++k) {
        push(outline[apex], outline[(apex + k) % n], outline[(apex + k + 1) % n]);
      }
      return;
    }
    const VertexId middle =
        append((out_.points[copy_of(t[0]).value] + out_.points[copy_of(t[1]).value] +
                out_.points[copy_of(t[2]).value]) /
               3.0);
    for (std::size_t k = 0; k < n; ++k) push(middle, outline[k], outline[(k + 1) % n]);
  }

  const Mesh& mesh_;
  const CrackOptions& options_;
  std::mt19937_64 random_;
  std::set<Side> border_sides_;
  std::set<std::uint32_t> border_points_;
  std::map<std::pair<std::uint32_t, std::uint32_t>, VertexId> copies_;
  std::uint32_t piece_ = 0;
  PatchId patch_{};
  Mesh out_;
};

}  // namespace

Mesh cracked(const Mesh& mesh, const CrackOptions& options) { return Cracker(mesh, options).run(); }

std::vector<Part> parts_by_patch(const Mesh& mesh, const std::string& name) {
  std::vector<PartDraft> parts;
  std::vector<std::map<std::uint32_t, VertexId>> ids;  // by patch: point of the mesh to its own
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const std::uint32_t patch = mesh.patch_of[t].value;
    while (parts.size() <= patch) {
      parts.emplace_back().name = name + "-" + std::to_string(parts.size() + 1);
      ids.emplace_back();
    }
    Mesh& own = parts[patch].mesh;
    Triangle triangle = mesh.triangles[t];
    for (VertexId& v : triangle.corner) {
      const auto [at, is_new] =
          ids[patch].try_emplace(v.value, VertexId{static_cast<std::uint32_t>(own.points.size())});
      if (is_new) own.points.push_back(mesh.point(v));
      v = at->second;
    }
    own.triangles.push_back(triangle);
  }
  return {std::make_move_iterator(parts.begin()), std::make_move_iterator(parts.end())};
}

}  // namespace aguja::demo
