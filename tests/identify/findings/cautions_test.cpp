// Cautions from levels: each with a signal that has it and one that has not.
#include <gmock/gmock.h>

#include <cmath>
#include <random>

#include "identify/findings/finding.h"

namespace vprism::cautions_test {
namespace {

std::vector<std::string> codes_of(const std::vector<double>& x) {
  Block block(1, x.size());
  std::copy(x.begin(), x.end(), block.room(0).begin());
  block.set(0, x.size());
  StatisticsEstimator statistics(1);
  LevelsEstimator levels(1);
  SpikeCounter spikes(1);
  statistics.add(block);
  levels.add(block);
  spikes.add(block);
  Axis axis;
  axis.interval = 1e-3;
  std::vector<std::string> out;
  for (const Caution& c : level_cautions({"x", Unit::parse("V"), "voltage"}, statistics.result()[0],
                                         levels.result()[0], spikes.result()[0], axis)) {
    EXPECT_FALSE(c.text.empty());
    EXPECT_FALSE(c.remedy.empty());
    out.push_back(c.code);
  }
  return out;
}

std::vector<double> signal(double (*change)(double value, int n)) {
  std::mt19937 bits(1);
  std::normal_distribution<double> normal(0, 0.01);
  std::vector<double> x;
  for (int n = 0; n < 4000; ++n) x.push_back(change(std::sin(0.05 * n) + normal(bits), n));
  return x;
}

TEST(LevelCautions, AGoodSignalHasNone) {
  EXPECT_THAT(codes_of(signal([](double v, int) { return v; })), ::testing::IsEmpty());
}

struct Flawed {
  const char* code;
  double (*flaw)(double, int);
};

class LevelFlaws : public ::testing::TestWithParam<Flawed> {};

TEST_P(LevelFlaws, AreTold) {
  EXPECT_THAT(codes_of(signal(GetParam().flaw)), ::testing::Contains(GetParam().code));
}

INSTANTIATE_TEST_SUITE_P(
    All, LevelFlaws,
    ::testing::Values(Flawed{"clipping", [](double v, int) { return std::clamp(v, -0.9, 0.9); }},
                      Flawed{"clipping", [](double v, int) { return std::min(v, 0.95); }},
                      Flawed{"coarse-quantisation", [](double v, int) { return std::round(v * 8) / 8; }},
                      Flawed{"channel-dead", [](double, int) { return 0.25; }},
                      Flawed{"large-offset", [](double v, int) { return v + 100; }},
                      Flawed{"spikes", [](double v, int n) { return n % 997 == 500 ? v + 5 : v; }},
                      Flawed{"outliers",
                             [](double v, int n) {
                               return n > 2000 && n < 2010 ? 20.0 * std::sin((n - 2000) * 0.314) : v;
                             }},
                      Flawed{"ends-in-zeros", [](double v, int n) { return n < 3500 ? v : 0.0; }}),
    [](const auto& one) {
      std::string name = one.param.code + std::to_string(one.index);
      std::replace(name.begin(), name.end(), '-', '_');
      return name;
    });

TEST(LevelCautions, WhatIsJumpedToIsADropoutAndNoClipping) {
  // A link that gives zeros now and then, or the top of its range, beside a signal with a mean or without.
  for (const double mean : {1.5, 40.0, -3.0})
    for (const double given : {0.0, 99.0}) {
      std::vector<double> x = signal([](double v, int) { return v; });
      for (std::size_t n = 0; n < x.size(); ++n)
        x[n] = n % 390 > 100 && n % 390 < 104 + n / 390 ? given : x[n] + mean;
      const std::vector<std::string> codes = codes_of(x);
      EXPECT_THAT(codes, ::testing::Contains("dropouts")) << mean << " " << given;
      EXPECT_THAT(codes, ::testing::Not(::testing::Contains("clipping"))) << mean << " " << given;
    }
  // Few samples a period, hard at a rail: still met on a slope.
  std::vector<double> fast;
  for (int n = 0; n < 4000; ++n) fast.push_back(std::min(std::sin(0.31 * n), 0.8));
  EXPECT_THAT(codes_of(fast), ::testing::Contains("clipping"));
}

TEST(LevelCautions, RestingAtAnExtremeIsNoClipping) {
  // A step answer that begins at zero and comes to rest; a logic signal; a pulse with a flat top.
  std::vector<double> step, logic, pulse;
  for (int n = 0; n < 4000; ++n) {
    step.push_back(n < 500 ? 0 : n > 3500 ? 1 : (1 - std::exp(-(n - 500) / 600.0)) * 0.99);
    logic.push_back(n / 300 % 2);
    pulse.push_back(n > 1000 && n < 1400 ? 1 : -0.2 + 0.0001 * n);
  }
  for (const auto& x : {step, logic, pulse})
    EXPECT_THAT(codes_of(x), ::testing::Not(::testing::Contains("clipping")));
}

TEST(LevelCautions, SlowSignalsInStepsRestAtTheirTopsWithoutClipping) {
  // Sines of any amplitude in steps of one, slow enough for many samples at each; the same beyond a rail.
  for (const double amplitude : {12.3, 200.49, 2000.0, 30000.2})
    for (const double period : {997.0, 2311.7, 5003.1}) {
      std::vector<double> whole, cut;
      for (int n = 0; n < 12000; ++n) {
        const double x = amplitude * std::sin(6.2831853071795865 * n / period);
        whole.push_back(std::round(x));
        cut.push_back(std::round(std::clamp(x, -1e9, std::floor(0.9 * amplitude))));
      }
      EXPECT_THAT(codes_of(whole), ::testing::Not(::testing::Contains("clipping")))
          << amplitude << " " << period;
      if (amplitude > 100) {
        EXPECT_THAT(codes_of(cut), ::testing::Contains("clipping")) << amplitude << " " << period;
      }
    }
}

TEST(LevelCautions, AShapeThatComesAgainIsNotCoarse) {
  // 51 different values, but of no grid.
  std::vector<double> x;
  for (int n = 0; n < 1000; ++n) x.push_back(std::sin(6.2831853071795865 * (n % 100) / 100));
  EXPECT_THAT(codes_of(x), ::testing::Not(::testing::Contains("coarse-quantisation")));
}

std::optional<Caution> rest_of(const std::vector<double>& x) {
  Block block(1, x.size());
  std::copy(x.begin(), x.end(), block.room(0).begin());
  block.set(0, x.size());
  StatisticsEstimator statistics(1);
  RestEstimator rests(1);
  statistics.add(block), rests.add(block);
  Axis axis;
  axis.interval = 1e-3;
  return rest_caution({"x", Unit::parse("V"), "voltage"}, rests.result()[0], statistics.result()[0], axis);
}

TEST(RestCaution, AStretchThatStandsIsPlacedAndCounted) {
  const auto stuck = rest_of(signal([](double v, int n) { return n >= 1500 && n < 1700 ? 0.123 : v; }));
  ASSERT_TRUE(stuck);
  EXPECT_EQ(stuck->code, "stood-still");
  EXPECT_THAT(stuck->text, ::testing::HasSubstr("200 samples from 1.5 s on"));
  EXPECT_TRUE(rest_of(signal([](double v, int n) { return n % 900 < 40 ? 0.0 : v; })));
}

TEST(RestCaution, WhatRestsByNatureDoesNot) {
  EXPECT_FALSE(rest_of(signal([](double v, int) { return v; })));
  EXPECT_FALSE(rest_of(signal([](double v, int n) { return n % 900 < 20 ? 0.0 : v; })));           // Short.
  EXPECT_FALSE(rest_of(signal([](double v, int n) { return n % 100 < 60 ? 0.0 : v; })));           // Pulses.
  EXPECT_FALSE(rest_of(signal([](double v, int n) { return n >= 1500 && n < 1700 ? 5.0 : v; })));  // A rail.
  EXPECT_FALSE(rest_of(signal([](double v, int n) { return n >= 3900 ? 0.0 : v; })));              // Padding.
  // A slow signal in few steps.
  EXPECT_FALSE(rest_of(signal([](double, int n) { return std::round(20 * std::sin(0.002 * n)) / 20; })));
}

}  // namespace
}  // namespace vprism::cautions_test
