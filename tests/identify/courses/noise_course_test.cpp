// Noise that is louder at some times is found with its times and its power; nothing else is taken for it.
#include "identify/courses/noise_course.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

namespace vprism::noise_course_test {
namespace {

constexpr double tau = 2 * std::numbers::pi;

std::vector<double> noise(std::mt19937_64& bits, std::size_t count, double rms = 1) {
  std::normal_distribution<double> dice(0, rms);
  std::vector<double> x(count);
  for (double& v : x) v = dice(bits);
  return x;
}

TEST(NoiseCourse, ALouderStretchIsMeasured) {
  std::mt19937_64 bits(3);
  for (const auto& [count, first, end, times] :
       {std::tuple{4096u, 1000u, 2200u, 3.0}, std::tuple{30000u, 20000u, 21500u, 2.0},
        std::tuple{120000u, 0u, 40000u, 10.0}}) {
    std::vector<double> x = noise(bits, count, 0.2);
    // The colour is the same in both.
    for (std::size_t n = 1; n < count; ++n) x[n] += 0.8 * x[n - 1];
    for (std::size_t n = first; n < end; ++n) x[n] *= times;
    const auto course = find_noise_course(x);
    ASSERT_TRUE(course) << count;
    std::size_t from = count, to = 0;
    for (const NoiseStretch& s : course->stretches)
      if (s.louder) from = std::min(from, s.first), to = std::max(to, s.end);
    EXPECT_NEAR(static_cast<double>(from), first, 60) << count;
    EXPECT_NEAR(static_cast<double>(to), end, 60) << count;
    const double square = 0.04 / (1 - 0.64), share = static_cast<double>(end - first) / count;
    EXPECT_NEAR(course->excess_rms, std::sqrt(square * (times * times - 1) * share),
                0.12 * course->excess_rms);
    // Evened, both parts are alike.
    const std::vector<double> even = course->evened(x);
    double inside = 0, outside = 0;
    for (std::size_t n = 0; n < count; ++n) (n >= first && n < end ? inside : outside) += even[n] * even[n];
    EXPECT_NEAR(std::log(inside / (end - first) / (outside / (count - (end - first)))), 0, 0.25);
  }
}

TEST(NoiseCourse, SteadyNoiseHeavyTailsLinesAndImpulsesHaveNone) {
  std::mt19937_64 bits(4);
  std::student_t_distribution<double> heavy(2.5);
  int found = 0;
  for (int trial = 0; trial < 100; ++trial) {
    const std::size_t count = 3500 + bits() % 30000;
    std::vector<double> x = noise(bits, count, trial % 5 == 0 ? 1 : 0.01);
    for (std::size_t n = 0; n < count; ++n) {
      const double t = static_cast<double>(n) / static_cast<double>(count);
      if (trial % 5 == 1) x[n] = heavy(bits);
      // A line that breathes, one that dies away, ringing at a rate.
      if (trial % 5 == 2) x[n] += (1 + 0.5 * std::cos(tau * 1.3 * t)) * std::cos(tau * 300.3 * t);
      if (trial % 5 == 3) x[n] += std::exp(-9 * t) * std::cos(tau * 700.2 * t);
      if (trial % 5 == 4)
        x[n] += std::exp(-static_cast<double>(n % 250) / 12) * std::sin(0.9 * static_cast<double>(n % 250));
    }
    found += find_noise_course(x) ? 1 : 0;
  }
  EXPECT_LE(found, 1);
  EXPECT_FALSE(find_noise_course(std::vector<double>(9000, 0.0)));
  EXPECT_FALSE(find_noise_course(noise(bits, 100)));
}

}  // namespace
}  // namespace vprism::noise_course_test
