#include "aguja/mesh/known_mesh.h"

#include <algorithm>
#include <atomic>
#include <limits>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"
#include "aguja/geometry/predicates.h"

namespace aguja {
namespace {

// Made by whoever asks first; the others wait.
template <class T, class Make>
const T& once(std::mutex& mutex, std::optional<T>& value, const Make& make) {
  const std::lock_guard lock(mutex);
  if (!value) value.emplace(make());
  return *value;
}

FloatBox box_of_triangle_in(const Mesh& mesh, const Triangle& t) {
  Box box;
  for (const VertexId v : t.corner) box.extend(mesh.point(v));
  return FloatBox(box);
}

template <class TriangleOf>
BoxTree tree_over(const Mesh& mesh, std::size_t count, const TriangleOf& triangle_of) {
  Array<FloatBox> boxes(count);
  parallel_ranges(count, std::size_t{1} << 13, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      boxes[i] = box_of_triangle_in(mesh, mesh.triangle(triangle_of(i)));
    }
  });
  return BoxTree(std::move(boxes));
}

// Triangles that come to a mesh, and points with them, numbered on.
class Newcomers {
 public:
  // They are numbered on, too.
  Newcomers(const Mesh& mesh, std::span<const Point> points, std::span<const Triangle> triangles)
      : mesh_(mesh), points_(points), triangles_(triangles.begin(), triangles.end()) {
    for (std::size_t i = 0; i < triangles.size(); ++i) {
      ids_.push_back({static_cast<std::uint32_t>(mesh.triangles.size() + i)});
    }
  }
  // They are in the mesh already.
  Newcomers(const Mesh& mesh, std::vector<TriangleId> ids) : mesh_(mesh), ids_(std::move(ids)) {
    for (const TriangleId t : ids_) triangles_.push_back(mesh.triangle(t));
  }

  [[nodiscard]] std::size_t size() const { return triangles_.size(); }
  [[nodiscard]] TriangleId id(std::size_t i) const { return ids_[i]; }
  [[nodiscard]] const Point& point(VertexId v) const {
    return v.value < mesh_.points.size() ? mesh_.point(v) : points_[v.value - mesh_.points.size()];
  }
  [[nodiscard]] FloatBox box(std::size_t i) const {
    Box box;
    for (const VertexId v : triangles_[i].corner) box.extend(point(v));
    return FloatBox(box);
  }
  /// Nothing if it has no area.
  [[nodiscard]] std::optional<PreparedTriangle> prepared(const Triangle& t) const {
    const Point &a = point(t[0]), &b = point(t[1]), &c = point(t[2]);
    if (has_equal_corners(t) || is_collinear(a, b, c)) return std::nullopt;
    return PreparedTriangle({{a, b, c}, {t[0].value, t[1].value, t[2].value}});
  }
  [[nodiscard]] std::optional<PreparedTriangle> prepared(std::size_t i) const {
    return prepared(triangles_[i]);
  }
  [[nodiscard]] const Mesh& mesh() const { return mesh_; }
  /// They by themselves, with the points that they need.
  [[nodiscard]] Mesh alone() const {
    std::vector<VertexId> used;
    for (const Triangle& t : triangles_) used.insert(used.end(), t.corner, t.corner + 3);
    std::sort(used.begin(), used.end());
    used.erase(std::unique(used.begin(), used.end()), used.end());
    Mesh out;
    for (const VertexId v : used) out.points.push_back(point(v));
    for (Triangle t : triangles_) {
      for (VertexId& v : t.corner) {
        const auto at = std::lower_bound(used.begin(), used.end(), v);
        v = {static_cast<std::uint32_t>(at - used.begin())};
      }
      out.triangles.push_back(t);
    }
    out.points_are_distinct = true;
    return out;
  }

 private:
  const Mesh& mesh_;
  std::span<const Point> points_;
  std::vector<Triangle> triangles_;
  std::vector<TriangleId> ids_;
};

// The pairs that they are in, with those in the trees or with each other; nothing if more than
// `most_looks` boxes would have to be looked into.
std::optional<std::vector<TrianglePair>> crossings_of(
    const Newcomers& newcomers, const TriangleTrees& trees,
    std::size_t most_looks = std::numeric_limits<std::size_t>::max()) {
  std::atomic<std::size_t> looks = 0;
  std::vector<TrianglePair> pairs = parallel_collect<TrianglePair>(
      newcomers.size(), std::size_t{1} << 6, [&](Range r, std::vector<TrianglePair>& out) {
        std::vector<TriangleId> near;
        for (std::size_t i = r.begin; i < r.end; ++i) {
          const auto own = newcomers.prepared(i);
          if (!own) continue;
          near.clear();
          trees.for_each_meeting(newcomers.box(i), [&](TriangleId t) { near.push_back(t); });
          if (looks.fetch_add(near.size()) + near.size() > most_looks) return;
          for (const TriangleId t : near) {
            const auto other = newcomers.prepared(newcomers.mesh().triangle(t));
            if (!other) continue;
            const bool is_first = t < newcomers.id(i);
            const Contact contact =
                (is_first ? classify_staged(*other, *own) : classify_staged(*own, *other)).contact;
            if (contact == Contact::none) continue;
            out.push_back({std::min(t, newcomers.id(i)), std::max(t, newcomers.id(i)), contact});
          }
        }
      });
  if (looks > most_looks) return std::nullopt;
  const Mesh alone = newcomers.alone();
  for (TrianglePair pair : find_crossings(Welded(alone))) {
    pair.first = newcomers.id(pair.first.value);
    pair.second = newcomers.id(pair.second.value);
    pairs.push_back(pair);
  }
  std::sort(pairs.begin(), pairs.end());
  return pairs;
}

// Which triangles of a mesh are those of another, corner for corner.
struct Stayed {
  std::vector<TriangleId> now;     // by triangle before; kNoIndex: it did not
  std::vector<TriangleId> others;  // now, that did not; rising
};

Stayed stayed(const Mesh& before, const Mesh& mesh, const MeshMaps& maps) {
  Stayed out;
  out.now.assign(before.triangles.size(), TriangleId{kNoIndex});
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    const TriangleId parent = maps.parent[t];
    bool same = parent.value != kNoIndex && out.now[parent.value].value == kNoIndex;
    for (unsigned c = 0; same && c < 3; ++c) {
      same = mesh.point(mesh.triangles[t][c]) == before.point(before.triangle(parent)[c]);
    }
    if (same) {
      out.now[parent.value] = {t};
    } else {
      out.others.push_back({t});
    }
  }
  return out;
}

// To begin anew costs about so many looks a triangle, and as much as asking for one in so many.
constexpr std::size_t kLooksOfAll = 32, kOthersOfAll = 4;

}  // namespace

TriangleTrees::TriangleTrees(BoxTree tree) {
  const std::size_t size = tree.size();
  pieces_.push_back({std::make_shared<const BoxTree>(std::move(tree)), nullptr, size});
}

TriangleTrees::TriangleTrees(const TriangleTrees& before, std::span<const TriangleId> now,
                             const Mesh& mesh, std::vector<TriangleId> others)
    : pieces_(before.pieces_) {
  const auto spill = [&](const Piece& piece) {
    for (std::uint32_t i = 0; i < piece.tree->size(); ++i) {
      if (piece.triangle(i).value != kNoIndex) others.push_back(piece.triangle(i));
    }
  };
  if (!now.empty()) {
    for (Piece& piece : pieces_) {
      auto triangles = std::make_shared<std::vector<TriangleId>>(piece.tree->size());
      piece.left = 0;
      for (std::uint32_t i = 0; i < triangles->size(); ++i) {
        const TriangleId t = piece.triangle(i);
        (*triangles)[i] = t.value == kNoIndex ? t : now[t.value];
        piece.left += static_cast<std::size_t>((*triangles)[i].value != kNoIndex);
      }
      piece.triangles = std::move(triangles);
    }
    std::erase_if(pieces_, [&](const Piece& piece) {
      const bool goes = 2 * piece.left < piece.tree->size();
      if (goes) spill(piece);
      return goes;
    });
  }
  if (others.empty()) return;
  while (!pieces_.empty() && pieces_.back().left <= others.size()) {
    spill(pieces_.back());
    pieces_.pop_back();
  }
  std::sort(others.begin(), others.end());
  auto triangles = std::make_shared<const std::vector<TriangleId>>(std::move(others));
  BoxTree tree = tree_over(mesh, triangles->size(), [&](std::size_t i) { return (*triangles)[i]; });
  const std::size_t size = triangles->size();
  pieces_.push_back({std::make_shared<const BoxTree>(std::move(tree)), std::move(triangles), size});
}

KnownMesh::KnownMesh(const Mesh& mesh, std::shared_ptr<const void> owner, const KnownMesh& before,
                     const MeshMaps& maps)
    : KnownMesh(mesh, std::move(owner)) {
  patch_memory_ = before.patch_memory_;
  if (!mesh.points_are_distinct || !before.mesh_.points_are_distinct) return;
  if (maps.only_adds) take_on_edges(before);
  take_on_crossings(before, maps);
}

void KnownMesh::take_on_edges(const KnownMesh& before) {
  const std::size_t first_new = before.mesh_.triangles.size();
  const std::size_t vertices = mesh_.points.size();
  const std::lock_guard lock(before.mutex_);
  if (before.edges_) edges_.emplace(*before.edges_, mesh_.triangles, first_new, vertices);
  if (before.stars_) stars_.emplace(*before.stars_, mesh_.triangles, first_new, vertices);
  if (!before.box_) return;
  box_ = before.box_;
  for (std::size_t v = before.mesh_.points.size(); v < vertices; ++v) {
    box_->extend(mesh_.points[v]);
  }
}

void KnownMesh::take_on_crossings(const KnownMesh& before, const MeshMaps& maps) {
  const std::lock_guard lock(before.crossing_mutex_);
  if (!before.trees_) return;
  Stayed s;
  if (maps.only_adds) {
    for (std::size_t t = before.mesh_.triangles.size(); t < mesh_.triangles.size(); ++t) {
      s.others.push_back({static_cast<std::uint32_t>(t)});
    }
  } else {
    s = stayed(before.mesh_, mesh_, maps);
    if (kOthersOfAll * s.others.size() > mesh_.triangles.size()) return;
  }
  const TriangleTrees trees(*before.trees_, s.now, mesh_, {});
  if (before.crossings_ && before.crossings_->are_all) {
    const auto added =
        crossings_of(Newcomers(mesh_, s.others), trees, kLooksOfAll * mesh_.triangles.size());
    SomeCrossings all;
    if (added && before.crossings_->pairs.size() + added->size() <= kMostCrossings) {
      for (TrianglePair pair : before.crossings_->pairs) {
        if (!s.now.empty()) {
          const auto [a, b] = std::minmax(s.now[pair.first.value], s.now[pair.second.value]);
          pair = {a, b, pair.contact};
        }
        if (pair.second.value != kNoIndex) all.pairs.push_back(pair);
      }
      all.pairs.insert(all.pairs.end(), added->begin(), added->end());
      std::sort(all.pairs.begin(), all.pairs.end());
      crossings_ = std::move(all);
    }
  }
  trees_.emplace(trees, std::span<const TriangleId>(), mesh_, std::move(s.others));
}

void KnownMesh::check() const {
  if (!mesh_.points_are_distinct) throw ArgumentError("known mesh: its points are not distinct");
}

const EdgeTable& KnownMesh::edges() const {
  check();
  return once(mutex_, edges_, [&] { return EdgeTable(mesh_.triangles, mesh_.points.size()); });
}

const EdgeCounts& KnownMesh::edge_counts() const {
  const EdgeTable& table = edges();
  return once(mutex_, counts_, [&] { return count_edges(table); });
}

std::span<const EdgeId> KnownMesh::naked_edges() const {
  const EdgeTable& table = edges();
  return once(mutex_, naked_,
              [&] { return select_edges(table, [&](EdgeId e) { return table.is_naked(e); }); });
}

const VertexStars& KnownMesh::stars() const {
  check();
  return once(mutex_, stars_, [&] { return VertexStars(mesh_.triangles, mesh_.points.size()); });
}

const Box& KnownMesh::box() const {
  return once(mutex_, box_, [&] { return box_of(mesh_); });
}

const TriangleTrees& KnownMesh::trees() const {
  check();
  return once(crossing_mutex_, trees_, [&] {
    return TriangleTrees(tree_over(mesh_, mesh_.triangles.size(), [](std::size_t i) {
      return TriangleId{static_cast<std::uint32_t>(i)};
    }));
  });
}

const SomeCrossings& KnownMesh::crossings(Progress* progress) const {
  check();
  return once(crossing_mutex_, crossings_, [&] {
    std::optional<BoxTree> tree;
    SomeCrossings found = find_crossings_up_to(Welded(mesh_), kMostCrossings, progress, &tree);
    if (tree && !trees_) trees_.emplace(std::move(*tree));
    return found;
  });
}

std::vector<TrianglePair> find_crossings_of_added(const KnownMesh& mesh,
                                                  std::span<const Point> points,
                                                  std::span<const Triangle> triangles) {
  if (triangles.empty()) return {};
  return *crossings_of(Newcomers(mesh.mesh(), points, triangles), mesh.trees());
}

}  // namespace aguja
