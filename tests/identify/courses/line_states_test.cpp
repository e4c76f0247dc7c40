// line_states_test.cpp: lines that jump between states, and lines that don't, against what was put in.
#include "identify/courses/line_states.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "cli/zoo/zoo.h"
#include "identify/lines/steady_lines.h"

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

/// On and off, half of the time each, with noise from 17 dB to 30 dB below the line.
TEST(LineStates, WhatIsOffIsNoiseAndNoState) {
  std::mt19937_64 bits(21);
  for (const double noise_rms : {0.1, 0.07, 0.022}) {
    const auto found =
        find_line_states(keyed(bits, 0.03, {{1311, 1, 0}, {1311, 0, 0}}, 16384, noise_rms).x, rate);
    ASSERT_TRUE(found) << noise_rms;
    EXPECT_EQ(found->kind, Kind::amplitude);
    ASSERT_EQ(found->states.size(), 2u);
    EXPECT_NEAR(found->states[0].frequency_hz, 1311, 4 * found->states[0].frequency_std_hz);
    EXPECT_NEAR(found->states[0].amplitude, 1, 0.03);
    EXPECT_EQ(found->states[1].amplitude, 0);
    EXPECT_NEAR(found->rate_hz, 1 / 0.03, 0.1);
  }
}

/// Two frequencies, or on and off, beside a steady line of 0.3 to 3 times the amplitude that is taken off
/// first.
TEST(LineStates, AreFoundInWhatSteadyLinesLeave) {
  std::mt19937_64 bits(31);
  int lines = 0, within_one = 0, within_three = 0;
  for (int trial = 0; trial < 12; ++trial) {
    const double hz = zoo::between(bits, 700, 1200), other = hz + zoo::between(bits, 200, 600),
                 steady = zoo::between(bits, 2000, 3600), level = zoo::between(bits, 0.3, 3);
    const Symbol second = trial % 2 == 0 ? Symbol{other, 1, 0} : Symbol{hz, 0, 0};
    Keyed record = keyed(bits, zoo::between(bits, 0.012, 0.04), {{hz, 1, 0}, second}, 24000, 0.05);
    for (std::size_t n = 0; n < record.x.size(); ++n)
      record.x[n] += level * std::cos(tau * steady / rate * static_cast<double>(n) + 1);
    std::vector<SteadyLine> found = steady_lines(record.x, {});
    std::erase_if(found, [&](const SteadyLine& line) { return !stands_in_each_piece(record.x, line); });
    ASSERT_EQ(found.size(), 1u) << trial;
    EXPECT_NEAR(found[0].cycles * rate, steady, 0.02);
    take_off(record.x, found);
    const auto states = find_line_states(record.x, rate);
    ASSERT_TRUE(states) << trial;
    ASSERT_EQ(states->states.size(), 2u);
    for (const LineState& state : states->states) {
      if (state.amplitude == 0) continue;
      const double off =
          std::min(std::abs(state.frequency_hz - hz), std::abs(state.frequency_hz - second.hz)) /
          state.frequency_std_hz;
      ++lines, within_one += off <= 1 ? 1 : 0, within_three += off <= 3 ? 1 : 0;
    }
  }
  EXPECT_GE(2 * within_one, lines);
  EXPECT_GE(within_three, lines - 1);
}

TEST(LineStates, KeyedFrequenciesLevelsAndPhasesAreFound) {
  std::mt19937_64 bits(3);
  int rates = 0, within_three = 0, known = 0, lines = 0, lines_one = 0, lines_three = 0;
  const auto hold = [&](const LineState& state, double hz) {
    const double off = std::abs(state.frequency_hz - hz) / state.frequency_std_hz;
    ++lines, lines_one += off <= 1 ? 1 : 0, lines_three += off <= 3 ? 1 : 0;
  };
  for (int trial = 0; trial < 16; ++trial) {
    const double symbol = zoo::between(bits, 0.015, 0.04), hz = zoo::between(bits, 700, 1500),
                 other = hz + zoo::between(bits, 150, 500);
    const auto frequencies = find_line_states(keyed(bits, symbol, {{hz, 1, 0}, {other, 1, 0}}).x, rate);
    ASSERT_TRUE(frequencies) << trial;
    EXPECT_EQ(frequencies->kind, Kind::frequency);
    ASSERT_EQ(frequencies->states.size(), 2u);
    hold(frequencies->states[0], hz), hold(frequencies->states[1], other);
    const auto levels = find_line_states(keyed(bits, symbol, {{hz, 1, 0}, {hz, 0.3, 0}, {hz, 0, 0}}).x, rate);
    ASSERT_TRUE(levels) << trial;
    EXPECT_EQ(levels->kind, Kind::amplitude);
    ASSERT_EQ(levels->states.size(), 3u);
    EXPECT_NEAR(levels->states[0].amplitude, 0.3, 0.01);
    EXPECT_NEAR(levels->states[1].amplitude, 1, 0.01);
    EXPECT_EQ(levels->states[2].amplitude, 0);
    hold(levels->states[0], hz), hold(levels->states[1], hz);
    for (const std::size_t phases : {2u, 4u}) {
      std::vector<Symbol> symbols;
      for (std::size_t k = 0; k < phases; ++k)
        symbols.push_back({hz, 1, static_cast<double>(k) / static_cast<double>(phases)});
      const Keyed made = keyed(bits, symbol, symbols);
      const auto found = find_line_states(made.x, rate);
      ASSERT_TRUE(found) << trial << " " << phases;
      EXPECT_EQ(found->kind, Kind::phase);
      EXPECT_EQ(found->phases, phases);
      hold(found->states[0], hz);
      EXPECT_NEAR(static_cast<double>(found->changes_s.size()), static_cast<double>(made.changes.size()),
                  0.1 * static_cast<double>(made.changes.size()));
      if (found->rate_hz == 0) continue;
      ++known, rates += std::abs(found->rate_hz * symbol - 1) < 1e-3 ? 1 : 0;
      within_three += std::abs(found->rate_hz - 1 / symbol) <= 3 * found->rate_std_hz ? 1 : 0;
    }
  }
  EXPECT_GE(known, 24);
  EXPECT_EQ(rates, known);
  EXPECT_GE(within_three, known - 1);
  EXPECT_GE(lines_three, 0.96 * lines);
  EXPECT_GE(lines_one, 0.5 * lines);
  EXPECT_LE(lines_one, 0.85 * lines);
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
    // Nothing but the noise is left.
    double square = 0;
    for (const double v : found->rest) square += v * v / static_cast<double>(found->rest.size());
    EXPECT_NEAR(std::sqrt(square), 0.01, 0.001);
  }
}

TEST(LineStates, AWeakLineBesideOneThatDropsOutStays) {
  std::mt19937_64 bits(13);
  std::vector<double> x = zoo::noise(bits, 16384, 0.005);
  const double weak = 0.02;
  for (std::size_t n = 0; n < x.size(); ++n) {
    const double t = static_cast<double>(n) / rate;
    const bool off = n % 4000 > 1500 && n % 4000 < 1900;
    x[n] += (off ? 0 : std::sin(tau * 437.3 * t)) + weak * std::sin(tau * 449.1 * t + 1);
  }
  const auto found = find_line_states(x, rate);
  ASSERT_TRUE(found);
  // What the rest holds at its frequency: the drop-outs' ends are blanked.
  double c = 0, s = 0;
  for (std::size_t n = 0; n < x.size(); ++n) {
    const double t = static_cast<double>(n) / rate;
    c += found->rest[n] * std::cos(tau * 449.1 * t), s += found->rest[n] * std::sin(tau * 449.1 * t);
  }
  EXPECT_NEAR(2 * std::hypot(c, s) / static_cast<double>(x.size()), weak, 0.1 * weak);
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

// There for a part of the record only: off before, behind, or both.
TEST(LineStates, ALineThatBeginsOrEndsIsThatAndNoNoise) {
  std::mt19937_64 bits(23);
  for (int trial = 0; trial < 18; ++trial) {
    const double hz = zoo::between(bits, 100, 3500), noise_rms = std::pow(10, zoo::between(bits, -4, -1));
    const std::size_t from = trial % 3 == 0 ? 0 : 1500 + bits() % 5000,
                      to = trial % 3 == 1 ? 16384 : 9000 + bits() % 5000;
    std::vector<double> x = zoo::noise(bits, 16384, noise_rms);
    for (std::size_t n = from; n < to; ++n) x[n] += std::cos(tau * hz * static_cast<double>(n) / rate + 1);
    const auto found = find_line_states(x, rate);
    ASSERT_TRUE(found) << trial;
    EXPECT_EQ(found->kind, Kind::amplitude);
    EXPECT_EQ(found->on_at_first, from == 0);
    ASSERT_EQ(found->states.size(), 2u);
    EXPECT_NEAR(found->states[0].frequency_hz, hz, 4 * found->states[0].frequency_std_hz) << trial;
    EXPECT_NEAR(found->states[0].amplitude, 1, 4 * noise_rms * std::sqrt(2.0 / 2000) + 1e-3);
    std::vector<double> at;
    if (from > 0) at.push_back(static_cast<double>(from) / rate);
    if (to < x.size()) at.push_back(static_cast<double>(to) / rate);
    ASSERT_EQ(found->changes_s.size(), at.size()) << trial;
    for (std::size_t i = 0; i < at.size(); ++i)
      EXPECT_NEAR(found->changes_s[i], at[i], (4 + 1000 * noise_rms * noise_rms) / rate) << trial;
    double left = 0;
    for (const double v : found->rest) left += v * v;
    EXPECT_LT(std::sqrt(left / 16384), 1.2 * noise_rms + 0.02) << trial;
  }
}

TEST(LineStates, DropoutsOfAnyLengthAreCounted) {
  std::mt19937_64 bits(21);
  for (int trial = 0; trial < 20; ++trial) {
    const double hz = zoo::between(bits, 250, 900);
    std::vector<double> x = zoo::noise(bits, 16384, 0.01);
    for (std::size_t n = 0; n < x.size(); ++n) x[n] += std::sin(tau * hz * static_cast<double>(n) / rate);
    // One in each thousand or so, from 20 samples, shorter than any window, to 400.
    std::size_t off = 0, count = 0;
    for (std::size_t at = 600; at + 1000 < x.size(); at += 1100 + bits() % 300, ++count) {
      const std::size_t length = 20 + bits() % 380;
      for (std::size_t n = at; n < at + length; ++n) x[n] = zoo::noise(bits, 1, 0.01)[0];
      off += length;
    }
    const auto found = find_line_states(x, rate);
    ASSERT_TRUE(found) << trial;
    EXPECT_EQ(found->kind, Kind::amplitude);
    EXPECT_NEAR(static_cast<double>(found->changes_s.size()), 2.0 * static_cast<double>(count), 2) << trial;
    EXPECT_NEAR(found->states.back().share, static_cast<double>(off) / 16384, 0.004) << trial;
  }
}

TEST(LineStates, ASpikeIsNoState) {
  std::mt19937_64 bits(6);
  for (int trial = 0; trial < 12; ++trial) {
    std::vector<double> x = zoo::noise(bits, 30000, 0.001);
    for (std::size_t n = 0; n < x.size(); ++n) x[n] += std::cos(0.47 * static_cast<double>(n));
    for (int spike = 0; spike < 6; ++spike) x[bits() % x.size()] += zoo::between(bits, 4, 60);
    EXPECT_FALSE(find_line_states(x, rate)) << trial;
  }
}

TEST(LineStates, WhatMovesGraduallyOrIsNoSingleLineHasNone) {
  for (const zoo::Kind& kind : zoo::kinds()) {
    if (kind.name == "intermittent tone" || kind.name == "level step" || kind.name == "level that steps" ||
        kind.name == "tone burst")
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
