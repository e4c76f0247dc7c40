// Two spectra compared as a whole: where one has more, where they are alike, and what each is like.
#include "identify/findings/signature.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "condition/filters/filter_design.h"
#include "condition/filters/sections.h"
#include "identify/lines/peaks.h"
#include "identify/noise/noise_floor.h"
#include "signal/feed.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism::signature_test {
namespace {

struct MadeMachine {
  Spectrum spectrum;
  std::vector<double> floor;
  SignatureSide side() const { return {spectrum, floor, {}, {}}; }
};

/// White noise, filtered noise of `more` RMS between `low` and `high` of the rate added, 32 k samples at
/// 10 kHz.
MadeMachine made(unsigned seed, double more, double low, double high, double gain = 1) {
  std::mt19937_64 bits(seed);
  std::normal_distribution<double> normal(0, 1);
  std::vector<double> x(32768), extra(x.size()), out;
  for (double& v : x) v = normal(bits);
  for (double& v : extra) v = more * normal(bits);
  FilterDesign design;
  design.band = FilterBand::bandpass, design.low = low, design.high = high;
  const auto filter = make_causal_filter(design.sections());
  filter->add(extra, out);
  filter->finish(out);
  for (std::size_t n = 0; n < x.size(); ++n) x[n] = gain * (x[n] + out[n]);
  SpectrumSettings settings;
  settings.window = parse_window("hann");
  settings.segment = 2048;
  const SpectrumPlan plan = plan_spectrum(settings, static_cast<std::int64_t>(x.size()), 10000);
  SpectrumEstimator estimator(plan, settings);
  feed(estimator, {x});
  MadeMachine m{estimator.result()[0], {}};
  m.floor = find_peaks(m.spectrum).floor;
  return m;
}

TEST(Signature, SaysWhereOneHasMoreAndWhereTheyAreAlike) {
  const MadeMachine plain = made(1, 0, 0.2, 0.25), loud = made(2, 10, 0.2, 0.25);
  const Signature s = compare_signatures(plain.side(), loud.side());
  ASSERT_EQ(s.more.size(), 1u);
  EXPECT_TRUE(s.less.empty());
  // 2 to 2.5 kHz, where the power is 101 times.
  EXPECT_NEAR(s.more[0].low_hz, 2000, 150);
  EXPECT_NEAR(s.more[0].high_hz, 2500, 150);
  EXPECT_NEAR(s.more[0].delta_db, 20, 1.5);
  ASSERT_TRUE(s.alike);
  EXPECT_LT(s.alike->high_hz, 2100);
  EXPECT_LT(s.alike->low_hz, 100);
  EXPECT_NEAR(s.alike->delta_db, 0, 0.3);
  // The other way round it is less.
  const Signature back = compare_signatures(loud.side(), plain.side());
  ASSERT_EQ(back.less.size(), 1u);
  EXPECT_NEAR(back.less[0].delta_db, -s.more[0].delta_db, 1e-9);
  // The band's noise, 100 of 101 parts of what lies there, weighs 50 of the 2250 Hz, the white the rest.
  EXPECT_NEAR(s.a.centre_hz, 2500, 60);
  EXPECT_NEAR(s.a.spread_hz, 5000 / std::sqrt(12.0), 60);
  EXPECT_NEAR(s.b.centre_hz, (2250 * 100 * 500.0 + 2500 * 5000.0) / (100 * 500 + 5000), 60);
}

TEST(Signature, FreshNoiseIsNoDifference) {
  int runs = 0;
  for (unsigned i = 0; i < 20; ++i) {
    const Signature s =
        compare_signatures(made(100 + i, 0, 0.2, 0.25).side(), made(200 + i, 0, 0.2, 0.25).side());
    runs += static_cast<int>(s.more.size() + s.less.size());
    ASSERT_TRUE(s.alike);
    EXPECT_FALSE(s.throughout_db);
    EXPECT_GT(s.alike->high_hz / s.alike->low_hz, 20);
  }
  EXPECT_EQ(runs, 0);
  // A change of gain is one everywhere.
  const Signature louder = compare_signatures(made(1, 0, 0.2, 0.25).side(), made(2, 0, 0.2, 0.25, 2).side());
  ASSERT_TRUE(louder.throughout_db);
  EXPECT_NEAR(*louder.throughout_db, 20 * std::log10(2.0), 0.1);
  EXPECT_TRUE(louder.more.empty() && louder.less.empty());
  EXPECT_FALSE(louder.alike);
}

TEST(Signature, ALoneBandThatDiffersIsNotAlike) {
  // One line of 300 Hz on A alone.
  MadeMachine a = made(11, 0, 0.2, 0.25), b = made(12, 0, 0.2, 0.25);
  const auto bin = static_cast<std::size_t>(a.spectrum.bins_at(300) + 0.5);
  a.spectrum.power[bin] *= 1e4;
  const Signature s = compare_signatures(a.side(), b.side());
  ASSERT_EQ(s.less.size(), 1u);
  EXPECT_LT(s.less[0].low_hz, 300);
  EXPECT_GT(s.less[0].high_hz, 300);
  EXPECT_LT(s.less[0].delta_db, -20);
  ASSERT_TRUE(s.alike);
  EXPECT_TRUE(s.alike->high_hz < 300 || s.alike->low_hz > 300 - 50);
}

TEST(Signature, LinesMakeUpTheTonalShare) {
  MadeMachine m = made(5, 0, 0.2, 0.25);
  SignatureSide side = m.side();
  double sum = 0;
  for (std::size_t k = 0; k < m.spectrum.bins(); ++k) sum += m.spectrum.share(k);
  side.lines_hz = {1000, 2000}, side.lines_rms = {0.5 * std::sqrt(sum), 0.5 * std::sqrt(sum)};
  EXPECT_NEAR(compare_signatures(side, m.side()).a.tonal_share, 0.5, 0.01);
}

}  // namespace
}  // namespace vprism::signature_test
