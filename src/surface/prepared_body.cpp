#include "aguja/surface/prepared_body.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <Eigen/Geometry>

#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "base/disjoint_sets.h"
#include "surface/edge_fit.h"
#include "surface/limits.h"

namespace aguja {
namespace {

// Edges nearer than this to each other, as a part of the model's size, are the same but for
// rounding.
constexpr double kSewOfDiagonal = 1e-5;

class StatisticsOf {
 public:
  void add(double distance, const Point& at, EntityNumber entity) {
    s_.least = s_.count == 0 ? distance : std::min(s_.least, distance);
    if (s_.count == 0 || distance > s_.largest) {
      s_.largest = distance;
      s_.at = at;
      s_.entity = entity;
    }
    sum_ += distance;
    ++s_.count;
  }
  [[nodiscard]] ToleranceStatistics result() const {
    ToleranceStatistics s = s_;
    if (s.count > 0) s.mean = sum_ / static_cast<double>(s.count);
    return s;
  }

 private:
  ToleranceStatistics s_;
  double sum_ = 0;
};

}  // namespace

namespace {

// What could not be read, and faces of which nothing came, are told only where they are missed, not
// where the rest is closed, unless by a plane that nobody drew.
void find_lost(const Mesh& mesh, PreparedBody& body) {
  std::vector<bool> has_facets(body.body.faces.size());
  for (const PatchId p : mesh.patch_of) {
    if (p.value < has_facets.size()) has_facets[p.value] = true;
  }
  std::set<std::uint32_t> without;
  for (const FaceTrouble& t : body.troubles) {
    if (!has_facets[t.face]) without.insert(t.face);
  }
  for (const std::uint32_t f : without) body.lost.push_back({body.body.faces[f].entity, f});
  if (body.lost.empty() || !body.closed.empty() || mesh.triangles.empty()) return;
  const Welded welded(mesh);
  const EdgeTable edges(welded.triangles(), welded.points().size());
  if (count_edges(edges).unbalanced == 0) body.lost.clear();
}

bool has_merged(const HealResult& healed) {
  return std::any_of(healed.healed.begin(), healed.healed.end(),
                     [](const Healed& h) { return h.healing == Healing::short_edge; });
}

}  // namespace

SewTolerance sew_tolerance_for(const SurfaceModel& model, const PrepareOptions& options) {
  const Box box = box_of(model);
  const double diagonal = (box.high - box.low).norm();
  SewTolerance own{std::isfinite(diagonal) && diagonal > 0 ? kSewOfDiagonal * diagonal : 0,
                   "a hundred-thousandth of the model's diagonal"};
  // A file may state far more than its edges need, or far less.
  if (model.uncertainty && *model.uncertainty >= own.value &&
      *model.uncertainty <= 10 * own.value) {
    own = {*model.uncertainty, "the uncertainty that the file states"};
  }
  if (!options.sew) return own;
  return {*options.sew, "as given", std::min(own.value, *options.sew)};
}

double PreparedBody::limit() const {
  return 10 * std::max(tolerance.value, uncertainty.value_or(0));
}

PreparedBody prepare_body(const Body& body, const SewTolerance& tolerance,
                          const PrepareOptions& options, Progress* progress) {
  advance(progress, "sew", 0.0);
  const std::size_t vertices = body.vertices.size(), edges = body.edges.size(),
                    faces = body.faces.size();
  PreparedBody prepared;
  prepared.tolerance = tolerance;
  for (const EntityNumber entity : body.not_read) prepared.lost.push_back({entity});
  const auto take = [&](BodyChange& change) {
    prepared.body = std::move(change.body);
    prepared.maps.then(change.maps);
  };
  HealResult healed = heal(body, tolerance.value, options.heal, tolerance.short_edge);
  // Asked for no sewing, not even what coincides exactly is joined.
  if (tolerance.value > 0) {
    SewResult sewn = sew(healed.body, tolerance.value, {options.sew_steps});
    const auto try_with = [&](double short_edge) {
      HealResult other = heal(body, tolerance.value, options.heal, short_edge);
      SewResult again = sew(other.body, tolerance.value, {options.sew_steps});
      if (again.open_after >= sewn.open_after) return;
      healed = std::move(other);
      sewn = std::move(again);
    };
    // Edges that are short against the gaps may keep them open; so may those that are missing, to
    // which their neighbours would have been joined.
    if (sewn.open_after > 0 && tolerance.short_edge.value_or(tolerance.value) < tolerance.value) {
      try_with(tolerance.value);
    }
    if (sewn.open_after > 0 && has_merged(healed)) try_with(0);
    take(healed);
    take(sewn);
    prepared.sewing = std::move(sewn);
  } else {
    take(healed);
  }
  prepared.healed = std::move(healed.healed);
  prepared.not_healed = std::move(healed.refused);
  if (options.close_planes) {
    ClosePlanesResult closed = close_planes(prepared.body, tolerance.value);
    take(closed);
    prepared.closed = std::move(closed.closed);
  }
  // What one operation added and the next one changed was never in the file.
  prepared.maps.vertices.keep_below(static_cast<std::uint32_t>(vertices));
  prepared.maps.edges.keep_below(static_cast<std::uint32_t>(edges));
  prepared.maps.faces.keep_below(static_cast<std::uint32_t>(faces));
  return prepared;
}

Mesh divide(PreparedBody& body, double chord, const TessellationOptions& options,
            Progress* progress) {
  TessellationOptions how = options;
  how.chord = chord;
  how.sizes = true;
  TessellatedBody divided = tessellate(body.body, how, progress);
  body.chord = chord;
  body.finest = divided.chord;
  body.troubles = std::move(divided.troubles);
  body.fits = std::move(divided.fits);
  body.sizes = std::move(divided.sizes);
  find_lost(divided.mesh, body);
  return std::move(divided.mesh);
}

void note_turned(PreparedBody& prepared, const std::vector<bool>& oriented) {
  const Body& body = prepared.body;
  std::vector<bool> turned(body.faces.size());
  for (const std::uint32_t f : prepared.sewing.turned) turned[f] = true;
  for (std::uint32_t f = 0; f < turned.size(); ++f) turned[f] = turned[f] != oriented[f];
  DisjointSets pieces(body.faces.size());
  std::vector<std::uint32_t> first_at(body.edges.size(), kNoIndex);
  for (std::uint32_t f = 0; f < body.faces.size(); ++f) {
    for (const FaceLoop& l : body.faces[f].loops) {
      for (const EdgeUseOfFace& u : l.edges) {
        if (first_at[u.edge] == kNoIndex) first_at[u.edge] = f;
        pieces.unite(first_at[u.edge], f);
      }
    }
  }
  // Without directed loops a face says by its surface alone which way it faces, and these have one
  // normal, whatever they bound.
  const auto says_nothing = [&](std::uint32_t f) {
    if (!body.faces[f].surface) return true;
    const SurfaceKind kind = body.faces[f].surface->kind();
    return !body.faces[f].loops_directed &&
           (kind == SurfaceKind::cylinder || kind == SurfaceKind::cone ||
            kind == SurfaceKind::sphere || kind == SurfaceKind::torus);
  };
  std::map<std::size_t, std::size_t> all, over;
  for (std::uint32_t f = 0; f < turned.size(); ++f) {
    if (says_nothing(f)) continue;
    ++all[pieces.find(f)];
    over[pieces.find(f)] += turned[f];
  }
  prepared.turned.clear();
  for (std::uint32_t f = 0; f < turned.size(); ++f) {
    const std::size_t piece = pieces.find(f);
    if (!says_nothing(f) && turned[f] == (2 * over[piece] <= all[piece]))
      prepared.turned.push_back(f);
  }
}

SurfaceSizes& SurfaceSizes::add(const SurfaceSizes& more, const Placement& at) {
  const double scale = at.scale();
  const double square = scale * scale, cube = square * std::fabs(scale);
  // Both about the middle of both.
  const double own = volume, other = cube * more.volume;
  const Point place = at(more.centroid);
  second_moment += cube * at.linear * more.second_moment * at.linear.transpose();
  if (own + other != 0) {
    const Point middle =
        own == 0 ? place : Point(centroid + other / (own + other) * (place - centroid));
    if (own != 0) second_moment += own * (centroid - middle) * (centroid - middle).transpose();
    second_moment += other * (place - middle) * (place - middle).transpose();
    centroid = middle;
  }
  area += square * more.area;
  area_within += square * more.area_within;
  area_of_facets += square * more.area_of_facets;
  volume += cube * more.volume;
  volume_within += cube * more.volume_within;
  volume_of_facets += cube * more.volume_of_facets;
  return *this;
}

SurfaceSizes surface_sizes(const PreparedBody& prepared, const Mesh& mesh) {
  constexpr double kAreaUnknown = 0.1;
  const Body& body = prepared.body;
  const Point about = box_of(body).center();
  std::vector<double> area(body.faces.size()), volume(body.faces.size());
  SurfaceSizes sizes;
  struct Moments {
    Vector first = Vector::Zero();
    Eigen::Matrix3d second = Eigen::Matrix3d::Zero();
  };
  std::vector<Moments> moments(body.faces.size());
  Moments all;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const Vector a = mesh.point(mesh.triangles[t][0]) - about;
    const Vector b = mesh.point(mesh.triangles[t][1]) - about;
    const Vector c = mesh.point(mesh.triangles[t][2]) - about;
    const double own_area = 0.5 * (b - a).cross(c - a).norm(), own_volume = a.cross(b).dot(c) / 6;
    sizes.area_of_facets += own_area;
    sizes.volume_of_facets += own_volume;
    // Of the tetrahedron from the middle.
    const Vector sum = a + b + c;
    const Vector own_first = own_volume / 4 * sum;
    const Eigen::Matrix3d own_second =
        own_volume / 20 *
        (sum * sum.transpose() + a * a.transpose() + b * b.transpose() + c * c.transpose());
    const std::size_t face = mesh.patch_of.empty() ? 0 : mesh.patch_of[t].value;
    Moments& of_face = face < area.size() ? moments[face] : all;
    of_face.first += own_first;
    of_face.second += own_second;
    if (face < area.size()) {
      area[face] += own_area;
      volume[face] += own_volume;
    } else {
      sizes.area += own_area;
      sizes.volume += own_volume;
    }
  }
  for (std::size_t f = 0; f < area.size(); ++f) {
    const FaceSizes own = f < prepared.sizes.size() ? prepared.sizes[f] : FaceSizes{};
    if (std::isfinite(own.volume_within) && std::isfinite(own.area_within)) {
      sizes.area += own.area;
      sizes.volume += own.volume;
      sizes.area_within += own.area_within;
      sizes.volume_within += own.volume_within;
      all.first += own.first;
      all.second += own.second;
    } else {
      sizes.area += area[f];
      sizes.volume += volume[f];
      sizes.area_within += kAreaUnknown * area[f];
      sizes.volume_within += prepared.chord * area[f];
      all.first += moments[f].first;
      all.second += moments[f].second;
    }
  }
  sizes.centroid = about;
  sizes.second_moment = all.second;
  if (sizes.volume != 0) {
    const Vector off = all.first / sizes.volume;
    sizes.centroid += off;
    sizes.second_moment -= sizes.volume * off * off.transpose();
  }
  return sizes;
}

BodyTolerances measure_tolerances(std::span<const PreparedBodyPtr> bodies) {
  StatisticsOf vertices, edges, faces;
  for (const PreparedBodyPtr& prepared : bodies) {
    const Body& body = prepared->body;
    std::vector<double> of_vertex(body.vertices.size(), -1);
    std::vector<double> of_edge(body.edges.size(), -1);
    const std::vector<std::uint32_t> uses = edge_uses(body);
    for (std::uint32_t e = 0; e < body.edges.size(); ++e) {
      const BodyEdge& edge = body.edges[e];
      if (uses[e] == 0 || !has_ends(edge)) continue;
      const auto ends = ends_of(edge);
      const std::uint32_t v[2] = {edge.start, edge.end};
      for (int k = 0; k < 2; ++k) {
        of_vertex[v[k]] = std::max(of_vertex[v[k]], (ends[k] - body.vertices[v[k]].point).norm());
      }
      of_edge[e] = edge.tolerance;
    }
    const auto& fits = prepared->fits;
    for (std::uint32_t f = 0; f < body.faces.size() && f < fits.size(); ++f) {
      faces.add(fits[f].largest_off, fits[f].at, body.faces[f].entity);
      for (const FaceLoop& l : body.faces[f].loops) {
        for (const EdgeUseOfFace& u : l.edges) {
          if (of_edge[u.edge] >= 0)
            of_edge[u.edge] =
                std::max(of_edge[u.edge], off_of_edge(body.faces[f], body.edges[u.edge]));
        }
      }
    }
    for (std::uint32_t v = 0; v < of_vertex.size(); ++v) {
      if (of_vertex[v] >= 0)
        vertices.add(of_vertex[v], body.vertices[v].point, body.vertices[v].entity);
    }
    for (std::uint32_t e = 0; e < of_edge.size(); ++e) {
      if (of_edge[e] < 0) continue;
      const BodyEdge& edge = body.edges[e];
      edges.add(of_edge[e], edge.curve->point(edge.range().middle()), edge.entity);
    }
  }
  return {vertices.result(), edges.result(), faces.result()};
}

CoarseFaces coarse_faces(std::span<const PreparedBodyPtr> bodies) {
  CoarseFaces coarse;
  for (const PreparedBodyPtr& body : bodies) {
    coarse.within = std::max(coarse.within, body->chord);
    for (const FaceFit& fit : body->fits) {
      coarse.count += fit.facets_off > body->chord;
      coarse.within = std::max(coarse.within, fit.facets_off);
    }
  }
  return coarse;
}

SurfaceCounts count_surfaces(std::span<const PreparedBodyPtr> bodies) {
  SurfaceCounts c;
  for (const PreparedBodyPtr& prepared : bodies) {
    const Body& body = prepared->body;
    c.faces += static_cast<std::size_t>(std::count_if(body.faces.begin(), body.faces.end(),
                                                      [](const Face& f) { return f.is_used; }));
    const std::vector<std::uint32_t> uses = edge_uses(body);
    std::set<std::uint32_t> vertices;
    for (std::uint32_t e = 0; e < uses.size(); ++e) {
      if (uses[e] == 0) continue;
      ++c.edges;
      vertices.insert(body.edges[e].start);
      vertices.insert(body.edges[e].end);
      ++(uses[e] == 1 ? c.edges_used_once : uses[e] == 2 ? c.edges_used_twice : c.edges_used_more);
    }
    c.vertices += vertices.size();
    for (const BodyShell& s : body.shells) {
      if (s.faces.empty()) continue;
      // Sets of faces without topology hang together by what was sewn.
      std::map<std::uint32_t, int> own;
      for (const BodyShell::Use& u : s.faces) {
        for (const FaceLoop& l : body.faces[u.face].loops) {
          for (const EdgeUseOfFace& e : l.edges) ++own[e.edge];
        }
      }
      ++c.shells;
      c.closed_shells +=
          std::all_of(own.begin(), own.end(), [](const auto& x) { return x.second == 2; });
    }
  }
  return c;
}
}  // namespace aguja
