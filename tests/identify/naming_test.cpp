// Families of peaks, and cautions from statistics.
#include <gmock/gmock.h>

#include "identify/finding.h"

namespace vprism {
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
}  // namespace vprism
