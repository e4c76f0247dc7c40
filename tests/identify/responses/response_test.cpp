// Ratios of channels against what theory says of known systems with known noise.
#include "identify/responses/response.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "base/error.h"
#include "identify/modes/output_only.h"
#include "identify/modes/record_spectra.h"
#include "identify/responses/blows.h"
#include "identify/responses/excitation.h"
#include "signal/feed.h"

namespace vprism::response_test {
namespace {

using Complex = std::complex<double>;
using std::numbers::pi;

std::vector<double> white(std::size_t count, std::uint64_t seed, double std = 1) {
  std::mt19937_64 dice(seed);
  std::normal_distribution<double> normal(0, std);
  std::vector<double> out(count);
  for (double& v : out) v = normal(dice);
  return out;
}

/// y[n] = 2 d x[n - lag] + noise.
std::vector<double> passed(const std::vector<double>& x, double gain, std::size_t lag) {
  std::vector<double> y(x.size(), 0.0);
  for (std::size_t n = lag; n < x.size(); ++n) y[n] = gain * x[n - lag];
  return y;
}

void add(std::vector<double>& x, const std::vector<double>& y) {
  for (std::size_t n = 0; n < x.size(); ++n) x[n] += y[n];
}

CrossSpectra spectra_of(const std::vector<std::vector<double>>& columns, std::vector<std::size_t> references,
                        std::size_t segment = 512, double rate = 1000) {
  SpectrumSettings settings;
  settings.segment = segment;
  CrossEstimator estimator(plan_spectrum(settings, static_cast<std::int64_t>(columns[0].size()), rate),
                           settings, std::move(references));
  feed(estimator, columns, 5000);
  return estimator.result();
}

double mean_of(const std::vector<Complex>& ratio) {
  double sum = 0;
  for (std::size_t k = 20; k < 230; ++k) sum += std::abs(ratio[k]) / 210;
  return sum;
}

TEST(Response, EstimatorsBracketTheTruthAsTheorySays) {
  // Gain 3. Noise of half the signal's power on the output: H1 = 3, H2 = 3 (1 + 1/2). On the input: H1 = 3 /
  // (1 + 1/2), H2 = 3. Hv is their geometric mean.
  const std::size_t count = 400000;
  const std::vector<double> x = white(count, 1);
  for (const bool on_output : {true, false}) {
    std::vector<double> in = x, out = passed(x, 3, 0);
    add(on_output ? out : in, white(count, 2, (on_output ? 3 : 1) * std::sqrt(0.5)));
    const CrossSpectra s = spectra_of({in, out}, {0});
    const double h1 = mean_of(responses_of(s, ResponseEstimator::h1).curves[0].ratio);
    const double h2 = mean_of(responses_of(s, ResponseEstimator::h2).curves[0].ratio);
    const double hv = mean_of(responses_of(s, ResponseEstimator::hv).curves[0].ratio);
    EXPECT_NEAR(h1, on_output ? 3 : 2, 0.02);
    EXPECT_NEAR(h2, on_output ? 4.5 : 3, 0.03);
    EXPECT_NEAR(hv, std::sqrt(h1 * h2), 1e-2);
    const ResponseSet set = responses_of(s, ResponseEstimator::h1);
    double coherence = 0;
    for (std::size_t k = 20; k < 230; ++k) coherence += set.coherence[1][k] / 210;
    EXPECT_NEAR(coherence, 2.0 / 3, 0.01);
  }
}

TEST(Response, StatedErrorsAreWhatRepetitionShows) {
  double scatter = 0, stated = 0;
  int count = 0;
  for (std::uint64_t run = 0; run < 40; ++run) {
    const std::vector<double> x = white(12000, 100 + run);
    std::vector<double> y = passed(x, 2, 0);
    add(y, white(12000, 500 + run, 2));
    const ResponseSet set = responses_of(spectra_of({x, y}, {0}), ResponseEstimator::h1);
    for (std::size_t k = 20; k < 230; k += 5) {
      scatter += std::pow(std::abs(set.curves[0].ratio[k]) - 2, 2);
      stated += std::pow(set.curves[0].error[k] * std::abs(set.curves[0].ratio[k]), 2);
      ++count;
    }
  }
  EXPECT_NEAR(std::sqrt(scatter / count) / std::sqrt(stated / count), 1, 0.08);
}

TEST(Response, CoherenceOfUnrelatedChannelsStaysBelowWhatIsStated) {
  const ResponseSet set =
      responses_of(spectra_of({white(30000, 1), white(30000, 2)}, {0}), ResponseEstimator::h1);
  int above = 0, all = 0;
  for (std::size_t k = 5; k < 250; ++k) above += set.coherence[1][k] > set.significant(), ++all;
  EXPECT_NEAR(above / static_cast<double>(all), 0.05, 0.045);
}

TEST(Response, SeveralReferencesAreToldApart) {
  // The two references share half of their power; y = 2 a - b + noise.
  const std::size_t count = 300000;
  const std::vector<double> common = white(count, 1);
  std::vector<double> a = white(count, 2), b = white(count, 3);
  add(a, common), add(b, common);
  std::vector<double> y = passed(a, 2, 0);
  add(y, passed(b, -1, 0));
  add(y, white(count, 4, 0.5));
  const ResponseSet set = responses_of(spectra_of({a, b, y}, {0, 1}), ResponseEstimator::h1);
  ASSERT_EQ(set.curves.size(), 2u);
  EXPECT_NEAR(mean_of(set.curves[0].ratio), 2, 0.01);
  EXPECT_NEAR(mean_of(set.curves[1].ratio), 1, 0.01);
  EXPECT_NEAR(set.curves[1].ratio[100].real(), -1, 0.1);
  // Var y = 4 * 2 + 2 - 4 * 1 + 0.25 = 6.25; noise 0.25 of it. What a alone tells beside b: var(a | b) = 1.5,
  // so 4 * 1.5 / (4 * 1.5 + 0.25).
  double all = 0, partial = 0;
  for (std::size_t k = 20; k < 230; ++k)
    all += set.coherence[2][k] / 210, partial += set.partial[2][0][k] / 210;
  EXPECT_NEAR(all, 6 / 6.25, 0.004);
  EXPECT_NEAR(partial, 6 / 6.25, 0.004);
}

TEST(Response, ReferencesThatAreOneAndTheSameAreNotTold) {
  const std::vector<double> a = white(20000, 1);
  const ResponseSet set =
      responses_of(spectra_of({a, passed(a, 2, 0), white(20000, 2)}, {0, 1}), ResponseEstimator::h1);
  EXPECT_EQ(std::count(set.driven.begin(), set.driven.end(), true), 0);
}

TEST(Response, BinsWithoutEnergyOfTheReferenceAreNotDriven) {
  std::vector<double> x(40960);
  for (std::size_t n = 0; n < x.size(); ++n) x[n] = std::cos(2 * pi * 50 * static_cast<double>(n) / 512);
  const ResponseSet set = responses_of(spectra_of({x, x}, {0}), ResponseEstimator::h1);
  EXPECT_TRUE(set.driven[50]);
  EXPECT_FALSE(set.driven[150]);
}

TEST(Response, ImpulseResponseAndDelayOfAPureDelay) {
  const std::vector<double> x = white(100000, 1);
  std::vector<double> y = passed(x, -0.7, 9);
  add(y, white(100000, 2, 0.2));
  const ResponseSet set = responses_of(spectra_of({x, y}, {0}, 1000), ResponseEstimator::h1);
  const std::vector<double> h = impulse_response(set, set.curves[0]);
  ASSERT_EQ(h.size(), 1000u);
  // In the unit per second: -0.7 at sample 9, times the rate.
  EXPECT_NEAR(h[9], -700, 15);
  EXPECT_NEAR(h[300], 0, 15);
  const auto delay = delay_of(set, set.curves[0]);
  ASSERT_TRUE(delay);
  EXPECT_NEAR(delay->seconds, 0.009, 4 * delay->std_s);
  EXPECT_LT(delay->std_s, 2e-5);
  EXPECT_GT(delay->explained, 0.95);
}

/// A mode driven by a force that runs straight between samples, exactly (see generate/driven.cpp).
std::vector<double> mode_of(const std::vector<double>& force, double rate, double f0, double d) {
  const double w = 2 * pi * f0, wd = w * std::sqrt(1 - d * d), h = 1 / rate;
  const Complex s(-d * w, wd), e = std::exp(s * h), a = (e - 1.0) / s, b = (e - 1.0 - s * h) / (s * s * h);
  Complex z = 0;
  std::vector<double> out(force.size(), 0.0);
  for (std::size_t n = 1; n < force.size(); ++n) {
    z = e * z + force[n - 1] * (a - b) + force[n] * b;
    out[n] = w * w * z.imag() / wd;
  }
  return out;
}

Complex displacement(double f, double f0, double d) {
  const double r = f / f0;
  return 1.0 / Complex(1 - r * r, 2 * d * r);
}

TEST(Response, TransientsAndStepsGiveTheRatioOfTheSystem) {
  const double rate = 2000;
  std::vector<double> pulse(8000, 0.0), step(8000, 0.0);
  for (std::size_t n = 100; n < 108; ++n)
    pulse[n] = std::pow(std::sin(pi * static_cast<double>(n - 100) / 8), 2);
  for (std::size_t n = 100; n < step.size(); ++n) step[n] = n < 104 ? static_cast<double>(n - 100) / 4 : 1;
  EXPECT_TRUE(looks_like_step(step, rate));
  EXPECT_FALSE(looks_like_step(pulse, rate));
  for (const bool stays : {false, true}) {
    const std::vector<double>& x = stays ? step : pulse;
    CrossSpectra spectra;
    const ResponseSet set = local_ratios(record_spectra({x, mode_of(x, rate, 60, 0.02)}, {0}, rate, stays),
                                         ResponseEstimator::h1, -60, spectra);
    for (const double f : {20.0, 55.0, 60.0, 80.0}) {
      const auto k = static_cast<std::size_t>(f / set.bin_hz() + 0.5);
      ASSERT_TRUE(set.driven[k]);
      // What samples make of a force that runs straight: sinc^2 of f / rate, and images far below.
      const double u = pi * set.frequency_hz[k] / rate, samples = std::pow(std::sin(u) / u, 2);
      const double expected = samples * std::abs(displacement(set.frequency_hz[k], 60, 0.02));
      EXPECT_NEAR(std::abs(set.curves[0].ratio[k]) / expected, 1, 5e-4) << f;
    }
  }
}

std::vector<double> blows(std::size_t count, double every, double rate, bool doubled = false) {
  std::vector<double> force(static_cast<std::size_t>(rate * every) * count, 0.0);
  const auto hit = [&](double at, double peak) {
    for (std::size_t n = 0; n < 8; ++n)
      force[static_cast<std::size_t>(at * rate) + n] +=
          peak * std::pow(std::sin(pi * static_cast<double>(n) / 8), 2);
  };
  for (std::size_t b = 0; b < count; ++b)
    hit(static_cast<double>(b) * every + 0.3, 100 + 10 * static_cast<double>(b));
  if (doubled) hit(every + 0.34, 30);
  return force;
}

TEST(Blows, AreFoundAndDoubleHitsLeftOut) {
  const double rate = 2000;
  std::vector<double> force = blows(4, 1.5, rate, true);
  add(force, white(force.size(), 3, 0.05));
  EXPECT_TRUE(looks_like_blows(force, rate));
  EXPECT_FALSE(looks_like_blows(white(8000, 1), rate));
  const auto found = find_blows(force, rate, {});
  ASSERT_EQ(found.size(), 4u);
  for (std::size_t b = 0; b < 4; ++b) {
    EXPECT_NEAR(static_cast<double>(found[b].peak), (1.5 * static_cast<double>(b) + 0.3) * rate + 4, 1.1);
    EXPECT_NEAR(found[b].force, 100 + 10 * static_cast<double>(b), 0.3);
  }
  EXPECT_NEAR(found[1].second, 30, 0.3);
  const BlowSpectra s = blow_spectra({force, mode_of(force, rate, 60, 0.02)}, 0, rate, {});
  EXPECT_EQ(s.spectra.own[0].plan.averages, 3);
  EXPECT_NE(s.blows[1].rejected.find("double hit: 27"), std::string::npos) << s.blows[1].rejected;
  BlowSettings keep;
  keep.keep_doubles = true;
  EXPECT_EQ(blow_spectra({force, mode_of(force, rate, 60, 0.02)}, 0, rate, keep).spectra.own[0].plan.averages,
            4);
}

TEST(Blows, AnExponentialWindowTellsWhatItAddsToTheDecay) {
  // 5 Hz at 0.5%: after 1.4 s still at 80%.
  const double rate = 2000;
  const std::vector<double> force = blows(1, 3, rate);
  const BlowSpectra s = blow_spectra({force, mode_of(force, rate, 5, 0.005)}, 0, rate, {});
  EXPECT_GT(s.left, 0.5);
  EXPECT_DOUBLE_EQ(s.decayed_to, 0.01);
  EXPECT_NEAR(std::exp(-s.decay_per_s * static_cast<double>(s.segment - s.before) / rate), 0.01, 1e-12);
  // The ratio is that of the mode with the decay added to its pole.
  const ResponseSet set = responses_of(s.spectra, ResponseEstimator::h1, -60);
  const double w = 2 * pi * 5, added = s.decay_per_s;
  for (const double f : {4.0, 5.0, 7.0}) {
    const auto k = static_cast<std::size_t>(f / set.bin_hz() + 0.5);
    const Complex p(added, 2 * pi * set.frequency_hz[k]);  // s + added
    const Complex expected = w * w / (p * p + 2 * 0.005 * w * p + w * w);
    EXPECT_NEAR(std::abs(set.curves[0].ratio[k] / expected), 1, 0.02) << f;
  }
}

TEST(Blows, WithoutAnyTheErrorSaysSo) {
  EXPECT_THROW(blow_spectra({std::vector<double>(100, 0.0), white(100, 1)}, 0, 1000, {}), Error);
}

TEST(OutputOnly, FindsModesAndLeavesTonesOut) {
  // Two modes 3 Hz apart with shapes (1, 0.8) and (0.7, -1), each driven by noise of its own, and a tone.
  const double rate = 400;
  const std::size_t count = 200000;
  const std::vector<double> first = mode_of(white(count, 1), rate, 40, 0.012),
                            second = mode_of(white(count, 2), rate, 43, 0.01);
  std::vector<double> a(count), b(count);
  const std::vector<double> na = white(count, 3, 0.05), nb = white(count, 4, 0.05);
  for (std::size_t n = 0; n < count; ++n) {
    const double tone = 3 * std::cos(2 * pi * 70 * static_cast<double>(n) / rate);
    a[n] = first[n] + 0.7 * second[n] + tone + na[n];
    b[n] = 0.8 * first[n] - second[n] + tone + nb[n];
  }
  const OutputOnly found = decompose(spectra_of({a, b}, {0, 1}, 4096, rate), 5, 190);
  ASSERT_EQ(found.modes.size(), 2u);
  const double hz[] = {40, 43}, damping[] = {0.012, 0.01}, other[] = {0.8, -1 / 0.7};
  for (std::size_t m = 0; m < 2; ++m) {
    const auto& mode = found.modes[m];
    EXPECT_NEAR(mode.fit.frequency_hz, hz[m], 4 * mode.fit.frequency_std_hz);
    EXPECT_NEAR(mode.fit.damping, damping[m], 4 * mode.fit.damping_std);
    EXPECT_LT(mode.fit.damping_std, 0.2 * damping[m]);
    EXPECT_NEAR((mode.shape[1] / mode.shape[0]).real(), other[m], 0.15);
  }
  ASSERT_GE(found.lines_hz.size(), 1u);
  EXPECT_NEAR(found.lines_hz[0], 70, 0.2);
}

}  // namespace
}  // namespace vprism::response_test
