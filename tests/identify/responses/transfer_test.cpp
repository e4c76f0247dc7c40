// Frequency responses at any frequencies against closed forms.
#include "identify/responses/transfer.h"

#include <gmock/gmock.h>

#include <cmath>
#include <numbers>
#include <random>
#include <tuple>

namespace vprism::transfer_test {
namespace {

using Complex = std::complex<double>;
using std::numbers::pi;

template <typename Response>
TransferCurve swept(double from, double to, int a_decade, Response response) {
  TransferCurve out;
  const int count = static_cast<int>(std::round(std::log10(to / from) * a_decade));
  for (int k = 0; k <= count; ++k) {
    const double f = from * std::pow(10.0, static_cast<double>(k) / a_decade);
    out.hz.push_back(f), out.value.push_back(response(Complex(0, 2 * pi * f)));
  }
  return out;
}

/// Gain 1 at 0 Hz.
Complex second_order(Complex s, double hz, double damping) {
  const double w = 2 * pi * hz;
  return w * w / (s * s + 2 * damping * w * s + w * w);
}

TEST(Transfer, FirstOrderLowPassHasItsCornerAndItsPhase) {
  const auto low = [](Complex s) { return 5.0 / (1.0 + s / (2 * pi * 1234)); };
  const TransferCurve curve = swept(1, 1e6, 20, low);
  const TransferFeatures f = transfer_features(curve);
  EXPECT_STREQ(f.kind, "low pass");
  EXPECT_NEAR(*f.high_hz, 1234, 0.002 * 1234 * 0.1);
  EXPECT_FALSE(f.low_hz);
  const auto at = TransferBetween(curve).at(1234);
  EXPECT_NEAR(at->gain, 5 / std::sqrt(2.0), 1e-4);
  EXPECT_NEAR(at->phase_deg, -45, 1e-2);
  EXPECT_FALSE(TransferBetween(curve).at(0.5));
  // Gain 1 at sqrt(24) times the corner, where the phase is -atan(sqrt(24)).
  ASSERT_EQ(f.unity.size(), 1u);
  EXPECT_NEAR(f.unity[0].at.hz, std::sqrt(24.0) * 1234, 1);
  EXPECT_NEAR(*f.phase_margin_deg, 180 - std::atan(std::sqrt(24.0)) * 180 / pi, 1e-2);
  EXPECT_FALSE(f.gain_margin_db);
  EXPECT_TRUE(transfer_modes(curve, 1, 1e6).empty());
}

TEST(Transfer, MarginsOfALoopOfThirdOrder) {
  // 40 / ((1 + s/w1)(1 + s/w2)(1 + s/w3)) at 10, 300 and 2000 Hz.
  const auto loop = [](Complex s) {
    return 40.0 / ((1.0 + s / (2 * pi * 10)) * (1.0 + s / (2 * pi * 300)) * (1.0 + s / (2 * pi * 2000)));
  };
  const TransferFeatures f = transfer_features(swept(1, 1e5, 20, loop));
  // By bisection on the closed form.
  const auto solve = [](auto function, double low, double high) {
    for (int i = 0; i < 100; ++i) {
      const double middle = std::sqrt(low * high);
      (function(middle) > 0 ? low : high) = middle;
    }
    return low;
  };
  const auto phase = [](double hz) {
    return -(std::atan(hz / 10) + std::atan(hz / 300) + std::atan(hz / 2000)) * 180 / pi;
  };
  const auto gain = [&](double hz) { return std::abs(loop(Complex(0, 2 * pi * hz))); };
  const double unity = solve([&](double hz) { return gain(hz) - 1; }, 1, 1e5),
               turned = solve([&](double hz) { return phase(hz) + 180; }, 1, 1e5);
  EXPECT_NEAR(*f.phase_margin_at_hz, unity, 1e-3 * unity);
  EXPECT_NEAR(*f.phase_margin_deg, 180 + phase(unity), 0.02);
  EXPECT_NEAR(*f.gain_margin_at_hz, turned, 1e-3 * turned);
  EXPECT_NEAR(*f.gain_margin_db, -20 * std::log10(gain(turned)), 0.01);
}

TEST(Transfer, ResonancesAndTheirDampingsAreExactWhereThereIsNoNoise) {
  for (const int a_decade : {20, 50, 200})
    for (const double damping : {0.3, 0.1, 0.02, 0.005}) {
      const auto modes = transfer_modes(
          swept(10, 1e5, a_decade, [&](Complex s) { return second_order(s, 1592.3, damping); }), 10, 1e5);
      ASSERT_EQ(modes.size(), 1u) << a_decade << " " << damping;
      EXPECT_NEAR(modes[0].frequency_hz, 1592.3, 1e-3 * 1592.3) << a_decade << " " << damping;
      EXPECT_NEAR(modes[0].damping, damping, 0.01 * damping) << a_decade << " " << damping;
    }
}

TEST(Transfer, TwoModesBesideAFirstOrderLag) {
  const auto both = [](Complex s) {
    return (second_order(s, 400, 0.02) + 0.3 * second_order(s, 520, 0.03)) / (1.0 + s / (2 * pi * 300));
  };
  const auto modes = transfer_modes(swept(10, 1e4, 100, both), 10, 1e4);
  ASSERT_EQ(modes.size(), 2u);
  EXPECT_NEAR(modes[0].frequency_hz, 400, 0.1);
  EXPECT_NEAR(modes[0].damping, 0.02, 2e-4);
  EXPECT_NEAR(modes[1].frequency_hz, 520, std::min(0.3, 3 * modes[1].frequency_std_hz));
  EXPECT_NEAR(modes[1].damping, 0.03, 3e-4);
}

TEST(Transfer, UncertaintiesCoverInNoise) {
  std::mt19937 bits(3);
  std::normal_distribution<double> normal;
  int within = 0, far = 0, count = 0, found = 0;
  for (int n = 0; n < 16; ++n) {
    TransferCurve curve;
    for (int k = 0; k < 400; ++k) {
      const double f = 50 + 0.5 * k;
      curve.hz.push_back(f);
      curve.value.push_back(second_order(Complex(0, 2 * pi * f), 120, 0.02) +
                            0.1 * Complex(normal(bits), normal(bits)));
    }
    const auto modes = transfer_modes(curve, 50, 250);
    for (const TransferMode& m : modes) {
      ++found;
      if (std::abs(m.frequency_hz - 120) > 2) continue;
      ++count;
      const double off = std::abs(m.damping - 0.02) / m.damping_std;
      within += off<1, far += off> 3;
    }
  }
  EXPECT_EQ(count, 16);
  EXPECT_LE(found, 17);
  EXPECT_GE(within, 8);
  EXPECT_LE(far, 1);
}

TEST(Transfer, ACornerInNoiseIsReadFromTheSmoothedCurve) {
  // Second order with a damping of 0.35: -3 dB where 1 - 2 u (1 - 2 z^2) + u^2 = 2, u = (f / f0)^2.
  const double damping = 0.35, b = 1 - 2 * damping * damping,
               corner = 120 * std::sqrt(b + std::sqrt(b * b + 1));
  std::mt19937 bits(8);
  std::normal_distribution<double> normal;
  int one = 0, three = 0;
  for (int run = 0; run < 40; ++run) {
    const double scatter = 0.003 * std::pow(10.0, run / 39.0);
    TransferCurve curve = swept(1, 3000, 60, [&](Complex s) {
      return second_order(s, 120, damping) * (1.0 + scatter * Complex(normal(bits), normal(bits)));
    });
    curve.error = scatter_of(curve);
    const TransferFeatures f = transfer_features(curve);
    EXPECT_STREQ(f.kind, "low pass");
    ASSERT_TRUE(f.high_hz);
    one += std::abs(*f.high_hz - corner) < f.high_std_hz;
    three += std::abs(*f.high_hz - corner) < 3 * f.high_std_hz;
    EXPECT_LT(f.high_std_hz, 2 * scatter * corner);
  }
  EXPECT_GE(one, 20);
  EXPECT_GE(three, 39);
}

TEST(Transfer, AFlatPassBandOfGainOneCrossesItNowhere) {
  std::mt19937 bits(4);
  std::normal_distribution<double> normal;
  const auto scattered = [&](double gain) {
    TransferCurve curve = swept(1, 1e4, 50, [&](Complex s) {
      return gain / (1.0 + s / (2 * pi * 300)) * (1.0 + 0.02 * Complex(normal(bits), normal(bits)));
    });
    curve.error = scatter_of(curve);
    return transfer_features(curve);
  };
  EXPECT_TRUE(scattered(1).unity.empty());
  EXPECT_FALSE(scattered(1).phase_margin_deg);
  // Gain 10 comes down to 1 at sqrt(99) times the corner.
  const TransferFeatures f = scattered(10);
  ASSERT_EQ(f.unity.size(), 1u);
  EXPECT_NEAR(f.unity[0].at.hz, 300 * std::sqrt(99.0), 4 * f.unity[0].at.hz_std);
  EXPECT_NEAR(*f.phase_margin_deg, 180 - std::atan(std::sqrt(99.0)) * 180 / pi, 4 * f.phase_margin_std_deg);
}

TEST(Transfer, RandomInputGivesTheMeanSquareOfTheBook) {
  // Second order under white noise: pi f0 S / (4 damping), all of the band.
  const auto curve = swept(1, 1e6, 60, [](Complex s) { return second_order(s, 500, 0.05); });
  EXPECT_NEAR(random_output(curve, 2e-3, 0, 1e9) / (pi * 500 * 2e-3 / (4 * 0.05)), 1, 0.004);
}

TEST(Transfer, PhasesAreUnwrappedAndTheLargestStepIsKnown) {
  const auto late = [](Complex s) { return std::exp(-s * 3e-3); };
  TransferCurve curve;
  for (int k = 0; k < 200; ++k)
    curve.hz.push_back(10.0 * k), curve.value.push_back(late(Complex(0, 2 * pi * 10 * k)));
  const UnwrappedPhase phase = unwrapped_phase(curve);
  EXPECT_NEAR(phase.degrees.back(), -360 * 1990 * 3e-3, 1e-6);
  EXPECT_NEAR(phase.largest_step, 10.8, 1e-6);
}

/// A resonance swept around, with magnitudes and degrees printed to so many digits, as analysers write it.
TransferCurve printed(double f0, double q, int digits, int points) {
  TransferCurve out;
  for (int k = 0; k < points; ++k) {
    const double f = 1e9 * (1 + 2.0 * k / (points - 1)), unit = std::pow(10.0, digits);
    const Complex h = 1.0 / Complex(1, 2 * q * (f - f0) / f0);
    const double size = std::round(unit * std::abs(h)) / unit,
                 degrees = std::round(unit / 10 * std::arg(h) * 180 / pi) / (unit / 10);
    out.hz.push_back(f), out.value.push_back(std::polar(size, degrees * pi / 180));
  }
  return out;
}

TEST(Transfer, PrintedDigitsBoundWhatIsKnown) {
  const TransferCurve curve = printed(1.8e9, 22, 2, 119);
  const std::vector<double> rounding = rounding_of(curve);
  for (std::size_t k = 0; k < curve.hz.size(); ++k) {
    const double by_size = 0.01 / std::sqrt(12.0) / std::abs(curve.value[k]),
                 by_angle = 0.1 * pi / 180 / std::sqrt(12.0);
    EXPECT_NEAR(rounding[k], std::max(by_size, by_angle), 1e-9);
  }
  // Readings lie within three of their uncertainties, also where neighbours were printed alike.
  TransferCurve known = curve;
  known.error = scatter_of(curve);
  const TransferBetween between(known);
  for (double hz = 1.05e9; hz < 2.95e9; hz += 0.037e9) {
    const auto reading = between.at(hz);
    ASSERT_TRUE(reading);
    const double truth = std::abs(1.0 / Complex(1, 44 * (hz - 1.8e9) / 1.8e9));
    EXPECT_NEAR(reading->gain, truth, 3 * reading->gain_std + 0.02 * truth) << hz;
  }
  // Numbers with all their digits lose nothing.
  const TransferCurve full = swept(1, 1e3, 20, [](Complex s) { return second_order(s, 30, 0.05); });
  for (const double r : rounding_of(full)) EXPECT_EQ(r, 0);
}

TEST(Transfer, AResonanceSweptAroundIsABandNotALowPass) {
  for (const auto& [f0, q, digits, points] : {std::tuple{1.737e9, 33.0, 2, 97},
                                              {2.0467e9, 37.2, 2, 49},
                                              {1.6e9, 8.0, 3, 151},
                                              {2.4e9, 20.0, 4, 60}}) {
    TransferCurve curve = printed(f0, q, digits, points);
    curve.error = scatter_of(curve);
    const TransferFeatures found = transfer_features(curve);
    EXPECT_STREQ(found.kind, "band pass") << f0;
    ASSERT_TRUE(found.low_hz && found.high_hz) << f0;
    // |H| = 1/sqrt(2) at f0 (1 +- 1/2Q).
    const double slack = 2e9 / (points - 1) / 4;
    EXPECT_NEAR(*found.high_hz, f0 * (1 + 0.5 / q), slack);
    EXPECT_NEAR(*found.low_hz, f0 * (1 - 0.5 / q), slack);
  }
  // From far below, a resonance on a plateau is a low pass, however high it stands.
  TransferCurve plateau = swept(1, 1e3, 40, [](Complex s) { return second_order(s, 100, 0.015); });
  plateau.error = scatter_of(plateau);
  EXPECT_STREQ(transfer_features(plateau).kind, "low pass");
}

}  // namespace
}  // namespace vprism::transfer_test
