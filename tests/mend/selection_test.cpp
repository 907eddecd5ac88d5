#include "aguja/mend/selection.h"

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace selection_test {

Selection selection_of(std::initializer_list<const char*> clauses) {
  Selection s;
  for (const char* c : clauses) add_clause(s, c, LengthUnit::millimetre);
  return s;
}

// A box in patches with two holes in the side x = 1, and what is found in it.
struct Scene {
  Scene() {
    Mesh mesh = test::without(test::grid_box(8, {1, 1, 1}, true), [](const Point& p) {
      return p.x() > 0.999 &&
             ((p - Point(1, 0.25, 0.25)).norm() < 0.1 || (p - Point(1, 0.75, 0.75)).norm() < 0.2);
    });
    model = test::model_of(std::move(mesh), "box");
    PartDraft named(model.parts[0]);
    named.patch_names = {"x0", "x1", "y0", "y1", "z0", "z1"};
    model.parts[0] = std::move(named);
    InspectOptions options;
    options.most_triangles = 1u << 20;
    findings = inspect(model, options).findings;
  }
  std::vector<TriangleId> triangles(const Selection& s) const {
    return select_triangles(model, findings, s)[0];
  }
  Model model;
  std::vector<Finding> findings;
};

TEST(Selection, ReadsWhatItWrites) {
  const Selection s =
      selection_of({"opening-0123abcd", "kind:crack", "patch:lid", "part:pod", "triangles:5-9,12",
                    "box:0,0,0,1,2,3mm", "near:1cm,2,3", "but:crack-0123abcd", "but:part:lid",
                    "but:box:0,0,0,0.1,2e-3in,3", "but:triangles:5"});
  EXPECT_EQ(s.ids, std::vector<std::string>{"opening-0123abcd"});
  EXPECT_EQ(s.triangles.size(), 2u);
  EXPECT_EQ(s.near->x(), 10);
  EXPECT_EQ(text_of(s),
            "part:pod opening-0123abcd kind:crack patch:lid triangles:5-9 triangles:12-12 "
            "box:0,0,0,1,2,3 near:10,2,3 but:crack-0123abcd but:part:lid but:triangles:5-5 "
            "but:box:0,0,0,0.1,0.0508,3");
}

TEST(Selection, RefusesWhatItCannotUnderstand) {
  for (const char* bad : {"", "opennig", "kind:opennig", "triangles:9-5", "triangles:x",
                          "box:1,2,3", "near:1,2", "patches:a", "opening-0123abcg"}) {
    EXPECT_THROW(selection_of({bad}), ArgumentError) << bad;
  }
  try {
    selection_of({"kind:opennig"});
  } catch (const ArgumentError& error) {
    EXPECT_NE(std::string(error.what()).find("'opening'"), std::string::npos) << error.what();
  }
}

TEST(Selection, FindsByKindIdPlaceAndBox) {
  const Scene scene;
  const auto& f = scene.findings;
  const auto openings = select_findings(selection_of({"opening"}), f);
  ASSERT_EQ(openings.size(), 2u);
  for (const std::size_t i : openings) {
    EXPECT_EQ(select_findings(selection_of({f[i].id.c_str()}), f), std::vector<std::size_t>{i});
    const std::string but = "but:" + f[i].id;
    EXPECT_EQ(select_findings(selection_of({"opening", but.c_str()}), f).size(), 1u);
  }
  const auto low = select_findings(selection_of({"opening", "box:0.9,0,0,1.1,0.5,0.5"}), f);
  const auto near = select_findings(selection_of({"opening", "near:1,0.2,0.2"}), f);
  ASSERT_EQ(low.size(), 1u);
  EXPECT_EQ(low, near);
  EXPECT_LT(f[low[0]].place.y(), 0.5);
  Selection far = selection_of({"opening", "near:5,0,0"});
  far.within = 0.5;
  EXPECT_TRUE(select_findings(far, f).empty());
  EXPECT_EQ(missing_ids(selection_of({"opening-00000000"}), f).size(), 1u);
}

TEST(Selection, TakesTrianglesByPatchRangeBoxAndAllBut) {
  const Scene scene;
  const std::size_t all = scene.model.parts[0].mesh().triangles.size();
  EXPECT_EQ(scene.triangles(selection_of({"patch:x0"})).size(), 128u);
  EXPECT_EQ(scene.triangles(selection_of({"patch:0"})).size(), 128u);
  EXPECT_EQ(scene.triangles(selection_of({"patch:x0", "patch:box/y0"})).size(), 256u);
  EXPECT_EQ(scene.triangles(selection_of({"triangles:3-5,7"})).size(), 4u);
  EXPECT_EQ(scene.triangles(selection_of({"patch:x0", "box:0,0,0,1,0.5,1"})).size(), 64u);
  EXPECT_EQ(scene.triangles(selection_of({"but:x0"})).size(), all - 128);
  EXPECT_EQ(scene.triangles(selection_of({"but:patch:x0", "but:2"})).size(), all - 256);
  EXPECT_EQ(scene.triangles(selection_of({"but:triangles:3-5,7"})).size(), all - 4);
  EXPECT_EQ(scene.triangles(selection_of({"patch:x0", "but:box:0,0,0,1,0.5,1"})).size(), 64u);
  EXPECT_TRUE(scene.triangles(selection_of({"but:part:box"})).empty());
  EXPECT_EQ(scene.triangles(selection_of({"near:0,0.5,0.5"})).size(), 128u);
  EXPECT_TRUE(scene.triangles({}).empty());
  EXPECT_THROW(scene.triangles(selection_of({"patch:lid"})), ArgumentError);
  EXPECT_THROW(scene.triangles(selection_of({"part:lid"})), ArgumentError);
  // What leaves nothing out would select everything in silence.
  for (const char* nothing : {"but:lid", "but:patch:lid", "but:part:lid", "but:knd:crack"}) {
    EXPECT_THROW(scene.triangles(selection_of({nothing})), ArgumentError) << nothing;
  }
  EXPECT_THROW(selection_of({"but:kind:crak"}), ArgumentError);
  EXPECT_EQ(missing_but_ids(selection_of({"but:opening-00000000"}), scene.findings).size(), 1u);
}

TEST(Selection, OnlyTrianglesKeepsNamesAndPoints) {
  const Scene scene;
  const Model only =
      only_triangles(scene.model, select_triangles(scene.model, {}, selection_of({"patch:y1"})));
  ASSERT_EQ(only.parts.size(), 1u);
  EXPECT_EQ(only.parts[0].mesh().triangles.size(), 128u);
  EXPECT_EQ(only.parts[0].mesh().points.size(), 81u);
  EXPECT_EQ(only.parts[0].patch_names().at(only.parts[0].mesh().patch_of[0].value), "y1");
  for (const Point& p : only.parts[0].mesh().points) EXPECT_EQ(p.y(), 1.0);
}

TEST(Selection, FindingsBecomePatchesNamedByTheirIds) {
  const Scene scene;
  const Model grouped = findings_as_patches(scene.model, scene.findings);
  const Part& part = grouped.parts[0];
  ASSERT_EQ(part.mesh().triangles.size(), scene.model.parts[0].mesh().triangles.size());
  for (const std::size_t i : select_findings(selection_of({"opening"}), scene.findings)) {
    const Finding& f = scene.findings[i];
    for (const TriangleId t : f.triangles) {
      EXPECT_EQ(part.patch_names().at(part.mesh().patch_of[t.value].value), f.id);
    }
  }
}

}  // namespace selection_test
}  // namespace aguja
