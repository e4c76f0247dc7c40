// Windows: figures against the published ones, the transform against the sum it stands for.
#include "transform/windows/window.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/error.h"

namespace vprism::window_test {
namespace {

struct Published {
  const char* window;
  double enbw, scalloping_db, sidelobe_db, gain;
};

class WindowFigure : public ::testing::TestWithParam<Published> {};

// Harris, Proc. IEEE 66 (1978), table 1: rectangular, Hanning (alpha 2), Hamming, minimum 4-sample
// Blackman-Harris, Kaiser-Bessel alpha 3 (beta = 3 pi). Flat-top: Heinzel, Ruediger & Schilling (2002),
// appendix, ISO 18431-2 window (ENBW 3.7702, flatness -0.0096 dB, highest side lobe -93.0 dB).
TEST_P(WindowFigure, AgreesWithThePublishedOne) {
  const Published& p = GetParam();
  const WindowFigures figures = window_figures(parse_window(p.window));
  EXPECT_NEAR(figures.enbw_bins, p.enbw, 0.006 * p.enbw);
  EXPECT_NEAR(figures.scalloping_db, p.scalloping_db, 0.011);
  EXPECT_NEAR(figures.sidelobe_db, p.sidelobe_db, 0.7);
  EXPECT_NEAR(figures.coherent_gain, p.gain, 0.005);
}

INSTANTIATE_TEST_SUITE_P(Harris, WindowFigure,
                         ::testing::Values(Published{"rectangular", 1.00, -3.92, -13.3, 1.00},
                                           Published{"hann", 1.50, -1.42, -31.5, 0.50},
                                           Published{"hamming", 1.36, -1.75, -43, 0.54},
                                           Published{"blackman-harris", 2.00, -0.83, -92, 0.36},
                                           Published{"kaiser(9.42477796)", 1.80, -1.02, -69, 0.40},
                                           Published{"bartlett", 1.33, -1.82, -26.5, 0.50},
                                           Published{"blackman", 1.73, -1.10, -58, 0.42},
                                           Published{"tukey(0.5)", 1.22, -2.24, -15, 0.75},
                                           Published{"nuttall", 1.9761, -0.8506, -98.1, 0.3636},
                                           Published{"flat-top-narrow", 3.4129, -0.0065, -70.4, 0.2402},
                                           Published{"flat-top", 3.7702, -0.0096, -93.0, 0.2156}));

TEST(WindowFigures, OfAGaussianFollowFromItsIntegrals) {
  for (const double a : {2.5, 3.0, 3.5}) {
    const WindowFigures figures = window_figures({WindowKind::gaussian, a});
    const double gain = std::sqrt(std::numbers::pi / 2) / a * std::erf(a / std::sqrt(2));
    const double square = std::sqrt(std::numbers::pi) / (2 * a) * std::erf(a);
    EXPECT_NEAR(figures.coherent_gain, gain, 1e-5);
    EXPECT_NEAR(figures.enbw_bins, square / (gain * gain), 1e-4);
  }
}

TEST(WindowFigures, SideLobesFallAsHarrisTellsOrAsTheEndsMakeThem) {
  // A window whose k-th derivative is the first that jumps at its ends falls by 6 (k + 1) dB an octave.
  for (const auto& [name, rolloff] : {std::pair{"rectangular", -6.0},
                                      {"bartlett", -12.0},
                                      {"hann", -18.0},
                                      {"hamming", -6.0},
                                      {"blackman", -18.0},
                                      {"tukey(0.5)", -18.0}})
    EXPECT_NEAR(window_figures(parse_window(name)).rolloff_db, rolloff, 0.8) << name;
}

class AllWindows : public ::testing::TestWithParam<const char*> {};

TEST_P(AllWindows, ArePeriodicWithTheirPeakInTheMiddle) {
  const Window window = parse_window(GetParam());
  const std::vector<double> w = make_window(window, 64);
  EXPECT_NEAR(w[32], 1, 1e-8);  // Coefficients are published with eight digits.
  for (std::size_t n = 1; n < 64; ++n) EXPECT_NEAR(w[n], w[64 - n], 1e-12);
}

TEST_P(AllWindows, TransformIsTheSumItStandsFor) {
  const Window window = parse_window(GetParam());
  for (const std::size_t size : {64u, 101u}) {
    const bool sampled = window.kind == WindowKind::kaiser || window.kind == WindowKind::bartlett ||
                         window.kind == WindowKind::tukey || window.kind == WindowKind::gaussian;
    if (size == 101 && sampled) continue;  // Thinned to an even size.
    const std::vector<double> w = make_window(window, size);
    const WindowTransform transform(window, size);
    double gain = 0;
    for (const double v : w) gain += v;
    for (const double d : {0.0, 0.3, 0.5, 1.0, 1.7, 4.25, -2.6, 30.5}) {
      std::complex<double> sum = 0;
      const auto n_all = static_cast<double>(size);
      for (std::size_t n = 0; n < size; ++n)
        sum +=
            w[n] * std::polar(1.0, -2 * std::numbers::pi * d * (static_cast<double>(n) - n_all / 2) / n_all);
      EXPECT_NEAR(transform(d), sum.real() / gain, 1e-12) << GetParam() << " " << size << " " << d;
      const double slope = (transform(d + 1e-5) - transform(d - 1e-5)) / 2e-5;
      EXPECT_NEAR(transform.evaluate(d).slope, slope, 1e-6) << GetParam() << " " << size << " " << d;
    }
  }
}

TEST_P(AllWindows, ARunOfBinsIsEachByItself) {
  for (const std::size_t size : {64u, 1000u, 16384u}) {
    const WindowTransform transform(parse_window(GetParam()), size);
    // Over the main lobes at 0 and at N, from whole bins and between.
    for (const double first : {-0.5 * static_cast<double>(size), -40.0, -0.3, 5.0, 6.25,
                               0.9 * static_cast<double>(size) + 0.123}) {
      std::vector<double> run(700);
      transform.run(first, run.size(), run.data());
      for (std::size_t k = 0; k < run.size(); ++k)
        ASSERT_NEAR(run[k], transform(first + static_cast<double>(k)), 1e-12)
            << size << " " << first << " " << k;
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Table, AllWindows,
                         ::testing::Values("rectangular", "hann", "hamming", "blackman-harris", "flat-top",
                                           "flat-top-narrow", "nuttall", "blackman", "bartlett", "tukey",
                                           "tukey(1)", "gaussian", "kaiser", "kaiser(4)"));

TEST(ParseWindow, KeepsTheParameterAndRefusesNonsense) {
  EXPECT_DOUBLE_EQ(parse_window("kaiser(12)").parameter, 12);
  EXPECT_EQ(parse_window("kaiser(12)").name(), "kaiser(12)");
  for (const char* text : {"hanning", "hann(2)", "kaiser(", "kaiser(x)", "kaiser(-1)", "kaiser(99)", ""})
    EXPECT_THROW(parse_window(text), Error) << text;
}

TEST(Exponential, FiguresAreThoseOfItsIntegrals) {
  // exp(-d u), u = 0 .. 1, d = ln 100: mean (1 - e^-d) / d, mean square (1 - e^-2d) / 2d.
  const double d = std::log(100.0), mean = (1 - std::exp(-d)) / d, square = (1 - std::exp(-2 * d)) / (2 * d);
  const Window window = parse_window("exponential(1)");
  const WindowFigures figures = window_figures(window);
  EXPECT_NEAR(figures.coherent_gain, mean, 1e-3);
  EXPECT_NEAR(figures.enbw_bins, square / (mean * mean), 2e-3);
  EXPECT_TRUE(std::isnan(figures.sidelobe_db));
  const auto w = make_window(window, 1000);
  EXPECT_EQ(w[0], 1);
  EXPECT_NEAR(w[500], 0.1, 1e-12);
}

TEST(Exponential, TransformIsThatOfItsSamples) {
  const Window window = parse_window("exponential(2)");
  constexpr std::size_t size = 400;
  const auto w = make_window(window, size);
  const WindowTransform transform(window, size);
  double all = 0;
  for (const double x : w) all += x;
  EXPECT_FALSE(transform.symmetric());
  for (const double d : {0.0, 0.3, 1.0, 2.7, 40.2}) {
    std::complex<double> sum;
    for (std::size_t n = 0; n < size; ++n)
      sum += w[n] / all * std::polar(1.0, -2 * std::numbers::pi * d * (static_cast<double>(n) / size - 0.5));
    EXPECT_NEAR(transform(d), std::abs(sum), 1e-12) << d;
    EXPECT_NEAR(std::remainder(transform.angle(d) - std::arg(sum), 2 * std::numbers::pi), 0, 1e-9) << d;
    if (d > 0) {
      EXPECT_NEAR(transform.evaluate(d).slope, (transform(d + 1e-4) - transform(d - 1e-4)) / 2e-4, 1e-5);
    }
  }
}

TEST(Slepian, IsSymmetricAndKeepsItsEnergyTogether) {
  const auto w = make_window(parse_window("slepian(3)"), 256);
  EXPECT_EQ(*std::max_element(w.begin(), w.end()), 1);
  for (std::size_t n = 1; n < 256; ++n) EXPECT_NEAR(w[n], w[256 - n], 1e-9);
  // The wider the bandwidth, the wider the lobe and the lower the side lobes.
  const WindowFigures narrow = window_figures(parse_window("slepian(2)")),
                      wide = window_figures(parse_window("slepian(5)"));
  EXPECT_LT(narrow.enbw_bins, wide.enbw_bins);
  EXPECT_GT(narrow.sidelobe_db, wide.sidelobe_db + 40);
}

TEST(WindowParts, AndSumsAreThoseOfTheWhole) {
  for (const char* name : {"hann", "flat-top", "kaiser(9)", "tukey(0.3)", "exponential(5)", "bartlett"}) {
    const Window window = parse_window(name);
    const auto whole = make_window(window, 100003);
    std::vector<double> part(777);
    make_window_part(window, 100003, 50001, part.size(), part.data());
    double sum = 0, square = 0;
    for (const double x : whole) sum += x, square += x * x;
    for (std::size_t n = 0; n < part.size(); ++n) EXPECT_NEAR(part[n], whole[50001 + n], 1e-13) << name;
    const auto [listed, stated_square] = window_sums(window, 100003);
    EXPECT_NEAR(listed, sum, 1e-8 * sum) << name;
    EXPECT_NEAR(stated_square, square, 1e-8 * square) << name;
  }
}

/// Hann: neighbours correlate by 2/3 and 1/6; the rectangular window's bins are independent.
TEST(Window, BinsAlikeAreTheSumOfSquaredCorrelations) {
  EXPECT_NEAR(bins_alike(parse_window("rectangular")), 1, 1e-9);
  EXPECT_NEAR(bins_alike(parse_window("hann")), 1 + 2 * (4.0 / 9 + 1.0 / 36), 1e-6);
}

}  // namespace
}  // namespace vprism::window_test
