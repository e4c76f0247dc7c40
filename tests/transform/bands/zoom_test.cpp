// A band by itself, the chirp transform, tapers and cross spectra against closed forms and the whole
// transform.
#include "transform/bands/zoom.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "identify/lines/peaks.h"
#include "signal/feed.h"
#include "signal/turn.h"
#include "transform/spectra/chirp_z.h"
#include "transform/spectra/confidence.h"
#include "transform/spectra/cross.h"
#include "transform/spectra/spectrum_estimator.h"
#include "transform/windows/tapers.h"

namespace vprism::zoom_test {
namespace {

std::vector<double> made(std::size_t samples, double rate, const std::vector<std::array<double, 3>>& tones) {
  std::vector<double> x(samples);
  for (std::size_t n = 0; n < samples; ++n)
    for (const auto& [hz, amplitude, phase] : tones)
      x[n] += amplitude * std::cos(turn * std::fmod(hz * static_cast<double>(n) / rate, 1.0) + phase);
  return x;
}

TEST(Zoom, LinesAreThoseOfTheWholeTransform) {
  constexpr double rate = 1e6;
  const auto x =
      made(400000, rate, {{143210.4, 2, 0.7}, {143260.4, 0.5, -1}, {250000, 3, 0}, {146000, 1e-4, 1}});
  SpectrumSettings settings;
  settings.resolution_hz = 10;
  const SpectrumPlan whole = plan_spectrum(settings, 400000, rate);
  const auto zoom = plan_zoom(whole, settings.window, {140e3, 149e3}, 400000, false, true);
  ASSERT_TRUE(zoom);
  EXPECT_GE(zoom->factor, 20u);
  EXPECT_NEAR(zoom->plan.rbw_hz, 10, 0.1);
  ZoomEstimator estimator(*zoom, settings);
  feed(estimator, {x}, 30011);
  const Spectrum s = estimator.result()[0];
  EXPECT_LT(s.frequency_hz(0), 140e3);
  EXPECT_GT(s.frequency_hz(s.bins() - 1), 149e3);
  const auto peaks = find_peaks(s).peaks;
  ASSERT_GE(peaks.size(), 3u);
  EXPECT_NEAR(peaks[0].frequency_hz, 143210.4, 0.01);
  EXPECT_NEAR(peaks[0].level(Scale::peak, s.plan), 2, 2e-4);
  EXPECT_NEAR(peaks[0].phase_deg, 0.7 * 360 / turn, 0.5);
  EXPECT_NEAR(peaks[1].frequency_hz, 143260.4, 0.02);
  EXPECT_NEAR(peaks[1].level(Scale::peak, s.plan), 0.5, 1e-3);
  EXPECT_NEAR(peaks[1].phase_deg, -360 / turn, 0.5);
  EXPECT_NEAR(peaks[2].frequency_hz, 146000, 0.1);
  EXPECT_NEAR(peaks[2].level(Scale::peak, s.plan), 1e-4, 2e-6);
}

TEST(Zoom, DensityOfNoiseIsThatOfTheWholeBand) {
  std::mt19937_64 dice(3);
  std::normal_distribution<double> noise;
  std::vector<double> x(300000);
  for (double& v : x) v = noise(dice);
  SpectrumSettings settings;
  settings.segment = 8192;
  const SpectrumPlan whole = plan_spectrum(settings, 300000, 1000);
  const auto zoom = plan_zoom(whole, settings.window, {100, 120}, 300000, false, true);
  ASSERT_TRUE(zoom);
  ZoomEstimator estimator(*zoom, settings);
  feed(estimator, {x});
  const Spectrum s = estimator.result()[0];
  const auto [low, high] = s.bins_within(100.0, 120.0);
  double mean = 0;
  for (std::size_t k = low; k < high; ++k) mean += s.level(k, Scale::psd) / static_cast<double>(high - low);
  EXPECT_NEAR(mean, 2.0 / 1000, 0.03 * 2.0 / 1000);  // One-sided: 2 sigma^2 / fs.
}

TEST(Zoom, IsNotForWideBandsNorNearZero) {
  SpectrumSettings settings;
  settings.segment = 65536;
  const SpectrumPlan whole = plan_spectrum(settings, 1 << 20, 1000);
  EXPECT_FALSE(plan_zoom(whole, settings.window, {10, 490}, 1 << 20, false, true));
  EXPECT_FALSE(plan_zoom(whole, settings.window, {0, 20}, 1 << 20, false, true));
  EXPECT_FALSE(plan_zoom(whole, settings.window, {100, 110}, 1 << 20, false));  // The transform costs less.
}

TEST(ChirpZ, IsTheSumItStandsFor) {
  constexpr std::size_t size = 77, count = 30;
  const double start = 0.1234, step = 0.00137;
  const ChirpZ chirp(size, count, start, step);
  FftArray<std::complex<double>> line(chirp.points()), bins(chirp.points());
  std::vector<std::complex<double>> x;
  for (std::size_t n = 0; n < size; ++n) {
    x.emplace_back(std::sin(0.3 * static_cast<double>(n * n)), std::cos(1.7 * static_cast<double>(n)));
    line.data()[n] = x.back();
  }
  chirp.run(line, bins);
  for (std::size_t m = 0; m < count; ++m) {
    std::complex<double> sum;
    for (std::size_t n = 0; n < size; ++n)
      sum += x[n] * std::polar(1.0, -turn * (start + static_cast<double>(m) * step) * static_cast<double>(n));
    EXPECT_NEAR(std::abs(line.data()[m] - sum), 0, 1e-11);
  }
}

TEST(Padding, PutsBinsBetweenAndKeepsThoseThatWereThere) {
  const auto x = made(5000, 1000, {{123.3, 1, 0.2}});
  SpectrumSettings plain, padded, banded;
  plain.segment = padded.segment = banded.segment = 1000;
  padded.pad = banded.pad = 16;
  banded.band = {{120, 127}};
  std::vector<Spectrum> all;
  for (const SpectrumSettings& settings : {plain, padded, banded}) {
    SpectrumEstimator estimator(plan_spectrum(settings, 5000, 1000), settings);
    feed(estimator, {x});
    all.push_back(estimator.result()[0]);
  }
  EXPECT_EQ(all[1].bins(), 8001u);
  EXPECT_DOUBLE_EQ(all[1].plan.bin_hz, 1.0 / 16);
  EXPECT_NEAR(all[1].plan.rbw_hz, all[0].plan.rbw_hz, 1e-12);
  EXPECT_NEAR(all[1].rms_total(), all[0].rms_total(), 1e-9);
  const Spectrum back = all[1].unpadded();
  ASSERT_EQ(back.bins(), all[0].bins());
  for (std::size_t k = 0; k < back.bins(); ++k) EXPECT_NEAR(back.power[k], all[0].power[k], 1e-15);
  // Only a part of the band, by the chirp transform: the same numbers.
  EXPECT_LT(all[2].bins(), 120u);
  for (std::size_t k = 0; k < all[2].bins(); ++k) {
    const auto there = static_cast<std::size_t>(std::lround(all[1].bins_at(all[2].frequency_hz(k))));
    EXPECT_NEAR(all[2].power[k], all[1].power[there], 1e-13);
  }
  // Between the bins the level of the tone is there to be read.
  const auto top = static_cast<std::size_t>(std::lround(all[1].bins_at(123.3125)));
  EXPECT_NEAR(all[1].level(top, Scale::peak), 1, 1e-3);
}

TEST(Tapers, AreOrthonormalAndAsConcentratedAsTheAsymptoticFormulaSays) {
  const auto tapers = prolate_tapers(512, 4, 7);
  for (std::size_t a = 0; a < tapers.size(); ++a)
    for (std::size_t b = 0; b <= a; ++b) {
      double sum = 0;
      for (std::size_t n = 0; n < 512; ++n) sum += tapers[a][n] * tapers[b][n];
      EXPECT_NEAR(sum, a == b ? 1 : 0, 1e-10);
    }
  // 1 - lambda_k = sqrt(pi) 2^(3k + 2) c^(k + 1/2) exp(-2c) / k!, c = pi N W, for k far below 2 N W (Fuchs
  // 1964).
  const double c = std::numbers::pi * 4;
  double expected = std::sqrt(std::numbers::pi) * 4 * std::sqrt(c) * std::exp(-2 * c);
  for (std::size_t k = 0; k < 4; ++k, expected *= 8 * c / static_cast<double>(k)) {
    const double lost = 1 - taper_concentration(tapers[k], 4);
    // The formula is a little too high, the more so the higher the order; N is finite.
    EXPECT_GT(lost, expected * (k < 2 ? 0.7 : 0.3)) << k;
    EXPECT_LT(lost, expected * 1.3) << k;
  }
}

TEST(Tapers, BoundsOfNoiseCover) {
  std::mt19937_64 dice(5);
  std::normal_distribution<double> noise;
  int within = 0, all = 0;
  for (int run = 0; run < 40; ++run) {
    std::vector<double> x(2048);
    for (double& v : x) v = noise(dice);
    SpectrumSettings settings;
    settings.tapers = 7;
    settings.segment = 2048;
    SpectrumEstimator estimator(plan_spectrum(settings, 2048, 1), settings);
    feed(estimator, {x});
    const Spectrum s = estimator.result()[0];
    const auto [low, high] = confidence_factors(s.noise_averages, 0.95);
    for (std::size_t k = 16; k < 1000; k += 16, ++all)
      within += s.level(k, Scale::psd) * low < 2 && s.level(k, Scale::psd) * high > 2 ? 1 : 0;
  }
  EXPECT_NEAR(static_cast<double>(within) / all, 0.95, 0.02);
}

TEST(Confidence, IsThatOfChiSquare) {
  // Two degrees of freedom: the quantiles of an exponential distribution.
  const auto [low, high] = confidence_factors(1, 0.9);
  EXPECT_NEAR(low, 1 / -std::log(0.05), 1e-9);
  EXPECT_NEAR(high, 1 / -std::log(0.95), 1e-9);
  // Ten degrees of freedom: 3.247 and 20.483 (tables of chi square).
  const auto [five_low, five_high] = confidence_factors(5, 0.95);
  EXPECT_NEAR(five_low, 10 / 20.483, 1e-4);
  EXPECT_NEAR(five_high, 10 / 3.247, 1e-3);
}

TEST(Cross, PhaseAndCoherenceOfADelayedChannelWithNoise) {
  std::mt19937_64 dice(7);
  std::normal_distribution<double> noise;
  std::vector<double> source(200005), a(200000), b(200000);
  for (double& v : source) v = noise(dice);
  for (std::size_t n = 0; n < a.size(); ++n) a[n] = source[n + 5], b[n] = 2 * source[n] + 2 * noise(dice);
  SpectrumSettings settings;
  settings.segment = 1000;
  CrossEstimator estimator(plan_spectrum(settings, 200000, 1000), settings, {0});
  feed(estimator, {a, b}, 7777);
  const auto cross = estimator.result();
  for (const std::size_t k : {50u, 200u, 400u}) {
    EXPECT_NEAR(cross.coherence(0, 0, k), 1, 1e-9);
    EXPECT_NEAR(cross.phase_deg(0, 0, k), 0, 1e-6);
    // b is 5 ms later: -360 f 5 ms; noise of the same power halves the coherence.
    EXPECT_NEAR(std::remainder(cross.phase_deg(1, 0, k) + 360 * static_cast<double>(k) * 5e-3, 360), 0, 8);
    EXPECT_NEAR(cross.coherence(1, 0, k), 0.5, 0.12);
  }
}

}  // namespace
}  // namespace vprism::zoom_test
