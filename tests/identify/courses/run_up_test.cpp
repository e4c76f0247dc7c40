// Orders that run up and down together, against how they were made; and what is none.
#include "identify/courses/run_up.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "base/dot.h"

namespace vprism::run_up_test {
namespace {

constexpr double tau = 2 * std::numbers::pi, rate = 4000;

struct MadeRun {
  std::vector<double> x;
  std::vector<double> order, rms, hz;
  double at(double time_s) const { return hz[static_cast<std::size_t>(std::lround(time_s * rate))]; }
};

/// Speeds as a power of time; the level of each order swells as it passes a resonance, or stays.
MadeRun made_run(std::mt19937_64& bits, std::size_t count, const std::vector<double>& orders, double noise) {
  std::uniform_real_distribution<double> flat(0, 1);
  std::normal_distribution<double> normal(0, noise);
  MadeRun out;
  const double low = 15 + 20 * flat(bits), high = low * (1.6 + 2 * flat(bits)), bend = 1 + flat(bits);
  const bool down = flat(bits) < 0.5;
  out.x.resize(count);
  for (double& v : out.x) v = normal(bits);
  out.order = orders, out.rms.assign(orders.size(), 0);
  std::vector<double> turn;
  for (std::size_t o = 0; o < orders.size(); ++o) turn.push_back(tau * flat(bits));
  double phase = 0;
  const double resonance = low + (high - low) * flat(bits);
  for (std::size_t n = 0; n < count; ++n) {
    const double u = static_cast<double>(n) / static_cast<double>(count - 1);
    const double hz = low + (high - low) * std::pow(down ? 1 - u : u, bend);
    out.hz.push_back(hz);
    for (std::size_t o = 0; o < orders.size(); ++o) {
      const double ratio = orders[o] * hz / resonance;
      const double amplitude = o % 2 == 0 ? 1 : 0.3 + 0.3 / std::hypot(1 - ratio * ratio, 0.2 * ratio);
      const double v = amplitude * std::cos(orders[o] * phase + turn[o]);
      out.x[n] += v, out.rms[o] += v * v / static_cast<double>(count);
    }
    phase += tau * hz / rate;
  }
  for (double& v : out.rms) v = std::sqrt(v);
  return out;
}

TEST(RunUp, OrdersLevelsAndEndsAreAsMade) {
  std::mt19937_64 bits(5);
  int ends = 0, within = 0, numbers = 0, known = 0;
  for (const std::vector<double>& orders :
       {std::vector<double>{1, 2, 3}, {1, 2.5}, {1, 1.5, 4, 6}, {1, 5}, {1, 3, 4}, {1, 2, 8}})
    for (const double noise : {0.02, 0.2}) {
      const MadeRun made = made_run(bits, 60000, orders, noise);
      const auto found = find_run_up(made.x, rate);
      ASSERT_TRUE(found) << orders.size() << " orders, noise " << noise << " " << made.hz.front() << " to "
                         << made.hz.back() << " rms " << made.rms[0] << " " << made.rms[1];
      ASSERT_EQ(found->orders.size(), orders.size()) << orders[1];
      for (std::size_t o = 0; o < orders.size(); ++o) {
        EXPECT_DOUBLE_EQ(found->orders[o].order, orders[o]);
        ++numbers,
            known += std::abs(found->orders[o].rms - made.rms[o]) < 3 * found->orders[o].rms_std ? 1 : 0;
        EXPECT_NEAR(found->orders[o].rms, made.rms[o], 0.03 * made.rms[o]) << orders[o];
      }
      const double from_hz = made.at(found->from_s), to_hz = made.at(found->to_s);
      for (const double off :
           {(found->from_hz - from_hz) / found->from_std_hz, (found->to_hz - to_hz) / found->to_std_hz})
        ++ends, within += std::abs(off) < 3 ? 1 : 0;
      EXPECT_NEAR(found->from_hz, from_hz, 0.02 * from_hz);
      EXPECT_NEAR(found->to_hz, to_hz, 0.02 * to_hz);
      EXPECT_LT(std::hypot(found->from_std_hz, found->to_std_hz), 0.03 * made.hz.front());
      // What is left is the noise, and what was not followed of the levels.
      EXPECT_LT(std::sqrt(variance_of(found->rest)), noise + 0.05 * found->rms);
    }
  EXPECT_GE(within, ends - 2) << ends;
  EXPECT_GE(known, numbers - 3) << numbers;
}

TEST(RunUp, ASlippingOrderIsNotRounded) {
  std::mt19937_64 bits(12);
  const MadeRun made = made_run(bits, 80000, {1, 1.992, 3.97}, 0.05);
  const auto found = find_run_up(made.x, rate);
  ASSERT_TRUE(found);
  ASSERT_EQ(found->orders.size(), 3u);
  for (std::size_t o = 1; o < 3; ++o) {
    EXPECT_NEAR(found->orders[o].order, made.order[o], 3 * found->orders[o].order_std);
    EXPECT_LT(found->orders[o].order_std, 0.002);
  }
}

TEST(RunUp, ARunBesideASteadyLineLeavesTheLine) {
  std::mt19937_64 bits(9);
  MadeRun made = made_run(bits, 40000, {1, 2, 3}, 0.05);
  for (std::size_t n = 0; n < made.x.size(); ++n)
    made.x[n] += 0.3 * std::cos(tau * 731.4 * static_cast<double>(n) / rate);
  const auto found = find_run_up(made.x, rate);
  ASSERT_TRUE(found);
  EXPECT_EQ(found->orders.size(), 3u);
  double cosine = 0, sine = 0;
  for (std::size_t n = 0; n < found->rest.size(); ++n) {
    const double angle = tau * 731.4 * static_cast<double>(n) / rate;
    cosine += 2 * found->rest[n] * std::cos(angle) / 40000,
        sine += 2 * found->rest[n] * std::sin(angle) / 40000;
  }
  EXPECT_NEAR(std::hypot(cosine, sine), 0.3, 0.01);
}

TEST(RunUp, WhatStaysOrSwingsOrIsAloneIsNone) {
  std::mt19937_64 bits(3);
  std::normal_distribution<double> normal(0, 0.1);
  std::vector<double> noise(20000), steady(20000), swinging(20000), alone(20000), clicks(20000);
  double swing = 0, sweep = 0;
  for (std::size_t n = 0; n < noise.size(); ++n) {
    const double t = static_cast<double>(n) / rate;
    for (auto* x : {&noise, &steady, &swinging, &alone, &clicks}) (*x)[n] = normal(bits);
    for (const double order : {1.0, 2.0, 3.0}) {
      steady[n] += std::cos(tau * 51.3 * order * t);
      swinging[n] += std::cos(order * swing);
    }
    swing += tau * (80 + 20 * std::sin(tau * 0.9 * t)) / rate;
    alone[n] += std::cos(sweep);
    sweep += tau * (100 + 60 * t) / rate;
    if (n % 997 == 0) clicks[n] += 5;
  }
  EXPECT_FALSE(find_run_up(noise, rate));
  EXPECT_FALSE(find_run_up(steady, rate));
  EXPECT_FALSE(find_run_up(swinging, rate));
  EXPECT_FALSE(find_run_up(alone, rate));
  EXPECT_FALSE(find_run_up(clicks, rate));
  EXPECT_FALSE(find_run_up(std::vector<double>(100, 1.0), rate));
  EXPECT_FALSE(find_run_up(std::vector<double>(5000, 1.0), rate));
}

}  // namespace
}  // namespace vprism::run_up_test
