// Signals rebuilt from what they were made of.
#include "identify/tones/rebuild.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "base/error.h"
#include "transform/windows/window.h"

namespace vprism::rebuild_test {
namespace {

using std::numbers::pi;
constexpr double rate = 1000;

/// 4 + 2 cos(50 Hz) + cos(123.4 Hz) + 0.5 cos(211 Hz), each with a phase, and noise.
std::vector<double> three_lines(double noise_std) {
  std::mt19937_64 dice(2);
  std::normal_distribution<double> noise(0, 1);
  std::vector<double> x;
  for (int n = 0; n < 5000; ++n) {
    const double t = n / rate;
    x.push_back(4 + 2 * std::cos(2 * pi * 50 * t + 0.3) + std::cos(2 * pi * 123.4 * t - 1) +
                0.5 * std::cos(2 * pi * 211 * t + 2) + noise_std * noise(dice));
  }
  return x;
}

TEST(Rebuild, StrongestLinesComeInOrderWithTheirPhases) {
  const auto found = strongest_components(three_lines(0.05), rate, 10);
  ASSERT_EQ(found.size(), 3u);
  const double hz[] = {50, 123.4, 211}, amplitude[] = {2, 1, 0.5}, phase[] = {0.3, -1, 2};
  for (std::size_t i = 0; i < 3; ++i) {
    EXPECT_NEAR(found[i].hz, hz[i], 1e-3);
    EXPECT_NEAR(found[i].amplitude, amplitude[i], 5e-3);
    EXPECT_NEAR(found[i].phase_deg, phase[i] * 180 / pi, 1);
  }
  EXPECT_EQ(strongest_components(three_lines(0.05), rate, 2).size(), 2u);
}

TEST(Rebuild, EachFurtherComponentLeavesWhatTheoryLeaves) {
  const std::vector<double> x = three_lines(0);
  const Rebuilt r = rebuild(x, rate, strongest_components(x, rate, 3));
  EXPECT_NEAR(r.mean, 4, 5e-3);
  ASSERT_EQ(r.steps.size(), 4u);
  // Mean squares 2, 0.5, 0.125 of 2.625.
  const double left[] = {2.625, 0.625, 0.125, 0};
  for (std::size_t i = 0; i < 4; ++i) {
    EXPECT_NEAR(r.steps[i].residual_rms, std::sqrt(left[i]), 5e-3) << i;
    EXPECT_NEAR(r.steps[i].explained, 1 - left[i] / 2.625, 5e-3) << i;
  }
  for (std::size_t n = 0; n < x.size(); n += 97) EXPECT_NEAR(r.samples[n] + r.residual[n], x[n], 1e-9);
}

TEST(Rebuild, GivenFrequenciesAreFittedTogether) {
  const auto fitted = components_at(three_lines(0), rate, {123.4, 50, 211});
  ASSERT_EQ(fitted.size(), 3u);
  for (const Component& c : fitted) EXPECT_NEAR(c.amplitude, c.hz == 50 ? 2 : c.hz == 211 ? 0.5 : 1, 1e-6);
  EXPECT_THROW(components_at(three_lines(0), rate, {600}), Error);
  EXPECT_THROW(components_at(three_lines(0), rate, {0}), Error);
}

TEST(Rebuild, ABandHoldsItsLinesAndNoOthers) {
  const std::vector<double> part = band_part(three_lines(0), rate, 100, 150);
  // Away from the joined ends.
  for (std::size_t n = 1000; n < 4000; n += 7)
    EXPECT_NEAR(part[n], std::cos(2 * pi * 123.4 * static_cast<double>(n) / rate - 1), 0.02);
}

TEST(Rebuild, BinsOfATransformComeBackToTheLastDigit) {
  const std::size_t count = 401;
  std::vector<double> x, hz, rms, phase;
  std::mt19937_64 dice(5);
  std::normal_distribution<double> noise(0, 1);
  for (std::size_t n = 0; n < count; ++n) x.push_back(noise(dice));
  for (std::size_t k = 0; k <= count / 2; ++k) {
    double re = 0, im = 0;
    for (std::size_t n = 0; n < count; ++n) {
      const double angle = 2 * pi * static_cast<double>(k * n % count) / static_cast<double>(count);
      re += x[n] * std::cos(angle), im -= x[n] * std::sin(angle);
    }
    hz.push_back(rate * static_cast<double>(k) / static_cast<double>(count));
    const double size = std::hypot(re, im) / static_cast<double>(count);
    rms.push_back(k == 0 ? size : std::sqrt(2.0) * size);
    phase.push_back(std::atan2(im, re) * 180 / pi);
  }
  const std::vector<double> back = inverse_of_bins(hz, rms, phase, count, rate);
  ASSERT_EQ(back.size(), count);
  for (std::size_t n = 0; n < count; ++n) EXPECT_NEAR(back[n], x[n], 1e-9);
}

TEST(Rebuild, ASpectrumOfAnotherStartOrWindowIsReadAsSuch) {
  std::vector<double> x, moved, windowed;
  std::mt19937_64 dice(6);
  std::normal_distribution<double> noise(0, 1);
  const std::size_t count = 600;
  for (std::size_t n = 0; n < count; ++n) x.push_back(noise(dice));
  const std::vector<double> w = make_window({WindowKind::hann, 0}, count);
  for (std::size_t n = 0; n < count; ++n) {
    moved.push_back(x[(n + 37) % count]);  // As seen from sample 37.
    windowed.push_back(x[n] * w[n] / 0.5);
  }
  const TurnedBack same = matched_to(x, x), shifted = matched_to(x, moved), under = matched_to(x, windowed);
  EXPECT_EQ(same.shift, 0u);
  EXPECT_EQ(shifted.shift, 37u);
  EXPECT_EQ(shifted.samples, x);
  EXPECT_EQ(under.window, "hann");
  for (std::size_t n = 50; n < count - 50; ++n) EXPECT_NEAR(under.samples[n], x[n], 1e-9);
  // Another record's is left as it is.
  std::vector<double> other(count);
  for (double& v : other) v = noise(dice);
  EXPECT_EQ(matched_to(x, other).samples, other);
}

TEST(Rebuild, NoiseHasNoComponents) {
  std::mt19937_64 dice(8);
  std::normal_distribution<double> noise(0, 1);
  std::vector<double> x(4000);
  for (double& v : x) v = noise(dice);
  EXPECT_TRUE(strongest_components(x, rate, 10).empty());
}

}  // namespace
}  // namespace vprism::rebuild_test
