// Orders of a made-up run-up against what was put in, and samples at equal angles.
#include "identify/rotating/orders.h"

#include <gtest/gtest.h>

#include <cmath>
#include <complex>
#include <numbers>
#include <random>

#include "base/error.h"
#include "transform/time/angle_samples.h"

namespace vprism::orders_test {
namespace {

using std::numbers::pi;

TEST(AngleSamples, BandLimitedSignalsAreReadBetweenSamples) {
  std::vector<double> x;
  for (int n = 0; n < 2000; ++n) x.push_back(std::cos(2 * pi * 0.31 * n + 0.2) + 0.5);
  const auto at = [](std::size_t i) { return 100.3 + 1.37 * static_cast<double>(i); };
  const std::vector<double> y = sampled_at(x, 1000, at, [](std::size_t) { return 1.0; });
  for (std::size_t i = 0; i < 1000; i += 7)
    EXPECT_NEAR(y[i], std::cos(2 * pi * 0.31 * at(i) + 0.2) + 0.5, 3e-4) << i;
  // Through a low pass at half of half the rate, the cosine at 0.62 of it is gone.
  const std::vector<double> z = sampled_at(x, 500, at, [](std::size_t) { return 0.5; });
  for (std::size_t i = 50; i < 450; i += 7) EXPECT_NEAR(z[i], 0.5, 1e-3);
}

struct RunUp {
  std::vector<double> x;
  ShaftAngle shaft;
  double rate = 4000;
};

/// From 2 to 22 rev/s in 40 s: orders 1 (0.5 at 30 degrees), 3.5 (0.2), and a hump of order 1 near 12 rev/s.
RunUp run_up(double hump) {
  RunUp out;
  std::mt19937_64 bits(4);
  std::normal_distribution<double> dice(0, 0.01);
  std::vector<double> times, turns;
  const auto turns_at = [](double t) { return 2 * t + 0.25 * t * t; };
  for (int n = 0; n < 160000; ++n) {
    const double t = n / out.rate, turn = turns_at(t), speed = 2 + 0.5 * t;
    const double extra = hump / (1 + std::pow((speed - 12) / 0.8, 2));
    out.x.push_back((0.5 + extra) * std::cos(2 * pi * turn + pi / 6) + 0.2 * std::cos(2 * pi * 3.5 * turn) +
                    dice(bits));
  }
  for (double t = 0; t <= 40.001; t += 0.05) times.push_back(t), turns.push_back(turns_at(t));
  out.shaft = ShaftAngle(times, turns);
  return out;
}

TEST(Orders, CutsGiveAmplitudeAndPhaseAlongTheRun) {
  const RunUp run = run_up(0);
  const OrderAnalysis a = analyse_orders(run.x, run.rate, run.shaft, {});
  ASSERT_GE(a.found.size(), 2u);
  EXPECT_EQ(a.found[0], 1);
  EXPECT_NEAR(a.found[1], 3.5, 0.02);
  ASSERT_GE(a.cuts.size(), 1u);
  for (std::size_t n = 2; n + 2 < a.cuts[0].speed.size(); n += 5) {
    EXPECT_NEAR(a.cuts[0].amplitude[n], 0.5, 0.01);
    EXPECT_NEAR(a.cuts[0].phase_deg[n], 30, 2);
    EXPECT_NEAR(a.cuts[0].speed[n], 2 + 0.5 * a.cuts[0].time_s[n], 1e-3);
  }
  EXPECT_TRUE(a.resonances.empty());
  EXPECT_NEAR(a.level[static_cast<std::size_t>(std::lround(1 / a.order[1]))], 0.5, 0.01);
  // The map over speed: order 1 everywhere at its level.
  for (std::size_t c = 0; c < a.by_speed.columns; c += 9)
    EXPECT_NEAR(std::sqrt(2 * a.by_speed.at(a.by_speed.row_at(1), c)), 0.5, 0.02);
  EXPECT_NEAR(a.by_speed.start_s + a.by_speed.step_s * static_cast<double>(a.by_speed.columns), 21.6, 0.5);
}

TEST(Orders, AHumpOfACutIsACrossing) {
  const RunUp run = run_up(2);
  OrderSettings settings;
  settings.cuts = {1};
  const OrderAnalysis a = analyse_orders(run.x, run.rate, run.shaft, settings);
  ASSERT_EQ(a.resonances.size(), 1u);
  const CrossedResonance& r = a.resonances[0];
  EXPECT_NEAR(r.hz, 12, 3 * r.hz_std);
  EXPECT_LT(r.hz_std, 0.5);
  EXPECT_NEAR(r.crossings[0].amplitude, 2.5, 0.15);
  EXPECT_NEAR(r.crossings[0].time_s, 20, 0.5);
}

/// An order of constant force that sweeps over a pole: Q' = (p - i w) Q + 1 from place to place, in steps so
/// short that the frequency hardly moves within one; up at `hz_per_s`, or down.
TEST(Orders, ASweepOverAPoleTellsItWhateverItsPace) {
  for (const double damping : {0.004, 0.03})
    for (const double pace : {0.3, -1.0, 2.5}) {
      const double rate = 600, hz = 40, T = 34 / std::abs(pace), from = pace > 0 ? 23 : 57;
      const std::complex<double> pole =
          2 * pi * hz * std::complex<double>(-damping, std::sqrt(1 - damping * damping));
      std::vector<double> x, times, turns;
      std::complex<double> q = 0;
      std::mt19937_64 bits(7);
      std::normal_distribution<double> dice(0, 0.002);
      const auto turns_at = [&](double t) { return (from * t + pace * t * t / 2) / 2; };  // Order 2.
      constexpr int fine = 10;
      for (int n = 0; n < static_cast<int>(T * rate); ++n) {
        const double t = n / rate;
        x.push_back((std::polar(1.0, 2 * pi * 2 * turns_at(t)) * (0.3 + 10.0 * q)).real() + dice(bits));
        for (int k = 0; k < fine; ++k) {
          const double at = t + (k + 0.5) / fine / rate;
          const std::complex<double> move = pole - std::complex<double>(0, 2 * pi * (from + pace * at));
          q = std::exp(move / (fine * rate)) * q + (std::exp(move / (fine * rate)) - 1.0) / move;
        }
      }
      for (double t = 0; t <= T; t += 0.02) times.push_back(t), turns.push_back(turns_at(t));
      OrderSettings settings;
      settings.cuts = {2};
      const OrderAnalysis a = analyse_orders(x, rate, ShaftAngle(times, turns), settings);
      ASSERT_EQ(a.resonances.size(), 1u) << damping << " " << pace;
      const CrossedResonance& r = a.resonances[0];
      EXPECT_NEAR(r.hz, hz, 3.5 * r.hz_std) << damping << " " << pace;
      EXPECT_LT(r.hz_std, 0.02);
      EXPECT_NEAR(r.damping, damping, 3.5 * r.damping_std) << damping << " " << pace;
      EXPECT_LT(r.damping_std, 0.05 * damping);
    }
}

TEST(Orders, WhatCanNotBeToldIsRefused) {
  const RunUp run = run_up(0);
  OrderSettings settings;
  settings.highest = 100;
  EXPECT_THROW(analyse_orders(run.x, run.rate, run.shaft, settings), Error);
  settings.highest = 10, settings.revolutions = 400;
  EXPECT_THROW(analyse_orders(run.x, run.rate, run.shaft, settings), Error);
}

}  // namespace
}  // namespace vprism::orders_test
