#include "aguja/inspect/match.h"

#include <algorithm>
#include <set>

#include <gtest/gtest.h>

#include "aguja/inspect/inspect.h"
#include "tests/support/random_mesh.h"
#include "tests/support/spoilt_solid.h"

namespace aguja {
namespace match_test {

std::vector<Finding> findings_in(const Mesh& mesh) {
  return inspect(test::model_of(mesh)).findings;
}

TEST(MatchFindings, EveryOneIsItselfWhateverTheOrder) {
  for (std::uint64_t seed = 1; seed <= 100; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    const std::vector<Finding> before = findings_in(test::damaged_mesh(seed));
    std::vector<Finding> after = before;
    test::Random random(seed);
    std::shuffle(after.begin(), after.end(), random.engine());
    const FindingMatches matches = match_findings(before, after);
    EXPECT_EQ(matches.pairs.size(), before.size());
    EXPECT_TRUE(matches.gone.empty() && matches.appeared.empty());
    for (const FindingMatch& m : matches.pairs) {
      EXPECT_EQ(before[m.before].id, after[m.after].id);
      EXPECT_TRUE(m.by_id);
    }
  }
}

// The file comes again with its points a little elsewhere: ids differ, places hardly.
TEST(MatchFindings, KindAndPlaceTellWhereIdsDiffer) {
  std::size_t matched = 0, all = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    test::Random random(seed);
    Mesh mesh = test::random_solid(random).mesh;
    for (int i = 0; i < 3; ++i) test::spoil(mesh, test::Defect::hole, 0, random);
    const std::vector<Finding> before = findings_in(mesh);
    for (Point& p : mesh.points) p *= 1 + 1e-7;
    std::vector<Finding> after = findings_in(mesh);
    std::shuffle(after.begin(), after.end(), random.engine());
    const FindingMatches matches = match_findings(before, after);
    std::set<std::size_t> taken;
    for (const FindingMatch& m : matches.pairs) {
      EXPECT_TRUE(taken.insert(m.after).second);
      EXPECT_EQ(before[m.before].kind, after[m.after].kind);
      EXPECT_LT((before[m.before].place - after[m.after].place).norm(), 1e-5);
      EXPECT_FALSE(m.by_id);
    }
    EXPECT_EQ(matches.pairs.size() + matches.gone.size(), before.size());
    EXPECT_EQ(matches.pairs.size() + matches.appeared.size(), after.size());
    matched += matches.pairs.size();
    all += before.size();
  }
  EXPECT_GE(all, 150u);
  EXPECT_GE(10 * matched, 9 * all);
}

TEST(MatchFindings, WhatWasMendedIsGoneAndWhatIsNewAppeared) {
  test::Random random(4);
  Mesh mesh = test::random_solid(random).mesh;
  test::spoil(mesh, test::Defect::hole, 0, random);
  const std::vector<Finding> before = findings_in(mesh);
  test::spoil(mesh, test::Defect::stray, 0, random);
  const std::vector<Finding> after = findings_in(mesh);
  const FindingMatches matches = match_findings(before, after);
  ASSERT_EQ(matches.appeared.size(), 1u);
  EXPECT_EQ(after[matches.appeared[0]].kind, FindingKind::stray_shell);
  EXPECT_EQ(match_findings(after, before).gone, matches.appeared);
  EXPECT_EQ(match_findings({}, after).appeared.size(), after.size());
}

}  // namespace match_test
}  // namespace aguja
