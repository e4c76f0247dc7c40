// Cautions from spectra: each with a record that has it and one that has not.
#include <gmock/gmock.h>

#include <cmath>
#include <numbers>
#include <random>

#include "identify/findings/finding.h"
#include "signal/feed.h"
#include "signal/turn.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism::spectrum_cautions_test {
namespace {

using ::testing::Contains;
using ::testing::IsEmpty;
using ::testing::Not;

struct Shown {
  std::vector<std::string> codes;
  std::string text;
};

/// What is said of a record at 1 kHz; `change` makes the value from the noise and the time.
template <typename Change>
Shown cautions_of(const Change& change, const char* window = "hann", std::size_t segment = 500,
                  Scale scale = Scale::rms, Average average = Average::mean) {
  std::mt19937_64 dice(9);
  std::normal_distribution<double> noise;
  std::vector<double> x;
  for (int n = 0; n < 16000; ++n) x.push_back(change(0.001 * noise(dice), n / 1000.0));
  SpectrumSettings settings;
  settings.window = parse_window(window);
  settings.segment = segment;
  settings.average = average;
  SpectrumEstimator estimator(plan_spectrum(settings, 16000, 1000), settings);
  feed(estimator, {x});
  const Spectrum spectrum = estimator.result()[0];
  Shown listed;
  for (const Caution& c :
       spectrum_cautions({"x", Unit::parse("V"), "voltage"}, spectrum, find_peaks(spectrum), scale)) {
    EXPECT_FALSE(c.remedy.empty());
    listed.codes.push_back(c.code);
    listed.text += c.text + "\n";
  }
  return listed;
}

TEST(SpectrumCautions, NoneForASteadyToneInNoise) {
  EXPECT_THAT(cautions_of([](double n, double t) { return n + std::sin(turn * 100.3 * t); }).codes,
              IsEmpty());
  EXPECT_THAT(cautions_of([](double n, double) { return n; }, "hann", 500, Scale::psd).codes, IsEmpty());
}

TEST(SpectrumCautions, PeriodsCutWithoutAWindow) {
  const auto between = [](double n, double t) { return n + std::sin(turn * 100.7 * t); };
  const auto whole = [](double n, double t) { return n + std::sin(turn * 100 * t); };
  const Shown listed = cautions_of(between, "rectangular");
  EXPECT_THAT(listed.codes, Contains("periods-cut"));
  EXPECT_NE(listed.text.find("50.35 periods"), std::string::npos) << listed.text;
  EXPECT_THAT(cautions_of(whole, "rectangular").codes, Not(Contains("periods-cut")));
  EXPECT_THAT(cautions_of(between).codes, Not(Contains("periods-cut")));
}

TEST(SpectrumCautions, AMeanThatLeaks) {
  const auto shifted = [](double n, double) { return n + 10; };
  EXPECT_THAT(cautions_of(shifted, "hamming").codes, Contains("dc-leakage"));
  EXPECT_THAT(cautions_of([](double n, double) { return n; }, "hamming").codes, Not(Contains("dc-leakage")));
}

TEST(SpectrumCautions, LinesAndNoiseNearHalfTheRate) {
  EXPECT_THAT(cautions_of([](double n, double t) { return n + std::sin(turn * 487.3 * t); }).codes,
              Contains("near-half-rate"));
  // y[n] = e[n] - 0.95 y[n - 1]: the density is 1 / |1 + 0.95 exp(-i w)|^2, 23 dB higher at half the rate
  // than at three quarters of it.
  double last = 0;
  EXPECT_THAT(cautions_of([&](double n, double) { return last = n - 0.95 * last; }).codes,
              Contains("near-half-rate"));
  double slow = 0;
  EXPECT_THAT(cautions_of([&](double n, double) { return slow = n + 0.95 * slow; }).codes,
              Not(Contains("near-half-rate")));
  EXPECT_THAT(cautions_of([](double n, double t) { return n + std::sin(turn * 300.2 * t); }).codes,
              Not(Contains("near-half-rate")));
}

TEST(SpectrumCautions, ARecordThatChanges) {
  const auto later = [](double n, double t) { return t < 12 ? n : n + 0.1 * std::sin(turn * 200.1 * t); };
  const Shown listed = cautions_of(later, "hann", 250);
  ASSERT_THAT(listed.codes, Contains("changes-in-time"));
  EXPECT_NE(listed.text.find("highest in the 4."), std::string::npos) << listed.text;
  EXPECT_THAT(
      cautions_of([](double n, double t) { return n + 0.1 * std::sin(turn * 200.1 * t); }, "hann", 250).codes,
      Not(Contains("changes-in-time")));
}

TEST(SpectrumCautions, DensitiesOfFewAverages) {
  const auto noise = [](double n, double) { return n; };
  const Shown listed = cautions_of(noise, "hann", 16000, Scale::psd);
  ASSERT_THAT(listed.codes, Contains("few-averages"));
  // One segment: chi square of two degrees of freedom, -5.7 and +16 dB.
  EXPECT_NE(listed.text.find("-5.7"), std::string::npos) << listed.text;
  EXPECT_NE(listed.text.find("+16.0"), std::string::npos) << listed.text;
  EXPECT_THAT(cautions_of(noise, "hann", 16000, Scale::rms).codes, IsEmpty());
  EXPECT_THAT(cautions_of(noise, "hann", 500, Scale::psd, Average::median).codes,
              Contains("median-of-noise"));
}

TEST(SpectrumCautions, LinesCloserThanTheyCanBeTold) {
  const auto apart = [](double by) {
    return [by](double n, double t) {
      return n + std::sin(turn * 100 * t) + std::sin(turn * (100 + by) * t + 1);
    };
  };
  EXPECT_THAT(cautions_of(apart(1.5), "hann", 16000).codes, IsEmpty());
  EXPECT_THAT(cautions_of(apart(0.15), "hann", 16000).codes, Contains("lines-close"));
}

}  // namespace
}  // namespace vprism::spectrum_cautions_test
