// level_series_test.cpp: levels of stretches, the running level, and how often it lies above another.
#include "transform/time/level_series.h"

#include <gmock/gmock.h>

#include <cmath>

namespace vprism::level_series_test {
namespace {

using testing::ElementsAre;

std::vector<double> sine(std::size_t count, double period, double amplitude, double mean = 0) {
  std::vector<double> out;
  for (std::size_t n = 0; n < count; ++n)
    out.push_back(mean + amplitude * std::sin(2 * M_PI * static_cast<double>(n) / period));
  return out;
}

TEST(LevelSeries, OfASineAreThoseOfTheClosedForm) {
  LevelSeries series(1000, 0, true);
  const std::vector<double> x = sine(5000, 50, 2, 1);
  for (std::size_t at = 0; at < x.size(); at += 37)
    series.add(std::span(x).subspan(at, std::min<std::size_t>(37, x.size() - at)));
  const std::vector<LevelPoint> points = series.finish();
  ASSERT_EQ(points.size(), 5u);
  for (const LevelPoint& p : points) {
    EXPECT_NEAR(p.mean, 1, 1e-12);
    EXPECT_NEAR(p.rms, std::sqrt(3), 1e-12);
    EXPECT_NEAR(p.kurtosis, 1.5, 1e-9);
    EXPECT_NEAR(p.peak_to_peak(), 4, 0.01);
    EXPECT_NEAR(p.crest(), 3 / std::sqrt(3), 0.01);
    EXPECT_TRUE(std::isnan(p.running));
  }
  EXPECT_NEAR(series.rms(), std::sqrt(3), 1e-12);
}

TEST(LevelSeries, TheRunningLevelFallsWithItsTimeConstant) {
  // A second of 2 at 1 kHz, then silence: fast falls by 8.7 dB in 250 ms (IEC 61672-1: 34.7 dB a second).
  LevelSeries series(50, 125, false);
  std::vector<double> x(1000, 2.0);
  x.resize(3000, 0.0);
  series.add(x);
  const std::vector<LevelPoint> points = series.finish();
  EXPECT_NEAR(points[19].running, 2 * std::sqrt(1 - std::exp(-8.0)), 1e-9);
  EXPECT_NEAR(20 * std::log10(points[39].running / points[19].running), -34.74, 0.01);
  LevelSeries settled(50, 125, true);
  settled.add(x);
  EXPECT_NEAR(settled.finish()[0].running, 2, 1e-12);
}

TEST(LevelSeries, GapsAndRests) {
  std::vector<double> x(1000, 3.0);
  for (std::size_t n = 200; n < 400; ++n) x[n] = std::nan("");
  LevelSeries series(100, 0, true);
  series.add(std::span(x).subspan(0, 930));
  const std::vector<LevelPoint> points = series.finish();
  // Thirty samples are less than half a stretch.
  ASSERT_EQ(points.size(), 9u);
  EXPECT_TRUE(std::isnan(points[2].rms));
  EXPECT_NEAR(points[4].rms, 3, 1e-12);
  // Stretches that are no whole number of samples keep their places.
  LevelSeries odd(33.3, 0, true);
  odd.add(x);
  EXPECT_EQ(odd.finish().size(), 30u);
}

TEST(Exceedance, RunsAndPercentiles) {
  const std::vector<double> v = {1, 5, 6, 1, std::nan(""), 7, 1};
  const Exceedance e = exceedance_of(v, 4);
  EXPECT_EQ(e.above, 3);
  ASSERT_EQ(e.runs.size(), 2u);
  EXPECT_EQ(e.runs[0].from, 1u);
  EXPECT_EQ(e.runs[0].to, 3u);
  EXPECT_EQ(e.runs[0].highest, 6);
  std::vector<double> hundred;
  for (int i = 0; i <= 100; ++i) hundred.push_back(100 - i);
  hundred.push_back(std::nan(""));
  const std::vector<double> sorted = ascending(hundred);
  EXPECT_NEAR(exceeded_by(sorted, 10), 90, 1e-12);
  EXPECT_NEAR(exceeded_by(sorted, 0), 100, 1e-12);
  EXPECT_TRUE(std::isnan(exceeded_by({}, 50)));
}

TEST(LevelSeries, AtUnevenTimesAreThoseOfTheLinesBetween) {
  // A switch at 40% of each 10 ms, seen at steps of 1 to 400 us and 10 ns before and behind each edge.
  const auto wave = [](double t) { return std::fmod(t, 0.01) < 0.004 ? 3.0 : -1.0; };
  std::vector<double> times, x;
  for (int period = 0; period < 30; ++period)
    for (const auto& [from, to] : {std::pair{0.0, 0.004}, {0.004, 0.01}}) {
      double t = period * 0.01 + from + 5e-9;
      for (double step = 1e-6; t < period * 0.01 + to - 5e-9; t += step, step = std::min(4e-4, 1.7 * step))
        times.push_back(t), x.push_back(wave(t));
      times.push_back(period * 0.01 + to - 5e-9), x.push_back(wave(times.back()));
    }
  for (const double time_constant : {0.0, 0.2}) {
    LevelSeries series(0.05, time_constant, true);
    for (std::size_t at = 0; at < x.size(); at += 13) {
      const std::size_t count = std::min<std::size_t>(13, x.size() - at);
      series.add(std::span(x).subspan(at, count), std::span(times).subspan(at, count));
    }
    EXPECT_NEAR(series.rms(), std::sqrt(0.4 * 9 + 0.6), 1e-5);
    EXPECT_EQ(series.peak(), 3);
    const std::vector<LevelPoint> points = series.finish();
    ASSERT_EQ(points.size(), 6u);
    for (const LevelPoint& p : points) {
      EXPECT_NEAR(p.mean, 0.6, 1e-5);
      EXPECT_NEAR(p.rms, std::sqrt(4.2), 1e-5);
      // Of two values: (1 - 3 q) / q with q = 0.4 * 0.6.
      EXPECT_NEAR(p.kurtosis, (1 - 3 * 0.24) / 0.24, 1e-4);
      EXPECT_EQ(p.high, 3);
      if (time_constant > 0) {
        EXPECT_NEAR(p.running, std::sqrt(4.2), 0.05);
      }
    }
  }
}

TEST(LevelSeries, AtUnevenTimesALineIsExactAndAGapStaysOne) {
  // x = t from 0 to 10, nothing known between 4 and 7: mean squares are (b^3 - a^3) / 3 (b - a).
  LevelSeries series(2, 0, true);
  const std::vector<double> times = {0, 0.1, 1.9, 3, 4, 5.5, 7, 9.3, 10};
  std::vector<double> x = times;
  x[5] = std::nan("");
  series.add(x, times);
  const std::vector<LevelPoint> points = series.finish();
  ASSERT_EQ(points.size(), 5u);
  const auto square = [](double a, double b) { return (b * b * b - a * a * a) / 3 / (b - a); };
  EXPECT_NEAR(points[0].rms, std::sqrt(square(0, 2)), 1e-12);
  EXPECT_NEAR(points[1].rms, std::sqrt(square(2, 4)), 1e-12);
  EXPECT_TRUE(std::isnan(points[2].rms));
  EXPECT_NEAR(points[3].rms, std::sqrt(square(7, 8)), 1e-12);
  EXPECT_NEAR(points[4].mean, 9, 1e-12);
  EXPECT_EQ(series.samples(), 8);
}

}  // namespace
}  // namespace vprism::level_series_test
