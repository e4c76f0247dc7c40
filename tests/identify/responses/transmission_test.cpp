// One recording over another against closed forms: pulses through slabs.
#include "identify/responses/transmission.h"

#include <gmock/gmock.h>

#include <cmath>
#include <numbers>
#include <random>

#include "base/error.h"

namespace vprism::transmission_test {
namespace {

using std::numbers::pi;
constexpr double light = 299792458;

/// A short pulse at a time, of both signs, and its delayed copies.
double pulse(double t) { return -t / 2e-13 * std::exp(-t * t / (2 * 2e-13 * 2e-13)); }

TimedSamples recorded(double start, double step, std::size_t count, double at, double size, double noise,
                      unsigned seed, double echo_after = 0, double echo_share = 0) {
  std::mt19937 bits(seed);
  std::normal_distribution<double> normal;
  TimedSamples out{{}, start, 1 / step};
  for (std::size_t n = 0; n < count; ++n) {
    const double t = start + step * static_cast<double>(n) - at;
    out.x.push_back(size * pulse(t) + (echo_share != 0 ? size * echo_share * pulse(t - echo_after) : 0) +
                    noise * normal(bits));
  }
  return out;
}

TEST(Transmission, ASlabHasItsIndexAndItsAbsorption) {
  // 1 mm, n = 1.85, 400 per metre; other starts, other steps, noise 60 dB below.
  const double d = 1e-3, index = 1.85, absorption = 400;
  const double faces = 4 * index / ((index + 1) * (index + 1));
  const double later = (index - 1) * d / light;
  const TimedSamples reference = recorded(-4e-12, 4e-14, 700, 1e-12, 1, 1e-3, 1),
                     sample = recorded(-2.03e-12, 5e-14, 520, 1e-12 + later,
                                       faces * std::exp(-absorption * d / 2), 1e-3, 2);
  const Transmission t = transmission_of(sample, reference);
  ASSERT_GT(t.to, t.from + 20);
  EXPECT_NEAR(t.delay_s, later, std::max(3 * t.delay_std_s, 1e-15));
  const SlabFigures figures = slab_figures(t, d);
  int within = 0, far = 0, count = 0;
  for (std::size_t k = t.from; k < t.to; ++k) {
    const double truth = faces * std::exp(-absorption * d / 2),
                 off = std::abs(std::abs(t.ratio[k]) / truth - 1) / t.error[k];
    within += off<1, far += off> 3, ++count;
    if (t.error[k] > 0.003) continue;
    EXPECT_NEAR(figures.index[k - t.from], index, 0.005 * index) << t.hz[k];
    EXPECT_NEAR(figures.absorption_per_m[k - t.from], absorption, 30) << t.hz[k];
  }
  EXPECT_GT(within, 0.5 * count);
  EXPECT_LT(far, 0.05 * count);
  EXPECT_FALSE(t.echo);
  EXPECT_FALSE(t.tapered);
}

TEST(Transmission, AnEchoIsFoundWithItsTimeAndItsShare) {
  const TimedSamples reference = recorded(0, 5e-14, 800, 4e-12, 1, 1e-4, 3),
                     sample = recorded(0, 5e-14, 800, 7e-12, 0.8, 1e-4, 4, 12.3e-12, 0.09);
  const Transmission t = transmission_of(sample, reference);
  ASSERT_TRUE(t.echo);
  EXPECT_NEAR(t.echo->after_s, 12.3e-12, 0.3e-12);
  EXPECT_NEAR(t.echo->share, 0.09, 0.02);
}

TEST(Transmission, APhaseThatStartsBetweenTurnsIsNotAnchored) {
  // A pulse turned upside down: the phase is half a turn at 0 Hz, and which way is not known.
  const TimedSamples reference = recorded(-4e-12, 4e-14, 700, 1e-12, 1, 1e-3, 1);
  EXPECT_TRUE(transmission_of(recorded(-4e-12, 4e-14, 700, 3e-12, 0.8, 1e-3, 2), reference).anchored());
  const Transmission turned = transmission_of(recorded(-4e-12, 4e-14, 700, 3e-12, -0.8, 1e-3, 2), reference);
  EXPECT_FALSE(turned.anchored());
  EXPECT_NEAR(std::abs(turned.anchor_turns), 0.5, 0.02);
}

TEST(Transmission, NoiseAloneIsNotUsable) {
  const TimedSamples reference = recorded(0, 5e-14, 800, 4e-12, 1, 1e-3, 5),
                     nothing = recorded(0, 5e-14, 800, 4e-12, 0, 1e-3, 6);
  const Transmission t = transmission_of(nothing, reference);
  EXPECT_LT(t.to - t.from, 4u);
  EXPECT_THROW(transmission_of(reference, TimedSamples{std::vector<double>(800, 2.0), 0, 2e13}), Error);
  EXPECT_THROW(transmission_of(reference, TimedSamples{std::vector<double>(100, 2.0), 0, 1}), Error);
}

}  // namespace
}  // namespace vprism::transmission_test
