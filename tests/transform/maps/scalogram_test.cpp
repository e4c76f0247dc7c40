// Wavelets and their transform: closed forms, a direct sum, the inverse, synchrosqueezing.
#include "transform/maps/scalogram.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <complex>
#include <numbers>
#include <random>

#include "base/error.h"

namespace vprism::scalogram_test {
namespace {

using std::numbers::pi;

/// Moments of u^b exp(-(b/g) u^g) squared are gamma functions.
TEST(Wavelets, MorseFiguresAreTheClosedForms) {
  for (const auto& [first, second] : {std::pair{3.0, 20.0}, {3.0, 3.0}, {2.0, 8.0}, {1.0, 6.0}}) {
    const double g = first, b = second;
    const WaveletFigures f = wavelet_figures({WaveletKind::morse, g, b});
    const auto moment = [&](double n) {
      return std::tgamma((2 * b + 1 + n) / g) / std::tgamma((2 * b + 1) / g) / std::pow(2 * b / g, n / g);
    };
    EXPECT_NEAR(f.spread, std::sqrt(moment(2) - moment(1) * moment(1)), 1e-5) << g << "," << b;
    EXPECT_NEAR(f.integral, 2 * std::exp(b / g) * std::pow(b / g, -b / g) * std::tgamma(b / g) / g, 1e-4);
    // No wavelet beats Heisenberg: spreads of energy in time and angular frequency.
    EXPECT_GE(f.time_spread * f.spread * 2 * pi, 0.5);
  }
  EXPECT_NEAR(wavelet_figures({WaveletKind::paul, 4, 0}).integral,
              wavelet_figures({WaveletKind::morse, 1, 4}).integral, 1e-9);
}

TEST(Wavelets, MorletIsAGaussBellInBothDirections) {
  for (const double w0 : {6.0, 20.0}) {
    const WaveletFigures f = wavelet_figures({WaveletKind::morlet, w0, 0});
    EXPECT_NEAR(f.spread, 1 / (w0 * std::sqrt(2.0)), 1e-6);
    EXPECT_NEAR(f.width, 2 * std::sqrt(2 * std::log(2.0)) / w0, 1e-6);
    EXPECT_NEAR(f.duration, 2 * std::sqrt(2 * std::log(2.0)) * w0 / (2 * pi), 0.03);
    EXPECT_NEAR(f.time_spread * f.spread * 2 * pi, 0.5, 1e-4);
    // One percent of a Gauss bell lies beyond 2.576 standard deviations.
    EXPECT_NEAR(f.edge, 2.5758 * w0 / (2 * pi), 0.02);
  }
}

TEST(Wavelets, NamesAreReadAndWrongOnesTold) {
  EXPECT_EQ(parse_wavelet("morse").name(), "morse(3,20)");
  EXPECT_EQ(parse_wavelet("morse(2,6)").name(), "morse(2,6)");
  EXPECT_EQ(parse_wavelet("paul(6)").name(), "paul(6)");
  for (const char* wrong : {"morze", "morlet(2)", "morlet(6,3)", "paul(4", "morse(x)"})
    EXPECT_THROW(parse_wavelet(wrong), Error) << wrong;
}

struct MadeBursts {
  ScalogramPlan plan;
  Scalogram result;
};

MadeBursts scalogram_of(const std::vector<double>& x, double rate, ScalogramSettings settings = {}) {
  MadeBursts made;
  made.plan = plan_scalogram(settings, static_cast<std::int64_t>(x.size()), rate);
  ScalogramEstimator estimator(made.plan, settings);
  for (std::size_t at = 0; at < x.size(); at += 10007) {
    const std::size_t count = std::min<std::size_t>(10007, x.size() - at);
    Block block(1, count);
    std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(at), count, block.room(0).begin());
    block.set(static_cast<std::int64_t>(at), count);
    estimator.add(block);
  }
  made.result = std::move(estimator.result().front());
  return made;
}

template <typename F>
std::vector<double> sampled(std::size_t count, double rate, F f) {
  std::vector<double> x(count);
  for (std::size_t n = 0; n < count; ++n) x[n] = f(static_cast<double>(n) / rate);
  return x;
}

TEST(Scalogram, ATonesAmplitudeIsReadInItsVoiceInEveryOctave) {
  // Long enough for three levels of decimation.
  const double rate = 1000;
  for (const Wavelet& wavelet :
       {Wavelet{}, Wavelet{WaveletKind::morlet, 8, 0}, Wavelet{WaveletKind::paul, 4, 0}}) {
    ScalogramSettings settings;
    settings.wavelet = wavelet;
    settings.voices = 8;
    const ScalogramPlan plan = plan_scalogram(settings, 1000000, rate);
    std::vector<double> tones;
    for (std::size_t r = 3; r < plan.frequency_hz.size(); r += 40) tones.push_back(plan.frequency_hz[r]);
    const MadeBursts m = scalogram_of(sampled(1000000, rate,
                                              [&](double t) {
                                                double sum = 0;
                                                for (const double hz : tones)
                                                  sum += 0.7 * std::cos(2 * pi * hz * t + 1);
                                                return sum;
                                              }),
                                      rate, settings);
    ASSERT_GE(tones.size(), 3u);
    for (const double hz : tones) {
      const std::size_t row = m.result.map.row_at(hz);
      const auto [first, end] = m.result.inside[row];
      ASSERT_LT(first, end);
      for (std::size_t c = first; c < end; c += 1 + (end - first) / 50) {
        // Tones five octaves apart do not reach each other, and half of Paul's wavelet is far wider than
        // others.
        EXPECT_NEAR(std::sqrt(2 * m.result.map.at(row, c)), 0.7,
                    wavelet.kind == WaveletKind::paul ? 0.04 : 0.01)
            << wavelet.name() << " " << hz << " Hz at " << m.result.map.time_s(c);
      }
    }
  }
}

/// The transform by its definition: a sum over time with the wavelet made by summing its own transform.
double by_the_sum(const std::vector<double>& x, double rate, const Wavelet& wavelet, double hz, double t) {
  const WaveletFigures f = wavelet_figures(wavelet);
  std::complex<double> w = 0;
  const double reach = f.reach / hz;
  const double du = 1 / (4 * f.reach + 16);
  for (std::size_t n = 0; n < x.size(); ++n) {
    const double lag = t - static_cast<double>(n) / rate;
    if (std::abs(lag) > reach) continue;
    std::complex<double> psi = 0;
    for (double u = du; u < std::min(f.high, rate / 2 / hz); u += du)
      psi += wavelet.at(u) * std::polar(1.0, 2 * pi * u * hz * lag);
    w += x[n] * psi * du * hz / rate;
  }
  return std::abs(w);
}

TEST(Scalogram, AgreesWithTheDefinitionOnNoise) {
  std::mt19937_64 bits(3);
  std::normal_distribution<double> dice;
  const double rate = 100;
  const std::vector<double> x = sampled(4000, rate, [&](double) { return dice(bits); });
  ScalogramSettings settings;
  settings.most_columns = 4000;
  const MadeBursts m = scalogram_of(x, rate, settings);
  for (const std::size_t row :
       {std::size_t{10}, m.plan.frequency_hz.size() / 2, m.plan.frequency_hz.size() - 2})
    for (const std::size_t n : {1500u, 2003u, 2410u}) {
      // Coarsely sampled voices are joined by straight lines, and the columns hold the greatest of their
      // points.
      const double expected =
          by_the_sum(x, rate, settings.wavelet, m.plan.frequency_hz[row], static_cast<double>(n) / rate);
      EXPECT_NEAR(std::sqrt(2 * m.result.map.at(row, n)), expected, 0.03 * expected + 0.003)
          << row << " " << n;
    }
}

TEST(Scalogram, ConeTellsWhereTheEndsAreFelt) {
  // A step outside: what lies beyond the end of the record would change voices only within the cone.
  const double rate = 100;
  const auto tone = [](double t) { return std::cos(2 * pi * 0.8 * t); };
  std::vector<double> whole = sampled(8000, rate, tone), cut(whole.begin(), whole.begin() + 4000);
  const MadeBursts a = scalogram_of(whole, rate), b = scalogram_of(cut, rate);
  const std::size_t row = b.result.map.row_at(0.8);
  const auto [first, end] = b.result.inside[row];
  ASSERT_LT(end, b.result.map.columns);
  for (std::size_t c = first; c < end; ++c) {
    const double there = a.result.map.at(a.result.map.row_at(b.plan.frequency_hz[row]),
                                         a.result.map.column_at(b.result.map.time_s(c)));
    EXPECT_NEAR(std::sqrt(2 * b.result.map.at(row, c)), std::sqrt(2 * there), 0.02);
  }
}

TEST(Scalogram, InverseGivesBackWhatLiesInTheBand) {
  const double rate = 64;
  ScalogramSettings settings;
  const std::size_t count = 20000;
  const auto kept = [](double t) {
    return std::cos(2 * pi * (0.5 + 1e-3 * t) * t) + 0.4 * std::sin(2 * pi * 2.1 * t);
  };
  const std::vector<double> x = sampled(count, rate, kept);
  const ScalogramPlan plan = plan_scalogram(settings, static_cast<std::int64_t>(count), rate);
  const auto worker = make_band_extraction(plan, settings, 0.2, 6);
  std::vector<double> y;
  for (std::size_t at = 0; at < count; at += 3001)
    worker->add(std::span(x).subspan(at, std::min<std::size_t>(3001, count - at)), y);
  worker->finish(y);
  ASSERT_EQ(y.size(), count);
  double off = 0, all = 0;
  const auto edge = static_cast<std::size_t>(plan.edge_s(0.5) * rate);
  for (std::size_t n = edge; n + edge < count; ++n) off += std::pow(y[n] - x[n], 2), all += x[n] * x[n];
  EXPECT_LT(std::sqrt(off / all), 0.01);
  // What lies outside is gone: the filter's own gain says how far.
  EXPECT_LT(band_extraction_gain(plan, settings, 0.2, 6, 0.08), 1e-3);
  EXPECT_LT(band_extraction_gain(plan, settings, 0.2, 6, 14), 1e-3);
  for (const double hz : {0.4, 1.0, 3.0})
    EXPECT_NEAR(band_extraction_gain(plan, settings, 0.2, 6, hz), 1, 2e-3);
  EXPECT_THROW(make_band_extraction(plan, settings, 100, 200), Error);
}

TEST(Scalogram, SqueezedChirpIsALineOfItsAmplitude) {
  const double rate = 256;
  ScalogramSettings settings;
  settings.squeezed = true;
  settings.most_columns = 500;
  const MadeBursts m = scalogram_of(
      sampled(20000, rate, [](double t) { return 2 * std::cos(2 * pi * (5 * t + 0.1 * t * t)); }), rate,
      settings);
  const LevelMap& map = m.result.map;
  for (double t = 10; t < 70; t += 5) {
    const std::size_t c = map.column_at(t);
    std::size_t top = 0;
    for (std::size_t r = 0; r < map.rows(); ++r)
      if (map.at(r, c) > 0 && !(map.at(top, c) >= map.at(r, c))) top = r;
    // Within a voice of the frequency there, with nearly all of the amplitude on two voices.
    EXPECT_NEAR(std::log2(map.frequency_hz[top] / (5 + 0.2 * map.time_s(c))), 0, 1.1 / 12) << t;
    double beside = 0;
    for (std::size_t r = top > 0 ? top - 1 : 0; r <= top + 1 && r < map.rows(); ++r)
      if (map.at(r, c) > 0) beside = std::max<double>(beside, std::sqrt(2 * map.at(r, c)));
    EXPECT_GT(beside, 1.2);
    EXPECT_LT(beside, 2.1);
    double far = 0;
    for (std::size_t r = 0; r < map.rows(); ++r)
      if (r + 4 < top || r > top + 4)
        far = std::max(far, std::isnan(map.at(r, c)) ? 0.0 : std::sqrt(2.0 * map.at(r, c)));
    EXPECT_LT(far, 0.05);
  }
}

TEST(Scalogram, PlansWithinTheRecordAndBelowHalfTheRate) {
  const ScalogramPlan plan = plan_scalogram({}, 24000, 16);
  EXPECT_LT(plan.frequency_hz.back() * (1 + plan.figures.width), 8.0001);
  EXPECT_NEAR(plan.frequency_hz.front() * plan.duration_s() / plan.figures.edge, 4, 0.3);
  EXPECT_NEAR(plan.frequency_hz[12] / plan.frequency_hz[0], 2, 1e-9);
  ScalogramSettings settings;
  settings.octaves = 3;
  EXPECT_EQ(plan_scalogram(settings, 24000, 16).frequency_hz.size(), 37u);
  settings.low_hz = 5, settings.high_hz = 9;
  EXPECT_THROW(plan_scalogram(settings, 24000, 16), Error);
  EXPECT_THROW(plan_scalogram({}, 10, 16), Error);
}

}  // namespace
}  // namespace vprism::scalogram_test
