#include "formats/step_mesh_writer.h"

#include <algorithm>
#include <map>

#include <Eigen/Geometry>

#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"

namespace aguja::detail {
namespace {

bool is_closed_surface(const EdgeTable& edges) {
  const EdgeCounts counts = count_edges(edges);
  return counts.naked + counts.nonmanifold + counts.winding_conflicts == 0;
}

class FacetWriter {
 public:
  FacetWriter(StepEntities& out, StepStyles& styles, const Shape& shape)
      : out_(out),
        styles_(styles),
        shape_(shape),
        mesh_(shape.mesh),
        edge_table_(mesh_.triangles(), mesh_.points().size()),
        points_(mesh_.points().size(), 0),
        vertices_(points_),
        edges_(edge_table_.size(), 0) {}

  void write(const std::string& name, StepItems& to) {
    const bool is_closed = is_closed_surface(edge_table_);
    StepIds faces;
    for (std::uint32_t t = 0; t < mesh_.triangles().size(); ++t) {
      const Triangle& v = mesh_.triangle({t});
      if (v[0] == v[1] || v[1] == v[2] || v[2] == v[0]) continue;
      const std::uint64_t around = is_closed ? poly_loop(v) : edge_loop(v);
      const std::uint64_t bound = out_.add("FACE_OUTER_BOUND('',", step_name(around), ",.T.)");
      const std::string values =
          step_text(patch_name(t)) + ",(" + step_name(bound) + ")," + step_name(plane(v)) + ",.T.)";
      faces.push_back(out_.add((is_closed ? "FACE_SURFACE(" : "ADVANCED_FACE("), values));
      if (const auto colour = colour_of(shape_, {t})) {
        styles_.coloured[*colour].push_back(faces.back());
      }
    }
    if (faces.empty()) return;
    const std::uint64_t shell =
        out_.add((is_closed ? "CLOSED_SHELL(''," : "OPEN_SHELL('',"), step_list(faces), ")");
    to.ids.push_back(is_closed
                         ? out_.add("FACETED_BREP(", step_text(name), ",", step_name(shell), ")")
                         : out_.add("SHELL_BASED_SURFACE_MODEL(", step_text(name), ",(",
                                    step_name(shell), "))"));
    (is_closed ? to.is_faceted : to.has_sheets) = true;
  }

 private:
  std::uint64_t point(VertexId v) {
    std::uint64_t& entity = points_[v.value];
    if (entity == 0) {
      const Point p = mesh_.point(v);
      entity = out_.add("CARTESIAN_POINT('',(", step_real(p.x()), ",", step_real(p.y()), ",",
                        step_real(p.z()), "))");
    }
    return entity;
  }
  std::uint64_t direction(const Vector& d) {
    return out_.add("DIRECTION('',(", step_real(d.x()), ",", step_real(d.y()), ",",
                    step_real(d.z()), "))");
  }
  // Of a triangle without area: any that it lies in.
  std::uint64_t plane(const Triangle& v) {
    const Point a = mesh_.point(v[0]), b = mesh_.point(v[1]), c = mesh_.point(v[2]);
    Vector normal = (b - a).stableNormalized().cross((c - a).stableNormalized());
    if (!(normal.norm() > 0)) normal = (b - a).stableNormalized().unitOrthogonal();
    const std::uint64_t z = direction(normal.stableNormalized());
    const std::uint64_t x = direction((b - a).stableNormalized());
    const std::uint64_t place = out_.add("AXIS2_PLACEMENT_3D('',", step_name(point(v[0])), ",",
                                         step_name(z), ",", step_name(x), ")");
    return out_.add("PLANE('',", step_name(place), ")");
  }
  std::uint64_t poly_loop(const Triangle& v) {
    return out_.add("POLY_LOOP('',", step_list(StepIds{point(v[0]), point(v[1]), point(v[2])}),
                    ")");
  }
  std::uint64_t vertex(VertexId v) {
    std::uint64_t& entity = vertices_[v.value];
    if (entity == 0) entity = out_.add("VERTEX_POINT('',", step_name(point(v)), ")");
    return entity;
  }
  std::uint64_t edge_loop(const Triangle& v) {
    StepIds uses;
    for (std::size_t k = 0; k < 3; ++k) {
      const VertexId a = std::min(v[k], v[(k + 1) % 3]), b = std::max(v[k], v[(k + 1) % 3]);
      std::uint64_t& edge = edges_[edge_table_.find(a, b)->value];
      if (edge == 0) {
        const Vector along = mesh_.point(b) - mesh_.point(a);
        const std::uint64_t from = vertex(a), to = vertex(b);
        const std::uint64_t d = direction(along.stableNormalized());
        const std::uint64_t vector = out_.add("VECTOR('',", step_name(d), ",1.)");
        const std::uint64_t line =
            out_.add("LINE('',", step_name(point(a)), ",", step_name(vector), ")");
        edge = out_.add("EDGE_CURVE('',", step_name(from), ",", step_name(to), ",", step_name(line),
                        ",.T.)");
      }
      uses.push_back(
          out_.add("ORIENTED_EDGE('',*,*,", step_name(edge), ",", step_flag(a == v[k]), ")"));
    }
    return out_.add("EDGE_LOOP('',", step_list(uses), ")");
  }
  [[nodiscard]] std::string patch_name(std::uint32_t t) const {
    if (shape_.mesh.patch_of.empty()) return {};
    const std::uint32_t patch = shape_.mesh.patch_of[t].value;
    return patch < shape_.patch_names.size() ? shape_.patch_names[patch] : std::string();
  }

  StepEntities& out_;
  StepStyles& styles_;
  const Shape& shape_;
  Welded mesh_;
  EdgeTable edge_table_;
  StepIds points_, vertices_, edges_;  // 0: not yet
};

}  // namespace

void write_step_facets(StepEntities& out, StepStyles& styles, const Shape& shape,
                       const std::string& name, StepItems& to) {
  FacetWriter(out, styles, shape).write(name, to);
}

void write_step_tessellation(StepEntities& out, StepStyles& styles, const Shape& shape,
                             const std::string& name, StepItems& to) {
  const Mesh& mesh = shape.mesh;
  if (mesh.triangles.empty()) return;
  const Welded welded(mesh);
  const bool is_closed = is_closed_surface(EdgeTable(welded.triangles(), welded.points().size()));
  std::string coordinates;
  for (const Point& p : mesh.points) {
    coordinates += coordinates.empty() ? "((" : ",(";
    coordinates += step_real(p.x()) + "," + step_real(p.y()) + "," + step_real(p.z()) + ")";
  }
  const std::string count = std::to_string(mesh.points.size());
  const std::uint64_t list = out.add("COORDINATES_LIST('',", count, ",", coordinates, "))");
  std::map<std::uint32_t, std::string> patches;
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    std::string& rows = patches[mesh.patch_of.empty() ? 0 : mesh.patch_of[t].value];
    rows += rows.empty() ? "(" : ",(";
    for (std::size_t k = 0; k < 3; ++k) {
      rows.append(k > 0 ? "," : "").append(std::to_string(mesh.triangle({t})[k].value + 1ULL));
    }
    rows += ')';
  }
  StepIds faces;
  for (const auto& [patch, rows] : patches) {
    const std::string own =
        patch < shape.patch_names.size() ? shape.patch_names[patch] : std::string();
    std::string face = "TRIANGULATED_FACE(" + step_text(own) + "," + step_name(list) + ",";
    face.append(count).append(",(),$,(),(").append(rows).append("))");
    faces.push_back(out.add(face));
    if (patch < shape.patch_colours.size() && shape.patch_colours[patch]) {
      styles.coloured[*shape.patch_colours[patch]].push_back(faces.back());
    }
  }
  to.ids.push_back(out.add((is_closed ? "TESSELLATED_SOLID(" : "TESSELLATED_SHELL("),
                           step_text(name), ",", step_list(faces), ",$)"));
  to.is_tessellated = true;
}

}  // namespace aguja::detail
