// Spectra in closed form: tones on and between bins, DC and Nyquist, odd and even lengths, noise, averaging.
#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

#include <cmath>
#include <numbers>
#include <random>

#include "base/error.h"
#include "signal/feed.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism::spectrum_test {
namespace {

constexpr double two_pi = 2 * std::numbers::pi;

std::vector<Spectrum> spectra_of(const std::vector<std::vector<double>>& channels, double rate,
                                 const SpectrumSettings& settings, std::size_t block_size = 1000) {
  const auto samples = static_cast<std::int64_t>(channels[0].size());
  const SpectrumPlan plan = plan_spectrum(settings, samples, rate);
  SpectrumEstimator estimator(plan, settings);
  feed(estimator, channels, block_size);
  return estimator.result();
}

Spectrum spectrum_of(const std::vector<double>& x, double rate, const SpectrumSettings& settings) {
  return spectra_of({x}, rate, settings)[0];
}

std::vector<double> tone(std::size_t samples, double rate, double frequency, double amplitude,
                         double phase = 0.3) {
  std::vector<double> x(samples);
  for (std::size_t n = 0; n < samples; ++n)
    x[n] = amplitude * std::cos(two_pi * frequency * static_cast<double>(n) / rate + phase);
  return x;
}

SpectrumSettings with_window(const char* name, std::size_t segment, double overlap = 0.5) {
  SpectrumSettings settings;
  settings.window = parse_window(name);
  settings.segment = segment;
  settings.overlap = overlap;
  return settings;
}

class EveryWindow : public ::testing::TestWithParam<const char*> {};

TEST_P(EveryWindow, BinCentredToneReadsItsLevelInEveryScale) {
  for (const std::size_t segment : {1000u, 1001u}) {
    const double rate = 1000, bin = rate / static_cast<double>(segment);
    const Spectrum s =
        spectrum_of(tone(4 * segment, rate, 100 * bin, 3.0), rate, with_window(GetParam(), segment));
    EXPECT_NEAR(s.frequency_hz(100), 100 * bin, 1e-9);
    EXPECT_NEAR(s.level(100, Scale::peak), 3.0,
                3e-4 * 3);  // The mirror image leaks 1e-4 with the rectangular window at odd phases.
    EXPECT_NEAR(s.level(100, Scale::rms), 3.0 / std::numbers::sqrt2, 1e-3);
    EXPECT_NEAR(s.level(100, Scale::power), 4.5, 3e-3);
    EXPECT_NEAR(s.level(100, Scale::psd) * s.plan.rbw_hz, 4.5, 3e-3);
  }
}

TEST_P(EveryWindow, DcIsNotDoubledAndNyquistOnlyExistsInEvenLengths) {
  std::vector<double> dc(2000, 2.5);
  const Spectrum even = spectrum_of(dc, 1000, with_window(GetParam(), 500));
  EXPECT_NEAR(even.level(0, Scale::peak), 2.5, 1e-9);
  EXPECT_NEAR(even.level(0, Scale::rms), 2.5, 1e-9);
  std::vector<double> alternating(2000);
  for (std::size_t n = 0; n < alternating.size(); ++n) alternating[n] = n % 2 == 0 ? 1.5 : -1.5;
  const Spectrum nyquist = spectrum_of(alternating, 1000, with_window(GetParam(), 500));
  ASSERT_EQ(nyquist.bins(), 251u);
  EXPECT_FALSE(nyquist.doubled(250));
  EXPECT_NEAR(nyquist.level(250, Scale::peak), 1.5, 1e-9);
  EXPECT_DOUBLE_EQ(nyquist.frequency_hz(250), 500);
  const Spectrum odd = spectrum_of(dc, 1000, with_window(GetParam(), 501));
  ASSERT_EQ(odd.bins(), 251u);
  EXPECT_TRUE(odd.doubled(250));
  EXPECT_NEAR(odd.level(0, Scale::peak), 2.5, 1e-9);
}

TEST_P(EveryWindow, DensityOfWhiteNoiseIntegratesToItsVariance) {
  std::mt19937_64 bits(7);
  std::normal_distribution<double> normal(0, 2.0);
  std::vector<double> x(200000);
  for (double& v : x) v = normal(bits);
  for (const std::size_t segment : {512u, 999u}) {
    const Spectrum s = spectrum_of(x, 1000, with_window(GetParam(), segment));
    double integral = 0;
    for (std::size_t k = 0; k < s.bins(); ++k) integral += s.level(k, Scale::psd) * s.plan.bin_hz;
    // Relative standard error of a variance from n samples: sqrt(2 / n) = 0.32%; windows use a little less of
    // the data.
    EXPECT_NEAR(integral, 4.0, 4.0 * 0.015);
    EXPECT_NEAR(s.rms_total(), std::sqrt(integral), 1e-9);
    double middle = 0;  // Flat at variance / (rate / 2).
    for (std::size_t k = 50; k < 200; ++k) middle += s.level(k, Scale::psd) / 150;
    EXPECT_NEAR(middle, 4.0 / 500, 4.0 / 500 * 0.03);
  }
}

INSTANTIATE_TEST_SUITE_P(Table, EveryWindow,
                         ::testing::Values("rectangular", "hann", "hamming", "blackman-harris", "flat-top",
                                           "kaiser"));

TEST(Spectrum, ASegmentHoldsUpToTwoToTheTwentyEightPoints) {
  constexpr std::int64_t most = 268435456;  // As docs/numerics.md and the message have it.
  SpectrumSettings settings;
  settings.segment = most;
  EXPECT_EQ(plan_spectrum(settings, most, 1e6).segment, static_cast<std::size_t>(most));
  EXPECT_EQ(plan_spectrum(settings, 2 * most, 1e6).averages, 3);
  settings.segment = most + 1;
  EXPECT_THROW(plan_spectrum(settings, 2 * most, 1e6), Error);
  // By resolution: that of the same window.
  settings.segment.reset();
  const double enbw = plan_spectrum(SpectrumSettings{}, 1000, 1).rbw_hz * 1000;
  settings.resolution_hz = enbw * 1e6 / static_cast<double>(most);
  EXPECT_EQ(plan_spectrum(settings, 2 * most, 1e6).segment, static_cast<std::size_t>(most));
  settings.resolution_hz = enbw * 1e6 / static_cast<double>(most + 2);
  EXPECT_THROW(plan_spectrum(settings, 2 * most, 1e6), Error);
  // Left to itself the program never asks for more.
  EXPECT_LE(plan_spectrum(SpectrumSettings{}, std::int64_t{1} << 40, 1e6).segment,
            static_cast<std::size_t>(most));
}

TEST(Spectrum, FlatTopReadsATonesLevelBetweenBinsFromTheBins) {
  const Spectrum s = spectrum_of(tone(10000, 1000, 100.5 * 0.5, 1.0), 1000, with_window("flat-top", 2000));
  EXPECT_NEAR(std::max(s.level(100, Scale::peak), s.level(101, Scale::peak)), 1.0, 0.0015);  // -0.01 dB
}

TEST(Spectrum, AveragingNoiseNarrowsItAsTheEffectiveNumberSays) {
  std::mt19937_64 bits(11);
  std::normal_distribution<double> normal;
  std::vector<double> x(256 * 400);
  for (double& v : x) v = normal(bits);
  const Spectrum s = spectrum_of(x, 1, with_window("hann", 256));
  double mean = 0, square = 0;
  for (std::size_t k = 4; k < 124; ++k) mean += s.power[k] / 120;
  for (std::size_t k = 4; k < 124; ++k) square += std::pow(s.power[k] / mean - 1, 2) / 120;
  // Hann at 50% overlap: 1/36 correlation of powers (Welch 1967); 799 segments are worth 757.
  EXPECT_NEAR(s.noise_averages, 799 / (1 + 2.0 / 36), 2.5);
  EXPECT_NEAR(1 / square, s.noise_averages, 0.35 * s.noise_averages);
}

TEST(Spectrum, DoesNotDependOnBlocksOrThreads) {
  std::vector<double> x(50000), y(50000);
  std::mt19937_64 bits(3);
  for (double& v : x) v = static_cast<double>(bits() >> 40);
  for (double& v : y) v = static_cast<double>(bits() >> 40);
  const SpectrumSettings settings = with_window("hann", 100, 0.75);
  const std::vector<Spectrum> many = spectra_of({x, y}, 1, settings, 7777);
  const oneapi::tbb::global_control one(oneapi::tbb::global_control::max_allowed_parallelism, 1);
  const std::vector<Spectrum> single = spectra_of({x, y}, 1, settings, 64);
  EXPECT_EQ(many[0].power, single[0].power);
  EXPECT_EQ(many[1].power, single[1].power);
}

TEST(SpectrumPlan, UsesEverySegmentThatFits) {
  const SpectrumPlan plan = plan_spectrum(with_window("hann", 1000), 3000, 500);
  EXPECT_EQ(plan.averages, 5);
  EXPECT_DOUBLE_EQ(plan.bin_hz, 0.5);
  EXPECT_NEAR(plan.rbw_hz, 0.75, 1e-9);
  EXPECT_EQ(plan_spectrum({}, 20000, 1).segment, 20000u);  // Nothing is cut to a power of two.
  EXPECT_EQ(plan_spectrum({}, 3001, 1).segment, 3001u);
  EXPECT_EQ(plan_spectrum({}, 98304, 1).segment, 32768u);
}

TEST(SpectrumPlan, LeftToItselfItLooksAtAllThereIs) {
  EXPECT_EQ(plan_spectrum({}, 40000, 1).segment, 40000u);
  EXPECT_EQ(plan_spectrum({}, 49151, 1).segment, 49151u);
  EXPECT_EQ(plan_spectrum({}, 49152, 1).segment, 32768u);
  for (const std::int64_t samples : {49152, 50001, 65535, 65536, 99991, 262143, 300007, 1000003, 9999991}) {
    const SpectrumPlan plan = plan_spectrum({}, samples, 1);
    const auto covered =
        static_cast<std::int64_t>(plan.segment) + (plan.averages - 1) * static_cast<std::int64_t>(plan.hop);
    EXPECT_LE(covered, samples);
    EXPECT_GT(covered, samples - plan.averages) << samples;
    EXPECT_LE(plan.hop, plan.segment / 2) << samples;
    EXPECT_GT(plan.hop, plan.segment / 5) << samples;
  }
  // What is asked for is kept.
  SpectrumSettings asked;
  asked.segment = 32768;
  EXPECT_EQ(plan_spectrum(asked, 65535, 1).hop, 16384u);
}

TEST(SpectrumPlan, ResolutionIsTheRbwAskedForOrFiner) {
  SpectrumSettings settings;
  settings.resolution_hz = 2.0;
  const SpectrumPlan plan = plan_spectrum(settings, 100000, 48000);
  EXPECT_EQ(plan.segment, 36000u);  // 1.5 * 48000 / 2
  EXPECT_LE(plan.rbw_hz, 2.0 + 1e-9);
  try {
    plan_spectrum(settings, 30000, 48000);
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), Status::analysis);
    EXPECT_NE(std::string(error.what()).find("750 ms (36000 samples) are needed"), std::string::npos)
        << error.what();
  }
}

TEST(SpectrumPlan, TakesSegmentsUpTo268MillionSamples) {
  SpectrumSettings settings;
  settings.segment = std::size_t{1} << 28;
  EXPECT_EQ(plan_spectrum(settings, std::int64_t{1} << 40, 1e6).segment, std::size_t{1} << 28);
  ++*settings.segment;
  EXPECT_THROW(plan_spectrum(settings, std::int64_t{1} << 40, 1e6), Error);
}

TEST(ScaleUnit, IsWrittenWithExponents) {
  EXPECT_EQ(scale_unit(Unit::parse("V"), Scale::rms), "V");
  EXPECT_EQ(scale_unit(Unit::parse("V"), Scale::psd), "V\u00B2/Hz");
  EXPECT_EQ(scale_unit(Unit::parse("m/s^2"), Scale::psd), "(m/s\u00B2)\u00B2/Hz");
}

TEST(Spectrum, TheMainLobeHoldsTheToneWhereverItLies) {
  for (const char* window : {"hann", "flat-top", "blackman-harris"}) {
    const SpectrumSettings settings = with_window(window, 1000);
    const double half_width = window_half_width_bins(settings.window);
    for (const double hz : {200.0, 200.3, 200.5}) {
      // Parseval: the lobe of an even window holds all of the tone but its side lobes.
      const Spectrum s = spectrum_of(tone(1000, 1000, hz, 3), 1000, settings);
      EXPECT_NEAR(s.rms_around(hz, half_width), 3 / std::sqrt(2), 0.003) << window << " " << hz;
      EXPECT_LT(s.rms_around(hz + 100, half_width), 0.003) << window << " " << hz;
    }
  }
}

/// One average of the same record after the other.
Spectrum averaged(const std::vector<double>& x, Average average, std::size_t segment = 100, double newest = 8,
                  double overlap = 0.5) {
  SpectrumSettings settings = with_window("hann", segment, overlap);
  settings.average = average;
  settings.exponential_segments = newest;
  SpectrumEstimator estimator(plan_spectrum(settings, static_cast<std::int64_t>(x.size()), 1000), settings);
  feed(estimator, {x}, 333);
  return estimator.result()[0];
}

TEST(Averages, OfAToneThatDoublesHalfWay) {
  // Five segments of amplitude 1, then five of 2.
  std::vector<double> x = tone(1000, 1000, 200, 1);
  for (std::size_t n = 500; n < 1000; ++n) x[n] *= 2;
  const auto level = [&](Average average) { return averaged(x, average, 100, 2, 0).level(20, Scale::peak); };
  EXPECT_NEAR(level(Average::peak_hold), 2, 1e-9);
  EXPECT_NEAR(level(Average::min_hold), 1, 1e-9);
  EXPECT_NEAR(level(Average::median), std::sqrt(2.5), 1e-6);  // Half way between the two in the middle.
  EXPECT_NEAR(level(Average::amplitude), 1.5, 1e-9);
  EXPECT_NEAR(level(Average::mean), std::sqrt(2.5), 1e-9);
  EXPECT_NEAR(std::pow(level(Average::exponential), 2), 4 - 3.0 / 32,
              1e-9);  // Half of what is left, five times.
}

TEST(Averages, MedianOfManySegmentsIsThatOfNoise) {
  std::mt19937_64 dice(1);
  std::normal_distribution<double> noise;
  std::vector<double> x(400000);
  for (double& v : x) v = noise(dice);
  const Spectrum median = averaged(x, Average::median, 128), mean = averaged(x, Average::mean, 128);
  double ratio = 0;
  for (std::size_t k = 5; k < 60; ++k) ratio += median.power[k] / mean.power[k] / 55;
  EXPECT_NEAR(ratio, std::log(2), 0.01);
}

TEST(Scales, AllTellOfTheSameTone) {
  const Spectrum s = spectrum_of(tone(10000, 1000, 100, 3), 1000, with_window("flat-top", 1000));
  const double rms = s.level(100, Scale::rms);
  EXPECT_NEAR(rms, 3 / std::numbers::sqrt2, 1e-9);
  EXPECT_NEAR(s.level(100, Scale::peak), 3, 1e-9);
  EXPECT_NEAR(s.level(100, Scale::peak_to_peak), 6, 1e-9);
  EXPECT_NEAR(s.level(100, Scale::power), rms * rms, 1e-9);
  EXPECT_NEAR(s.level(100, Scale::psd) * s.plan.rbw_hz, rms * rms, 1e-9);
  EXPECT_NEAR(s.level(100, Scale::esd), s.level(100, Scale::psd) * 1.0, 1e-9);  // Segments of one second.
  EXPECT_EQ(scale_unit(Unit::parse("V"), Scale::esd), "V\u00B2 s/Hz");
}

TEST(Energy, OfAnImpulseIsFlatAndAddsUpToItsOwn) {
  // One sample of 5 at 1 kHz: energy 25 * 1 ms, one-sided over 500 Hz.
  std::vector<double> x(1000, 0.0);
  x[400] = 5;
  const Spectrum s = spectrum_of(x, 1000, with_window("rectangular", 1000));
  for (std::size_t k = 1; k < 500; ++k) EXPECT_NEAR(s.level(k, Scale::esd), 25e-3 / 500, 1e-12);
}

TEST(Complex, SpectraAreTwoSidedAndTonesKeepTheirSide) {
  for (const std::size_t segment : {1000u, 1001u}) {
    std::vector<double> re, im;
    for (int n = 0; n < 5000; ++n) {
      const double a = two_pi * -120.0 * n / 1000 + 0.4;
      re.push_back(2 * std::cos(a) + 0.5), im.push_back(2 * std::sin(a));
    }
    const SpectrumSettings settings = with_window("hann", segment);
    SpectrumEstimator estimator(plan_spectrum(settings, 5000, 1000), settings);
    const std::span<const double> columns[] = {re, im};
    estimator.add(columns, true);
    const Spectrum s = estimator.result()[0];
    EXPECT_EQ(s.bins(), segment);
    EXPECT_NEAR(s.frequency_hz(0), -500, 1);
    const auto bin = static_cast<std::size_t>(std::lround(s.bins_at(-120)));
    EXPECT_NEAR(s.level(bin, Scale::peak), 2, segment == 1000 ? 1e-9 : 0.05);
    EXPECT_NEAR(s.level(static_cast<std::size_t>(std::lround(s.bins_at(0))), Scale::rms), 0.5, 1e-3);
    EXPECT_LT(s.level(static_cast<std::size_t>(std::lround(s.bins_at(120))), Scale::peak), 1e-5);
    EXPECT_NEAR(s.rms_total(), std::sqrt(4.25), 1e-3);
  }
}

TEST(Waves, KnownSpectraComeOut) {
  // Square wave: odd harmonics 4 / (pi n). Two tones close by. Double-sideband modulation: carrier and two
  // sides.
  std::vector<double> square(10000), pair(20000), modulated(100000);
  for (std::size_t n = 0; n < square.size(); ++n) square[n] = n % 100 < 50 ? 1 : -1;
  for (std::size_t n = 0; n < pair.size(); ++n) {
    const double t = static_cast<double>(n) / 1000;
    pair[n] = std::sin(two_pi * 12.5 * t) + 0.3 * std::sin(two_pi * 31 * t);
  }
  for (std::size_t n = 0; n < modulated.size(); ++n) {
    const double t = static_cast<double>(n) / 50000;
    modulated[n] = (1 + 0.5 * std::cos(two_pi * 700 * t)) * std::cos(two_pi * 9000 * t);
  }
  // Sampled 100 times a period, 1 / n becomes 1 / (100 tan(pi n / 100) / pi) up to the half sample: 4 / (100
  // sin).
  const Spectrum s = spectrum_of(square, 1000, with_window("rectangular", 10000));
  for (const std::size_t n : {1u, 3u, 5u, 25u})
    EXPECT_NEAR(s.level(100 * n, Scale::peak),
                4 / (100 * std::sin(std::numbers::pi * static_cast<double>(n) / 100)), 1e-9);
  EXPECT_NEAR(s.level(200, Scale::peak), 0, 1e-9);
  const Spectrum two = spectrum_of(pair, 1000, with_window("hann", 2000));
  EXPECT_NEAR(two.level(25, Scale::peak), 1, 1e-6);
  EXPECT_NEAR(two.level(62, Scale::peak), 0.3, 1e-6);
  const Spectrum am = spectrum_of(modulated, 50000, with_window("hann", 5000));
  EXPECT_NEAR(am.level(900, Scale::peak), 1, 1e-6);
  EXPECT_NEAR(am.level(830, Scale::peak), 0.25, 1e-6);
  EXPECT_NEAR(am.level(970, Scale::peak), 0.25, 1e-6);
  EXPECT_LT(am.level(760, Scale::peak), 1e-4);
}

TEST(Sinc, HasAFlatBandThatEnds) {
  // sin(2 pi f t) / (pi t) sampled: 1 up to f = 100 Hz, 0 beyond; energy density twice its square, one-sided.
  std::vector<double> x(4001);
  for (int n = -2000; n <= 2000; ++n) {
    const double t = n / 1000.0;
    x[static_cast<std::size_t>(n + 2000)] =
        n == 0 ? 200 : std::sin(two_pi * 100 * t) / (std::numbers::pi * t);
  }
  const Spectrum s = spectrum_of(x, 1000, with_window("rectangular", 4001));
  for (const double hz : {20.0, 50.0, 80.0})
    EXPECT_NEAR(s.level(static_cast<std::size_t>(std::lround(s.bins_at(hz))), Scale::esd), 2, 0.05) << hz;
  for (const double hz : {120.0, 300.0})
    EXPECT_LT(s.level(static_cast<std::size_t>(std::lround(s.bins_at(hz))), Scale::esd), 1e-3) << hz;
}

TEST(WholeRecords, OfAMillionSamplesAreOneTransform) {
  // Long enough to be transformed in place, with a window made in parts; odd and even.
  for (const std::size_t size : {std::size_t{1} << 21, (std::size_t{1} << 20) + 7}) {
    const double bin = 1000.0 / static_cast<double>(size);
    std::vector<double> x = tone(size, 1000, 4321 * bin, 2, 0.6);
    for (double& v : x) v += 0.5;
    for (const char* window : {"hann", "flat-top", "gaussian"}) {
      const Spectrum s = spectrum_of(x, 1000, with_window(window, size));
      EXPECT_NEAR(s.level(4321, Scale::peak), 2, 1e-8) << window;
      EXPECT_NEAR(std::arg(s.first[4321]), 0.6, 1e-8) << window;
      EXPECT_NEAR(s.level(0, Scale::rms), 0.5, 1e-8) << window;
      EXPECT_NEAR(s.rms_total(), std::sqrt(2.25), 1e-6) << window;
      EXPECT_NEAR(s.plan.rbw_hz, window_enbw_bins(parse_window(window)) * bin, 1e-6 * bin) << window;
    }
  }
}

}  // namespace
}  // namespace vprism::spectrum_test
