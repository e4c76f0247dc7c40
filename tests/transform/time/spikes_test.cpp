// Lone samples are counted once, wherever blocks meet.
#include "transform/time/spikes.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "signal/feed.h"

namespace vprism::spikes_test {
namespace {

std::vector<double> noisy_wave(std::size_t count) {
  std::mt19937 dice(11);
  std::normal_distribution<double> normal(0, 0.01);
  std::vector<double> x(count);
  for (std::size_t n = 0; n < count; ++n) x[n] = std::sin(0.05 * static_cast<double>(n)) + normal(dice);
  return x;
}

Spikes count_spikes(const std::vector<double>& x, std::size_t block_size) {
  SpikeCounter counter(1);
  feed(counter, {x}, block_size);
  return counter.result()[0];
}

TEST(SpikeCounting, FindsEachOnceOnBothSidesOfASeam) {
  const auto clean = noisy_wave(1024);
  EXPECT_EQ(count_spikes(clean, 128).count, 0);
  for (std::size_t where = 250; where < 262; ++where) {
    auto x = clean;
    x[where] += 2;
    for (const std::size_t block : {128u, 256u, 1024u}) {
      const Spikes spikes = count_spikes(x, block);
      EXPECT_EQ(spikes.count, 1) << where << " in blocks of " << block;
      EXPECT_EQ(spikes.first, static_cast<std::int64_t>(where));
      EXPECT_EQ(spikes.largest, static_cast<std::int64_t>(where));
      EXPECT_NEAR(spikes.height, 2, 0.05);
    }
  }
}

TEST(SpikeCounting, EdgesPulsesAndGapsAreNone) {
  auto edge = noisy_wave(1024), pulse = edge, gap = edge;
  for (std::size_t n = 511; n < 1024; ++n) edge[n] += 3;
  for (std::size_t n = 509; n < 514; ++n) pulse[n] += 3;
  for (std::size_t n = 510; n < 515; ++n) gap[n] = std::nan("");
  for (const std::size_t block : {128u, 512u, 1024u}) {
    EXPECT_EQ(count_spikes(edge, block).count, 0) << block;
    EXPECT_EQ(count_spikes(pulse, block).count, 0) << block;
    EXPECT_EQ(count_spikes(gap, block).count, 0) << block;
  }
}

TEST(SpikeCounting, TheLargestIsToldAndBlocksOfAFewSamplesDoNoHarm) {
  auto x = noisy_wave(2048);
  x[300] += 1, x[900] -= 4, x[1500] += 2;
  const Spikes spikes = count_spikes(x, 512);
  EXPECT_EQ(spikes.count, 3);
  EXPECT_EQ(spikes.first, 300);
  EXPECT_EQ(spikes.largest, 900);
  EXPECT_NO_THROW(count_spikes(x, 1));
  EXPECT_NO_THROW(count_spikes(x, 3));
  EXPECT_EQ(count_spikes({}, 64).count, 0);
}

}  // namespace
}  // namespace vprism::spikes_test
