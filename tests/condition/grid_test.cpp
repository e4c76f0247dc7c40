// Uneven samples on even grids: closed forms, the choices made, and grids put in by themselves.
#include <gmock/gmock.h>

#include <numbers>
#include <random>

#include "condition/stamped_road.h"

namespace vprism::grid_test {
namespace {

using std::numbers::pi;
using ::testing::HasSubstr;

/// A sine at stamps whose steps swing between 0.2 and 1.8 times the mean, over one second.
Road uneven(const std::string& chain, int count, double f) {
  std::vector<double> t, x;
  for (int n = 0; n < count; ++n) {
    const double u = static_cast<double>(n) / (count - 1);
    t.push_back(u + 0.8 / (2 * pi * 7) * std::sin(2 * pi * 7 * u));
    x.push_back(std::sin(2 * pi * f * t.back()));
  }
  return stamped_road(chain, t, x);
}

TEST(Regrid, ErrsAsItsOrderSays) {
  for (const bool cubic : {false, true}) {
    Road road = uneven(cubic ? "regrid 8kHz cubic" : "regrid 8kHz linear", 4000, 2);
    const auto y = collect(road)[0];
    ASSERT_EQ(y.size(), 8001u);
    double worst = 0;
    for (std::size_t k = 0; k < y.size(); ++k)
      worst = std::max(worst, std::abs(y[k] - std::sin(4 * pi * static_cast<double>(k) / 8000)));
    // Steps up to h = 1.8 / 4000: lines err by (w h)^2 / 8, cubics by 9/384 (w h)^4.
    const double wh = 4 * pi * 1.8 / 4000;
    EXPECT_LT(worst, cubic ? 1.1 * 9.0 / 384 * std::pow(wh, 4) + 1e-14 : 1.02 * wh * wh / 8);
    EXPECT_GT(worst, cubic ? 0 : 0.5 * wh * wh / 8);
  }
}

TEST(Regrid, ItsEstimateOfTheErrorIsTheError) {
  for (const char* kind : {"linear", "cubic"}) {
    Road road = uneven(std::string("regrid 2kHz ") + kind, 300, 20);
    const auto y = collect(road)[0];
    double square = 0;
    for (std::size_t k = 0; k < y.size(); ++k)
      square += std::pow(y[k] - std::sin(2 * pi * 20 * static_cast<double>(k) / 2000), 2);
    const double rms = std::sqrt(square / static_cast<double>(y.size()));
    std::vector<double> doubt;
    EXPECT_TRUE(road.has_doubt());
    road.run_doubt(
        [&](Block& block) { doubt.insert(doubt.end(), block.samples(0).begin(), block.samples(0).end()); });
    ASSERT_EQ(doubt.size(), y.size());
    double estimated = 0, off = 0;
    for (std::size_t k = 0; k < y.size(); ++k) {
      estimated += doubt[k] * doubt[k];
      off += std::pow(doubt[k] - (y[k] - std::sin(2 * pi * 20 * static_cast<double>(k) / 2000)), 2);
    }
    estimated = std::sqrt(estimated / static_cast<double>(y.size()));
    EXPECT_NEAR(estimated / rms, 1, 0.3) << kind;
    EXPECT_LT(std::sqrt(off / static_cast<double>(y.size())), 0.5 * rms)
        << kind;                     // Sample by sample as well.
    EXPECT_EQ(collect(road)[0], y);  // And the signal itself comes again afterwards.
  }
}

TEST(Regrid, KeepsTheGridOfWhichAPlaceIsEmpty) {
  std::vector<double> t, x;
  for (int n = 0; n < 2000; ++n)
    if (n != 777) t.push_back(n * 1e-3), x.push_back(std::cos(2 * pi * 31 * n * 1e-3));
  Road road = stamped_road("regrid", t, x);
  const auto y = collect(road)[0];
  EXPECT_NEAR(road.recording().axis.rate_hz(), 1000, 1e-6);
  ASSERT_EQ(y.size(), 2000u);
  for (int n = 0; n < 2000; ++n)
    EXPECT_NEAR(y[static_cast<std::size_t>(n)], std::cos(2 * pi * 31 * n * 1e-3), n == 777 ? 1e-3 : 1e-6)
        << n;
}

TEST(Regrid, ChoosesARateAndLeavesEvenSamplesAlone) {
  Road road = uneven("regrid", 1000, 5);
  EXPECT_FALSE(road.recording().axis.stamped);
  EXPECT_GE(road.recording().axis.rate_hz(), 998.9);  // 999 steps in a second, some a fifth as long.
  EXPECT_LE(road.recording().axis.rate_hz(), 3996.1);
  collect(road);
  EXPECT_THAT(road.reports()[0].values.back().second, HasSubstr("steps"));
  const auto x = sampled(100, [](double n) { return n; });
  EXPECT_EQ(through("regrid", x), x);
  EXPECT_THAT(chain_error("regrid 2kHz", x), HasSubstr("use \"resample"));
  Road first = uneven("regrid 1kHz | lowpass 100Hz", 1000, 5);
  EXPECT_NO_THROW(collect(first));
}

TEST(Regrid, WhatLaterStepsTakeOffIsNotTakenOffItsDoubt) {
  // Offset and trend belong to the signal: the estimate of the error goes through the same gains, and no
  // more.
  const auto doubt_of = [](const std::string& chain) {
    Road road = uneven(chain, 300, 20);
    std::vector<double> out;
    collect(road);
    road.run_doubt(
        [&](Block& block) { out.insert(out.end(), block.samples(0).begin(), block.samples(0).end()); });
    return out;
  };
  const auto plain = doubt_of("regrid 2kHz"),
             long_chain = doubt_of("regrid 2kHz | offset 5 | detrend linear | despike | scale -2");
  ASSERT_EQ(plain.size(), long_chain.size());
  for (std::size_t n = 0; n < plain.size(); ++n) ASSERT_NEAR(long_chain[n], -2 * plain[n], 1e-15);
}

TEST(Regrid, LeavesOutRepeatedStampsAndDrawsLinesAtJumps) {
  // A solver's step: two stamps a nanosecond apart, then long steps; and a stamp that comes twice.
  Road road = stamped_road("regrid 10kHz", {0, 1e-3, 2e-3, 2e-3, 3e-3, 3e-3 + 1e-9, 4e-3, 5e-3, 6e-3, 7e-3},
                           {0, 0, 0, 9, 0, 1, 1, 1, 1, 1});
  const auto y = collect(road)[0];
  ASSERT_EQ(y.size(), 71u);
  for (const double v : y) {
    EXPECT_GE(v, -0.26);  // No swing past the jump.
    EXPECT_LE(v, 1.26);
  }
  EXPECT_NEAR(y[10], 0, 1e-9);
  EXPECT_NEAR(y[60], 1, 1e-9);
  const StageReport report = road.reports()[0];
  std::string did;
  for (const auto& [key, value] : report.effects) did += key + ": " + value + "; ";
  EXPECT_THAT(did, HasSubstr("left out: 1 samples not later"));
  EXPECT_THAT(did, HasSubstr("by a line at jumps"));
}

std::string values_of(const StageReport& report) {
  std::string out;
  for (const auto& [key, value] : report.values) out += key + ": " + value + "; ";
  return out;
}

TEST(Regrid, TakesThePolynomialThatForetellsBest) {
  // A smooth wave, and noise, which more points foretell no better.
  std::mt19937 bits(4);
  std::normal_distribution<double> normal;
  std::uniform_real_distribution<double> steps(0.3, 1.7);
  std::vector<double> t, smooth, noise;
  double at = 0;
  for (int n = 0; n < 6000; ++n) {
    t.push_back(at), at += steps(bits) * 1e-4;
    smooth.push_back(std::sin(2 * pi * 150 * t.back()));
    noise.push_back(normal(bits));
  }
  const auto by = [&](const std::vector<double>& x) {
    Road road = stamped_road("regrid", t, x);
    collect(road);
    return values_of(road.reports()[0]);
  };
  EXPECT_THAT(by(smooth), HasSubstr("by: septic"));
  EXPECT_THAT(by(noise), HasSubstr("by: cubic"));
  Road septic = stamped_road("regrid 10kHz septic", t, smooth),
       cubic = stamped_road("regrid 10kHz cubic", t, smooth);
  const auto worst = [&](Road& road) {
    const auto y = collect(road)[0];
    double most = 0;
    for (std::size_t k = 100; k + 100 < y.size(); ++k)
      most = std::max(most, std::abs(y[k] - std::sin(2 * pi * 150 * static_cast<double>(k) * 1e-4)));
    return most;
  };
  // (w h)^8 and (w h)^4 with w h = 0.16 at the longest steps.
  EXPECT_LT(worst(septic), 1e-7);
  EXPECT_GT(worst(cubic), 1e-6);
}

TEST(Regrid, EdgesInTinyStepsKeepTheirHarmonics) {
  // 0 and 5, edges of 20 ns that a solver resolved by picoseconds, a few steps of microseconds between.
  const double period = 1e-5, duty = 0.3, edge = 20e-9;
  std::mt19937 bits(9);
  std::uniform_real_distribution<double> within(0, 1);
  const auto wave = [&](double time) {
    const double p = time - period * std::floor(time / period);
    return 5 * (std::clamp(p / edge, 0.0, 1.0) - std::clamp((p - duty * period) / edge, 0.0, 1.0));
  };
  std::vector<double> t;
  for (int k = 0; k < 100; ++k) {
    for (const double from : {0.0, duty * period})
      for (int i = 0; i <= 8; ++i) t.push_back(k * period + from + edge * (i - 1) / 6.0);
    for (int i = 0; i < 8; ++i) t.push_back((k + within(bits)) * period);
  }
  std::sort(t.begin(), t.end());
  t.erase(std::unique(t.begin(), t.end()), t.end());
  t.erase(std::remove_if(t.begin(), t.end(), [](double s) { return s < 0; }), t.end());
  std::vector<double> x;
  for (const double s : t) x.push_back(wave(s));
  Road road = stamped_road("regrid 8MHz", t, x);
  const auto y = collect(road)[0];
  const StageReport report = road.reports()[0];
  std::string did;
  for (const auto& [key, value] : report.effects) did += key + "; ";
  EXPECT_THAT(did, HasSubstr("finer steps"));
  // 80 samples a period; whole periods away from the ends.
  for (const int n : {1, 2, 3, 7, 20}) {
    const auto sinc = [](double u) { return std::sin(pi * u) / (pi * u); };
    const double expected = std::abs(2 * 5 * duty * sinc(n * duty) * sinc(n * edge / period));
    EXPECT_NEAR(amplitude_at(y, n / 80.0, 800, 800 + 80 * 60), expected, 1e-3 * expected + 1e-5) << n;
  }
  double mean = 0;
  for (std::size_t k = 800; k < 800 + 80 * 60; ++k) mean += y[k] / (80 * 60);
  EXPECT_NEAR(mean, 5 * duty, 1e-4);
}

TEST(Regrid, NothingIsKnownWithinAPause) {
  std::vector<double> t, x;
  for (int n = 0; n < 3000; ++n)
    if ((n < 1000 || n >= 1200) && n % 97 != 5) t.push_back(n * 1e-3), x.push_back(std::sin(0.05 * n));
  Road road = stamped_road("regrid", t, x);
  const auto y = collect(road)[0];
  ASSERT_EQ(y.size(), 3000u);
  for (std::size_t n = 0; n < y.size(); ++n) EXPECT_EQ(std::isnan(y[n]), n > 999 && n < 1200) << n;
  EXPECT_NEAR(y[102], std::sin(5.1), 1e-4);  // One place empty.
}

TEST(Grids, ArePutInBeforeTheFirstStepThatNeedsOne) {
  Road road = uneven("scale 2 | lowpass 100Hz", 1000, 5);
  collect(road);
  const auto reports = road.reports();
  ASSERT_EQ(reports.size(), 3u);
  EXPECT_EQ(reports[1].name, "regrid");
  EXPECT_THAT(values_of(reports[1]), HasSubstr("put in: by the program"));
  ASSERT_FALSE(reports[1].cautions.empty());
  EXPECT_EQ(reports[1].cautions.back().code, "regridded");
  // Behind all steps where none needs it; none where the samples are even already.
  Road behind = uneven("scale 2", 1000, 5);
  EXPECT_TRUE(behind.recording().axis.stamped);
  behind.resolve_even();
  EXPECT_FALSE(behind.recording().axis.stamped);
  EXPECT_EQ(behind.chain().size(), 2u);
  behind.resolve_even();
  EXPECT_EQ(behind.chain().size(), 2u);
  // A band that the mean step would not bear.
  Road wide = uneven("scale 1", 1000, 5);
  wide.resolve_even(10e3);
  EXPECT_NEAR(wide.recording().axis.rate_hz(), 25.6e3, 1);
}

TEST(Grids, StampsThatStrayAreToldFromSamplesThatDo) {
  std::mt19937 bits(6);
  std::normal_distribution<double> normal;
  std::vector<double> t, even, true_to_time;
  for (int n = 0; n < 5000; ++n) {
    t.push_back(n * 1e-3 + 1.5e-4 * std::clamp(normal(bits), -3.0, 3.0));
    even.push_back(std::cos(2 * pi * 41 * n * 1e-3));
    true_to_time.push_back(std::cos(2 * pi * 41 * t.back()));
  }
  Road stray = stamped_road("scale 1", t, even), right = stamped_road("scale 1", t, true_to_time);
  stray.resolve_even(), right.resolve_even();
  const auto y = collect(stray)[0];
  EXPECT_EQ(y, even);
  EXPECT_NEAR(stray.recording().axis.rate_hz(), 1000, 6e-3);
  EXPECT_EQ(stray.reports()[1].cautions.back().code, "stamps-suspect");
  collect(right);
  EXPECT_EQ(right.reports()[1].cautions.back().code, "regridded");
}

}  // namespace
}  // namespace vprism::grid_test
