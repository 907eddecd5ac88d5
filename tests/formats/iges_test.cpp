// IGES files: what is read of them, and what is told where they are wrong.

#include <map>
#include <sstream>

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/formats/read.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/prepare.h"
#include "demo/surface_models.h"
#include "demo/surface_text.h"
#include "tests/support/exchange_text.h"
#include "tests/support/surface_findings.h"

namespace aguja {
namespace iges_test {

using namespace test;

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
  const Certificate a = certify(prepare(read_surface_model({"a.igs", fixed})));
  const Certificate b = certify(prepare(read_surface_model({"b.igs", text})));
  EXPECT_EQ(b.verdict, Verdict::solid);
  EXPECT_DOUBLE_EQ(b.mass.volume, a.mass.volume);
}

// A unit square as a spline surface.
const std::string kSquare =
    "1,1,1,1,0,0,1,0,0,0.,0.,1.,1.,0.,0.,1.,1.,1.,1.,1.,1.,0.,0.,0.,1.,0.,0.,0.,1.,0.,1.,1.,0.,"
    "0.,1.,0.,1.";

TEST(Iges, PropertiesNameFacesAndLevels) {
  const std::string text = iges_file({{128, kSquare},
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
  const SurfaceModel lost = read_iges({"x", iges_file({{128, kSquare}, {144, "1,0,0,0,0,1,77"}})});
  ASSERT_EQ(lost.bodies.size(), 1u);
  EXPECT_EQ(lost.bodies[0].faces[0].name, "PLAIN");
}

TEST(Iges, AnEntryThatIsThereTwiceIsReadOnce) {
  std::string text = iges_file({{128, kSquare}, {144, "1,0,0,0"}});
  // The second entry takes the first one's number, again and again.
  const std::size_t at = text.find("     144");
  std::string entry = text.substr(at, 162);
  entry.replace(73, 7, "      1");
  std::string many;
  for (int i = 0; i < 2000; ++i) many += entry;
  text.insert(at, many);
  EXPECT_NO_THROW(static_cast<void>(read_iges({"x", text})));
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

TEST(Iges, GroupsNameWhatIsInThem) {
  // A named group of one face, in a named group with another.
  const SurfaceModel model = read_iges({"x", iges_file({{128, kSquare},
                                                        {144, "1,0,0,0"},
                                                        {144, "1,0,0,0"},
                                                        {406, "1,5Hinner", 15},
                                                        {406, "1,5Houter", 15},
                                                        {402, "1,3,0,1,7", 7},
                                                        {402, "2,11,5,0,1,9", 7}})});
  const std::vector<Face>& faces = model.bodies.at(0).faces;
  ASSERT_EQ(faces.size(), 2u);
  EXPECT_EQ(faces[0].groups, (std::vector<std::string>{"inner", "outer"}));
  EXPECT_EQ(faces[1].groups, (std::vector<std::string>{"outer"}));
}

TEST(Iges, WhatIsNotShownOrBoundsNothingIsTold) {
  const SurfaceModel model = read_iges({"x", iges_file({{128, kSquare},
                                                        {144, "1,0,0,0"},
                                                        {144, "1,0,0,0", 0, 0, 0, "01000000"},
                                                        {110, "0.,0.,0.,1.,0.,0."},
                                                        {110, "0.,0.,0.,1.,1.,0."}})});
  EXPECT_EQ(model.bodies.at(0).faces.size(), 1u);
  ASSERT_EQ(model.notes.size(), 2u);
  EXPECT_EQ(model.notes[0], "1 shapes that the file says are not to be shown: left out");
  EXPECT_EQ(model.notes[1], "2 curves that bound no face: left out");
}

TEST(Iges, TrimmedSurfacesMayBeMoved) {
  const SurfaceModel model =
      read_iges({"x", iges_file({{128, kSquare},
                                 {124, "0.,0.,1.,5.,1.,0.,0.,6.,0.,1.,0.,7."},
                                 {144, "1,0,0,0", 0, 0, 3}})});
  const Body& body = model.bodies.at(0);
  ASSERT_EQ(body.faces.size(), 1u);
  EXPECT_EQ(body.faces[0].surface->point(1, 0), Point(5, 7, 7));
  Box box;
  for (const BodyVertex& v : body.vertices) box.extend(v.point);
  EXPECT_EQ(box.low, Point(5, 6, 7));
  EXPECT_EQ(box.high, Point(5, 7, 8));
}

TEST(Iges, DelimitersAreThoseThatTheFileNames) {
  const std::string plain = iges_file({{128, kSquare}, {144, "1,0,0,0"}});
  std::string other = iges_file({{128, kSquare}, {144, "1,0,0,0"}},
                                "1H/,1H#,1Hx,1Hx,1Hx,1Hx,32,38,6,308,15,1Hx,1.,2,2HMM,1,0.01,1Hx,"
                                "1E-6,1.;");
  for (std::size_t at = 0; at + 81 <= other.size(); at += 81) {
    if (other[at + 72] != 'G' && other[at + 72] != 'P') continue;
    for (std::size_t i = at; i < at + 64; ++i) {
      if (other[i] == ',') other[i] = '/';
      if (other[i] == ';') other[i] = '#';
    }
    if (other[at + 72] == 'G') {
      for (std::size_t i = at + 64; i < at + 72; ++i) {
        if (other[i] == ',') other[i] = '/';
        if (other[i] == ';') other[i] = '#';
      }
    }
  }
  for (const std::string& text : {plain, other}) {
    const SurfaceModel model = read_iges({"x", text});
    ASSERT_EQ(model.bodies.size(), 1u);
    EXPECT_EQ(model.bodies[0].faces[0].surface->point(1, 1), Point(1, 1, 0));
    EXPECT_EQ(model.unit, LengthUnit::millimetre);
    EXPECT_FALSE(model.unit_assumed);
  }
}

TEST(Iges, LinesWithoutTheNumberOfTheirEntryAreFoundByIt) {
  std::string text = iges_file({{128, kSquare}, {144, "1,0,0,0"}});
  for (std::size_t at = 0; at + 81 <= text.size(); at += 81) {
    if (text[at + 72] == 'P') text.replace(at + 64, 8, "        ");
  }
  const SurfaceModel model = read_iges({"x", text});
  ASSERT_EQ(model.bodies.size(), 1u);
  EXPECT_EQ(model.bodies[0].faces[0].surface->point(1, 1), Point(1, 1, 0));
}

TEST(Iges, SubfiguresThatDoubleEnd) {
  std::vector<IgesLine> all = {{128, kSquare}, {144, "1,0,0,0", 0, 0, 0, "00010000"}};
  // 308 of two 408 of the 308 before, 50 times.
  std::string inside = "3";
  std::size_t count = 1;
  for (int level = 0; level < 50; ++level) {
    all.push_back({308, "0,1Hx," + std::to_string(count) + "," + inside});
    const std::string own = std::to_string(2 * all.size() - 1);
    for (int k = 0; k < 2; ++k) {
      all.push_back({408, own + ",0.,0.,0.,1.", 0, 0, 0, level < 49 ? "00010000" : "00000000"});
    }
    inside = std::to_string(2 * all.size() - 3) + "," + std::to_string(2 * all.size() - 1);
    count = 2;
  }
  const SurfaceModel model = read_iges({"x", iges_file(all)});
  EXPECT_LE(model.instances.size(), 200000u);
  EXPECT_FALSE(model.not_understood.empty());
}

// The boundary is given in the parameters of a cylinder alone: degrees round it, lengths along.
TEST(Iges, BoundariesInParametersAloneAreWhereTheStandardHasThem) {
  const SurfaceModel model = read_iges(
      {"x", iges_file({{116, "0.,0.,0."},
                       {123, "0.,0.,1."},
                       {123, "1.,0.,0."},
                       {192, "1,3,2.,5", 1, 0, 0, "00010000"},
                       {106, "1,5,0.,0.,0.,90.,0.,90.,5.,0.,5.,0.,0.", 63, 0, 0, "00010000"},
                       {142, "1,7,9,0,1", 0, 0, 0, "00010000"},
                       {144, "7,1,0,11"}})});
  ASSERT_EQ(model.bodies.size(), 1u) << (model.notes.empty() ? "" : model.notes[0]);
  const Mesh mesh = prepare(model).parts.at(0).mesh();
  const Box box = box_of(mesh);
  EXPECT_NEAR(box.low.x(), 0, 1e-9);
  EXPECT_NEAR(box.high.x(), 2, 1e-9);
  EXPECT_NEAR(box.low.y(), 0, 1e-9);
  EXPECT_NEAR(box.high.y(), 2, 1e-9);
  EXPECT_NEAR(box.high.z(), 5, 1e-9);
}

// By how much they are open in space; the ends of one curve, and pieces of a composite.
TEST(Iges, BoundariesThatAreOpenInParametersAreTold) {
  for (const double gap : {0.0, 0.002, 0.02, 0.5}) {
    for (const bool pieces : {false, true}) {
      SCOPED_TRACE(testing::Message() << gap << (pieces ? " in pieces" : ""));
      const std::string end = std::to_string(gap);
      std::vector<IgesLine> all = {{116, "0.,0.,0."},
                                   {123, "0.,0.,1."},
                                   {123, "1.,0.,0."},
                                   {192, "1,3,2.,5", 1, 0, 0, "00010000"}};
      if (pieces) {
        all.push_back({110, "0.,0.,0.,90.,0.,0.", 0, 0, 0, "00010000"});
        all.push_back({110, "90.,0.,0.,90.,5.,0.", 0, 0, 0, "00010000"});
        all.push_back({110, "90.,5.,0.,0.,5.,0.", 0, 0, 0, "00010000"});
        all.push_back({110, "0.,5.,0.,0.," + end + ",0.", 0, 0, 0, "00010000"});
        all.push_back({102, "4,9,11,13,15", 0, 0, 0, "00010000"});
        all.push_back({142, "1,7,17,0,1", 0, 0, 0, "00010000"});
        all.push_back({144, "7,1,0,19"});
      } else {
        all.push_back({106, "1,5,0.,0.,0.,90.,0.,90.,5.,0.,5.,0.," + end, 11, 0, 0, "00010000"});
        all.push_back({142, "1,7,9,0,1", 0, 0, 0, "00010000"});
        all.push_back({144, "7,1,0,11"});
      }
      const Model p = prepare(read_iges({"x", iges_file(all)}));
      const std::vector<Finding> found = surface_findings(p);
      ASSERT_EQ(found.size(), gap > 0 ? 1u : 0u);
      EXPECT_EQ(p.parts.size(), 1u);
      if (gap == 0) continue;
      // What is less than a thousandth of the edges beside it is an end that is off.
      EXPECT_EQ(found[0].kind,
                pieces && gap < 0.005 ? FindingKind::vertex_off_edge : FindingKind::open_loop);
      EXPECT_NEAR(found[0].measure, gap, 1e-9);
    }
  }
}

// A box as 186 with all that it is made of, appended to `all`; the number of its shell's entry, and
// of its own. `turned`: surfaces face inward, and faces say so.
struct Numbers {
  std::size_t shell, solid;
};
Numbers add_box(std::vector<IgesLine>& all, const Point& low, const Point& high, bool turned,
                const std::string& voids = "0") {
  const auto add = [&](int type, const std::string& text, int form = 0) {
    all.push_back({type, text, form, 0, 0, type == 186 ? "00000000" : "00010000"});
    return 2 * all.size() - 1;
  };
  const auto text_of = [](const Point& p) {
    return std::to_string(p.x()) + "," + std::to_string(p.y()) + "," + std::to_string(p.z());
  };
  const auto corner = [&](int i) {
    return Point((i & 1) != 0 ? high.x() : low.x(), (i & 2) != 0 ? high.y() : low.y(),
                 (i & 4) != 0 ? high.z() : low.z());
  };
  std::string list = "8";
  for (int i = 0; i < 8; ++i) list += "," + text_of(corner(i));
  const std::size_t vertices = add(502, list, 1);
  std::map<std::pair<int, int>, int> number;  // of edges, from 1
  list = "12";
  for (int i = 0; i < 8; ++i) {
    for (const int bit : {1, 2, 4}) {
      if ((i & bit) != 0) continue;
      const std::size_t line = add(110, text_of(corner(i)) + "," + text_of(corner(i | bit)));
      number[{i, i | bit}] = static_cast<int>(number.size()) + 1;
      const std::string v = "," + std::to_string(vertices) + ",";
      list += "," + std::to_string(line) + v + std::to_string(i + 1) + v +
              std::to_string((i | bit) + 1);
    }
  }
  const std::size_t edges = add(504, list, 1);
  std::string faces;
  for (int axis = 0; axis < 3; ++axis) {
    for (const int side : {0, 1}) {
      const int a = 1 << ((axis + 1) % 3), b = 1 << ((axis + 2) % 3), base = side << axis;
      std::vector<int> loop = {base, base | a, base | a | b, base | b};
      // Against the normal of the surface, which is turned or not.
      Vector normal = Vector::Zero();
      normal[axis] = (side == 1) != turned ? 1 : -1;
      if (normal[axis] < 0) std::reverse(loop.begin(), loop.end());
      std::string edge_list = "4";
      for (std::size_t k = 0; k < 4; ++k) {
        const int p = loop[k], q = loop[(k + 1) % 4];
        edge_list += ",0," + std::to_string(edges) + "," +
                     std::to_string(number.at(std::minmax(p, q))) + (p < q ? ",1,0" : ",0,0");
      }
      const std::size_t origin = add(116, text_of(corner(base))), z = add(123, text_of(normal)),
                        plane = add(190, std::to_string(origin) + "," + std::to_string(z)),
                        own = add(508, edge_list, 1),
                        face = add(510, std::to_string(plane) + ",1,1," + std::to_string(own), 1);
      faces += "," + std::to_string(face) + (turned ? ",0" : ",1");
    }
  }
  const std::size_t shell = add(514, "6" + faces, 1);
  return {shell, add(186, std::to_string(shell) + ",1," + voids)};
}

TEST(Iges, SolidsWithAllThatTheyAreMadeOf) {
  for (const bool turned : {false, true}) {
    std::vector<IgesLine> all;
    add_box(all, Point(0, 0, 0), Point(1, 2, 3), turned);
    const SurfaceModel model = read_iges({"x", iges_file(all)});
    ASSERT_EQ(model.bodies.size(), 1u);
    EXPECT_TRUE(model.not_understood.empty());
    EXPECT_EQ(model.bodies[0].vertices.size(), 8u);
    EXPECT_EQ(model.bodies[0].edges.size(), 12u);
    const Certificate c = certify(prepare(model));
    EXPECT_EQ(c.verdict, Verdict::solid) << turned;
    EXPECT_DOUBLE_EQ(c.mass.volume, 6) << turned;
  }
}

TEST(Iges, SolidsWithVoids) {
  std::vector<IgesLine> all;
  const std::size_t inner = add_box(all, Point(1, 1, 1), Point(2, 2, 2), false).shell;
  all.pop_back();
  // The void's shell is used against its own sense.
  add_box(all, Point(0, 0, 0), Point(3, 3, 3), false, "1," + std::to_string(inner) + ",0");
  const SurfaceModel model = read_iges({"x", iges_file(all)});
  ASSERT_EQ(model.bodies.size(), 1u);
  EXPECT_EQ(model.bodies[0].shells.size(), 2u);
  const Certificate c = certify(prepare(model));
  EXPECT_EQ(c.verdict, Verdict::solid);
  EXPECT_DOUBLE_EQ(c.mass.volume, 26);
}

TEST(Iges, SolidsArePlacedAgain) {
  std::vector<IgesLine> all;
  const std::size_t solid = add_box(all, Point(0, 0, 0), Point(1, 1, 1), false).solid;
  all.back().status = "00010000";
  all.push_back({124, "1.,0.,0.,10.,0.,1.,0.,0.,0.,0.,1.,0."});
  const std::size_t moved = 2 * all.size() - 1;
  // By itself along x, and as two of an assembly, one of them along x.
  all.push_back({430, std::to_string(solid), 1, 0, static_cast<int>(moved)});
  all.push_back({184, "2," + std::to_string(solid) + "," + std::to_string(solid) + ",0," +
                          std::to_string(moved)});
  const SurfaceModel model = read_iges({"x", iges_file(all)});
  ASSERT_EQ(model.instances.size(), 3u);
  std::vector<double> at;
  for (const Part& part : prepare(model).parts) at.push_back(box_of(part.mesh()).low.x());
  std::sort(at.begin(), at.end());
  EXPECT_EQ(at, (std::vector<double>{0, 10, 10}));
}

}  // namespace iges_test
}  // namespace aguja
