// Two spectra set against each other.
#include "identify/line_pairs.h"

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

}  // namespace
}  // namespace vprism::line_pairs_test
