#include "tests/support/convex_volume.h"

#include <algorithm>

namespace aguja::test {
namespace {

using V = ConvexBody::V;
using Polygon = std::vector<V>;

Polygon clipped(const Polygon& polygon, const ConvexBody::Plane& plane) {
  Polygon out;
  for (std::size_t i = 0; i < polygon.size(); ++i) {
    const V &p = polygon[i], &q = polygon[(i + 1) % polygon.size()];
    const mpq_class hp = dot(plane.normal, minus(p, plane.at));
    const mpq_class hq = dot(plane.normal, minus(q, plane.at));
    if (hp <= 0) out.push_back(p);
    if (hp * hq < 0) {
      const mpq_class t = hp / (hp - hq);
      out.push_back(along(p, minus(q, p), t));
    }
  }
  return out;
}

// A large square in the plane.
Polygon square(const ConvexBody::Plane& plane) {
  const V& n = plane.normal;
  V other = {1, 0, 0};
  if (n[1] == 0 && n[2] == 0) other = {0, 1, 0};
  const V u = cross(n, other), v = cross(n, u);
  Polygon out;
  const auto length = [](const V& d) { return mpq_class(abs(d[0]) + abs(d[1]) + abs(d[2])); };
  const mpq_class extent = 1000000000;
  const mpq_class large = extent / length(u), wide = extent / length(v);
  for (const auto& [s, t] :
       {std::pair(1, 1), std::pair(-1, 1), std::pair(-1, -1), std::pair(1, -1)}) {
    V p;
    for (std::size_t k = 0; k < 3; ++k) p[k] = plane.at[k] + large * s * u[k] + wide * t * v[k];
    out.push_back(p);
  }
  return out;
}

bool same_plane(const ConvexBody::Plane& a, const ConvexBody::Plane& b) {
  return cross(a.normal, b.normal) == V{0, 0, 0} && dot(a.normal, b.normal) > 0 &&
         dot(a.normal, minus(b.at, a.at)) == 0;
}

}  // namespace

ConvexBody convex_body(const Mesh& outward) {
  ConvexBody body;
  for (const Triangle& t : outward.triangles) {
    std::array<V, 3> p;
    for (std::size_t k = 0; k < 3; ++k) {
      p[k] = rational(outward.point(t[k]));
    }
    body.planes.push_back({p[0], cross(minus(p[1], p[0]), minus(p[2], p[0]))});
  }
  return body;
}

mpq_class common_volume(const std::vector<ConvexBody>& bodies) {
  std::vector<ConvexBody::Plane> planes;
  for (const ConvexBody& b : bodies) {
    for (const ConvexBody::Plane& p : b.planes) {
      if (std::none_of(planes.begin(), planes.end(),
                       [&](const ConvexBody::Plane& q) { return same_plane(p, q); })) {
        planes.push_back(p);
      }
    }
  }
  mpq_class six = 0;
  for (std::size_t i = 0; i < planes.size(); ++i) {
    Polygon face = square(planes[i]);
    for (std::size_t j = 0; j < planes.size() && !face.empty(); ++j) {
      if (j != i) face = clipped(face, planes[j]);
    }
    for (std::size_t k = 1; k + 1 < face.size(); ++k) {
      const mpq_class cone = dot(face[0], cross(face[k], face[k + 1]));
      // The face's own direction, whichever way the square was drawn.
      const V n = cross(minus(face[k], face[0]), minus(face[k + 1], face[0]));
      six += dot(n, planes[i].normal) >= 0 ? cone : mpq_class(-cone);
    }
  }
  return six / 6;
}

mpq_class filled_volume(const std::vector<ConvexBody>& bodies) {
  mpq_class sum = 0;
  for (std::size_t some = 1; some < std::size_t{1} << bodies.size(); ++some) {
    std::vector<ConvexBody> chosen;
    for (std::size_t b = 0; b < bodies.size(); ++b) {
      if ((some >> b & 1U) != 0) chosen.push_back(bodies[b]);
    }
    const mpq_class volume = common_volume(chosen);
    sum += chosen.size() % 2 == 1 ? volume : mpq_class(-volume);
  }
  return sum;
}

}  // namespace aguja::test
