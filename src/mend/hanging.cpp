#include "mend/hanging.h"

#include <algorithm>
#include <map>

#include "aguja/geometry/box_tree.h"
#include "aguja/geometry/predicates.h"
#include "aguja/mesh/edge_table.h"
#include "mend/editable_mesh.h"

namespace aguja {
namespace {

struct Hanging {
  double at;  // along the edge
  VertexId vertex;
  double distance;
};

}  // namespace

std::optional<Change> divide_at_hanging_vertices(const KnownMesh& known, double tolerance,
                                                 const Budget& budget) {
  const Mesh& mesh = known.mesh();
  const EdgeTable& edges = known.edges();
  const std::span<const EdgeId> naked = known.naked_edges();
  std::vector<VertexId> vertices;
  Array<FloatBox> boxes;
  for (const EdgeId e : naked) {
    vertices.push_back(edges.edge(e).low);
    vertices.push_back(edges.edge(e).high);
  }
  std::sort(vertices.begin(), vertices.end());
  vertices.erase(std::unique(vertices.begin(), vertices.end()), vertices.end());
  for (const VertexId v : vertices) {
    boxes.push_back(FloatBox(Box{mesh.point(v), mesh.point(v)}));
  }
  const BoxTree tree(std::move(boxes));
  std::map<EdgeId, std::vector<Hanging>> found;
  for (const EdgeId e : naked) {
    const auto [a, b] = edges.edge(e);
    const Point &p = mesh.point(a), &q = mesh.point(b);
    Box box;
    box.extend(p);
    box.extend(q);
    box.low.array() -= tolerance;
    box.high.array() += tolerance;
    const double length_sq = (q - p).squaredNorm();
    tree.for_each_meeting(FloatBox(box), [&, a = a, b = b](std::uint32_t i) {
      const VertexId v = vertices[i];
      if (v == a || v == b) return;
      const Point& r = mesh.point(v);
      const double at = (q - p).dot(r - p) / length_sq;
      const double distance = (r - (p + at * (q - p))).norm();
      // Near the ends it is a near vertex, not a hanging one.
      constexpr double kAtEnd = 1e-6;  // of the edge
      const double end = kAtEnd + 2 * tolerance / std::sqrt(length_sq);
      if (!(at > end && at < 1 - end) || distance > tolerance) return;
      found[e].push_back({at, v, distance});
    });
  }
  if (found.empty()) return std::nullopt;
  EditableMesh edited(mesh, known.stars(), budget);
  std::size_t done = 0;
  std::vector<double> extra(mesh.triangles.size(), 0);
  for (auto& [e, hanging] : found) {
    std::sort(hanging.begin(), hanging.end(),
              [](const Hanging& x, const Hanging& y) { return x.at < y.at; });
    const TriangleId t = edges.uses(e)[0].triangle();
    // A triangle with several naked edges is divided at one of them: its pieces are others then.
    if (!edited.is_there(t)) continue;
    const Triangle tri = mesh.triangle(t);
    const unsigned corner = edges.uses(e)[0].corner();
    const VertexId from = tri[corner], to = tri[(corner + 1) % 3], apex = tri[(corner + 2) % 3];
    if (from != edges.edge(e).low) std::reverse(hanging.begin(), hanging.end());
    Replacement r{{t}, {}};
    VertexId last = from;
    double farthest = 0;
    bool sound = true;
    for (std::size_t i = 0; i <= hanging.size(); ++i) {
      const VertexId next = i < hanging.size() ? hanging[i].vertex : to;
      sound &= next != apex && last != next &&
               !is_collinear(mesh.point(last), mesh.point(next), mesh.point(apex));
      r.add.push_back({{{last, next, apex}}, t});
      last = next;
    }
    for (const Hanging& h : hanging) {
      farthest = std::max(farthest, h.distance);
      sound &= !edges.find(h.vertex, apex);
    }
    if (!sound || farthest > budget.distance - budget.spent_at(t)) continue;
    extra[t.value] = farthest;
    edited.apply_unexamined(r, static_cast<std::uint32_t>(done));
    done += hanging.size();
  }
  Change change = edited.finish().change;
  change.done = done;
  for (std::size_t t = 0; t < change.parent.size(); ++t) {
    change.spent[t] += extra[change.parent[t].value];
  }
  return change;
}

}  // namespace aguja
