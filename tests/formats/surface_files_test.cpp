// STEP and IGES files: what is read of them, and what is told where they are wrong.

#include <map>
#include <sstream>

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/formats/read.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/formats/write.h"
#include "aguja/solid/certificate.h"
#include "aguja/surface/check_surfaces.h"
#include "demo/surface_models.h"
#include "demo/surface_text.h"
#include "formats/part21.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace {

using detail::decoded_text;
using detail::Part21;

std::string step(const std::string& data) {
  return "ISO-10303-21;\nHEADER;\nFILE_SCHEMA(('X'));\nENDSEC;\nDATA;\n" + data +
         "\nENDSEC;\nEND-ISO-10303-21;\n";
}
std::string clamp() { return demo::step_text(demo::draw_clamp()); }
const std::string kEnd = "ENDSEC;\nEND-ISO-10303-21;\n";
// So that entities can be added.
std::string without_end(std::string text) {
  text.erase(text.size() - kEnd.size());
  return text;
}
// The first entity of a type, as #number.
std::string first_of(const std::string& text, const std::string& type) {
  const std::size_t at = text.find("=" + type + "(");
  const std::size_t start = text.rfind('#', at);
  return text.substr(start, at - start);
}
std::string replaced(std::string text, const std::string& from, const std::string& to) {
  const std::size_t at = text.find(from);
  EXPECT_NE(at, std::string::npos) << from;
  if (at != std::string::npos) text.replace(at, from.size(), to);
  return text;
}

TEST(Part21, FindsEntitiesWhateverStandsBetweenThem) {
  const std::string text = step(
      "#3 = A('it''s; #9=B();', (1, 2.5E-3, -.5), $, *, .T., #1) ;/* #7=C(); "
      "*/\n#1=B(\n)\n;#20=(X(1)Y((2,3),TYPED(4.)));");
  const Part21 file({"x", text});
  ASSERT_EQ(file.size(), 3u);
  std::vector<std::uint64_t> numbers;
  file.for_each([&](const Part21::Entry& entry) { numbers.push_back(entry.number); });
  EXPECT_EQ(numbers, (std::vector<std::uint64_t>{1, 3, 20}));
  const detail::Entity e = file.parse(3);
  const detail::Fields f(e, e.record("A"));
  EXPECT_EQ(f.text(0), "it's; #9=B();");
  EXPECT_EQ(f.numbers(1), (std::vector<double>{1, 2.5e-3, -0.5}));
  EXPECT_TRUE(f.flag(4));
  EXPECT_EQ(f.reference(5), 1u);
  const detail::Entity whole = file.parse(20);
  EXPECT_TRUE(whole.is("X") && whole.is("Y"));
  EXPECT_EQ(detail::Fields(whole, whole.record("Y")).number(1), 4);
  EXPECT_THROW(static_cast<void>(file.parse(99)), detail::EntityError);
  EXPECT_THROW(static_cast<void>(f.number(0)), detail::EntityError);
  EXPECT_THROW(static_cast<void>(f.at(17)), detail::EntityError);
}

// What a file holds, or why it holds nothing.
std::string contents(const std::string& text, std::size_t stretch) {
  try {
    const Part21 file({"x", text}, stretch);
    std::string all = std::string(file.schema()) + std::to_string(file.repeated());
    file.for_each([&](const Part21::Entry& e) {
      all +=
          "\n" + std::to_string(e.number) + "|" + std::string(e.type) + "|" + std::string(e.text);
    });
    return all;
  } catch (const InputError& error) {
    return std::string("refused: ") + error.what();
  }
}

TEST(Part21, IsTheSameInStretchesOfAnyLength) {
  const std::vector<std::string> pieces = {"#%=A('it''s;\n#9=B();', $);\n",
                                           "/* ;\n#7=C(); */\n",
                                           "#%=B('',(1.,2.));\n",
                                           "#%=(X(1)Y(#2));\r\n",
                                           "#%=D('/*;\r\n#4=E(');",
                                           "\n\n",
                                           "ENDSEC;\nDATA;\n",
                                           "#%=F(1/*;\n#5*/);\n",
                                           "#%=G(#1,'a;b');\n"};
  std::size_t refused = 0;
  for (std::uint64_t seed = 1; seed <= 300; ++seed) {
    test::Random random(seed);
    std::string data;
    for (std::size_t i = 0, n = random.index(40); i < n; ++i) {
      std::string piece = pieces[random.index(pieces.size())];
      if (const std::size_t at = piece.find('%'); at != std::string::npos)
        piece.replace(at, 1, std::to_string(1 + (random.chance(0.9) ? i : random.index(9))));
      data += piece;
    }
    std::string text = step(data);
    if (random.chance(0.3)) text.resize(random.index(text.size()));
    if (random.chance(0.1)) text.insert(random.index(text.size()), "'");
    const std::string whole = contents(text, text.size() + 1);
    refused += whole.starts_with("refused");
    for (const std::size_t stretch : {1, 5, 17, 64, 300})
      ASSERT_EQ(contents(text, stretch), whole) << seed << " in stretches of " << stretch;
  }
  EXPECT_GE(refused, 20u);
}

TEST(Part21, DecodesTextOfTheStandard) {
  EXPECT_EQ(decoded_text("a''b\\\\c"), "a'b\\c");
  EXPECT_EQ(decoded_text("\\X2\\00E40152\\X0\\x"), "ä\xC5\x92x");
  EXPECT_EQ(decoded_text("\\X4\\0001F600\\X0\\"), "\xF0\x9F\x98\x80");
  EXPECT_EQ(decoded_text("\\X\\E4\\S\\d"), "ää");
  EXPECT_EQ(decoded_text("\\X2\\zz"), "zz") << "what is no code is kept";
}

TEST(Part21, FilesThatAreNoneSayWhere) {
  const auto message = [](const std::string& text) -> std::string {
    try {
      static_cast<void>(read_step({"x.step", text}));
    } catch (const InputError& error) {
      return error.what();
    }
    return "";
  };
  EXPECT_NE(message("hello").find("byte 0"), std::string::npos);
  EXPECT_NE(message("ISO-10303-21;\nHEADER;\nENDSEC;\n").find("no data section"),
            std::string::npos);
  EXPECT_NE(message("ISO-10303-21;\nDATA;\n#1=A('x);\nENDSEC;").find("a text has no end"),
            std::string::npos);
  EXPECT_NE(message("ISO-10303-21;\nDATA;\n#1=A(/*);\nENDSEC;").find("a comment has no end"),
            std::string::npos);
  EXPECT_NE(message("ISO-10303-21;\nDATA;\n#1=A(1)").find("#1 has no end"), std::string::npos);
  EXPECT_NE(message("ISO-10303-21;\nDATA;\n#1 A(1);\nENDSEC;").find("expected = after #1"),
            std::string::npos);
  EXPECT_NE(message("ISO-10303-21;\nDATA;\n#1=A(1);").find("has no end"), std::string::npos);
}

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
    EXPECT_NO_THROW(static_cast<void>(read_step({"x", step(data)}))) << data;
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
  return step(data +
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
    const Prepared prepared = prepare(model);
    const std::vector<GivenFinding> found = check_surfaces(prepared.surfaces, prepared.mesh);
    const auto off = std::find_if(found.begin(), found.end(), [](const GivenFinding& g) {
      return g.finding.kind == FindingKind::edge_off_surface;
    });
    ASSERT_EQ(off != found.end(), at != 2) << at;
    if (off == found.end()) continue;
    EXPECT_EQ(off->finding.count, 1u);
    EXPECT_EQ(off->finding.entity, 4u);
    // Decimetres in the file: a quarter of one.
    EXPECT_NEAR(off->finding.measure * metres_per(model.unit), 0.025, 1e-12);
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
  const Model faceted = read_model(Source{"x.step", step(data)});
  ASSERT_EQ(faceted.parts.size(), 1u);
  EXPECT_EQ(faceted.parts[0].mesh.triangles.size(), 4u);
  const Model tessellated = read_model(Source{
      "x.step",
      step("#1=TESSELLATED_SHAPE_REPRESENTATION('',(#2),#90);#2=TESSELLATED_SHELL('',(#3),$);"
           "#3=COMPLEX_TRIANGULATED_FACE('',#4,4,((0.,0.,1.)),$,(1,2,3,4),((1,2,3,4)),());"
           "#4=COORDINATES_LIST('',4,((0.,0.,0.),(1.,0.,0.),(0.,1.,0.),(1.,1.,0.)));")});
  ASSERT_EQ(tessellated.parts.size(), 1u);
  EXPECT_EQ(tessellated.parts[0].mesh.triangles.size(), 2u);
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
  const Model mesh = prepare(model).mesh;
  ASSERT_EQ(mesh.parts.size(), 2u);
  const Box a = box_of(mesh.parts[0].mesh), b = box_of(mesh.parts[1].mesh);
  // x to y: the gap of the clamp, which faces +x, faces +y in the second.
  EXPECT_NEAR(b.center().x() - 200, -a.center().y(), 1e-6);
  EXPECT_NEAR(b.center().y(), a.center().x(), 1e-6);
}

TEST(Iges, BothFormsOfSurfacesAreTheSameSolid) {
  for (const std::string name : {"pod.iges", "clamp.iges"}) {
    for (const auto& demo : demo::surface_demos()) {
      if (demo.name != name) continue;
      EXPECT_EQ(format_of_content(demo.text), Format::iges);
      const SurfaceModel model = read_iges({"x", demo.text});
      EXPECT_EQ(model.unit, LengthUnit::millimetre);
      EXPECT_FALSE(model.unit_assumed);
      EXPECT_TRUE(model.not_understood.empty());
      EXPECT_EQ(read_model(Source{"x", demo.text}).parts.size(), 1u);
    }
  }
}

TEST(Iges, EveryShortenedFileIsRefusedOrReadInPart) {
  const std::string whole = demo::iges_text(demo::draw_clamp());
  for (std::size_t length = 0; length < whole.size(); length += 401) {
    try {
      static_cast<void>(read_iges({"x", whole.substr(0, length)}));
    } catch (const InputError&) {
    }
  }
  EXPECT_THROW(static_cast<void>(read_iges({"x", "hello"})), InputError);
}

// The same entities in the compressed form of the standard: each directory entry as what changed
// against the one before, its parameters right behind.
std::string compressed_iges(const std::string& fixed) {
  std::vector<std::string> lines;
  std::istringstream in(fixed);
  for (std::string line; std::getline(in, line);) lines.push_back(line);
  std::map<long, std::string> parameters;
  for (const std::string& l : lines) {
    if (l[72] == 'P') parameters[std::stol(l.substr(64, 8))] += l.substr(0, 64);
  }
  std::string out = std::string(72, ' ') + "C      1\n";
  std::vector<std::string> last(20);
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const std::string& l = lines[i];
    if (l[72] == 'S' || l[72] == 'G' || l[72] == 'T') out += l + "\n";
    if (l[72] != 'D') continue;
    const std::string both = l.substr(0, 72) + std::string(8, ' ') + lines[++i].substr(0, 72);
    const long number = std::stol(l.substr(73));
    out += "D" + std::to_string(number);
    for (std::size_t f = 0; f < 19; ++f) {
      std::string value = both.substr(8 * f, 8);
      value.erase(0, std::min(value.find_first_not_of(' '), value.size()));
      if (value == last[f] || f == 9) continue;
      out += "@" + std::to_string(f + 1) + "_" + value;
      last[f] = value;
    }
    out += ";\n" + parameters[number] + "\n";
  }
  return out;
}

TEST(Iges, TheCompressedFormIsTheSame) {
  const std::string fixed = demo::iges_text(demo::draw_clamp());
  const std::string text = compressed_iges(fixed);
  EXPECT_LT(text.size(), fixed.size());
  const Certificate a = certify(prepare(read_surface_model({"a.igs", fixed})).mesh);
  const Certificate b = certify(prepare(read_surface_model({"b.igs", text})).mesh);
  EXPECT_EQ(b.verdict, Verdict::solid);
  EXPECT_DOUBLE_EQ(b.mass.volume, a.mass.volume);
}

struct IgesLine {
  int type = 0;
  std::string parameters;  // after the type
  int form = 0;
  int level = 0;
};
std::string iges(const std::vector<IgesLine>& entities) {
  const auto right = [](const std::string& t, std::size_t n) {
    return std::string(n - std::min(n, t.size()), ' ') + t;
  };
  const auto line = [&](std::string text, char section, std::size_t number) {
    text.resize(72, ' ');
    return text + section + right(std::to_string(number), 7) + "\n";
  };
  std::string directory, data;
  std::size_t rows = 0;
  for (std::size_t i = 0; i < entities.size(); ++i) {
    const IgesLine& e = entities[i];
    std::string text = std::to_string(e.type) + "," + e.parameters + ";";
    const std::size_t first = rows + 1;
    for (std::size_t at = 0; at < text.size(); at += 64) {
      std::string part = text.substr(at, 64);
      part.resize(64, ' ');
      data += line(part + right(std::to_string(2 * i + 1), 8), 'P', ++rows);
    }
    const auto f = [&](long long n) { return right(std::to_string(n), 8); };
    directory += line(f(e.type) + f(static_cast<long long>(first)) + f(0) + f(0) + f(e.level) +
                          f(0) + f(0) + f(0) + "00000000",
                      'D', 2 * i + 1);
    directory += line(f(e.type) + f(0) + f(0) + f(static_cast<long long>(rows + 1 - first)) +
                          f(e.form) + std::string(16, ' ') + right("PLAIN", 8) + f(0),
                      'D', 2 * i + 2);
  }
  return line("made by a test", 'S', 1) +
         line("1H,,1H;,1Hx,1Hx,1Hx,1Hx,32,38,6,308,15,1Hx,1.,2,2HMM,1,0.01,1Hx,1E-6,1.;", 'G', 1) +
         directory + data + line("S1G1D1P1", 'T', 1);
}

// A unit square as a spline surface.
const std::string kSquare =
    "1,1,1,1,0,0,1,0,0,0.,0.,1.,1.,0.,0.,1.,1.,1.,1.,1.,1.,0.,0.,0.,1.,0.,0.,0.,1.,0.,1.,1.,0.,"
    "0.,1.,0.,1.";

TEST(Iges, PropertiesNameFacesAndLevels) {
  const std::string text = iges({{128, kSquare},
                                 {406, "1,5Hhello", 15},
                                 {144, "1,0,0,0,0,1,3", 0, 7},
                                 {406, "2,0,4Hbase", 3, 7},
                                 {144, "1,0,0,0", 0, 8}});
  const SurfaceModel model = read_iges({"x", text});
  ASSERT_EQ(model.bodies.size(), 1u);
  const std::vector<Face>& faces = model.bodies[0].faces;
  ASSERT_EQ(faces.size(), 2u);
  EXPECT_EQ(faces[0].name, "hello");
  EXPECT_EQ(faces[0].layer, "base");
  EXPECT_EQ(faces[1].name, "PLAIN");
  EXPECT_EQ(faces[1].layer, "level 8");
  // A pointer to nowhere costs the name alone.
  const SurfaceModel lost = read_iges({"x", iges({{128, kSquare}, {144, "1,0,0,0,0,1,77"}})});
  ASSERT_EQ(lost.bodies.size(), 1u);
  EXPECT_EQ(lost.bodies[0].faces[0].name, "PLAIN");
}

TEST(Iges, AnEntryThatIsThereTwiceIsReadOnce) {
  std::string text = iges({{128, kSquare}, {144, "1,0,0,0"}});
  // The second entry takes the first one's number, again and again.
  const std::size_t at = text.find("     144");
  std::string entry = text.substr(at, 162);
  entry.replace(73, 7, "      1");
  std::string many;
  for (int i = 0; i < 2000; ++i) many += entry;
  text.insert(at, many);
  EXPECT_NO_THROW(static_cast<void>(read_iges({"x", text})));
}

// ---- Colours and layers.

// The clamp with a colour on the whole, another on its first face, and a layer of each.
std::string coloured_step() {
  std::string text = without_end(clamp());
  const auto number_of = [&](const std::string& type) { return first_of(text, type); };
  const auto styled = [](int n, const std::string& rgb, const std::string& item) {
    const auto id = [&](int k) { return "#" + std::to_string(n + k); };
    return id(0) + "=STYLED_ITEM('',(" + id(1) + ")," + item + ");" + id(1) +
           "=PRESENTATION_STYLE_ASSIGNMENT((" + id(2) + "));" + id(2) +
           "=SURFACE_STYLE_USAGE(.BOTH.," + id(3) + ");" + id(3) + "=SURFACE_SIDE_STYLE('',(" +
           id(4) + "));" + id(4) + "=SURFACE_STYLE_FILL_AREA(" + id(5) + ");" + id(5) +
           "=FILL_AREA_STYLE('',(" + id(6) + "));" + id(6) + "=FILL_AREA_STYLE_COLOUR('',#" +
           std::to_string(n + 7) + ");" + id(7) + "=COLOUR_RGB(''," + rgb + ");\n";
  };
  const std::string solid = number_of("MANIFOLD_SOLID_BREP"), face = number_of("ADVANCED_FACE");
  return text + styled(9000, "1.,0.5,0.", solid) + styled(9100, "0.,0.,1.", face) +
         "#9200=PRESENTATION_LAYER_ASSIGNMENT('steel','',(" + solid + "));" +
         "#9201=PRESENTATION_LAYER_ASSIGNMENT('seat','',(" + face + "));\n" + kEnd;
}

TEST(Colours, OfFacesAndOfTheWholeSurviveToWhatHoldsThem) {
  SurfaceModel surfaces = read_surface_model({"x.step", coloured_step()});
  const std::vector<Face>& faces = surfaces.bodies.at(0).faces;
  std::size_t blue = 0;
  for (const Face& f : faces) {
    ASSERT_TRUE(f.colour.has_value());
    const bool is_blue = *f.colour == Rgb{0, 0, 1};
    blue += is_blue;
    EXPECT_TRUE(is_blue || (*f.colour == Rgb{1, 0.5F, 0}));
    EXPECT_EQ(f.layer, is_blue ? "seat" : "steel");
  }
  EXPECT_EQ(blue, 1u);
  const Model model = prepare(std::move(surfaces)).mesh;
  ASSERT_TRUE(has_colours(model));
  std::size_t triangles = 0;
  for (std::uint32_t t = 0; t < model.parts[0].mesh.triangles.size(); ++t)
    triangles += colour_of(model.parts[0], {t}) == Rgb{0, 0, 1};
  ASSERT_GT(triangles, 0u);
  for (const Format format : {Format::ply, Format::off}) {
    std::string out;
    WriteOptions options;
    options.text = true;
    write_model([&](std::string_view piece) { out += piece; }, model, format, options);
    std::size_t rows = 0;
    for (std::size_t at = out.find(" 0 0 255\n"); at != std::string::npos;
         at = out.find(" 0 0 255\n", at + 1)) {
      ++rows;
    }
    EXPECT_EQ(rows, triangles) << static_cast<int>(format);
    const Certificate again = certify(read_model({"again", out}));
    EXPECT_EQ(again.verdict, Verdict::solid) << static_cast<int>(format);
  }
  for (const Format format : {Format::stl, Format::obj}) {
    const WriteReport report = write_model([](std::string_view) {}, model, format);
    EXPECT_TRUE(std::any_of(report.notes.begin(), report.notes.end(), [](const std::string& n) {
      return n.find("holds no colours") != std::string::npos;
    })) << static_cast<int>(format);
  }
  // Taken as one body, each part keeps its own.
  Model two = model;
  two.parts.push_back(model.parts[0]);
  two.parts[1].patch_colours.clear();
  std::swap(two.parts[0], two.parts[1]);
  const std::size_t n = model.parts[0].mesh.triangles.size();
  const Model one = as_one(two);
  for (std::uint32_t t = 0; t < n; ++t) {
    EXPECT_EQ(colour_of(one.parts[0], {t}), std::nullopt);
    EXPECT_EQ(colour_of(one.parts[0], {static_cast<std::uint32_t>(t + n)}),
              colour_of(model.parts[0], {t}));
  }
}

TEST(Iges, LevelsAndColoursAreRead) {
  // Columns 33 to 40 of the first line of a directory entry hold the level, 17 to 24 of the second
  // the colour.
  std::string text = demo::iges_text(demo::draw_clamp());
  std::size_t set = 0;
  for (std::size_t at = 0; at + 162 <= text.size(); at += 81) {
    if (text[at + 72] != 'D') continue;
    if (text.substr(at, 8) == "     144") {
      text.replace(at + 32, 8, "       7");
      text.replace(at + 81 + 16, 8, "       3");
      ++set;
    }
    at += 81;
  }
  ASSERT_GT(set, 3u);
  const SurfaceModel model = read_surface_model({"x.igs", text});
  std::size_t seen = 0;
  for (const Body& body : model.bodies) {
    for (const Face& f : body.faces) {
      seen += f.layer == "level 7" && f.colour == Rgb{0, 1, 0};
    }
  }
  EXPECT_EQ(seen, set);
}

TEST(SurfaceFormats, AreKnownByContentAndName) {
  EXPECT_EQ(format_of_content(clamp()), Format::step);
  EXPECT_EQ(format_of_content("/* made by hand */ ISO-10303-21;"), Format::step);
  EXPECT_EQ(format_of_name("a.STP"), Format::step);
  EXPECT_EQ(format_of_name("a.igs"), Format::iges);
}

}  // namespace
}  // namespace aguja
