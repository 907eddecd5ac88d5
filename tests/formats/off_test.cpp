#include <gtest/gtest.h>

#include "tests/support/files.h"

namespace aguja {
namespace off_test {

using test::error_of;
using test::read_text;

TEST(Off, ReadsCommentsColoursAndPolygons) {
  const Model model = read_text(
      "# first a comment\nOFF # keyword\n4 2 0 # counts\n0 0 0\n\n1 0 0 # a point\n1 1 0\n0 1 0\n"
      "3 0 1 2 255 0 0\n4 0 1 2 3 0.5 0.5 0.5\n");
  EXPECT_EQ(model.parts[0].mesh().points.size(), 4u);
  EXPECT_EQ(triangle_count(model), 3u);
}

TEST(Off, ReadsCountsOnTheKeywordsLineAndWithoutEdges) {
  EXPECT_EQ(triangle_count(read_text("OFF 3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n")), 1u);
  EXPECT_EQ(triangle_count(read_text("OFF\n3 1\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n")), 1u);
}

TEST(Off, ValuesBesideThePointsAreNoted) {
  const Model model = read_text(
      "CNOFF\n3 1 0\n0 0 0 0 0 1 255 0 0 1\n1 0 0 0 0 1 255 0 0 1\n"
      "0 1 0 0 0 1 255 0 0 1\n3 0 1 2\n");
  EXPECT_EQ(triangle_count(model), 1u);
  ASSERT_EQ(model.notes.size(), 1u);
}

TEST(Off, FacesOfTwoCornersAreWires) {
  EXPECT_EQ(read_text("OFF\n2 1 0\n0 0 0\n1 0 0\n2 0 1\n").parts[0].mesh().wires.size(), 1u);
}

TEST(Off, ErrorsNameLineExpectedAndFound) {
  EXPECT_EQ(error_of("OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 3\n"),
            "test: line 6: the face names vertex 3, but there are 3, counted from 0");
  EXPECT_EQ(error_of("OFF\n3 2 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"),
            "test: line 7: 3 points and 2 faces are declared, but only 4 rows follow");
  EXPECT_EQ(error_of("OFF\n3 -2 0\n"), "test: line 2: the number of faces is negative");
  EXPECT_EQ(error_of("4OFF\n1 0 0\n0 0 0 0\n"),
            "test: line 1: points with other than three coordinates (4OFF) are not read");
  EXPECT_EQ(error_of("OFF BINARY\n"), "test: line 1: binary OFF is not read; write it as text");
  EXPECT_EQ(error_of("OFF\n3 1 0\n0 0\n1 0 0\n0 1 0\n3 0 1 2\n"),
            "test: line 3: expected a coordinate, found the end of the line");
}

}  // namespace off_test
}  // namespace aguja
