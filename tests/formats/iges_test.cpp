// IGES files: what is read of them, and what is told where they are wrong.

#include <map>
#include <sstream>

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/formats/read.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/solid/certificate.h"
#include "demo/surface_models.h"
#include "demo/surface_text.h"
#include "tests/support/exchange_text.h"

namespace aguja {
namespace {

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
  const Certificate a = certify(prepare(read_surface_model({"a.igs", fixed})).mesh);
  const Certificate b = certify(prepare(read_surface_model({"b.igs", text})).mesh);
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

}  // namespace
}  // namespace aguja
