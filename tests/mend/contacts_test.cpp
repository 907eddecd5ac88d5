#include "aguja/mend/contacts.h"

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/mend/resolve.h"
#include "aguja/mesh/components.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/material_boundary.h"
#include "aguja/solid/measure.h"
#include "tests/support/crossing_soups.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace contacts_test {

using test::box_between;
using test::is_solid;
using test::joined;
using test::Random;
using test::volume_of;

std::size_t shells_of(const Mesh& mesh) { return certify(test::model_of(mesh)).shells.size(); }

// Bodies as one, with one vertex where they meet.
Mesh meeting(const Mesh& a, const Mesh& b) {
  const Mesh all = joined(a, b);
  const DividedSpace space(all);
  return boundary_of(space, is_in_union).mesh;
}

TEST(Contacts, BoxesAtAnEdgeArePartedOrJoined) {
  for (const Point& low : {Point(1, 1, 0), Point(1, 1, 0.25), Point(1, 1, -0.25)}) {
    for (const std::uint64_t seed : {0U, 1U, 2U, 3U}) {
      const Mesh mesh = meeting(box_between({0, 0, 0}, {1, 1, 1}, seed),
                                box_between(low, low + Point(2, 2, 0.5), seed / 2));
      ASSERT_FALSE(is_solid(mesh));
      ASSERT_EQ(find_contacts(mesh).size(), 1u);
      const double budget = 1e-3;
      const Change parted = undo_contacts(mesh, {ContactAs::parted}, {budget});
      EXPECT_TRUE(parted.refused.empty());
      EXPECT_TRUE(is_solid(parted.mesh));
      EXPECT_EQ(shells_of(parted.mesh), 2u);
      EXPECT_LT(volume_of(parted.mesh), volume_of(mesh));
      EXPECT_NEAR(volume_of(parted.mesh), volume_of(mesh), 20 * budget);
      const Change grown = undo_contacts(mesh, {ContactAs::joined}, {budget});
      EXPECT_TRUE(grown.refused.empty());
      EXPECT_TRUE(is_solid(grown.mesh));
      EXPECT_EQ(shells_of(grown.mesh), 1u);
      EXPECT_GT(volume_of(grown.mesh), volume_of(mesh));
      for (const Change* change : {&parted, &grown}) {
        ASSERT_EQ(change->parent.size(), change->mesh.triangles.size());
        double most = 0;
        for (const double s : change->spent) most = std::max(most, s);
        EXPECT_GT(most, 0.5 * budget);
        EXPECT_LE(most, budget);
      }
    }
  }
}

TEST(Contacts, BoxesAtAPointAreParted) {
  const Mesh mesh = meeting(box_between({0, 0, 0}, {1, 1, 1}), box_between({1, 1, 1}, {2, 2, 2}));
  const Change parted = undo_contacts(mesh, {ContactAs::parted, true}, {1e-3});
  EXPECT_TRUE(is_solid(parted.mesh));
  EXPECT_EQ(shells_of(parted.mesh), 2u);
  for (const Point& p : parted.mesh.points) EXPECT_EQ(p, rounded_to_float(p));
  const Change left = undo_contacts(mesh, {ContactAs::joined}, {1e-3});
  EXPECT_EQ(left.done, 0u);
  ASSERT_EQ(left.refused.size(), 1u);
  EXPECT_EQ(left.refused[0].place, Point(1, 1, 1));
  // Nothing may move.
  const Change tight = undo_contacts(mesh, {ContactAs::parted}, {0});
  ASSERT_EQ(tight.refused.size(), 1u);
  EXPECT_EQ(tight.refused[0].reason, RefusalReason::beyond_budget);
  EXPECT_EQ(test::facets(tight.mesh), test::facets(mesh));
}

// Boxes of a checkerboard in space: many contacts that hang together, also of a body with itself.
TEST(Contacts, CheckerboardsOfAllKinds) {
  std::size_t parted = 0, grown = 0;
  for (std::uint64_t seed = 0; seed < 40; ++seed) {
    SCOPED_TRACE(seed);
    Random random(seed);
    Mesh all;
    for (int x = 0; x < 3; ++x) {
      for (int y = 0; y < 3; ++y) {
        for (int z = 0; z < 2; ++z) {
          if (random.chance(0.5)) continue;
          all = joined(all, box_between(Point(x, y, z), Point(x + 1, y + 1, z + 1), random.bits()));
        }
      }
    }
    const DividedSpace space(all);
    const Mesh mesh = boundary_of(space, is_in_union).mesh;
    const bool has_contacts = !find_contacts(mesh).empty();
    EXPECT_EQ(has_contacts, !is_solid(mesh) && !mesh.triangles.empty());
    for (const ContactAs how : {ContactAs::parted, ContactAs::joined}) {
      const Change change = undo_contacts(mesh, {how}, {0.01});
      EXPECT_TRUE(find_crossings(Welded(change.mesh)).empty());
      EXPECT_NEAR(volume_of(change.mesh), volume_of(mesh), 0.01 * 6 * 18);
      if (!has_contacts) {
        EXPECT_EQ(change.done, 0u);
        continue;
      }
      if (change.refused.empty()) {
        EXPECT_TRUE(is_solid(change.mesh));
        ++(how == ContactAs::parted ? parted : grown);
      } else {
        EXPECT_FALSE(is_solid(change.mesh));
      }
    }
  }
  EXPECT_GT(parted, 30u);
  EXPECT_GT(grown, 10u);
}

TEST(Contacts, ResolveAsksOrDoesAsItIsTold) {
  const Mesh edge = with_distinct_points(
      joined(box_between({0, 0, 0}, {2, 2, 2}), box_between({2, 2, 0}, {4, 4, 2})));
  // Both cross something else, too.
  const Mesh crossing = with_distinct_points(joined(edge, box_between({-1, 1, 1}, {1, 3, 3})));
  ResolveOptions asks;
  asks.asks_contact = true;
  const Change question = resolve(edge, asks, {1e-3});
  ASSERT_EQ(question.refused.size(), 1u);
  EXPECT_NE(question.refused[0].detail.find("contact = part"), std::string::npos);
  ResolveOptions part;
  part.contact = ContactAs::parted;
  const Change parted = resolve(crossing, part, {1e-3});
  EXPECT_TRUE(parted.refused.empty());
  EXPECT_TRUE(is_solid(parted.mesh));
  EXPECT_EQ(shells_of(parted.mesh), 2u);
  ASSERT_EQ(parted.parent.size(), parted.mesh.triangles.size());
  for (const TriangleId p : parted.parent) EXPECT_LT(p.value, crossing.triangles.size());
  part.contact = ContactAs::joined;
  EXPECT_EQ(shells_of(resolve(crossing, part, {1e-3}).mesh), 1u);
}

// A flap has no other side: what it hangs on is left, and said.
TEST(Contacts, FlapsAreNoContacts) {
  Mesh mesh = box_between({0, 0, 0}, {2, 2, 2});
  mesh.points.push_back({5, 5, 5});
  const Triangle& t = mesh.triangles[0];
  mesh.triangles.push_back(
      {{t[0], t[1], VertexId{static_cast<std::uint32_t>(mesh.points.size() - 1)}}});
  const Change change = undo_contacts(mesh, {ContactAs::parted}, {1e-3});
  EXPECT_EQ(change.done, 0u);
  ASSERT_EQ(change.refused.size(), 1u);
  EXPECT_EQ(test::facets(change.mesh), test::facets(mesh));
}

}  // namespace contacts_test
}  // namespace aguja
