// A carrier that swings by known deviations at known rates, in noise and beside lines; and what is none.
#include "identify/swings/frequency_swing.h"

#include <gmock/gmock.h>

#include <cmath>
#include <numbers>
#include <optional>
#include <random>

namespace vprism::frequency_swing_test {
namespace {

constexpr double rate = 10000, turn = 2 * std::numbers::pi;
constexpr std::size_t count = 60000;

struct Put {
  double deviation_hz, rate_hz;
};

std::vector<double> carrier(double hz, const std::vector<Put>& swings, double noise, unsigned seed = 1) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  const double begin = turn * std::uniform_real_distribution<double>()(random);
  std::vector<double> out(count);
  for (std::size_t n = 0; n < count; ++n) {
    const double t = static_cast<double>(n) / rate;
    double phase = begin + turn * hz * t;
    for (const Put& s : swings) phase += s.deviation_hz / s.rate_hz * std::sin(turn * s.rate_hz * t);
    out[n] = std::cos(phase) + noise * normal(random);
  }
  return out;
}

struct Alone : FrequencySwing {
  std::vector<double> rest;
};
/// The carrier, where there is one and no other.
std::optional<Alone> find_frequency_swing(std::span<const double> x, double rate_hz) {
  FrequencySwings found = find_frequency_swings(x, rate_hz);
  if (found.carriers.size() != 1) return {};
  return Alone{found.carriers[0], std::move(found.rest)};
}

TEST(FrequencySwing, DeviationAndRateComeBackWithinTheirUncertainty) {
  int cases = 0, within_three = 0;
  for (unsigned seed = 1; seed <= 12; ++seed) {
    const double deviation = 40.0 + 37 * seed, at = 3.3 + 2.1 * seed, hz = 1800 + 61.7 * seed;
    const auto found = find_frequency_swing(carrier(hz, {{deviation, at}}, 0.005 * seed, seed), rate);
    ASSERT_TRUE(found) << seed;
    ASSERT_EQ(found->course.frequency.size(), 1u) << seed;
    const vprism::Swing& part = found->course.frequency.front();
    for (const double ratio :
         {(part.peak - deviation) / part.peak_std, (part.rate_hz - at) / part.rate_std_hz,
          (found->course.carrier_hz - hz) / found->course.carrier_std_hz})
      ++cases, within_three += std::abs(ratio) < 3 ? 1 : 0;
    EXPECT_NEAR(part.peak, deviation, 2e-3 * deviation);
    EXPECT_NEAR(part.rate_hz, at, 1e-4 * at);
    EXPECT_NEAR(found->rms, std::sqrt(0.5), 2e-3);
  }
  EXPECT_GE(within_three, 0.97 * cases);
}

TEST(FrequencySwing, TwoSwingsAndALineBesideAreParted) {
  std::vector<double> x = carrier(2000, {{400, 7.3}, {120, 3.1}}, 0.05);
  for (std::size_t n = 0; n < count; ++n) x[n] += 0.2 * std::cos(turn * 4000 * static_cast<double>(n) / rate);
  const auto found = find_frequency_swing(x, rate);
  ASSERT_TRUE(found);
  ASSERT_EQ(found->course.frequency.size(), 2u);
  EXPECT_NEAR(found->course.frequency[0].peak, 400, 0.5);
  EXPECT_NEAR(found->course.frequency[1].peak, 120, 0.5);
  EXPECT_NEAR(found->course.frequency[1].rate_hz, 3.1, 0.001);
  // The line is left whole.
  double cosine = 0;
  for (std::size_t n = 0; n < count; ++n)
    cosine += 2.0 / count * found->rest[n] * std::cos(turn * 4000 * static_cast<double>(n) / rate);
  EXPECT_NEAR(cosine, 0.2, 0.002);
}

TEST(FrequencySwing, QuickSwingsOfALongRecordAreFound) {
  // 2^21 samples: means over 64 of them would hide a rate of 0.03 in each.
  constexpr std::size_t many = std::size_t{1} << 21;
  std::vector<double> x(many);
  for (std::size_t n = 0; n < many; ++n) {
    const double t = static_cast<double>(n);
    x[n] = std::cos(turn * 0.23 * t + 3.0 * std::sin(turn * 0.0317 * t));
  }
  const auto found = find_frequency_swing(x, 1);
  ASSERT_TRUE(found);
  ASSERT_FALSE(found->course.frequency.empty());
  EXPECT_NEAR(found->course.frequency[0].rate_hz, 0.0317, 1e-7);
  EXPECT_NEAR(found->course.frequency[0].peak, 3.0 * 0.0317, 1e-3 * 0.0951);
  EXPECT_NEAR(found->course.carrier_hz, 0.23, 1e-6);
}

TEST(FrequencySwing, OneThatMovesAtRandomHasItsRange) {
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal;
  std::vector<double> x(count);
  double phase = 0, away = 0;
  for (double& v : x) {
    // Steps of the frequency with a time constant of 0.2 s, 60 Hz RMS.
    away += -away / (0.2 * rate) + 60 * std::sqrt(2 / (0.2 * rate)) * normal(random);
    phase += turn * (2500 + away) / rate;
    v = std::cos(phase) + 0.02 * normal(random);
  }
  const auto found = find_frequency_swing(x, rate);
  ASSERT_TRUE(found);
  EXPECT_NEAR(found->course.lowest_hz, 2500 - 3.09 * 60, 75);
  EXPECT_NEAR(found->course.highest_hz, 2500 + 3.09 * 60, 75);
}

TEST(FrequencySwing, AnAmplitudeThatSwingsAsWellIsMeasuredBesideIt) {
  std::mt19937_64 random(7);
  std::normal_distribution<double> normal;
  std::vector<double> x(count);
  for (std::size_t n = 0; n < count; ++n) {
    const double t = static_cast<double>(n) / rate;
    x[n] = (1 + 0.5 * std::sin(turn * 11 * t)) * std::cos(turn * 2000 * t + 20 * std::sin(turn * 13 * t)) +
           0.01 * normal(random);
  }
  const auto found = find_frequency_swing(x, rate);
  ASSERT_TRUE(found);
  ASSERT_EQ(found->course.frequency.size(), 1u);
  EXPECT_NEAR(found->course.frequency[0].peak, 260, 3 * found->course.frequency[0].peak_std + 0.03);
  ASSERT_EQ(found->course.amplitude.size(), 1u);
  EXPECT_NEAR(found->course.depth(), 0.5, 2e-3);
  EXPECT_NEAR(found->course.amplitude[0].rate_hz, 11, 1e-3);
  double left = 0;
  for (const double v : found->rest) left += v * v;
  EXPECT_LT(std::sqrt(left / count), 0.02);
}

TEST(FrequencySwing, SeveralCarriersOfOneRecordAreEachFound) {
  const std::vector<double> one = carrier(1000, {{21, 7}}, 0.02, 1), other = carrier(2500, {{24, 3}}, 0, 2);
  std::vector<double> x = one;
  for (std::size_t n = 0; n < count; ++n) x[n] += 0.5 * other[n];
  const FrequencySwings found = find_frequency_swings(x, rate);
  ASSERT_EQ(found.carriers.size(), 2u);
  EXPECT_NEAR(found.carriers[0].course.carrier_hz, 1000, 0.05);
  EXPECT_NEAR(found.carriers[1].course.carrier_hz, 2500, 0.05);
  EXPECT_NEAR(found.carriers[1].course.frequency[0].peak, 24, 0.05);
  EXPECT_NEAR(found.carriers[1].rms, std::sqrt(0.125), 2e-3);
}

TEST(FrequencySwing, WhatIsNoneIsNotTakenForOne) {
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal;
  std::vector<double> noise(count), band(count), two(count), square(count);
  double a = 0, b = 0;
  for (std::size_t n = 0; n < count; ++n) {
    const double t = static_cast<double>(n) / rate, w = normal(random);
    noise[n] = w;
    const double next = w + 1.98 * std::exp(-0.01) * std::cos(turn * 0.15) * a - std::exp(-0.02) * b;
    b = a, a = next, band[n] = next;
    two[n] = std::cos(turn * 1000 * t) + std::cos(turn * 1200 * t) + 0.01 * w;
    square[n] = std::sin(turn * 73.3 * t) > 0 ? 1 : -1;
  }
  for (const auto* x : {&noise, &band, &two, &square})
    EXPECT_TRUE(find_frequency_swings(*x, rate).carriers.empty());
  // A carrier with weak sidebands, and one alone, are lines.
  EXPECT_FALSE(find_frequency_swing(carrier(2000, {{10, 31}}, 0.02), rate));
  EXPECT_FALSE(find_frequency_swing(carrier(2000, {}, 0.02), rate));
  EXPECT_FALSE(find_frequency_swing(std::vector<double>(count, 0.0), rate));
  EXPECT_FALSE(find_frequency_swing(std::vector<double>(100, 1.0), rate));
}

}  // namespace
}  // namespace vprism::frequency_swing_test
