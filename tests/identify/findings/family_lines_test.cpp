// Which lines make a family: parts of a fundamental, folded orders, a gear's mesh on its shaft; and combs
// that are exact beside peaks that noise makes.
#include "identify/findings/family_lines.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "identify/verdict/band_trains.h"

namespace vprism::family_lines_test {
namespace {

Peak line(double hz, double rms = 1, double std_hz = 1e-4) {
  Peak p;
  p.frequency_hz = hz, p.frequency_std_hz = std_hz, p.rms = rms, p.misfit = 1, p.concentration = 1;
  return p;
}

TEST(FamilyLines, FoldedOrdersSpeakForNoFamily) {
  std::vector<Peak> peaks;
  Multiples family;
  for (std::size_t n = 1; n <= 15; ++n) {
    peaks.push_back(line(31.07 * static_cast<double>(n), 1 / static_cast<double>(n)));
    family.members.push_back(n - 1), family.orders.push_back(n);
  }
  std::vector<std::size_t> others;
  for (int n = 17; n <= 30; ++n) {
    others.push_back(peaks.size());
    peaks.push_back(line(std::abs(std::remainder(31.07 * n, 1000)), 1.0 / n));
  }
  others.push_back(peaks.size());
  peaks.push_back(line(401.3, 0.03));
  const std::vector<bool> used(peaks.size(), false);
  EXPECT_EQ(beside_family({peaks, used, 0.1, 1000}, family, others), 1u);
  EXPECT_EQ(beside_family({peaks, used, 0.1, 1000}, family, family.members), 0u);
}

TEST(FamilyLines, AMeshAndItsSidebandsAreOfTheShaft) {
  std::vector<Peak> peaks;
  Multiples even;
  for (const int order : {1, 2, 20, 21, 22, 23, 24, 42, 43, 44, 45, 46}) {
    if (order % 2 == 0)
      even.members.push_back(peaks.size()), even.orders.push_back(static_cast<std::size_t>(order / 2));
    peaks.push_back(line(10.03 * order, order < 3 ? 0.1 : 0.5));
  }
  std::vector<bool> used(peaks.size(), false);
  const auto shaft = finer_family({peaks, used, 0.1, 2000}, even);
  ASSERT_TRUE(shaft);
  EXPECT_EQ(shaft->members.size(), peaks.size());
  // Without a line at the shaft itself most of its orders are empty: two machines could do that.
  used[0] = true;
  EXPECT_FALSE(finer_family({peaks, used, 0.1, 2000}, even));
}

TEST(FamilyLines, CombsAreExactAndPeaksOfNoiseAreNot) {
  std::mt19937_64 bits(2);
  std::vector<Peak> exact, chance;
  for (int n = 1; n <= 12; ++n) exact.push_back(line(7.61 * n));
  EXPECT_TRUE(exactly_periodic(exact, 7.61, 0.19));
  // Within a resonance a fifth of all peaks lie near some high order.
  int taken = 0;
  for (int trial = 0; trial < 50; ++trial) {
    chance.clear();
    for (int i = 0; i < 40; ++i)
      chance.push_back(line(std::uniform_real_distribution<double>(780, 980)(bits), 1, 0.03));
    taken += exactly_periodic(chance, 7.61, 0.19) ? 1 : 0;
  }
  EXPECT_EQ(taken, 0);
}

TEST(FamilyLines, WhatRepeatsInABandIsOneGrid) {
  std::mt19937_64 bits(8);
  std::normal_distribution<double> off(0, 2e-4);
  for (const double rate : {0.9137, 3.1}) {
    std::vector<Peak> peaks;
    for (int n = 140; n < 260; ++n)
      if (bits() % 5 != 0)
        peaks.push_back(line(rate * n + off(bits), 0.1 + 0.01 * static_cast<double>(bits() % 50), 2e-4));
    const std::size_t own = peaks.size();
    peaks.push_back(line(41.77)), peaks.push_back(line(rate * 200.37));
    const std::vector<bool> used(peaks.size(), false);
    const auto grid = grid_family({peaks, used, 0.05, 4000});
    ASSERT_TRUE(grid) << rate;
    EXPECT_EQ(grid->members.size(), own);
    EXPECT_EQ(*std::min_element(grid->orders.begin(), grid->orders.end()),
              static_cast<std::size_t>(std::lround(peaks.front().frequency_hz / rate)));
  }
}

TEST(FamilyLines, SidebandsThatMissZeroAreNoGrid) {
  std::vector<Peak> beside, gear, few;
  for (int n = -20; n <= 20; ++n) beside.push_back(line(200.4 + 3.07 * n, 1.0 / (1 + std::abs(n))));
  for (int mesh = 1; mesh <= 6; ++mesh)  // 37 teeth, three pairs each.
    for (int n = -3; n <= 3; ++n) gear.push_back(line(5.03 * (37 * mesh + n), 1.0 / (1 + std::abs(n))));
  for (int n = 100; n < 108; ++n) few.push_back(line(2.11 * n));
  for (const auto* peaks : {&beside, &gear, &few}) {
    const std::vector<bool> used(peaks->size(), false);
    EXPECT_FALSE(grid_family({*peaks, used, 0.05, 4000})) << peaks->size();
  }
}

}  // namespace
}  // namespace vprism::family_lines_test
