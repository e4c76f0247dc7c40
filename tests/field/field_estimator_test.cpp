// Sums over points: levels of windowed series between and on the bins, missing values, the frames used.
#include "field/field_estimator.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <numeric>
#include <random>

#include "base/error.h"

namespace vprism::field_estimator_test {
namespace {

using std::numbers::pi;

std::vector<double> series(std::size_t frames, double rate, double hz, double amplitude, double phase_deg,
                           double mean) {
  std::vector<double> x;
  for (std::size_t f = 0; f < frames; ++f)
    x.push_back(mean +
                amplitude * std::cos(2 * pi * hz * static_cast<double>(f) / rate + phase_deg * pi / 180));
  return x;
}

FieldPlan plan_of(std::size_t frames, double rate, const char* window) {
  FieldPlan plan;
  for (std::size_t f = 0; f < frames; ++f) plan.frames.push_back(f);
  plan.rate_hz = rate;
  plan.window = parse_window(window);
  return plan;
}

/// The first numbers: all series of so many points and variables in order.
std::vector<std::size_t> in_order(std::size_t series) {
  std::vector<std::size_t> out(series);
  std::iota(out.begin(), out.end(), std::size_t{0});
  return out;
}

/// Series one after another.
SeriesView one_by_one(const std::vector<double>& values, std::size_t frames) {
  return {values.data(), frames, 1};
}

TEST(FieldEstimator, ALineOnABinReadsItsLevelUnderEveryWindow) {
  for (const char* window : {"rectangular", "hann", "flat-top", "blackman-harris"})
    for (const std::size_t frames : {200u, 201u}) {
      FieldEstimator estimator(plan_of(frames, static_cast<double>(frames), window), 1);
      const std::vector<double> x = series(frames, static_cast<double>(frames), 40, 3, 0, 7);
      estimator.add(0, 1, one_by_one(x, frames), in_order(1));
      const FieldSums sums = estimator.result();
      EXPECT_NEAR(sums.mean_power[0][40], 4.5, 1e-9) << window << frames;
      EXPECT_NEAR(sums.top_hz[0][0], 40, 1e-12);
      EXPECT_NEAR(sums.rms[0][0], 3 / std::sqrt(2.0), 1e-9);
    }
}

TEST(FieldEstimator, BetweenTheBinsAmplitudeAndPhaseAreToldAtTheFrequencyItself) {
  FieldPlan plan = plan_of(1000, 1000, "hann");
  plan.at_hz = {123.37};
  FieldEstimator estimator(plan, 1);
  const std::vector<double> x = series(1000, 1000, 123.37, 2, 35, -4);
  estimator.add(0, 1, one_by_one(x, 1000), in_order(1));
  const FieldSums sums = estimator.result();
  EXPECT_NEAR(std::abs(sums.amplitude[0][0][0]), 2, 1e-4);
  EXPECT_NEAR(std::arg(sums.amplitude[0][0][0]) * 180 / pi, 35, 0.01);
}

TEST(FieldEstimator, FromKeptTransformsAllIsAsFromTheFrames) {
  for (const char* window : {"rectangular", "hann", "flat-top"})
    for (const std::size_t frames : {200u, 201u}) {
      FieldPlan plan = plan_of(frames, 100, window);
      plan.at_hz = {0.3, 12.34, 25, 49.9};  // Between the bins, on one, beside the ends.
      std::vector<double> both = series(frames, 100, 12.34, 3, 40, 7),
                          other = series(frames, 100, 31.2, 1, -20, -2);
      both.insert(both.end(), other.begin(), other.end());
      std::vector<double> kept;
      FieldEstimator direct(
          plan, 2,
          [&](const FieldPlan&, std::size_t first, std::size_t count, std::span<const double> values) {
            EXPECT_EQ(first, 0u);
            EXPECT_EQ(count, 2u);
            kept.assign(values.begin(), values.end());
          });
      direct.add(0, 2, one_by_one(both, frames), in_order(2));
      const FieldSums a = direct.result();
      SavedTransforms saved{window, a.rms, a.mean_square_in_time};
      plan.saved = &saved;
      plan.source_points = {0, 1}, plan.source_variables = {0};
      FieldEstimator again(plan, 2);
      again.add(0, 2, one_by_one(kept, 2 * plan.bins()), in_order(2));
      const FieldSums b = again.result();
      EXPECT_EQ(b.mean_power, a.mean_power);
      EXPECT_EQ(b.max_power, a.max_power);
      EXPECT_EQ(b.top_hz, a.top_hz);
      EXPECT_EQ(b.rms, a.rms);
      for (std::size_t n = 0; n < frames; ++n)
        EXPECT_NEAR(b.mean_square_in_time[0][n], a.mean_square_in_time[0][n], 1e-12);
      for (std::size_t i = 0; i < plan.at_hz.size(); ++i)
        for (std::size_t p = 0; p < 2; ++p)
          EXPECT_NEAR(std::abs(b.amplitude[i][0][p] - a.amplitude[i][0][p]), 0, 1e-11)
              << window << frames << " " << plan.at_hz[i];
    }
}

TEST(FieldEstimator, OnlyTheFramesAskedForCount) {
  FieldPlan plan;
  for (std::size_t f = 50; f < 450; f += 2) plan.frames.push_back(f);
  plan.rate_hz = 500;
  plan.window = parse_window("rectangular");
  std::vector<double> x = series(500, 1000, 100, 1, 0, 0);
  for (std::size_t f = 0; f < 50; ++f) x[f] = 1e6;
  for (std::size_t f = 51; f < 500; f += 2) x[f] = -1e6;
  FieldEstimator estimator(plan, 1);
  estimator.add(0, 1, one_by_one(x, 500), in_order(1));
  const FieldSums sums = estimator.result();
  EXPECT_EQ(plan.bins(), 101u);
  EXPECT_NEAR(sums.mean_power[0][40], 0.5, 1e-9);  // 100 Hz in bins of 2.5 Hz.
}

TEST(FieldEstimator, ShortGapsAreBridgedStraight) {
  std::vector<double> x(100);
  for (std::size_t f = 0; f < 100; ++f) x[f] = static_cast<double>(f);
  const std::vector<double> whole = x;
  x[0] = x[40] = x[41] = x[99] = std::nan("");
  const auto rms = [](const std::vector<double>& values) {
    FieldEstimator estimator(plan_of(100, 100, "rectangular"), 1);
    estimator.add(0, 1, one_by_one(values, 100), in_order(1));
    return estimator.result();
  };
  const FieldSums gaps = rms(x);
  EXPECT_EQ(gaps.bridged.size(), 1u);
  // Inside a straight line nothing changes; at the ends the nearest value stands.
  std::vector<double> expected = whole;
  expected[0] = 1, expected[99] = 98;
  EXPECT_NEAR(gaps.rms[0][0], rms(expected).rms[0][0], 1e-12);
}

TEST(FieldEstimator, WithoutAPointThatCountsItSaysSo) {
  FieldEstimator estimator(plan_of(64, 64, "hann"), 2);
  const std::vector<double> nothing(128, std::nan(""));
  estimator.add(0, 2, one_by_one(nothing, 64), in_order(2));
  EXPECT_THROW(estimator.result(), Error);
}

TEST(FieldEstimator, KeptTransformsArePeakAmplitudes) {
  FieldPlan plan = plan_of(256, 256, "rectangular");
  plan.kept_points = {1};
  FieldEstimator estimator(plan, 2);
  std::vector<double> x = series(256, 256, 20, 1, 0, 0);
  const std::vector<double> second = series(256, 256, 30, 2.5, 60, 1);
  x.insert(x.end(), second.begin(), second.end());
  estimator.add(0, 2, one_by_one(x, 256), in_order(2));
  const FieldSums sums = estimator.result();
  ASSERT_EQ(sums.kept.size(), 1u);
  EXPECT_NEAR(std::abs(sums.kept[0][0][30]), 2.5, 1e-9);
  EXPECT_NEAR(std::arg(sums.kept[0][0][30]) * 180 / pi, 60, 1e-6);
  EXPECT_NEAR(std::abs(sums.kept[0][0][20]), 0, 1e-9);
  EXPECT_EQ(sums.max_point[0][30], 1u);
  EXPECT_EQ(sums.max_point[0][20], 0u);
}

TEST(FieldEstimator, FramesInRowsAndSomeOfTheirSeriesAreTheSameAsSeriesOneByOne) {
  // 70 points of 3 variables in rows that are longer than needed; every second point's variables 2 and 0.
  constexpr std::size_t frames = 133, row = 3 * 70 + 5, points = 35;
  std::mt19937_64 dice(11);
  std::normal_distribution<double> noise;
  std::vector<double> rows(frames * row);
  for (double& x : rows) x = noise(dice);
  rows[21 * row + 3 * 8] = std::nan("");  // A gap to bridge,
  for (std::size_t f = 0; f < 20; ++f)
    rows[(f + 40) * row + 3 * 12 + 2] = std::nan("");  // and too large a one.
  std::vector<std::size_t> chosen;
  std::vector<double> columns;
  for (std::size_t p = 0; p < points; ++p)
    for (const std::size_t v : {2u, 0u}) {
      chosen.push_back(3 * 2 * p + v);
      for (std::size_t f = 0; f < frames; ++f) columns.push_back(rows[f * row + chosen.back()]);
    }
  for (const std::size_t every : {1u, 2u}) {
    FieldPlan plan;
    for (std::size_t f = 3; f < frames; f += every) plan.frames.push_back(f);
    plan.rate_hz = 100;
    plan.window = parse_window("hann");
    plan.variables = 2;
    plan.at_hz = {12.3, 20};
    FieldEstimator by_rows(plan, points), by_columns(plan, points);
    by_rows.add(0, 19, {rows.data(), 1, row}, std::span(chosen).first(2 * 19));
    by_rows.add(19, points - 19, {rows.data(), 1, row}, std::span(chosen).subspan(2 * 19));
    by_columns.add(0, points, one_by_one(columns, frames), in_order(2 * points));
    const FieldSums a = by_rows.result(), b = by_columns.result();
    EXPECT_EQ(a.points, points);
    EXPECT_EQ(a.mean_power, b.mean_power);
    EXPECT_EQ(a.max_power, b.max_power);
    EXPECT_EQ(a.max_point, b.max_point);
    EXPECT_EQ(a.mean_square_in_time, b.mean_square_in_time);
    for (std::size_t p = 0; p < points; ++p)
      if (p != 6) {
        EXPECT_EQ(a.amplitude[1][0][p], b.amplitude[1][0][p]) << p;
        EXPECT_EQ(a.rms[1][p], b.rms[1][p]) << p;
        EXPECT_EQ(a.top_hz[0][p], b.top_hz[0][p]) << p;
      }
    EXPECT_EQ(a.bridged, std::vector<std::size_t>{4});
    EXPECT_EQ(a.left_out, std::vector<std::size_t>{6});
    EXPECT_TRUE(std::isnan(a.rms[0][6]));
    EXPECT_FALSE(std::isnan(a.rms[1][6]));
  }
}

TEST(FieldEstimator, EachPointsLevelIsThatOfItsOwnSeries) {
  // Points that differ in level and frequency, so that a mix-up of the four worked on together shows.
  constexpr std::size_t frames = 256, points = 11;
  std::vector<double> x;
  for (std::size_t p = 0; p < points; ++p) {
    const std::vector<double> one =
        series(frames, frames, 10 + 7 * static_cast<double>(p), 1 + static_cast<double>(p), 20, 5);
    x.insert(x.end(), one.begin(), one.end());
  }
  FieldPlan plan = plan_of(frames, frames, "hann");
  plan.at_hz = {31};  // Point 3 moves there.
  FieldEstimator estimator(plan, points);
  estimator.add(0, points, one_by_one(x, frames), in_order(points));
  const FieldSums sums = estimator.result();
  for (std::size_t p = 0; p < points; ++p) {
    const auto level = 1 + static_cast<double>(p);
    EXPECT_NEAR(sums.rms[0][p], level / std::sqrt(2.0), 1e-12);
    EXPECT_NEAR(sums.top_power[0][p], level * level / 2, 1e-11);
    EXPECT_NEAR(sums.top_hz[0][p], 10 + 7 * static_cast<double>(p), 1e-12);
    EXPECT_NEAR(std::abs(sums.amplitude[0][0][p]), p == 3 ? 4 : 0, 1e-10);
    EXPECT_EQ(sums.max_point[0][10 + 7 * p], p);
  }
}

}  // namespace
}  // namespace vprism::field_estimator_test
