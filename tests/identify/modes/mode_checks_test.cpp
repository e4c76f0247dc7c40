// One resonance in closed form, read by peak, half power, circle and free decay.
#include "identify/modes/mode_checks.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace vprism::mode_checks_test {
namespace {

using Complex = std::complex<double>;
using std::numbers::pi;

/// s^order / (w0^2 + s^2 + 2 d w0 s), and what a mode far away adds.
CurveStretch stretch(double f0, double d, int order, double low, double high, double step,
                     Complex beside = 0) {
  CurveStretch s;
  for (double f = low; f <= high; f += step) {
    const Complex p(0, 2 * pi * f);
    const double w = 2 * pi * f0;
    s.frequency_hz.push_back(f);
    s.ratio.push_back(std::pow(p, order) * (1.0 / (w * w + p * p + 2 * d * w * p) + beside / (w * w)));
  }
  return s;
}

TEST(ModeChecks, PeakAndHalfPowerOfADisplacement) {
  for (const double d : {0.002, 0.01, 0.04}) {
    const CurveStretch s = stretch(37.1, d, 0, 25, 50, d * 37.1 / 6);
    // The displacement's square is highest at f0 sqrt(1 - 2 d^2).
    const auto peak = read_peak(s);
    ASSERT_TRUE(peak);
    EXPECT_NEAR(peak->frequency_hz, 37.1 * std::sqrt(1 - 2 * d * d), 3e-5 * 37.1);
    const auto half = read_half_power(s);
    ASSERT_TRUE(half);
    EXPECT_NEAR(half->damping / d, 1, 0.01);
  }
}

TEST(ModeChecks, CircleIsExactForTheMobilityOfOneMode) {
  for (const int order : {0, 1, 2})
    for (const double d : {0.003, 0.012, 0.05}) {
      const CurveStretch s = stretch(62.35, d, order, 40, 90, d * 62.35 / 4);
      const auto circle = read_circle(s, {62.4, 1.3 * d}, order);
      ASSERT_TRUE(circle) << order << " " << d;
      EXPECT_NEAR(circle->mode.frequency_hz, 62.35, 1e-6 * 62.35);
      EXPECT_NEAR(circle->mode.damping / d, 1, 1e-6);
      EXPECT_LT(circle->out_of_round, 1e-9);
      EXPECT_LT(circle->damping_spread, 1e-6);
      // Diameter of the mobility: 1 / (2 d w0).
      EXPECT_NEAR(circle->radius * 2 * (2 * d * 2 * pi * 62.35), 1, 1e-6);
      // Not told which of the three it is, the roundest is taken.
      const auto guessed = read_circle(s, {62.4, 1.3 * d}, -1);
      ASSERT_TRUE(guessed);
      EXPECT_NEAR(guessed->mode.damping / d, 1, 1e-4);
    }
}

TEST(ModeChecks, ModesFarAwayOnlyShiftTheCircle) {
  const CurveStretch s = stretch(62.35, 0.01, 0, 40, 90, 0.1, Complex(0.8, -0.1));
  const auto circle = read_circle(s, {62.4, 0.012}, 0);
  ASSERT_TRUE(circle);
  EXPECT_NEAR(circle->mode.frequency_hz, 62.35, 1e-4 * 62.35);
  EXPECT_NEAR(circle->mode.damping, 0.01, 1e-4);
}

TEST(ModeChecks, FreeDecayByEnvelopeAndByDecrementAgree) {
  const double rate = 2048;
  std::vector<double> h(8192);
  const auto add = [&](double f0, double d, double a) {
    const double w = 2 * pi * f0, wd = w * std::sqrt(1 - d * d);
    for (std::size_t n = 0; n < h.size(); ++n) {
      const double t = static_cast<double>(n) / rate;
      h[n] += a * std::exp(-d * w * t) * std::sin(wd * t);
    }
  };
  add(62.35, 0.0121, 1), add(118.72, 0.0083, 0.8), add(203.46, 0.0147, 1.2);
  for (const auto& [hz, d] : {std::pair{62.35, 0.0121}, {118.72, 0.0083}, {203.46, 0.0147}}) {
    const auto decay = read_decay(h, rate, {hz * 1.001, 1.2 * d}, 55);
    ASSERT_TRUE(decay) << hz;
    EXPECT_NEAR(decay->envelope.frequency_hz / hz, 1, 1e-3);
    EXPECT_NEAR(decay->envelope.damping / d, 1, 0.01);
    EXPECT_NEAR(decay->decrement.frequency_hz / hz, 1, 1e-3);
    EXPECT_NEAR(decay->decrement.damping / d, 1, 0.02);
  }
  // An exponential window of 3 / s over it is taken off again.
  for (std::size_t n = 0; n < h.size(); ++n) h[n] *= std::exp(-3 * static_cast<double>(n) / rate);
  const auto decay = read_decay(h, rate, {118.72, 0.0123}, 55, 3);
  ASSERT_TRUE(decay);
  EXPECT_NEAR(decay->envelope.damping / 0.0083, 1, 0.01);
}

TEST(ModeChecks, WhatIsNoResonanceIsNotRead) {
  CurveStretch flat;
  for (int k = 0; k < 40; ++k) flat.frequency_hz.push_back(k), flat.ratio.push_back(1.0 + 0.001 * k);
  EXPECT_FALSE(read_half_power(flat));
  EXPECT_FALSE(read_decay(std::vector<double>(100, 0.0), 1000, {200, 0.01}, 50));
}

}  // namespace
}  // namespace vprism::mode_checks_test
