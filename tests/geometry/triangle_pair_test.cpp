#include "aguja/geometry/triangle_pair.h"

#include <cmath>
#include <map>

#include <gtest/gtest.h>

#include "tests/support/exact_contact.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace triangle_pair_test {

using test::contact_by_rationals;
using test::Random;

LabelledTriangle triangle(const Point& a, const Point& b, const Point& c, std::uint32_t la = 0,
                          std::uint32_t lb = 1, std::uint32_t lc = 2) {
  return {{a, b, c}, {la, lb, lc}};
}

const LabelledTriangle kFlat = triangle({0, 0, 0}, {4, 0, 0}, {0, 4, 0});

struct Case {
  const char* what;
  LabelledTriangle other;
  Contact contact;
};

TEST(TrianglePair, TextbookCases) {
  const Case cases[] = {
      {"through the inside", triangle({1, 1, -1}, {1, 1, 1}, {2, 1, 1}, 3, 4, 5),
       Contact::crossing},
      {"through a side", triangle({-1, 1, -1}, {-1, 1, 1}, {2, 1, 0}, 3, 4, 5), Contact::crossing},
      {"a corner on the inside", triangle({1, 1, 0}, {1, 1, 1}, {2, 1, 1}, 3, 4, 5),
       Contact::touch},
      {"a side on the inside", triangle({1, 1, 0}, {2, 1, 0}, {2, 1, 1}, 3, 4, 5), Contact::touch},
      {"a corner on a corner, not shared", triangle({0, 0, 0}, {0, -1, 1}, {-1, -1, 1}, 3, 4, 5),
       Contact::touch},
      {"that corner shared", triangle({0, 0, 0}, {0, -1, 1}, {-1, -1, 1}, 0, 4, 5), Contact::none},
      {"shared corner, passing through", triangle({0, 0, 0}, {3, 3, 1}, {3, 3, -1}, 0, 4, 5),
       Contact::crossing},
      {"shared corner, lying on the side", triangle({0, 0, 0}, {2, 0, 0}, {3, 0, 1}, 0, 4, 5),
       Contact::touch},
      {"shared side, standing up", triangle({4, 0, 0}, {0, 0, 0}, {1, 1, 3}, 1, 0, 5),
       Contact::none},
      {"shared side, flat beyond", triangle({4, 0, 0}, {0, 0, 0}, {1, -3, 0}, 1, 0, 5),
       Contact::none},
      {"shared side, folded over", triangle({4, 0, 0}, {0, 0, 0}, {1, 3, 0}, 1, 0, 5),
       Contact::overlap},
      {"in the plane, inside", triangle({1, 1, 0}, {2, 1, 0}, {1, 2, 0}, 3, 4, 5),
       Contact::overlap},
      {"in the plane, equal but not shared", triangle({0, 0, 0}, {4, 0, 0}, {0, 4, 0}, 3, 4, 5),
       Contact::overlap},
      {"in the plane, side against side", triangle({1, 0, 0}, {2, 0, 0}, {1, -1, 0}, 3, 4, 5),
       Contact::touch},
      {"in the plane, corner against corner", triangle({0, 0, 0}, {-1, 0, 0}, {0, -1, 0}, 3, 4, 5),
       Contact::touch},
      {"in the plane, shared corner, side against side",
       triangle({0, 0, 0}, {2, 0, 0}, {1, -1, 0}, 0, 4, 5), Contact::touch},
      {"in the plane, shared corner, apart", triangle({0, 0, 0}, {-2, 0, 0}, {-1, -1, 0}, 0, 4, 5),
       Contact::none},
      {"in the plane, shared corner, over it", triangle({0, 0, 0}, {2, 1, 0}, {1, 2, 0}, 0, 4, 5),
       Contact::overlap},
      {"the same corners", triangle({0, 4, 0}, {4, 0, 0}, {0, 0, 0}, 2, 1, 0), Contact::none},
      {"above", triangle({1, 1, 1}, {2, 1, 1}, {1, 2, 2}, 3, 4, 5), Contact::none},
      {"beside", triangle({5, 5, -1}, {5, 5, 1}, {6, 5, 0}, 3, 4, 5), Contact::none},
  };
  for (const Case& c : cases) {
    EXPECT_EQ(slug(classify(kFlat, c.other)), slug(c.contact)) << c.what;
    EXPECT_EQ(slug(classify(c.other, kFlat)), slug(c.contact)) << c.what << ", the other way";
    EXPECT_EQ(slug(contact_by_rationals(kFlat, c.other)), slug(c.contact)) << c.what;
  }
}

// Points from a small grid meet in every degenerate way; some are nudged by an ulp, and all are
// moved and scaled.
class AdversarialPoints {
 public:
  explicit AdversarialPoints(std::uint64_t seed) : random_(seed) {
    constexpr double kScales[] = {1, 1e-9, 1e9, 0x1p-400, 0x1p400, 1e-310, 1.0 / 3};
    constexpr double kShifts[] = {0, 0, 1e6, 0.1};
    const double scale = kScales[random_.index(std::size(kScales))];
    const double shift = std::fabs(std::log10(scale)) < 20 ? kShifts[random_.index(4)] : 0;
    const auto grid = 1 + random_.index(4);
    const bool nearly_flat = random_.chance(0.3);
    const bool random_points = random_.chance(0.15);
    const double nudge = random_.chance(0.4) ? 0.3 : 0.0;
    for (int i = 0; i < 6; ++i) {
      Point p;
      for (int k = 0; k < 3; ++k) {
        p[k] = random_points ? random_.unit() : static_cast<double>(random_.index(grid + 1));
      }
      if (nearly_flat) p.z() = p.x() + 2 * p.y();
      p = p * scale + Point::Constant(shift);
      for (int k = 0; k < 3; ++k) {
        if (random_.chance(nudge))
          p[k] = std::nextafter(p[k], random_.chance(0.5) ? -1e300 : 1e300);
      }
      points_.push_back(p);
    }
  }
  // Two triangles; equal choices are the same vertex. False if one has no area.
  bool choose(LabelledTriangle& a, LabelledTriangle& b) {
    for (LabelledTriangle* t : {&a, &b}) {
      for (int i = 0; i < 3; ++i) {
        t->label[i] = static_cast<std::uint32_t>(random_.index(points_.size()));
        t->corner[i] = points_[t->label[i]];
      }
      // Equal points are one vertex for the caller that welds, but labels may also differ.
      if (is_collinear(t->corner[0], t->corner[1], t->corner[2])) return false;
    }
    return true;
  }

 private:
  Random random_;
  std::vector<Point> points_;
};

TEST(TrianglePair, AgreesWithRationalArithmetic) {
  std::map<Contact, int> seen;
  std::map<PairStage, int> stages;
  int compared = 0;
  for (std::uint64_t seed = 1; compared < 12000; ++seed) {
    AdversarialPoints points(seed);
    for (int i = 0; i < 12; ++i) {
      LabelledTriangle a, b;
      if (!points.choose(a, b)) continue;
      const Contact expected = contact_by_rationals(a, b);
      const StagedContact staged = classify_staged(PreparedTriangle(a), PreparedTriangle(b));
      ASSERT_EQ(slug(staged.contact), slug(expected)) << "seed " << seed << ", " << i;
      ASSERT_EQ(slug(classify_exact(a, b)), slug(expected)) << "seed " << seed << ", " << i;
      ASSERT_EQ(slug(classify(b, a)), slug(expected)) << "seed " << seed << ", " << i;
      std::swap(a.corner[0], a.corner[1]);
      std::swap(a.label[0], a.label[1]);
      ASSERT_EQ(slug(classify(a, b)), slug(expected)) << "seed " << seed << ", turned, " << i;
      ++seen[expected];
      ++stages[staged.stage];
      ++compared;
    }
  }
  for (const Contact c : {Contact::none, Contact::touch, Contact::overlap, Contact::crossing}) {
    EXPECT_GT(seen[c], 200) << slug(c);
  }
  for (const PairStage s :
       {PairStage::plane_filter, PairStage::projection_filter, PairStage::exact}) {
    EXPECT_GT(stages[s], 200) << static_cast<int>(s);
  }
}

}  // namespace triangle_pair_test
}  // namespace aguja
