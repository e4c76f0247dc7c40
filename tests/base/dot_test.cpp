// Sums of products against the plain sum, in whole numbers: exact in any order.
#include "base/dot.h"

#include <gtest/gtest.h>

#include <vector>

namespace vprism::dot_test {
namespace {

TEST(Dots, AreTheSumsOfProductsAtAnyLength) {
  std::vector<double> a(100), b(100);
  for (std::size_t n = 0; n < 100; ++n)
    a[n] = static_cast<double>(n % 7), b[n] = static_cast<double>(n % 5) - 2;
  for (std::size_t count = 0; count <= 100; ++count) {
    double sum = 0, alone = 0, squares = 0;
    for (std::size_t n = 0; n < count; ++n) {
      sum += a[n] * b[n], alone += a[n];
      squares += (a[n] - 3) * (a[n] - 3);
    }
    EXPECT_EQ(squares_about(a.data(), count, 3), squares);
    EXPECT_EQ(sum_of(a.data(), count), alone);
    EXPECT_EQ(dot(a.data(), b.data(), count), sum);  // Whole numbers: exact in any order.
  }
  double out[4];
  for (const std::size_t count : {1u, 8u, 13u, 50u}) {
    four_dots(a.data(), b.data(), 7, count, out);
    for (int j = 0; j < 4; ++j) EXPECT_EQ(out[j], dot(a.data(), b.data() + 7 * j, count));
  }
}

}  // namespace
}  // namespace vprism::dot_test
