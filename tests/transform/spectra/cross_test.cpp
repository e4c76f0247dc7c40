// Cross spectra against known delays, gains and noise.
#include "transform/spectra/cross.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "base/error.h"
#include "signal/feed.h"

namespace vprism::cross_test {
namespace {

using Complex = std::complex<double>;
using std::numbers::pi;
using Columns = std::vector<std::vector<double>>;

std::vector<double> noise(std::size_t count, std::uint64_t seed) {
  std::mt19937_64 dice(seed);
  std::normal_distribution<double> normal;
  std::vector<double> out(count);
  for (double& v : out) v = normal(dice);
  return out;
}

std::vector<double> tone(std::size_t count, double cycles, double amplitude, double phase_deg) {
  std::vector<double> out(count);
  for (std::size_t n = 0; n < count; ++n)
    out[n] = amplitude * std::cos(2 * pi * cycles * static_cast<double>(n) + phase_deg * pi / 180);
  return out;
}

CrossSpectra spectra_of(const Columns& columns, std::vector<std::size_t> references,
                        SpectrumSettings settings, std::size_t block = 3000) {
  CrossEstimator estimator(plan_spectrum(settings, static_cast<std::int64_t>(columns[0].size()), 1000),
                           settings, std::move(references));
  feed(estimator, columns, block);
  return estimator.result();
}

SpectrumSettings segments_of(std::size_t samples, const char* window, double overlap = 0.5) {
  SpectrumSettings settings;
  settings.segment = samples;
  settings.window = parse_window(window);
  settings.overlap = overlap;
  return settings;
}

TEST(Cross, ATonesLevelsAndPhaseOnItsBin) {
  const Columns columns = {tone(4000, 0.1, 2, 30), tone(4000, 0.1, 3, 75)};
  for (const char* window : {"rectangular", "hann", "flat-top"}) {
    const CrossSpectra s = spectra_of(columns, {0}, segments_of(500, window));
    EXPECT_NEAR(s.own[0].power[50], 2, 1e-9) << window;
    EXPECT_NEAR(s.own[1].power[50], 4.5, 1e-9);
    EXPECT_NEAR(std::abs(s.cross[1][0][50]), 3, 1e-9);  // The product of both RMS.
    EXPECT_NEAR(s.phase_deg(1, 0, 50), 45, 1e-7);
    EXPECT_NEAR(s.phase_deg(0, 0, 50), 0, 1e-9);
    EXPECT_NEAR(s.coherence(1, 0, 50), 1, 1e-12);
  }
}

TEST(Cross, ADelayTurnsThePhaseByItsCyclesAtEachFrequency) {
  const std::vector<double> x = noise(200000, 1);
  constexpr std::size_t lag = 3;
  std::vector<double> y(x.size(), 0.0);
  for (std::size_t n = lag; n < x.size(); ++n) y[n] = -0.5 * x[n - lag];
  const CrossSpectra s = spectra_of({x, y}, {0}, segments_of(1000, "hann"));
  for (std::size_t k = 20; k < 480; k += 20) {
    // 180 degrees of the sign, less 360 f lag.
    const double expected = std::remainder(180 - 360.0 * static_cast<double>(k * lag) / 1000, 360);
    EXPECT_NEAR(std::remainder(s.phase_deg(1, 0, k) - expected, 360), 0, 0.5) << k;
    EXPECT_GT(s.coherence(1, 0, k), 0.999);
    EXPECT_NEAR(std::abs(s.cross[1][0][k]) / s.own[0].power[k], 0.5, 0.005);
  }
}

TEST(Cross, OfNoisesThatDoNotKnowEachOtherTheMeanCoherenceIsOneOverTheAverages) {
  // Carter, Knapp & Nuttall 1973: segments apart, true coherence 0.
  for (const std::size_t averages : {8u, 32u}) {
    double sum = 0;
    std::size_t count = 0;
    for (std::uint64_t seed = 0; seed < 4; ++seed) {
      const CrossSpectra s = spectra_of({noise(512 * averages, 10 + seed), noise(512 * averages, 20 + seed)},
                                        {0}, segments_of(512, "rectangular", 0));
      EXPECT_EQ(s.own[0].plan.averages, static_cast<std::int64_t>(averages));
      for (std::size_t k = 1; k < 256; ++k) sum += s.coherence(1, 0, k), ++count;
    }
    // Of each the standard deviation is about its mean.
    const double expected = 1 / static_cast<double>(averages);
    EXPECT_NEAR(sum / static_cast<double>(count), expected, 4 * expected / std::sqrt(count));
  }
}

TEST(Cross, TheMatrixOfAllWithAllIsHermitian) {
  Columns columns = {noise(20000, 1), noise(20000, 2), noise(20000, 3)};
  for (std::size_t n = 1; n < columns[0].size(); ++n) columns[2][n] += 0.7 * columns[0][n - 1];
  const CrossSpectra s = spectra_of(columns, {0, 1, 2}, segments_of(256, "hann"));
  for (std::size_t a = 0; a < 3; ++a)
    for (std::size_t b = 0; b < 3; ++b)
      for (const std::size_t k : {0u, 17u, 128u}) {
        EXPECT_NEAR(std::abs(s.cross[a][b][k] - std::conj(s.cross[b][a][k])), 0, 1e-15);
        if (a == b) {
          EXPECT_NEAR(s.cross[a][a][k].real(), s.own[a].power[k], 1e-12 * s.own[a].power[k]);
        }
      }
}

TEST(Cross, SumsDoNotDependOnTheBlocks) {
  const Columns columns = {noise(9000, 4), noise(9000, 5)};
  const CrossSpectra a = spectra_of(columns, {1}, segments_of(777, "hann"), 100),
                     b = spectra_of(columns, {1}, segments_of(777, "hann"), 9000);
  EXPECT_EQ(a.own[0].power, b.own[0].power);
  EXPECT_EQ(a.cross[0][0], b.cross[0][0]);
}

TEST(Cross, SumsOfPartsJoinToThoseOfTheWhole) {
  const std::vector<std::vector<Complex>> x = {{{1, 2}, {3, -1}}, {{0, 1}, {2, 2}}, {{-1, 1}, {0, 4}}},
                                          y = {{{2, 0}, {1, 1}}, {{1, -1}, {0, 1}}, {{3, 2}, {1, 0}}};
  const auto sums = [&](std::size_t from, std::size_t to) {
    CrossSums out;
    out.references = {0};
    out.resize(2, 2);
    for (std::size_t s = from; s < to; ++s) out.add(std::vector<const Complex*>{x[s].data(), y[s].data()});
    return out;
  };
  CrossSums joined = sums(0, 1);
  joined.join(sums(1, 3));
  EXPECT_EQ(joined.power, sums(0, 3).power);
  EXPECT_EQ(joined.cross, sums(0, 3).cross);
  EXPECT_EQ(joined.power[0][0], 5 + 1 + 2);
  // Y conj(X) at bin 0: 2 (1 - 2i) + (1 - i)(-i) + (3 + 2i)(-1 - i)
  EXPECT_EQ(joined.cross[1][0][0], Complex(2, -4) + Complex(-1, -1) + Complex(-1, -5));
}

TEST(Cross, ARecordShorterThanASegmentIsAnError) {
  SpectrumSettings settings = segments_of(256, "hann");
  CrossEstimator estimator(plan_spectrum(settings, 1000, 1000), settings, {0});
  feed(estimator, {noise(200, 1), noise(200, 2)});
  EXPECT_THROW(estimator.result(), Error);
}

}  // namespace
}  // namespace vprism::cross_test
