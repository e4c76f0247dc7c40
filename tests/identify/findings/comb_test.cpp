// Exact combs: their frequency from all orders, what is folded, and what belongs to them.
#include "identify/findings/comb.h"

#include <gtest/gtest.h>

#include <cmath>

namespace vprism::comb_test {
namespace {

Peak line(double hz, double rms, double std_hz = 1e-3) {
  Peak p;
  p.frequency_hz = hz, p.frequency_std_hz = std_hz, p.rms = rms;
  return p;
}
SpectrumPlan plan_of() {
  SpectrumPlan plan;
  plan.rate_hz = 1000, plan.bin_hz = 0.1, plan.rbw_hz = 0.15;
  return plan;
}

TEST(Comb, TheRateIsTheWeightedMeanOfItsOrders) {
  // Errors of one uncertainty each, to either side: sum w n f / sum w n^2.
  const std::vector<Peak> peaks = {line(10.002, 1, 2e-3), line(19.999, 1, 1e-3), line(40.002, 1, 2e-3)};
  const CombRate rate = comb_rate(peaks, {0, 1, 2}, {1, 2, 4});
  const double w1 = 1 / 4e-6, w2 = 1 / 1e-6, w4 = 1 / 4e-6;
  EXPECT_NEAR(rate.rate_hz, (w1 * 10.002 + w2 * 2 * 19.999 + w4 * 4 * 40.002) / (w1 + 4 * w2 + 16 * w4),
              1e-12);
  EXPECT_GE(rate.std_hz, 1 / std::sqrt(w1 + 4 * w2 + 16 * w4));
}

TEST(Comb, WhatDisturbsLinesIsTakenToErrToOneSide) {
  std::vector<Peak> peaks;
  std::vector<std::size_t> members, orders;
  for (std::size_t n = 1; n <= 20; ++n) {
    peaks.push_back(line(10.0 * static_cast<double>(n), 1));
    peaks.back().misfit = 100;
    members.push_back(n - 1), orders.push_back(n);
  }
  // As if all erred together: sum n / sum n^2 of one of them.
  EXPECT_NEAR(comb_rate(peaks, members, orders).std_hz, 1e-3 * 210 / 2870, 0.2e-4);
}

TEST(Comb, OrdersAndWhatFoldsAreMarkedAndOthersAreNot) {
  std::vector<Peak> peaks;
  double square = 0;
  for (int n = 1; n <= 30; ++n) {
    peaks.push_back(line(13.07 * n, 1.0 / n));
    square += 1.0 / n / n;
  }
  peaks.push_back(line(1000 - 13.07 * 45, 0.02));  // Order 45, folded.
  peaks.push_back(line(100.5, 0.1));               // None of it.
  mark_comb(peaks, plan_of(), square);
  for (int n = 0; n < 31; ++n) EXPECT_TRUE(peaks[static_cast<std::size_t>(n)].of_comb) << n;
  EXPECT_FALSE(peaks[31].of_comb);
  // Where most of the power is elsewhere nothing is said.
  for (Peak& p : peaks) p.of_comb = false;
  mark_comb(peaks, plan_of(), 3 * square);
  EXPECT_FALSE(peaks[0].of_comb);
}

TEST(Comb, WeakBandsBetweenItsLinesAreItsOrdersBeyondHalfTheRate) {
  std::vector<Peak> peaks;
  Finding family;
  family.kind = "harmonic-family", family.frequency_hz = 13.07, family.level_rms = 1.2;
  family.unit = "V", family.text = "a harmonic family, 1.2 V RMS together";
  for (int n = 1; n <= 38; ++n) {
    peaks.push_back(line(13.07 * n, 1.0 / n));
    family.members.push_back(peaks.size() - 1);
  }
  Finding weak, strong;
  weak.kind = "broadband", weak.frequency_hz = 84, weak.frequency_std_hz = 1, weak.level_rms = 0.05;
  strong.kind = "resonance", strong.frequency_hz = 150, strong.frequency_std_hz = 0.1, strong.level_rms = 0.6;
  std::vector<Finding> findings = {family, weak, strong};
  take_into_families(peaks, plan_of(), findings);
  ASSERT_EQ(findings.size(), 2u);
  EXPECT_EQ(findings[0].kind, "harmonic-family");
  EXPECT_NEAR(findings[0].level_rms, std::hypot(1.2, 0.05), 1e-12);
  EXPECT_EQ(findings[0].text, "a harmonic family, 1.201 V RMS together");
  EXPECT_EQ(findings[1].kind, "resonance");
}

}  // namespace
}  // namespace vprism::comb_test
