// Steps of the chain as functions of computed channels, and the running steps themselves.
#include "condition/computed/computed_steps.h"

#include <gmock/gmock.h>

#include <cmath>
#include <numbers>

#include "base/error.h"
#include "condition/road_over.h"

namespace vprism::computed_steps_test {
namespace {

using std::numbers::pi;
using testing::ElementsAre;
using testing::HasSubstr;

/// Of a current of 50 Hz and one of 400 Hz, 2 s at 10 kHz.
ChainRun run(Chain chain) {
  Recording recording;
  recording.file = "made.csv";
  recording.axis.interval = 1e-4;
  recording.channels = {{"i", Unit::parse("mA"), ""}, {"phase U", Unit::parse("V"), ""}};
  std::vector<std::vector<double>> data(2);
  for (int n = 0; n < 20000; ++n) {
    const double t = n * 1e-4;
    data[0].push_back(3 + 2 * std::cos(2 * pi * 50 * t) + std::cos(2 * pi * 400 * t));
    data[1].push_back(n);
  }
  return made_by(std::move(recording), std::move(data), std::move(chain));
}

ChainRun computed(const std::vector<std::string>& rules, const std::vector<std::string>& chosen = {}) {
  std::vector<ComputeRule> parsed;
  for (const std::string& rule : rules) parsed.push_back(parse_compute_rule(rule));
  return run(make_compute_stages(std::move(parsed), chosen));
}

std::string refused(const std::string& rule) {
  try {
    computed({rule});
  } catch (const Error& error) {
    return error.what();
  }
  return "taken";
}

TEST(ComputedSteps, AFunctionIsTheStepAndItsUnitFollows) {
  const ChainRun made = computed({"smooth = lowpass(i, 120 Hz order 6 zero-phase) - mean(i)",
                                  "charge (mC) = integrate(i - 3 mA, from 1 Hz)", "double = 2 * smooth"});
  std::vector<std::string> names, units;
  for (const Channel& c : made.recording.channels) names.push_back(c.name), units.push_back(c.unit.text());
  EXPECT_THAT(names, ElementsAre("i", "phase U", "smooth", "charge", "double"));
  EXPECT_THAT(units, ElementsAre("mA", "V", "mA", "mC", "mA"));
  for (const auto& column : made.columns) ASSERT_EQ(column.size(), 20000u);
  for (std::size_t n = 5000; n < 15000; n += 7) {
    const double t = static_cast<double>(n) * 1e-4;
    EXPECT_NEAR(made["smooth"][n], 2 * std::cos(2 * pi * 50 * t), 0.01);
    EXPECT_NEAR(made["double"][n], 2 * made["smooth"][n], 1e-12);
    EXPECT_NEAR(made["charge"][n],
                2 * std::sin(2 * pi * 50 * t) / (2 * pi * 50) + std::sin(2 * pi * 400 * t) / (2 * pi * 400),
                2e-5);
  }
}

TEST(ComputedSteps, TheyNestAndTakeExpressionsAndQuotedNames) {
  const ChainRun made = computed(
      {"level = rms(highpass('phase U' * 0 + 1 V, 200 Hz), 40ms) + rms(i - mean(i), 40 ms) / 1 mA * 1 V"},
      {"level"});
  ASSERT_EQ(made.columns.size(), 1u);
  // The first term has died away; 20 whole periods of one, 16 of the other in 40 ms.
  EXPECT_NEAR(made.columns[0][10000], std::sqrt(2 + 0.5), 0.01);
  const ChainRun later = computed({"late = delay(i, 3 ms) - i", "b = bandpass(i, 300 Hz, 500 Hz)"});
  EXPECT_TRUE(std::isnan(later["late"][29]));
  EXPECT_NEAR(later["late"][1030], later["i"][1000] - later["i"][1030], 1e-12);
  double square = 0;
  for (std::size_t n = 10000; n < 15000; ++n) square += later["b"][n] * later["b"][n] / 5000;
  EXPECT_NEAR(std::sqrt(square), std::sqrt(0.5), 0.01);
}

TEST(ComputedSteps, MistakesNameTheRule) {
  EXPECT_THAT(refused("a = lowpass(i)"), HasSubstr("--compute a"));
  EXPECT_THAT(refused("a = lowpass(nothing, 2 kHz)"), HasSubstr("nothing"));
  EXPECT_THAT(refused("a = lowpass(i, 2 kHz"), HasSubstr("parenthesis"));
  EXPECT_THAT(refused("a = lowpass(, 2 kHz)"), HasSubstr("needs a channel"));
  EXPECT_THAT(refused("a = lowpass(a, 2 kHz) + i"), HasSubstr("needs itself"));
  EXPECT_THAT(refused("a = mean(i) + 'phase U'"), HasSubstr("unlike"));
  // Other lengths and rates can't stand beside the rest.
  EXPECT_THAT(refused("a = decimate(i, 4)"), HasSubstr("decimate"));
}

TEST(RunningSteps, MeanAndRmsOverASpan) {
  const ChainRun made = run(parse_chain("mean 20ms"));
  // A period of 50 Hz and eight of 400 Hz, one sample more.
  EXPECT_NEAR(made["i"][10000], 3, 0.02);
  EXPECT_NEAR(made["phase U"][10000], 10000, 1e-9);
  // At an end the samples that are there.
  EXPECT_NEAR(made["phase U"][0], 50, 0.51);
  EXPECT_NEAR(made["phase U"].back(), 19999 - 50, 0.51);
  EXPECT_NEAR(run(parse_chain("rms 20ms"))["i"][10000], std::sqrt(9 + 2 + 0.5), 0.02);
  const ChainRun whole = run(parse_chain("rms"));
  EXPECT_NEAR(whole["i"][7], std::sqrt(9 + 2 + 0.5), 1e-9);
  EXPECT_NEAR(run(parse_chain("mean"))["phase U"][3], 9999.5, 1e-9);
  EXPECT_THROW(run(parse_chain("mean 0.1ms")), Error);
}

TEST(RunningSteps, TheEnvelopeIsTheAmplitude) {
  const ChainRun made = run(parse_chain("highpass 200Hz order 8 zero-phase | envelope"));
  for (std::size_t n = 2000; n < 18000; n += 11) EXPECT_NEAR(made["i"][n], 1, 2e-3) << n;
}

TEST(RunningSteps, ADelayMovesWholeSamplesAndParts) {
  const ChainRun whole = run(parse_chain("delay 1ms")), part = run(parse_chain("delay 1.03ms")),
                 earlier = run(parse_chain("delay -2ms"));
  ASSERT_EQ(whole["i"].size(), 20000u);
  ASSERT_EQ(part["i"].size(), 20000u);
  ASSERT_EQ(earlier["i"].size(), 20000u);
  EXPECT_TRUE(std::isnan(whole["i"][9]));
  EXPECT_EQ(whole["phase U"][10], 0);
  EXPECT_EQ(whole["phase U"].back(), 19989);
  EXPECT_EQ(earlier["phase U"][0], 20);
  EXPECT_TRUE(std::isnan(earlier["phase U"].back()));
  for (std::size_t n = 100; n < 19900; n += 13) {
    const double t = static_cast<double>(n) * 1e-4 - 1.03e-3;
    EXPECT_NEAR(part["i"][n], 3 + 2 * std::cos(2 * pi * 50 * t) + std::cos(2 * pi * 400 * t), 1e-5);
  }
  EXPECT_THROW(run(parse_chain("delay 3s")), Error);
}

}  // namespace
}  // namespace vprism::computed_steps_test
