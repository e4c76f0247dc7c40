// ring_down_test.cpp: where free motion begins and ends in records of many points, and what is reported of
// its modes.
#include "field/ring_down.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "field/field.h"

namespace vprism::ring_down_test {
namespace {

using std::numbers::pi;

struct Motion {
  std::size_t frames = 1600, onset = 0, driven_from = 0;
  double hz[2] = {62.1, 131.4}, damping[2] = {0.02, 0.012};
  double noise = 0.01;
  std::size_t ruined = 0;  ///< A frame; 0: none.
};

/// 8 x 4 points of two shapes at 1 kHz; before the onset rest, or steady motion from `driven_from` on.
HeldPoints made(const Motion& motion, unsigned seed) {
  std::mt19937_64 dice(seed);
  std::normal_distribution<double> noise(0, 1);
  PointRecording r;
  r.file = "made", r.frames = static_cast<std::int64_t>(motion.frames), r.axis.interval = 1e-3;
  r.variables.push_back({"v", Unit::parse("m/s"), "velocity"});
  for (int y = 0; y < 4; ++y)
    for (int x = 0; x < 8; ++x) r.points.push_back({y * 8 + x + 1, 0.1 * x, 0.1 * y, 0});
  std::vector<double> values;
  for (const Node& n : r.points)
    for (std::size_t f = 0; f < motion.frames; ++f) {
      const double t = (static_cast<double>(f) - static_cast<double>(motion.onset)) / 1000;
      double v = motion.noise * noise(dice) * (motion.ruined > 0 && f == motion.ruined ? 3000 : 1);
      for (int m = 0; m < 2; ++m) {
        const double w = 2 * pi * motion.hz[m], d = motion.damping[m];
        const double shape = std::cos((m + 1) * pi * n.x / 0.7) * (1 + m * n.y);
        const double wave = std::cos(w * std::sqrt(1 - d * d) * t + m);
        if (t >= 0)
          v += shape * std::exp(-d * w * t) * wave;
        else if (motion.driven_from > 0)
          v += shape * wave;
      }
      values.push_back(v);
    }
  return HeldPoints(std::move(r), std::move(values));
}

void expect_modes(const FieldResult& r, const Motion& motion, const char* what) {
  EXPECT_TRUE(r.decays) << what;
  ASSERT_EQ(r.shapes.size(), 2u) << what;
  for (std::size_t m = 0; m < 2; ++m) {
    EXPECT_NEAR(r.shapes[m].hz, motion.hz[m], 4 * r.shapes[m].hz_std) << what;
    EXPECT_NEAR(r.shapes[m].damping, motion.damping[m], 4 * r.shapes[m].damping_std) << what;
    EXPECT_LT(r.shapes[m].hz_std, 0.05) << what;
    EXPECT_LT(r.shapes[m].damping_std, 0.05 * motion.damping[m]) << what;
  }
}

TEST(RingDown, PreTriggerAndNoiseBehindDoNoHarm) {
  Motion motion;
  motion.onset = 430, motion.ruined = 700;
  HeldPoints source = made(motion, 1);
  const FieldResult r = analyse_field(source, {});
  expect_modes(r, motion, "pre-trigger");
  EXPECT_GE(r.before, 430u);
  EXPECT_LE(r.before, 480u);
  EXPECT_LT(r.behind, 1300u);
  EXPECT_GT(r.behind, 600u);
  EXPECT_THAT(r.ruined, ::testing::ElementsAre(700u));
}

TEST(RingDown, WhatIsDrivenFirstIsNoPartOfIt) {
  Motion motion;
  motion.frames = 2000, motion.onset = 700, motion.driven_from = 1;
  HeldPoints source = made(motion, 2);
  const FieldResult r = analyse_field(source, {});
  expect_modes(r, motion, "driven");
  EXPECT_GE(r.before, 690u);
}

TEST(RingDown, AWindowForTheLevelsLeavesTheModes) {
  const Motion motion;
  HeldPoints source = made(motion, 3);
  FieldSettings settings;
  settings.window = Window{WindowKind::hann, 0};
  const FieldResult r = analyse_field(source, settings);
  EXPECT_EQ(r.plan.window.kind, WindowKind::hann);
  expect_modes(r, motion, "hann");
}

TEST(RingDown, ModesOneHalfPowerWidthApartAreTwo) {
  Motion motion;
  motion.hz[1] = motion.hz[0] * (1 + 2 * motion.damping[0]), motion.damping[1] = 0.018;
  HeldPoints source = made(motion, 4);
  expect_modes(analyse_field(source, {}), motion, "close");
}

TEST(RingDown, NothingIsCutOfWhatDoesNotDecay) {
  std::vector<double> steady(1000), noise(1000), growing(1000);
  std::mt19937 dice(5);
  std::normal_distribution<double> normal(0, 1);
  for (std::size_t n = 0; n < 1000; ++n) {
    const auto t = static_cast<double>(n);
    steady[n] = 1 + std::cos(0.3 * t), noise[n] = std::pow(normal(dice), 2), growing[n] = std::exp(t / 300);
  }
  for (const auto& level : {steady, noise, growing}) {
    const RingDown r = judge_ring_down(level);
    EXPECT_FALSE(r.decays);
    EXPECT_EQ(r.from, 0u);
    EXPECT_EQ(r.to, 1000u);
    EXPECT_LE(r.ruined.size(), 3u);
  }
}

}  // namespace
}  // namespace vprism::ring_down_test
