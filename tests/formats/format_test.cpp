#include "aguja/formats/format.h"

#include <algorithm>
#include <fstream>
#include <iterator>

#include <gtest/gtest.h>

#include "tests/support/files.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace format_test {

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

// Two parts, the first with two named patches and a line, on coordinates that no float holds.
Model telling_model() {
  Model model;
  PartDraft first;
  first.name = "first";
  first.mesh = test::cube({0.1, 0, 0});
  first.mesh.patch_of.assign(first.mesh.triangles.size(), PatchId{0});
  first.mesh.patch_of.back() = {1};
  first.patch_names = {"side", "lid"};
  first.patch_colours = {Rgb{1, 0, 0}, Rgb{0, 0, 1}};
  first.mesh.wires.push_back({VertexId{0}, VertexId{7}});
  model.parts.emplace_back(std::move(first));
  model.parts.emplace_back("second", test::cube({5, 0, 0}));
  return model;
}

TEST(Formats, TheTableSaysWhatAFileHolds) {
  const Model model = telling_model();
  std::size_t read = 0;
  for (const FormatInfo& f : format_table()) {
    if (!f.is_written()) continue;
    SCOPED_TRACE(f.slug);
    const Model back = read_model(Source{"x", test::written(model, f.format, {.text = true})}, {});
    EXPECT_EQ(back.parts.size() == 2 && back.parts[1].name == "second", f.holds.parts);
    const auto& names = back.parts[0].patch_names();
    // STEP: with the number of its entity.
    const bool has_lid = std::any_of(names.begin(), names.end(), [](const std::string& n) {
      return n == "lid" || n.starts_with("lid #");
    });
    EXPECT_EQ(has_lid, f.holds.patches);
    EXPECT_EQ(!back.parts[0].mesh().wires.empty(), f.holds.lines);
    EXPECT_EQ(back.unit_assumed, !f.holds.unit);
    const std::string bytes = test::written(model, f.format);
    const Model binary = read_model(Source{"x", bytes}, {});
    EXPECT_EQ(box_of(binary).low.x() == 0.1, f.holds.doubles);
    const auto notes = write_model([](std::string_view) {}, model, f.format).notes;
    const bool says_colours = std::any_of(notes.begin(), notes.end(), [](const std::string& n) {
      return n.find("holds no colours") != std::string::npos;
    });
    EXPECT_EQ(says_colours, !f.holds.colours);
    ++read;
  }
  EXPECT_EQ(read, all_formats().size() + 1);  // meshes go into STEP, too
}

TEST(Formats, EachIsKnownByItsNamesAndToldOfOnThePage) {
  std::ifstream file(std::string(AGUJA_SOURCE_DIR) + "/docs/formats.md");
  const std::string page(std::istreambuf_iterator<char>(file), {});
  for (const FormatInfo& f : format_table()) {
    EXPECT_EQ(&info(f.format), &f);
    EXPECT_EQ(format_of_name("a/b." + std::string(f.slug)), f.format);
    EXPECT_EQ(f.extensions.substr(0, f.slug.size()), f.slug);
    EXPECT_NE(page.find("| " + std::string(f.name)), std::string::npos) << f.name;
    if (f.is_read()) continue;
    ReadOptions options;
    options.format = f.format;
    EXPECT_THROW(static_cast<void>(read_model(Source{"x", "glTF"}, options)), InputError);
  }
  EXPECT_EQ(formats_written(), "stl, obj, ply, off or step");
}

}  // namespace format_test
}  // namespace aguja
