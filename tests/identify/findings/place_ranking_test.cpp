// Lines at several places along a line: local sources, what enters at an end, what is everywhere.
#include "identify/findings/place_ranking.h"

#include <gtest/gtest.h>

#include <cmath>

namespace vprism::place_ranking_test {
namespace {

/// Levels at four places 0, 1, 2, 3 m; 0: not there.
std::vector<std::vector<ComparedLine>> places(double hz, const std::vector<double>& rms) {
  std::vector<std::vector<ComparedLine>> out;
  for (const double level : rms) {
    out.emplace_back();
    if (level > 0) out.back().push_back({hz + 1e-5 * level, 1e-3, level, 0.01 * level});
  }
  return out;
}

TEST(Places, ALocalSourceFallsOnBothSides) {
  const auto ranked = rank_places(places(50, {0.2, 1, 0.3, 0.1}), {0, 1, 2, 3});
  ASSERT_EQ(ranked.size(), 1u);
  EXPECT_EQ(ranked[0].verdict, PlaceRanking::Verdict::local);
  EXPECT_EQ(ranked[0].levels[0].place, 1u);
  EXPECT_EQ(ranked[0].levels[3].place, 3u);
  EXPECT_NEAR(ranked[0].levels[3].below_db, 20, 1e-9);
  EXPECT_EQ(verdict_text(ranked[0], {"a", "b", "c", "d"}).substr(0, 24), "a source at or near b; f");
}

TEST(Places, WhatEntersAtAnEndFallsFromThere) {
  // 6.02 dB a metre.
  const auto ranked = rank_places(places(50, {1, 0.5, 0.25, 0.125}), {0, 1, 2, 3});
  EXPECT_EQ(ranked[0].verdict, PlaceRanking::Verdict::boundary);
  ASSERT_TRUE(ranked[0].fall_db_per_m);
  EXPECT_NEAR(*ranked[0].fall_db_per_m, 20 * std::log10(2.0), 1e-9);
}

TEST(Places, WhatIsAlikeEverywhereIsNoLocalSource) {
  EXPECT_EQ(rank_places(places(50, {1, 0.9, 1.1, 0.95}), {0, 1, 2, 3})[0].verdict,
            PlaceRanking::Verdict::alike);
  EXPECT_EQ(rank_places(places(50, {1, 0.9, 1.1, 0.95}), {})[0].verdict, PlaceRanking::Verdict::alike);
}

TEST(Places, UnevenFallsAreNotJudged) {
  EXPECT_EQ(rank_places(places(50, {1, 0.3, 0.8, 0.4}), {0, 1, 2, 3})[0].verdict,
            PlaceRanking::Verdict::mixed);
}

TEST(Places, WithoutPlacesOnlyWhatStandsAloneIsLocal) {
  EXPECT_EQ(rank_places(places(50, {1, 0.1, 0, 0.2}), {})[0].verdict, PlaceRanking::Verdict::local);
  EXPECT_EQ(rank_places(places(50, {1, 0.6, 0, 0.2}), {})[0].verdict, PlaceRanking::Verdict::mixed);
  EXPECT_EQ(rank_places(places(50, {1, 0.6, 0, 0.2}), {})[0].without.size(), 1u);
}

TEST(Places, LinesOfOtherFrequenciesStayApart) {
  auto lines = places(50, {1, 0.5, 0.2});
  lines[1].push_back({50.1, 1e-3, 0.9, 0.01});
  lines[2].push_back({50.1, 1e-3, 2.0, 0.01});
  const auto ranked = rank_places(lines, {});
  ASSERT_EQ(ranked.size(), 2u);
  EXPECT_NEAR(ranked[0].hz, 50.1, 1e-9);
  EXPECT_EQ(ranked[0].levels.size(), 2u);
  EXPECT_EQ(ranked[1].levels.size(), 3u);
}

}  // namespace
}  // namespace vprism::place_ranking_test
