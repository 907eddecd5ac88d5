#include "mend/other_facets.h"

#include <algorithm>
#include <array>
#include <map>
#include <set>

#include "mend/body_rim.h"
#include "surface/edge_fit.h"

namespace aguja {
namespace {

constexpr double kMostChords = 2;  // that facets may be off, unless they were already

class FacetsOfFaces {
 public:
  FacetsOfFaces(const FacetedBody& faceted, std::span<const std::uint32_t> faces)
      : faceted_(faceted),
        body_(faceted.origin.body->body),
        rim_(*faceted.origin.body, faceted.origin.placement),
        uses_(edge_uses(body_)),
        uses_before_(edge_uses(faceted.before)) {
    for (const std::uint32_t f : faces) triangles_[f];
    for (std::uint32_t t = 0; t < faceted.mesh.triangles.size(); ++t) {
      const auto own = triangles_.find(face_of({t}));
      if (own != triangles_.end()) own->second.push_back({t});
    }
    find_other_faces();
    reach_ = faceted.origin.body->chord + faceted.origin.body->tolerance.value;
  }

  std::optional<std::vector<OtherFacets>> run() const {
    std::vector<OtherFacets> all;
    for (const auto& [face, triangles] : triangles_) {
      std::optional<FaceFit> fit = fit_of(face, triangles);
      if (!fit || !ends_in_edges(face, triangles)) return std::nullopt;
      all.push_back({face, static_cast<std::uint32_t>(triangles.size()), *fit});
    }
    return all;
  }

 private:
  [[nodiscard]] std::uint32_t face_of(TriangleId t) const {
    const std::uint32_t patch = faceted_.mesh.patch_of[t.value].value;
    return patch == kNoIndex ? kNoIndex : patch - faceted_.origin.first_patch;
  }
  [[nodiscard]] Point place(VertexId v) const { return rim_.to_body(faceted_.mesh.point(v)); }

  // By edge of these faces: all that use it.
  void find_other_faces() {
    std::vector<bool> is_wanted(body_.edges.size());
    for (const auto& [face, triangles] : triangles_) {
      for (const FaceLoop& loop : body_.faces[face].loops) {
        for (const EdgeUseOfFace& use : loop.edges) is_wanted[use.edge] = true;
      }
    }
    for (std::uint32_t f = 0; f < body_.faces.size(); ++f) {
      if (!body_.faces[f].is_used) continue;
      for (const FaceLoop& loop : body_.faces[f].loops) {
        for (const EdgeUseOfFace& use : loop.edges) {
          if (is_wanted[use.edge]) faces_of_edge_[use.edge].insert(f);
        }
      }
    }
  }

  [[nodiscard]] std::optional<FaceFit> fit_of(std::uint32_t face,
                                              const std::vector<TriangleId>& triangles) const {
    const FillSurface surface(body_.faces[face].surface);
    const PreparedBody& prepared = *faceted_.origin.body;
    FaceFit fit = prepared.fits[face];
    const double most = std::max(kMostChords * prepared.chord, fit.facets_off);
    fit.facets_off = 0;
    for (const TriangleId t : triangles) {
      const Triangle& v = faceted_.mesh.triangle(t);
      const std::array<Point, 3> p = {place(v[0]), place(v[1]), place(v[2])};
      for (std::size_t k = 0; k < 3; ++k) {
        fit.facets_off = std::max(
            {fit.facets_off, surface.off(p[k]), surface.off(0.5 * (p[k] + p[(k + 1) % 3]))});
      }
      fit.facets_off = std::max(fit.facets_off, surface.off((p[0] + p[1] + p[2]) / 3));
      if (!(fit.facets_off <= most)) return std::nullopt;
    }
    return fit;
  }

  [[nodiscard]] bool ends_in_edges(std::uint32_t face,
                                   const std::vector<TriangleId>& triangles) const {
    std::set<std::uint32_t> missing;
    std::vector<EdgeInBox> own;
    for (const FaceLoop& loop : body_.faces[face].loops) {
      for (const EdgeUseOfFace& use : loop.edges) {
        const BodyEdge& edge = body_.edges[use.edge];
        if (!has_ends(edge)) return false;
        own.push_back({use.edge, box_around(edge)});
        // Seams are no border.
        const bool is_seam = uses_[use.edge] == 2 && faces_of_edge_.at(use.edge).size() == 1;
        if (!is_seam && !is_short(edge)) missing.insert(use.edge);
      }
    }
    for (const TriangleId t : triangles) {
      const Triangle& v = faceted_.mesh.triangle(t);
      for (std::size_t k = 0; k < 3; ++k) {
        const VertexId a = v[k], b = v[(k + 1) % 3];
        const auto e = faceted_.edges.find(a, b);
        if (!e) return false;
        std::set<std::uint32_t> beyond;
        std::size_t same = 0;
        for (const EdgeUse& use : faceted_.edges.uses(*e)) {
          const std::uint32_t other = face_of(use.triangle());
          same += other == face;
          if (other != face) beyond.insert(other);
        }
        if (same == 2 && beyond.empty()) continue;
        const auto edge = edge_along(own, place(a), place(b));
        if (!edge || same > 1 || !is_as_in_body(*edge, face, beyond)) return false;
        missing.erase(*edge);
      }
    }
    return missing.empty();
  }
  // Facets may do without it.
  [[nodiscard]] bool is_short(const BodyEdge& edge) const {
    const auto [a, b] = ends_of(edge);
    const Point middle = edge.curve->point(edge.range().middle());
    return (a - b).norm() <= reach_ && (middle - a).norm() <= reach_;
  }
  struct EdgeInBox {
    std::uint32_t edge;
    Box box;
  };
  // Of places of the edge, and as much around them as lies between two.
  [[nodiscard]] Box box_around(const BodyEdge& edge) const {
    constexpr int kPieces = 16;
    Box box;
    double step = 0;
    Point last = edge.curve->point(edge.from);
    for (int i = 0; i <= kPieces; ++i) {
      const Point p = edge.curve->point(edge.from + (edge.to - edge.from) * i / kPieces);
      step = std::max(step, (p - last).norm());
      box.extend(p);
      last = p;
    }
    const Vector more = Vector::Constant(step + reach_);
    return {box.low - more, box.high + more};
  }
  [[nodiscard]] std::optional<std::uint32_t> edge_along(const std::vector<EdgeInBox>& own,
                                                        const Point& a, const Point& b) const {
    double least = reach_;
    std::optional<std::uint32_t> nearest;
    for (const auto& [e, box] : own) {
      if (!box.contains(a) || !box.contains(b)) continue;
      const BodyEdge& edge = body_.edges[e];
      double off = 0;
      for (const Point& p : {a, b, Point(0.5 * (a + b))}) {
        off = std::max(
            off, (edge.curve->point(nearest_parameter(*edge.curve, edge.range(), p)) - p).norm());
      }
      if (off > least) continue;
      least = off;
      nearest = e;
    }
    return nearest;
  }
  [[nodiscard]] bool is_as_in_body(std::uint32_t edge, std::uint32_t face,
                                   const std::set<std::uint32_t>& beyond) const {
    const std::set<std::uint32_t>& faces = faces_of_edge_.at(edge);
    if (faces.size() == 1) {
      const bool was_shared = edge < uses_before_.size() && uses_before_[edge] > 1;
      return beyond.empty() || (uses_[edge] == 1 && !was_shared);
    }
    return std::all_of(faces.begin(), faces.end(),
                       [&](std::uint32_t f) { return f == face || beyond.contains(f); });
  }

  const FacetedBody& faceted_;
  const Body& body_;
  BodyRim rim_;
  std::vector<std::uint32_t> uses_, uses_before_;  // by edge
  double reach_ = 0;
  std::map<std::uint32_t, std::vector<TriangleId>> triangles_;  // by face
  std::map<std::uint32_t, std::set<std::uint32_t>> faces_of_edge_;
};

}  // namespace

std::optional<std::vector<OtherFacets>> other_facets(const FacetedBody& body,
                                                     std::span<const std::uint32_t> faces) {
  if (faces.empty()) return std::vector<OtherFacets>();
  return FacetsOfFaces(body, faces).run();
}

}  // namespace aguja
