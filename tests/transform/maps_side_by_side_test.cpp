// Maps of many channels, worked on side by side: each is, to the last bit, what its channel gives alone.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <random>

#include "transform/maps/occupancy.h"
#include "transform/maps/scalogram.h"
#include "transform/maps/spectrogram.h"

namespace vprism::maps_side_by_side_test {
namespace {

constexpr std::size_t channels = 9, samples = 20000, block = 1777;

std::vector<std::vector<double>> made() {
  std::mt19937 random(3);
  std::normal_distribution<double> noise;
  std::vector<std::vector<double>> out(channels);
  for (std::size_t c = 0; c < channels; ++c)
    for (std::size_t n = 0; n < samples; ++n)
      out[c].push_back(noise(random) + std::sin(0.05 * static_cast<double>((c + 1) * n)));
  return out;
}

/// In blocks whose ends lie within segments.
template <typename Estimator>
auto maps_of(Estimator estimator, const std::vector<std::vector<double>>& columns) {
  for (std::size_t at = 0; at < samples; at += block) {
    Block piece(columns.size(), block, false, false);
    const std::size_t count = std::min(block, samples - at);
    for (std::size_t c = 0; c < columns.size(); ++c)
      std::copy_n(columns[c].begin() + static_cast<std::ptrdiff_t>(at), count, piece.room(c).begin());
    piece.set(static_cast<std::int64_t>(at), count);
    estimator.add(piece);
  }
  return estimator.result();
}

bool same(const std::vector<float>& a, const std::vector<float>& b) {
  return a.size() == b.size() && std::memcmp(a.data(), b.data(), a.size() * sizeof(float)) == 0;
}

TEST(MapsSideBySide, ScalogramsAreThoseOfEachChannelAlone) {
  const auto columns = made();
  for (const bool squeezed : {false, true}) {
    ScalogramSettings settings;
    settings.squeezed = squeezed;
    settings.most_columns = 700;
    const ScalogramPlan plan = plan_scalogram(settings, samples, 1000);
    const auto all = maps_of(ScalogramEstimator(plan, settings), columns);
    ASSERT_EQ(all.size(), channels);
    for (std::size_t c = 0; c < channels; ++c) {
      const auto alone = maps_of(ScalogramEstimator(plan, settings), {columns[c]});
      EXPECT_TRUE(same(all[c].map.power, alone[0].map.power)) << c;
      EXPECT_TRUE(std::ranges::any_of(alone[0].map.power, [](float power) { return power > 0.1F; }));
    }
  }
}

TEST(MapsSideBySide, SpectrogramsAreThoseOfEachChannelAlone) {
  const auto columns = made();
  SpectrogramSettings settings;
  settings.spectrum.segment = 256;
  settings.most_columns = 50;
  const SpectrumPlan plan = plan_spectrum(settings.spectrum, samples, 1000);
  const auto all = maps_of(SpectrogramEstimator(plan, settings), columns);
  ASSERT_EQ(all.size(), channels);
  for (std::size_t c = 0; c < channels; ++c) {
    const auto alone = maps_of(SpectrogramEstimator(plan, settings), {columns[c]});
    EXPECT_TRUE(same(all[c].map.power, alone[0].map.power)) << c;
    EXPECT_EQ(all[c].grid.power, alone[0].grid.power) << c;
    EXPECT_EQ(all[c].segments, alone[0].segments);
  }
}

TEST(MapsSideBySide, OccupancyIsThatOfEachChannelAlone) {
  const auto columns = made();
  SpectrumSettings settings;
  settings.segment = 256;
  const SpectrumPlan plan = plan_spectrum(settings, samples, 1000);
  const auto made_by = [&](const std::vector<std::vector<double>>& some) {
    OccupancyEstimator estimator(plan, settings);
    Block whole(some.size(), samples, false, false);
    for (std::size_t c = 0; c < some.size(); ++c)
      std::copy(some[c].begin(), some[c].end(), whole.room(c).begin());
    whole.set(0, samples);
    estimator.add(whole);
    return estimator.result();
  };
  const auto all = made_by(columns);
  ASSERT_EQ(all.size(), channels);
  for (std::size_t c = 0; c < channels; ++c) {
    const auto alone = made_by({columns[c]});
    EXPECT_EQ(all[c].counts, alone[0].counts) << c;
    EXPECT_EQ(all[c].highest, alone[0].highest) << c;
  }
}

}  // namespace
}  // namespace vprism::maps_side_by_side_test
