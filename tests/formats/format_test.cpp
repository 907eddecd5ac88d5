#include "aguja/formats/format.h"

#include <gtest/gtest.h>

#include "tests/support/files.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace {

TEST(Format, IsKnownByNameInAnyCase) {
  for (const Format format : all_formats()) EXPECT_EQ(format_of_name(slug(format)), format);
  EXPECT_EQ(format_of_name("models/POD.STL"), Format::stl);
  EXPECT_EQ(format_of_name("archive.v2.Ply"), Format::ply);
  EXPECT_FALSE(format_of_name("stl.txt"));
  EXPECT_FALSE(format_of_name("pod"));
}

TEST(Format, IsKnownByContentWhateverTheName) {
  const Model cube = test::model_of(test::cube(), "cube");
  for (const Format format : all_formats()) {
    for (const bool text : {false, true}) {
      const std::string bytes = test::written(cube, format, {text});
      EXPECT_EQ(format_of_content(bytes), format) << slug(format);
      for (const char* name : {"cube.stl", "cube.obj", "cube.ply", "cube.off", "cube"}) {
        EXPECT_EQ(triangle_count(read_model(Source{name, bytes})), 12u) << slug(format) << name;
      }
    }
  }
}

TEST(Format, ContentThatFitsNothingIsNotKnown) {
  for (const char* text : {"", " ", "hello", "<xml/>", "PK\3\4", "ISO 10303 21", "s"}) {
    EXPECT_FALSE(format_of_content(text)) << text;
  }
}

TEST(Format, TheCallerMayOverrideWhatTheContentLooksLike) {
  const std::string off = "OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n";
  EXPECT_EQ(triangle_count(read_model(Source{"x", off}, {.format = Format::off})), 1u);
  EXPECT_THROW(static_cast<void>(read_model(Source{"x", off}, {.format = Format::ply})),
               InputError);
}

TEST(Format, AnObjFileMayBeginWithCommentsAndMaterials) {
  for (const char* text : {"# made by hand\n\n\nv 0 0 0\n", "mtllib a.mtl\nv 0 0 0\n", "o part\n",
                           "usemtl steel\n", "  v 1 2 3"}) {
    EXPECT_EQ(format_of_content(text), Format::obj) << text;
  }
}

TEST(ReadModel, NamesPartsThatHaveNoNameAfterTheFile) {
  const Model one = read_model(Source{"some/where/pod.off", "OFF\n0 0 0\n"});
  EXPECT_EQ(one.parts[0].name, "pod");
  const std::string facet =
      "facet\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n";
  const Model two = read_model(
      Source{"a.stl", "solid\n" + facet + "endsolid\nsolid b\nendsolid\nsolid\nendsolid\n"});
  ASSERT_EQ(two.parts.size(), 3u);
  EXPECT_EQ(two.parts[0].name, "a-1");
  EXPECT_EQ(two.parts[1].name, "b");
  EXPECT_EQ(two.parts[2].name, "a-2");
}

TEST(ReadModel, TakesTheUnitThatItIsTold) {
  const Source source{"a.off", "OFF\n0 0 0\n"};
  EXPECT_TRUE(read_model(source).unit_assumed);
  const Model inches = read_model(source, {.unit = LengthUnit::inch});
  EXPECT_EQ(inches.unit, LengthUnit::inch);
  EXPECT_FALSE(inches.unit_assumed);
}

TEST(ReadModel, StopsWhenAsked) {
  struct Stop : Progress {
    bool advance(std::string_view, double) override { return false; }
  } stop;
  const Model cube = test::model_of(test::cube(), "cube");
  for (const Format format : all_formats()) {
    const std::string bytes = test::written(cube, format);
    EXPECT_THROW(static_cast<void>(read_model(Source{"x", bytes}, {}, &stop)), Cancelled)
        << slug(format);
  }
}

// Many small things in one file: each of these took many seconds when a step looked at all that
// came before.
TEST(ReadModel, ManySolidsInOddCase) {
  std::string text;
  for (int i = 0; i < 30000; ++i) {
    text += "SOLID s" + std::to_string(i) +
            "\nFACET\nOUTER LOOP\nVERTEX 0 0 0\nVERTEX 1 0 0\nVERTEX 0 1 0\nENDLOOP\nENDFACET\n"
            "ENDSOLID\n";
  }
  const Model model = test::read_text(text);
  ASSERT_EQ(model.parts.size(), 30000u);
  EXPECT_EQ(model.parts[29999].name, "s29999");
  EXPECT_EQ(triangle_count(model), 30000u);
}

TEST(ReadModel, ManyGroupsAndObjects) {
  std::string text = "v 0 0 0\nv 1 0 0\nv 0 1 0\n";
  for (int i = 0; i < 100000; ++i) text += "g face" + std::to_string(i) + "\nf 1 2 3\n";
  const Model groups = test::read_text(text);
  ASSERT_EQ(groups.parts.size(), 1u);
  ASSERT_EQ(groups.parts[0].patch_names().size(), 100000u);
  EXPECT_EQ(groups.parts[0].patch_names()[77777], "face77777");
  EXPECT_EQ(groups.parts[0].mesh().patch_of[77777].value, 77777u);

  std::string objects;
  for (int i = 0; i < 20000; ++i) {
    objects += "o part" + std::to_string(i) + "\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf -3 -2 -1\n";
  }
  const Model parts = test::read_text(objects);
  ASSERT_EQ(parts.parts.size(), 20000u);
  EXPECT_EQ(parts.parts[19999].mesh().points.size(), 3u);
}

}  // namespace
}  // namespace aguja
