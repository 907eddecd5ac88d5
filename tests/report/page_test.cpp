// What a page holds: the model to within its step, all that findings speak of, nothing that ends a
// script early.

#include "aguja/report/page.h"

#include <gtest/gtest.h>

#include <map>
#include <set>

#include <nlohmann/json.hpp>

#include "aguja/inspect/finding_fields.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/weld.h"
#include "aguja/report/verdict.h"
#include "demo/seeded.h"
#include "report/viewer_mesh.h"
#include "tests/support/packed_text.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace page_test {

using Numbers = std::vector<std::uint32_t>;

// As the page does it.
Numbers unpacked(const std::string& text, std::size_t count) {
  const std::string raw = test::inflated(test::from_base64(text), 4 * count);
  Numbers numbers(count);
  for (std::size_t i = 0; i < raw.size(); ++i) {
    numbers[i % count] |= std::uint32_t{static_cast<unsigned char>(raw[i])} << (8 * (i / count));
  }
  return numbers;
}

std::vector<Point> points_of(const ViewerMesh& m) {
  const std::size_t n = m.positions.size() / 3;
  std::vector<Point> points(n, m.low);
  for (std::size_t axis = 0; axis < 3; ++axis) {
    std::int64_t at = 0;
    for (std::size_t v = 0; v < n; ++v) {
      const std::uint32_t code = m.positions[axis * n + v];
      at += static_cast<std::int64_t>(code >> 1) ^ -static_cast<std::int64_t>(code & 1);
      points[v][static_cast<Eigen::Index>(axis)] += m.step * static_cast<double>(at);
    }
  }
  return points;
}

Numbers corners_of(const ViewerMesh& m) {
  Numbers corners;
  std::uint32_t next = 0;
  for (const std::uint32_t code : m.corners) {
    corners.push_back(next - code);
    next += code == 0;
  }
  return corners;
}

TEST(Packed, ComesBackAsItWas) {
  test::Random random(7);
  for (const std::size_t n : {1, 2, 3, 4, 5, 1000}) {
    Numbers numbers(n);
    for (std::uint32_t& x : numbers) x = static_cast<std::uint32_t>(random.index(1ULL << 32));
    EXPECT_EQ(unpacked(packed(numbers), n), numbers);
  }
  EXPECT_EQ(unpacked(packed({}), 0), Numbers());
}

TEST(ViewerMesh, HoldsEveryTriangleToWithinItsStep) {
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(seed);
    const Model model = test::model_of(test::damaged_mesh(seed));
    const Mesh& mesh = model.parts[0].mesh();
    const ViewerMesh shown =
        viewer_mesh(model, {}, std::vector<bool>(mesh.triangles.size()), 1 << 30);
    const auto points = points_of(shown);
    const auto corners = corners_of(shown);
    ASSERT_EQ(corners.size(), 3 * mesh.triangles.size());
    EXPECT_FALSE(shown.reduced);
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
      EXPECT_EQ(shown.source[t], t);
      for (std::size_t c = 0; c < 3; ++c) {
        const Point& p = mesh.point(mesh.triangles[t][c]);
        EXPECT_LE((points[corners[3 * t + c]] - p).cwiseAbs().maxCoeff(), 0.51 * shown.step);
      }
    }
    const Welded welded(mesh);
    const EdgeTable edges(welded.triangles(), welded.points().size());
    EXPECT_EQ(shown.naked.size(), 2 * count_edges(edges).naked);
  }
}

TEST(ViewerMesh, KeepsWhatItMustWhenReduced) {
  Mesh ball = test::sphere(60, 40);
  ball.triangles.erase(ball.triangles.begin() + 500);
  const Model model = test::model_of(ball);
  std::vector<bool> keep(ball.triangles.size());
  keep[77] = keep[3000] = true;
  std::size_t last = ball.triangles.size();
  for (const std::size_t most : {4000, 1000, 300}) {
    const ViewerMesh shown = viewer_mesh(model, {}, keep, most);
    EXPECT_TRUE(shown.reduced);
    EXPECT_LE(shown.source.size(), most + 20);
    EXPECT_LT(shown.source.size(), last);
    last = shown.source.size();
    EXPECT_EQ(shown.naked.size(), 6u);
    const auto points = points_of(shown);
    const auto corners = corners_of(shown);
    for (const std::uint32_t t : {77U, 3000U}) {
      const auto at = std::find(shown.source.begin(), shown.source.end(), t);
      ASSERT_NE(at, shown.source.end());
      for (std::size_t c = 0; c < 3; ++c) {
        const auto i = 3 * static_cast<std::size_t>(at - shown.source.begin()) + c;
        EXPECT_LE((points[corners[i]] - ball.point(ball.triangles[t][c])).norm(), shown.step);
      }
    }
    EXPECT_TRUE(std::is_sorted(shown.source.begin(), shown.source.end()));
  }
}

PageModel page_model(const Model& model, const Inspection& inspection, const std::string& file) {
  return {"as read", file, "", &model, &inspection, {}};
}

TEST(Page, IsTheSameTwiceAndNeedsNothingElse) {
  for (const demo::DemoModel& shape : demo::seeded_shapes()) {
    if (shape.name != "boxes-crossing") continue;
    const Inspection inspection = inspect(shape.model);
    const std::string page = page_html({page_model(shape.model, inspection, "a.stl")});
    EXPECT_EQ(page, page_html({page_model(shape.model, inspection, "a.stl")}));
    EXPECT_EQ(page.find("src=\"http"), std::string::npos);
    EXPECT_EQ(page.find("/*content*/"), std::string::npos);
    for (const Finding& f : inspection.findings) EXPECT_NE(page.find(f.id), std::string::npos);
    EXPECT_EQ(page.find("\"timings\""), std::string::npos);
  }
}

TEST(Page, NamesCannotEndTheScript) {
  Model model = test::model_of(test::cube(), "<!--<script></script><b>\"'&");
  const Inspection inspection = inspect(model);
  const std::string page = page_html({page_model(model, inspection, "</script>.stl")});
  std::size_t ends = 0;
  for (std::size_t at = page.find("</script>"); at != std::string::npos;
       at = page.find("</script>", at + 1)) {
    ++ends;
  }
  EXPECT_EQ(ends, 3u);
  EXPECT_EQ(page.find("<!--<script>"), std::string::npos);
  EXPECT_NE(page.find("\\u003c!--\\u003cscript>\\u003c/script>"), std::string::npos);
}

TEST(Page, RefusesFieldsOfAnotherModel) {
  const Model model = test::model_of(test::cube());
  const Inspection inspection = inspect(model);
  PageModel one = page_model(model, inspection, "a.stl");
  one.fields.push_back({"x", "x", "", std::vector<float>(5), false});
  EXPECT_THROW(static_cast<void>(page_html({one})), ArgumentError);
  EXPECT_THROW(static_cast<void>(page_html({})), ArgumentError);
}

TEST(Fates, TellWhatIsGoneLeftAndNew) {
  Mesh before = test::sphere(20, 30);
  before.triangles.erase(before.triangles.begin() + 400);
  before.triangles.erase(before.triangles.begin() + 100);
  Mesh after = test::sphere(20, 30);
  after.triangles.erase(after.triangles.begin() + 700);
  after.triangles.erase(after.triangles.begin() + 100);
  const Inspection a = inspect(test::model_of(before)), b = inspect(test::model_of(after));
  ASSERT_EQ(a.findings.size(), 2u);
  ASSERT_EQ(b.findings.size(), 2u);
  const Fates fates = fates_of(a, b, 0.01);
  const auto count = [](const std::vector<Fate>& of, Fate f) {
    return std::count(of.begin(), of.end(), f);
  };
  EXPECT_EQ(count(fates.before, Fate::gone), 1);
  EXPECT_EQ(count(fates.before, Fate::left), 1);
  EXPECT_EQ(count(fates.after, Fate::left), 1);
  EXPECT_EQ(count(fates.after, Fate::new_), 1);
  for (std::size_t i = 0; i < 2; ++i) {
    for (std::size_t j = 0; j < 2; ++j) {
      if (a.findings[i].id != b.findings[j].id) continue;
      EXPECT_EQ(fates.before[i], Fate::left);
      EXPECT_EQ(fates.after[j], Fate::left);
    }
  }
}

TEST(Fates, AreThoseOfComparingAllPairs) {
  test::Random random(5);
  for (int round = 0; round < 40; ++round) {
    Inspection sides[2];
    for (Inspection& side : sides) {
      for (int i = 0; i < 60; ++i) {
        Finding f;
        f.kind = random.chance(0.5) ? FindingKind::crack : FindingKind::opening;
        const Point low{random.between(0, 10), random.between(0, 10), random.between(0, 10)};
        f.box.extend(low);
        f.box.extend(low + Vector{random.unit(), random.unit(), random.unit()});
        // Some places lie beside their boxes.
        f.place = low + Vector{2 * random.unit() - 0.5, random.unit(), random.unit()};
        side.findings.push_back(f);
      }
    }
    constexpr double kReach = 0.05;
    const auto covers = [](const Finding& f, const Point& p) {
      return ((p - f.box.low).array() >= -kReach).all() &&
             ((f.box.high - p).array() >= -kReach).all();
    };
    Fates slow{std::vector<Fate>(60, Fate::gone), std::vector<Fate>(60, Fate::new_)};
    for (std::size_t b = 0; b < 60; ++b) {
      for (std::size_t a = 0; a < 60; ++a) {
        const Finding &f = sides[0].findings[b], &g = sides[1].findings[a];
        if (f.kind != g.kind || !(covers(f, g.place) || covers(g, f.place))) continue;
        slow.before[b] = slow.after[a] = Fate::left;
      }
    }
    const Fates fates = fates_of(sides[0], sides[1], kReach);
    EXPECT_EQ(fates.before, slow.before);
    EXPECT_EQ(fates.after, slow.after);
  }
}

// A closed ball and one with a missing triangle, both of one name.
Model two_of_one_name() {
  Model model = test::model_of(test::sphere(12, 10), "ball");
  Mesh torn = test::sphere(12, 10, {50, 0, 0});
  torn.triangles.erase(torn.triangles.begin() + 40);
  model.parts.push_back(test::model_of(torn, "ball").parts[0]);
  return model;
}

TEST(Page, PartsOfOneNameKeepTheirFindings) {
  const Model model = two_of_one_name();
  const Inspection inspection = inspect(model);
  ASSERT_EQ(inspection.findings.size(), 1u);
  const auto triangles = model_triangles(model, inspection.findings[0]);
  ASSERT_FALSE(triangles.empty());
  const std::size_t first = model.parts[0].mesh().triangles.size();
  for (const std::size_t t : triangles) EXPECT_GE(t, first);
  const auto kinds = kind_field(model, inspection).values;
  for (std::size_t t = 0; t < first; ++t) EXPECT_EQ(kinds[t], 0);
  EXPECT_EQ(static_cast<std::size_t>(
                std::count_if(kinds.begin(), kinds.end(), [](float k) { return k > 0; })),
            triangles.size());
}

TEST(VerdictWords, SayWhatTheCertificateAndTheFindingsSay) {
  InspectOptions options;
  options.certify = true;
  const auto words = [&](const Model& model) {
    return verdict_words(model, inspect(model, options));
  };
  EXPECT_EQ(words(Model{}).sentence, "Nothing to mesh: there are no triangles.");
  const Model ball = test::model_of(test::sphere(12, 10));
  EXPECT_EQ(words(ball).sentence, "A closed solid: a volume mesher can take it.");
  EXPECT_EQ(words(ball).tone, Tone::well);
  EXPECT_EQ(words(two_of_one_name()).next, "1 error to mend first.");
  EXPECT_EQ(words(two_of_one_name()).tone, Tone::error);
  // Nobody asked for the verdict: nothing is called a solid.
  EXPECT_EQ(verdict_words(ball, inspect(ball)).tone, Tone::open);
}

}  // namespace page_test
}  // namespace aguja
