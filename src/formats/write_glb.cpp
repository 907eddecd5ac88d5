#include <nlohmann/json.hpp>

#include "aguja/base/error.h"
#include "aguja/formats/view_files.h"
#include "formats/output.h"

namespace aguja {

using Json = nlohmann::ordered_json;

namespace {

enum : int { kUnsignedByte = 5121, kFloat = 5126, kArrayBuffer = 34962 };

// Three corners of each triangle, so that colours end at its edges.
struct PartBytes {
  std::string places;
  std::string colours;
  std::array<float, 3> low{}, high{};
};

PartBytes bytes_of(const Mesh& mesh, const Point& middle,
                   std::span<const std::array<std::uint8_t, 3>> colours) {
  PartBytes out;
  bool any = false;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    for (const VertexId v : mesh.triangles[t].corner) {
      const Eigen::Vector3f p = (mesh.point(v) - middle).cast<float>();
      for (std::size_t axis = 0; axis < 3; ++axis) {
        const float x = p[static_cast<Eigen::Index>(axis)];
        out.low[axis] = any ? std::min(out.low[axis], x) : x;
        out.high[axis] = any ? std::max(out.high[axis], x) : x;
        detail::append_bytes(out.places, x);
      }
      any = true;
      if (colours.empty()) continue;
      for (const std::uint8_t c : colours[t]) out.colours += static_cast<char>(c);
      out.colours += static_cast<char>(255);
    }
  }
  return out;
}

void append_chunk(std::string& file, const char* type, std::string bytes, char filler) {
  while (bytes.size() % 4 != 0) bytes += filler;
  detail::append_bytes(file, static_cast<std::uint32_t>(bytes.size()));
  file.append(type, 4);
  file += bytes;
}

}  // namespace

void write_glb(const ByteSink& sink, const Model& model,
               std::span<const std::array<std::uint8_t, 3>> colours) {
  const std::size_t n = triangle_count(model);
  if (!colours.empty() && colours.size() != n) {
    throw ArgumentError("glb: the colours are not of this model");
  }
  constexpr std::size_t kBytesPerTriangle = 48;
  if (n > 0xFFFFFFFFu / (kBytesPerTriangle + 1)) {
    throw ArgumentError("glb: more triangles than a file of 4 GiB holds");
  }
  Json root = {{"asset", {{"version", "2.0"}, {"generator", "aguja"}}}, {"scene", 0}};
  Json nodes = Json::array(), meshes = Json::array(), views = Json::array(),
       accessors = Json::array(), children = Json::array();
  std::string binary;
  const auto add_accessor = [&](const std::string& bytes, int type, const char* shape,
                                std::size_t count) {
    views.push_back({{"buffer", 0},
                     {"byteOffset", binary.size()},
                     {"byteLength", bytes.size()},
                     {"target", kArrayBuffer}});
    binary += bytes;
    accessors.push_back({{"bufferView", views.size() - 1},
                         {"componentType", type},
                         {"count", count},
                         {"type", shape}});
    return accessors.size() - 1;
  };
  std::size_t first = 0;
  for (const Part& part : model.parts) {
    const std::size_t count = part.mesh().triangles.size();
    const Box box = box_of(part.mesh());
    const Point middle = box.is_empty() ? Point(Point::Zero()) : box.center();
    Json node = {{"name", part.name}};
    if (count > 0) {
      const PartBytes bytes =
          bytes_of(part.mesh(), middle, colours.empty() ? colours : colours.subspan(first, count));
      Json attributes;
      const std::size_t places = add_accessor(bytes.places, kFloat, "VEC3", 3 * count);
      accessors[places]["min"] = bytes.low;
      accessors[places]["max"] = bytes.high;
      attributes["POSITION"] = places;
      if (!colours.empty()) {
        const std::size_t tint = add_accessor(bytes.colours, kUnsignedByte, "VEC4", 3 * count);
        accessors[tint]["normalized"] = true;
        attributes["COLOR_0"] = tint;
      }
      meshes.push_back(
          {{"name", part.name},
           {"primitives", Json::array({{{"attributes", attributes}, {"material", 0}}})}});
      node["mesh"] = meshes.size() - 1;
      node["translation"] = {middle.x(), middle.y(), middle.z()};
    }
    first += count;
    nodes.push_back(std::move(node));
    children.push_back(nodes.size() - 1);
  }
  // Metres, y up.
  const double s = conversion(model.unit, LengthUnit::metre);
  nodes.push_back({{"name", "model"},
                   {"matrix", {s, 0, 0, 0, 0, 0, -s, 0, 0, s, 0, 0, 0, 0, 0, 1}},
                   {"extras", {{"unit", symbol(model.unit)}}}});
  if (!children.empty()) nodes.back()["children"] = children;
  root["scenes"] = Json::array({{{"nodes", {nodes.size() - 1}}}});
  root["nodes"] = nodes;
  if (!meshes.empty()) {
    root["meshes"] = meshes;
    root["materials"] = Json::array(
        {{{"name", "surface"},
          {"doubleSided", true},
          {"pbrMetallicRoughness", {{"metallicFactor", 0.0}, {"roughnessFactor", 0.8}}}}});
    root["accessors"] = accessors;
    root["bufferViews"] = views;
    root["buffers"] = Json::array({{{"byteLength", binary.size()}}});
  }
  std::string file;
  append_chunk(file, "JSON",
               root.dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace), ' ');
  if (!binary.empty()) append_chunk(file, std::string("BIN\0", 4).c_str(), std::move(binary), '\0');
  std::string head = "glTF";
  detail::append_bytes(head, std::uint32_t{2});
  detail::append_bytes(head, static_cast<std::uint32_t>(file.size() + 12));
  sink(head);
  sink(file);
}

}  // namespace aguja
