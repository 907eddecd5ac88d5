// Files for other viewers, taken apart again by what their standards say.

#include "aguja/formats/view_files.h"

#include <gtest/gtest.h>

#include <cstring>
#include <pugixml.hpp>

#include <nlohmann/json.hpp>

#include "aguja/base/error.h"
#include "aguja/inspect/finding_fields.h"
#include "tests/support/packed_text.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace view_files_test {

Model two_parts() {
  Model model = test::model_of(test::sphere(40, 30, {1000, 2, 3}), "ball & <socket>");
  model.parts.push_back(test::model_of(test::cube({1, 2, 3}, 20), "cube").parts[0]);
  model.unit = LengthUnit::inch;
  return model;
}

// Header and blocks of a compressed array, each base64 by itself.
template <class T>
std::vector<T> array_of(const pugi::xml_node& parent, const char* name) {
  const std::string text =
      parent.find_child_by_attribute("DataArray", "Name", name).text().as_string();
  std::uint64_t blocks = 0;
  std::memcpy(&blocks, test::from_base64(std::string_view(text).substr(0, 12)).data(), 8);
  const std::size_t head_letters = ((3 + blocks) * 8 + 2) / 3 * 4;
  const std::string head_bytes = test::from_base64(std::string_view(text).substr(0, head_letters));
  std::vector<std::uint64_t> head(3 + blocks);
  std::memcpy(head.data(), head_bytes.data(), 8 * head.size());
  const std::string body = test::from_base64(std::string_view(text).substr(head_letters));
  std::string raw;
  std::size_t at = 0;
  for (std::size_t b = 0; b < blocks; ++b) {
    const std::size_t full = b + 1 == blocks && head[2] != 0 ? head[2] : head[1];
    raw += test::inflated(std::string_view(body).substr(at, head[3 + b]), full);
    at += head[3 + b];
  }
  EXPECT_EQ(at, body.size());
  std::vector<T> values(raw.size() / sizeof(T));
  std::memcpy(values.data(), raw.data(), raw.size());
  return values;
}

TEST(Vtp, HoldsPointsTrianglesAndFieldsAsTheyAre) {
  const Model model = two_parts();
  const TriangleField fields[] = {aspect_field(model), thickness_field(model)};
  std::string text;
  write_vtp([&](std::string_view more) { text += more; }, model, fields);
  pugi::xml_document document;
  ASSERT_TRUE(document.load_string(text.c_str()));
  const auto file = document.child("VTKFile");
  EXPECT_EQ(std::string(file.attribute("type").value()), "PolyData");
  const auto piece = file.child("PolyData").child("Piece");
  const auto points = array_of<double>(piece.child("Points"), "points");
  const auto corners = array_of<std::int64_t>(piece.child("Polys"), "connectivity");
  const auto ends = array_of<std::int64_t>(piece.child("Polys"), "offsets");
  const auto parts = array_of<std::int32_t>(piece.child("CellData"), "part");
  EXPECT_EQ(piece.attribute("NumberOfPolys").as_ullong(), triangle_count(model));
  EXPECT_EQ(piece.attribute("NumberOfPoints").as_ullong(), points.size() / 3);
  ASSERT_EQ(corners.size(), 3 * triangle_count(model));
  std::size_t t = 0;
  for (std::size_t p = 0; p < model.parts.size(); ++p) {
    const Mesh& mesh = model.parts[p].mesh();
    for (const Triangle& triangle : mesh.triangles) {
      EXPECT_EQ(parts[t], static_cast<int>(p));
      EXPECT_EQ(ends[t], static_cast<std::int64_t>(3 * t + 3));
      for (std::size_t c = 0; c < 3; ++c) {
        const double* at = &points[3 * static_cast<std::size_t>(corners[3 * t + c])];
        EXPECT_EQ(Point(at[0], at[1], at[2]), mesh.point(triangle[c]));
      }
      ++t;
    }
  }
  for (const TriangleField& field : fields) {
    const auto back = array_of<float>(piece.child("CellData"), field.slug.c_str());
    ASSERT_EQ(back.size(), field.values.size());
    EXPECT_EQ(std::memcmp(back.data(), field.values.data(), 4 * back.size()), 0);
  }
  const std::string names = file.child("PolyData")
                                .child("FieldData")
                                .find_child_by_attribute("Name", "part_names")
                                .text()
                                .as_string();
  EXPECT_TRUE(names.ends_with(" 0 99 117 98 101 0 ")) << names;
}

TEST(Glb, IsWholeAndInMetres) {
  const Model model = two_parts();
  Inspection inspection;
  const auto colours = severity_colours(model, inspection);
  std::string file;
  write_glb([&](std::string_view more) { file += more; }, model, colours);
  const auto number = [&](std::size_t at) {
    std::uint32_t n = 0;
    std::memcpy(&n, file.data() + at, 4);
    return n;
  };
  ASSERT_EQ(file.substr(0, 4), "glTF");
  EXPECT_EQ(number(4), 2u);
  EXPECT_EQ(number(8), file.size());
  const std::size_t json_length = number(12);
  EXPECT_EQ(file.substr(16, 4), "JSON");
  const auto root = nlohmann::json::parse(file.substr(20, json_length));
  const std::size_t binary = 20 + json_length + 8;
  EXPECT_EQ(file.substr(binary - 4, 4), std::string("BIN\0", 4));
  EXPECT_EQ(binary % 4, 0u);
  EXPECT_EQ(number(binary - 8), file.size() - binary);
  ASSERT_EQ(root["nodes"].size(), 3u);
  const auto& matrix = root["nodes"][2]["matrix"];
  for (std::size_t p = 0; p < 2; ++p) {
    const auto& node = root["nodes"][p];
    EXPECT_EQ(node["name"], model.parts[p].name);
    const auto& attributes =
        root["meshes"][node["mesh"].get<std::size_t>()]["primitives"][0]["attributes"];
    const auto& places = root["accessors"][attributes["POSITION"].get<std::size_t>()];
    const auto& view = root["bufferViews"][places["bufferView"].get<std::size_t>()];
    const Mesh& mesh = model.parts[p].mesh();
    ASSERT_EQ(places["count"].get<std::size_t>(), 3 * mesh.triangles.size());
    EXPECT_EQ(view["byteLength"].get<std::size_t>(), 36 * mesh.triangles.size());
    for (std::size_t i = 0; i < 3 * mesh.triangles.size(); ++i) {
      const Point& wanted = mesh.point(mesh.triangles[i / 3][i % 3]);
      Point at;
      for (std::size_t axis = 0; axis < 3; ++axis) {
        float x = 0;
        std::memcpy(
            &x, file.data() + binary + view["byteOffset"].get<std::size_t>() + 12 * i + 4 * axis,
            4);
        EXPECT_GE(x, places["min"][axis].get<float>());
        EXPECT_LE(x, places["max"][axis].get<float>());
        at[static_cast<Eigen::Index>(axis)] =
            static_cast<double>(x) + node["translation"][axis].get<double>();
      }
      EXPECT_LE((at - wanted).norm(), 1e-5);
      // Column by column; z goes up y.
      const auto placed = [&](std::size_t row) {
        return matrix[row].get<double>() * at.x() + matrix[4 + row].get<double>() * at.y() +
               matrix[8 + row].get<double>() * at.z();
      };
      EXPECT_NEAR(placed(0), 0.0254 * wanted.x(), 1e-6);
      EXPECT_NEAR(placed(1), 0.0254 * wanted.z(), 1e-6);
      EXPECT_NEAR(placed(2), -0.0254 * wanted.y(), 1e-6);
    }
  }
}

TEST(ViewFiles, RefuseColumnsOfAnotherModel) {
  const Model model = two_parts();
  const auto nowhere = [](std::string_view) {};
  const TriangleField wrong[] = {{"x", "x", "", std::vector<float>(3), false}};
  EXPECT_THROW(write_vtp(nowhere, model, wrong), ArgumentError);
  EXPECT_THROW(write_glb(nowhere, model, std::vector<std::array<std::uint8_t, 3>>(2)),
               ArgumentError);
}

TEST(FindingFields, TellTheWorstOfEachTriangle) {
  Mesh mesh = test::sphere(20, 30);
  mesh.triangles.erase(mesh.triangles.begin() + 100);
  const Model model = test::model_of(mesh);
  const Inspection inspection = inspect(model);
  ASSERT_EQ(inspection.findings.size(), 1u);
  const TriangleField kinds = kind_field(model, inspection);
  const auto colours = severity_colours(model, inspection);
  std::size_t told = 0;
  for (std::uint32_t t = 0; t < kinds.values.size(); ++t) {
    const auto& own = inspection.findings[0].triangles;
    const bool is_own = std::find(own.begin(), own.end(), TriangleId{t}) != own.end();
    told += is_own;
    EXPECT_EQ(kinds.values[t],
              is_own ? 1.0F + static_cast<float>(inspection.findings[0].kind) : 0.0F);
    EXPECT_EQ(colours[t][0] == 184, is_own);
  }
  EXPECT_GT(told, 0u);
  EXPECT_EQ(told, inspection.findings[0].triangles.size());
}

}  // namespace view_files_test
}  // namespace aguja
