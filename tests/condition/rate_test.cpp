// Other rates: decimate and resample against closed forms.
#include <gmock/gmock.h>

#include <numbers>
#include <random>

#include "condition/road_over.h"
#include "condition/stamped_road.h"

namespace vprism::rate_test {
namespace {

using std::numbers::pi;
using ::testing::HasSubstr;

double decibels_of(double amplitude) { return 20 * std::log10(std::max(amplitude, 1e-20)); }

TEST(Decimate, FilterKeepsTheBandAndStopsWhatWouldFold) {
  for (const int factor : {2, 3, 8, 10, 35}) {
    const std::string chain = "decimate " + std::to_string(factor);
    // In cycles per output sample: inside the band at 0.1 and 0.44, outside at 0.6 and 0.93.
    for (const double f : {0.1, 0.44, 0.6, 0.93, 1.45}) {
      if (f / factor > 0.5) continue;
      const auto count = static_cast<std::size_t>(1200 * factor);
      const auto x = sampled(count, [&](double n) { return std::cos(2 * pi * f / factor * n); });
      const auto y = through(chain, x, 1000, 1000);
      ASSERT_EQ(y.size(), 1200u);
      if (f < 0.5) {
        for (std::size_t k = 200; k < 1000; ++k)
          ASSERT_NEAR(y[k], std::cos(2 * pi * f * static_cast<double>(k)), 2e-5) << factor << " " << f;
      } else {
        double most = 0;
        for (std::size_t k = 200; k < 1000; ++k) most = std::max(most, std::abs(y[k]));
        EXPECT_LT(decibels_of(most), -100) << factor << " " << f;
      }
    }
  }
}

TEST(Decimate, AverageIsTheMeanAtItsMiddle) {
  Road road = road_over({sampled(1001, [](double n) { return n; })}, parse_chain("decimate 10 average"));
  EXPECT_DOUBLE_EQ(road.recording().axis.start, 0.0045);
  EXPECT_DOUBLE_EQ(road.recording().axis.interval, 0.01);
  const auto y = collect(road)[0];
  ASSERT_EQ(y.size(), 100u);  // The last sample alone is no mean of ten.
  for (std::size_t k = 0; k < y.size(); ++k) EXPECT_DOUBLE_EQ(y[k], 10 * static_cast<double>(k) + 4.5);
}

TEST(Decimate, KeepTellsThePowerThatFoldsBack) {
  // 0.01 in the band, 0.3 outside: of 2 + 0.5 units half a unit folds back.
  const auto x = sampled(
      20000, [](double n) { return 2 * std::sin(2 * pi * 0.01 * n) + std::sin(2 * pi * 0.3 * n + 1); });
  Road road = road_over({x}, parse_chain("decimate 4 keep"));
  const auto y = collect(road)[0];
  for (std::size_t k = 0; k < y.size(); ++k) ASSERT_EQ(y[k], x[4 * k]);
  const auto cautions = road.reports()[0].cautions;
  ASSERT_EQ(cautions.size(), 1u);
  EXPECT_EQ(cautions[0].code, "folded-back");
  EXPECT_THAT(cautions[0].text, HasSubstr("707 mV RMS"));  // 1 / sqrt 2
  EXPECT_THAT(cautions[0].text, HasSubstr("-6.99 dB"));    // 10 log10(0.5 / 2.5)
  Road clean = road_over({sampled(20000, [](double n) { return std::sin(2 * pi * 0.01 * n); })},
                         parse_chain("decimate 4 keep"));
  collect(clean);
  const StageReport quiet = clean.reports()[0];
  for (const Caution& caution : quiet.cautions) EXPECT_EQ(caution.severity, Severity::note);
}

TEST(Decimate, WhatFoldsOntoALineIsCountedWhateverItsPhase) {
  // 0.26 folds onto 0.01, with it or against it.
  for (const double phase : {0.0, 1.3, 3.1}) {
    const auto x = sampled(20000, [&](double n) {
      return 2 * std::sin(2 * pi * 0.01 * n) + std::sin(2 * pi * 0.26 * n + phase);
    });
    Road road = road_over({x}, parse_chain("decimate 4 keep"));
    collect(road);
    ASSERT_EQ(road.reports()[0].cautions.size(), 1u) << phase;
    EXPECT_THAT(road.reports()[0].cautions[0].text, HasSubstr("707 mV RMS")) << phase;
  }
}

TEST(Resample, IsFlatOverNineTenthsAndFreeOfImages) {
  struct Ratio {
    const char* rate;
    double hz;
  };
  for (const Ratio& to : {Ratio{"1470Hz", 1470},
                          {"999.87Hz", 999.87},
                          {"640Hz", 640},
                          {"3141.5926Hz", 3141.5926},
                          {"130Hz", 130}}) {
    const double band = std::min(1000.0, to.hz) / 2;
    for (const double share : {0.03, 0.5, 0.9}) {
      const double f = share * band;
      const auto x = sampled(8000, [&](double n) { return std::cos(2 * pi * f / 1000 * n + 0.3); });
      const auto y = through(std::string("resample ") + to.rate, x, 1000, 3000);
      EXPECT_EQ(y.size(), static_cast<std::size_t>(std::ceil(8000 * to.hz / 1000 * (1 - 1e-12))));
      double worst = 0;
      for (std::size_t k = y.size() / 4; k < 3 * y.size() / 4; ++k)
        worst = std::max(worst, std::abs(y[k] - std::cos(2 * pi * f / to.hz * static_cast<double>(k) + 0.3)));
      // 100 dB: images, ripple and misplacement together.
      EXPECT_LT(worst, 1.2e-5) << to.rate << " " << share;
    }
    if (1.02 * band < 490) {
      // What is above the new band is gone.
      const double f = 1.02 * band;
      const auto y =
          through(std::string("resample ") + to.rate,
                  sampled(8000, [&](double n) { return std::cos(2 * pi * f / 1000 * n); }), 1000, 3000);
      double most = 0;
      for (std::size_t k = y.size() / 4; k < 3 * y.size() / 4; ++k) most = std::max(most, std::abs(y[k]));
      EXPECT_LT(decibels_of(most), -100) << to.rate;
    }
  }
}

TEST(Resample, KeepsALineToItsEndsAndTheStart) {
  const auto x = sampled(1000, [](double n) { return 5 + 0.25 * n; });
  Road road = road_over({x}, parse_chain("resample 1470Hz"), 1000, -0.3);
  EXPECT_DOUBLE_EQ(road.recording().axis.start, -0.3);
  EXPECT_EQ(road.recording().samples, 1470);
  const auto y = collect(road)[0];
  for (std::size_t k = 0; k < y.size(); ++k)
    ASSERT_NEAR(y[k], 5 + 0.25 * static_cast<double>(k) / 1.47, 1e-3) << k;
}

TEST(Gate, OfAStampedRecordGoesByItsStamps) {
  // Half of the samples lie in the first tenth of the time.
  std::vector<double> t, x;
  for (int n = 0; n < 200; ++n) t.push_back(n < 100 ? n * 1e-3 : 0.1 + (n - 100) * 9e-3), x.push_back(n);
  Road road = stamped_road("gate 50ms..190ms", t, x);
  std::vector<double> times, values;
  road.resolve();
  road.run([&](Block& block) {
    times.insert(times.end(), block.stamps().begin(), block.stamps().end());
    values.insert(values.end(), block.samples(0).begin(), block.samples(0).end());
  });
  EXPECT_EQ(road.recording().samples, 61);  // 50 to 99 ms by 1 ms, then 100 to 190 ms by 9 ms.
  ASSERT_EQ(times.size(), 61u);
  EXPECT_DOUBLE_EQ(times.front(), 0.05);
  EXPECT_DOUBLE_EQ(times.back(), 0.19);
  for (std::size_t n = 0; n < times.size(); ++n)
    EXPECT_DOUBLE_EQ(times[n], t[static_cast<std::size_t>(values[n])]);
  EXPECT_THROW(stamped_road("gate 5s..6s", t, x).resolve(), Error);
}

TEST(Rates, WrongOnesAreRefused) {
  const std::vector<double> x(100, 1.0);
  EXPECT_THAT(chain_error("decimate 1", x), HasSubstr("1"));
  EXPECT_THAT(chain_error("decimate 101", x), HasSubstr("fewer than the factor"));
  EXPECT_THAT(chain_error("decimate 4 filter keep", x), HasSubstr("exclude each other"));
  EXPECT_THAT(chain_error("resample 1mHz", x), HasSubstr("shorter than one sample"));
  EXPECT_THAT(chain_error("resample", x), HasSubstr("a value is missing"));
}

}  // namespace
}  // namespace vprism::rate_test
