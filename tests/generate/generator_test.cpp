// Signals of known content: each term against its closed form, noises against their stated density.
#include "generate/generator.h"

#include <gmock/gmock.h>

#include <cmath>
#include <complex>
#include <numbers>

#include "base/error.h"
#include "signal/feed.h"
#include "transform/spectra/spectrum_estimator.h"

namespace vprism::generator_test {
namespace {

using std::numbers::pi;
using ::testing::HasSubstr;

GeneratorSettings settings_for(const std::string& signal, double rate, std::int64_t samples,
                               std::uint64_t seed = 1) {
  GeneratorSettings settings;
  settings.channels = {parse_channel_description("x (V): " + signal)};
  settings.rate_hz = rate;
  settings.samples = samples;
  settings.seed = seed;
  return settings;
}

std::vector<double> read_generated(SampleSource& source, std::size_t capacity) {
  std::vector<double> out;
  Block block(source.recording().channels.size(), capacity, source.carries_stamps());
  while (source.read(block) > 0) out.insert(out.end(), block.samples(0).begin(), block.samples(0).end());
  return out;
}

std::vector<double> made(const std::string& signal, double rate, std::int64_t samples,
                         std::uint64_t seed = 1) {
  const auto source = make_generator(settings_for(signal, rate, samples, seed));
  return read_generated(*source, 1000);
}

template <typename Function>
void expect_follows(const std::string& signal, Function f, double tolerance = 1e-12) {
  const auto x = made(signal, 1000, 2000);
  ASSERT_EQ(x.size(), 2000u);
  for (std::size_t n = 0; n < x.size(); ++n)
    ASSERT_NEAR(x[n], f(static_cast<double>(n) / 1000), tolerance) << signal << " at sample " << n;
}

TEST(Generator, TermsFollowTheirFormulas) {
  expect_follows("tone 31.2Hz 0.5 phase 30deg",
                 [](double t) { return 0.5 * std::cos(2 * pi * 31.2 * t + pi / 6); });
  expect_follows("tone 20Hz 2 harmonics 10%,5%", [](double t) {
    return 2 * (std::cos(40 * pi * t) + 0.1 * std::cos(80 * pi * t) + 0.05 * std::cos(120 * pi * t));
  });
  // Amplitude modulation makes sidebands of half the depth; frequency modulation turns the angle.
  expect_follows("tone 90Hz 1 am 50% am-rate 7Hz", [](double t) {
    return std::cos(180 * pi * t) + 0.25 * std::cos(194 * pi * t) + 0.25 * std::cos(166 * pi * t);
  });
  expect_follows("tone 90Hz 1 fm 14Hz fm-rate 7Hz",
                 [](double t) { return std::cos(180 * pi * t + 2 * std::sin(14 * pi * t)); });
  expect_follows("step 0.5s 300mV", [](double t) { return t >= 0.5 - 1e-9 ? 0.3 : 0.0; });
  expect_follows("impulse 0.25s 4", [](double t) { return std::abs(t - 0.25) < 1e-9 ? 4.0 : 0.0; });
  expect_follows("offset 1 + drift 3", [](double t) { return 1 + 1.5 * t; });
  expect_follows(
      "sweep 10Hz..50Hz 1", [](double t) { return std::cos(2 * pi * (10 * t + 10 * t * t)); }, 1e-10);
  expect_follows(
      "sweep 10Hz..100Hz 1 log",
      [](double t) { return std::cos(2 * pi * 20 / std::log(10) * (std::pow(10, t / 2) - 1)); }, 1e-9);
  expect_follows(
      "burst 40Hz 2 from 0.5s for 200ms every 1s",
      [](double t) {
        const double s = std::fmod(t + 0.5, 1.0);
        return s < 0.2 - 1e-12 ? 2 * std::pow(std::sin(5 * pi * s), 2) * std::cos(80 * pi * s) : 0.0;
      },
      1e-10);
  expect_follows(
      "triangle 2.5Hz 3", [](double t) { return 6 / pi * std::asin(std::sin(5 * pi * t)); }, 1e-9);
  expect_follows("tone 20Hz 2 | clip 1",
                 [](double t) { return std::clamp(2 * std::cos(40 * pi * t), -1.0, 1.0); });
  expect_follows("tone 20Hz 2 | quantise 0.25",
                 [](double t) { return 0.25 * std::round(8 * std::cos(40 * pi * t)); });
}

TEST(Generator, BandLimitedWavesAreTheirSeriesAndNearTheWave) {
  // At 1/n of half the rate there are as many harmonics; away from the edges the two agree to their sum's
  // rest.
  for (const char* wave : {"square 3Hz 1", "triangle 3Hz 1", "sawtooth 3Hz 1", "pulses 3Hz 1 width 100ms"}) {
    const auto plain = made(wave, 3000, 3000),
               limited = made(std::string(wave) + " band-limited", 3000, 3000);
    int near = 0;
    for (std::size_t n = 0; n < plain.size(); ++n) near += std::abs(plain[n] - limited[n]) < 0.03 ? 1 : 0;
    EXPECT_GT(near, 2800) << wave;
  }
  // The third harmonic of a square wave is 4 / (3 pi), and nothing lies between the harmonics.
  const auto x = made("square 30Hz 1 band-limited", 1000, 1000);
  const auto line = [&](double hz) {
    double s = 0, c = 0;
    for (std::size_t n = 0; n < x.size(); ++n)
      s += x[n] * std::sin(2 * pi * hz * static_cast<double>(n) / 1000),
          c += x[n] * std::cos(2 * pi * hz * static_cast<double>(n) / 1000);
    return 2 * std::hypot(s, c) / 1000;
  };
  EXPECT_NEAR(line(90), 4 / (3 * pi), 1e-12);
  EXPECT_NEAR(line(60), 0, 1e-12);
  EXPECT_NEAR(line(70), 0, 1e-12);  // Where a plain square wave has folded harmonics.
}

/// Mean density between two frequencies.
double density(const std::vector<double>& x, double rate, double low, double high) {
  SpectrumSettings settings;
  settings.segment = 4096;
  const SpectrumPlan plan = plan_spectrum(settings, static_cast<std::int64_t>(x.size()), rate);
  SpectrumEstimator estimator(plan, settings);
  feed(estimator, {x});
  const Spectrum s = estimator.result()[0];
  double sum = 0, count = 0;
  for (std::size_t k = 0; k < s.bins(); ++k)
    if (s.frequency_hz(k) >= low && s.frequency_hz(k) <= high) sum += s.level(k, Scale::psd), count += 1;
  return std::sqrt(sum / count);
}

TEST(Generator, NoisesHaveTheirStatedDensity) {
  // 500,000 samples, 240 segments: densities over 50 bins and more to about 1%.
  const auto white = made("white 2e-3", 10000, 500000);
  EXPECT_NEAR(density(white, 10000, 100, 4900) / 2e-3, 1, 0.02);
  const auto pink = made("pink 1e-3 at 100Hz", 10000, 500000);
  for (const double f : {30.0, 100.0, 400.0, 1600.0})
    EXPECT_NEAR(density(pink, 10000, 0.8 * f, 1.25 * f) / (1e-3 * std::sqrt(100 / f)), 1, 0.07) << f;
  const auto band = made("band 500Hz..1500Hz 1e-3", 10000, 500000);
  EXPECT_NEAR(density(band, 10000, 700, 1300) / 1e-3, 1, 0.02);
  EXPECT_LT(density(band, 10000, 2500, 4900), 5e-5);
  // A resonator lifts its frequency by 1 / (2 damping).
  const auto ringing = made("white 1e-3 > resonator 1kHz damping 5%", 10000, 500000);
  EXPECT_NEAR(density(ringing, 10000, 998, 1003) / 1e-3, 10, 1);
  EXPECT_NEAR(density(ringing, 10000, 50, 120) / 1e-3, 1, 0.03);
}

TEST(Generator, AResonatorRingsAtItsOwnFrequencyAndDampingNearHalfTheRate) {
  // Two neighbours of one ring-down give its poles: x[n+1] = 2 r cos(w) x[n] - r^2 x[n-1].
  const auto x = made("impulse 0s 1 > resonator 3kHz damping 5%", 8000, 60);
  const double r2 = (x[13] * x[11] - x[12] * x[12]) / (x[12] * x[10] - x[11] * x[11]);
  const double a = (x[12] + r2 * x[10]) / x[11];
  const double w = 2 * M_PI * 3000 / 8000;
  EXPECT_NEAR(std::sqrt(r2), std::exp(-0.05 * w), 1e-6);
  EXPECT_NEAR(a / (2 * std::sqrt(r2)), std::cos(w * std::sqrt(1 - 0.0025)), 1e-6);
}

TEST(Generator, TheSameSeedGivesTheSameInBlocksOfAnySize) {
  const auto settings = settings_for(
      "white 1 + pink 1 at 10Hz + spikes 5Hz 3 + white 1 > resonator 50Hz damping 1%", 1000, 5000);
  const auto one = make_generator(settings), other = make_generator(settings);
  const auto x = read_generated(*one, 7);
  EXPECT_EQ(read_generated(*other, 4000), x);
  one->rewind();
  EXPECT_EQ(read_generated(*one, 61), x);
  EXPECT_NE(made("white 1", 1000, 100, 1), made("white 1", 1000, 100, 2));
  // Two noises of one channel are not the same one twice.
  const auto twice = made("white 1 + white 1", 1000, 100000);
  double square = 0;
  for (const double v : twice) square += v * v;
  EXPECT_NEAR(square / 100000, 2 * 500, 20);
}

TEST(Generator, SpikesComeAsOftenAsSaidAndTheirTimesAreTold) {
  const auto x = made("spikes 20Hz 3", 1000, 100000);
  int count = 0;
  for (const double v : x) {
    EXPECT_TRUE(v == 0 || v == 3 || v == -3);
    count += v != 0 ? 1 : 0;
  }
  EXPECT_NEAR(count, 2000, 4 * std::sqrt(2000.0));
  // The times told are those of the samples that are not 0.
  const auto truths = generator_truth(settings_for("spikes 20Hz 3", 1000, 1000));
  std::vector<double> expected;
  for (std::size_t n = 0; n < 1000; ++n)
    if (x[n] != 0) expected.push_back(static_cast<double>(n) / 1000);
  EXPECT_EQ(truths[0][0].back().first, "times_s");
  EXPECT_EQ(std::get<std::vector<double>>(truths[0][0].back().second), expected);
}

TEST(Generator, BeatsComeWhereTheirTruthSays) {
  // Bells of 40 ms at half height: at their times the height, 20 ms beside them half of it.
  const std::string term = "beats 2Hz 3 bell width 40ms scatter 5% missed 10% extra 5%";
  const auto x = made(term, 1000, 60000);
  const auto truth = generator_truth(settings_for(term, 1000, 60000))[0][0];
  ASSERT_EQ(truth.back().first, "times_s");
  const auto times = std::get<std::vector<double>>(truth.back().second);
  EXPECT_NEAR(static_cast<double>(times.size()), 120 * (1 - 0.1 + 0.05), 4 * std::sqrt(120 * 0.15));
  ASSERT_TRUE(std::is_sorted(times.begin(), times.end()));
  for (std::size_t i = 1; i + 1 < times.size(); ++i) {
    if (times[i] - times[i - 1] < 0.15 || times[i + 1] - times[i] < 0.15) continue;
    const auto bell = [&](double t) {
      return 3 * std::exp(-4 * std::log(2.0) * std::pow((t - times[i]) / 0.04, 2));
    };
    for (const double beside : {-0.02, 0.0, 0.01, 0.02}) {
      const auto n = static_cast<std::size_t>(std::lround((times[i] + beside) * 1000));
      EXPECT_NEAR(x[n], bell(static_cast<double>(n) / 1000), 1e-6);
    }
  }
  // Without scatter the intervals are even; a rectangle begins at its time and lasts its width.
  const auto even = made("beats 10Hz 1 rectangle width 20ms", 1000, 1000);
  for (std::size_t n = 0; n < 1000; ++n) EXPECT_EQ(even[n], n % 100 >= 50 && n % 100 < 70 ? 1 : 0) << n;
  // An electrocardiogram: R is highest, Q and S lie below zero beside it, T follows.
  const auto heart = made("beats 1Hz 1 heart width 25ms", 1000, 1000);
  EXPECT_NEAR(heart[500], 1, 0.01);
  EXPECT_LT(heart[472], -0.05);
  EXPECT_LT(heart[528], -0.1);
  EXPECT_NEAR(heart[700], 0.25, 0.01);
  EXPECT_NEAR(heart[350], 0.12, 0.01);
}

TEST(Generator, UnevenStampsStayInOrderAndTheSignalIsTakenThere) {
  GeneratorSettings settings = settings_for("tone 20Hz 1", 1000, 1000);
  settings.uneven = 0.4;
  const auto source = make_generator(settings);
  EXPECT_TRUE(source->recording().axis.stamped);
  Block block(1, 1000, true);
  ASSERT_EQ(source->read(block), 1000u);
  double stray = 0;
  for (std::size_t n = 0; n < 1000; ++n) {
    EXPECT_NEAR(block.samples(0)[n], std::cos(40 * pi * block.stamps()[n]), 1e-12);
    if (n > 0) {
      EXPECT_GT(block.stamps()[n], block.stamps()[n - 1]);
    }
    stray = std::max(stray, std::abs(block.stamps()[n] * 1000 - static_cast<double>(n)));
  }
  EXPECT_GT(stray, 0.35);
  EXPECT_LE(stray, 0.4 + 1e-9);
}

TEST(Generator, BeatsAreRefusedWhereTheyMakeNoSense) {
  EXPECT_THROW(made("beats 2Hz 1 width 300ms", 1000, 10), Error);
  EXPECT_THROW(made("beats 2Hz 1 scatter 40%", 1000, 10), Error);
  EXPECT_THROW(made("beats 2Hz 1 bell heart", 1000, 10), Error);
}

TEST(Generator, MistakesNameChannelAndTerm) {
  const auto message = [](const std::string& text) -> std::string {
    try {
      GeneratorSettings settings;
      settings.channels = {parse_channel_description(text)};
      settings.rate_hz = 1000, settings.samples = 100;
      make_generator(settings);
      return "";
    } catch (const Error& error) {
      EXPECT_EQ(error.status(), Status::usage);
      return error.what();
    }
  };
  EXPECT_THAT(message("tone 50Hz 1"), HasSubstr("names no channel"));
  EXPECT_THAT(message("a: tune 50Hz 1"), HasSubstr("did you mean \"tone\""));
  EXPECT_THAT(message("a: tone 50Hz"), HasSubstr("channel \"a\": term \"tone 50Hz\": a value is missing"));
  EXPECT_THAT(message("a (V): tone 50Hz 1A"), HasSubstr("does not convert to the channel's unit, V"));
  EXPECT_THAT(message("a: tone 50Hz 1 am 50%"), HasSubstr("belong together"));
  EXPECT_THAT(message("a: white 1 > reverb 3"), HasSubstr("resonator"));
  EXPECT_THAT(message("a: white 1 > resonator 600Hz"), HasSubstr("is not below half the rate"));
  EXPECT_THAT(message("a: white 1 | clop 2"), HasSubstr("did you mean \"clip\""));
  EXPECT_THAT(message("a: white 1 + "), HasSubstr("nothing stands there"));
  EXPECT_THAT(message("a: square 10Hz 1 duty 120%"), HasSubstr("between 0 and 100%"));
}

/// One sample of 1, straight to its neighbours, is a triangle of the area 1 / rate: long after it mode j
/// swings as (triangle's transform at its pole) constant w0^2 / wd Im exp(s t).
TEST(Generator, AChainOfMassesSwingsInItsModes) {
  GeneratorSettings settings;
  settings.channels = {
      parse_channel_description("push (N): impulse 0.1s 1"),
      parse_channel_description("third (mm): channel push > chain 4 60Hz damping 1% at 3 from 2")};
  settings.rate_hz = 1000;
  settings.samples = 2000;
  const auto source = make_generator(settings);
  Block block(2, 700);
  std::vector<double> x;
  while (source->read(block) > 0) x.insert(x.end(), block.samples(1).begin(), block.samples(1).end());
  using Complex = std::complex<double>;
  const double h = 1e-3, w0 = 2 * pi * 60;
  for (std::size_t n = 0; n < x.size(); ++n) {
    const double t = (static_cast<double>(n) - 100) * h;
    double expected = 0;
    for (int j = 1; j <= 4; ++j) {
      const double w = 2 * w0 * std::sin(j * pi / 10), wd = w * std::sqrt(1 - 1e-4);
      const Complex s(-0.01 * w, wd), u = s * h;
      const Complex triangle = h * (std::exp(u) - 2.0 + std::exp(-u)) / (u * u);
      const double constant = 2.0 / 5 * std::sin(3 * j * pi / 5) * std::sin(2 * j * pi / 5);
      if (n > 101) expected += constant * w0 * w0 / wd * (triangle * std::exp(s * t)).imag();
    }
    if (n == 100 || n == 101) continue;  // Within the triangle.
    ASSERT_NEAR(x[n], expected, 1e-10) << n;
  }
}

TEST(Generator, AChannelCanOnlyTakeEarlierOnes) {
  GeneratorSettings settings = settings_for("channel y", 1000, 10);
  settings.channels.push_back(parse_channel_description("y: offset 1"));
  try {
    make_generator(settings);
    FAIL();
  } catch (const Error& error) {
    EXPECT_THAT(error.what(), HasSubstr("unknown earlier channel"));
  }
}

}  // namespace
}  // namespace vprism::generator_test
