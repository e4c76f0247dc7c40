// A line whose level steps: found with its frequency, its levels and the moments; nothing made up elsewhere.
#include "identify/courses/level_steps.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "identify/verdict/band_models.h"

namespace vprism::level_steps_test {
namespace {

using Complex = std::complex<double>;

struct Made {
  std::vector<Complex> values;
  double turn = 0;
};

/// Levels and where each ends, of 400 values in noise of mean square `noise`.
template <typename Random>
Made made(Random& random, const std::vector<std::pair<double, std::size_t>>& levels, double noise) {
  std::normal_distribution<double> normal(0, std::sqrt(noise / 2));
  Made out;
  out.turn = std::uniform_real_distribution<double>(-0.5, 0.5)(random);
  const double phase = std::uniform_real_distribution<double>(0, 6)(random);
  std::size_t m = 0;
  for (const auto& [level, end] : levels)
    for (; m < end; ++m)
      out.values.push_back(std::polar(level, phase + out.turn * static_cast<double>(m)) +
                           Complex(normal(random), normal(random)));
  return out;
}

TEST(LevelSteps, FrequencyAndLevelsAreCovered) {
  std::mt19937 random(4);
  int within = 0, beyond = 0, all = 0;
  const auto count = [&](double error, double std) {
    ++all;
    within += std::abs(error)<std, beyond += std::abs(error)> 3 * std;
  };
  for (int i = 0; i < 60; ++i) {
    const std::size_t first = 60 + random() % 120, second = 230 + random() % 100;
    const Made one = made(random, {{1, first}, {0.4, second}, {0.8, 400}}, 0.01);
    const auto fit = fit_level_steps(one.values, 2, 0.01);
    ASSERT_TRUE(fit) << i;
    count(fit->turn - one.turn, fit->turn_std);
    const double truth[] = {1, 0.4, 0.8};
    for (std::size_t p = 0; p < 3; ++p)
      count(std::abs(fit->pieces[p].amplitude) - truth[p], fit->pieces[p].std);
    EXPECT_NEAR(static_cast<double>(fit->pieces[0].to) + 3, static_cast<double>(first), 1) << i;
    EXPECT_NEAR(static_cast<double>(fit->pieces[1].to) + 3, static_cast<double>(second), 1) << i;
  }
  EXPECT_GT(within, 0.6 * all);
  EXPECT_LT(within, 0.8 * all);
  EXPECT_LE(beyond, 0.02 * all);
}

TEST(LevelSteps, AreNotSeenWhereThereAreNone) {
  std::mt19937 random(5);
  for (int i = 0; i < 40; ++i) {
    const Made steady = made(random, {{1, 400}}, 0.01), silent = made(random, {{1, 200}, {0, 400}}, 0.01),
               noise = made(random, {{0, 400}}, 1);
    EXPECT_FALSE(fit_level_steps(steady.values, 1, 0.01)) << i;
    EXPECT_FALSE(fit_level_steps(silent.values, 1, 0.01)) << i;  // That is a burst.
    EXPECT_FALSE(fit_level_steps(noise.values, 1, 1)) << i;
    // A slow change is none.
    Made slow = made(random, {{1, 400}}, 0.01);
    for (std::size_t m = 0; m < 400; ++m)
      slow.values[m] *= 1 + 0.5 * std::sin(0.012 * static_cast<double>(m));
    EXPECT_FALSE(fit_level_steps(slow.values, 1, 0.01)) << i;
    EXPECT_FALSE(fit_level_steps(slow.values, 2, 0.01)) << i;
  }
}

TEST(LevelSteps, TheBandsVerdictIsAStep) {
  std::mt19937 random(6);
  int right = 0;
  for (int i = 0; i < 30; ++i) {
    BandSignal band;
    band.centre_hz = 400, band.step_s = 0.02, band.noise = 0.01;
    const std::size_t at = 80 + random() % 240;
    const Made one = made(random, {{1, at}, {i % 2 == 0 ? 0.3 : 0.7, 400}}, 0.01);
    band.values = one.values;
    const BandVerdict v = judge_band(band);
    if (v.kind != BandVerdict::Kind::stepping) continue;
    ++right;
    ASSERT_EQ(v.levels.size(), 2u);
    EXPECT_NEAR(v.levels[0].to_s, 0.02 * static_cast<double>(at), 0.03);
    EXPECT_NEAR(v.levels[1].amplitude, i % 2 == 0 ? 0.3 : 0.7, 0.05);
    EXPECT_NEAR(v.frequency_hz, 400 + one.turn / (2 * M_PI * 0.02), 5 * v.frequency_std_hz);
  }
  EXPECT_GE(right, 29);
}

}  // namespace
}  // namespace vprism::level_steps_test
