// Random numbers by place: their distribution, and that streams and places are independent.
#include "generate/random.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <vector>

namespace vprism::random_test {
namespace {

TEST(RandomStream, UniformNumbersFillTheirRange) {
  const RandomStream stream(7, 1);
  std::vector<int> counts(20, 0);
  for (std::uint64_t n = 0; n < 200000; ++n) {
    const double x = stream.uniform(n);
    ASSERT_GT(x, 0);
    ASSERT_LE(x, 1);
    ++counts[std::min<std::size_t>(19, static_cast<std::size_t>(20 * x))];
  }
  // Chi-square of 19 degrees: above 43.8 once in a thousand.
  double square = 0;
  for (const int c : counts) square += (c - 10000.0) * (c - 10000.0) / 10000;
  EXPECT_LT(square, 43.8);
}

TEST(RandomStream, GaussianNumbersHaveTheirMoments) {
  const RandomStream stream(3, 9);
  constexpr std::uint64_t count = 400000;
  double s1 = 0, s2 = 0, s3 = 0, s4 = 0, next = 0;
  for (std::uint64_t n = 0; n < count; ++n) {
    const double x = stream.gaussian(n);
    s1 += x, s2 += x * x, s3 += x * x * x, s4 += x * x * x * x;
    next += x * stream.gaussian(n + 1);
  }
  const double one = 1 / std::sqrt(static_cast<double>(count));  // Standard error of a mean of unit variance.
  EXPECT_NEAR(s1 / count, 0, 4 * one);
  EXPECT_NEAR(s2 / count, 1, 4 * std::sqrt(2) * one);
  EXPECT_NEAR(s3 / count, 0, 4 * std::sqrt(15) * one);
  EXPECT_NEAR(s4 / count, 3, 4 * std::sqrt(96) * one);
  EXPECT_NEAR(next / count, 0, 4 * one);
}

TEST(RandomStream, SeedsAndLabelsGiveUnlikeStreams) {
  const RandomStream a(1, 1), b(1, 2), c(2, 1), same(1, 1);
  double ab = 0, ac = 0;
  for (std::uint64_t n = 0; n < 100000; ++n) {
    ab += a.gaussian(n) * b.gaussian(n);
    ac += a.gaussian(n) * c.gaussian(n);
    EXPECT_EQ(a.uniform(n), same.uniform(n));
  }
  EXPECT_NEAR(ab / 100000, 0, 4 / std::sqrt(100000.0));
  EXPECT_NEAR(ac / 100000, 0, 4 / std::sqrt(100000.0));
}

}  // namespace
}  // namespace vprism::random_test
