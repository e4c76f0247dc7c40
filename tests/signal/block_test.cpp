// Blocks: some channels of another one.
#include "signal/block.h"

#include <gtest/gtest.h>

namespace vprism::block_test {
namespace {

TEST(Block, TakesChosenChannelsWithTheirPlaceGapsAndStamps) {
  for (const bool complex : {false, true}) {
    Block all(4, 8, true, complex), some(2, 8, true, complex);
    all.set(100, 5);
    all.set_gaps(true);
    for (std::size_t c = 0; c < all.columns(); ++c)
      for (std::size_t n = 0; n < 5; ++n) all.room(c)[n] = static_cast<double>(10 * c + n);
    for (std::size_t n = 0; n < 5; ++n) all.stamp_room()[n] = 0.5 * static_cast<double>(n);
    const std::vector<std::size_t> which = {3, 1};
    some.take_channels(all, which);
    EXPECT_EQ(some.first(), 100);
    ASSERT_EQ(some.size(), 5u);
    EXPECT_TRUE(some.gaps());
    EXPECT_EQ(some.samples(0)[4], 34);
    EXPECT_EQ(some.samples(1)[2], 12);
    if (complex) {
      EXPECT_EQ(some.imaginary(0)[1], 71);
      EXPECT_EQ(some.imaginary(1)[0], 50);
    }
    EXPECT_EQ(some.stamps()[3], 1.5);
  }
}

}  // namespace
}  // namespace vprism::block_test
