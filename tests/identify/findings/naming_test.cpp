// Families of peaks, and cautions from statistics.
#include <gmock/gmock.h>

#include <algorithm>
#include <cmath>

#include "identify/findings/finding.h"

namespace vprism::naming_test {
namespace {

using ::testing::HasSubstr;

Peak peak(double frequency, double rms, double std = 0.001) {
  Peak p;
  p.frequency_hz = frequency;
  p.frequency_std_hz = std;
  p.rms = rms;
  p.rms_std = rms * 1e-3;
  p.floor_power = 1e-12;
  return p;
}

const Channel channel{"current", Unit::parse("A"), "current"};
SpectrumPlan plan() {
  SpectrumPlan p;
  p.bin_hz = 0.5;
  p.rbw_hz = 0.75;
  return p;
}

TEST(NamePeaks, OddHarmonicsOfTheMainsAreHum) {
  const auto found =
      name_peaks(channel, {peak(49.98, 1), peak(149.94, 0.3), peak(249.9, 0.1), peak(437.3, 0.05)}, plan());
  ASSERT_EQ(found.size(), 2u);
  EXPECT_EQ(found[0].kind, "mains-hum");
  EXPECT_THAT(found[0].text, HasSubstr("odd harmonics (orders 1, 3, 5)"));
  EXPECT_NEAR(found[0].level_rms, std::sqrt(1 + 0.09 + 0.01), 1e-12);
  EXPECT_EQ(found[1].kind, "tone");
}

TEST(NamePeaks, NearMultiplesOutsideTheirUncertaintyAreNoFamily) {
  for (const Finding& f : name_peaks(channel, {peak(31.2, 1), peak(62.5, 0.3), peak(93.9, 0.1)}, plan()))
    EXPECT_EQ(f.kind, "tone");
}

TEST(NamePeaks, WideUncertaintiesDoNotMakeFamilies) {
  for (const Finding& f :
       name_peaks(channel, {peak(31.2, 1, 3), peak(62.5, 0.3, 3), peak(93.9, 0.1, 3)}, plan()))
    EXPECT_NE(f.kind, "harmonic-family");
}

TEST(NamePeaks, PairsAroundACarrierAreSidebands) {
  const auto found = name_peaks(
      channel, {peak(412.7, 1), peak(405.8, 0.3), peak(419.6, 0.3), peak(398.9, 0.1), peak(426.5, 0.1)},
      plan());
  ASSERT_EQ(found.size(), 1u);
  EXPECT_EQ(found[0].kind, "sideband-family");
  EXPECT_THAT(found[0].text, HasSubstr("spaced 6.9 Hz (2 pairs)"));
  EXPECT_EQ(found[0].members.size(), 5u);
}

TEST(NamePeaks, SidebandsAroundHarmonicsAreOneFindingBesideThem) {
  // Gear mesh at 91.3 Hz with its harmonics, a shaft of 8.27 Hz around each: no accidental multiple of 33 Hz.
  std::vector<Peak> peaks;
  for (int h = 1; h <= 4; ++h) {
    peaks.push_back(peak(91.3 * h, 1.0 / h));
    for (const int side : {-2, -1, 1, 2})
      peaks.push_back(peak(91.3 * h + 8.27 * side, 0.2 / h / side / side));
  }
  std::sort(peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) { return a.rms > b.rms; });
  const auto found = name_peaks(channel, peaks, plan());
  ASSERT_EQ(found.size(), 2u);
  EXPECT_EQ(found[0].kind, "harmonic-family");
  EXPECT_NEAR(found[0].frequency_hz, 91.3, 1e-3);
  EXPECT_EQ(found[1].kind, "sideband-family");
  EXPECT_EQ(found[1].lines.size(), 16u);
  EXPECT_THAT(found[1].text, HasSubstr("around orders 1, 2, 3, 4 of 91.3"));
  EXPECT_EQ(found[1].numbers[0].first, "spacing_hz");
  EXPECT_NEAR(found[1].numbers[0].second, 8.27, 1e-3);
}

TEST(NamePeaks, TheFundamentalIsTheOneOfAllLines) {
  // Impulses at 2.7 Hz that ring near 120 Hz: every third order is no family of its own.
  std::vector<Peak> peaks;
  for (int order = 1; order <= 110; ++order)
    peaks.push_back(peak(2.7 * order, 1 / (1 + std::pow((2.7 * order - 121.5) / 8, 2)), 1e-4));
  std::sort(peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) { return a.rms > b.rms; });
  const auto found = name_peaks(channel, peaks, plan());
  ASSERT_EQ(found.size(), 1u);
  EXPECT_EQ(found[0].kind, "harmonic-family");
  EXPECT_NEAR(found[0].frequency_hz, 2.7, 1e-4);
}

TEST(NamePeaks, TwoMachinesWithACommonDivisorAreTwo) {
  // 30.5 Hz and 5/3 of it, exactly: both are multiples of 30.5 / 3 Hz, most of whose orders are not there.
  std::vector<Peak> peaks;
  for (int order = 1; order <= 5; ++order) {
    peaks.push_back(peak(30.5 * order, 1.0 / order));
    peaks.push_back(peak(30.5 * 5 / 3 * order, 0.8 / order));
  }
  std::sort(peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) { return a.rms > b.rms; });
  const auto found = name_peaks(channel, peaks, plan());
  ASSERT_GE(found.size(), 2u);
  EXPECT_NEAR(found[0].frequency_hz, 30.5, 1e-3);
}

TEST(NamePeaks, LinesAHundredDecibelsDownAreRoundingNotFindings) {
  const auto found =
      name_peaks(channel, {peak(123.4, 0.35), peak(372, 3e-7), peak(175.5, 2e-7), peak(80, 1e-5)}, plan());
  ASSERT_EQ(found.size(), 2u);
  EXPECT_EQ(found[1].frequency_hz, 80);
}

TEST(NamePeaks, UnevenPairsAreNot) {
  for (const Finding& f : name_peaks(channel, {peak(412.7, 1), peak(405.8, 0.3), peak(419.9, 0.3)}, plan()))
    EXPECT_EQ(f.kind, "tone");
}

TEST(NamePeaks, LinesAtOneFrequencyAreNoFamily) {
  // Wide uncertainties make neighbours agree with each other; they are still one order.
  std::vector<Peak> peaks;
  for (const double f : {118.0, 118.1, 118.2, 118.3, 118.4}) {
    peaks.push_back(peak(f, 1));
    peaks.back().frequency_std_hz = 0.5;
  }
  for (const Finding& f : name_peaks(channel, peaks, plan())) EXPECT_NE(f.kind, "harmonic-family") << f.text;
}

}  // namespace
}  // namespace vprism::naming_test
