#include "formats/output.h"

namespace aguja {

WriteReport write_off(const ByteSink& sink, const Model& model, const WriteOptions& /*options*/) {
  WriteReport report;
  detail::note_lost_parts(model, "OFF", report);
  detail::note_lost_patches(model, "OFF", report);
  detail::note_lost_unit(model, "OFF", report);

  const std::vector<std::size_t> first = detail::first_points(model);
  const bool coloured = has_colours(model);
  std::size_t faces = 0;
  for (const Part& part : model.parts)
    faces += part.mesh().triangles.size() + part.mesh().wires.size();
  sink("OFF\n" + std::to_string(first.back()) + " " + std::to_string(faces) + " 0\n");
  for (const Part& part : model.parts) {
    detail::write_in_pieces(sink, part.mesh().points.size(), [&](Range r, std::string& out) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        detail::append_point(out, part.mesh().points[i]);
        out += '\n';
      }
    });
  }
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    const Part& part = model.parts[p];
    const Mesh& mesh = part.mesh();
    const auto append_vertex = [&](std::string& out, VertexId v) {
      out += ' ';
      detail::append_number(out, first[p] + v.value);
    };
    detail::write_in_pieces(sink, mesh.triangles.size(), [&](Range r, std::string& out) {
      for (std::size_t t = r.begin; t < r.end; ++t) {
        out += '3';
        for (const VertexId v : mesh.triangles[t].corner) append_vertex(out, v);
        if (coloured) {
          for (const std::uint8_t c : detail::colour_bytes(part, t)) {
            out += ' ';
            detail::append_number(out, std::size_t{c});
          }
        }
        out += '\n';
      }
    });
    detail::write_in_pieces(sink, mesh.wires.size(), [&](Range r, std::string& out) {
      for (std::size_t w = r.begin; w < r.end; ++w) {
        out += '2';
        for (const VertexId v : mesh.wires[w]) append_vertex(out, v);
        out += '\n';
      }
    });
  }
  return report;
}

}  // namespace aguja
