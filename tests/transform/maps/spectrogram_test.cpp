// Spectrograms: levels and places against closed forms, reduction by the greatest, gaps, reassignment.
#include "transform/maps/spectrogram.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "identify/events/ridges.h"
#include "identify/events/spectrogram_looks.h"

namespace vprism::spectrogram_test {
namespace {

using std::numbers::pi;

Block block_of(const std::vector<double>& x, std::int64_t first = 0, bool gaps = false) {
  Block block(1, x.size());
  std::copy(x.begin(), x.end(), block.room(0).begin());
  block.set(first, x.size());
  block.set_gaps(gaps);
  return block;
}

template <typename F>
std::vector<double> sampled(std::size_t count, double rate, F f) {
  std::vector<double> x(count);
  for (std::size_t n = 0; n < count; ++n) x[n] = f(static_cast<double>(n) / rate);
  return x;
}

struct MadeRecord {
  SpectrumPlan plan;
  Spectrogram result;
};

MadeRecord map_of(const std::vector<double>& x, double rate, std::size_t segment,
                  SpectrogramSettings settings = {}, double overlap = 0.5) {
  settings.spectrum.segment = segment;
  settings.spectrum.overlap = overlap;
  MadeRecord made;
  made.plan = plan_spectrum(settings.spectrum, static_cast<std::int64_t>(x.size()), rate);
  SpectrogramEstimator estimator(made.plan, settings);
  // In pieces that fit no segment.
  for (std::size_t at = 0; at < x.size(); at += 777) {
    const std::vector<double> piece(x.begin() + static_cast<std::ptrdiff_t>(at),
                                    x.begin() + static_cast<std::ptrdiff_t>(std::min(x.size(), at + 777)));
    estimator.add(block_of(piece, static_cast<std::int64_t>(at)));
  }
  made.result = std::move(estimator.result().front());
  return made;
}

TEST(Spectrogram, ToneStandsAtItsFrequencyWithItsMeanSquareInEveryColumn) {
  const MadeRecord m =
      map_of(sampled(20000, 1000, [](double t) { return 3 * std::cos(2 * pi * 125 * t); }), 1000, 200);
  const LevelMap& map = m.result.map;
  EXPECT_EQ(map.rows(), 101u);
  EXPECT_EQ(map.columns, static_cast<std::size_t>(m.plan.averages));
  for (std::size_t c = 0; c < map.columns; ++c) EXPECT_NEAR(map.at(map.row_at(125), c), 4.5, 1e-5);
  EXPECT_DOUBLE_EQ(map.frequency_hz[25], 125);
  // The first segment's middle is 0.1 s, the next one's 0.2 s.
  EXPECT_DOUBLE_EQ(map.time_s(0), 0.1);
  EXPECT_DOUBLE_EQ(map.time_s(1), 0.2);
}

TEST(Spectrogram, AColumnHoldsTheGreatestOfItsSegmentsSoThatNoClickIsLost) {
  std::vector<double> x(100000, 0.0);
  x[61234] = 1;
  SpectrogramSettings few;
  few.most_columns = 50;
  const MadeRecord coarse = map_of(x, 1000, 100, few), fine = map_of(x, 1000, 100);
  EXPECT_LE(coarse.result.map.columns, 50u);
  EXPECT_GT(coarse.result.group, 30u);
  const std::size_t c = coarse.result.map.column_at(61.234), f = fine.result.map.column_at(61.234);
  float highest = 0;
  for (std::size_t k = f - 2; k <= f + 2; ++k) highest = std::max(highest, fine.result.map.at(20, k));
  EXPECT_FLOAT_EQ(coarse.result.map.at(20, c), highest);
  EXPECT_FLOAT_EQ(coarse.result.map.at(20, c < 10 ? c + 5 : c - 5), 0);
  // And so does a map reduced later.
  const LevelMap less = fine.result.map.reduced(10, 40);
  EXPECT_LE(less.columns, 40u);
  EXPECT_LE(less.rows(), 10u);
  EXPECT_FLOAT_EQ(*std::max_element(less.power.begin(), less.power.end()),
                  *std::max_element(fine.result.map.power.begin(), fine.result.map.power.end()));
}

TEST(Spectrogram, GapsLeaveColumnsOpenAndTimesRight) {
  std::vector<double> x =
      sampled(10000, 1000, [](double t) { return t < 5 ? 0.0 : std::cos(2 * pi * 100 * t); });
  for (std::size_t n = 2000; n < 4000; ++n) x[n] = std::nan("");
  SpectrogramSettings settings;
  settings.spectrum.segment = 100;
  const SpectrumPlan plan = plan_spectrum(settings.spectrum, 10000, 1000);
  SpectrogramEstimator estimator(plan, settings);
  estimator.add(block_of(x, 0, true));
  const LevelMap map = estimator.result().front().map;
  EXPECT_TRUE(std::isnan(map.at(10, map.column_at(3.0))));
  EXPECT_FLOAT_EQ(map.at(10, map.column_at(4.5)), 0);
  EXPECT_NEAR(map.at(10, map.column_at(5.3)), 0.5, 1e-4);
}

TEST(Spectrogram, ReassignedChirpAndClickLieWhereTheyAre) {
  // A linear chirp: after reassignment all its energy lies on 50 Hz + 20 Hz/s * t.
  SpectrogramSettings settings;
  settings.reassigned = true;
  const double rate = 1000;
  const MadeRecord m =
      map_of(sampled(16000, rate, [](double t) { return std::cos(2 * pi * (50 * t + 10 * t * t)); }), rate,
             256, settings, 0.875);
  const LevelMap& map = m.result.map;
  for (double t = 2; t < 14; t += 0.7) {
    const std::size_t c = map.column_at(t);
    double all = 0, near = 0;
    for (std::size_t r = 0; r < map.rows(); ++r) {
      if (std::isnan(map.at(r, c))) continue;
      all += map.at(r, c);
      if (std::abs(map.frequency_hz[r] - (50 + 20 * map.time_s(c))) <= 2.1) near += map.at(r, c);
    }
    EXPECT_GT(near / all, 0.99) << t;
    EXPECT_NEAR(all, 0.5, 0.08) << t;  // Some of it moves to the column beside.
  }
  std::vector<double> click(4000, 0.0);
  click[2000] = 1;
  const MadeRecord k = map_of(click, rate, 256, settings, 0.875);
  double all = 0, near = 0;
  for (std::size_t c = 0; c < k.result.map.columns; ++c)
    for (std::size_t r = 0; r < k.result.map.rows(); ++r)
      if (!std::isnan(k.result.map.at(r, c))) {
        all += k.result.map.at(r, c);
        if (std::abs(k.result.map.time_s(c) - 2.0) <= k.result.map.step_s) near += k.result.map.at(r, c);
      }
  EXPECT_GT(near / all, 0.98);
}

TEST(Spectrogram, EverySegmentIsToldInOrder) {
  std::vector<double> times, levels;
  SpectrogramSettings settings;
  settings.spectrum.segment = 100;
  const std::vector<double> x = sampled(5000, 1000, [](double t) { return std::cos(2 * pi * 100 * t); });
  const SpectrumPlan plan = plan_spectrum(settings.spectrum, 5000, 1000);
  SpectrogramEstimator estimator(plan, settings, [&](std::size_t, double t, std::span<const double> power) {
    times.push_back(t);
    levels.push_back(power[10]);
  });
  estimator.add(block_of(x));
  (void)estimator.result();
  ASSERT_EQ(times.size(), static_cast<std::size_t>(plan.averages));
  for (std::size_t s = 0; s < times.size(); ++s) {
    EXPECT_DOUBLE_EQ(times[s], 0.05 + 0.05 * static_cast<double>(s));
    EXPECT_NEAR(levels[s], 0.5, 1e-9);
  }
}

TEST(Ridges, FollowAChirpAndASteadyToneAcrossEachOther) {
  std::mt19937_64 bits(5);
  std::normal_distribution<double> dice(0, 0.02);
  const std::vector<double> x = sampled(40000, 1000, [&](double t) {
    return std::cos(2 * pi * (40 * t + 2 * t * t)) + 0.5 * std::cos(2 * pi * 120.3 * t) + dice(bits);
  });
  const MadeRecord m = map_of(x, 1000, 512, {}, 0.75);
  const std::vector<Ridge> ridges = find_ridges(m.result.map);
  ASSERT_GE(ridges.size(), 2u);
  EXPECT_NEAR(ridges[0].slope(), 4, 0.1);
  EXPECT_NEAR(ridges[0].low_hz(), 41, 1.5);
  EXPECT_NEAR(ridges[0].high_hz(), 199, 1.5);
  for (const Ridge::Point& p : ridges[0].points) EXPECT_NEAR(p.hz, 40 + 4 * p.time_s, 2.5);
}

/// Two bursts close together under a window longer than both.
TEST(Looks, TellOfEventsThatTheLongWindowMerges) {
  std::mt19937_64 bits(7);
  std::normal_distribution<double> dice(0, 0.01);
  const auto bump = [](double t, double at, double wide) {
    return std::exp(-2.77 * std::pow((t - at) / wide, 2));
  };
  const std::vector<double> x = sampled(30000, 100, [&](double t) {
    return bump(t, 150, 1.5) * std::cos(2 * pi * 4 * t) + bump(t, 153, 1) * std::cos(2 * pi * 9 * t) +
           dice(bits);
  });
  const MadeRecord slow = map_of(x, 100, 1600, {}, 0.9), quick = map_of(x, 100, 100);
  const auto slow_events = spectrogram_events(slow.result), quick_events = spectrogram_events(quick.result);
  ASSERT_EQ(quick_events.size(), 2u);
  const std::vector<Caution> cautions =
      compare_looks("x", slow.result, slow_events, quick.result, quick_events, 0);
  ASSERT_EQ(cautions.size(), 3u);
  EXPECT_EQ(cautions[0].code, "event-shorter-than-window");
  EXPECT_EQ(cautions[2].code, "events-merged");
  // With short segments there is nothing to say, and noise alone has no events.
  const MadeRecord quicker = map_of(x, 100, 32);
  EXPECT_TRUE(
      compare_looks("x", quick.result, quick_events, quicker.result, spectrogram_events(quicker.result), 0)
          .empty());
  std::size_t found = 0;
  for (int run = 0; run < 20; ++run)
    found +=
        spectrogram_events(map_of(sampled(20000, 100, [&](double) { return dice(bits); }), 100, 128).result)
            .size();
  EXPECT_LE(found, 1u);
}

TEST(ColourRange, KeepsToTheLevelsAndTellsWhatItLeavesOut) {
  LevelMap map;
  map.resize(100, 100);
  for (std::size_t i = 0; i < map.power.size(); ++i)
    map.power[i] = static_cast<float>(std::pow(10, -static_cast<double>(i % 100) / 10));
  map.power[0] = 1e9F;  // One cell far above does not take the colours from the others.
  const LevelRange range = colour_range(map);
  EXPECT_NEAR(range.high_db, 0, 5.1);
  EXPECT_NEAR(range.low_db, -90, 5.1);
  EXPECT_NEAR(range.above, 1e-4, 1e-5);
  EXPECT_GT(range.below, 0.01);
}

}  // namespace
}  // namespace vprism::spectrogram_test
