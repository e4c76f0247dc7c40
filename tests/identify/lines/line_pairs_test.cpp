// Two spectra set against each other.
#include "identify/lines/line_pairs.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace vprism::line_pairs_test {
namespace {

TEST(LinePairs, LinesPairWithinTheirUncertaintyAndTheRestIsNewOrGone) {
  const std::vector<ComparedLine> a = {{31.2, 1e-3, 1, 0.01}, {50, 1e-3, 0.1, 1e-3}, {100, 1e-3, 1, 0.01}};
  const std::vector<ComparedLine> b = {
      {31.203, 1e-3, 0.5, 0.01}, {100.5, 1e-3, 1, 0.01}, {50.001, 1e-3, 0.1, 1e-3}};
  const auto pairs = pair_lines(a, b);
  ASSERT_EQ(pairs.size(), 4u);
  EXPECT_NEAR(pairs[0].delta_db, 20 * std::log10(0.5), 1e-12);
  EXPECT_NEAR(pairs[0].delta_std_db, 8.686 * std::hypot(0.01, 0.02), 1e-3);
  EXPECT_TRUE(pairs[0].changed());
  EXPECT_EQ(*pairs[1].b, 2u);
  EXPECT_FALSE(pairs[1].changed());
  EXPECT_TRUE(pairs[2].a && !pairs[2].b);
  EXPECT_TRUE(!pairs[3].a && pairs[3].b);
  PairSettings wide;
  wide.within_hz = 1;
  EXPECT_EQ(pair_lines(a, b, wide).size(), 3u);
}

TEST(LinePairs, EachLineIsPairedOnceWithTheNearest) {
  const auto pairs = pair_lines({{10, 0.1, 1, 0}}, {{10.2, 0.1, 1, 0}, {10.05, 0.1, 1, 0}});
  ASSERT_EQ(pairs.size(), 2u);
  EXPECT_EQ(*pairs[0].b, 1u);
}

Spectrum made(std::size_t bins, double bin_hz, unsigned seed, double tilt) {
  Spectrum s;
  s.plan.bin_hz = bin_hz;
  s.transform = 2 * (bins - 1);
  std::mt19937_64 bits(seed);
  std::gamma_distribution<double> scatter(50, 0.02);
  for (std::size_t k = 0; k < bins; ++k)
    s.power.push_back((1 + 1e3 / (1 + std::pow((static_cast<double>(k) * bin_hz - 50) / 3, 2))) *
                      scatter(bits) * std::exp(tilt * static_cast<double>(k) * bin_hz));
  return s;
}

TEST(LinePairs, LikenessTellsShapesApartWhateverTheLevelAndTheBins) {
  const Spectrum a = made(401, 0.5, 1, 0);
  Spectrum louder = a;
  for (double& p : louder.power) p *= 100;
  EXPECT_NEAR(spectral_likeness(a, louder), 1, 1e-12);
  EXPECT_GT(spectral_likeness(a, made(1601, 0.125, 2, 0)), 0.97);
  Spectrum noise = a;
  std::mt19937_64 bits(3);
  std::exponential_distribution<double> scatter(1);
  for (double& p : noise.power) p = scatter(bits);
  EXPECT_LT(std::abs(spectral_likeness(a, noise)), 0.2);
  EXPECT_TRUE(std::isnan(spectral_likeness(a, made(4, 0.5, 1, 0))));
}

std::vector<ComparedLine> machine_at(double speed, double mains_hz) {
  std::vector<ComparedLine> out = {{mains_hz, 1e-3, 0.1, 1e-3}};
  double level = 1;
  for (const double order : {1.0, 2.0, 4.79, 24.6, 49.2})
    out.push_back({29.7 * order * speed, 1e-3, level, 1e-3}), level *= 0.6;
  return out;
}

TEST(SpeedChange, IsOneRatioAndWhatStaysStays) {
  const auto a = machine_at(1, 50), b = machine_at(0.994, 50);
  const auto speed = speed_change(a, b);
  ASSERT_TRUE(speed);
  EXPECT_NEAR(speed->ratio, 0.994, 4 * speed->ratio_std);
  EXPECT_LT(speed->ratio_std, 1e-4);
  EXPECT_EQ(speed->lines, 5u);
  const auto pairs = pair_lines(a, b, *speed);
  ASSERT_EQ(pairs.size(), 6u);
  for (const LinePair& p : pairs) {
    ASSERT_TRUE(p.a && p.b);
    EXPECT_EQ(*p.a, *p.b);
    EXPECT_FALSE(p.changed());
  }
}

TEST(SpeedChange, IsNotFoundWhereLinesStayOrHaveNothingInCommon) {
  EXPECT_FALSE(speed_change(machine_at(1, 50), machine_at(1, 50)));
  std::mt19937_64 bits(4);
  std::uniform_real_distribution<double> hz(20, 2000);
  int found = 0;
  for (int trial = 0; trial < 100; ++trial) {
    std::vector<ComparedLine> a, b;
    for (int i = 0; i < 12; ++i)
      a.push_back({hz(bits), 1e-3, 1, 0.01}), b.push_back({hz(bits), 1e-3, 1, 0.01});
    found += speed_change(a, b) ? 1 : 0;
  }
  EXPECT_EQ(found, 0);
}

TEST(Likeness, OfOneProcessInFreshNoiseIsNearOne) {
  // One average each: the levels of every bin scatter by their mean.
  const auto record = [](unsigned seed, double lean) {
    std::mt19937_64 bits(seed);
    std::exponential_distribution<double> one(1);
    Spectrum s;
    s.plan.bin_hz = 0.5, s.plan.rbw_hz = 0.75, s.plan.averages = 1, s.noise_averages = 1;
    for (int k = 0; k < 8000; ++k) s.power.push_back(one(bits) * std::pow(1 + k / 100.0, -lean));
    for (const std::size_t k : {400u, 1200u, 5000u}) s.power[k] = 1e3;
    return s;
  };
  EXPECT_GT(spectral_likeness(record(1, 1), record(2, 1)), 0.97);
  EXPECT_GT(spectral_likeness(record(3, 0), record(4, 0)), 0.9);
  EXPECT_LT(spectral_likeness(record(5, 2), record(6, 0)), 0.7);
}

}  // namespace
}  // namespace vprism::line_pairs_test
