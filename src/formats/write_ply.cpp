#include <algorithm>
#include <atomic>
#include <bit>
#include <cstdint>

#include "aguja/base/error.h"
#include "formats/output.h"

namespace aguja {
namespace {

static_assert(std::endian::native == std::endian::little);

bool all_floats(const Mesh& mesh) {
  std::atomic<bool> all = true;
  parallel_ranges(mesh.points.size(), std::size_t{1} << 15, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end && all; ++i) {
      const Point& p = mesh.points[i];
      if (rounded_to_float(p) != p) all = false;
    }
  });
  return all;
}

std::string header_of(const Model& model, std::size_t points, std::size_t wires,
                      std::string_view encoding, std::string_view type) {
  std::string text = "ply\nformat " + std::string(encoding) + " 1.0\n";
  text += "comment coordinates in " + std::string(name(model.unit)) + "\n";
  text += "element vertex " + std::to_string(points) + "\n";
  for (const char axis : {'x', 'y', 'z'}) {
    text += "property " + std::string(type) + " " + axis + "\n";
  }
  text += "element face " + std::to_string(triangle_count(model)) + "\n";
  text += "property list uchar uint vertex_indices\n";
  if (has_colours(model)) {
    for (const char* channel : {"red", "green", "blue"})
      text += "property uchar " + std::string(channel) + "\n";
  }
  if (wires > 0) {
    text += "element edge " + std::to_string(wires) + "\n";
    text += "property uint vertex1\nproperty uint vertex2\n";
  }
  return text + "end_header\n";
}

class BodyWriter {
 public:
  BodyWriter(const ByteSink& sink, bool text, bool floats)
      : sink_(sink), text_(text), floats_(floats) {}

  void points(const Mesh& mesh) {
    detail::write_in_pieces(sink_, mesh.points.size(), [&](Range r, std::string& out) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        if (text_) {
          detail::append_point(out, mesh.points[i]);
          out += '\n';
          continue;
        }
        for (int axis = 0; axis < 3; ++axis) {
          if (floats_) {
            detail::append_bytes(out, static_cast<float>(mesh.points[i][axis]));
          } else {
            detail::append_bytes(out, mesh.points[i][axis]);
          }
        }
      }
    });
  }
  void faces(const Part& part, std::size_t first, bool coloured) {
    const Mesh& mesh = part.mesh();
    detail::write_in_pieces(sink_, mesh.triangles.size(), [&](Range r, std::string& out) {
      for (std::size_t t = r.begin; t < r.end; ++t) {
        text_ ? out += '3' : out += '\3';
        for (const VertexId v : mesh.triangles[t].corner) index(out, first + v.value, text_);
        if (coloured) {
          for (const std::uint8_t c : detail::colour_bytes(part, t)) byte(out, c);
        }
        if (text_) out += '\n';
      }
    });
  }
  void wires(const Mesh& mesh, std::size_t first) {
    detail::write_in_pieces(sink_, mesh.wires.size(), [&](Range r, std::string& out) {
      for (std::size_t w = r.begin; w < r.end; ++w) {
        index(out, first + mesh.wires[w][0].value, false);
        index(out, first + mesh.wires[w][1].value, text_);
        if (text_) out += '\n';
      }
    });
  }

 private:
  void byte(std::string& out, std::uint8_t value) const {
    if (!text_) return detail::append_bytes(out, value);
    out += ' ';
    detail::append_number(out, std::size_t{value});
  }
  void index(std::string& out, std::size_t value, bool blank_before) const {
    if (!text_) return detail::append_bytes(out, static_cast<std::uint32_t>(value));
    if (blank_before) out += ' ';
    detail::append_number(out, value);
  }

  const ByteSink& sink_;
  bool text_;
  bool floats_;
};

}  // namespace

WriteReport write_ply(const ByteSink& sink, const Model& model, const WriteOptions& options) {
  WriteReport report;
  detail::note_lost_parts(model, "PLY", report);
  detail::note_lost_patches(model, "PLY", report);
  detail::note_lost_unit(model, "PLY", report);
  const std::vector<std::size_t> first = detail::first_points(model);
  if (first.back() > kMostPoints) {
    throw OutputError("ply: " + std::to_string(first.back()) + " points are more than it counts");
  }
  std::size_t wires = 0;
  for (const Part& part : model.parts) wires += part.mesh().wires.size();
  const bool floats =
      !options.text && std::all_of(model.parts.begin(), model.parts.end(),
                                   [](const Part& p) { return all_floats(p.mesh()); });
  sink(header_of(model, first.back(), wires, options.text ? "ascii" : "binary_little_endian",
                 floats ? "float" : "double"));
  BodyWriter writer(sink, options.text, floats);
  for (const Part& part : model.parts) writer.points(part.mesh());
  const bool coloured = has_colours(model);
  for (std::size_t p = 0; p < model.parts.size(); ++p)
    writer.faces(model.parts[p], first[p], coloured);
  for (std::size_t p = 0; p < model.parts.size(); ++p)
    writer.wires(model.parts[p].mesh(), first[p]);
  return report;
}

}  // namespace aguja
