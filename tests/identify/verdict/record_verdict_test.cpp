// Records of several sources that move, and lines that they pass: each by itself.
#include "identify/verdict/record_verdict.h"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <numbers>
#include <random>

#include "base/dot.h"
#include "identify/lines/whole_lines.h"

namespace vprism::record_verdict_test {
namespace {

constexpr double rate = 2500, tau = 6.283185307179586476925;
constexpr std::size_t count = 50000;

class MadeRecord {
 public:
  explicit MadeRecord(double noise) : x_(count) {
    std::mt19937_64 bits(31);
    std::normal_distribution<double> dice(0, noise);
    for (double& v : x_) v = dice(bits);
  }
  /// Orders and their amplitudes, of a speed in hertz over the share of the record that has passed.
  MadeRecord& add(const std::function<double(double)>& hz,
                  const std::vector<std::pair<double, double>>& orders) {
    double phase = 0;
    for (std::size_t n = 0; n < count; ++n) {
      for (const auto& [order, amplitude] : orders) x_[n] += amplitude * std::cos(order * phase);
      phase += tau * hz((static_cast<double>(n) + 0.5) / count) / rate;
    }
    return *this;
  }
  /// White noise through one degree of freedom, of that RMS in this record.
  MadeRecord& add_rung(double hz, double damping, double rms, unsigned seed) {
    std::mt19937_64 bits(seed);
    std::normal_distribution<double> dice;
    const double w = tau * hz / rate, r = std::exp(-damping * w);
    const double turn = 2 * r * std::cos(w * std::sqrt(1 - damping * damping));
    std::vector<double> y(count);
    double one = 0, two = 0, square = 0;
    for (double& v : y) {
      v = dice(bits) + turn * one - r * r * two;
      two = one, one = v, square += v * v / static_cast<double>(count);
    }
    for (std::size_t n = 0; n < count; ++n) x_[n] += y[n] * rms / std::sqrt(square);
    return *this;
  }
  double mean_square() const { return variance_of(x_); }
  RecordVerdict judged() const {
    const Spectrum spectrum = whole_spectrum(x_, rate);
    SpectrumSettings settings;
    settings.window = spectrum.window;
    settings.segment = count;
    PeakSearch search = find_peaks(spectrum);
    return judge_record(x_, spectrum, settings, {}, search.floor, search.peaks, [](std::vector<Peak>&) {});
  }

 private:
  std::vector<double> x_;
};

std::vector<double> tones_of(const RecordVerdict& verdict) {
  std::vector<double> out;
  for (const Peak& p : verdict.peaks)
    if (!p.broad() && !p.of_band) out.push_back(p.frequency_hz);
  return out;
}

TEST(RecordVerdict, TwoMachinesAreTwoRunUps) {
  const RecordVerdict verdict = MadeRecord(0.04)
                                    .add([](double u) { return 17 + 31 * u; }, {{1, 1}, {2, 0.5}})
                                    .add([](double u) { return 270 - 50 * u; }, {{1, 0.7}, {3, 0.4}})
                                    .judged();
  ASSERT_EQ(verdict.run_ups.size(), 2u);
  for (const RunUp& run : verdict.run_ups) {
    const bool slow = run.from_hz < 100;
    const auto speed = [&](double s) { return slow ? 17 + 31 * s / 20 : 270 - 50 * s / 20; };
    EXPECT_NEAR(run.from_hz, speed(run.from_s), 3 * run.from_std_hz);
    EXPECT_NEAR(run.to_hz, speed(run.to_s), 3 * run.to_std_hz);
    ASSERT_EQ(run.orders.size(), 2u);
    EXPECT_DOUBLE_EQ(run.orders[1].order, slow ? 2 : 3);
    EXPECT_NEAR(run.orders[0].rms, (slow ? 1 : 0.7) / std::sqrt(2), 0.01);
  }
  EXPECT_TRUE(tones_of(verdict).empty());
  EXPECT_TRUE(verdict.bands.empty());
}

TEST(RecordVerdict, ALineThatOrdersPassStandsBesideTheRunUp) {
  const RecordVerdict verdict = MadeRecord(0.04)
                                    .add([](double u) { return 23 + 40 * u; }, {{1, 1}, {2, 0.5}})
                                    .add([](double) { return 43.7; }, {{1, 0.4}})
                                    .judged();
  ASSERT_EQ(verdict.run_ups.size(), 1u);
  EXPECT_EQ(verdict.run_ups[0].orders.size(), 2u);
  EXPECT_NEAR(verdict.run_ups[0].to_hz, 23 + 2 * verdict.run_ups[0].to_s, 0.1);
  const std::vector<double> tones = tones_of(verdict);
  ASSERT_EQ(tones.size(), 1u);
  EXPECT_NEAR(tones[0], 43.7, 1e-3);
}

TEST(RecordVerdict, ASingleLineByNoEvenLawIsFollowed) {
  const auto speed = [](double u) { return 60 + 170 * (3 * u * u - 2 * u * u * u); };
  const RecordVerdict verdict = MadeRecord(0.04).add(speed, {{1, 1}}).judged();
  ASSERT_EQ(verdict.run_ups.size(), 1u);
  const RunUp& run = verdict.run_ups[0];
  EXPECT_EQ(run.orders.size(), 1u);
  EXPECT_NEAR(run.from_hz, speed(run.from_s / 20), 3 * run.from_std_hz);
  EXPECT_NEAR(run.to_hz, speed(run.to_s / 20), 3 * run.to_std_hz);
  EXPECT_NEAR(run.rms, std::sqrt(0.5), 0.005);
}

TEST(RecordVerdict, ASpeedThatComesBackIsOneCourse) {
  const auto hump = [](double u) { return 22 + 35 * std::sin(std::numbers::pi * u); };
  const auto again = [](double u) { return 61 + 14 * std::sin(tau * 3.4 * u); };
  for (const auto& [speed, low, high] :
       {std::tuple<std::function<double(double)>, double, double>{hump, 22, 57}, {again, 47, 75}}) {
    const RecordVerdict verdict = MadeRecord(0.04).add(speed, {{1, 1}, {2, 0.5}, {3, 0.3}}).judged();
    ASSERT_EQ(verdict.run_ups.size(), 1u) << high;
    const RunUp& run = verdict.run_ups[0];
    EXPECT_TRUE(run.turns());
    ASSERT_EQ(run.orders.size(), 3u) << high;
    EXPECT_DOUBLE_EQ(run.orders[2].order, 3);
    EXPECT_NEAR(run.high_hz, high, 0.01 * high);
    EXPECT_NEAR(run.from_hz, speed(run.from_s / 20), 3 * run.from_std_hz) << high;
    EXPECT_NEAR(run.to_hz, speed(run.to_s / 20), 3 * run.to_std_hz) << high;
    EXPECT_NEAR(run.low_hz, low, 4) << high;  // Where it was measured first.
    EXPECT_NEAR(run.rms, std::sqrt((1 + 0.25 + 0.09) / 2), 0.01);
    EXPECT_TRUE(tones_of(verdict).empty());
    EXPECT_TRUE(verdict.bands.empty());
  }
}

TEST(RecordVerdict, ResonancesHoldWhatTheRecordHasOfThem) {
  int seen = 0, all = 0;
  unsigned seed = 0;
  for (const auto& [first, second, damping, rms] :
       {std::tuple{92.0, 610.0, 0.008, 1.8}, {131.0, 402.0, 0.006, 0.5}}) {
    MadeRecord made(0.02);
    made.add_rung(first, 0.012, 1, seed + 1).add_rung(second, damping, rms, seed + 2), seed += 2;
    const RecordVerdict verdict = made.judged();
    double square = 0;
    for (const JudgedBand& band : verdict.bands) {
      square += band.level_rms * band.level_rms;
      if (!band.resonance) continue;
      const bool low = std::abs(band.resonance->frequency_hz - first) < 0.05 * first;
      EXPECT_NEAR(band.level_rms, low ? 1 : rms, 0.05 * (low ? 1 : rms)) << first << " " << second;
      ++seen;
    }
    all += 2;
    EXPECT_LT(square, 1.02 * made.mean_square());
  }
  EXPECT_EQ(seen, all);
}

TEST(RecordVerdict, ResonancesTwoWidthsApartAreTwo) {
  for (const auto& [first, second, damping] : {std::tuple{200.0, 209.0, 0.01}, {300.0, 330.0, 0.015}}) {
    MadeRecord made(0.01);
    made.add_rung(first, damping, 1, 71).add_rung(second, damping, 0.9, 72);
    const RecordVerdict verdict = made.judged();
    std::vector<const JudgedBand*> rung;
    for (const JudgedBand& band : verdict.bands)
      if (band.resonance) rung.push_back(&band);
    ASSERT_EQ(rung.size(), 2u) << first;
    std::sort(rung.begin(), rung.end(), [](const JudgedBand* a, const JudgedBand* b) {
      return a->resonance->frequency_hz < b->resonance->frequency_hz;
    });
    const double hz[] = {first, second}, rms[] = {1, 0.9};
    for (std::size_t k = 0; k < 2; ++k) {
      EXPECT_NEAR(rung[k]->resonance->frequency_hz, hz[k], 4 * rung[k]->resonance->frequency_std_hz);
      EXPECT_NEAR(rung[k]->resonance->damping, damping, 4 * rung[k]->resonance->damping_std);
      EXPECT_NEAR(rung[k]->level_rms, rms[k], 0.1);
    }
  }
}

TEST(RecordVerdict, ALineWithinAResonanceIsAsSureAsItsNoiseLets) {
  int within = 0, all = 0;
  for (unsigned seed = 50; seed < 52; ++seed) {
    MadeRecord made(1e-3);
    made.add_rung(170, 0.02, 1, seed).add([](double) { return 171.7; }, {{1, 1.3}});
    const RecordVerdict verdict = made.judged();
    const auto line = std::find_if(verdict.peaks.begin(), verdict.peaks.end(), [](const Peak& p) {
      return !p.of_band && !p.broad() && std::abs(p.frequency_hz - 171.7) < 0.1;
    });
    ASSERT_NE(line, verdict.peaks.end()) << seed;
    EXPECT_GT(line->least_rms_std, 0.01);
    all += 2;
    within += std::abs(line->frequency_hz - 171.7) < 3 * line->least_frequency_std_hz ? 1 : 0;
    within += std::abs(line->rms - 1.3 / std::sqrt(2)) < 3 * line->least_rms_std ? 1 : 0;
    const auto rung = std::find_if(verdict.bands.begin(), verdict.bands.end(),
                                   [](const JudgedBand& band) { return band.resonance.has_value(); });
    if (rung == verdict.bands.end()) continue;
    EXPECT_NEAR(rung->level_rms, 1, 0.06);
    EXPECT_NEAR(rung->resonance->damping, 0.02, 4 * rung->resonance->damping_std);
  }
  EXPECT_GE(within, all - 1);
}

}  // namespace
}  // namespace vprism::record_verdict_test
