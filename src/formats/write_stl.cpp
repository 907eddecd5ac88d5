#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>

#include "aguja/base/error.h"
#include "base/short_text.h"
#include "formats/output.h"
#include "formats/stl_layout.h"

namespace aguja {
namespace {

enum class Numbers { doubles, floats };

// Of unit length, or zero for a triangle without area. Only a hint: readers go by the corners. Made
// from the corners as they are written, so that a file that is read and written again stays the
// same.
Vector stl_normal(const Mesh& mesh, const Triangle& t, Numbers numbers) {
  const auto corner = [&](std::size_t c) {
    const Point& p = mesh.point(t[c]);
    return numbers == Numbers::floats ? rounded_to_float(p) : p;
  };
  const Point a = corner(0);
  const Vector ab = corner(1) - a;
  const Vector ac = corner(2) - a;
  const double scale = std::max(ab.cwiseAbs().maxCoeff(), ac.cwiseAbs().maxCoeff());
  if (!(scale > 0) || !std::isfinite(scale)) return Vector::Zero();
  const Vector u = ab / scale;
  const Vector v = ac / scale;
  const Vector n(u.y() * v.z() - u.z() * v.y(), u.z() * v.x() - u.x() * v.z(),
                 u.x() * v.y() - u.y() * v.x());
  const double length = n.norm();
  return length > 0 ? Vector(n / length) : Vector::Zero();
}

Vector normal_of(const Part& part, std::size_t t, Numbers numbers) {
  const bool stored = part.facets().normals.size() == part.mesh().triangles.size();
  return stored ? part.facets().normals[t]
                : stl_normal(part.mesh(), part.mesh().triangles[t], numbers);
}

void append_floats(std::string& out, const Vector& v) {
  for (int axis = 0; axis < 3; ++axis) detail::append_bytes(out, static_cast<float>(v[axis]));
}

struct Rounding {
  double largest = 0;
  std::size_t points = 0;
  bool overflows = false;
};

Rounding rounding_of(const Mesh& mesh) {
  Rounding all;
  for (const Rounding& some : parallel_map(mesh.points.size(), std::size_t{1} << 15, [&](Range r) {
         Rounding own;
         for (std::size_t i = r.begin; i < r.end; ++i) {
           const Point& p = mesh.points[i];
           const Point rounded = rounded_to_float(p);
           own.overflows |= !rounded.allFinite();
           if (rounded == p) continue;
           ++own.points;
           own.largest = std::max(own.largest, (rounded - p).norm());
         }
         return own;
       })) {
    all.largest = std::max(all.largest, some.largest);
    all.points += some.points;
    all.overflows |= some.overflows;
  }
  return all;
}

WriteReport write_binary(const ByteSink& sink, const Model& model) {
  WriteReport report;
  const std::size_t count = triangle_count(model);
  if (count > std::numeric_limits<std::uint32_t>::max()) {
    throw OutputError("stl: " + std::to_string(count) +
                      " triangles are more than the format counts");
  }
  detail::note_lost_parts(model, "binary STL", report);
  for (const Part& part : model.parts) {
    const Rounding rounding = rounding_of(part.mesh());
    if (rounding.overflows) {
      throw OutputError("stl: part '" + part.name +
                        "' has a coordinate beyond the range of float; write STL as text, or "
                        "another format");
    }
    report.largest_rounding = std::max(report.largest_rounding, rounding.largest);
    report.rounded_points += rounding.points;
  }
  if (report.rounded_points > 0) {
    report.notes.push_back("binary STL rounds to float: " + std::to_string(report.rounded_points) +
                           " points moved, by at most " + short_text(report.largest_rounding, 6) +
                           " " + std::string(symbol(model.unit)));
  }

  std::string header = model.header.size() == detail::kStlHeader
                           ? model.header
                           : "aguja: coordinates in " + std::string(name(model.unit));
  header.resize(detail::kStlHeader, '\0');
  detail::append_bytes(header, static_cast<std::uint32_t>(count));
  sink(header);
  for (const Part& part : model.parts) {
    const Mesh& mesh = part.mesh();
    const bool has_attributes = part.facets().attributes.size() == mesh.triangles.size();
    detail::write_in_pieces(sink, mesh.triangles.size(), [&](Range r, std::string& out) {
      out.reserve(r.size() * detail::kStlFacet);
      for (std::size_t t = r.begin; t < r.end; ++t) {
        append_floats(out, normal_of(part, t, Numbers::floats));
        for (const VertexId v : mesh.triangles[t].corner) append_floats(out, mesh.point(v));
        detail::append_bytes(out, has_attributes ? part.facets().attributes[t] : std::uint16_t{0});
      }
    });
  }
  return report;
}

void append_facet(std::string& out, const Part& part, std::size_t t) {
  const Vector normal = normal_of(part, t, Numbers::doubles);
  out += "  facet normal ";
  detail::append_point(out, normal);
  out += "\n    outer loop\n";
  for (const VertexId v : part.mesh().triangles[t].corner) {
    out += "      vertex ";
    detail::append_point(out, part.mesh().point(v));
    out += '\n';
  }
  out += "    endloop\n  endfacet\n";
}

WriteReport write_ascii(const ByteSink& sink, const Model& model) {
  WriteReport report;
  for (const Part& part : model.parts) {
    const std::string name = detail::one_line(part.name);
    sink("solid " + name + "\n");
    detail::write_in_pieces(sink, part.mesh().triangles.size(), [&](Range r, std::string& out) {
      out.reserve(r.size() * 250);
      for (std::size_t t = r.begin; t < r.end; ++t) append_facet(out, part, t);
    });
    sink("endsolid " + name + "\n");
  }
  return report;
}

void note_lost_points(const Model& model, WriteReport& report) {
  std::size_t wires = 0;
  std::size_t loose = 0;  // points that no triangle brings along
  for (const Part& part : model.parts) {
    wires += part.mesh().wires.size();
    const std::vector<bool> used = points_of_triangles(part.mesh());
    loose += static_cast<std::size_t>(std::count(used.begin(), used.end(), false));
  }
  if (wires > 0) {
    report.notes.push_back("STL holds no lines: " + std::to_string(wires) + " are not written");
  }
  if (loose > 0) {
    report.notes.push_back("STL holds only the corners of triangles: " + std::to_string(loose) +
                           " points that no triangle uses are not written");
  }
}

}  // namespace

WriteReport write_stl(const ByteSink& sink, const Model& model, const WriteOptions& options) {
  WriteReport report = options.text ? write_ascii(sink, model) : write_binary(sink, model);
  detail::note_lost_patches(model, "STL", report);
  detail::note_lost_colours(model, "STL", report);
  detail::note_lost_unit(model, "STL", report);
  note_lost_points(model, report);
  return report;
}

}  // namespace aguja
