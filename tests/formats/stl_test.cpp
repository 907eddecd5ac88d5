#include <gtest/gtest.h>

#include <limits>

#include "aguja/mesh/weld.h"
#include "tests/support/files.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace stl_test {

using test::error_of;
using test::read_text;

constexpr std::string_view kFacet =
    "facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n";

std::string solid(std::string_view body, std::string_view name = "a") {
  return "solid " + std::string(name) + "\n" + std::string(body) + "endsolid\n";
}

TEST(Stl, ReadsSeveralSolidsAsParts) {
  const Model model = read_text(solid(kFacet, "left one") + solid("", "empty") + solid(kFacet, ""));
  ASSERT_EQ(model.parts.size(), 3u);
  EXPECT_EQ(model.parts[0].name, "left one");
  EXPECT_EQ(model.parts[1].mesh().triangles.size(), 0u);
  EXPECT_EQ(model.parts[2].name, "test");  // named after the file
  EXPECT_EQ(model.parts[2].mesh().triangles.size(), 1u);
}

TEST(Stl, TakesOddCaseSpacingAndLineEnds) {
  const Model model = read_text(
      "SOLID  A \r\n\tFacet NORMAL 0 0 1\r\n OUTER Loop\r\n Vertex +0 0.0 0e0\r\n"
      "VERTEX 1. 0 0\r\nvertex 0 .5E+1 -0\r\nEndLoop ENDFACET\r\nendSolid a\r\n");
  ASSERT_EQ(model.parts.size(), 1u);
  const Mesh& mesh = model.parts[0].mesh();
  ASSERT_EQ(mesh.triangles.size(), 1u);
  EXPECT_EQ(mesh.points[2], Point(0, 5, 0));
  EXPECT_TRUE(std::signbit(mesh.points[2].z()));
}

TEST(Stl, AFacetMayLackItsNormalOrHaveOneThatIsNoNumber) {
  const std::string body =
      "facet\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\n"
      "endfacet\n";
  EXPECT_EQ(triangle_count(read_text(solid(body))), 1u);
  const std::string odd = "facet normal nan -1.#IND inf" + body.substr(5);
  const Model model = read_text(solid(odd));
  EXPECT_EQ(triangle_count(model), 1u);
  ASSERT_EQ(model.notes.size(), 1u);
}

TEST(Stl, ABinaryFileMayBeginWithSolid) {
  Model cube = test::model_of(test::cube(), "cube");
  cube.header = "solid but not text";
  cube.header.resize(80, ' ');
  const Model back = read_text(test::written(cube, Format::stl));
  EXPECT_EQ(triangle_count(back), 12u);
  EXPECT_TRUE(back.header.starts_with("solid but not text"));
}

TEST(Stl, KeepsNegativeZerosApartAndWeldsThemForTopology) {
  const std::string text = solid(
      "facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 "
      "0\nendloop\nendfacet\n"
      "facet normal 0 0 1\nouter loop\nvertex -0 0 0\nvertex 0 1 0\nvertex -1 0 0\nendloop\n"
      "endfacet\n");
  const Mesh mesh = std::move(read_text(text).parts[0].mesh());
  EXPECT_EQ(mesh.points.size(), 5u);
  EXPECT_FALSE(mesh.points_are_distinct);
  EXPECT_EQ(Welded(mesh).points().size(), 4u);
}

TEST(Stl, NumbersAreCorrectlyRounded) {
  // Half-way cases, too many digits, and the ends of the range.
  const std::string body =
      "facet normal 0 0 1\nouter loop\nvertex 9007199254740993 1e-400 2.2250738585072011e-308\n"
      "vertex 0.1000000000000000055511151231257827021181583404541015625 4.9e-324 -1e-999\n"
      "vertex 1.7976931348623157e308 8.41 123456789.123456789123456789\nendloop\nendfacet\n";
  const Mesh mesh = std::move(read_text(solid(body)).parts[0].mesh());
  EXPECT_EQ(mesh.points[0], Point(9007199254740992.0, 0.0, 2.2250738585072011e-308));
  EXPECT_EQ(mesh.points[1], Point(0.1, 4.9e-324, 0.0));
  EXPECT_TRUE(std::signbit(mesh.points[1].z()));
  EXPECT_EQ(mesh.points[2], Point(1.7976931348623157e308, 8.41, 123456789.12345679));
}

TEST(Stl, ErrorsNameLineExpectedAndFound) {
  const std::string good(kFacet);
  EXPECT_EQ(error_of("solid a\n" + good),
            "test: line 9: expected 'endsolid', found the end of the file; if the file is whole, "
            "end it with a line 'endsolid'");
  EXPECT_EQ(error_of(solid("facet normal 0 0 1\nouter loop\nvertex 0 0 nan\n")),
            "test: line 4: a coordinate 'nan' is not a finite number");
  EXPECT_EQ(error_of(solid("facet normal 0 0 1\nouter loop\nvertex 0 0 1e999\n")),
            "test: line 4: a coordinate '1e999' is out of range");
  EXPECT_EQ(error_of(solid("facet normal 0 0 1\nouter loop\nvertex 0 0\n")),
            "test: line 4: expected a coordinate, found the end of the line");
  EXPECT_EQ(error_of(solid(good + "facets\n")),
            "test: line 9: expected 'facet', 'endsolid' or 'solid', found 'facets'");
  EXPECT_EQ(error_of("solid a\n" + good + "solid b\n" + good + "endsolid\n"),
            "test: line 9: expected 'endsolid' before the next 'solid'");
}

TEST(Stl, BinaryErrorsNameByteExpectedAndFound) {
  std::string bytes = test::written(test::model_of(test::cube()), Format::stl);
  EXPECT_EQ(error_of(bytes.substr(0, 500), "pod.stl"),
            "pod.stl: byte 80: 12 triangles are declared (600 bytes), but 416 bytes follow; 8 are "
            "whole");
  EXPECT_EQ(error_of(bytes + std::string(100, 'x'), "pod.stl"),
            "pod.stl: byte 80: 12 triangles are declared (600 bytes), but 700 bytes follow; 14 are "
            "whole");
  EXPECT_EQ(read_text(bytes + "tail", "pod.stl").notes,
            (std::vector<std::string>{"4 bytes after the last triangle are not read"}));
  const float infinite = std::numeric_limits<float>::infinity();
  std::memcpy(bytes.data() + 84 + 50 * 3 + 12 + 4, &infinite, 4);
  EXPECT_EQ(error_of(bytes, "pod.stl"),
            "pod.stl: byte 246: corner 1 of triangle 3: expected finite coordinates, found an "
            "infinite number");
}

TEST(Stl, ColourLinesArePassedOverAndNoted) {
  const Model model = read_text(solid("color 0.1 0.2 0.3\n" + std::string(kFacet)));
  EXPECT_EQ(triangle_count(model), 1u);
  EXPECT_EQ(model.notes, (std::vector<std::string>{"1 color lines are not kept"}));
}

}  // namespace stl_test
}  // namespace aguja
