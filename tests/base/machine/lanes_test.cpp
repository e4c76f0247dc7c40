// Lanes: the small things hot loops are made of.
#include "base/machine/lanes.h"

#include <gtest/gtest.h>

#include <cmath>

namespace vprism::lanes_test {
namespace {

TEST(Lanes, LoadFromAnyPlaceAndAddUp) {
  double x[12];
  for (int n = 0; n < 12; ++n) x[n] = 1 << n;
  Four four;
  load(x + 1, four);
  EXPECT_EQ(total(four), 2 + 4 + 8 + 16);
  Eight eight;
  load(x + 3, eight);
  EXPECT_EQ(total(eight), 8 * 255);
}

TEST(Lanes, ExtremesNeverTakeANanOverANumber) {
  const double missing = std::nan("");
  const double with[4] = {3, missing, -7, missing};
  Four x, low = {1, 1, 1, 1}, high = {1, 1, 1, 1};
  load(with, x);
  lower(x, low), raise(x, high);
  EXPECT_EQ(lowest(low), -7);
  EXPECT_EQ(highest(high), 3);
  EXPECT_EQ(low[1], 1);
  EXPECT_EQ(high[3], 1);
}

}  // namespace
}  // namespace vprism::lanes_test
