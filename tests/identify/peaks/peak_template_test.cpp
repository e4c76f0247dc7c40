// Peaks by their shape: the closed forms of a matched filter, and what it is worth.
#include "identify/peaks/peak_template.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace vprism::peak_template_test {
namespace {

std::vector<double> bell(std::size_t count, double middle, double width, double height) {
  std::vector<double> out(count);
  for (std::size_t n = 0; n < count; ++n)
    out[n] = height * std::exp(-std::pow((static_cast<double>(n) - middle) / width, 2) / 2);
  return out;
}

TEST(PeakTemplate, IsTheStretchAboutItsTop) {
  const PeakTemplate t = template_of(bell(41, 12.3, 3, 2), 1);
  ASSERT_FALSE(t.empty());
  EXPECT_EQ(t.shape.size() % 2, 1u);
  EXPECT_EQ(t.count, 41u);
  // Its top is in the middle, with its part of a sample beside it.
  EXPECT_EQ(t.shape.size() / 2 - t.first, 12u);
  EXPECT_NEAR(t.top, 0.3, 0.01);
  EXPECT_NEAR(t.height, 2 * std::exp(-0.005), 0.01);
  double sum = 0;
  for (const double v : t.shape) sum += v;
  EXPECT_NEAR(sum, 0, 1e-12);
  // The taps give the height of the shape itself.
  const std::vector<double> x = bell(41, 12.3, 3, 2), taps = t.taps();
  double reading = 0;
  for (std::size_t i = 0; i < t.count; ++i) reading += taps[t.first + i] * x[i];
  EXPECT_NEAR(reading, t.height, 1e-12);
}

TEST(PeakTemplate, NeedsATopWithinAndWholeSamples) {
  EXPECT_TRUE(template_of(std::vector<double>(20, 1.0), 1).empty());
  EXPECT_TRUE(template_of(bell(20, 0, 3, 1), 1).empty());
  EXPECT_TRUE(template_of(bell(4, 2, 1, 1), 1).empty());
  std::vector<double> gap = bell(20, 10, 3, 1);
  gap[4] = std::nan("");
  EXPECT_TRUE(template_of(gap, 1).empty());
  EXPECT_FALSE(template_of(bell(20, 10, 3, -1), -1).empty());
  EXPECT_TRUE(template_of(bell(20, 10, 3, -1), 1).empty());
}

TEST(PeakTemplate, AMatchKnowsItsLikenessAndUncertainty) {
  const PeakTemplate t = template_of(bell(61, 30, 6, 1), 1);
  // Scaled, moved up: the shape itself. In noise of s the height is known to s / sqrt(sum p^2).
  std::mt19937_64 bits(3);
  std::normal_distribution<double> normal(0, 0.1);
  double squares = 0, stated = 0;
  constexpr int tries = 400;
  for (int i = 0; i < tries; ++i) {
    std::vector<double> x = bell(200, 100, 6, 2);
    if (i > 0)
      for (double& v : x) v += normal(bits) + 5;
    MatchMeter meter(t, {100});
    meter.add(std::span<const double>(x).first(77));
    meter.add(std::span<const double>(x).subspan(77));
    const PeakMatch match = meter.matches()[0];
    if (i == 0) {
      EXPECT_NEAR(match.likeness, 1, 1e-9);
      EXPECT_NEAR(match.height_std, 0, 1e-6);
      continue;
    }
    EXPECT_GT(match.likeness, 0.98);
    stated += match.height_std / (tries - 1);
    double reading = 0;
    const std::vector<double> taps = t.taps();
    for (std::size_t k = 0; k < taps.size(); ++k) reading += taps[k] * x[100 - taps.size() / 2 + k];
    squares += std::pow(reading - 2 * t.height, 2) / (tries - 1);
  }
  EXPECT_NEAR(std::sqrt(squares) / stated, 1, 0.1);
  EXPECT_NEAR(stated, 0.1 * t.height / std::sqrt(t.energy), 0.01 * stated + 0.001);
}

TEST(PeakTemplate, TheHeightStandsOnTheLevelOfTheEnds) {
  // A bell four deviations to each side covers half of its stretch: its foot is at 5, not at the median.
  std::vector<double> x = bell(81, 40, 10, 3);
  for (double& v : x) v += 5;
  EXPECT_NEAR(template_of(x, 1).height, 3, 0.02);
  // On a slope, the line from end to end is what it stands on.
  for (std::size_t n = 0; n < x.size(); ++n) x[n] += 0.001 * static_cast<double>(n);
  EXPECT_NEAR(template_of(x, 1).height, 3, 0.02);
}

TEST(PeakTemplate, NoiseBetweenPeaksIsWhatTheFilterMakesOfIt) {
  // White noise of 1 through taps h, and its slope: sums of squares of h and of its own slope. What stands
  // within the reach of places is 1000 times as large, and does not count.
  const PeakTemplate t = template_of(bell(61, 30, 6, 1), 1);
  const std::vector<double> h = t.taps();
  std::mt19937_64 bits(8);
  std::normal_distribution<double> normal;
  std::vector<double> noise(120000), filtered(noise.size(), 0.0);
  for (double& v : noise) v = normal(bits);
  for (std::size_t n = h.size(); n < noise.size(); ++n)
    for (std::size_t k = 0; k < h.size(); ++k) filtered[n] += h[k] * noise[n - k];
  std::vector<std::int64_t> places;
  for (std::int64_t place = 500; place + 500 < static_cast<std::int64_t>(noise.size()); place += 400) {
    places.push_back(place);
    for (std::int64_t n = place - 61; n <= place + 61; ++n) filtered[static_cast<std::size_t>(n)] += 1000;
  }
  double level = 0, slope = 0;
  for (std::size_t k = 0; k <= h.size() + 1; ++k) {
    const auto at = [&](std::size_t i) { return i >= 1 && i <= h.size() ? h[i - 1] : 0.0; };
    level += std::pow(at(k), 2), slope += std::pow((at(k + 1) - (k > 0 ? at(k - 1) : 0)) / 2, 2);
  }
  MatchNoise meter(places, 62);
  for (std::size_t from = 0; from < filtered.size(); from += 777)
    meter.add(
        std::span<const double>(filtered).subspan(from, std::min<std::size_t>(777, filtered.size() - from)));
  const auto found = meter.found();
  ASSERT_TRUE(found);
  EXPECT_NEAR(found->level / std::sqrt(level), 1, 0.05);
  EXPECT_NEAR(found->slope / std::sqrt(slope), 1, 0.05);
  // Peaks all over the record leave nothing to measure.
  MatchNoise crowded({50, 150, 250}, 62);
  crowded.add(std::span<const double>(filtered).first(300));
  EXPECT_FALSE(crowded.found());
}

TEST(PeakTemplate, TheMeanShapeOfPeaksBetweenSamples) {
  std::vector<double> x(1000, 0.0), places;
  for (int i = 0; i < 9; ++i) {
    places.push_back(100 * i + 50 + 0.1 * i);
    const std::vector<double> one = bell(1000, places.back(), 8, 3);
    for (std::size_t n = 0; n < x.size(); ++n) x[n] += one[n];
  }
  MeanShape mean(places, 30);
  mean.add(std::span<const double>(x).first(333));
  mean.add(std::span<const double>(x).subspan(333));
  const std::vector<double> shape = mean.mean(), truth = bell(61, 30, 8, 3);
  ASSERT_EQ(shape.size(), 61u);
  for (std::size_t n = 0; n < shape.size(); ++n) EXPECT_NEAR(shape[n], truth[n], 0.01) << n;
  EXPECT_TRUE(MeanShape({5}, 30).mean().empty());
}

}  // namespace
}  // namespace vprism::peak_template_test
