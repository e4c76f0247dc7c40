// time_peaks_test.cpp: maxima in time against closed forms, and the rhythm they come in.
#include <gmock/gmock.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "identify/peaks/peak_rhythm.h"
#include "identify/peaks/peak_shape.h"

namespace vprism::time_peaks_test {
namespace {

using testing::ElementsAre;

std::vector<RoughPeak> found(const std::vector<double>& x, const TimePeakRules& rules = {}, double sign = 1,
                             std::size_t block = 7) {
  std::vector<RoughPeak> out;
  PeakFinder finder(rules, sign, [&](const RoughPeak& peak) { out.push_back(peak); });
  for (std::size_t at = 0; at < x.size(); at += block)
    finder.add(std::span(x).subspan(at, std::min(block, x.size() - at)));
  finder.finish();
  return apart(std::move(out), rules.min_distance);
}

std::vector<TimePeak> shaped(const std::vector<double>& x, const TimePeakRules& rules = {}, double sign = 1) {
  PeakShaper shaper(found(x, rules, sign), sign);
  shaper.add(x);
  return shaper.finish();
}

/// Prominence by its definition: a walk to both sides until higher ground.
double walked(const std::vector<double>& x, std::size_t i) {
  double left = x[i], right = x[i];
  for (std::size_t k = i; k-- > 0 && x[k] <= x[i];) left = std::min(left, x[k]);
  for (std::size_t k = i + 1; k < x.size() && x[k] <= x[i]; ++k) right = std::min(right, x[k]);
  return x[i] - std::max(left, right);
}

TEST(PeakFinder, ProminencesAreThoseOfTheDefinition) {
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal;
  std::vector<double> x(3000);
  double walk = 0;
  for (double& v : x) v = walk += normal(random);
  const std::vector<RoughPeak> peaks = found(x);
  std::size_t expected = 0;
  for (std::size_t i = 1; i + 1 < x.size(); ++i) expected += x[i] > x[i - 1] && x[i] > x[i + 1];
  ASSERT_EQ(peaks.size(), expected);
  for (const RoughPeak& peak : peaks)
    EXPECT_NEAR(peak.prominence, walked(x, static_cast<std::size_t>(peak.sample)), 1e-12) << peak.sample;
}

TEST(PeakFinder, FlatTopsEdgesGapsAndRules) {
  const double nan = std::nan("");
  const auto samples = [](const std::vector<RoughPeak>& peaks) {
    std::vector<std::int64_t> out;
    for (const RoughPeak& peak : peaks) out.push_back(peak.sample);
    return out;
  };
  EXPECT_THAT(samples(found({0, 1, 2, 2, 2, 1, 0})), ElementsAre(3));
  // The ends of a record are no peaks, nor is a step within a rise.
  EXPECT_TRUE(found({3, 2, 1, 1, 2, 3}).empty());
  EXPECT_THAT(samples(found({0, 1, 1, 2, 0})), ElementsAre(3));
  EXPECT_THAT(samples(found({0, 2, 1, nan, 5, 6, 5})), ElementsAre(1, 5));
  const std::vector<double> x = {0, 1, 0.5, 3, 0, 2, 1.8, 1.9, 0};
  EXPECT_THAT(samples(found(x)), ElementsAre(1, 3, 5, 7));
  TimePeakRules rules;
  rules.min_prominence = 0.4;
  EXPECT_THAT(samples(found(x, rules)), ElementsAre(1, 3, 5));
  rules.min_height = 1.5;
  EXPECT_THAT(samples(found(x, rules)), ElementsAre(3, 5));
  rules.min_distance = 3;
  EXPECT_THAT(samples(found(x, rules)), ElementsAre(3));
  rules = {};
  rules.threshold = 0.6;
  EXPECT_THAT(samples(found(x, rules)), ElementsAre(3));
  EXPECT_THAT(samples(found(x, {}, -1)), ElementsAre(2, 4, 6));
}

TEST(PeakShaper, PlacesLieBetweenSamples) {
  std::mt19937_64 random(11);
  std::normal_distribution<double> normal;
  std::uniform_real_distribution<double> uniform;
  for (const double noise : {0.0, 0.01})
    for (const double width : {2.5, 6.0, 20.0}) {
      std::vector<double> x(200000), truth;
      for (double t = 200; t < 199000; t += 40 * width) truth.push_back(t + uniform(random));
      for (const double t : truth)
        for (auto k = static_cast<std::size_t>(t - 9 * width); static_cast<double>(k) < t + 9 * width; ++k)
          x[k] += 2 * std::exp(-0.5 * std::pow((static_cast<double>(k) - t) / width, 2));
      for (double& v : x) v += 2 * noise * normal(random);
      TimePeakRules rules;
      rules.min_prominence = 1, rules.min_distance = 10 * width;
      const std::vector<TimePeak> peaks = shaped(x, rules);
      ASSERT_EQ(peaks.size(), truth.size());
      double place = 0, height = 0, across = 0;
      std::size_t within = 0;
      for (std::size_t i = 0; i < truth.size(); ++i) {
        const double off = peaks[i].sample - truth[i];
        place += off * off, height += std::pow(peaks[i].height - 2, 2), across += peaks[i].width;
        within += std::abs(off) < 3 * peaks[i].sample_std + 1e-3;
      }
      const auto n = static_cast<double>(truth.size());
      // Cramer and Rao: noise sqrt(2 width / sqrt(pi)).
      EXPECT_LT(std::sqrt(place / n), 0.005 + 2 * noise * std::sqrt(1.128 * width)) << noise << " " << width;
      EXPECT_LT(std::sqrt(height / n), 0.002 + 2.5 * noise) << noise << " " << width;
      EXPECT_NEAR(across / n / width, 2.3548, 0.03 + 6 * noise) << noise << " " << width;
      EXPECT_GT(static_cast<double>(within) / n, noise == 0 ? 0.9 : 0.85) << noise << " " << width;
    }
}

/// Of any course, at places between samples.
template <typename Course>
void expect_covered(const char* what, double width, double noise, const Course& course) {
  std::mt19937_64 random(21);
  std::normal_distribution<double> normal;
  std::uniform_real_distribution<double> uniform;
  std::vector<double> x(120000), truth;
  for (double t = 600; t < 119000; t += 60 * width) truth.push_back(t + uniform(random));
  for (const double t : truth)
    for (auto k = static_cast<std::size_t>(t - 16 * width); static_cast<double>(k) < t + 16 * width; ++k)
      x[k] += course((static_cast<double>(k) - t) / width);
  for (double& v : x) v += noise * normal(random);
  TimePeakRules rules;
  rules.min_prominence = 0.4, rules.min_distance = 10 * width;
  const std::vector<TimePeak> peaks = shaped(x, rules);
  ASSERT_EQ(peaks.size(), truth.size()) << what << width;
  std::size_t places = 0, heights = 0;
  for (std::size_t i = 0; i < truth.size(); ++i) {
    places += std::abs(peaks[i].sample - truth[i]) < 3 * peaks[i].sample_std + 1e-4;
    heights += std::abs(peaks[i].height - 1) < 3 * peaks[i].height_std + 1e-4;
  }
  EXPECT_GT(static_cast<double>(places) / static_cast<double>(truth.size()), 0.93) << what << width;
  EXPECT_GT(static_cast<double>(heights) / static_cast<double>(truth.size()), 0.93) << what << width;
}

TEST(PeakShaper, UncertaintiesCoverOtherShapesThanBells) {
  for (const double width : {2.0, 3.0, 6.0, 20.0}) {
    expect_covered("bell", width, 0.01, [](double u) { return std::exp(-u * u / 2); });
    expect_covered("hyperbolic secant", width, 0.01, [](double u) { return 1 / std::cosh(u); });
    expect_covered("Lorentz", width, 0.01, [](double u) { return 1 / (1 + u * u); });
    // Twice as wide behind as before.
    expect_covered("leaning", width, 0.01, [](double u) { return std::exp(-u * u / (u < 0 ? 2 : 8)); });
  }
}

TEST(PeakShaper, BesideEndsAndGapsTheHigherBaseCounts) {
  const double nan = std::nan("");
  for (const bool gap : {false, true}) {
    std::vector<double> x(gap ? 500 : 0, nan);
    for (int n = 0; n < 100; ++n) x.push_back(std::exp(-0.5 * std::pow((n - 4) / 10.0, 2)));
    const std::vector<TimePeak> peaks = shaped(x);
    ASSERT_EQ(peaks.size(), 1u);
    // Down to exp(-0.08) on the left: half of that on both sides, 10 sqrt(-2 ln 0.9616) = 2.8 samples away.
    EXPECT_NEAR(peaks[0].prominence, 1 - std::exp(-0.08), 1e-3);
    EXPECT_NEAR(peaks[0].width, 5.6, 0.3);
    EXPECT_NEAR(peaks[0].sample, gap ? 504 : 4, 0.1);
  }
}

TEST(ProminenceSurvey, NoiseHasNoPeaksAndBeatsHave) {
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal;
  const auto choice = [](const std::vector<double>& x) {
    ProminenceSurvey survey;
    PeakFinder finder({}, 1, [&](const RoughPeak& peak) { survey.take(peak); });
    survey.add(x);
    finder.add(x);
    finder.finish();
    return survey.choice();
  };
  std::vector<double> noise(100000);
  for (double& v : noise) v = 3 * normal(random);
  EXPECT_TRUE(std::isinf(choice(noise).min_prominence));
  EXPECT_NEAR(choice(noise).noise_std, 3, 0.1);
  std::vector<double> beats = noise;
  for (double& v : beats) v *= 0.01;
  for (std::size_t b = 500; b + 600 < beats.size(); b += 800)
    for (int k = -300; k <= 500; ++k)
      beats[static_cast<std::size_t>(static_cast<int>(b) + k)] +=
          std::exp(-0.5 * std::pow(k / 12.0, 2)) + 0.3 * std::exp(-0.5 * std::pow((k - 250) / 40.0, 2));
  const double least = choice(beats).min_prominence;
  EXPECT_GT(least, 0.4);
  EXPECT_LT(least, 0.95);
}

TEST(Rhythm, MissedAndExtraPeaksAreSeen) {
  std::vector<double> times;
  for (int i = 0; i < 100; ++i) times.push_back(i * 0.8 + (i % 2) * 0.01);
  const auto plain = rhythm_of(times);
  ASSERT_TRUE(plain.has_value());
  EXPECT_NEAR(plain->mean_s, 0.8, 2e-4);
  EXPECT_NEAR(plain->std_s, 0.01005, 1e-4);
  EXPECT_NEAR(plain->neighbour_scatter_s, 0.02, 1e-9);
  EXPECT_EQ(plain->missed + plain->extra, 0);
  times.erase(times.begin() + 40, times.begin() + 42);
  times.insert(times.begin() + 60, (times[59] + times[60]) / 2);
  const auto mended = rhythm_of(times);
  EXPECT_EQ(mended->missed, 2);
  EXPECT_EQ(mended->extra, 1);
  EXPECT_NEAR(mended->rate_hz, 1.25, 2e-3);
  EXPECT_FALSE(rhythm_of(std::vector<double>{1, 2}).has_value());
  // From 1 to 2 Hz within 100 s.
  std::vector<double> faster;
  for (double t = 0; t < 100; t += 1 / (1 + t / 100)) faster.push_back(t);
  const auto rising = rhythm_of(faster);
  EXPECT_NEAR(rising->trend_hz_per_s, 0.01, 2e-4);
}

TEST(Pairing, DelaysBetweenChannels) {
  std::vector<double> a, b;
  for (int i = 0; i < 50; ++i) a.push_back(i), b.push_back(i + 0.1 + 0.01 * (i % 3 - 1));
  b.erase(b.begin() + 10);
  const PeakPairing pairing = pair_peaks(a, b, 0.5);
  EXPECT_EQ(pairing.pairs, 49);
  EXPECT_EQ(pairing.alone_first, 1);
  EXPECT_EQ(pairing.alone_second, 0);
  EXPECT_NEAR(pairing.delay_mean_s, 0.1, 1e-3);
  EXPECT_NEAR(pairing.delay_std_s, 0.0082, 5e-4);
}

}  // namespace
}  // namespace vprism::time_peaks_test
