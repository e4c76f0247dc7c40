// Records that are neither steady lines nor noise through a resonance: bands with edges, pulses with an echo,
// channels that stood still, a few periods upon a trend.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "cli/zoo/identified.h"
#include "cli/zoo/zoo.h"

namespace vprism::unplanned_test {
namespace {

using zoo::between, zoo::identified, zoo::pi;

// Many sines of random phases between two edges: noise that a steep filter let through.
TEST(Unplanned, ABandWithEdgesIsABandAndNoResonance) {
  for (unsigned seed = 1; seed <= 1; ++seed) {
    std::mt19937_64 bits(seed);
    constexpr double fs = 20'000;
    constexpr std::size_t n = 12'288;
    const double low = between(bits, 2000, 5000), high = low * between(bits, 1.25, 1.7);
    std::vector<double> x = zoo::noise(bits, n, 0.03);
    const auto from = static_cast<std::size_t>(low / fs * n), to = static_cast<std::size_t>(high / fs * n);
    const double amplitude = std::sqrt(2.0 / static_cast<double>(to - from));
    for (std::size_t k = from; k < to; ++k) {
      const double size = amplitude * std::sqrt(-std::log(between(bits, 1e-9, 1))),
                   phase = between(bits, 0, 2 * pi);
      const double step = 2 * pi * static_cast<double>(k) / n, twice = 2 * std::cos(step);
      double before = std::cos(phase - step), now = std::cos(phase);
      for (double& v : x) {
        v += size * now;
        before = std::exchange(now, twice * now - before);
      }
    }
    const auto document = identified(x, fs);
    ASSERT_FALSE(document["findings"].empty()) << seed;
    const auto& first = document["findings"][0];
    EXPECT_EQ(first["kind"], "broadband") << seed << first.dump();
    EXPECT_NEAR(first["low_hz"].get<double>(), low, 0.03 * low) << seed;
    EXPECT_NEAR(first["high_hz"].get<double>(), high, 0.03 * high) << seed;
    EXPECT_NEAR(first["level"].get<double>(), zoo::rms_of(x), 0.06 * zoo::rms_of(x)) << seed;
    for (const auto& f : document["findings"]) EXPECT_NE(f["kind"], "resonance") << seed << f.dump();
  }
}

TEST(Unplanned, ALineThatMovesThroughABandDriftsAndIsNoBurst) {
  for (unsigned seed = 1; seed <= 4; ++seed) {
    std::mt19937_64 bits(seed);
    constexpr double fs = 1000, length = 40;
    constexpr auto n = static_cast<std::size_t>(fs * length);
    const double low = between(bits, 50, 300), high = low * between(bits, 1.06, 1.12);
    const double from = seed % 2 == 0 ? low : high, to = seed % 2 == 0 ? high : low;
    std::vector<double> x = zoo::noise(bits, n, 1.1);
    for (std::size_t i = 0; i < n; ++i) {
      const double t = static_cast<double>(i) / fs;
      x[i] += std::sin(2 * pi * (from * t + (to - from) * t * t / (2 * length)));
    }
    const auto found = identified(x, fs)["findings"];
    ASSERT_EQ(found.size(), 1u) << seed << found.dump();
    EXPECT_EQ(found[0]["kind"], "drift") << seed << found.dump();
    EXPECT_NEAR(found[0]["frequency_hz"].get<double>(), (low + high) / 2, 0.05 * (high - low)) << seed;
    // The first and the last segment stand for their middles.
    EXPECT_NEAR(found[0]["from_hz"].get<double>(), from, 0.1 * (high - low)) << seed;
    EXPECT_NEAR(found[0]["to_hz"].get<double>(), to, 0.1 * (high - low)) << seed;
  }
}

// As a distance is measured: the echo comes at its own time behind each pulse.
TEST(Unplanned, PulsesWithAnEchoRepeatAtTheirOwnRate) {
  for (unsigned seed = 1; seed <= 2; ++seed) {
    std::mt19937_64 bits(seed);
    constexpr double fs = 200'000;
    const double period = between(bits, 0.03, 0.06), echo = between(bits, 0.15, 0.4) * period,
                 carrier = between(bits, 30e3, 45e3), size = between(bits, 0.15, 0.4);
    std::vector<double> x = zoo::noise(bits, 120'000, 0.003);
    const auto pulse = [&](double at, double amplitude) {
      for (auto n = static_cast<std::size_t>(at * fs);
           n < std::min(x.size(), static_cast<std::size_t>((at + 8e-4) * fs)); ++n) {
        const double u = static_cast<double>(n) / fs - at;
        x[n] += amplitude * std::sin(2 * pi * carrier * u) * std::exp(-0.5 * std::pow((u - 4e-4) / 1e-4, 2));
      }
    };
    for (double at = 0.004; at + echo < 0.6; at += period) pulse(at, 1), pulse(at + echo, size);
    const auto document = identified(x, fs);
    int trains = 0;
    for (const auto& f : document["findings"]) {
      if (f["kind"] != "impulse-family") continue;
      ++trains;
      EXPECT_NEAR(f["frequency_hz"].get<double>(), 1 / period, 3 * f["frequency_std_hz"].get<double>())
          << seed << f.dump();
    }
    EXPECT_EQ(trains, 1) << seed << document["findings"].dump();
  }
}

// A link that gives the last value again while it has none.
TEST(Unplanned, AChannelThatStoodStillHasNoResonanceForIt) {
  for (unsigned seed = 1; seed <= 2; ++seed) {
    std::mt19937_64 bits(seed);
    constexpr double fs = 2000;
    const double hz = between(bits, 40, 200);
    std::vector<double> x = zoo::noise(bits, 40'000, 0.02);
    for (std::size_t n = 0; n < x.size(); ++n) x[n] += std::sin(2 * pi * hz * static_cast<double>(n) / fs);
    for (int stretch = 0; stretch < 6; ++stretch) {
      const auto at = static_cast<std::size_t>(between(bits, 1000, 39'000)),
                 length = static_cast<std::size_t>(between(bits, 40, 200));
      std::fill_n(x.begin() + static_cast<std::ptrdiff_t>(at), length, x[at]);
    }
    const auto document = identified(x, fs);
    // Or a line that drops out meanwhile, which it does.
    for (const auto& f : document["findings"])
      EXPECT_TRUE(f["kind"] == "tone" || f["kind"] == "switching" || f["kind"] == "event")
          << seed << f.dump();
    EXPECT_NEAR(document["findings"][0]["frequency_hz"].get<double>(), hz, 1e-4) << seed;
    EXPECT_NE(document["cautions"].dump().find("stood-still"), std::string::npos) << seed;
  }
}

// Days of a temperature that rises.
TEST(Unplanned, AFewPeriodsUponATrend) {
  int covered = 0;
  for (unsigned seed = 1; seed <= 12; ++seed) {
    std::mt19937_64 bits(seed);
    constexpr double fs = 1;
    const double periods = between(bits, 3, 7), hz = periods / 720, slope = between(bits, 0.003, 0.008);
    const double first = between(bits, 0, 2 * pi), second = between(bits, 0, 2 * pi);
    std::vector<double> x = zoo::noise(bits, 720, 0.2);
    for (std::size_t n = 0; n < x.size(); ++n) {
      const double t = static_cast<double>(n);
      x[n] +=
          15 + 5 * std::sin(2 * pi * hz * t + first) + 1.2 * std::sin(4 * pi * hz * t + second) + slope * t;
    }
    const auto document = identified(x, fs);
    ASSERT_GE(document["findings"].size(), 3u) << seed << document["findings"].dump();
    for (const auto& f : document["findings"]) {
      if (f["level"].get<double>() < 0.1) continue;
      if (f["kind"] == "trend") {
        EXPECT_NEAR(f["rise"].get<double>(), 720 * slope, 0.2) << seed;
        continue;
      }
      EXPECT_EQ(f["kind"], "tone") << seed << f.dump();
      const double order = std::round(f["frequency_hz"].get<double>() / hz);
      const double off =
          std::abs(f["frequency_hz"].get<double>() - order * hz) / f["frequency_std_hz"].get<double>();
      EXPECT_LT(off, 4) << seed;
      covered += off < 1 ? 1 : 0;
      EXPECT_NEAR(f["level"].get<double>(), (order == 1 ? 5 : 1.2) / std::sqrt(2.0), 0.03) << seed;
    }
  }
  EXPECT_GE(covered, 11);
  EXPECT_LE(covered, 22);
}

}  // namespace
}  // namespace vprism::unplanned_test
