// A flat cap goes in unasked only where nothing speaks for another shape.

#include <cmath>

#include <gtest/gtest.h>
#include <Eigen/Geometry>

#include "aguja/mend/mend.h"
#include "aguja/solid/certificate.h"
#include "tests/support/random_mesh.h"
#include "tests/support/shapes.h"

namespace aguja {
namespace cap_evidence_test {

using test::model_of;
using test::without;

struct Case {
  std::string name;
  Mesh mesh;
  double volume;                 // of what is meant
  std::string said;              // why it is not done unasked; empty: it is
  std::vector<std::string> how;  // under `all`
};

Mesh without_corner(const Mesh& whole, const Point& corner) {
  Mesh mesh = whole;
  erase_if(mesh.triangles, [&](const Triangle& t) {
    return whole.point(t[0]) == corner || whole.point(t[1]) == corner ||
           whole.point(t[2]) == corner;
  });
  return mesh;
}

// The square mouths of a bore through a plate, without its wall.
Mesh bored_plate() {
  return without(test::grid_box(6, {6, 6, 1}), [](const Point& p) {
    const bool in = p.x() > 2 && p.x() < 4 && p.y() > 2 && p.y() < 4;
    return in && (p.z() < 1e-9 || p.z() > 1 - 1e-9);
  });
}

std::vector<Case> cases() {
  const Mesh box = test::grid_box(4, {1, 1, 1});
  const Mesh tube = test::cylinder(32, 10, 1, 10);
  const double around = 16 * std::sin(2 * 3.14159265358979323846 / 32);
  const auto at_end = [](const Point& p) { return p.z() < 1e-9 || p.z() > 10 - 1e-9; };
  return {
      {"a bore without its wall", bored_plate(), 32, "another rim fits it", {"ruled"}},
      {"two ends without what is between",
       without(tube, [](const Point& p) { return p.z() > 2 && p.z() < 8; }),
       10 * around,
       "another rim fits it",
       {"ruled"}},
      {"a tube open at both ends", without(tube, at_end), 10 * around, "inlets", {"flat", "flat"}},
      {"a box without its lid",
       without(box, [](const Point& p) { return p.z() > 1 - 1e-9; }),
       1,
       "",
       {"flat"}},
      {"a box without a corner", without_corner(box, {1, 1, 1}), 1, "decision", {"extend"}},
      {"a hole in a flat face",
       without(box,
               [](const Point& p) {
                 return p.z() > 1 - 1e-9 && (p.head<2>().array() - 0.5).abs().maxCoeff() < 0.25;
               }),
       1,
       "in the face around it",
       {"flat"}},
      {"a lost triangle in a flat face",
       without(box,
               [](const Point& p) {
                 return p.z() > 1 - 1e-9 && (p - Point(0.3, 0.4, 1)).norm() < 0.06;
               }),
       1,
       "",
       {"flat"}},
  };
}

TEST(CapEvidence, SaysWhyACapIsNotPutInUnasked) {
  for (const Case& c : cases()) {
    SCOPED_TRACE(c.name);
    ASSERT_GT(test::naked_edges(c.mesh), 0u);
    const MendResult unasked = mend(model_of(c.mesh));
    EXPECT_EQ(test::is_solid(unasked.model.parts[0].mesh()), c.said.empty());
    bool is_said = c.said.empty();
    for (const Step& step : unasked.proposed) {
      is_said = is_said || step.why.find(c.said) != std::string::npos;
    }
    EXPECT_TRUE(is_said);
    // What the rims alone tell stands in the finding, too.
    const bool by_rims = !c.said.empty() && c.said != "decision" && c.said != "corner";
    bool is_in_finding = !by_rims;
    for (const Finding& f : inspect(model_of(c.mesh)).findings) {
      is_in_finding = is_in_finding || f.detail.find(c.said) != std::string::npos;
      if (!by_rims && f.kind == FindingKind::opening) {
        EXPECT_EQ(f.detail, "closed loop");
      }
    }
    EXPECT_TRUE(is_in_finding);
    MendOptions options;
    options.accepted.all = true;
    const MendResult result = mend(model_of(c.mesh), options);
    EXPECT_TRUE(test::is_solid(result.model.parts[0].mesh()));
    EXPECT_NEAR(test::volume_of(result.model.parts[0].mesh()), c.volume, 1e-9 * c.volume);
    std::vector<std::string> how;
    for (const LedgerLine& line : result.ledger) {
      if (line.remedy == remedies::fill)
        how.push_back(line.method.substr(0, line.method.find(':')));
    }
    EXPECT_EQ(how, c.how);
  }
}

TEST(CapEvidence, DoesNotDependOnPlaceTurnOrOrder) {
  test::Random random(4);
  for (const Case& c : cases()) {
    SCOPED_TRACE(c.name);
    for (int i = 0; i < 10; ++i) {
      Mesh mesh = c.mesh;
      const Eigen::AngleAxisd turn(random.between(0, 3), Vector(1, random.unit(), 2).normalized());
      const Vector shift(random.between(-50, 50), random.between(-50, 50), 7);
      for (Point& p : mesh.points) p = turn * p + shift;
      std::shuffle(mesh.triangles.begin(), mesh.triangles.end(), random.engine());
      MendOptions options;
      options.tolerance = 1e-9;
      const MendResult unasked = mend(model_of(mesh), options);
      EXPECT_EQ(test::is_solid(unasked.model.parts[0].mesh()), c.said.empty());
    }
  }
}

TEST(CapEvidence, EachBoreOfManyIsBridgedWithItsOwnMouth) {
  // Deep ones beside each other: each mouth sees several within ten degrees.
  const double depth = 40;
  const Mesh plate = without(test::grid_box(12, {12, 12, depth}), [&](const Point& p) {
    const auto in = [](double x) { return std::fmod(x, 4) > 1 && std::fmod(x, 4) < 3; };
    return (p.z() < 1e-9 || p.z() > depth - 1e-9) && in(p.x()) && in(p.y());
  });
  MendOptions options;
  options.accepted.all = true;
  const MendResult result = mend(model_of(plate), options);
  EXPECT_TRUE(test::is_solid(result.model.parts[0].mesh()));
  EXPECT_NEAR(test::volume_of(result.model.parts[0].mesh()), (144 - 9 * 4) * depth, 1e-6);
}

TEST(CapEvidence, RimsOfDifferentSizeAreNotBridged) {
  // A bore that is a step: its mouths differ.
  Mesh mesh = without(test::grid_box(8, {8, 8, 1}), [](const Point& p) {
    const double reach = p.z() < 1e-9 ? 2 : p.z() > 1 - 1e-9 ? 1 : 0;
    return (p.head<2>().array() - 4).abs().maxCoeff() < reach;
  });
  const MendResult result = mend(model_of(mesh));
  EXPECT_EQ(result.proposed.size(), 2u);
  for (const Step& step : result.proposed) {
    EXPECT_EQ(step.selection.ids.size(), 1u);
    EXPECT_NE(step.why.find("in the face around it"), std::string::npos) << step.why;
  }
}

// A bar with a bend, its faces fanned about its axis: rows along the way, ends capped.
Mesh bent_bar(int around, double radius, double bend, double turn, double straight) {
  Mesh mesh;
  std::vector<std::pair<Point, Vector>> way;  // centre, out from the axis of the bend
  constexpr int kRows = 8;
  const auto add = [&](double along, double angle) {
    const Vector out(std::cos(angle), std::sin(angle), 0),
        ahead(-std::sin(angle), std::cos(angle), 0);
    way.emplace_back(bend * out + along * ahead, out);
  };
  for (int i = 0; i < 3; ++i) add(-straight * (3 - i) / 3, 0);
  for (int i = 0; i <= kRows; ++i) add(0, turn * i / kRows);
  for (int i = 1; i <= 3; ++i) add(straight * i / 3, turn);
  const auto n = static_cast<std::uint32_t>(around), rows = static_cast<std::uint32_t>(way.size());
  for (const auto& [center, out] : way) {
    for (int k = 0; k < around; ++k) {
      const double a = 2 * 3.14159265358979323846 * k / around;
      mesh.points.push_back(center + radius * (std::cos(a) * out + std::sin(a) * Vector::UnitZ()));
    }
  }
  mesh.points.push_back(way.front().first);
  mesh.points.push_back(way.back().first);
  for (std::uint32_t k = 0; k < n; ++k) {
    const std::uint32_t l = (k + 1) % n, last = (rows - 1) * n;
    for (std::uint32_t i = 0; i + 1 < rows; ++i) {
      const std::uint32_t a = i * n + k, b = i * n + l, c = a + n, d = b + n;
      mesh.triangles.push_back({{{a}, {c}, {b}}});
      mesh.triangles.push_back({{{b}, {c}, {d}}});
    }
    mesh.triangles.push_back({{{rows * n}, {k}, {l}}});
    mesh.triangles.push_back({{{rows * n + 1}, {last + l}, {last + k}}});
  }
  mesh.points_are_distinct = true;
  return mesh;
}

TEST(CapEvidence, ABendThatIsMissingIsPutBack) {
  for (const double turn : {0.5, 1.5707963267948966, 2.5}) {
    SCOPED_TRACE(turn);
    const Mesh whole = bent_bar(48, 1, 3, turn, 4);
    ASSERT_TRUE(test::is_solid(whole));
    const Mesh torn = without(whole, [&](const Point& p) {
      const double angle = std::atan2(p.y(), p.x());
      return std::hypot(p.x(), p.y()) < 4.2 && angle > 1e-3 && angle < turn - 1e-3 &&
             p.head<2>().norm() > 1;
    });
    ASSERT_GT(test::naked_edges(torn), 0u);
    MendOptions options;
    options.accepted.all = true;
    const MendResult result = mend(model_of(torn), options);
    bool is_bend = false;
    for (const LedgerLine& line : result.ledger) {
      is_bend = is_bend || line.method.find("torus") != std::string::npos;
    }
    EXPECT_TRUE(is_bend);
    EXPECT_TRUE(test::is_solid(result.model.parts[0].mesh()));
    const double volume = 3.14159265358979323846 * (2 * 4 + 3 * turn);
    EXPECT_NEAR(test::volume_of(result.model.parts[0].mesh()), volume, 0.01 * volume);
  }
}

}  // namespace cap_evidence_test
}  // namespace aguja
