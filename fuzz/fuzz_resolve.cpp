// Bodies and loose triangles of any bytes through the arrangement, `resolve` and cuts: nothing is thrown
// but what the headers say, and what comes out crosses nothing, or is what went in.

#include <array>
#include <cmath>
#include <cstdint>
#include <cstdlib>

#include "aguja/geometry/predicates.h"
#include "aguja/mend/resolve.h"
#include "aguja/mesh/arrangement.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/solid/cut.h"

namespace {

using namespace aguja;

// Two bits tell what follows: a tetrahedron, a tetrahedron on points that are there already, a copy of
// the last triangles moved by a hair, or a loose triangle.
class Bytes {
 public:
  Bytes(const std::uint8_t* data, std::size_t size) : data_(data), size_(size) {}
  [[nodiscard]] bool has(std::size_t count) const { return at_ + count <= size_; }
  std::uint8_t next() { return data_[at_++]; }

 private:
  const std::uint8_t* data_;
  std::size_t size_;
  std::size_t at_ = 0;
};

VertexId point(Mesh& mesh, Bytes& bytes, double scale) {
  Point p;
  for (int k = 0; k < 3; ++k) p[k] = scale * (static_cast<double>(bytes.next() % 16) - 8);
  mesh.points.push_back(p);
  return {static_cast<std::uint32_t>(mesh.points.size() - 1)};
}

void add_body(Mesh& mesh, const std::array<VertexId, 4>& v) {
  const int side = orient3d(mesh.point(v[0]), mesh.point(v[1]), mesh.point(v[2]), mesh.point(v[3]));
  if (side == 0) return;
  constexpr std::size_t kSides[4][3] = {{0, 1, 2}, {0, 3, 1}, {1, 3, 2}, {2, 3, 0}};
  for (const auto& s : kSides) {
    Triangle t{{v[s[0]], v[s[1]], v[s[2]]}};
    if (side > 0) std::swap(t[1], t[2]);
    mesh.triangles.push_back(t);
  }
}

void demand(bool holds) {
  if (!holds) std::abort();
}

std::size_t unbalanced(const Mesh& mesh) {
  const Welded welded(mesh);
  return count_edges(EdgeTable(welded.triangles(), welded.points().size())).unbalanced;
}

void demand_clean(const Mesh& mesh, bool is_closed = true) {
  demand(find_crossings(Welded(mesh)).empty());
  demand(!is_closed || unbalanced(mesh) == 0);
}

// What one triangle is about: there is less that crosses than before, and nothing new.
void resolve_about(const Mesh& mesh, std::uint8_t which) {
  if (mesh.triangles.empty()) return;
  const TriangleId only{static_cast<std::uint32_t>(which % mesh.triangles.size())};
  const Change change =
      resolve(mesh, {.nested = Nested::merged, .accept_negative = true, .only = {only}}, {1e-3});
  demand(change.parent.size() == change.mesh.triangles.size());
  if (!change.refused.empty()) return;
  demand(find_crossings(Welded(change.mesh)).size() <= find_crossings(Welded(mesh)).size());
}

// Through whole places, where vertices, edges and faces are.
void cut_up(const Mesh& mesh, std::uint8_t how, double scale) {
  const Point through = scale * Point(how % 5 - 2, how % 3, how % 7 - 3);
  const Vector normal(how % 2, how / 8 % 3 - 1, how / 32 % 2 + 1);
  Box box;
  box.extend(through);
  box.extend(Point(through + scale * Vector(5, 3, 4)));
  const CutOptions options{.most_moved = 1e-3, .to_float = (how & 4) != 0};
  for (const CutResult& cut :
       {cut_by_plane(mesh, {through, normal}, options), cut_by_body(mesh, body_of(box), options)}) {
    if (!cut.problem.empty()) continue;
    for (const CutSide& side : cut.sides) demand_clean(side.mesh);
  }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  constexpr std::size_t kMostTriangles = 48;
  Bytes bytes(data, size);
  if (!bytes.has(2)) return 0;
  const std::uint8_t how = bytes.next();
  const double scale = (how & 1) != 0 ? 1.0 / 3.0 : 1.0;
  Mesh mesh;
  while (bytes.has(13) && mesh.triangles.size() < kMostTriangles) {
    const std::uint8_t what = bytes.next();
    if (what % 4 == 0) {
      add_body(mesh, {point(mesh, bytes, scale), point(mesh, bytes, scale),
                      point(mesh, bytes, scale), point(mesh, bytes, scale)});
    } else if (what % 4 == 1 && mesh.points.size() >= 4) {
      const auto any = [&] {
        return VertexId{static_cast<std::uint32_t>(bytes.next() % mesh.points.size())};
      };
      add_body(mesh, {any(), any(), any(), any()});
    } else if (what % 4 == 2 && mesh.triangles.size() >= 4) {
      const double by = std::ldexp(1.0, -static_cast<int>(bytes.next() % 60));
      std::array<VertexId, 4> v{};
      for (std::size_t k = 0; k < 4; ++k) {
        const Triangle& t = mesh.triangles[mesh.triangles.size() - 1 - k / 3];
        mesh.points.push_back(mesh.point(t[k % 3]) + by * Point(1, 2, -1));
        v[k] = {static_cast<std::uint32_t>(mesh.points.size() - 1)};
      }
      add_body(mesh, v);
    } else if ((how & 2) != 0) {
      mesh.triangles.push_back(
          {{point(mesh, bytes, scale), point(mesh, bytes, scale), point(mesh, bytes, scale)}});
    }
  }
  const Mesh distinct = with_distinct_points(mesh);
  demand(arrange(Welded(distinct)).pieces().size() <= 1'000'000);
  const Change change =
      resolve(distinct,
              {.nested = Nested::merged, .accept_negative = true, .round_to_float = (how & 4) != 0},
              {1e-3});
  if (!change.refused.empty()) {
    demand(change.mesh.triangles.size() == distinct.triangles.size());
    return 0;
  }
  const bool is_closed = unbalanced(distinct) == 0;
  demand_clean(change.mesh, is_closed);
  if ((how & 32) != 0) resolve_about(distinct, static_cast<std::uint8_t>(size));
  if (!is_closed) return 0;
  // As costly as all before.
  if ((how & 16) != 0) cut_up(change.mesh, how, scale);
  return 0;
}
