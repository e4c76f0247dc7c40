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

}  // namespace
}  // namespace vprism::level_series_test
