#include <algorithm>
#include <limits>

#include <gtest/gtest.h>

#include "tests/support/files.h"

namespace aguja {
namespace ply_test {

using test::error_of;
using test::read_text;

std::string header(std::string_view encoding, std::string_view elements) {
  return "ply\nformat " + std::string(encoding) + " 1.0\ncomment made by hand\n" +
         std::string(elements) + "end_header\n";
}
constexpr std::string_view kTriangle =
    "element vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
    "element face 1\nproperty list uchar int vertex_indices\n";

template <class T>
void append(std::string& bytes, T value, bool big) {
  char raw[sizeof(T)];
  std::memcpy(raw, &value, sizeof(T));
  if (big) std::reverse(raw, raw + sizeof(T));
  bytes.append(raw, sizeof(T));
}

TEST(Ply, ReadsBothByteOrdersAndAllTypes) {
  for (const bool big : {false, true}) {
    std::string bytes = header(big ? "binary_big_endian" : "binary_little_endian",
                               "element vertex 3\nproperty uchar red\nproperty double x\n"
                               "property short y\nproperty int8 flag\nproperty float32 z\n"
                               "element blob 2\nproperty list ushort double values\n"
                               "element face 1\nproperty uint id\n"
                               "property list uint ushort vertex_index\n");
    for (int i = 0; i < 3; ++i) {
      append<std::uint8_t>(bytes, 200, big);
      append<double>(bytes, 0.1 * i, big);
      append<std::int16_t>(bytes, static_cast<std::int16_t>(-i * 300), big);
      append<std::int8_t>(bytes, -1, big);
      append<float>(bytes, 1.5f, big);
    }
    for (const std::uint16_t length : {std::uint16_t{2}, std::uint16_t{0}}) {
      append(bytes, length, big);
      for (int i = 0; i < length; ++i) append<double>(bytes, 7, big);
    }
    append<std::uint32_t>(bytes, 99, big);
    append<std::uint32_t>(bytes, 3, big);
    for (int v = 0; v < 3; ++v) append(bytes, static_cast<std::uint16_t>(v), big);
    const Model model = read_text(bytes);
    const Mesh& mesh = model.parts[0].mesh();
    ASSERT_EQ(mesh.points.size(), 3u);
    EXPECT_EQ(mesh.points[2], Point(0.2, -600, 1.5));
    ASSERT_EQ(mesh.triangles.size(), 1u);
    EXPECT_EQ(model.notes.size(), 3u);
  }
}

// Rows of triangles alone take a way of their own.
TEST(Ply, ReadsBinaryFacesOfEqualAndOfMixedLength) {
  const auto body = [](std::initializer_list<std::initializer_list<int>> faces) {
    std::string bytes =
        header("binary_little_endian",
               "element vertex 4\nproperty float x\nproperty float y\n"
               "property float z\nelement face " +
                   std::to_string(faces.size()) + "\nproperty list uchar int vertex_indices\n");
    for (const float x : {0.f, 0.f, 0.f, 1.f, 0.f, 0.f, 1.f, 1.f, 0.f, 0.f, 1.f, 0.f}) {
      append(bytes, x, false);
    }
    for (const auto& face : faces) {
      append(bytes, static_cast<std::uint8_t>(face.size()), false);
      for (const int v : face) append<std::int32_t>(bytes, v, false);
    }
    return bytes;
  };
  EXPECT_EQ(triangle_count(read_text(body({{0, 1, 2}, {0, 2, 3}}))), 2u);
  const Model mixed = read_text(body({{0, 1, 2}, {0, 1, 2, 3}, {1, 3}, {2}}));
  EXPECT_EQ(triangle_count(mixed), 3u);
  EXPECT_EQ(mixed.parts[0].mesh().wires.size(), 1u);
  EXPECT_EQ(mixed.notes.size(), 2u);
  // The same bad number, found by either way: a row is its count, a byte, and four bytes a number.
  const std::string good = body({{0, 1, 2}, {0, 2, 3}});
  const std::string second_number = "test: byte " + std::to_string(good.size() - 13 + 1 + 4);
  const std::string bad_vertex = ": the face names vertex 4, but there are 4, counted from 0";
  EXPECT_EQ(error_of(body({{0, 1, 2}, {0, 4, 3}})), second_number + bad_vertex);
  EXPECT_EQ(error_of(body({{0, 1, 2}, {0, 4, 3, 1}})), second_number + bad_vertex);
  EXPECT_EQ(error_of(good.substr(0, good.size() - 3)),
            "test: byte " + std::to_string(good.size() - 12) +
                ": expected 12 bytes for a row of 'face', but 9 follow");
}

TEST(Ply, ReadsStripsAndEdges) {
  const Model model =
      read_text(header("ascii",
                       "element vertex 5\nproperty float x\nproperty float y\n"
                       "property float z\nelement tristrips 1\n"
                       "property list int int vertex_indices\n"
                       "element edge 1\nproperty int vertex1\nproperty int vertex2\n") +
                "0 0 0\n1 0 0\n0 1 0\n1 1 0\n2 2 0\n8 0 1 2 3 -1 2 3 4\n0 4\n");
  const Mesh& mesh = model.parts[0].mesh();
  ASSERT_EQ(mesh.triangles.size(), 3u);
  EXPECT_EQ(mesh.triangles[0], (Triangle{{{0}, {1}, {2}}}));
  EXPECT_EQ(mesh.triangles[1], (Triangle{{{2}, {1}, {3}}}));  // turned back
  EXPECT_EQ(mesh.triangles[2], (Triangle{{{2}, {3}, {4}}}));
  ASSERT_EQ(mesh.wires.size(), 1u);
  EXPECT_EQ(mesh.wires[0][1].value, 4u);
}

TEST(Ply, TakesWindowsLineEndsAndLinesItDoesNotKnow) {
  std::string text = header("ascii", kTriangle) + "0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n";
  std::string windows;
  for (const char c : text) windows += c == '\n' ? "\r\n" : std::string(1, c);
  EXPECT_EQ(triangle_count(read_text(windows)), 1u);
  text.insert(text.find("comment"), "written by somebody\n");
  EXPECT_EQ(read_text(text).notes.size(), 1u);
}

TEST(Ply, ErrorsNamePlaceExpectedAndFound) {
  const std::string text = header("ascii", kTriangle);
  EXPECT_EQ(error_of(text + "0 0 0\n1 0 0\n0 1 0\n3 0 1 3\n"),
            "test: line 14: the face names vertex 3, but there are 3, counted from 0");
  EXPECT_EQ(
      error_of(text + "0 0 0\n1 0 0\n0 1 0\n"),
      "test: line 14: 1 rows of 'face' are declared, but only 3 rows follow the header in all");
  EXPECT_EQ(error_of(text + "0 0 0\n1 0 0\n0 one 0\n3 0 1 2\n"),
            "test: line 13: a coordinate 'one' is not a finite number");
  EXPECT_EQ(error_of("ply\nformat ascii 1.0\nelement vertex 3\nproperty quad x\nend_header\n"),
            "test: line 4: expected a type such as 'float' or 'uchar', found 'quad'");
  EXPECT_EQ(error_of(header("binary_little_endian", kTriangle) + "1234"),
            "test: byte 190: 3 vertices of 12 bytes are declared, but 4 bytes follow");
  EXPECT_EQ(error_of("ply\nformat ascii 1.0\n"),
            "test: line 3: expected 'end_header', found the end of the file");
  EXPECT_EQ(
      error_of(header("ascii", "element vertex 1\nproperty float x\nproperty float y\n") + "0 0\n"),
      "test: byte 0: expected a number 'z' among the properties of 'vertex', found none");
}

TEST(Ply, RefusesCoordinatesThatAreNotFinite) {
  std::string bytes = header("binary_little_endian", kTriangle);
  for (int i = 0; i < 9; ++i) {
    append<float>(bytes, i == 4 ? std::numeric_limits<float>::quiet_NaN() : 1.0f, false);
  }
  bytes += std::string("\3") + std::string(12, '\0');
  EXPECT_EQ(error_of(bytes), "test: byte 206: vertex 1: expected a finite coordinate, found NaN");
}

}  // namespace ply_test
}  // namespace aguja
