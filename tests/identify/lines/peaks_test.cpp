// Peaks: refined past the bin, uncertainties that cover, no side lobes, no false alarms.
#include "identify/lines/peaks.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "identify/noise/noise_floor.h"
#include "signal/feed.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism::peaks_test {
namespace {

constexpr double two_pi = 2 * std::numbers::pi;

struct Tone {
  double frequency, amplitude, phase = 0;
};

std::vector<double> signal(std::size_t samples, double rate, const std::vector<Tone>& tones, double noise = 0,
                           std::uint64_t seed = 1) {
  std::mt19937_64 bits(seed);
  std::normal_distribution<double> normal(0, 1);
  std::vector<double> x(samples);
  for (std::size_t n = 0; n < samples; ++n) {
    for (const Tone& t : tones)
      x[n] += t.amplitude * std::cos(two_pi * t.frequency * static_cast<double>(n) / rate + t.phase);
    if (noise > 0) x[n] += noise * normal(bits);
  }
  return x;
}

Spectrum spectrum_of(const std::vector<double>& x, double rate, const char* window, std::size_t segment) {
  SpectrumSettings settings;
  settings.window = parse_window(window);
  settings.segment = segment;
  const SpectrumPlan plan = plan_spectrum(settings, static_cast<std::int64_t>(x.size()), rate);
  SpectrumEstimator estimator(plan, settings);
  feed(estimator, {x});
  return estimator.result()[0];
}

std::vector<Peak> peaks_of(const std::vector<double>& x, double rate, const char* window,
                           std::size_t segment) {
  return find_peaks(spectrum_of(x, rate, window, segment)).peaks;
}

class PeaksUnderEveryWindow : public ::testing::TestWithParam<const char*> {};

TEST_P(PeaksUnderEveryWindow, CleanToneBetweenBinsIsReadExactly) {
  for (const std::size_t segment : {4096u, 3001u}) {
    const double bin = 1000.0 / static_cast<double>(segment), frequency = 237.37 * bin;
    for (const std::size_t records : {1u, 3u}) {
      const auto peaks =
          peaks_of(signal(segment * records, 1000, {{frequency, 0.7, 0.9}}), 1000, GetParam(), segment);
      ASSERT_GE(peaks.size(), 1u);
      EXPECT_NEAR(peaks[0].frequency_hz, frequency, 1e-3 * bin);
      // Averaged powers know nothing of the phase at which the mirror image's side lobes add: 60 dB down
      // without a window.
      const bool open = std::string(GetParam()) == "rectangular" && records > 1;
      EXPECT_NEAR(peaks[0].rms, 0.7 / std::numbers::sqrt2, (open ? 1e-3 : 1e-4) * 0.7);
      EXPECT_NEAR(peaks[0].phase_deg, 0.9 * 180 / std::numbers::pi, 0.2);
      EXPECT_EQ(peaks.size(), 1u) << "side lobes are no peaks: "
                                  << (peaks.size() > 1 ? peaks[1].frequency_hz / bin : 0) << " bins, "
                                  << (peaks.size() > 1 ? peaks[1].rms : 0);
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Table, PeaksUnderEveryWindow,
                         ::testing::Values("rectangular", "hann", "hamming", "blackman-harris", "flat-top",
                                           "kaiser"));

TEST(Peaks, OffsetIsNoPeakAndDoesNotBendALowTone) {
  auto x = signal(4000, 1000, {{1.3, 1.0, 0.4}});  // 5.2 bins from a strong DC
  for (double& v : x) v += 100;
  const auto peaks = peaks_of(x, 1000, "hann", 4000);
  ASSERT_EQ(peaks.size(), 1u);
  EXPECT_NEAR(peaks[0].frequency_hz, 1.3, 1e-4);
  EXPECT_NEAR(peaks[0].rms, 1 / std::numbers::sqrt2, 1e-4);
}

TEST(Peaks, HumOfOnePeriodWithWeakerHarmonicsUnderItsLobe) {
  // One period of the fundamental in the record: harmonics two bins apart, hidden under each other's main
  // lobes.
  const auto x = signal(
      20000, 1e6, {{49.98, 0.8, -1}, {149.94, 0.25, 0.3}, {249.9, 0.2, 1.8}, {349.86, 0.14, -0.4}}, 0.003, 5);
  auto peaks = peaks_of(x, 1e6, "hann", 20000);
  ASSERT_EQ(peaks.size(), 4u);
  std::sort(peaks.begin(), peaks.end(),
            [](const Peak& a, const Peak& b) { return a.frequency_hz < b.frequency_hz; });
  const double levels[] = {0.8, 0.25, 0.2, 0.14};
  for (std::size_t i = 0; i < 4; ++i) {
    EXPECT_NEAR(peaks[i].frequency_hz, 49.98 * static_cast<double>(2 * i + 1), 5);  // a tenth of a bin
    EXPECT_NEAR(peaks[i].rms, levels[i] / std::numbers::sqrt2, 0.01 * levels[i]);
  }
}

TEST(Peaks, WeakToneBesideAStrongOneIsFoundByAWindowWithLowSideLobes) {
  const auto peaks = peaks_of(signal(8192, 8192, {{1000.4, 1, 0}, {1010.3, 1e-4, 1}}, 1e-7, 3), 8192,
                              "blackman-harris", 8192);
  ASSERT_EQ(peaks.size(), 2u);
  EXPECT_NEAR(peaks[1].frequency_hz, 1010.3, 0.01);
  EXPECT_NEAR(peaks[1].rms, 1e-4 / std::numbers::sqrt2, 1e-7);
}

TEST(Peaks, NoiseAloneMakesNone) {
  // 1e-3 false peaks are expected per spectrum; 200 spectra make 0.2, so more than 3 happens once in 20,000
  // runs.
  int alarms = 0;
  for (std::uint64_t seed = 0; seed < 100; ++seed) {
    alarms += static_cast<int>(peaks_of(signal(4096, 1, {}, 1, seed), 1, "hann", 4096).size());
    alarms += static_cast<int>(peaks_of(signal(16384, 1, {}, 1, 1000 + seed), 1, "hann", 2048).size());
  }
  EXPECT_LE(alarms, 3);
}

/// Share of 300 runs in which the truth lies within one stated standard uncertainty: 68% nominal, and 300
/// runs scatter by 2.7%.
class Coverage : public ::testing::TestWithParam<std::tuple<const char*, std::size_t>> {};

TEST_P(Coverage, StatedUncertaintiesHoldTheTruthAsOftenAsTheyShould) {
  const auto [window, segments] = GetParam();
  constexpr std::size_t segment = 1024;
  int frequency_hits = 0, level_hits = 0;
  constexpr int runs = 300;
  for (int run = 0; run < runs; ++run) {
    std::mt19937_64 bits(static_cast<std::uint64_t>(run) * 77 + segments);
    std::uniform_real_distribution<double> uniform(0, 1);
    const double frequency = (200 + uniform(bits)) / segment, phase = two_pi * uniform(bits);
    const auto peaks = peaks_of(signal(segment * (segments + 1) / 2, 1, {{frequency, 1, phase}}, 0.3,
                                       static_cast<std::uint64_t>(run)),
                                1, window, segment);
    ASSERT_GE(peaks.size(), 1u);
    frequency_hits += std::abs(peaks[0].frequency_hz - frequency) < peaks[0].frequency_std_hz;
    level_hits += std::abs(peaks[0].rms - 1 / std::numbers::sqrt2) < peaks[0].rms_std;
  }
  EXPECT_GE(frequency_hits, 0.60 * runs);
  EXPECT_LE(frequency_hits, 0.76 * runs);
  EXPECT_GE(level_hits, 0.60 * runs);
  EXPECT_LE(level_hits, 0.76 * runs);
}

INSTANTIATE_TEST_SUITE_P(MonteCarlo, Coverage,
                         ::testing::Combine(::testing::Values("hann", "blackman-harris", "flat-top"),
                                            ::testing::Values(1u, 3u, 15u)));

TEST(Peaks, TwoTonesOneAndAHalfRbwApartAreSeparated) {
  // 1.5 RBW of a Hann window is 2.25 bins.
  const double bin = 1.0 / 4096;
  for (const double phase : {0.0, 1.0, 2.0, 3.0}) {
    const auto x = signal(4096, 1, {{700.3 * bin, 1, 0.2}, {702.55 * bin, 0.8, 0.2 + phase}}, 1e-3, 8);
    auto peaks = peaks_of(x, 1, "hann", 4096);
    ASSERT_EQ(peaks.size(), 2u) << phase;
    EXPECT_NEAR(peaks[0].frequency_hz, 700.3 * bin, 0.01 * bin);
    EXPECT_NEAR(peaks[1].frequency_hz, 702.55 * bin, 0.01 * bin);
    EXPECT_NEAR(peaks[0].rms * std::numbers::sqrt2, 1, 0.01);
    EXPECT_NEAR(peaks[1].rms * std::numbers::sqrt2, 0.8, 0.01);
  }
}

TEST(Peaks, TonesNearTheEndsOfTheSpectrumAreReadAsWell) {
  for (const double place : {3.4, 2044.7}) {
    const auto peaks = peaks_of(signal(4096, 4096, {{place, 1, 0.7}}, 1e-4, 4), 4096, "hann", 4096);
    ASSERT_GE(peaks.size(), 1u);
    EXPECT_NEAR(peaks[0].frequency_hz, place, 0.01) << place;
    EXPECT_NEAR(peaks[0].rms, 1 / std::numbers::sqrt2, 2e-3) << place;
  }
}

TEST(Peaks, PhaseIsThatOfACosineAtTheStartWhateverTheAverages) {
  for (const std::size_t records : {1u, 4u}) {
    for (const double phase : {-2.5, 0.0, 1.2}) {
      const auto peaks = peaks_of(
          signal(2048 * records, 2048, {{301.3, 2, phase}, {420.8, 1, -phase}}, 1e-3, 6), 2048, "hann", 2048);
      ASSERT_EQ(peaks.size(), 2u);
      EXPECT_NEAR(peaks[0].phase_deg, phase * 180 / std::numbers::pi, 0.5);
      EXPECT_NEAR(peaks[1].phase_deg, -phase * 180 / std::numbers::pi, 0.5);
    }
  }
}

TEST(Peaks, LevelsFollowTheScale) {
  const auto x = signal(8192, 8192, {{1000.25, 3, 0}}, 1e-3, 2);
  const Spectrum s = spectrum_of(x, 8192, "hann", 8192);
  const Peak p = find_peaks(s).peaks.at(0);
  EXPECT_NEAR(p.level(Scale::peak, s.plan), 3, 1e-3);
  EXPECT_NEAR(p.level(Scale::rms, s.plan), 3 / std::numbers::sqrt2, 1e-3);
  EXPECT_NEAR(p.level(Scale::power, s.plan), 4.5, 2e-3);
  EXPECT_NEAR(p.level(Scale::psd, s.plan), 4.5 / 1.5, 2e-3);
}

TEST(Peaks, ConstantAndZeroChannelsHaveNone) {
  EXPECT_TRUE(peaks_of(std::vector<double>(4096, 0.0), 1, "hann", 4096).empty());
  EXPECT_TRUE(peaks_of(std::vector<double>(4096, 3.5), 1, "hann", 4096).empty());
  EXPECT_TRUE(peaks_of(std::vector<double>(4096, 3.5), 1, "flat-top", 512).empty());
}

TEST(NoiseFloor, FollowsASlopeAndIsNotLiftedByLines) {
  // Noise falling 20 dB per decade, with a comb of lines over it.
  std::mt19937_64 bits(31);
  std::normal_distribution<double> normal;
  std::vector<double> x(1 << 16);
  double held = 0;
  for (double& v : x) v = held = 0.999 * held + normal(bits);
  std::vector<double> with_lines = x;
  for (int line = 1; line <= 40; ++line)
    for (std::size_t n = 0; n < x.size(); ++n)
      with_lines[n] += 5 * std::cos(two_pi * 0.01 * line * static_cast<double>(n));
  const std::vector<double> plain = find_peaks(spectrum_of(x, 1, "hann", 8192)).floor;
  const std::vector<double> combed = find_peaks(spectrum_of(with_lines, 1, "hann", 8192)).floor;
  EXPECT_NEAR(10 * std::log10(plain[200] / plain[2000]), 20, 2);
  for (std::size_t k = 200; k < 4000; k += 100) EXPECT_NEAR(combed[k] / plain[k], 1, 0.15) << k;
}

TEST(NoiseFloor, IsTheMeanPowerOfNoiseWithAndWithoutAverages) {
  for (const std::size_t segment : {1u << 16, 1u << 12}) {
    const Spectrum s = spectrum_of(signal(1 << 16, 1, {}, 2, 9), 1, "hann", segment);
    const std::vector<double> floor = noise_floor(s);
    double mean = 0;
    for (const double f : floor) mean += f / static_cast<double>(floor.size());
    // White noise of variance 4: 4 * ENBW / (N / 2) per bin.
    EXPECT_NEAR(mean, 4 * 1.5 / (static_cast<double>(segment) / 2), 0.03 * mean);
  }
}

/// The median of the open bins nearest to each, counted out.
std::vector<double> floor_counted_out(const Spectrum& s, const std::vector<bool>& masked) {
  std::vector<std::size_t> open;
  for (std::size_t k = 1; k < s.bins(); ++k)
    if (!masked[k]) open.push_back(k);
  const std::size_t widest = std::max<std::size_t>(12, std::min<std::size_t>(s.bins() / 32, 512));
  std::vector<double> out;
  for (std::size_t k = 0; k < s.bins(); ++k) {
    const auto place = static_cast<std::size_t>(std::lower_bound(open.begin(), open.end(), k) - open.begin());
    const std::size_t half = std::clamp<std::size_t>(k / 3, 12, widest);
    const std::size_t low =
        place > half ? std::min(place - half, open.size() - std::min(open.size(), half)) : 0;
    std::vector<double> near;
    for (std::size_t i = low; i < std::min(open.size(), place + half + 1); ++i)
      near.push_back(s.power[open[i]] * (s.doubled(open[i]) ? 1 : 2));
    std::sort(near.begin(), near.end());
    out.push_back((near[(near.size() - 1) / 2] + near[near.size() / 2]) / 2 / noise_median(s.noise_averages) /
                  (s.doubled(k) ? 1 : 2));
  }
  return out;
}

TEST(NoiseFloor, IsTheMedianOfTheNearestOpenBins) {
  std::mt19937_64 bits(77);
  for (const std::size_t count : {64u, 1000u, 40000u}) {
    Spectrum s = spectrum_of(signal(count, 1, {{0.2, 1.0, 0}}, 0.1, 5), 1, "hann", count);
    // Equal values, and values of every size.
    for (std::size_t k = 0; k < s.bins(); k += 7) s.power[k] = s.power[0];
    for (std::size_t k = 3; k < s.bins(); k += 11)
      s.power[k] *= std::pow(10, static_cast<double>(k % 37) - 18);
    std::vector<bool> masked(s.bins(), false);
    for (std::size_t k = 0; k < s.bins(); ++k) masked[k] = bits() % 5 == 0;
    const std::vector<double> floor = noise_floor(s, masked), counted = floor_counted_out(s, masked);
    // Values are ranked to a millionth; of wide neighbourhoods some medians are interpolated.
    for (std::size_t k = 0; k < s.bins(); ++k)
      ASSERT_NEAR(floor[k] / counted[k], 1, k < 384 ? 1e-6 : 0.05) << count << " " << k;
  }
}

TEST(NoiseFloor, MedianOfAveragedNoiseIsKnown) {
  EXPECT_NEAR(noise_median(1), std::numbers::ln2, 1e-9);
  EXPECT_NEAR(noise_median(1000), 1, 1e-3);
  EXPECT_NEAR(noise_quantile_above(1, 0.001), -std::log(0.001), 1e-9);
}

TEST(Peaks, HumpOfAResonanceIsCalledBroad) {
  // Noise through a pole pair 8 bins wide at half power.
  std::mt19937_64 bits(21);
  std::normal_distribution<double> normal;
  const double radius = 1 - std::numbers::pi * 8 / 4096;
  std::vector<double> x(5 * 4096);
  double a = 0, b = 0;
  for (double& v : x) {
    const double now = 2 * radius * std::cos(two_pi * 0.1) * a - radius * radius * b + normal(bits);
    b = a;
    a = v = now;
  }
  for (const Peak& p : peaks_of(x, 1, "hann", 4096))
    EXPECT_TRUE(p.broad()) << p.frequency_hz << " " << p.concentration;
}

}  // namespace
}  // namespace vprism::peaks_test
