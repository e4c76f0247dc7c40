// Sines by blocks against the library's own, sample by sample.
#include "base/turned_sine.h"

#include <gtest/gtest.h>

#include <cmath>
#include <vector>

namespace vprism::turned_sine_test {
namespace {

TEST(TurnedSine, IsTheSineOfEachSample) {
  for (const double w : {0.0, 1e-4, 0.73, 1.9, 3.14159})
    for (const double decay : {0.0, 1e-3, -2e-4})
      for (const double start : {0.0, -100.5, 7e5}) {
        const double t = decay == 0 ? start : std::min(start, 1000.0);
        const TurnedSine sine(w, decay);
        std::vector<double> c(TurnedSine::block), s(c.size()), sum(c.size(), 2.0);
        sine.fill(t, c.size(), c.data(), s.data());
        sine.add(t, 3, -0.5, c.size(), sum.data());
        for (std::size_t n = 0; n < c.size(); ++n) {
          const double at = t + static_cast<double>(n), size = std::exp(-decay * at);
          // Rounding of the angle, of which a long way from the block's start has more.
          const double most = size * (1e-14 + 4e-16 * std::abs(w) * (std::abs(t) + 256));
          EXPECT_NEAR(c[n], size * std::cos(w * at), most) << w << " " << decay << " " << at;
          EXPECT_NEAR(s[n], size * std::sin(w * at), most) << w << " " << decay << " " << at;
          EXPECT_NEAR(sum[n], 2 + 3 * size * std::cos(w * at) - 0.5 * size * std::sin(w * at),
                      4 * most + 1e-15);
        }
      }
}

TEST(TurnedSine, AShortBlockLeavesTheRest) {
  const TurnedSine sine(0.3);
  std::vector<double> x(8, 1.0);
  sine.add(0, 1, 0, 3, x.data());
  EXPECT_DOUBLE_EQ(x[0], 2);
  EXPECT_DOUBLE_EQ(x[3], 1);
}

}  // namespace
}  // namespace vprism::turned_sine_test
