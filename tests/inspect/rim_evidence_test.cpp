// What rims tell of what is missing between them.

#include "inspect/rim_evidence.h"

#include <gtest/gtest.h>

#include "aguja/formats/read.h"
#include "aguja/inspect/inspect.h"
#include "demo/drawing.h"
#include "demo/surface_text.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace rim_evidence_test {

// A pin on a drum, without its wall: the disc that is left of it is no loose sheet.
TEST(EndsOfWalls, AreTheDiscsThatFitAnotherRim) {
  for (const double length : {0.5, 4.0, 30.0}) {
    SCOPED_TRACE(length);
    const demo::DrawnBody body = demo::turned_profile(
        {{0, 0, 0}, {5, 0, 0}, {5, 3, 0}, {1, 3, 0}, {1, 3 + length, 0}, {0, 3 + length, 0}});
    Model model = read_model(Source{"drum.step", demo::step_text(body)});
    std::uint32_t wall = 0;
    for (std::uint32_t f = 0; f < body.faces.size(); ++f) {
      if (body.faces[f].surface.kind == demo::DrawnSurface::Kind::cylinder &&
          body.faces[f].surface.radius == 1) {
        wall = f;
      }
    }
    test::edit(model, [&](Mesh& mesh) {
      Mesh left = mesh;
      left.triangles.clear();
      left.patch_of.clear();
      for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
        if (mesh.patch_of[t].value == wall) continue;
        left.triangles.push_back(mesh.triangles[t]);
        left.patch_of.push_back(mesh.patch_of[t]);
      }
      mesh = left;
    });
    std::size_t openings = 0;
    for (const Finding& f : inspect(model).findings) {
      EXPECT_NE(f.kind, FindingKind::loose_sheet);
      EXPECT_NE(f.kind, FindingKind::sheet_border);
      if (f.kind != FindingKind::opening) continue;
      ++openings;
      EXPECT_NE(f.detail.find("another rim"), std::string::npos) << f.detail;
    }
    EXPECT_EQ(openings, 2u);
    // A disc of another size that lies aside fits nothing.
    test::edit(model, [&](Mesh& mesh) {
      for (Point& p : mesh.points) {
        if (p.z() > 3 + 0.9 * length) p.head<2>() = 0.6 * p.head<2>() + Eigen::Vector2d(1, 0);
      }
    });
    std::size_t loose = 0;
    for (const Finding& f : inspect(model).findings) loose += f.kind == FindingKind::loose_sheet;
    EXPECT_EQ(loose, 1u);
  }
}

}  // namespace rim_evidence_test
}  // namespace aguja
