// Faces that say the wrong thing about which way they face.

#include <algorithm>

#include <gtest/gtest.h>

#include "aguja/formats/read_surfaces.h"
#include "aguja/solid/certificate.h"
#include "demo/surface_models.h"
#include "demo/surface_text.h"
#include "tests/support/surface_findings.h"

namespace aguja {
namespace face_sense_test {

using test::surface_findings;

void turn_loops(Face& face) {
  for (FaceLoop& loop : face.loops) {
    std::reverse(loop.edges.begin(), loop.edges.end());
    for (EdgeUseOfFace& use : loop.edges) use.forward = !use.forward;
  }
}

// Rounded faces on tori and spheres among them, of which either side would be a face.
PrepareOptions coarse() {
  PrepareOptions options;
  options.tessellation.chord = 0.5;
  return options;
}

// Prepares the model again and again with one of its faces wrong, by its flag or by its loops.
template <typename Visit>
void for_each_spoilt_face(const SurfaceModel& whole, const Visit& visit) {
  ASSERT_EQ(whole.bodies.size(), 1u);
  const double volume = certify(prepare(whole, coarse())).mass.volume;
  for (std::size_t f = 0; f < whole.bodies[0].faces.size(); ++f) {
    for (const bool by_flag : {true, false}) {
      SCOPED_TRACE(testing::Message() << "face " << f << (by_flag ? ", flag" : ", loops"));
      SurfaceModel spoilt = whole;
      Face& face = spoilt.bodies[0].faces[f];
      if (by_flag) {
        face.same_sense = !face.same_sense;
      } else {
        turn_loops(face);
      }
      const Model p = prepare(spoilt, coarse());
      const Certificate c = certify(p);
      EXPECT_EQ(c.verdict, Verdict::solid);
      EXPECT_NEAR(c.mass.volume, volume, 1e-12 * volume);
      visit(p, f, by_flag);
    }
  }
}

TEST(FaceSense, FlagsThatContradictLoopsAreTurnedAndTold) {
  for (const demo::DrawnBody& drawn : {demo::draw_pod(), demo::draw_clamp()}) {
    const SurfaceModel whole = read_step({"x", demo::step_text(drawn)});
    for_each_spoilt_face(whole, [](const Model& p, std::size_t f, bool) {
      const std::vector<Finding> found = surface_findings(p);
      ASSERT_EQ(found.size(), 1u);
      EXPECT_EQ(found[0].kind, FindingKind::reversed_face);
      EXPECT_EQ(found[0].face, f);
      EXPECT_GT(found[0].measure, 0);
    });
    // A writer whose loops all run the other way.
    SurfaceModel spoilt = whole;
    for (Face& face : spoilt.bodies[0].faces) turn_loops(face);
    EXPECT_DOUBLE_EQ(certify(prepare(spoilt, coarse())).mass.volume,
                     certify(prepare(whole, coarse())).mass.volume);
  }
}

// Loops of trimmed surfaces have no direction, but their surfaces face one way; those of cylinders
// and the like can face no other.
TEST(FaceSense, IgesFacesTurnedAgainstTheirNeighboursAreTold) {
  for (const demo::DrawnBody& drawn : {demo::draw_pod(), demo::draw_clamp()}) {
    const SurfaceModel whole = read_iges({"x", demo::iges_text(drawn)});
    const std::vector<Face>& faces = whole.bodies.at(0).faces;
    for_each_spoilt_face(whole, [&](const Model& p, std::size_t f, bool by_flag) {
      std::size_t told = 0;
      for (const Finding& g : surface_findings(p)) {
        if (g.kind != FindingKind::reversed_face) continue;
        ++told;
        EXPECT_EQ(g.face, f);
      }
      // That of the pod's void is alone among faces that say nothing.
      const bool is_alone = faces.size() == 13 && f == 9;
      const bool tells = faces[f].surface->kind() == SurfaceKind::plane && !is_alone;
      EXPECT_EQ(told, by_flag && tells ? 1u : 0u);
    });
  }
}

}  // namespace face_sense_test
}  // namespace aguja
