// Transforms against the sum that defines them, there and back.
#include "base/fft.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace vprism::fft_test {
namespace {

using std::numbers::pi;

TEST(Fft, IsTheSumThatDefinesItAtAnyLength) {
  for (const std::size_t size : {1u, 2u, 3u, 7u, 16u, 30u, 97u}) {
    const RealFft fft(size);
    FftArray<double> in(size);
    FftArray<std::complex<double>> out(fft.bins());
    for (std::size_t n = 0; n < size; ++n) in.data()[n] = std::sin(1.7 * static_cast<double>(n * n)) + 0.3;
    fft.run(in, out);
    ASSERT_EQ(fft.bins(), size / 2 + 1);
    for (std::size_t k = 0; k < fft.bins(); ++k) {
      std::complex<double> sum = 0;
      for (std::size_t n = 0; n < size; ++n)
        sum +=
            in.data()[n] * std::polar(1.0, -2 * pi * static_cast<double>(k * n) / static_cast<double>(size));
      EXPECT_NEAR(std::abs(out.data()[k] - sum), 0, 1e-12) << size << " " << k;
    }
  }
}

TEST(Fft, BackGivesTheSequenceTimesItsLength) {
  for (const std::size_t size : {2u, 5u, 64u, 99u, 1000u}) {
    const RealFft fft(size);
    FftArray<double> in(size), again(size);
    FftArray<std::complex<double>> bins(fft.bins());
    for (std::size_t n = 0; n < size; ++n)
      in.data()[n] = std::cos(0.3 * static_cast<double>(n)) - 0.01 * static_cast<double>(n);
    fft.run(in, bins);
    fft.back(bins, again);
    for (std::size_t n = 0; n < size; ++n)
      EXPECT_NEAR(again.data()[n] / static_cast<double>(size), in.data()[n], 1e-12) << size << " " << n;
  }
}

TEST(Fft, ArraysMoveAndStartAtZero) {
  FftArray<double> one(8);
  for (const double x : one.span()) EXPECT_EQ(x, 0);
  one.data()[3] = 5;
  const FftArray<double> other(std::move(one));
  EXPECT_EQ(other.size(), 8u);
  EXPECT_EQ(other.data()[3], 5);
}

}  // namespace
}  // namespace vprism::fft_test
