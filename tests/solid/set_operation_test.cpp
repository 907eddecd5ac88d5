#include "aguja/solid/set_operation.h"

#include <map>

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "tests/support/crossing_soups.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace set_operation_test {

using test::box_between;
using test::volume_of;

SetOperand operand(const std::string& name, const Mesh& mesh) { return {name, {Part(name, mesh)}}; }

double volume(const std::vector<SetOperand>& operands, SetOperation operation) {
  const SetOperationResult result = combine_solids(operands, operation);
  EXPECT_TRUE(result.part.has_value());
  return result.part ? volume_of(result.part->mesh()) : 0;
}

TEST(SetOperation, VolumesAddUp) {
  const std::vector<SetOperand> ab = {operand("a", test::sphere(16)),
                                      operand("b", test::sphere(14, 0.8, Point(0.6, 0.3, 0.2)))};
  const std::vector<SetOperand> ba = {ab[1], ab[0]};
  const double a = volume_of(ab[0].parts[0].mesh()), b = volume_of(ab[1].parts[0].mesh());
  const double both = volume(ab, SetOperation::intersection);
  EXPECT_NEAR(volume(ab, SetOperation::union_of_all), a + b - both, 1e-12);
  EXPECT_NEAR(volume(ba, SetOperation::union_of_all), a + b - both, 1e-12);
  EXPECT_NEAR(volume(ab, SetOperation::difference), a - both, 1e-12);
  EXPECT_NEAR(volume(ba, SetOperation::difference), b - both, 1e-12);
}

TEST(SetOperation, KeepsPatchesAndSaysWhatFallsApartOrIsGone) {
  Mesh bar = box_between({0, 0, 0}, {9, 1, 1});
  for (std::uint32_t t = 0; t < 12; ++t) bar.patch_of.push_back({t / 2});
  Shape shape;
  shape.mesh = bar;
  shape.patch_names = {"low", "high", "front", "rear", "left", "right"};
  const std::vector<SetOperand> operands = {{"bar", {Part("bar", shape)}},
                                            {"cutters",
                                             {Part("one", box_between({2, -1, -1}, {3, 2, 2})),
                                              Part("two", box_between({5, -1, -1}, {6, 2, 2}))}},
                                            operand("far", box_between({50, 0, 0}, {51, 1, 1}))};
  const SetOperationResult result = combine_solids(operands, SetOperation::difference);
  ASSERT_TRUE(result.part);
  EXPECT_EQ(result.gone, std::vector<std::string>{"far"});
  Model model;
  model.parts = {*result.part};
  const Certificate certificate = certify(model);
  EXPECT_EQ(certificate.verdict, Verdict::solid);
  const std::vector<PieceFacts> pieces = pieces_of(certificate);
  ASSERT_EQ(pieces.size(), 3u);
  double sum = 0;
  for (const PieceFacts& p : pieces) {
    EXPECT_EQ(p.shells, 1u);
    EXPECT_EQ(p.genus, 0);
    sum += p.volume;
  }
  EXPECT_NEAR(sum, 7, 1e-12);
  const Mesh& mesh = result.part->mesh();
  std::map<std::string, double> area;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const Triangle& c = mesh.triangles[t];
    const Vector u = mesh.point(c[1]) - mesh.point(c[0]), v = mesh.point(c[2]) - mesh.point(c[0]);
    const Vector n(u.y() * v.z() - u.z() * v.y(), u.z() * v.x() - u.x() * v.z(),
                   u.x() * v.y() - u.y() * v.x());
    area[result.part->patch_names().at(mesh.patch_of[t].value)] += 0.5 * n.norm();
  }
  EXPECT_NEAR(area["low"], 7, 1e-12);
  EXPECT_NEAR(area["left"], 1, 1e-12);
  EXPECT_NEAR(area["one"], 2, 1e-12);
}

TEST(SetOperation, TellsCavitiesAndNothing) {
  const std::vector<SetOperand> nested = {operand("out", box_between({0, 0, 0}, {4, 4, 4})),
                                          operand("in", box_between({1, 1, 1}, {2, 2, 2}))};
  const SetOperationResult hollow = combine_solids(nested, SetOperation::difference);
  ASSERT_TRUE(hollow.part);
  Model model;
  model.parts = {*hollow.part};
  const auto pieces = pieces_of(certify(model));
  ASSERT_EQ(pieces.size(), 1u);
  EXPECT_EQ(pieces[0].shells, 2u);
  EXPECT_NEAR(pieces[0].volume, 63, 1e-12);
  const std::vector<SetOperand> apart = {operand("a", test::cube()),
                                         operand("b", test::cube(Point(5, 5, 5)))};
  const SetOperationResult nothing = combine_solids(apart, SetOperation::intersection);
  ASSERT_TRUE(nothing.part);
  EXPECT_TRUE(nothing.part->mesh().triangles.empty());
}

TEST(SetOperation, NamesOperandsThatAreNoSolids) {
  Mesh open = test::cube(Point(0.5, 0.5, 0.5));
  open.triangles.resize(11);
  const SetOperand whole = operand("whole", test::cube());
  const auto problem = [&](const Mesh& mesh) {
    const std::vector<SetOperand> operands = {whole, operand("other", mesh)};
    const SetOperationResult result = combine_solids(operands, SetOperation::union_of_all);
    EXPECT_FALSE(result.part);
    EXPECT_TRUE(result.operands[0].problem.empty());
    return result.operands[1].problem;
  };
  EXPECT_EQ(problem(open), "its surface is open");
  EXPECT_EQ(problem(test::turned(test::cube(Point(3, 3, 3)))), "part of its surface faces inward");
  EXPECT_EQ(problem(test::joined(test::cube(Point(3, 3, 3)), test::cube(Point(3.5, 3.5, 3.5)))),
            "it fills the same space more than once");
  EXPECT_THROW(static_cast<void>(combine_solids(std::vector{whole}, SetOperation::union_of_all)),
               ArgumentError);
}

TEST(SetOperation, HasWordsForAll) {
  for (const SetOperation o :
       {SetOperation::union_of_all, SetOperation::difference, SetOperation::intersection}) {
    EXPECT_EQ(parse_set_operation(slug(o)), o);
  }
  EXPECT_FALSE(parse_set_operation("sum"));
}

}  // namespace set_operation_test
}  // namespace aguja
