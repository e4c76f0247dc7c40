// Averaged cycles and Fourier series against closed forms; signals made again from their components.
#include "identify/rotating/cycles.h"

#include <gtest/gtest.h>

#include <cmath>
#include <complex>
#include <numbers>
#include <random>

#include "base/error.h"
#include "identify/rotating/cycle_phase.h"
#include "identify/tones/rebuild.h"

namespace vprism::cycles_test {
namespace {

using std::numbers::pi;

/// +1 for the first half of each period of `period` samples, else -1.
std::vector<double> square(std::size_t count, double period) {
  std::vector<double> x(count);
  for (std::size_t n = 0; n < count; ++n)
    x[n] = std::fmod(static_cast<double>(n) + 1e-6, period) < period / 2 ? 1 : -1;
  return x;
}

TEST(Cycles, SquareWaveGivesFourOverNPiToTheTwentyFifthOrder) {
  // 80 ms at 100 kHz.
  const std::vector<double> x = square(200000, 8000);
  const Period period = find_period(x);
  EXPECT_NEAR(period.samples, 8000, 1e-6);
  const CycleAverage a = average_cycles(x, edges_of_period(x.size(), period.samples, 0), 25);
  EXPECT_EQ(a.cycles, 25u);
  ASSERT_EQ(a.orders.size(), 25u);
  double left = 1;
  for (const CycleOrder& o : a.orders) {
    const double expected = o.n % 2 == 1 ? 4 / (o.n * pi) : 0;
    EXPECT_NEAR(o.amplitude(), expected, 1e-4) << o.n;
    EXPECT_NEAR(o.b, expected, 1e-4) << o.n;
    left -= expected * expected / 2;
  }
  // Parseval: what is left of the mean square 1.
  EXPECT_NEAR(a.residual_rms, std::sqrt(left), 2e-4);
  EXPECT_NEAR(a.residual_by_orders[25], std::sqrt(left), 2e-4);
  EXPECT_NEAR(a.mean, 0, 1e-9);
  // Gibbs: (2/pi) Si(pi) - 1 of half the jump, 8.949% of the whole one (for many orders; 25 come near).
  EXPECT_EQ(a.jumps, 2u);
  EXPECT_NEAR(a.jump_height, 2, 1e-9);
  EXPECT_NEAR(a.overshoot, 0.0895, 0.0008);
  // 8 / pi^2 sum over odd n > N of 1/n^2 is about 4 / (pi^2 N): 10% are left after 40 or so.
  EXPECT_NEAR(static_cast<double>(*orders_needed(a, 0.1)), 4 / (pi * pi * 0.01), 2);
  EXPECT_GT(*orders_needed(a, 1e-3), 2000u);
}

TEST(Cycles, OrdersAreExactForPeriodsThatAreNoWholeNumberOfSamples) {
  const double period = 37.319;
  std::vector<double> x;
  for (int n = 0; n < 5000; ++n) {
    const double p = n / period;
    x.push_back(0.5 + 2 * std::cos(2 * pi * p) - 0.7 * std::sin(2 * pi * p) +
                0.3 * std::cos(2 * pi * 5 * p + 1));
  }
  const CycleAverage a = average_cycles(x, edges_of_period(x.size(), period, 0), 8);
  EXPECT_NEAR(a.mean, 0.5, 1e-10);
  EXPECT_NEAR(a.orders[0].a, 2, 1e-10);
  EXPECT_NEAR(a.orders[0].b, -0.7, 1e-10);
  EXPECT_NEAR(a.orders[4].amplitude(), 0.3, 1e-10);
  EXPECT_NEAR(a.orders[4].phase_deg(), 180 / pi, 1e-7);
  EXPECT_LT(a.residual_rms, 1e-10);
  EXPECT_EQ(a.jumps, 0u);
  // The found period is near enough to give the same orders but for its error over the record.
  const Period found = find_period(x);
  EXPECT_NEAR(found.samples, period, 2e-3);
}

TEST(Cycles, NoEdgeLiesBehindTheRecord) {
  // Ten cycles that are a millionth of a sample too long for the record, and ten that are half a sample too
  // long.
  EXPECT_EQ(edges_of_period(1000, 100.00000005, 0).size(), 11u);
  EXPECT_EQ(edges_of_period(1000, 100.00000005, 0).back(), 1000);
  EXPECT_EQ(edges_of_period(1000, 100.05, 0).size(), 10u);
  EXPECT_EQ(edges_of_period(1000, 100, 30).back(), 930);
}

TEST(Cycles, PeriodInNoiseIsAsGoodAsItsUncertaintySays) {
  std::mt19937_64 bits(8);
  std::normal_distribution<double> dice(0, 0.5);
  const double period = 123.4567;
  int within = 0, within_three = 0;
  for (int run = 0; run < 20; ++run) {
    std::vector<double> x;
    for (int n = 0; n < 20000; ++n)
      x.push_back(std::cos(2 * pi * n / period + run) + 0.5 * std::cos(2 * pi * 3 * n / period) + dice(bits));
    const Period found = find_period(x);
    within += std::abs(found.samples - period) < found.std;
    within_three += std::abs(found.samples - period) < 3.5 * found.std;
  }
  EXPECT_GE(within, 7);
  EXPECT_GE(within_three, 18);
  EXPECT_THROW(find_period(std::vector<double>(100, 1.0)), Error);
  std::vector<double> noise(5000);
  for (double& v : noise) v = dice(bits);
  EXPECT_THROW(find_period(noise), Error);
}

TEST(Cycles, TriggersAndScatterFromCycleToCycle) {
  // Cycles of changing length, each one sine.
  std::mt19937_64 bits(8);
  std::normal_distribution<double> dice(0, 0.1);
  std::vector<double> x, trigger;
  for (int c = 0; c < 60; ++c) {
    const int length = 95 + c % 11;
    for (int n = 0; n < length; ++n) {
      x.push_back(std::sin(2 * pi * n / length) + dice(bits));
      trigger.push_back(n < 10 ? 5 : 0);
    }
  }
  const TriggerLevel level = trigger_level(trigger);
  EXPECT_NEAR(level.level, 2.5, 0.6);
  CycleEdges edges = rising_edges(trigger, level.level, level.hysteresis);
  ASSERT_EQ(edges.size(), 59u);  // The first pulse begins before the record.
  for (double& e : edges) e = std::ceil(e);
  const CycleAverage a = average_cycles(x, edges, 5);
  EXPECT_NEAR(a.orders[0].b, 1, 0.02);
  EXPECT_NEAR(a.scatter_rms, 0.1, 0.01);
  EXPECT_NEAR(a.jitter, 0.032, 0.004);
  EXPECT_NEAR(a.orders[2].std, 0.1 * std::sqrt(2.0 / static_cast<double>(58 * 100)), 2e-4);
  EXPECT_THROW(average_cycles(x, {0}, 5), Error);
  EXPECT_THROW(average_cycles(x, {0, 2}, 5), Error);
}

TEST(Rebuild, ComponentsLeaveWhatTheirPowersSay) {
  std::mt19937_64 bits(8);
  std::normal_distribution<double> dice(0, 0.1);
  std::vector<double> x;
  for (int n = 0; n < 20000; ++n)
    x.push_back(3 + 2 * std::cos(2 * pi * 0.0512 * n + 1) + std::cos(2 * pi * 0.11 * n - 2) +
                0.5 * std::cos(2 * pi * 0.3 * n) + dice(bits));
  const std::vector<Component> parts = strongest_components(x, 1, 3);
  ASSERT_EQ(parts.size(), 3u);
  EXPECT_NEAR(parts[0].amplitude, 2, 0.01);
  EXPECT_NEAR(parts[1].hz, 0.11, 1e-6);
  const Rebuilt made = rebuild(x, 1, parts);
  const double expected[] = {2.625 + 0.01, 0.625 + 0.01, 0.125 + 0.01, 0.01};
  for (std::size_t i = 0; i < 4; ++i)
    EXPECT_NEAR(std::pow(made.steps[i].residual_rms, 2), expected[i], 0.02 * expected[i]) << i;
  EXPECT_NEAR(made.explained, 1 - 0.01 / 2.635, 1e-3);
  EXPECT_NEAR(made.mean, 3, 0.01);
  for (std::size_t n = 0; n < x.size(); n += 999) EXPECT_NEAR(made.samples[n] + made.residual[n], x[n], 1e-9);
  // At given frequencies alone.
  const Rebuilt one = rebuild(x, 1, components_at(x, 1, {0.3}));
  EXPECT_NEAR(one.explained, 0.125 / 2.635, 2e-3);
  EXPECT_THROW(components_at(x, 1, {0.6}), Error);
}

TEST(Rebuild, BandsAddUpToTheWhole) {
  std::vector<double> x;
  for (int n = 0; n < 3001; ++n) x.push_back(std::sin(0.001 * n * n) + 0.1 * (n % 7));
  const std::vector<double> low = band_part(x, 100, 0, 20), high = band_part(x, 100, 20, 100);
  double mean = 0;
  for (const double v : x) mean += v / static_cast<double>(x.size());
  for (std::size_t n = 0; n < x.size(); n += 13) EXPECT_NEAR(low[n] + high[n] + mean, x[n], 1e-9);
}

TEST(Rebuild, InverseOfAllBinsIsTheSignal) {
  std::mt19937_64 bits(8);
  std::normal_distribution<double> dice;
  for (const std::size_t count : {500u, 501u}) {
    std::vector<double> x(count), hz, rms, phase;
    for (double& v : x) v = dice(bits);
    for (std::size_t k = 0; k <= count / 2; ++k) {
      std::complex<double> sum;
      for (std::size_t n = 0; n < count; ++n)
        sum += x[n] * std::polar(1.0 / static_cast<double>(count),
                                 -2 * pi * static_cast<double>(k * n % count) / static_cast<double>(count));
      const bool alone = k == 0 || 2 * k == count;
      hz.push_back(static_cast<double>(k) * 8 / static_cast<double>(count));
      rms.push_back(alone ? std::abs(sum) : std::sqrt(2.0) * std::abs(sum));
      phase.push_back(std::arg(sum) * 180 / pi);
    }
    const std::vector<double> back = inverse_of_bins(hz, rms, phase, count, 8);
    for (std::size_t n = 0; n < count; ++n) EXPECT_NEAR(back[n], x[n], 1e-9);
    // Off the bins a sum of cosines does it.
    const std::vector<double> one = inverse_of_bins({0.1234}, {1}, {30}, count, 8);
    EXPECT_NEAR(one[100], std::sqrt(2.0) * std::cos(2 * pi * 0.1234 * 100 / 8 + pi / 6), 1e-9);
  }
}

std::vector<double> orders_of(std::size_t count, double period, const std::vector<double>& amplitudes,
                              double noise, unsigned seed) {
  std::mt19937_64 bits(seed);
  std::normal_distribution<double> dice(0, 1);
  std::vector<double> x(count);
  for (std::size_t n = 0; n < count; ++n) {
    for (std::size_t k = 0; k < amplitudes.size(); ++k)
      x[n] += amplitudes[k] *
              std::cos(2 * pi * static_cast<double>((k + 1) * n) / period + static_cast<double>(k));
    x[n] += noise * dice(bits);
  }
  return x;
}

TEST(Cycles, AWeakFundamentalIsNotHalved) {
  // The even orders, or every third, hold nearly all.
  for (unsigned seed = 1; seed <= 10; ++seed) {
    const double period = 150 + 7.3 * seed;
    const Period even = find_period(orders_of(20'000, period, {0.05, 1, 0.02, 0.5}, 0.05, seed));
    EXPECT_NEAR(even.samples, period, 5 * even.std) << seed;
    const Period third = find_period(orders_of(20'000, period, {0.06, 0.03, 1, 0, 0.02, 0.4}, 0.05, seed));
    EXPECT_NEAR(third.samples, period, 5 * third.std) << seed;
    // Nothing between the orders: it stays what it is.
    const Period plain = find_period(orders_of(20'000, period, {1, 0.5, 0.2}, 0.1, seed));
    EXPECT_NEAR(plain.samples, period, 5 * plain.std) << seed;
  }
}

TEST(Cycles, ThePeriodsUncertaintyCoversEdgesThatAreRounded) {
  int within = 0;
  constexpr int records = 20;
  for (int i = 0; i < records; ++i) {
    const double period = 91.37 + 3.71 * i;
    const Period found = find_period(square(30'000, period));
    within += std::abs(found.samples - period) < 3 * found.std ? 1 : 0;
    EXPECT_LT(found.std, 0.02 * period / 100);
  }
  EXPECT_GE(within, records - 2);
}

/// Raised-cosine pulses of 150 samples, their heights in turn; lengths scatter by `jitter`. The mean length.
double add_pulses(std::vector<double>& x, double period, double jitter, const std::vector<double>& heights,
                  unsigned seed) {
  std::mt19937_64 bits(seed);
  std::normal_distribution<double> dice(0, 1);
  double at = 0;
  std::size_t count = 0;
  for (; at + period < static_cast<double>(x.size()); ++count) {
    for (std::size_t n = static_cast<std::size_t>(at); n < x.size() && static_cast<double>(n) < at + 150; ++n)
      x[n] +=
          heights[count % heights.size()] * std::pow(std::sin(pi * (static_cast<double>(n) - at) / 150), 2);
    at += period * (1 + jitter * dice(bits));
  }
  return at / static_cast<double>(count);
}

TEST(Cycles, CyclesThatScatterAreNotTakenTogether) {
  // As engines and hearts have them: lengths that scatter, on a level that drifts.
  for (unsigned seed = 1; seed <= 12; seed += 2) {
    const double jitter = 0.002 * (1 + seed % 3), drift = seed % 4 == 3 ? 40 : 0, walk = seed > 8 ? 0.3 : 0;
    std::vector<double> x = orders_of(50'000, 400, {0}, 0.3, seed);
    const std::vector<double> steps = orders_of(50'000, 400, {0}, walk, seed + 100);
    double level = 0;
    for (std::size_t n = 0; n < x.size(); ++n)
      x[n] += (level += steps[n]) + drift * static_cast<double>(n) / 50'000;
    const double mean = add_pulses(x, 310 + 11.0 * seed, jitter, {40}, seed);
    EXPECT_NEAR(find_period(x).samples, mean, 0.01 * mean) << seed;
  }
}

TEST(Cycles, HeightsThatComeByTurnsMakeOneCycle) {
  for (unsigned seed = 1; seed <= 6; seed += 2) {
    const std::vector<double> heights = seed % 3 == 0   ? std::vector<double>{40, 39, 40.5}
                                        : seed % 3 == 1 ? std::vector<double>{40, 36}
                                                        : std::vector<double>{40, 33, 40, 36};
    std::vector<double> x = orders_of(50'000, 400, {0}, 0.3, seed);
    for (std::size_t n = 0; n < x.size(); ++n)
      x[n] += (seed > 3 ? 30 : 0) * std::sin(2 * pi * static_cast<double>(n) / 93'000);
    const double mean = add_pulses(x, 300 + 9.0 * seed, 0.001, heights, seed);
    EXPECT_NEAR(find_period(x).samples, mean * static_cast<double>(heights.size()), 0.003 * mean) << seed;
  }
}

TEST(Cycles, APeriodThatDriftsIsFollowed) {
  // 2% faster at the end: at 200 cycles of one length the second order would have gone.
  std::vector<double> x;
  double phase = 0;
  for (int n = 0; n < 30'000; ++n) {
    x.push_back(std::cos(2 * pi * phase) + 0.5 * std::cos(4 * pi * phase + 1));
    phase += (1 + 0.02 * n / 30'000) / 150.0;
  }
  const Period period = find_period(x);
  const CyclePhase followed = follow_phase(x, period.samples);
  ASSERT_TRUE(followed.drifts);
  EXPECT_NEAR(followed.longest, 150, 0.7);
  EXPECT_NEAR(followed.shortest, 150 / 1.02, 0.7);
  const CycleAverage a = average_cycles(x, edges_of_phase(x.size(), period.samples, 0, followed), 4);
  EXPECT_NEAR(a.orders[0].amplitude(), 1, 0.01);
  EXPECT_NEAR(a.orders[1].amplitude(), 0.5, 0.01);
  EXPECT_FALSE(follow_phase(orders_of(20'000, 137.7, {1, 0.3}, 0.1, 3), 137.7).drifts);
}

}  // namespace
}  // namespace vprism::cycles_test
