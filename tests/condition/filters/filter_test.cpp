// Filters against their closed forms: designs, runs, ends, gaps.
#include <gmock/gmock.h>

#include <numbers>

#include "base/dot.h"
#include "condition/filters/filter_design.h"
#include "condition/filters/fir.h"
#include "condition/road_over.h"

namespace vprism::filter_test {
namespace {

using std::numbers::pi;
using ::testing::HasSubstr;

double chebyshev_polynomial(int n, double x) {
  return x <= 1 ? std::cos(n * std::acos(x)) : std::cosh(n * std::acosh(x));
}

/// |H|^2 of the analogue prototype at frequency w, -3 dB at 1.
double prototype_power(FilterKind kind, int n, double ripple_db, double w) {
  w = std::abs(w);
  if (kind == FilterKind::butterworth) return 1 / (1 + std::pow(w, 2 * n));
  if (kind == FilterKind::chebyshev) {
    const double e2 = std::pow(10, ripple_db / 10) - 1, edge = std::cosh(std::acosh(1 / std::sqrt(e2)) / n);
    const double t = chebyshev_polynomial(n, w * edge);
    // Of even order the ripple is taken at 0, of odd order the gain there is 1: 1 / (1 + e^2 T^2) for both.
    return 1 / (1 + e2 * t * t);
  }
  // Bessel of second order: 3 / (s^2 + 3 s + 3), at -3 dB where w^4 + 3 w^2 - 9 = 0.
  const double edge = std::sqrt((-3 + std::sqrt(45.0)) / 2), v = w * edge;
  return 9 / ((3 - v * v) * (3 - v * v) + 9 * v * v);
}

TEST(FilterDesign, FollowsTheClosedFormsTo1e9) {
  for (const FilterKind kind : {FilterKind::butterworth, FilterKind::chebyshev, FilterKind::bessel})
    for (const int order : kind == FilterKind::bessel ? std::vector{2} : std::vector{1, 2, 3, 4, 5, 8, 11})
      for (const FilterBand band :
           {FilterBand::lowpass, FilterBand::highpass, FilterBand::bandpass, FilterBand::bandstop}) {
        FilterDesign design{kind, band, order, 0, 0, 0.5};
        if (band != FilterBand::lowpass) design.low = 0.05;
        if (band != FilterBand::highpass) design.high = 0.12;
        const auto sections = design.sections();
        const double w1 = std::tan(pi * design.low), w2 = std::tan(pi * design.high);
        for (double f = 0.001; f < 0.5; f += 0.0037) {
          const double w = std::tan(pi * f);
          const double to = band == FilterBand::lowpass    ? w / w2
                            : band == FilterBand::highpass ? w1 / w
                            : band == FilterBand::bandpass ? (w * w - w1 * w2) / (w * (w2 - w1))
                                                           : w * (w2 - w1) / (w * w - w1 * w2);
          const double expected = prototype_power(kind, order, 0.5, to);
          EXPECT_NEAR(std::norm(response(sections, f)), expected, 1e-9) << order << " at " << f;
          EXPECT_NEAR(std::norm(design.ideal(f)), expected, 1e-9) << order << " at " << f;
        }
        EXPECT_LT(largest_pole(sections), 1);
      }
}

TEST(FilterDesign, BesselsOfAllOrdersAreFlatInDelay) {
  // The reverse Bessel polynomial of order n gives a delay that is flat at 0 to 2 n derivatives: at a tenth
  // of the edge a filter of order 4 and more has the delay of 0 to 1e-6.
  for (int order = 3; order <= 12; ++order) {
    const auto poles = prototype_poles(FilterKind::bessel, order, 0);
    ASSERT_EQ(poles.size(), static_cast<std::size_t>(order));
    const auto delay = [&](double w) {
      double sum = 0;
      for (const auto& p : poles) sum += -p.real() / (p.real() * p.real() + (w - p.imag()) * (w - p.imag()));
      return sum;
    };
    const auto power = [&](double w) {
      double out = 1;
      for (const auto& p : poles) out *= std::norm(p) / std::norm(std::complex<double>(0, w) - p);
      return out;
    };
    EXPECT_NEAR(power(1), 0.5, 1e-12);
    EXPECT_NEAR(delay(0.1) / delay(0), 1, order == 3 ? 1e-4 : 1e-6) << order;
  }
}

TEST(FilterDesign, RefusesWhatDoublePrecisionCanNotHold) {
  FilterDesign design{FilterKind::butterworth, FilterBand::lowpass, 8, 0, 1e-7, 0.5};
  try {
    design.sections();
    FAIL();
  } catch (const Error& error) {
    EXPECT_THAT(error.what(), HasSubstr("numerically unsound"));
    EXPECT_THAT(error.what(), HasSubstr("decimate first"));
  }
  design.high = 1e-4;
  EXPECT_NO_THROW(design.sections());
}

TEST(FilterDesign, NotchIsAsWideAsAsked) {
  const std::vector<Section> notch = {notch_section(0.05, 0.05 / 30)};
  EXPECT_NEAR(std::abs(response(notch, 0.05)), 0, 1e-12);
  EXPECT_NEAR(std::abs(response(notch, 0)), 1, 1e-12);
  EXPECT_NEAR(std::abs(response(notch, 0.5)), 1, 1e-12);
  // The two half-power points, sought numerically, are one width apart.
  const auto half_power = [&](double inside, double outside) {
    for (int step = 0; step < 100; ++step) {
      const double middle = (inside + outside) / 2;
      (std::norm(response(notch, middle)) < 0.5 ? inside : outside) = middle;
    }
    return inside;
  };
  EXPECT_NEAR(half_power(0.05, 0.4) - half_power(0.05, 0.001), 0.05 / 30, 1e-12);
}

TEST(Filter, CausalRunGivesTheDesignedGain) {
  const auto x = sampled(20000, [](double n) { return 3 + std::sin(2 * pi * 0.02 * n); });
  const auto y = through("lowpass 15Hz order 4", x);
  const double gain =
      std::abs(FilterDesign{FilterKind::butterworth, FilterBand::lowpass, 4, 0, 0.015, 0}.ideal(0.02));
  EXPECT_NEAR(amplitude_at(y, 0.02, 10000, 20000), gain, 1e-9);
  EXPECT_NEAR(y[0], y[10000], 0.01);  // 200 periods later: begun on the signal's own course.
}

TEST(Filter, ZeroPhaseSquaresTheGainAndShiftsNothing) {
  const auto x = sampled(4000, [](double n) { return std::cos(2 * pi * 0.01 * (n - 2000)); });
  const auto y = through("lowpass 20Hz zero-phase", x);
  const double gain =
      std::norm(FilterDesign{FilterKind::butterworth, FilterBand::lowpass, 4, 0, 0.02, 0}.ideal(0.01));
  for (std::size_t n = 1000; n < 3000; ++n) ASSERT_NEAR(y[n], gain * x[n], 1e-9) << n;
}

TEST(Filter, ZeroPhaseKeepsALineToItsEnds) {
  // Longer than the filter's memory (1e-12 after some two thousand samples), so that nothing of its start is
  // left at the first sample.
  const auto x = sampled(5000, [](double n) { return 2 - 0.3 * n; });
  const auto y = through("lowpass 5Hz order 2 zero-phase", x);
  for (std::size_t n = 0; n < x.size(); ++n) ASSERT_NEAR(y[n], x[n], 1e-7) << n;
}

TEST(Filter, ZeroPhaseInStretchesIsTheSameAsInOne) {
  // Long enough for several stretches of 65,536; the reference runs the sections both ways over the whole.
  std::uint64_t dice = 1;
  const auto x = sampled(300000, [&](double) {
    dice = dice * 6364136223846793005ull + 1442695040888963407ull;
    return static_cast<double>(dice >> 11) / 9007199254740992.0 - 0.5;
  });
  const auto y = through("bandpass 20Hz..40Hz order 2 zero-phase", x, 1000, 50000);
  const auto sections =
      FilterDesign{FilterKind::butterworth, FilterBand::bandpass, 2, 0.02, 0.04, 0}.sections();
  std::vector<double> z = x;
  for (int way = 0; way < 2; ++way) {
    for (const Section& s : sections) {
      double one = 0, two = 0;
      for (double& v : z) {
        const double out = s.b0 * v + one;
        one = s.b1 * v - s.a1 * out + two;
        two = s.b2 * v - s.a2 * out;
        v = out;
      }
    }
    std::reverse(z.begin(), z.end());
  }
  for (std::size_t n = 5000; n < x.size() - 5000; ++n) ASSERT_NEAR(y[n], z[n], 1e-10) << n;
}

TEST(Filter, FirPassesAndStopsWithoutDelay) {
  const auto x =
      sampled(8000, [](double n) { return std::cos(2 * pi * 0.02 * n) + std::cos(2 * pi * 0.2 * n); });
  for (const char* chain : {"lowpass 100Hz kind fir", "lowpass 100Hz kind fir order 90"}) {
    const auto y = through(chain, x);
    for (std::size_t n = 200; n < 7800; ++n)
      ASSERT_NEAR(y[n], std::cos(2 * pi * 0.02 * static_cast<double>(n)), 3e-4) << chain << n;
  }
  const auto high = through("highpass 100Hz kind fir", x);
  EXPECT_NEAR(amplitude_at(high, 0.2, 1000, 7000), 1, 3e-4);
  EXPECT_LT(amplitude_at(high, 0.02, 1000, 7000), 3e-4);
}

TEST(Filter, TransformedAndDirectFirAgree) {
  std::vector<double> taps = lowpass_taps(0.03, 401, 70);
  std::uint64_t dice = 5;
  auto x = sampled(30000, [&](double) {
    dice = dice * 6364136223846793005ull + 1442695040888963407ull;
    return static_cast<double>(dice >> 11) / 9007199254740992.0;
  });
  x[20000] = std::nan("");
  const auto run = [&](std::size_t block) {
    const auto worker = make_centred_fir(taps);
    std::vector<double> y;
    for (std::size_t at = 0; at < x.size(); at += block)
      worker->add(std::span(x).subspan(at, std::min(block, x.size() - at)), y);
    worker->finish(y);
    return y;
  };
  const auto y = run(977);
  ASSERT_EQ(y.size(), x.size());
  for (std::size_t n = 200; n + 200 < x.size(); ++n) {
    if (n >= 19800 && n <= 20200) {
      ASSERT_TRUE(std::isnan(y[n])) << n;  // Missing where any of the taps meets the gap.
      continue;
    }
    ASSERT_NEAR(y[n], dot(taps.data(), x.data() + n - 200, 401), 1e-12) << n;
  }
}

TEST(Filter, StartsAnewAfterAGap) {
  auto x = sampled(4000, [](double n) { return n < 2000 ? 1.0 : 5.0; });
  for (std::size_t n = 1990; n < 2010; ++n) x[n] = std::nan("");
  for (const char* chain : {"lowpass 5Hz", "lowpass 5Hz zero-phase", "notch 50Hz"}) {
    const auto y = through(chain, x);
    EXPECT_NEAR(y[1989], 1, 1e-9) << chain;
    EXPECT_TRUE(std::isnan(y[2000])) << chain;
    EXPECT_NEAR(y[2010], 5, 1e-9) << chain;
  }
}

TEST(Filter, NotchTakesTheMultiplesAsWell) {
  const auto x = sampled(20000, [](double n) {
    return std::sin(2 * pi * 0.05 * n) + std::sin(2 * pi * 0.1 * n) + std::sin(2 * pi * 0.15 * n) +
           std::sin(2 * pi * 0.07 * n);
  });
  const auto y = through("notch 50Hz harmonics 2 q 20", x);
  EXPECT_LT(amplitude_at(y, 0.05, 10000, 20000), 1e-9);
  EXPECT_LT(amplitude_at(y, 0.1, 10000, 20000), 1e-9);
  EXPECT_NEAR(amplitude_at(y, 0.15, 10000, 20000), 1, 0.01);
  EXPECT_NEAR(amplitude_at(y, 0.07, 10000, 20000), 1, 0.01);
}

TEST(Filter, SaysWhatIsWrong) {
  const std::vector<double> x(1000, 1.0);
  EXPECT_THAT(chain_error("lowpass 500Hz", x), HasSubstr("is not below half the rate, 500 Hz"));
  EXPECT_THAT(chain_error("lowpass 100uHz order 8", x), HasSubstr("numerically unsound"));
  EXPECT_THAT(chain_error("lowpass 15Hz ordr 4", x), HasSubstr("did you mean \"order\""));
  EXPECT_THAT(chain_error("lowpass 15Hz kind buterworth", x), HasSubstr("did you mean \"butterworth\""));
  EXPECT_THAT(chain_error("lowpass 15Hz order", x), HasSubstr("needs a value behind it"));
  EXPECT_THAT(chain_error("lowpass 15Hz ripple 1dB", x), HasSubstr("for kind chebyshev only"));
  EXPECT_THAT(chain_error("bandpass 15Hz..", x), HasSubstr("both edges are needed"));
  EXPECT_THAT(chain_error("lowpass 15Hz kind fir zero-phase", x), HasSubstr("no phase anyway"));
  EXPECT_THAT(chain_error("notch 600Hz", x), HasSubstr("is not below half the rate"));
}

}  // namespace
}  // namespace vprism::filter_test
