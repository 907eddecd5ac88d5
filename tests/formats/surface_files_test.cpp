// Colours and layers of surface files, and how the formats are known.

#include <gtest/gtest.h>

#include "aguja/formats/read.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/formats/write.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/prepare.h"
#include "demo/surface_models.h"
#include "demo/surface_text.h"
#include "tests/support/exchange_text.h"

namespace aguja {
namespace surface_files_test {

using namespace test;

std::string clamp() { return demo::step_text(demo::draw_clamp()); }

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
  const Model model = prepare(std::move(surfaces));
  ASSERT_TRUE(has_colours(model));
  std::size_t triangles = 0;
  for (std::uint32_t t = 0; t < model.parts[0].mesh().triangles.size(); ++t)
    triangles += colour_of(model.parts[0].placed(), {t}) == Rgb{0, 0, 1};
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
  PartDraft plain(two.parts[1]);
  plain.patch_colours.clear();
  two.parts[1] = std::move(plain);
  std::swap(two.parts[0], two.parts[1]);
  const std::size_t n = model.parts[0].mesh().triangles.size();
  const Model one = as_one(two);
  for (std::uint32_t t = 0; t < n; ++t) {
    EXPECT_EQ(colour_of(one.parts[0].placed(), {t}), std::nullopt);
    EXPECT_EQ(colour_of(one.parts[0].placed(), {static_cast<std::uint32_t>(t + n)}),
              colour_of(model.parts[0].placed(), {t}));
  }
}

TEST(Colours, NamedOnesAndThoseOfFacesNotOfEdges) {
  std::string text = without_end(clamp());
  const std::string solid = first_of(text, "MANIFOLD_SOLID_BREP");
  text +=
      "#9000=STYLED_ITEM('',(#9001)," + solid +
      ");#9001=PRESENTATION_STYLE_ASSIGNMENT((#9002,#9010));#9002=CURVE_STYLE('',$,$,#9003);#9003="
      "COLOUR_RGB('',0.,0.,0.);#9010=SURFACE_STYLE_USAGE(.BOTH.,#9011);#9011=SURFACE_SIDE_STYLE('',"
      "(#9012));#9012=SURFACE_STYLE_FILL_AREA(#9013);#9013=FILL_AREA_STYLE('',(#9014));#9014=FILL_"
      "AREA_STYLE_COLOUR('',#9015);#9015=DRAUGHTING_PRE_DEFINED_COLOUR('cyan');" +
      kEnd;
  const SurfaceModel model = read_surface_model({"x.step", text});
  for (const Face& face : model.bodies.at(0).faces) EXPECT_EQ(face.colour, (Rgb{0, 1, 1}));
}

TEST(Groups, FacesAreMembersByThemselvesOrByTheirSolid) {
  std::string text = without_end(clamp());
  const std::string solid = first_of(text, "MANIFOLD_SOLID_BREP"),
                    face = first_of(text, "ADVANCED_FACE");
  text += "#9000=GROUP('steel','');#9001=APPLIED_GROUP_ASSIGNMENT(#9000,(" + solid +
          "));#9002=GROUP('seats','');#9003=APPLIED_GROUP_ASSIGNMENT(#9002,(" + face + "));" + kEnd;
  const SurfaceModel model = read_surface_model({"x.step", text});
  std::size_t seats = 0;
  for (const Face& f : model.bodies.at(0).faces) {
    ASSERT_FALSE(f.groups.empty());
    EXPECT_EQ(f.groups.back(), "steel");
    seats += f.groups.size() == 2 && f.groups[0] == "seats";
  }
  EXPECT_EQ(seats, 1u);
}

TEST(SurfaceFormats, AreKnownByContentAndName) {
  EXPECT_EQ(format_of_content(clamp()), Format::step);
  EXPECT_EQ(format_of_content("/* made by hand */ ISO-10303-21;"), Format::step);
  EXPECT_EQ(format_of_name("a.STP"), Format::step);
  EXPECT_EQ(format_of_name("a.igs"), Format::iges);
}

}  // namespace surface_files_test
}  // namespace aguja
