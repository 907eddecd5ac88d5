#include <gtest/gtest.h>

#include "tests/support/files.h"

namespace aguja {
namespace obj_test {

using test::error_of;
using test::read_text;

constexpr std::string_view kSquare = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\n";

TEST(Obj, ReadsPolygonsNegativeNumbersTextureAndNormalNumbers) {
  const Model model =
      read_text(std::string(kSquare) + "vt 0 0\nvn 0 0 1\nf -4 -3 -2 -1\nf 1/1 2//1 3/1/1\n");
  const Mesh& mesh = model.parts[0].mesh();
  ASSERT_EQ(mesh.triangles.size(), 3u);
  EXPECT_EQ(mesh.triangles[1], (Triangle{{{0}, {2}, {3}}}));
  EXPECT_EQ(mesh.triangles[2], (Triangle{{{0}, {1}, {2}}}));
}

TEST(Obj, DividesConcavePolygonsWithoutOverlap) {
  const Model model = read_text("v 4 -3 0\nv 1 0 0\nv 4 3 0\nv 0 0 0\nf 1 2 3 4\n");
  for (const Triangle& t : model.parts[0].mesh().triangles) {
    EXPECT_TRUE(t[0].value == 1 || t[1].value == 1 || t[2].value == 1);  // the reflex corner
    EXPECT_TRUE(t[0].value == 3 || t[1].value == 3 || t[2].value == 3);
  }
}

TEST(Obj, ObjectsArePartsWithTheirOwnPoints) {
  const Model model = read_text(std::string("# made by hand\no floor\n") + std::string(kSquare) +
                                "g left\nf 1 2 3\ng right\nf 1 3 4\n"
                                "o wall\nv 0 0 5\nv 9 9 9\ng side\nf 1 2 5\n");
  ASSERT_EQ(model.parts.size(), 2u);
  EXPECT_EQ(model.parts[0].name, "floor");
  EXPECT_EQ(model.parts[0].patch_names(), (std::vector<std::string>{"left", "right"}));
  EXPECT_EQ(model.parts[0].mesh().points.size(), 4u);
  EXPECT_EQ(model.parts[1].name, "wall");
  ASSERT_EQ(model.parts[1].mesh().points.size(), 4u);  // two of the floor's, one own, one unused
  EXPECT_EQ(model.parts[1].mesh().points[3], Point(9, 9, 9));
}

TEST(Obj, LinesAreWires) {
  const Model model = read_text(std::string(kSquare) + "l 1 2 3\nf 1 2\nf 1 2 3\n");
  EXPECT_EQ(model.parts[0].mesh().wires.size(), 3u);
  EXPECT_EQ(model.parts[0].mesh().triangles.size(), 1u);
}

TEST(Obj, ABackslashJoinsLinesAndLineNumbersStayRight) {
  const Model model = read_text("v 0 0 0\nv 1 \\\n 0 0\nv 0 1 0\n# not here \\\nf 1 2 \\\r\n3\n");
  EXPECT_EQ(triangle_count(model), 1u);
  EXPECT_EQ(error_of("v 0 0 0\nv 1 \\\n 0 0\nv 0 x 0\n"),
            "test: line 4: a coordinate 'x' is not a finite number");
}

TEST(Obj, PointsMayBeDefinedAfterTheFacesThatNameThem) {
  EXPECT_EQ(triangle_count(read_text("f 1 2 3\n" + std::string(kSquare))), 1u);
}

TEST(Obj, WhatIsNotKeptIsSaid) {
  const Model model = read_text("v 0 0 0 0.5 0.5 0.5\nv 1 0 0\nv 0 1 0\np 1\nf 1 2 3\n");
  EXPECT_EQ(model.notes,
            (std::vector<std::string>{"'p' statements are not kept (1)",
                                      "weights or colours of points are not kept (1)"}));
}

TEST(Obj, ErrorsNameLineExpectedAndFound) {
  const std::string square(kSquare);
  EXPECT_EQ(error_of(square + "f 1 2 9042\n"),
            "test: line 5: the face names vertex 9042, but 4 are defined");
  EXPECT_EQ(error_of(square + "f 1 2 0\n"),
            "test: line 5: the face names vertex 0, but 4 are defined");
  EXPECT_EQ(error_of("v 0 0 0\nf -1 -1 -2\n"),
            "test: line 2: the face names vertex -2, but only 1 are defined so far");
  EXPECT_EQ(error_of(square + "f 1 2 x\n"),
            "test: line 5: a vertex number 'x' is not a finite number");
  EXPECT_EQ(error_of(square + "f 1 2 3x\n"), "test: line 5: expected a vertex number, found '3x'");
  EXPECT_EQ(error_of(square + "f\n"), "test: line 5: expected a vertex number, found nothing");
  EXPECT_EQ(error_of(square + "frobnicate 1\n", "test.obj"),
            "test.obj: line 5: expected a statement such as 'v' or 'f', found 'frobnicate'");
  EXPECT_EQ(error_of("v 0 0 inf\n"), "test: line 1: a coordinate 'inf' is not a finite number");
}

TEST(Obj, FilesWithCarriageReturnsOnlyAreRead) {
  EXPECT_EQ(triangle_count(read_text("v 0 0 0\rv 1 0 0\rv 0 1 0\rf 1 2 3\r")), 1u);
}

}  // namespace obj_test
}  // namespace aguja
