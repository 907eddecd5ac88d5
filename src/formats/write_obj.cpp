#include "formats/output.h"

namespace aguja {
namespace {

class PartWriter {
 public:
  PartWriter(const ByteSink& sink, const Part& part, std::size_t first_point)
      : sink_(sink), part_(part), first_point_(first_point) {}

  void write() {
    sink_("o " + line_of(part_.name) + "\n");
    const Mesh& mesh = part_.mesh();
    detail::write_in_pieces(sink_, mesh.points.size(), [&](Range r, std::string& out) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        out += "v ";
        detail::append_point(out, mesh.points[i]);
        out += '\n';
      }
    });
    detail::write_in_pieces(sink_, mesh.triangles.size(), [&](Range r, std::string& out) {
      for (std::size_t t = r.begin; t < r.end; ++t) {
        if (begins_patch(t)) out += "g " + patch_name(mesh.patch_of[t]) + "\n";
        out += 'f';
        for (const VertexId v : mesh.triangles[t].corner) append_vertex(out, v);
        out += '\n';
      }
    });
    detail::write_in_pieces(sink_, mesh.wires.size(), [&](Range r, std::string& out) {
      for (std::size_t w = r.begin; w < r.end; ++w) {
        out += 'l';
        for (const VertexId v : mesh.wires[w]) append_vertex(out, v);
        out += '\n';
      }
    });
  }

 private:
  [[nodiscard]] bool begins_patch(std::size_t t) const {
    const auto& patch_of = part_.mesh().patch_of;
    return !patch_of.empty() && (t == 0 || patch_of[t] != patch_of[t - 1]);
  }
  // A backslash at its end would carry the line on.
  static std::string line_of(const std::string& name) {
    const std::string line = detail::one_line(name);
    return line.ends_with('\\') ? line + " " : line;
  }
  [[nodiscard]] std::string patch_name(PatchId p) const {
    return p.value < part_.patch_names().size() ? line_of(part_.patch_names()[p.value])
                                                : "patch-" + std::to_string(p.value + 1);
  }
  void append_vertex(std::string& out, VertexId v) const {
    out += ' ';
    detail::append_number(out, first_point_ + v.value + 1);
  }

  const ByteSink& sink_;
  const Part& part_;
  std::size_t first_point_;
};

}  // namespace

WriteReport write_obj(const ByteSink& sink, const Model& model, const WriteOptions& /*options*/) {
  WriteReport report;
  detail::note_lost_colours(model, "OBJ", report);
  detail::note_lost_unit(model, "OBJ", report);
  const std::vector<std::size_t> first = detail::first_points(model);
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    PartWriter(sink, model.parts[p], first[p]).write();
  }
  return report;
}

}  // namespace aguja
