// The transform on any grid against the sum that defines it.
#include "transform/spectra/chirp_z.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

namespace vprism::chirp_z_test {
namespace {

using Complex = std::complex<double>;
using std::numbers::pi;

std::vector<Complex> run(const ChirpZ& transform, const std::vector<Complex>& x) {
  FftArray<Complex> line(transform.points()), bins(transform.points());
  for (std::size_t n = 0; n < x.size(); ++n) line.data()[n] = x[n];
  transform.run(line, bins);
  return {line.data(), line.data() + transform.count()};
}

TEST(ChirpZ, IsTheSumOnAnyGrid) {
  std::mt19937_64 dice(1);
  std::normal_distribution<double> normal;
  for (const std::size_t size : {1u, 7u, 64u, 201u})
    for (const std::size_t count : {1u, 5u, 130u})
      for (const double step : {1.0 / 64, 0.0037, -0.01}) {
        std::vector<Complex> x(size);
        for (Complex& v : x) v = {normal(dice), normal(dice)};
        const double start = 0.123;
        const std::vector<Complex> found = run(ChirpZ(size, count, start, step), x);
        for (std::size_t m = 0; m < count; ++m) {
          Complex sum = 0;
          for (std::size_t n = 0; n < size; ++n)
            sum += x[n] * std::polar(1.0, -2 * pi * (start + static_cast<double>(m) * step) *
                                              static_cast<double>(n));
          EXPECT_NEAR(std::abs(found[m] - sum), 0, 1e-11 * static_cast<double>(size)) << size << " " << m;
        }
      }
}

TEST(ChirpZ, OnTheGridOfATransformItIsThatTransform) {
  constexpr std::size_t size = 90;
  std::vector<Complex> x(size);
  for (std::size_t n = 0; n < size; ++n) x[n] = std::polar(2.0, 2 * pi * 7 * static_cast<double>(n) / size);
  const std::vector<Complex> found = run(ChirpZ(size, size, 0, 1.0 / size), x);
  for (std::size_t m = 0; m < size; ++m) EXPECT_NEAR(std::abs(found[m]), m == 7 ? 2.0 * size : 0, 1e-10) << m;
}

TEST(ChirpZ, FarOutInLongSequencesItKeepsItsPhase) {
  // Squares of large numbers must not lose turns: one sample at the end, whose transform is known.
  constexpr std::size_t size = 100000, count = 50;
  std::vector<Complex> x(size, 0.0);
  x.back() = 1;
  const double start = 0.3137, step = 1e-6;
  const std::vector<Complex> found = run(ChirpZ(size, count, start, step), x);
  for (std::size_t m = 0; m < count; ++m) {
    const double turns = (start + static_cast<double>(m) * step) * static_cast<double>(size - 1);
    EXPECT_NEAR(std::abs(found[m] - std::polar(1.0, -2 * pi * (turns - std::floor(turns)))), 0, 1e-8) << m;
  }
}

TEST(ChirpZ, TakesNoLongerTransformThanItNeeds) {
  // A convolution of size + count - 1, to a length that transforms well.
  for (const std::size_t size : {100u, 1000u, 4097u})
    for (const std::size_t count : {10u, 500u}) {
      EXPECT_GE(ChirpZ::points_for(size, count), size + count - 1);
      EXPECT_LE(ChirpZ::points_for(size, count), 2 * (size + count));
      EXPECT_EQ(ChirpZ(size, count, 0, 0.001).points(), ChirpZ::points_for(size, count));
    }
}

}  // namespace
}  // namespace vprism::chirp_z_test
