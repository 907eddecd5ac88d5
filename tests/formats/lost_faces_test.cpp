// Faces of surface files that cannot be read, or belong to nothing.

#include <regex>

#include <gtest/gtest.h>

#include "aguja/formats/read.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/mend/mend.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/prepare.h"
#include "demo/surface_models.h"
#include "demo/surface_text.h"

namespace aguja {
namespace lost_faces_test {

std::string clamp() { return demo::step_text(demo::draw_clamp()); }

std::string replaced(const std::string& text, const std::string& pattern, const std::string& by) {
  std::string out =
      std::regex_replace(text, std::regex(pattern), by, std::regex_constants::format_first_only);
  EXPECT_NE(out, text) << pattern;
  return out;
}

Model prepared(const std::string& text) { return prepare(read_surface_model({"x.step", text})); }

bool has(const Certificate& c, ReasonKind kind) {
  return std::any_of(c.reasons.begin(), c.reasons.end(),
                     [&](const Reason& r) { return r.kind == kind; });
}

TEST(LostFaces, WhatIsFilledInTheirPlaceIsNoSolid) {
  const Model model = prepared(replaced(clamp(), "=CYLINDRICAL_SURFACE\\(", "=STRANGE_SURFACE("));
  ASSERT_EQ(model.lost.size(), 1u);
  EXPECT_EQ(model.lost[0].part, "clamp");
  ASSERT_EQ(model.lost[0].entities.size(), 1u);
  const Certificate before = certify(model);
  EXPECT_EQ(before.verdict, Verdict::not_solid);
  EXPECT_TRUE(has(before, ReasonKind::lost_faces));

  // Not unasked, and if it is accepted, the verdict says what was done.
  EXPECT_GT(certify(mend(model, {}).model).counts.naked_edges, 0u);
  MendOptions all;
  all.accepted.all = true;
  const MendResult mended = mend(model, all);
  const Certificate after = certify(mended.model);
  EXPECT_EQ(after.counts.naked_edges, 0u);
  EXPECT_EQ(after.verdict, Verdict::not_solid);
  ASSERT_TRUE(has(after, ReasonKind::lost_faces));
  EXPECT_EQ(after.part_verdicts, std::vector(1, Verdict::not_solid));
  const std::string entity = "#" + std::to_string(model.lost[0].entities[0]);
  EXPECT_NE(after.reasons[0].text.find(entity), std::string::npos) << after.reasons[0].text;
  bool told = false;
  for (const LedgerLine& line : mended.ledger) {
    told = told || line.method.find("missing") != std::string::npos;
  }
  EXPECT_TRUE(told);
  // As one body with others it stays so.
  EXPECT_TRUE(has(certify(as_one(mended.model)), ReasonKind::lost_faces));
}

TEST(LostFaces, OfShapesOfWhichNothingIsReadTheVerdictIsUndecided) {
  // A second solid beside the clamp whose shell is none.
  std::string text = replaced(clamp(), "(#[0-9]+)=ADVANCED_BREP_SHAPE_REPRESENTATION\\('',\\(",
                              "#9001=MANIFOLD_SOLID_BREP('torn',#9002);\n"
                              "$1=ADVANCED_BREP_SHAPE_REPRESENTATION('',(#9001,");
  const Certificate c = certify(prepared(text));
  EXPECT_EQ(c.verdict, Verdict::undecided);
  ASSERT_TRUE(has(c, ReasonKind::lost_shapes));
  EXPECT_NE(c.reasons[0].text.find("#9001"), std::string::npos);
  EXPECT_EQ(c.part_verdicts, std::vector(1, Verdict::solid));
}

TEST(LostFaces, FacesInNoShapeAreReadIfThereIsNothingElse) {
  const std::string whole = clamp();
  std::smatch shell;
  ASSERT_TRUE(std::regex_search(whole, shell,
                                std::regex("(#[0-9]+)=CLOSED_SHELL\\('',\\(([#0-9,]+)\\)\\);\n")));
  std::smatch solid;
  ASSERT_TRUE(std::regex_search(whole, solid, std::regex("(#[0-9]+)=MANIFOLD_SOLID_BREP[^\n]*\n")));
  const std::string faces = shell[2];
  std::string bare = whole;
  for (const std::string& line : {shell.str(0), solid.str(0)}) {
    bare.erase(bare.find(line), line.size());
  }
  const std::string item = solid.str(1);
  // No longer among the items of its representation; or its faces are.
  const std::string none = replaced(bare, "," + item + "\\)", ")");
  const std::string listed = replaced(bare, "," + item + "\\)", "," + faces + ")");
  for (const bool is_listed : {false, true}) {
    const Model model = prepared(is_listed ? listed : none);
    ASSERT_EQ(model.parts.size(), 1u);
    const Certificate c = certify(model);
    EXPECT_EQ(c.verdict, Verdict::solid);
    EXPECT_NEAR(c.mass.volume, certify(prepared(whole)).mass.volume, 1e-6);
    EXPECT_EQ(model.notes.empty(), is_listed);
  }
  // Beside a shape they are told.
  const std::string first = faces.substr(0, faces.find(','));
  const Model torn = prepared(replaced(whole, "\\(" + first + ",", "("));
  ASSERT_EQ(torn.notes.size(), 1u);
  EXPECT_NE(torn.notes[0].find("1 face belongs to no shape"), std::string::npos) << torn.notes[0];
}

TEST(LostFaces, OfIges) {
  // The first trimmed surface refers to nothing that is there.
  const std::string text = demo::iges_text(demo::draw_clamp());
  std::size_t at = 0;
  std::string broken = text;
  const std::regex record("144,[0-9]+,");
  std::smatch match;
  ASSERT_TRUE(std::regex_search(text, match, record));
  at = static_cast<std::size_t>(match.position(0));
  broken.replace(at + 4, match.length(0) - 5, std::string(match.length(0) - 5, '9'));
  const Model model = prepare(read_surface_model({"x.igs", broken}));
  ASSERT_EQ(model.lost.size(), 1u);
  const Certificate c = certify(model);
  EXPECT_NE(c.verdict, Verdict::solid);
  EXPECT_TRUE(has(c, ReasonKind::lost_shapes));
}

}  // namespace lost_faces_test
}  // namespace aguja
