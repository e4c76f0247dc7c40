// Integrals, derivatives, weightings and fades against closed forms and the standard's table.
#include <gmock/gmock.h>

#include <numbers>

#include "condition/road_over.h"
#include "condition/steps/weight.h"

namespace vprism::calculus_test {
namespace {

using std::numbers::pi;
using ::testing::HasSubstr;

/// a cos(2 pi f t) at 1 kHz.
std::vector<double> wave(std::size_t count, double f, double a = 1) {
  return sampled(count, [&](double n) { return a * std::cos(2 * pi * f * n / 1000); });
}

TEST(Integrate, OfASineIsExactInFrequency) {
  const double w = 2 * pi * 20;
  const auto once = through("integrate", wave(1000, 20)), twice = through("integrate 2", wave(1001 - 1, 20));
  for (std::size_t n = 0; n < once.size(); ++n) {
    const double t = static_cast<double>(n) / 1000;
    ASSERT_NEAR(once[n], std::sin(w * t) / w, 1e-13);
    ASSERT_NEAR(twice[n], -std::cos(w * t) / (w * w), 1e-14);
  }
}

TEST(Differentiate, OfASineIsExactInFrequency) {
  const double w = 2 * pi * 20;
  const auto once = through("differentiate", wave(1000, 20)),
             twice = through("differentiate 2", wave(1000, 20));
  for (std::size_t n = 0; n < once.size(); ++n) {
    const double t = static_cast<double>(n) / 1000;
    ASSERT_NEAR(once[n], -w * std::sin(w * t), 1e-9);
    ASSERT_NEAR(twice[n], -w * w * std::cos(w * t), 1e-7);
  }
}

TEST(Integrate, ByFilterFollowsTheIntegralOverNineTenthsOfTheBand) {
  for (const double f : {50.0, 200.0, 400.0, 450.0}) {
    const double w = 2 * pi * f;
    const auto y = through("integrate from 50mHz method filter", wave(300000, f));
    for (std::size_t n = 299000; n < 299500; ++n)
      ASSERT_NEAR(y[n] * w, std::sin(w * static_cast<double>(n) / 1000), 0.004) << f;
    const auto d = through("differentiate method filter", wave(3000, f));
    for (std::size_t n = 1000; n < 2000; ++n)
      ASSERT_NEAR(d[n] / w, -std::sin(w * static_cast<double>(n) / 1000), 1e-4) << f;
  }
}

TEST(Integrate, LeavesOutWhatIsBelowItsCutOff) {
  auto x = wave(10000, 20);
  for (std::size_t n = 0; n < x.size(); ++n)
    x[n] += 3 + std::cos(2 * pi * 0.5 * static_cast<double>(n) / 1000);
  const auto y = through("integrate from 2Hz", x);
  for (std::size_t n = 0; n < y.size(); ++n)
    ASSERT_NEAR(y[n], std::sin(2 * pi * 20 * static_cast<double>(n) / 1000) / (2 * pi * 20), 1e-12);
}

Unit unit_after(const char* unit, const char* chain, double* factor = nullptr) {
  Recording recording;
  recording.file = "memory";
  recording.channels = {{"a", Unit::parse(unit), "x"}};
  recording.axis.interval = 1e-3;
  Road road(std::make_unique<MemorySource>(recording, std::vector<std::vector<double>>{wave(1000, 20)}),
            parse_chain(chain));
  const Unit out = road.recording().channels[0].unit;
  if (factor != nullptr) road.run([&](Block& block) { *factor = std::abs(block.samples(0)[12]); });
  return out;
}

TEST(Integrate, UnitsFollow) {
  EXPECT_EQ(unit_after("m/s^2", "integrate").text(), "m/s");
  EXPECT_EQ(unit_after("m/s^2", "integrate 2").text(), "m");
  EXPECT_EQ(unit_after("mm/s", "integrate").text(), "mm");
  EXPECT_EQ(unit_after("V", "integrate").text(), "V*s");
  EXPECT_EQ(unit_after("m", "differentiate 2").text(), "m/s^2");
  EXPECT_EQ(unit_after("um", "differentiate").text(), "um/s");
  EXPECT_EQ(unit_after("V", "differentiate | integrate").text(), "V");
  double in_g = 0, in_si = 0;
  EXPECT_EQ(unit_after("g", "integrate", &in_g).text(), "m/s");
  unit_after("m/s^2", "integrate", &in_si);
  EXPECT_NEAR(in_g / in_si, 9.80665, 1e-9);
}

TEST(Integrate, SaysWhatIsWrong) {
  auto x = wave(1000, 20);
  EXPECT_THAT(chain_error("integrate 5", x), HasSubstr("at most 4"));
  EXPECT_THAT(chain_error("integrate from 600Hz", x), HasSubstr("not below half the rate"));
  x[500] = std::nan("");
  EXPECT_THAT(chain_error("integrate", x), HasSubstr("has gaps"));
  Road twice = road_over({wave(1000, 20)}, parse_chain("integrate 2"));
  collect(twice);
  EXPECT_EQ(twice.reports()[0].cautions.at(0).code, "drift-kept");
}

/// IEC 61672-1:2013, table 3: nominal frequency, A and C weighting in dB, and the limits of class 1.
struct Weighted {
  double exponent, a, c, plus, minus;
};
const std::vector<Weighted> standard = {
    {-20, -70.4, -14.3, 3.0, 1e9}, {-19, -63.4, -11.2, 2.5, 1e9}, {-18, -56.7, -8.5, 2.0, 4.0},
    {-17, -50.5, -6.2, 2.0, 2.0},  {-16, -44.7, -4.4, 2.0, 1.5},  {-15, -39.4, -3.0, 1.5, 1.5},
    {-14, -34.6, -2.0, 1.0, 1.0},  {-13, -30.2, -1.3, 1.0, 1.0},  {-12, -26.2, -0.8, 1.0, 1.0},
    {-11, -22.5, -0.5, 1.0, 1.0},  {-10, -19.1, -0.3, 1.0, 1.0},  {-9, -16.1, -0.2, 1.0, 1.0},
    {-8, -13.4, -0.1, 1.0, 1.0},   {-7, -10.9, 0.0, 1.0, 1.0},    {-6, -8.6, 0.0, 1.0, 1.0},
    {-5, -6.6, 0.0, 1.0, 1.0},     {-4, -4.8, 0.0, 1.0, 1.0},     {-3, -3.2, 0.0, 1.0, 1.0},
    {-2, -1.9, 0.0, 1.0, 1.0},     {-1, -0.8, 0.0, 1.0, 1.0},     {0, 0.0, 0.0, 0.7, 0.7},
    {1, 0.6, 0.0, 1.0, 1.0},       {2, 1.0, -0.1, 1.0, 1.0},      {3, 1.2, -0.2, 1.0, 1.0},
    {4, 1.3, -0.3, 1.0, 1.0},      {5, 1.2, -0.5, 1.0, 1.0},      {6, 1.0, -0.8, 1.0, 1.0},
    {7, 0.5, -1.3, 1.5, 1.5},      {8, -0.1, -2.0, 1.5, 2.5},     {9, -1.1, -3.0, 2.0, 3.0},
    {10, -2.5, -4.4, 2.0, 5.0},    {11, -4.3, -6.2, 2.0, 16.0},   {12, -6.6, -8.5, 3.0, 1e9},
    {13, -9.3, -11.2, 3.5, 1e9}};

TEST(Weight, FollowsTheStandardsTable) {
  for (const Weighted& row : standard) {
    const double hz = 1000 * std::pow(10, row.exponent / 10);
    // The table is rounded to a tenth.
    EXPECT_NEAR(20 * std::log10(weighting_gain('A', hz)), row.a, 0.051) << hz;
    EXPECT_NEAR(20 * std::log10(weighting_gain('C', hz)), row.c, 0.051) << hz;
    EXPECT_EQ(weighting_gain('Z', hz), 1);
  }
}

TEST(Weight, TheRunningFilterHoldsATenthOfTheClassOneLimits) {
  for (const double rate : {44100.0, 48000.0, 96000.0, 8000.0})
    for (const char letter : {'A', 'C'}) {
      const Chain chain = parse_chain(std::string("weight ") + letter);
      Recording recording;
      recording.channels = {{"p", Unit::parse("Pa"), "sound pressure"}};
      recording.axis.interval = 1 / rate;
      recording.samples = 1000;
      chain[0]->start(recording);
      EXPECT_EQ(recording.channels[0].quantity, std::string(1, letter) + "-weighted sound pressure");
      for (const Weighted& row : standard) {
        const double hz = 1000 * std::pow(10, row.exponent / 10);
        if (hz > 0.48 * rate) continue;
        const double gain = 20 * std::log10(std::abs(*chain[0]->response(hz)));
        const double ideal = 20 * std::log10(weighting_gain(letter, hz));
        EXPECT_LT(gain - ideal, row.plus / 10) << letter << " " << hz << " Hz at " << rate;
        EXPECT_GT(gain - ideal, -row.minus / 10) << letter << " " << hz << " Hz at " << rate;
      }
    }
}

TEST(Weight, RunsAsItSays) {
  const auto x = sampled(48000, [](double n) { return std::cos(2 * pi * n / 480); });  // 100 Hz at 48 kHz
  const auto y = through("weight A", x, 48000, 5000);
  EXPECT_NEAR(20 * std::log10(amplitude_at(y, 1.0 / 480, 24000, 48000)),
              20 * std::log10(weighting_gain('A', 100)), 0.02);
  EXPECT_EQ(through("weight Z", x, 48000, 5000), x);
}

TEST(Fade, IsARaisedCosineAtBothEnds) {
  const auto y = through("fade 100ms", std::vector<double>(1001, 2.0));
  for (std::size_t n = 0; n <= 1000; ++n) {
    const double near = static_cast<double>(std::min<std::size_t>(n, 1000 - n));
    const double expected = near >= 100 ? 2 : 2 * (0.5 - 0.5 * std::cos(pi * near / 100));
    ASSERT_NEAR(y[n], expected, 1e-12) << n;
  }
  EXPECT_THAT(chain_error("fade 1s", std::vector<double>(1000, 1.0)), HasSubstr("longer than the record"));
}

TEST(DetrendPolynomial, IsTheLeastSquaresOneWithAndWithoutGaps) {
  auto x = sampled(2000, [](double n) {
    const double u = n / 1000 - 1;
    return 4 + u - 3 * u * u + 2 * u * u * u * u * u;
  });
  for (const double v : through("detrend poly 5", x)) ASSERT_NEAR(v, 0, 1e-12);
  for (std::size_t n = 300; n < 900; ++n) x[n] = std::nan("");
  for (const double v : through("detrend poly 7", x)) ASSERT_NEAR(std::isnan(v) ? 0 : v, 0, 1e-9);
  // What is left of anything is orthogonal to 1, n, n^2, n^3.
  const auto y = through("detrend poly 3", wave(777, 3.3));
  for (int k = 0; k <= 3; ++k) {
    double sum = 0;
    for (std::size_t n = 0; n < y.size(); ++n) sum += y[n] * std::pow(static_cast<double>(n) / 777, k);
    EXPECT_NEAR(sum, 0, 1e-9);
  }
  EXPECT_THAT(chain_error("detrend poly 30", x), HasSubstr("at most 20"));
  EXPECT_THAT(chain_error("detrend cubic", x), HasSubstr("unknown trend"));
}

}  // namespace
}  // namespace vprism::calculus_test
