// Channels sampled beside each other, brought to one time.
#include "signal/skew.h"

#include <gmock/gmock.h>

#include <cmath>
#include <numbers>

namespace vprism::skew_test {
namespace {

using std::numbers::pi;

TEST(Skew, ChannelsComeToTheTimesOfTheFirst) {
  const double interval = 1e-3;
  const std::vector<double> skew = {0, 137e-6, -2.4e-3};
  std::vector<std::vector<double>> x(3);
  const auto wave = [](double t) { return 1 + std::sin(2 * pi * 50 * t) + 0.3 * std::cos(2 * pi * 333 * t); };
  for (int n = 0; n < 5000; ++n)
    for (std::size_t c = 0; c < 3; ++c) x[c].push_back(wave(n * interval + skew[c]));
  Recording recording;
  recording.file = "memory";
  recording.channels = {{"a", {}, ""}, {"b", {}, ""}, {"c", {}, ""}};
  recording.axis.interval = interval;
  const auto source = make_deskewed(std::make_unique<MemorySource>(recording, x), skew);
  for (int pass = 0; pass < 2; ++pass) {
    Block block(3, 97);
    std::size_t at = 0;
    while (const std::size_t count = source->read(block)) {
      for (std::size_t n = 0; n < count; ++n, ++at)
        if (at > 50 && at < 4950) {
          for (std::size_t c = 0; c < 3; ++c)
            ASSERT_NEAR(block.samples(c)[n], wave(static_cast<double>(at) * interval), 2e-4)
                << at << " " << c;
        }
    }
    EXPECT_EQ(at, 5000u);
    source->rewind();
  }
}

TEST(Skew, WhatCanNotBeBroughtThereIsSaid) {
  Recording recording;
  recording.file = "memory";
  recording.channels = {{"a", {}, ""}};
  const auto source =
      make_deskewed(std::make_unique<MemorySource>(
                        recording, std::vector<std::vector<double>>(1, std::vector<double>(200))),
                    {1e-4});
  EXPECT_EQ(source->recording().cautions.back().code, "skew-left");
}

}  // namespace
}  // namespace vprism::skew_test
