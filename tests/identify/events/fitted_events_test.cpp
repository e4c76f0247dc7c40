// Events fitted on the samples: beside steady lines, one upon another, and those that lines made.
#include "identify/events/fitted_events.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

namespace vprism::fitted_events_test {
namespace {

constexpr double pi = std::numbers::pi, rate = 1000;

struct Record {
  std::vector<double> x;
  double duration_s() const { return static_cast<double>(x.size()) / rate; }
};

template <typename Value>
Record record(std::size_t count, double noise_rms, const Value& value) {
  std::mt19937_64 bits(4);
  std::normal_distribution<double> noise(0, noise_rms);
  Record out;
  for (std::size_t n = 0; n < count; ++n) out.x.push_back(noise(bits) + value(static_cast<double>(n) / rate));
  return out;
}

std::vector<EventFit> fitted(const Record& r, const std::vector<SeenEvent>& events) {
  Stretches stretches = stretches_of(events, rate, r.duration_s());
  for (std::size_t at = 0; at < r.x.size(); at += 777)
    stretches.add(static_cast<std::int64_t>(at),
                  std::span<const double>(r.x).subspan(at, std::min<std::size_t>(777, r.x.size() - at)));
  return fit_events(events, stretches, rate, r.duration_s());
}

double bell(double t, double middle, double width, double hz) {
  return std::exp(-std::pow((t - middle) / width, 2) / 2) * std::cos(2 * pi * hz * (t - middle));
}
double ring(double t, double from, double lasts, double hz) {
  return t < from ? 0 : std::exp(-(t - from) / lasts) * std::sin(2 * pi * hz * (t - from));
}

TEST(FittedEvents, ALineBesideAnEventChangesNothing) {
  for (const double line : {0.0, 0.3, 3.0}) {
    const Record r = record(10000, 0.01, [&](double t) {
      return bell(t, 4, 0.1, 90) + line * std::cos(2 * pi * 141.7 * t + 1) +
             line / 3 * std::cos(2 * pi * 31.1 * t);
    });
    const auto fits = fitted(r, {{4.01, 3.8, 4.2, 91, 0.2}});
    ASSERT_TRUE(fits[0].fit) << line;
    EXPECT_EQ(fits[0].fit->shape, BurstShape::bell);
    EXPECT_NEAR(fits[0].fit->time_s, 4, 4 * fits[0].fit->time_std_s);
    EXPECT_NEAR(fits[0].fit->hz, 90, 4 * fits[0].fit->hz_std);
    EXPECT_NEAR(fits[0].fit->amplitude, 1, 4 * fits[0].fit->amplitude_std);
    EXPECT_LT(fits[0].fit->time_std_s, 0.002) << line;
  }
}

TEST(FittedEvents, WhatALineMadeIsNone) {
  // The end of the record cuts the line, which then reads at all frequencies: nothing is left there without
  // it.
  const Record r = record(8000, 0.01, [](double t) { return std::cos(2 * pi * 141.7 * t + 1); });
  const auto fits = fitted(r, {{0.003, 0, 0.2, 100, 0.2}});
  EXPECT_TRUE(fits[0].merged);
  EXPECT_FALSE(fits[0].fit);
}

TEST(FittedEvents, TheTailOfARingDownIsPartOfIt) {
  const Record r = record(10000, 0.001, [](double t) { return ring(t, 3, 0.05, 200); });
  // The map shows a summit in its tail as well, 15 dB over the noise's threshold.
  const auto fits = fitted(r, {{3.01, 3, 3.05, 200, 0.015, 1000}, {3.2, 3.15, 3.22, 199, 0.015, 30}});
  ASSERT_TRUE(fits[0].fit);
  EXPECT_EQ(fits[0].fit->shape, BurstShape::decay);
  EXPECT_NEAR(fits[0].fit->width_s, 0.05, 4 * fits[0].fit->width_std_s);
  EXPECT_TRUE(fits[1].merged);
}

TEST(FittedEvents, TwoThatStandApartAreTwo) {
  const Record r = record(10000, 0.01, [](double t) {
    return ring(t, 3, 0.05, 200) + 0.5 * ring(t, 3.4, 0.04, 230) + std::cos(2 * pi * 60 * t);
  });
  const auto fits = fitted(r, {{3.01, 3, 3.06, 200, 0.02, 1000}, {3.41, 3.4, 3.45, 230, 0.02, 300}});
  ASSERT_TRUE(fits[0].fit && fits[1].fit);
  EXPECT_NEAR(fits[1].fit->time_s, 3.4, 0.001);
  EXPECT_NEAR(fits[1].fit->hz, 230, 4 * fits[1].fit->hz_std);
  EXPECT_NEAR(fits[1].fit->amplitude, 0.5, 4 * fits[1].fit->amplitude_std);
}

TEST(FittedEvents, GapsAndStretchesThatAreTooLongAreLeftAlone) {
  Record r = record(6000, 0.01, [](double t) { return bell(t, 3, 0.1, 90); });
  r.x[3000] = std::nan("");
  const auto fits = fitted(r, {{3, 2.8, 3.2, 90, 0.2}});
  EXPECT_FALSE(fits[0].fit);
  EXPECT_FALSE(fits[0].merged);
  EXPECT_EQ(stretches_of({{300000, 100000, 500000, 1, 10}}, rate, 1e6).samples(), 0u);
}

}  // namespace
}  // namespace vprism::fitted_events_test
