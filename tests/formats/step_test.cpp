// STEP files: what is read of them, and what is told where they are wrong.

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/formats/read.h"
#include "aguja/formats/read_surfaces.h"
#include "demo/surface_models.h"
#include "demo/surface_text.h"
#include "tests/support/exchange_text.h"
#include "tests/support/surface_findings.h"

namespace aguja {
namespace step_test {

using namespace test;

std::string clamp() { return demo::step_text(demo::draw_clamp()); }

TEST(Step, EveryShortenedFileIsRefusedOrReadInPart) {
  const std::string whole = clamp();
  std::size_t refused = 0;
  for (std::size_t length = 0; length < whole.size(); length += 97) {
    try {
      static_cast<void>(read_step({"x", whole.substr(0, length)}));
    } catch (const InputError&) {
      ++refused;
    }
  }
  EXPECT_GE(refused, whole.size() / 97 * 9 / 10);
}

TEST(Step, WhatContradictsItselfIsLeftOutAndNamed) {
  // Each breaks one face, or all of one kind; the rest is read.
  const std::string whole = clamp();
  for (const auto& [from, to] : {std::pair<std::string, std::string>{
                                     "CYLINDRICAL_SURFACE('',#", "CYLINDRICAL_SURFACE('',#99999"},
                                 {"CYLINDRICAL_SURFACE('',", "CYLINDRICAL_SURFACE('',$,"},
                                 {"PLANE('',", "FRUSTUM('',"},
                                 {"VECTOR('',#", "VECTOR('',#99999"},
                                 {"EDGE_LOOP('',(", "EDGE_LOOP('',(#1,"}}) {
    const SurfaceModel model = read_step({"x", replaced(whole, from, to)});
    EXPECT_FALSE(model.not_understood.empty()) << to;
    EXPECT_FALSE(model.notes.empty()) << to;
    EXPECT_NE(model.notes[0].find('#'), std::string::npos) << model.notes[0];
  }
}

TEST(Step, EntitiesThatNameThemselvesEnd) {
  for (const char* data :
       {"#1=SHAPE_REPRESENTATION('',(#2),#9);#2=MAPPED_ITEM('',#3,#4);#3=REPRESENTATION_MAP(#4,#1);"
        "#4=AXIS2_PLACEMENT_3D('',#5,$,$);#5=CARTESIAN_POINT('',(0.,0.,0.));",
        "#1=SHAPE_REPRESENTATION('',(#2),#9);#2=SHELL_BASED_SURFACE_MODEL('',(#3));#3=ORIENTED_"
        "OPEN_SHELL('',*,#3,.T.);",
        "#1=SHAPE_REPRESENTATION('',(#2),#9);#2=GEOMETRIC_SET('',(#3));#3=OFFSET_SURFACE('',#3,1.,."
        "F.);",
        "#1=SHAPE_REPRESENTATION('',(#2),#9);#2=GEOMETRIC_SET('',(#3));#3=SURFACE_OF_REVOLUTION('',"
        "#4,#5);#4=TRIMMED_CURVE('',#4,(0.),(1.),.T.,.PARAMETER.);"}) {
    EXPECT_NO_THROW(static_cast<void>(read_step({"x", step_file(data)}))) << data;
  }
}

TEST(Step, UnitsOfEachContextCount) {
  for (const auto& [unit, length, factor] :
       {std::tuple<std::string, LengthUnit, double>{"SI_UNIT($,.METRE.)", LengthUnit::metre, 1},
        {"SI_UNIT(.CENTI.,.METRE.)", LengthUnit::centimetre, 1},
        {"SI_UNIT(.DECI.,.METRE.)", LengthUnit::centimetre, 10}}) {
    const SurfaceModel model =
        read_step({"x", replaced(clamp(), "SI_UNIT(.MILLI.,.METRE.)", unit)});
    if (unit.find("DECI") == std::string::npos) {
      EXPECT_EQ(model.unit, length);
    }
    EXPECT_FALSE(model.unit_assumed);
    EXPECT_NEAR(box_of(model).high.z() * metres_per(model.unit), 112 * factor * metres_per(length),
                1e-9 * 112);
  }
}

// A square of two by two in the plane z = 1, whose edges bring curves in the plane's parameters
// along.
std::string square_with_parameter_curves(double third_side_at) {
  const double at[4][2] = {{0, 0}, {2, 0}, {2, 2}, {0, 2}},
               along[4][2] = {{1, 0}, {0, 1}, {-1, 0}, {0, -1}};
  std::string data =
      "#1=SHAPE_REPRESENTATION('',(#2),#90);#2=SHELL_BASED_SURFACE_MODEL('',(#3));#3=OPEN_SHELL('',"
      "(#4"
      "));#4=ADVANCED_FACE('',(#5),#7,.T.);#5=FACE_OUTER_BOUND('',#6,.T.);#6=EDGE_LOOP('',(#100,#"
      "200,#"
      "300,#400));#7=PLANE('',#8);#8=AXIS2_PLACEMENT_3D('',#9,$,$);#9=CARTESIAN_POINT('',(0.,0.,1.)"
      ");"
      "#90=(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNIT_ASSIGNED_CONTEXT((#91))"
      "REPRESENTATION_CONTEXT('',''));#91=(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.DECI.,.METRE.));";
  for (int i = 0; i < 4; ++i) {
    const auto n = [&](int k, int side) { return "#" + std::to_string(100 * (side + 1) + k); };
    const auto pair = [](const double* p) {
      return std::to_string(p[0]) + "," + std::to_string(p[1]);
    };
    double flat[2] = {at[i][0], at[i][1]};
    if (i == 2) flat[1] = third_side_at;
    data += n(0, i) + "=ORIENTED_EDGE('',*,*," + n(1, i) + ",.T.);" + n(1, i) + "=EDGE_CURVE(''," +
            n(2, i) + "," + n(2, (i + 1) % 4) + "," + n(4, i) + ",.T.);" + n(2, i) +
            "=VERTEX_POINT(''," + n(3, i) + ");" + n(3, i) + "=CARTESIAN_POINT('',(" + pair(at[i]) +
            ",1.));" + n(4, i) + "=SURFACE_CURVE(''," + n(5, i) + ",(" + n(8, i) +
            "),.CURVE_3D.);" + n(5, i) + "=LINE(''," + n(3, i) + "," + n(6, i) + ");" + n(6, i) +
            "=VECTOR(''," + n(7, i) + ",1.);" + n(7, i) + "=DIRECTION('',(" + pair(along[i]) +
            ",0.));" + n(8, i) + "=PCURVE('',#7," + n(9, i) + ");" + n(9, i) +
            "=DEFINITIONAL_REPRESENTATION('',(" + n(10, i) + "),#92);" + n(10, i) + "=LINE(''," +
            n(11, i) + "," + n(12, i) + ");" + n(11, i) + "=CARTESIAN_POINT('',(" + pair(flat) +
            "));" + n(12, i) + "=VECTOR(''," + n(13, i) + ",1.);" + n(13, i) + "=DIRECTION('',(" +
            pair(along[i]) + "));";
  }
  return step_file(data +
                   "#92=(GEOMETRIC_REPRESENTATION_CONTEXT(2)PARAMETRIC_REPRESENTATION_CONTEXT()"
                   "REPRESENTATION_CONTEXT('',''));");
}

TEST(Step, CurvesInParametersAreComparedWithThoseInSpace) {
  for (const double at : {2.0, 1.75}) {
    const SurfaceModel model = read_step({"x", square_with_parameter_curves(at)});
    ASSERT_EQ(model.bodies.size(), 1u);
    ASSERT_EQ(model.bodies[0].faces.size(), 1u);
    for (const EdgeUseOfFace& u : model.bodies[0].faces[0].loops.at(0).edges) {
      EXPECT_NE(u.in_parameters, nullptr);
    }
    const Model prepared = prepare(model);
    const std::vector<Finding> found = test::surface_findings(prepared);
    const auto off = std::find_if(found.begin(), found.end(), [](const Finding& g) {
      return g.kind == FindingKind::edge_off_surface;
    });
    ASSERT_EQ(off != found.end(), at != 2) << at;
    if (off == found.end()) continue;
    EXPECT_EQ(off->count, 1u);
    EXPECT_EQ(off->entity, 4u);
    // Decimetres in the file: a quarter of one.
    EXPECT_NEAR(off->measure * metres_per(model.unit), 0.025, 1e-12);
  }
}

TEST(Step, FacetedAndTessellatedShapesAreRead) {
  std::string data =
      "#1=FACETED_BREP_SHAPE_REPRESENTATION('',(#2),#90);#2=FACETED_BREP('',#3);#3=CLOSED_SHELL('',"
      "(#11,#12,#13,#14));";
  const int loops[4][3] = {{1, 3, 2}, {1, 2, 4}, {2, 3, 4}, {3, 1, 4}};
  for (int i = 0; i < 4; ++i) {
    const std::string f = std::to_string(11 + i), b = std::to_string(21 + i),
                      l = std::to_string(31 + i);
    data += "#" + f + "=FACE('',(#" + b + "));#" + b + "=FACE_OUTER_BOUND('',#" + l + ",.T.);#" +
            l + "=POLY_LOOP('',(";
    for (int k = 0; k < 3; ++k) data += (k == 0 ? "#" : ",#") + std::to_string(40 + loops[i][k]);
    data += "));";
  }
  data +=
      "#41=CARTESIAN_POINT('',(0.,0.,0.));#42=CARTESIAN_POINT('',(1.,0.,0.));#43=CARTESIAN_POINT(''"
      ",(0.,1.,0.));#44=CARTESIAN_POINT('',(0.,0.,1.));";
  const Model faceted = read_model(Source{"x.step", step_file(data)});
  ASSERT_EQ(faceted.parts.size(), 1u);
  EXPECT_EQ(faceted.parts[0].mesh().triangles.size(), 4u);
  const Model tessellated = read_model(Source{
      "x.step",
      step_file("#1=TESSELLATED_SHAPE_REPRESENTATION('',(#2),#90);#2=TESSELLATED_SHELL('',(#3),$);"
                "#3=COMPLEX_TRIANGULATED_FACE('',#4,4,((0.,0.,1.)),$,(1,2,3,4),((1,2,3,4)),());"
                "#4=COORDINATES_LIST('',4,((0.,0.,0.),(1.,0.,0.),(0.,1.,0.),(1.,1.,0.)));")});
  ASSERT_EQ(tessellated.parts.size(), 1u);
  EXPECT_EQ(tessellated.parts[0].mesh().triangles.size(), 2u);
}

TEST(Step, AssembliesPlaceTheirPartsAgainAndAgain) {
  // The clamp, used twice by an assembly: as it is, and turned by 90 degrees and moved.
  std::string text = without_end(clamp());
  const auto number_of = [&](const std::string& type) { return first_of(text, type); };
  const std::string child = number_of("PRODUCT_DEFINITION"),
                    representation = number_of("ADVANCED_BREP_SHAPE_REPRESENTATION");
  text +=
      "#9001=PRODUCT('whole','whole','',());#9002=PRODUCT_DEFINITION_FORMATION('','',#9001);#9003="
      "PRODUCT_DEFINITION('','',#9002,$);"
      "#9004=PRODUCT_DEFINITION_SHAPE('','',#9003);#9005=CARTESIAN_POINT('',(0.,0.,0.));#9006="
      "AXIS2_PLACEMENT_3D('',#9005,$,$);"
      "#9007=CARTESIAN_POINT('',(200.,0.,0.));#9008=DIRECTION('',(0.,0.,1.));#9009=DIRECTION('',(0."
      ",1.,0.));#9010=AXIS2_PLACEMENT_3D('',#9007,#9008,#9009);"
      "#9011=SHAPE_REPRESENTATION('',(#9006,#9010),$);#9012=SHAPE_DEFINITION_REPRESENTATION(#9004,#"
      "9011);";
  int next = 9020;
  for (const char* target : {"#9006", "#9010"}) {
    const auto n = [&](int k) { return "#" + std::to_string(next + k); };
    text += n(0) + "=NEXT_ASSEMBLY_USAGE_OCCURRENCE('" + std::to_string(next) +
            "','use','',#9003," + child + ",$);" + n(1) + "=PRODUCT_DEFINITION_SHAPE('',''," +
            n(0) + ");" + n(2) + "=ITEM_DEFINED_TRANSFORMATION('','',#9006," + target + ");" +
            n(3) + "=(REPRESENTATION_RELATIONSHIP('',''," + representation +
            ",#9011)REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(" + n(2) +
            ")SHAPE_REPRESENTATION_RELATIONSHIP());" + n(4) +
            "=CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(" + n(3) + "," + n(1) + ");";
    next += 10;
  }
  const SurfaceModel model = read_step({"x", text + kEnd});
  ASSERT_EQ(model.bodies.size(), 1u);
  ASSERT_EQ(model.instances.size(), 2u);
  EXPECT_EQ(model.instances[0].name, "clamp-1");
  const Model mesh = prepare(model);
  ASSERT_EQ(mesh.parts.size(), 2u);
  const Box a = box_of(mesh.parts[0].mesh()), b = box_of(mesh.parts[1].mesh());
  // x to y: the gap of the clamp, which faces +x, faces +y in the second.
  EXPECT_NEAR(b.center().x() - 200, -a.center().y(), 1e-6);
  EXPECT_NEAR(b.center().y(), a.center().x(), 1e-6);
}

// Two of each level below: a chain of 60 would be placed 2^60 times.
TEST(Step, RadiiBeyondSenseEndNothing) {
  for (const char* radius : {"1.E300", "1.E160", "1.E-160", "1.E-300", "1.7E308"}) {
    const std::string r = radius;
    for (const std::string& surface :
         {"SPHERICAL_SURFACE('',#4," + r + ")", "TOROIDAL_SURFACE('',#4,5.," + r + ")",
          "DEGENERATE_TOROIDAL_SURFACE('',#4," + r + "," + r + ",.T.)"}) {
      const std::string data =
          "#1=CARTESIAN_POINT('',(0.,0.,0.));#2=DIRECTION('',(0.,0.,1.));#3=DIRECTION('',(1.,0.,0.)"
          ");#4=AXIS2_PLACEMENT_3D('',#1,#2,#3);#10=" +
          surface +
          ";#11=ADVANCED_FACE('',(),#10,.T.);#12=OPEN_SHELL('',(#11));#13=SHELL_BASED_SURFACE_"
          "MODEL('',(#12));#14=SHAPE_REPRESENTATION('',(#13),#90);";
      EXPECT_NO_THROW(static_cast<void>(read_model(Source{"x.step", step_file(data)}))) << data;
    }
  }
}

TEST(Step, AssembliesThatDoubleEndAll) {
  std::string data;
  for (int level = 0; level < 60; ++level) {
    const auto n = [&](int k) { return "#" + std::to_string(10 * (level + 1) + k); };
    data += n(0) + "=PRODUCT_DEFINITION('','',#1,$);";
    if (level == 0) continue;
    const std::string below = "#" + std::to_string(10 * level);
    for (const int k : {1, 2})
      data += n(k) + "=NEXT_ASSEMBLY_USAGE_OCCURRENCE('','','" + std::to_string(k) + "'," + n(0) +
              "," + below + ",$);";
  }
  const SurfaceModel model = read_step({"x", step_file(data)});
  EXPECT_TRUE(model.instances.empty());
  ASSERT_FALSE(model.not_understood.empty());
  EXPECT_EQ(model.not_understood[0].type, "instance");
}

TEST(Step, UnitsThatSayNothingAreLeftOut) {
  for (const char* unit : {"SI_UNIT()", "SI_UNIT(.METRE.)", "SI_UNIT(*)", "CONVERSION_BASED_UNIT()",
                           "CONVERSION_BASED_UNIT('INCH',#99999)"}) {
    const SurfaceModel model =
        read_step({"x", replaced(clamp(), "SI_UNIT(.MILLI.,.METRE.)", unit)});
    EXPECT_EQ(model.bodies.size(), 1u) << unit;
    EXPECT_FALSE(model.not_understood.empty()) << unit;
  }
}

TEST(Step, TransformationsThatNameTheirItemsTheOtherWayRoundPlaceAlike) {
  const auto placed_by = [](bool swapped) {
    std::string text = without_end(clamp());
    const std::string child = first_of(text, "PRODUCT_DEFINITION"),
                      shape = first_of(text, "ADVANCED_BREP_SHAPE_REPRESENTATION"),
                      own = first_of(text, "AXIS2_PLACEMENT_3D");
    // The child's own place is one of its items.
    text = replaced(text, "ADVANCED_BREP_SHAPE_REPRESENTATION('',(",
                    "ADVANCED_BREP_SHAPE_REPRESENTATION('',(" + own + ",");
    return read_step(
        {"x",
         text +
             "#9001=PRODUCT('w','w','',());#9002=PRODUCT_DEFINITION_FORMATION('','',#9001);#9003="
             "PRODUCT_DEFINITION('','',#9002,$);#9004=PRODUCT_DEFINITION_SHAPE('','',#9003);#9005="
             "CARTESIAN_POINT('',(50.,60.,70.));#9006=AXIS2_PLACEMENT_3D('',#9005,$,$);#9011=SHAPE_"
             "REPRESENTATION('',(#9006),$);#9012=SHAPE_DEFINITION_REPRESENTATION(#9004,#9011);#"
             "9020="
             "NEXT_ASSEMBLY_USAGE_OCCURRENCE('1','','',#9003," +
             child +
             ",$);#9021=PRODUCT_DEFINITION_SHAPE('','',#9020);#9022=ITEM_DEFINED_"
             "TRANSFORMATION('',''," +
             (swapped ? "#9006," + own : own + ",#9006") +
             ");#9023=(REPRESENTATION_RELATIONSHIP('',''," + shape +
             ",#9011)REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(#9022)SHAPE_REPRESENTATION_"
             "RELATIONSHIP());#9024=CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(#9023,#9021);" +
             kEnd});
  };
  const SurfaceModel straight = placed_by(false), swapped = placed_by(true);
  ASSERT_EQ(straight.instances.size(), 1u);
  ASSERT_EQ(swapped.instances.size(), 1u);
  EXPECT_GT(straight.instances[0].placement.shift.norm(), 50);
  EXPECT_LT((straight.instances[0].placement.shift - swapped.instances[0].placement.shift).norm(),
            1e-9);
}

TEST(Step, ATessellationBesideTheExactShapeIsLeftOut) {
  std::string text = without_end(clamp());
  const std::string solid = first_of(text, "MANIFOLD_SOLID_BREP");
  const auto with_link = [&](const std::string& link) {
    return read_step({"x", text +
                               "#9001=TESSELLATED_SHAPE_REPRESENTATION('',(#9002),#9009);#9002="
                               "TESSELLATED_SOLID('',(#9003)," +
                               link +
                               ");#9003=TRIANGULATED_FACE('',#9004,3,$,$,(),((1,2,3)));#9004="
                               "COORDINATES_LIST('',3,((0.,0.,0.),(1.,0.,0.),(0.,1.,0.)));" +
                               kEnd});
  };
  const SurfaceModel linked = with_link(solid);
  EXPECT_EQ(linked.bodies.size(), 1u);
  ASSERT_EQ(linked.notes.size(), 1u);
  EXPECT_NE(linked.notes[0].find("#9002"), std::string::npos);
  EXPECT_EQ(with_link("$").bodies.size(), 2u);
}

TEST(Step, TessellatedItemsAreWhereTheyArePutAgain) {
  const SurfaceModel model = read_step(
      {"x",
       step_file(
           "#1=TESSELLATED_SHAPE_REPRESENTATION('',(#2),#90);#2=(GEOMETRIC_REPRESENTATION_ITEM()"
           "REPOSITIONED_TESSELLATED_ITEM(#5)REPRESENTATION_ITEM('moved')TESSELLATED_GEOMETRIC_SET("
           "(#3))TESSELLATED_ITEM());#3=TRIANGULATED_SURFACE_SET('',#4,3,$,(),((1,2,3)));#4="
           "COORDINATES_LIST('',3,((0.,0.,0.),(1.,0.,0.),(0.,1.,0.)));#5=AXIS2_PLACEMENT_3D('',#6,"
           "$,$);#6=CARTESIAN_POINT('',(5.,6.,7.));")});
  ASSERT_EQ(model.bodies.size(), 1u) << (model.notes.empty() ? "" : model.notes[0]);
  const Mesh& facets = model.bodies[0].facets;
  ASSERT_EQ(facets.triangles.size(), 1u);
  EXPECT_EQ(facets.point(facets.triangles[0][1]), Point(6, 6, 7));
}

}  // namespace step_test
}  // namespace aguja
