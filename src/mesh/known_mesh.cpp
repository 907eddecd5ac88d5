#include "aguja/mesh/known_mesh.h"

#include <algorithm>

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

BoxTree tree_from(const Mesh& mesh, std::size_t first) {
  Array<FloatBox> boxes(mesh.triangles.size() - first);
  parallel_ranges(boxes.size(), std::size_t{1} << 13, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      boxes[i] = box_of_triangle_in(mesh, mesh.triangles[first + i]);
    }
  });
  return BoxTree(std::move(boxes));
}

// A mesh and what is added to it, by the numbers that all have together.
class Added {
 public:
  Added(const Mesh& mesh, std::span<const Point> points, std::span<const Triangle> triangles)
      : mesh_(mesh), points_(points), triangles_(triangles) {}

  [[nodiscard]] std::size_t size() const { return triangles_.size(); }
  [[nodiscard]] TriangleId id(std::size_t i) const {
    return {static_cast<std::uint32_t>(mesh_.triangles.size() + i)};
  }
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
  /// What is added, by itself, with the points that it needs.
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
  std::span<const Triangle> triangles_;
};

std::vector<TrianglePair> crossings_of(const Added& added, const Mesh& mesh,
                                       const TriangleTrees& trees) {
  std::vector<TrianglePair> pairs = parallel_collect<TrianglePair>(
      added.size(), std::size_t{1} << 6, [&](Range r, std::vector<TrianglePair>& out) {
        for (std::size_t i = r.begin; i < r.end; ++i) {
          const auto own = added.prepared(i);
          if (!own) continue;
          trees.for_each_meeting(added.box(i), [&](TriangleId t) {
            const auto other = added.prepared(mesh.triangle(t));
            if (!other) return;
            const Contact contact = classify_staged(*other, *own).contact;
            if (contact != Contact::none) out.push_back({t, added.id(i), contact});
          });
        }
      });
  const Mesh alone = added.alone();
  for (TrianglePair pair : find_crossings(Welded(alone))) {
    pair.first = added.id(pair.first.value);
    pair.second = added.id(pair.second.value);
    pairs.push_back(pair);
  }
  std::sort(pairs.begin(), pairs.end());
  return pairs;
}

}  // namespace

TriangleTrees::TriangleTrees(BoxTree tree) {
  pieces_.push_back({0, std::make_shared<const BoxTree>(std::move(tree))});
}

TriangleTrees::TriangleTrees(const TriangleTrees& before, const Mesh& mesh)
    : pieces_(before.pieces_) {
  std::size_t first = pieces_.empty() ? 0 : pieces_.back().first + pieces_.back().tree->size();
  if (first == mesh.triangles.size()) return;
  while (!pieces_.empty() && pieces_.back().tree->size() <= mesh.triangles.size() - first) {
    first = pieces_.back().first;
    pieces_.pop_back();
  }
  pieces_.push_back(
      {static_cast<std::uint32_t>(first), std::make_shared<const BoxTree>(tree_from(mesh, first))});
}

KnownMesh::KnownMesh(const Mesh& mesh, std::shared_ptr<const void> owner, const KnownMesh& before)
    : KnownMesh(mesh, std::move(owner)) {
  if (!mesh.points_are_distinct) return;
  const std::size_t first_new = before.mesh_.triangles.size();
  const std::size_t vertices = mesh.points.size();
  {
    const std::lock_guard lock(before.mutex_);
    if (before.edges_) edges_.emplace(*before.edges_, mesh.triangles, first_new, vertices);
    if (before.stars_) stars_.emplace(*before.stars_, mesh.triangles, first_new, vertices);
    if (before.box_) {
      box_ = before.box_;
      for (std::size_t v = before.mesh_.points.size(); v < vertices; ++v) {
        box_->extend(mesh.points[v]);
      }
    }
  }
  const std::lock_guard lock(before.crossing_mutex_);
  if (before.trees_) trees_.emplace(*before.trees_, mesh);
  if (!before.crossings_ || !before.trees_ || !before.crossings_->are_all) return;
  const std::span<const Point> points = mesh.points;
  const std::span<const Triangle> triangles = mesh.triangles;
  const std::vector<TrianglePair> added = crossings_of(
      Added(before.mesh_, points.subspan(before.mesh_.points.size()), triangles.subspan(first_new)),
      before.mesh_, *before.trees_);
  SomeCrossings all = *before.crossings_;
  if (all.pairs.size() + added.size() > kMostCrossings) return;
  all.pairs.insert(all.pairs.end(), added.begin(), added.end());
  std::sort(all.pairs.begin(), all.pairs.end());
  crossings_ = std::move(all);
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
  return once(crossing_mutex_, trees_, [&] { return TriangleTrees(tree_from(mesh_, 0)); });
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
  return crossings_of(Added(mesh.mesh(), points, triangles), mesh.mesh(), mesh.trees());
}

}  // namespace aguja
