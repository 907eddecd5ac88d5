#include "demo/garza.h"

#include <gtest/gtest.h>

#include "aguja/inspect/inspect.h"
#include "aguja/solid/certificate.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace garza_test {

TEST(Garza, EveryPodIsClosedWithTheVolumeOfItsClosedForm) {
  test::Random random(2);
  for (int i = 0; i < 12; ++i) {
    demo::PodShape shape;
    shape.segments = 8 * static_cast<int>(3 + random.index(20));
    shape.hull_radius = random.between(36, 41);
    shape.wall = random.between(1, 6);
    shape.bolt_radius = random.between(1, 3);
    shape.port_radius = random.between(2, 5.5);
    shape.port_depth = random.between(1, 11);
    SCOPED_TRACE(testing::Message() << i << ": " << shape.segments << " segments");
    const demo::KnownPart pod = demo::make_pod(shape);
    Model model;
    model.parts.push_back(pod.part);
    for (const Finding& f : inspect(model).findings) {
      ADD_FAILURE() << f.id << " " << f.measure << " at " << f.place.transpose() << " " << f.detail;
    }
    const Certificate certificate = certify(model);
    ASSERT_EQ(certificate.shells.size(), pod.shells);
    EXPECT_EQ(certificate.shells[0].shell.genus, 8);
    EXPECT_NEAR(certificate.mass.volume, pod.volume, 1e-10 * pod.volume);
  }
}

TEST(Garza, EveryTriangleIsInANamedPatch) {
  for (const demo::KnownPart& known :
       {demo::make_pod(), demo::make_ballast_ring(), demo::make_lid()}) {
    ASSERT_EQ(known.part.mesh().patch_of.size(), known.part.mesh().triangles.size());
    std::vector<std::size_t> size(known.part.patch_names().size(), 0);
    for (const PatchId p : known.part.mesh().patch_of) ++size.at(p.value);
    for (std::size_t p = 0; p < size.size(); ++p) {
      EXPECT_GT(size[p], 0u) << known.part.patch_names()[p];
    }
  }
}

TEST(Garza, ABoxHasTheVolumeOfItsSides) {
  const Mesh box = demo::make_box({1, 2, 3}, {2, 4, 6});
  EXPECT_DOUBLE_EQ(certify(test::model_of(box)).mass.volume, 6);
}

}  // namespace garza_test
}  // namespace aguja
