// Lines that die away: found from their onset, taken off, and the rest judged without their skirts.
#include "identify/verdict/decays.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "identify/lines/whole_lines.h"
#include "identify/verdict/record_verdict.h"

namespace vprism::decays_test {
namespace {

constexpr double rate = 1000, pi = 3.14159265358979323846;

struct Ring {
  double hz, damping, amplitude, start_s;
};

std::vector<double> ringing(std::size_t count, const std::vector<Ring>& rings, double tone_hz, double tone,
                            double noise) {
  std::mt19937_64 bits(17);
  std::normal_distribution<double> dice(0, noise);
  std::vector<double> x(count);
  for (std::size_t n = 0; n < count; ++n) {
    const double t = static_cast<double>(n) / rate;
    x[n] = dice(bits) + tone * std::cos(2 * pi * tone_hz * t + 1);
    for (const Ring& r : rings)
      if (t >= r.start_s) {
        const double since = t - r.start_s, w = 2 * pi * r.hz;
        x[n] += r.amplitude * std::exp(-r.damping * w * since) * std::cos(w * since);
      }
  }
  return x;
}

TEST(Decays, AreFittedFromTheirOnsetHoweverRoughTheGuess) {
  const auto x = ringing(6000, {{90, 0.015, 2, 1.7}}, 0, 0, 1e-3);
  for (const double off : {-0.03, 0.0, 0.02, 0.05}) {
    Exponential e;
    e.frequency_hz = 90.05, e.decay_per_s = 2 * pi * 90 * 0.0155;
    e.start_s = 1.7 + off;
    // The guess is what a late or early start would show.
    e.amplitude = 2 * std::exp(-e.decay_per_s * off), e.phase_deg = 360 * 90 * off;
    const double level = refine_decay(x, rate, 2e-9, e);
    EXPECT_NEAR(e.start_s, 1.7, 1.5e-3) << off;
    EXPECT_NEAR(e.frequency_hz, 90, 4 * e.frequency_std_hz) << off;
    EXPECT_NEAR(e.decay_per_s, 2 * pi * 90 * 0.015, 4 * e.decay_std_per_s) << off;
    EXPECT_LT(e.decay_std_per_s, 0.02) << off;
    // A^2 / (4 d) over 6 s, and half a sample at its start.
    const double d = e.decay_per_s;
    EXPECT_NEAR(level, std::sqrt((4 / (4 * d) + 4 * 0.5 / rate) / 6), 2e-4) << off;
  }
}

TEST(Decays, LeaveTheRestToBeJudgedWithoutTheirSkirts) {
  // Two rings, one after the other, and a tone 60 dB below them.
  const auto x = ringing(16'384, {{71, 0.01, 3, 2.0}, {203, 0.008, 1, 5.0}}, 333.3, 3e-3, 1e-3);
  const Spectrum spectrum = whole_spectrum(x, rate);
  SpectrumSettings settings;
  settings.window = spectrum.window;
  settings.segment = x.size();
  PeakSearch search = find_peaks(spectrum);
  const RecordVerdict verdict =
      judge_record(x, spectrum, settings, {}, search.floor, search.peaks, [](std::vector<Peak>&) {});
  std::vector<double> decaying;
  for (const JudgedBand& band : verdict.bands)
    if (band.verdict.kind == BandVerdict::Kind::decaying)
      decaying.push_back(band.verdict.exponential.frequency_hz);
  std::sort(decaying.begin(), decaying.end());
  ASSERT_EQ(decaying.size(), 2u);
  EXPECT_NEAR(decaying[0], 71, 0.01);
  EXPECT_NEAR(decaying[1], 203, 0.01);
  bool tone = false;
  for (const Peak& p : verdict.peaks) tone = tone || std::abs(p.frequency_hz - 333.3) < 0.01;
  EXPECT_TRUE(tone);
  // What is left is the noise and the tone.
  ASSERT_EQ(verdict.rest.size(), x.size());
  double square = 0;
  for (const double v : verdict.rest) square += v * v / static_cast<double>(x.size());
  EXPECT_NEAR(square, 1e-6 + 4.5e-6, 0.5e-6);
}

TEST(Decays, NothingIsTakenOffWhereNothingDies) {
  const auto x = ringing(8192, {}, 123.4, 1, 0.01);
  const Spectrum spectrum = whole_spectrum(x, rate);
  SpectrumSettings settings;
  settings.window = spectrum.window;
  settings.segment = x.size();
  PeakSearch search = find_peaks(spectrum);
  EXPECT_TRUE(judge_record(x, spectrum, settings, {}, search.floor, search.peaks, [](std::vector<Peak>&) {
              }).rest.empty());
}

TEST(Decays, OfOneBlowAreFittedToWhatTheOthersLeave) {
  const std::vector<Ring> rings = {{51.59, 0.004, 1, 0}, {118.3, 0.002, 0.8, 0}, {354.7, 0.0005, 0.5, 0}};
  std::vector<double> less = ringing(6000, rings, 80.3, 0.2, 1e-4);
  std::vector<JudgedBand> decays;
  for (const Ring& r : rings) {
    // As found beside the others: a little off, and begun a little late.
    JudgedBand band;
    band.density = 2e-8 / rate;
    Exponential& e = band.verdict.exponential;
    e.frequency_hz = r.hz * 1.0001, e.decay_per_s = 2 * pi * r.hz * r.damping * 1.02, e.start_s = 0.003;
    e.amplitude = r.amplitude * std::exp(-e.decay_per_s * 0.003), e.phase_deg = 360 * r.hz * 0.003;
    ASSERT_TRUE(take_off(e, rate, less));
    decays.push_back(band);
  }
  refine_together(rate, decays, less);
  for (std::size_t i = 0; i < rings.size(); ++i) {
    const Exponential& e = decays[i].verdict.exponential;
    EXPECT_NEAR(e.frequency_hz, rings[i].hz, 4 * e.frequency_std_hz) << i;
    EXPECT_LT(e.frequency_std_hz, 1e-3);
    EXPECT_EQ(e.start_s, 0) << i;
    EXPECT_NEAR(e.amplitude, rings[i].amplitude, 4 * e.amplitude_std + 1e-4) << i;
    EXPECT_NEAR(e.decay_per_s, 2 * pi * rings[i].hz * rings[i].damping, 4 * e.decay_std_per_s) << i;
  }
  // The line beside them stays.
  double square = 0;
  for (const double v : less) square += v * v / 6000;
  EXPECT_NEAR(std::sqrt(square), 0.2 / std::sqrt(2.0), 2e-3);
}

}  // namespace
}  // namespace vprism::decays_test
