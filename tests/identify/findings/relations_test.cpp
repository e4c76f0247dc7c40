// Lines that others explain: products, folded harmonics, parts.
#include <gmock/gmock.h>

#include "identify/findings/finding.h"

namespace vprism::relations_test {
namespace {

using ::testing::HasSubstr;

Peak line(double hz, double rms) {
  Peak p;
  p.frequency_hz = hz;
  p.frequency_std_hz = 1e-4;
  p.rms = rms;
  p.rms_std = 1e-6;
  p.floor_power = 1e-12;
  return p;
}

std::vector<Finding> related(const std::vector<Peak>& peaks, double rate = 10'000) {
  Channel channel;
  channel.name = "x";
  SpectrumPlan plan;
  plan.bin_hz = 0.5;
  plan.rbw_hz = 0.75;
  plan.rate_hz = rate;
  auto findings = name_peaks(channel, peaks, plan);
  relate_lines(peaks, plan, findings);
  return findings;
}

TEST(Relations, SumsAndDifferencesOfTwoTonesAreProducts) {
  const auto f = related({line(1000, 1), line(1130, 0.8), line(870, 0.01), line(2130, 0.02)});
  ASSERT_EQ(f.size(), 4u);
  EXPECT_THAT(f[2].text, HasSubstr("product of two stronger lines, 1 x 1.0"));
  EXPECT_THAT(f[3].text, HasSubstr("product of two stronger lines, 2 x 1.0"));
  EXPECT_THAT(f[0].text, ::testing::Not(HasSubstr("product")));
}

TEST(Relations, TwoEqualLinesAloneAreASuppressedCarrierSeveralAreNot) {
  const auto two = related({line(5500, 1), line(6500, 1)}, 50'000);
  ASSERT_EQ(two.size(), 1u);
  EXPECT_EQ(two[0].kind, "sideband-family");
  EXPECT_NEAR(two[0].frequency_hz, 6000, 1e-9);
  EXPECT_NEAR(two[0].level_rms, std::sqrt(2.0), 1e-12);
  for (const auto& f : related({line(1000, 1), line(1130, 1), line(1777, 1), line(2345, 1)}))
    EXPECT_EQ(f.kind, "tone");
  // What mixes two tones leaves products.
  const auto mixed = related({line(1000, 1), line(1130, 1), line(2130, 0.01)});
  EXPECT_EQ(mixed.size(), 3u);
  // Levels that differ by more than they are known.
  EXPECT_EQ(related({line(5500, 1), line(6500, 0.98)}, 50'000).size(), 2u);
}

TEST(Relations, AHarmonicFoldsBackOnlyWhereItMayBeThatStrong) {
  // 17 x 5500 folds to 6500 at 50 kHz, but no harmonic 17 is as strong as its fundamental.
  const auto strong = related({line(5500, 1), line(6500, 0.5)}, 50'000);
  ASSERT_EQ(strong.size(), 2u);
  EXPECT_EQ(strong[1].kind, "tone");
  EXPECT_EQ(related({line(5500, 1), line(6500, 0.05)}, 50'000)[1].kind, "alias");
}

TEST(Relations, AFamilyMayLackItsFundamentalAndOtherOrders) {
  auto f = related({line(200, 1), line(300, 0.5), line(400, 0.3), line(500, 0.2), line(731, 0.1)});
  ASSERT_EQ(f.size(), 2u);
  EXPECT_EQ(f[0].kind, "harmonic-family");
  EXPECT_NEAR(f[0].frequency_hz, 100, 1e-9);
  EXPECT_THAT(f[0].text, HasSubstr("not there itself; orders 2, 3, 4, 5"));
  // Even multiples of 50 Hz are multiples of 100 Hz.
  f = related({line(100, 1), line(200, 0.5), line(300, 0.3), line(500, 0.2)});
  ASSERT_EQ(f.size(), 1u);
  EXPECT_NEAR(f[0].frequency_hz, 100, 1e-9);
  EXPECT_THAT(f[0].evidence[0], HasSubstr("missing orders: 4"));
}

TEST(Relations, HarmonicsBeyondHalfTheRateAreFoundWhereTheyFoldTo) {
  // Harmonic 3 of 1800 Hz at a rate of 10 kHz: 5400 folds to 4600.
  const auto f = related({line(1800, 1), line(4600, 0.01)});
  ASSERT_EQ(f.size(), 2u);
  EXPECT_EQ(f[1].kind, "alias");
  EXPECT_THAT(f[1].text, HasSubstr("harmonic 3"));
}

TEST(Relations, HalfOfAStrongerLineIsSaid) {
  const auto f = related({line(1000, 1), line(500, 0.1), line(321.7, 0.01)});
  ASSERT_EQ(f.size(), 3u);
  EXPECT_THAT(f[1].text, HasSubstr("half of 1.0"));
  EXPECT_EQ(f[2].kind, "tone");
  EXPECT_THAT(f[2].text, ::testing::Not(HasSubstr(":")));
}

TEST(Relations, PhasesTellVaryingAmplitudeFromVaryingFrequency) {
  // cos(w t) (1 + m cos(v t)) has sidebands in phase with the carrier; for a small index of phase modulation
  // the lower one is turned by half a turn.
  std::vector<Peak> amplitude = {line(1000, 1), line(990, 0.1), line(1010, 0.1)};
  auto f = related(amplitude);
  ASSERT_EQ(f.size(), 1u);
  EXPECT_THAT(f[0].text, HasSubstr("its amplitude varies"));
  amplitude[1].phase_deg = 180;
  f = related(amplitude);
  EXPECT_THAT(f[0].text, HasSubstr("its frequency or phase varies"));
}

}  // namespace
}  // namespace vprism::relations_test
