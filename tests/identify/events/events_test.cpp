// Events in time: found where they were put, and nowhere else.
#include "identify/events/events.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "signal/feed.h"
#include "signal/turn.h"

namespace vprism::events_test {
namespace {

std::vector<TimeEvent> events_of(const std::vector<double>& x) {
  OutlineEstimator outline(1);
  feed(outline, {x});
  return find_events(outline.result()[0]);
}

std::vector<double> noise(std::size_t count) {
  std::mt19937_64 bits(8);
  std::normal_distribution<double> normal(0, 1);
  std::vector<double> x(count);
  for (double& v : x) v = normal(bits);
  return x;
}

TEST(Events, ABurstIsFoundWithItsBeginningAndEnd) {
  std::vector<double> x = noise(200'000);
  for (std::size_t n = 80'000; n < 84'000; ++n) x[n] += 10 * std::cos(0.3 * static_cast<double>(n));
  x[150'000] += 40;
  const auto events = events_of(x);
  ASSERT_EQ(events.size(), 2u);
  EXPECT_NEAR(events[0].first, 150'000, 200);
  EXPECT_GT(events[0].swing, 35);
  EXPECT_NEAR(events[1].first, 80'000, 200);
  EXPECT_NEAR(events[1].end, 84'000, 200);
  EXPECT_NEAR(events[1].usual, 5.5, 1);
}

TEST(Events, NoiseTonesAndHalvesOfARecordAreNone) {
  EXPECT_TRUE(events_of(noise(200'000)).empty());
  std::vector<double> tone(50'000), half = noise(50'000);
  for (std::size_t n = 0; n < tone.size(); ++n) tone[n] = std::sin(turn * 0.0123 * static_cast<double>(n));
  for (std::size_t n = 25'000; n < half.size(); ++n) half[n] *= 10;
  EXPECT_TRUE(events_of(tone).empty());
  EXPECT_TRUE(events_of(half).empty());
  EXPECT_TRUE(events_of(noise(500)).empty());
}

}  // namespace
}  // namespace vprism::events_test
