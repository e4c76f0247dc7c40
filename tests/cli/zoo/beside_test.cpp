// Several things in one record: what is strong hides neither a bearing, nor lines beside one that wanders;
// one shock is one finding; what is found and the noise hold no more than there is.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "cli/zoo/identified.h"
#include "cli/zoo/zoo.h"

namespace vprism::beside_test {
namespace {

using zoo::between, zoo::identified, zoo::pi;

/// Findings and noise add up to what the channel holds.
void expect_within_power(const nlohmann::json& document, const std::vector<double>& x) {
  double mean = 0, square = 0, found = 0;
  for (const double v : x) mean += v / static_cast<double>(x.size());
  for (const double v : x) square += (v - mean) * (v - mean) / static_cast<double>(x.size());
  for (const auto& f : document["findings"]) found += std::pow(f["level"].get<double>(), 2);
  const double noise = document["results"][0]["noise"]["rms"].get<double>();
  EXPECT_LT(found + noise * noise, 1.02 * square) << document["findings"].dump();
}

TEST(Beside, ABearingIsHeardBesideAGear) {
  for (unsigned seed = 1; seed <= 3; ++seed) {
    std::mt19937_64 bits(seed);
    constexpr double fs = 20'000;
    const double shaft = between(bits, 20, 30), rate = shaft * between(bits, 3.3, 3.8),
                 slip = between(bits, 0.005, 0.015), ring = between(bits, 3000, 5500),
                 teeth = static_cast<double>(23 + bits() % 14);
    std::vector<double> blows(160'000, 0.0);
    double at = 0.01;
    std::size_t count = 0;
    for (; at < 8; at += (1 + slip * zoo::noise(bits, 1, 1)[0]) / rate, ++count)
      blows[static_cast<std::size_t>(at * fs)] += 1;
    const double true_hz = static_cast<double>(count) / (at - 0.01);
    std::vector<double> x = zoo::through_resonance(blows, ring, 0.03, fs);
    const double own = zoo::rms_of(x);
    const std::vector<double> w = zoo::noise(bits, x.size(), 0.05);
    for (std::size_t n = 0; n < x.size(); ++n) {
      const double turn = 2 * pi * shaft * static_cast<double>(n) / fs;
      x[n] = 0.1 * x[n] / own + 0.3 * (1 + 0.4 * std::cos(turn)) * std::cos(teeth * turn) +
             0.1 * std::cos(turn) + w[n];
    }
    const auto document = identified(x, fs);
    expect_within_power(document, x);
    int trains = 0;
    for (const auto& f : document["findings"]) {
      EXPECT_TRUE(f["kind"] != "resonance" && f["kind"] != "wandering") << seed << f.dump();
      if (f["kind"] != "impulse-family") continue;
      ++trains;
      EXPECT_NEAR(f["frequency_hz"].get<double>(), true_hz, 0.003 * true_hz) << seed;
      EXPECT_NEAR(f["level"].get<double>(), 0.1, 0.02) << seed;
    }
    EXPECT_EQ(trains, 1) << seed << document["findings"].dump();
  }
}

TEST(Beside, WeakLinesStandBesideOneThatWanders) {
  // A motor's current: the mains wanders, a broken bar makes lines on either side of it.
  for (unsigned seed = 1; seed <= 3; ++seed) {
    std::mt19937_64 bits(seed);
    constexpr double fs = 2000;
    const double slow = between(bits, 20, 40), slip = between(bits, 0.015, 0.04),
                 down = between(bits, 0.005, 0.02), up = between(bits, 0.005, 0.02);
    std::vector<double> x = zoo::noise(bits, 80'000, 0.002);
    double phase = 0;
    for (std::size_t n = 0; n < x.size(); ++n) {
      const double t = static_cast<double>(n) / fs;
      phase += 2 * pi * (50 + 0.04 * std::sin(2 * pi * t / slow)) / fs;
      x[n] += std::cos(phase) + down * std::cos((1 - 2 * slip) * phase + 1) +
              up * std::cos((1 + 2 * slip) * phase + 2);
    }
    const auto document = identified(x, fs);
    expect_within_power(document, x);
    for (const auto& [hz, level] : {std::pair{50 * (1 - 2 * slip), down / std::sqrt(2.0)},
                                    {50 * (1 + 2 * slip), up / std::sqrt(2.0)}}) {
      bool found = false;
      for (const auto& f : document["findings"])
        found = found || (std::abs(f["frequency_hz"].get<double>() - hz) < 0.05 &&
                          std::abs(f["level"].get<double>() - level) < 0.1 * level);
      EXPECT_TRUE(found) << seed << " " << hz << " " << level << document["findings"].dump();
    }
  }
}

TEST(Beside, OneShockIsOneFinding) {
  // Noise of two octaves that begins at once and dies away, as the ground or a casing answers.
  for (unsigned seed = 1; seed <= 4; ++seed) {
    std::mt19937_64 bits(seed);
    constexpr double fs = 100;
    const double begins = between(bits, 20, 60), lasts = between(bits, 4, 9);
    const std::vector<double> wide = zoo::noise(bits, 12'000, 1),
                              shock = zoo::through_resonance(wide, between(bits, 2, 5), 0.3, fs);
    std::vector<double> x = zoo::noise(bits, 12'000, 0.02);
    const double own = zoo::rms_of(shock);
    for (std::size_t n = 0; n < x.size(); ++n) {
      const double since = static_cast<double>(n) / fs - begins;
      if (since > 0) x[n] += 10 * shock[n] / own * std::exp(-since / lasts);
    }
    const auto document = identified(x, fs);
    expect_within_power(document, x);
    const double square = std::pow(zoo::rms_of(x), 2);
    std::size_t count = 0;
    for (const auto& f : document["findings"])
      if (std::pow(f["level"].get<double>(), 2) > 0.03 * square) ++count;
    EXPECT_EQ(count, 1u) << seed << document["findings"].dump();
  }
}

TEST(Beside, WhatRoundingLeavesOfASlowSignalIsNoResonance) {
  // A hall's temperature, a value a minute over 30 days, in steps of a tenth: days, halves of days, a walk.
  for (unsigned seed = 1; seed <= 3; ++seed) {
    std::mt19937_64 bits(seed);
    constexpr double per_day = 1440;
    const std::vector<double> steps = zoo::noise(bits, 43'200, between(bits, 0.003, 0.006));
    std::vector<double> x;
    double walk = 21;
    for (std::size_t n = 0; n < steps.size(); ++n) {
      const double day = static_cast<double>(n) / per_day;
      walk += steps[n];
      x.push_back(
          std::round(10 * (walk + 3 * std::sin(2 * pi * day) + 0.8 * std::cos(4 * pi * day) + 0.05 * day)) /
          10);
    }
    const auto findings = identified(x, 1 / 60.0)["findings"];
    EXPECT_GE(findings.size(), 2u) << seed;
    for (const auto& f : findings)
      EXPECT_TRUE(f["kind"] == "tone" || f["kind"] == "harmonic-family" || f["kind"] == "trend")
          << seed << f.dump();
  }
}

TEST(Beside, WhatStandsInSilenceIsNotRoundingHoweverLittleItHolds) {
  // Digital silence, then a ring-down of four steps: RMS over the record under that of rounding, 0.0029.
  std::vector<double> x(40'000, 0.0);
  for (std::size_t n = 5000; n < x.size(); ++n) {
    const double t = static_cast<double>(n - 5000) / 1000;
    x[n] = std::round(4 * std::exp(-t / 0.6) * std::sin(2 * pi * 33 * t)) / 100;
  }
  const auto document = identified(x, 1000);
  EXPECT_EQ(document["cautions"].dump().find("below-rounding"), std::string::npos);
  EXPECT_FALSE(document["findings"].empty());
}

TEST(Beside, AStepThatRingsIsAStepAndALineThatDiesAway) {
  // A second-order system after a step: 5 (1 - e^-at (cos wt + a/w sin wt)); the level that is taken off with
  // a few periods of ringing holds some of it.
  for (unsigned seed = 1; seed <= 6; ++seed) {
    std::mt19937_64 bits(seed);
    constexpr double fs = 4.8e6;
    const double own = 2 * pi * between(bits, 350e3, 450e3), damping = between(bits, 0.04, 0.06),
                 decay = damping * own, w = own * std::sqrt(1 - damping * damping),
                 begins = seed % 2 == 0 ? 20e-6 : 0, noise = seed > 3 ? 1e-3 : 0;
    std::vector<double> x = zoo::noise(bits, 600, noise);
    for (std::size_t n = 0; n < x.size(); ++n)
      if (const double t = static_cast<double>(n) / fs - begins; t >= 0)
        x[n] += 5 * (1 - std::exp(-decay * t) * (std::cos(w * t) + decay / w * std::sin(w * t)));
    const auto findings = identified(x, fs)["findings"];
    int decays = 0, steps = 0;
    for (const auto& f : findings) {
      steps += f["kind"] == "step" ? 1 : 0;
      if (f["kind"] != "decaying") continue;
      ++decays;
      const double hz = f["frequency_hz"].get<double>(), ratio = f["damping_ratio"].get<double>();
      EXPECT_NEAR(hz, w / (2 * pi), 5 * f["frequency_std_hz"].get<double>() + 1e-8 * hz) << seed;
      EXPECT_NEAR(ratio, damping, 5 * f["damping_std"].get<double>() + 1e-8 * damping) << seed;
    }
    EXPECT_EQ(decays, 1) << seed << findings.dump();
    EXPECT_EQ(steps, seed % 2 == 0 ? 1 : 0) << seed << findings.dump();
  }
}

}  // namespace
}  // namespace vprism::beside_test
