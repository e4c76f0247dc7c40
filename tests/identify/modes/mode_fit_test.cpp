// Modes of chains of equal masses between two walls, whose frequencies and shapes are known in closed form:
//   w_j = 2 w0 sin(j pi / 2 (n + 1)), shape_pj = sqrt(2 / (n + 1)) sin(p j pi / (n + 1)),
//   H_pq = sum_j shape_pj shape_qj / (w_j^2 - w^2 + 2 i d_j w_j w).
#include "identify/modes/mode_fit.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

namespace vprism::mode_fit_test {
namespace {

using Complex = std::complex<double>;
using std::numbers::pi;

struct TrueMode {
  double hz, damping;
  std::vector<double> constant;  ///< shape_pj shape_qj of each curve.
};

std::vector<TrueMode> chain(std::size_t masses, double hz, const std::vector<double>& damping) {
  std::vector<TrueMode> out;
  const auto n = static_cast<double>(masses);
  for (std::size_t j = 1; j <= masses; ++j) {
    TrueMode mode{2 * hz * std::sin(static_cast<double>(j) * pi / (2 * (n + 1))), damping[j - 1], {}};
    for (std::size_t p = 1; p <= masses; ++p)
      mode.constant.push_back(2 / (n + 1) * std::sin(static_cast<double>(p * j) * pi / (n + 1)) *
                              std::sin(static_cast<double>(j) * pi / (n + 1)));
    out.push_back(mode);
  }
  return out;
}

/// Displacement (order 0), velocity (1) or acceleration (2) over force.
ModeData curves(const std::vector<TrueMode>& modes, double low, double high, std::size_t bins, int order) {
  ModeData data;
  for (std::size_t k = 0; k < bins; ++k)
    data.frequency_hz.push_back(low + (high - low) * static_cast<double>(k) / static_cast<double>(bins - 1));
  for (std::size_t o = 0; o < modes[0].constant.size(); ++o) {
    std::vector<Complex> h;
    for (const double f : data.frequency_hz) {
      const Complex s(0, 2 * pi * f);
      Complex sum = 0;
      for (const TrueMode& m : modes) {
        const double w = 2 * pi * m.hz;
        sum += m.constant[o] / (w * w + s * s + 2 * m.damping * w * s);
      }
      h.push_back(sum * std::pow(s, order));
    }
    data.curves.push_back(h);
    data.error.emplace_back(bins, 1.0);
  }
  return data;
}

TEST(Modes, ChainsOfOneToFiveMassesAreFoundInClosedForm) {
  const std::vector<double> damping = {0.011, 0.007, 0.02, 0.013, 0.005};
  for (std::size_t masses = 1; masses <= 5; ++masses)
    for (const int order : {0, 1, 2}) {
      const auto truth = chain(masses, 100, damping);
      const ModeData data = curves(truth, 10, 230, 881, order);
      const ModeFit fit = fit_modes(data, 10, 230);
      ASSERT_EQ(fit.modes.size(), masses) << masses << " masses, order " << order;
      for (std::size_t j = 0; j < masses; ++j) {
        const Mode& mode = fit.modes[j];
        EXPECT_NEAR(mode.frequency_hz / truth[j].hz, 1, 1e-6);
        EXPECT_NEAR(mode.damping / truth[j].damping, 1, 1e-4);
        // A = s^order c / (s - conj(s)).
        const Complex s = mode.pole();
        for (std::size_t o = 0; o < masses; ++o) {
          const Complex expected = std::pow(s, order) * truth[j].constant[o] / (s - std::conj(s));
          EXPECT_NEAR(std::abs(mode.residue[o] - expected), 0,
                      1e-4 * std::abs(std::pow(s, order) / (s - std::conj(s))));
        }
      }
    }
}

TEST(Modes, ABandLeavesOutTheModesBesideIt) {
  const auto truth = chain(5, 100, {0.011, 0.007, 0.02, 0.013, 0.005});
  const ModeData data = curves(truth, 10, 230, 881, 2);
  // Between the first (51.8 Hz) and the fourth (173.2 Hz).
  const ModeFit fit = fit_modes(data, 75, 155);
  ASSERT_EQ(fit.modes.size(), 2u);
  for (std::size_t j : {0u, 1u}) {
    EXPECT_NEAR(fit.modes[j].frequency_hz / truth[j + 1].hz, 1, 1e-4);
    EXPECT_NEAR(fit.modes[j].damping / truth[j + 1].damping, 1, 0.01);
  }
}

TEST(Modes, AClosePairIsSeparated) {
  // 0.6 Hz apart, widths of 1 Hz and 0.8 Hz.
  const std::vector<TrueMode> truth = {{50.0, 0.010, {1, 0.8, -0.3}}, {50.6, 0.008, {0.4, -0.9, 0.7}}};
  const ModeData data = curves(truth, 40, 60, 401, 0);
  const ModeFit fit = fit_modes(data, 40, 60);
  ASSERT_EQ(fit.modes.size(), 2u);
  for (std::size_t j : {0u, 1u}) {
    EXPECT_NEAR(fit.modes[j].frequency_hz / truth[j].hz, 1, 1e-4);
    EXPECT_NEAR(fit.modes[j].damping / truth[j].damping, 1, 0.01);
  }
}

TEST(Modes, UncertaintiesCoverInNoise) {
  const std::vector<TrueMode> truth = {{62.35, 0.0121, {1, -0.6}}, {118.72, 0.0083, {0.8, 1.1}}};
  const ModeData clean = curves(truth, 30, 160, 261, 2);
  ModeSearch search;
  search.most_order = 14;
  double top = 0;
  for (const Complex& h : clean.curves[0]) top = std::max(top, std::abs(h));
  std::mt19937_64 dice(11);
  std::normal_distribution<double> noise;
  int frequency = 0, damping = 0, runs = 0, extra = 0;
  for (int run = 0; run < 120; ++run) {
    ModeData data = clean;
    for (std::size_t o = 0; o < 2; ++o)
      for (std::size_t k = 0; k < data.frequency_hz.size(); ++k) {
        // Known for each bin, and not the same everywhere.
        data.error[o][k] = 0.01 * top * (1 + 0.5 * std::sin(static_cast<double>(k)));
        data.curves[o][k] += data.error[o][k] * Complex(noise(dice), noise(dice));
      }
    const ModeFit fit = fit_modes(data, 30, 160, search);
    extra += fit.modes.size() != 2;
    for (const Mode& mode : fit.modes)
      for (const TrueMode& t : truth) {
        if (std::abs(mode.frequency_hz - t.hz) > 2) continue;
        ++runs;
        frequency += std::abs(mode.frequency_hz - t.hz) < mode.frequency_std_hz;
        damping += std::abs(mode.damping - t.damping) < mode.damping_std;
        EXPECT_NEAR(mode.frequency_hz, t.hz, 6 * mode.frequency_std_hz);
      }
    EXPECT_NEAR(fit.misfit, 1, 0.15);
  }
  ASSERT_GE(runs, 236);
  EXPECT_LE(extra, 6);
  EXPECT_NEAR(frequency / static_cast<double>(runs), 0.68, 0.08);
  EXPECT_NEAR(damping / static_cast<double>(runs), 0.68, 0.08);
}

TEST(Modes, NoiseHasNone) {
  std::mt19937_64 dice(5);
  std::normal_distribution<double> noise;
  int found = 0;
  ModeSearch search;
  search.most_order = 14;
  for (int run = 0; run < 12; ++run) {
    ModeData data;
    for (std::size_t k = 0; k < 240; ++k) data.frequency_hz.push_back(10 + 0.25 * static_cast<double>(k));
    for (int o = 0; o < 2; ++o) {
      data.curves.emplace_back();
      for (std::size_t k = 0; k < 240; ++k) data.curves.back().push_back(Complex(noise(dice), noise(dice)));
      data.error.emplace_back(240, 1.0);
    }
    found += static_cast<int>(fit_modes(data, 10, 70, search).modes.size());
  }
  EXPECT_LE(found, 2);
}

TEST(Modes, AssuranceAndCollinearityTellShapesApart) {
  const std::vector<Complex> a = {1, -2, Complex(0, 0.5)}, turned = {Complex(0, 3), Complex(0, -6), -1.5};
  EXPECT_NEAR(assurance(a, turned), 1, 1e-12);
  EXPECT_NEAR(assurance({1, 0}, {0, 1}), 0, 1e-12);
  EXPECT_NEAR(assurance({1, 0}, {1, 1}), 0.5, 1e-12);
  EXPECT_NEAR(phase_collinearity({Complex(1, 1), Complex(-2, -2)}), 1, 1e-12);
  EXPECT_NEAR(phase_collinearity({1, Complex(0, 1)}), 0, 1e-12);
}

}  // namespace
}  // namespace vprism::mode_fit_test
