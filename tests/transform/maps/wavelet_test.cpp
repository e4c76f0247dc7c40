// Wavelets by their closed forms: peaks, spreads, integrals.
#include "transform/maps/wavelet.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "base/error.h"

namespace vprism::wavelet_test {
namespace {

using std::numbers::pi;

TEST(Wavelet, PeaksAreTwoAtOne) {
  for (const char* name : {"morse(3,20)", "morse(3,6)", "morse(1,4)", "morlet(6)", "morlet(12)", "paul(4)"}) {
    const Wavelet w = parse_wavelet(name);
    EXPECT_NEAR(w.at(1), 2, 1e-12) << name;
    EXPECT_LT(w.at(0.99), 2) << name;
    EXPECT_LT(w.at(1.01), 2) << name;
    EXPECT_EQ(w.at(0), w.kind == WaveletKind::morlet ? w.at(0) : 0) << name;
    EXPECT_EQ(w.at(-1), 0) << name;
    EXPECT_EQ(w.name(), name);
  }
}

TEST(Wavelet, PaulIsTheMorseWaveletOfOneAndM) {
  const Wavelet paul = parse_wavelet("paul(4)"), morse = parse_wavelet("morse(1,4)");
  for (const double u : {0.1, 0.5, 0.9, 1.3, 2.5, 4.0}) EXPECT_NEAR(paul.at(u), morse.at(u), 1e-12);
}

/// With 2 u^b exp((b/g) (1 - u^g)) = 2 e^(b/g) u^b exp(-(b/g) u^g), x = (b/g) u^g:
/// integral of psi / u = (2 e^(b/g) / g) (g/b)^(b/g) Gamma(b/g).
TEST(Wavelet, TheIntegralOfTheInverseIsAGammaFunction) {
  struct Case {
    double g, b;
    const char* name;
  };
  for (const Case& c : {Case{3, 20, "morse(3,20)"}, {3, 6, "morse(3,6)"}, {1, 4, "paul(4)"}}) {
    const double r = c.b / c.g;
    const double expected = 2 / c.g * std::exp(r + r * std::log(1 / r) + std::lgamma(r));
    EXPECT_NEAR(wavelet_figures(parse_wavelet(c.name)).integral / expected, 1, 1e-4) << c.name;
  }
}

TEST(Wavelet, MorletIsABellOfTheLeastProductOfSpreads) {
  const WaveletFigures f = wavelet_figures(parse_wavelet("morlet(8)"));
  // Energy exp(-w0^2 (u - 1)^2): spread 1 / (w0 sqrt 2); over time in periods w0 / (2 pi sqrt 2).
  EXPECT_NEAR(f.spread, 1 / (8 * std::sqrt(2.0)), 1e-5);
  EXPECT_NEAR(f.time_spread, 8 / (2 * pi * std::sqrt(2.0)), 1e-4);
  EXPECT_NEAR(f.spread * f.time_spread * 2 * pi, 0.5, 1e-4);
  // At half height: 2 sqrt(2 ln 2) / w0, and of the envelope w0 sqrt(2 ln 2) / pi.
  EXPECT_NEAR(f.width, 2 * std::sqrt(2 * std::log(2.0)) / 8, 1e-4);
  EXPECT_NEAR(f.duration, 8 * std::sqrt(2 * std::log(2.0)) / pi, 1e-3);
}

TEST(Wavelet, AllOthersHaveALargerProduct) {
  for (const char* name : {"morse(3,20)", "morse(3,6)", "morse(9,10)", "paul(4)", "paul(10)"}) {
    const WaveletFigures f = wavelet_figures(parse_wavelet(name));
    EXPECT_GT(f.spread * f.time_spread * 2 * pi, 0.5) << name;
    EXPECT_LT(f.spread * f.time_spread * 2 * pi, 0.8) << name;
    EXPECT_LT(f.low, 1) << name;
    EXPECT_GT(f.high, 1) << name;
    EXPECT_GT(f.reach, f.edge) << name;
  }
}

TEST(Wavelet, MoreOscillationsAreNarrowerAndLonger) {
  const WaveletFigures few = wavelet_figures(parse_wavelet("morse(3,6)")),
                       many = wavelet_figures(parse_wavelet("morse(3,60)"));
  EXPECT_LT(many.width, few.width);
  EXPECT_GT(many.duration, few.duration);
  EXPECT_GT(many.edge, few.edge);
}

TEST(Wavelet, WrongNamesAreToldWithTheNearest) {
  const auto error = [](const char* text) -> std::string {
    try {
      parse_wavelet(text);
    } catch (const Error& e) {
      return e.what();
    }
    return "none";
  };
  EXPECT_THAT(error("morlett"), ::testing::HasSubstr("did you mean \"morlet\""));
  EXPECT_NE(error("morse(3,20,4)"), "none");
  EXPECT_NE(error("paul(-1)"), "none");
  EXPECT_NE(error("morse(x)"), "none");
}

}  // namespace
}  // namespace vprism::wavelet_test
