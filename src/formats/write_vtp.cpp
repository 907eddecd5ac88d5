#include <cstring>
#include <pugixml.hpp>
#include <sstream>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"
#include "aguja/formats/section_files.h"
#include "aguja/formats/view_files.h"
#include "base/packed_text.h"
#include "formats/output.h"

namespace aguja {
namespace {

// Blocks, each compressed by itself; before them their number and sizes.
std::string compressed(std::string_view bytes) {
  constexpr std::size_t kBlock = std::size_t{1} << 18;
  const std::size_t blocks = (bytes.size() + kBlock - 1) / kBlock;
  const auto pieces = parallel_map(
      blocks, 1, [&](Range r) { return detail::deflated(bytes.substr(r.begin * kBlock, kBlock)); });
  std::vector<std::uint64_t> head = {blocks, kBlock, bytes.size() % kBlock};
  std::string body;
  for (const std::string& piece : pieces) {
    head.push_back(piece.size());
    body += piece;
  }
  return detail::base64(
             {reinterpret_cast<const char*>(head.data()), head.size() * sizeof(head[0])}) +
         detail::base64(body);
}

template <class T>
void add_array(pugi::xml_node parent, const char* type, const char* name, std::span<const T> values,
               int components = 1) {
  pugi::xml_node array = parent.append_child("DataArray");
  array.append_attribute("type") = type;
  array.append_attribute("Name") = name;
  if (components > 1) array.append_attribute("NumberOfComponents") = components;
  array.append_attribute("format") = "binary";
  array.text() =
      compressed({reinterpret_cast<const char*>(values.data()), values.size_bytes()}).c_str();
}

// Texts are codes of their characters, each ended by 0.
void add_strings(pugi::xml_node parent, const char* name, const std::vector<std::string>& texts) {
  pugi::xml_node array = parent.append_child("DataArray");
  array.append_attribute("type") = "String";
  array.append_attribute("Name") = name;
  array.append_attribute("NumberOfTuples") = texts.size();
  array.append_attribute("format") = "ascii";
  std::string codes;
  for (const std::string& text : texts) {
    for (const char c : text) codes += std::to_string(static_cast<unsigned char>(c)) + " ";
    codes += "0 ";
  }
  array.text() = codes.c_str();
}

pugi::xml_node append_poly_data(pugi::xml_document& document) {
  pugi::xml_node file = document.append_child("VTKFile");
  file.append_attribute("type") = "PolyData";
  file.append_attribute("version") = "1.0";
  file.append_attribute("byte_order") = "LittleEndian";
  file.append_attribute("header_type") = "UInt64";
  file.append_attribute("compressor") = "vtkZLibDataCompressor";
  return file.append_child("PolyData");
}

pugi::xml_node append_piece(pugi::xml_node data, std::span<const double> points, std::size_t lines,
                            std::size_t polygons) {
  pugi::xml_node piece = data.append_child("Piece");
  piece.append_attribute("NumberOfPoints") = points.size() / 3;
  piece.append_attribute("NumberOfVerts") = 0;
  piece.append_attribute("NumberOfLines") = lines;
  piece.append_attribute("NumberOfStrips") = 0;
  piece.append_attribute("NumberOfPolys") = polygons;
  add_array<double>(piece.append_child("Points"), "Float64", "points", points, 3);
  return piece;
}

}  // namespace

void write_vtp(const ByteSink& sink, const Model& model, std::span<const TriangleField> fields) {
  const std::size_t n = triangle_count(model);
  for (const TriangleField& field : fields) {
    if (field.values.size() == n) continue;
    throw ArgumentError("vtp: the field " + field.slug + " is not of this model");
  }
  std::vector<double> points;
  std::vector<std::int64_t> corners;
  std::vector<std::int64_t> ends;
  std::vector<std::int32_t> part_of;
  std::vector<std::int32_t> patch_of;
  std::vector<std::string> names;
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    const Part& part = model.parts[p];
    names.push_back(part.name);
    const auto base = static_cast<std::int64_t>(points.size() / 3);
    for (const Point& q : part.mesh().points) points.insert(points.end(), q.data(), q.data() + 3);
    for (std::size_t t = 0; t < part.mesh().triangles.size(); ++t) {
      for (const VertexId v : part.mesh().triangles[t].corner) corners.push_back(base + v.value);
      ends.push_back(static_cast<std::int64_t>(corners.size()));
      part_of.push_back(static_cast<std::int32_t>(p));
      patch_of.push_back(part.mesh().patch_of.empty()
                             ? 0
                             : static_cast<std::int32_t>(part.mesh().patch_of[t].value));
    }
  }
  pugi::xml_document document;
  pugi::xml_node data = append_poly_data(document);
  pugi::xml_node about = data.append_child("FieldData");
  add_strings(about, "part_names", names);
  add_strings(about, "unit", {std::string(symbol(model.unit))});
  pugi::xml_node piece = append_piece(data, points, 0, n);
  pugi::xml_node polygons = piece.append_child("Polys");
  add_array<std::int64_t>(polygons, "Int64", "connectivity", corners);
  add_array<std::int64_t>(polygons, "Int64", "offsets", ends);
  pugi::xml_node cells = piece.append_child("CellData");
  add_array<std::int32_t>(cells, "Int32", "part", part_of);
  add_array<std::int32_t>(cells, "Int32", "patch", patch_of);
  if (has_colours(model)) {
    std::vector<std::uint8_t> colours;
    for (const Part& part : model.parts) {
      for (std::size_t t = 0; t < part.mesh().triangles.size(); ++t) {
        for (const std::uint8_t c : detail::colour_bytes(part, t)) colours.push_back(c);
      }
    }
    add_array<std::uint8_t>(cells, "UInt8", "colour", colours, 3);
  }
  for (const TriangleField& field : fields) {
    add_array<float>(cells, "Float32", field.slug.c_str(), field.values);
  }
  std::ostringstream text;
  document.save(text, " ");
  sink(text.str());
}

void write_sections_vtp(const ByteSink& sink, std::span<const PartSection> sections,
                        LengthUnit unit) {
  std::vector<double> points;
  std::vector<std::int64_t> ends_of_lines, on_line;
  std::vector<std::int32_t> section_of_line, is_closed;
  std::vector<double> area;
  std::vector<std::string> names;
  for (std::size_t i = 0; i < sections.size(); ++i) {
    names.push_back(sections[i].part + ", " + sections[i].cutter);
    for (const SectionOutline& o : sections[i].section.outlines) {
      const auto first = static_cast<std::int64_t>(points.size() / 3);
      for (std::size_t k = 0; k < o.points.size(); ++k) {
        points.insert(points.end(), o.points[k].data(), o.points[k].data() + 3);
        on_line.push_back(first + static_cast<std::int64_t>(k));
      }
      if (o.is_closed) on_line.push_back(first);
      ends_of_lines.push_back(static_cast<std::int64_t>(on_line.size()));
      section_of_line.push_back(static_cast<std::int32_t>(i));
      is_closed.push_back(o.is_closed ? 1 : 0);
      area.push_back(o.area);
    }
  }
  pugi::xml_document document;
  pugi::xml_node data = append_poly_data(document);
  pugi::xml_node about = data.append_child("FieldData");
  add_strings(about, "section_names", names);
  add_strings(about, "unit", {std::string(symbol(unit))});
  pugi::xml_node piece = append_piece(data, points, ends_of_lines.size(), 0);
  pugi::xml_node lines = piece.append_child("Lines");
  add_array<std::int64_t>(lines, "Int64", "connectivity", on_line);
  add_array<std::int64_t>(lines, "Int64", "offsets", ends_of_lines);
  pugi::xml_node cells = piece.append_child("CellData");
  add_array<std::int32_t>(cells, "Int32", "section", section_of_line);
  add_array<std::int32_t>(cells, "Int32", "closed", is_closed);
  add_array<double>(cells, "Float64", "area", area);
  std::ostringstream text;
  document.save(text, " ");
  sink(text.str());
}

}  // namespace aguja
