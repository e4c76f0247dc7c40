// Sines without noise, of whole and broken numbers of periods: one line each, no ramp, no noise beside it.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "identify/findings/rounding_lines.h"
#include "identify/verdict/band_search.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism::clean_sines_test {
namespace {

using std::numbers::pi;

struct Looked {
  Spectrum spectrum;
  PeakSearch search;
};

Looked look_at(const std::vector<double>& x, double rate) {
  SpectrumSettings settings;
  const SpectrumPlan plan = plan_spectrum(settings, static_cast<std::int64_t>(x.size()), rate);
  SpectrumEstimator estimator(plan, settings);
  const std::span<const double> columns[] = {x};
  estimator.add(columns);
  Looked out{std::move(estimator.result()[0]), {}};
  out.search = find_peaks(out.spectrum, {});
  return out;
}

TEST(CleanSines, AreOneLineEach) {
  for (const double hz : {5.0, 5.25, 7.5, 20.0, 123.4})
    for (const double noise : {0.0, 1e-6, 1e-3}) {
      std::mt19937_64 bits(5);
      std::normal_distribution<double> dice;
      std::vector<double> x;
      for (int n = 0; n < 2000; ++n) x.push_back(std::sin(2 * pi * hz * n / 1000) + noise * dice(bits));
      Looked a = look_at(x, 1000);
      ASSERT_EQ(a.search.peaks.size(), 1u) << hz << " " << noise;
      EXPECT_NEAR(a.search.peaks[0].frequency_hz, hz, 4 * a.search.peaks[0].frequency_std_hz + 1e-9);
      // White noise of that size: beside the line as elsewhere.
      const double usual = a.search.floor[a.search.floor.size() / 2];
      for (std::size_t k = 4; k < a.search.floor.size(); ++k)
        ASSERT_LT(a.search.floor[k], 3 * usual) << hz << " " << noise << " " << k;
      std::vector<Peak> peaks = a.search.peaks;
      EXPECT_TRUE(judge_bands(x, 1000, a.spectrum, a.search.floor, peaks).empty()) << hz << " " << noise;
      ASSERT_EQ(peaks.size(), 1u) << hz << " " << noise;
      EXPECT_NEAR(peaks[0].rms, std::sqrt(0.5), 3e-4);
    }
}

TEST(RoundingLines, WidenEveryLevel) {
  Levels levels;
  levels.step = 0.12, levels.distinct = 20, levels.kept = 1000;
  std::vector<Peak> peaks(5);
  peaks[0].rms = 10;
  for (std::size_t i = 1; i < peaks.size(); ++i) peaks[i].rms = 0.01;
  const std::vector<std::size_t> members = quantised_peaks(levels, peaks);
  ASSERT_EQ(members.size(), 4u);
  widen_by_rounding(levels, members, 2, peaks);
  const double each = 0.12 / std::sqrt(12.0 * 4);
  EXPECT_NEAR(peaks[0].rms_std, each, 1e-12);
  EXPECT_NEAR(peaks[0].frequency_std_hz, 0.1 * std::sqrt(6.0) / (2 * pi) * each / 10, 1e-12);
  levels.distinct = 900;  // As good as noise.
  EXPECT_TRUE(quantised_peaks(levels, peaks).empty());
}

}  // namespace
}  // namespace vprism::clean_sines_test
