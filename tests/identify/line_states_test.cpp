// line_states_test.cpp: lines that jump between states, and lines that don't, against what was put in.
#include "identify/line_states.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "../cli/zoo.h"

namespace vprism::line_states_test {
namespace {

constexpr double tau = 2 * std::numbers::pi, rate = 8000;
using Kind = LineStates::Kind;

struct Keyed {
  std::vector<double> x;
  std::vector<double> changes;
};
/// Symbols of a length in seconds; what each does to frequency, amplitude and phase (turns).
struct Symbol {
  double hz = 1000, amplitude = 1, turns = 0;
};
Keyed keyed(std::mt19937_64& bits, double symbol_s, const std::vector<Symbol>& symbols,
            std::size_t count = 16384, double noise_rms = 0.02) {
  Keyed out;
  out.x = zoo::noise(bits, count, noise_rms);
  double phase = 0;
  std::size_t last = bits() % symbols.size(), number = 0;
  for (std::size_t n = 0; n < count; ++n) {
    const double t = static_cast<double>(n) / rate;
    if (static_cast<std::size_t>(t / symbol_s) != number) {
      number = static_cast<std::size_t>(t / symbol_s);
      const std::size_t next = bits() % symbols.size();
      if (next != last) out.changes.push_back(static_cast<double>(number) * symbol_s);
      last = next;
    }
    const Symbol& s = symbols[last];
    out.x[n] += s.amplitude * std::cos(phase + tau * s.turns);
    phase += tau * s.hz / rate;
  }
  return out;
}

TEST(LineStates, KeyedFrequenciesLevelsAndPhasesAreFound) {
  std::mt19937_64 bits(3);
  int rates = 0, within_three = 0, known = 0;
  for (int trial = 0; trial < 8; ++trial) {
    const double symbol = zoo::between(bits, 0.015, 0.04), hz = zoo::between(bits, 700, 1500),
                 other = hz + zoo::between(bits, 150, 500);
    const auto frequencies = find_line_states(keyed(bits, symbol, {{hz, 1, 0}, {other, 1, 0}}).x, rate);
    ASSERT_TRUE(frequencies) << trial;
    EXPECT_EQ(frequencies->kind, Kind::frequency);
    ASSERT_EQ(frequencies->states.size(), 2u);
    EXPECT_NEAR(frequencies->states[0].frequency_hz, hz, 0.2);
    EXPECT_NEAR(frequencies->states[1].frequency_hz, other, 0.2);
    const auto levels = find_line_states(keyed(bits, symbol, {{hz, 1, 0}, {hz, 0.3, 0}, {hz, 0, 0}}).x, rate);
    ASSERT_TRUE(levels) << trial;
    EXPECT_EQ(levels->kind, Kind::amplitude);
    ASSERT_EQ(levels->states.size(), 3u);
    EXPECT_NEAR(levels->states[0].amplitude, 0.3, 0.01);
    EXPECT_NEAR(levels->states[1].amplitude, 1, 0.01);
    EXPECT_EQ(levels->states[2].amplitude, 0);
    for (const std::size_t phases : {2u, 4u}) {
      std::vector<Symbol> symbols;
      for (std::size_t k = 0; k < phases; ++k)
        symbols.push_back({hz, 1, static_cast<double>(k) / static_cast<double>(phases)});
      const Keyed made = keyed(bits, symbol, symbols);
      const auto found = find_line_states(made.x, rate);
      ASSERT_TRUE(found) << trial << " " << phases;
      EXPECT_EQ(found->kind, Kind::phase);
      EXPECT_EQ(found->phases, phases);
      EXPECT_NEAR(static_cast<double>(found->changes_s.size()), static_cast<double>(made.changes.size()),
                  0.1 * static_cast<double>(made.changes.size()));
      if (found->rate_hz == 0) continue;
      ++known, rates += std::abs(found->rate_hz * symbol - 1) < 1e-3 ? 1 : 0;
      within_three += std::abs(found->rate_hz - 1 / symbol) <= 3 * found->rate_std_hz ? 1 : 0;
    }
  }
  EXPECT_GE(known, 12);
  EXPECT_EQ(rates, known);
  EXPECT_GE(within_three, known - 1);
}

TEST(LineStates, LostSamplesAreOneJumpWhereTheyWereLost) {
  std::mt19937_64 bits(7);
  for (int trial = 0; trial < 10; ++trial) {
    const double hz = zoo::between(bits, 200, 900), at = zoo::between(bits, 0.4, 1.6);
    // By a sixth to five sixths of a turn.
    const double lost = zoo::between(bits, 0.17, 0.83) / hz;
    std::vector<double> x = zoo::noise(bits, 16384, 0.01);
    for (std::size_t n = 0; n < x.size(); ++n) {
      const double t = static_cast<double>(n) / rate;
      x[n] += std::sin(tau * hz * (t < at ? t : t + lost));
    }
    const auto found = find_line_states(x, rate);
    ASSERT_TRUE(found) << trial;
    EXPECT_EQ(found->kind, Kind::phase);
    ASSERT_EQ(found->changes_s.size(), 1u);
    EXPECT_NEAR(found->changes_s[0], at, 3 / rate);
    EXPECT_NEAR(found->jumps_deg[0], 360 * (hz * lost - std::round(hz * lost)), 2);
    EXPECT_NEAR(found->left_rms, 0.01, 0.002);
  }
}

TEST(LineStates, AStretchThatStandsIsADropout) {
  std::mt19937_64 bits(9);
  std::vector<double> x = zoo::noise(bits, 16384, 0.01);
  for (std::size_t n = 0; n < x.size(); ++n) x[n] += std::sin(tau * 137.3 * static_cast<double>(n) / rate);
  std::fill(x.begin() + 7000, x.begin() + 9000, x[7000]);
  const auto found = find_line_states(x, rate);
  ASSERT_TRUE(found);
  EXPECT_EQ(found->kind, Kind::amplitude);
  ASSERT_EQ(found->changes_s.size(), 2u);
  EXPECT_NEAR(found->changes_s[0], 7000 / rate, 10 / rate);
  EXPECT_NEAR(found->changes_s[1], 9000 / rate, 10 / rate);
  EXPECT_NEAR(found->states.back().share, 2000 / 16384.0, 0.002);
}

TEST(LineStates, WhatMovesGraduallyOrIsNoSingleLineHasNone) {
  for (const zoo::Kind& kind : zoo::kinds()) {
    if (kind.name == "intermittent tone" || kind.name == "level step" || kind.name == "level that steps")
      continue;
    for (int i = 0; i < 3; ++i) {
      std::mt19937_64 bits(zoo::seed_of(kind.name, 400 + i));
      const zoo::Record record = kind.make(bits);
      if (record.truth.kinds.contains("switching")) continue;
      EXPECT_FALSE(find_line_states(record.x, record.rate_hz)) << kind.name << " " << i;
    }
  }
  EXPECT_FALSE(find_line_states(std::vector<double>(4096, 1.0), rate));
  EXPECT_FALSE(find_line_states(std::vector<double>(5, 1.0), rate));
  EXPECT_FALSE(find_line_states({}, rate));
}

}  // namespace
}  // namespace vprism::line_states_test
