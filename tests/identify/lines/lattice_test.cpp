// Lines at sums of multiples of two frequencies: what they are, and what is none.
#include "identify/lines/lattice.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "identify/findings/comb.h"
#include "identify/findings/finding.h"

namespace vprism::lattice_test {
namespace {

Peak line(double hz, double rms, double std_hz = 1e-3) {
  Peak p;
  p.frequency_hz = hz, p.frequency_std_hz = std_hz, p.rms = rms;
  return p;
}

SpectrumPlan plan_of(double rate_hz = 200e3) {
  SpectrumPlan plan;
  plan.rate_hz = rate_hz, plan.bin_hz = 1, plan.rbw_hz = 1.5;
  return plan;
}

/// Carriers and sidebands with errors of one uncertainty; `carriers`: whether there are lines at them.
std::vector<Peak> modulated(double carrier, double spacing, bool carriers = true) {
  std::mt19937 bits(5);
  std::normal_distribution<double> error(0, 1e-3);
  std::vector<Peak> out = {line(spacing, 100)};
  for (int m = 1; m <= 8; ++m)
    for (int n = -4; n <= 4; ++n)
      if (n != 0 || carriers)
        out.push_back(line(m * carrier + n * spacing + error(bits), 50.0 / m / (1 + 2 * std::abs(n))));
  return out;
}

std::vector<bool> none_of(const std::vector<Peak>& peaks) { return std::vector<bool>(peaks.size(), false); }

TEST(Lattice, BothFrequenciesAreFoundWithinTheirUncertainties) {
  for (const bool carriers : {true, false}) {
    const std::vector<Peak> peaks = modulated(4013.7, 37.3, carriers);
    const auto found = find_lattice(peaks, none_of(peaks), plan_of());
    ASSERT_TRUE(found) << carriers;
    EXPECT_NEAR(found->carrier_hz, 4013.7, 4 * found->carrier_std_hz);
    EXPECT_NEAR(found->spacing_hz, 37.3, 4 * found->spacing_std_hz);
    EXPECT_LT(found->spacing_std_hz, 1e-3);
    // All but the spacing's own line.
    EXPECT_EQ(found->lines.size(), peaks.size() - 1);
    for (const LatticeLine& l : found->lines)
      EXPECT_NEAR(peaks[l.peak].frequency_hz, l.carrier_order * 4013.7 + l.side_order * 37.3, 0.02);
  }
}

TEST(Lattice, FamiliesAndLinesByAccidentAreNone) {
  // All orders of one frequency, odd orders, and what is folded of them.
  for (const int step : {1, 2}) {
    std::vector<Peak> comb;
    for (int n = 1; n <= 150; n += step) comb.push_back(line(53.1 * n, 1.0 / n));
    EXPECT_FALSE(find_lattice(comb, none_of(comb), plan_of(20e3))) << step;
  }
  std::vector<Peak> folded;
  for (int n = 1; n <= 199; n += 2)
    folded.push_back(line(std::abs(std::remainder(54.58 * n, 1000.0)), 1.0 / n));
  SpectrumPlan narrow = plan_of(1000);
  narrow.bin_hz = 0.1;
  EXPECT_FALSE(find_lattice(folded, none_of(folded), narrow));
  std::mt19937 bits(9);
  std::uniform_real_distribution<double> anywhere(20, 90e3);
  std::vector<Peak> strewn;
  for (int n = 0; n < 150; ++n) strewn.push_back(line(anywhere(bits), 1));
  EXPECT_FALSE(find_lattice(strewn, none_of(strewn), plan_of()));
  // Too few to say.
  const std::vector<Peak> few(strewn.begin(), strewn.begin() + 20);
  EXPECT_FALSE(find_lattice(few, none_of(few), plan_of()));
}

TEST(Lattice, IsNamedAsCarriersAndTheirSidebands) {
  const std::vector<Peak> peaks = modulated(4000, 50);  // Synchronous: all are multiples of 50 Hz.
  Channel channel;
  channel.name = "bridge", channel.unit = Unit::parse("V");
  const std::vector<Finding> findings = name_peaks(channel, peaks, plan_of());
  ASSERT_EQ(findings.size(), 3u);
  double square = 0, all = 0;
  for (const Finding& f : findings) square += f.level_rms * f.level_rms;
  for (const Peak& p : peaks) all += p.rms * p.rms;
  EXPECT_NEAR(square, all, 1e-9 * all);
  const auto kind = [&](const char* wanted) {
    return std::find_if(findings.begin(), findings.end(), [&](const Finding& f) { return f.kind == wanted; });
  };
  ASSERT_NE(kind("sideband-family"), findings.end());
  EXPECT_NEAR(kind("sideband-family")->frequency_hz, 4000, 0.01);
  EXPECT_EQ(kind("sideband-family")->lines.size(), 64u);
  EXPECT_EQ(kind("sideband-family")->numbers.front().first, "spacing_hz");
  EXPECT_NEAR(kind("sideband-family")->numbers.front().second, 50, 0.001);
  ASSERT_NE(kind("harmonic-family"), findings.end());
  EXPECT_EQ(kind("harmonic-family")->lines.size(), 8u);
  EXPECT_NE(kind("mains-hum"), findings.end());
}

TEST(Lattice, WhatEnvelopesRepeatAtIsOneOfItsRates) {
  std::vector<Peak> peaks = modulated(4013.7, 37.3);
  double square = 0;
  for (const Peak& p : peaks) square += p.rms * p.rms;
  const ExactRates rates(peaks, plan_of(), square);
  for (const Peak& p : peaks) EXPECT_TRUE(p.of_comb) << p.frequency_hz;
  EXPECT_TRUE(rates.has(74.6, 0.1));
  EXPECT_TRUE(rates.has(3976.4, 0.1));
  EXPECT_FALSE(rates.has(55, 0.1));
  // Where most of the power is elsewhere nothing is said.
  for (Peak& p : peaks) p.of_comb = false;
  EXPECT_FALSE(ExactRates(peaks, plan_of(), 4 * square).has(74.6, 0.1));
  EXPECT_FALSE(peaks[1].of_comb);
}

}  // namespace
}  // namespace vprism::lattice_test
