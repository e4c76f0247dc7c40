// Despike: what is a spike, what may be a shock, and sliding medians against sorting.
#include <gmock/gmock.h>

#include <random>

#include "condition/road_over.h"
#include "condition/steps/sliding_median.h"

namespace vprism::despike_test {
namespace {

using ::testing::HasSubstr;

TEST(SlidingMedian, IsTheMedianOfEveryWindow) {
  std::mt19937 dice(3);
  std::vector<double> x(700);
  for (double& v : x) v = static_cast<double>(dice() % 50);  // Many equal ones.
  for (std::size_t n = 100; n < 110; ++n) x[n] = std::nan("");
  for (const std::size_t half : {1u, 4u, 33u, 200u, 512u, 513u, 800u}) {
    std::vector<double> medians(600);
    sliding_medians(x, 50, half, medians);
    for (std::size_t k = 0; k < medians.size(); ++k) {
      const std::size_t i = 50 + k;
      std::vector<double> window;
      for (std::size_t j = i > half ? i - half : 0; j < std::min(x.size(), i + half + 1); ++j)
        if (!std::isnan(x[j])) window.push_back(x[j]);
      std::sort(window.begin(), window.end());
      if (window.empty()) {
        EXPECT_TRUE(std::isnan(medians[k]));
      } else {
        ASSERT_EQ(medians[k], window[(window.size() - 1) / 2]) << half << " at " << i;
      }
    }
  }
}

std::vector<double> noise(std::size_t count, unsigned seed) {
  std::mt19937 dice(seed);
  std::normal_distribution<double> normal(0, 0.01);
  std::vector<double> x(count);
  for (double& v : x) v = normal(dice);
  return x;
}

std::vector<double> wave_and_noise(std::size_t count, unsigned seed) {
  auto x = noise(count, seed);
  for (std::size_t n = 0; n < count; ++n) x[n] += std::sin(0.02 * static_cast<double>(n));
  return x;
}

TEST(Despike, RepairsLoneSpikesAndListsThem) {
  const auto clean = wave_and_noise(5000, 1);
  auto x = clean;
  const std::vector<std::size_t> where = {700, 1500, 1501, 3200, 4990};
  for (const std::size_t n : where) x[n] += n % 2 == 0 ? 1.5 : -1.2;
  Road road = road_over({x}, parse_chain("despike"));
  const auto y = collect(road)[0];
  for (std::size_t n = 0; n < x.size(); ++n) {
    if (std::find(where.begin(), where.end(), n) != where.end()) {
      EXPECT_NEAR(y[n], clean[n], 0.06) << n;
    } else {
      EXPECT_NEAR(y[n], x[n], 0.05) << n;
    }
  }
  const StageReport report = road.reports()[0];
  ASSERT_GE(report.events.size(), 4u);
  EXPECT_DOUBLE_EQ(report.events[0].time_s, 0.7);
  EXPECT_NEAR(report.events[0].size, 1.5, 0.06);
  EXPECT_THAT(report.effects[0].second, HasSubstr("repaired"));
  EXPECT_TRUE(report.cautions.empty());
}

TEST(Despike, BlocksOfAnySizeGiveTheSame) {
  auto x = wave_and_noise(20000, 2);
  for (std::size_t n = 100; n < x.size(); n += 731) x[n] += 1;
  const auto one = through("despike", x, 1000, 7), other = through("despike", x, 1000, 30000);
  EXPECT_EQ(one, other);
  EXPECT_EQ(through("despike width 101", x, 1000, 61), through("despike width 101", x, 1000, 9999));
}

TEST(Despike, LeavesNoiseAndWavesAlone) {
  // Gaussian noise passes four standard deviations 6 times in 100,000 samples.
  const auto x = noise(100000, 3);
  const auto y = through("despike", x);
  int changed = 0;
  for (std::size_t n = 0; n < x.size(); ++n) changed += x[n] != y[n] ? 1 : 0;
  EXPECT_LT(changed, 60);
  const auto square = sampled(4000, [](double n) { return std::fmod(n, 100) < 50 ? 1.0 : -1.0; });
  EXPECT_EQ(through("despike", square), square);
  const auto coarse = sampled(4000, [](double n) { return std::round(4 * std::sin(0.003 * n)); });
  EXPECT_EQ(through("despike", coarse), coarse);
}

/// A blow on two channels, which then ring, and spikes on the first alone.
std::vector<std::vector<double>> blow_and_spikes() {
  auto a = noise(6000, 4), b = noise(6000, 5);
  for (std::size_t n = 3000; n < 3400; ++n) {
    const double t = static_cast<double>(n - 3000);
    const double ring = std::exp(-t / 60) * std::sin(0.9 * t);
    a[n] += 0.25 * ring + (n == 3000 ? 1.5 : 0);
    b[n] += 0.1 * ring + (n == 3000 ? 0.6 : 0);
  }
  for (const std::size_t n : {500u, 1800u, 5100u}) a[n] += 0.8;
  return {a, b};
}

TEST(Despike, KeepsAShockThatOtherChannelsSeeOrThatRings) {
  const auto x = blow_and_spikes();
  Road road = road_over(x, parse_chain("despike"));
  const auto y = collect(road);
  for (std::size_t n = 2990; n < 3400; ++n) {
    ASSERT_EQ(y[0][n], x[0][n]) << n;
    ASSERT_EQ(y[1][n], x[1][n]) << n;
  }
  for (const std::size_t n : {500u, 1800u, 5100u}) EXPECT_LT(std::abs(y[0][n]), 0.1);
  const StageReport report = road.reports()[0];
  ASSERT_FALSE(report.cautions.empty());
  EXPECT_EQ(report.cautions[0].code, "shock-kept");
  EXPECT_THAT(report.cautions[0].text, HasSubstr("3 s"));
  EXPECT_THAT(report.cautions[0].text, HasSubstr("\"ch2\" stands out as well"));
  // One channel alone: it is known by its ringing.
  Road alone = road_over({x[0]}, parse_chain("despike"));
  const auto z = collect(alone)[0];
  EXPECT_EQ(z[3000], x[0][3000]);
  EXPECT_THAT(alone.reports()[0].cautions.at(0).text, HasSubstr("an oscillation follows"));
}

TEST(Despike, ReportOnlyListsAndAllRepairsAll) {
  const auto x = blow_and_spikes();
  Road report = road_over(x, parse_chain("despike report"));
  EXPECT_EQ(collect(report), x);
  EXPECT_GE(report.reports()[0].events.size(), 4u);
  Road all = road_over(x, parse_chain("despike all"));
  EXPECT_LT(collect(all)[0][500], 0.1);
  EXPECT_TRUE(all.reports()[0].cautions.empty());
}

TEST(Despike, KeepsGapsAndSaysWhenTheSignalItselfIsSpiky) {
  auto x = noise(4000, 6);
  for (std::size_t n = 1000; n < 1010; ++n) x[n] = std::nan("");
  const auto y = through("despike", x);
  EXPECT_TRUE(std::isnan(y[1005]));
  for (std::size_t n = 20; n < x.size(); n += 40) x[n] += 1;
  Road spiky = road_over({x}, parse_chain("despike"));
  collect(spiky);
  ASSERT_FALSE(spiky.reports()[0].cautions.empty());
  EXPECT_EQ(spiky.reports()[0].cautions.back().code, "despike-many");
  EXPECT_THAT(chain_error("despike width 8", x), HasSubstr("must be odd"));
}

}  // namespace
}  // namespace vprism::despike_test
