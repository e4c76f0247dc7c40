// levels_test.cpp: the command `levels`.
#include <gmock/gmock.h>

#include <cmath>

#include "cli/run_program.h"

namespace vprism::levels_test {
namespace {

using testing::HasSubstr;

class Loud : public testing::Test {
 protected:
  Loud() {
    // 1 Pa RMS, ten times that from 4 to 6 s and from 8 to 8.5 s.
    std::string text = "time (s),p (Pa)\n";
    for (int n = 0; n < 20000; ++n) {
      const double t = n * 5e-4;
      const double gain = (t >= 4 && t < 6) || (t >= 8 && t < 8.5) ? 10 : 1;
      char row[60];
      std::snprintf(row, sizeof row, "%.4f,%.8f\n", t, gain * std::sqrt(2) * std::sin(2 * M_PI * 100 * t));
      text += row;
    }
    folder.write("p.csv", text);
  }
  ScratchFolder folder;
};

TEST_F(Loud, HowOftenHowLongAndWhen) {
  const auto document =
      document_of(folder, "levels p.csv --every 100ms --over 5 --over 5000mPa --figure none");
  const auto& r = document["results"][0];
  ASSERT_EQ(r["levels"].size(), 100u);
  EXPECT_NEAR(number_of(r["levels"][0]["rms"]), 1, 1e-6);
  EXPECT_NEAR(number_of(r["levels"][45]["rms"]), 10, 1e-5);
  EXPECT_NEAR(number_of(r["levels"][45]["time_s"]), 4.55, 1e-9);
  for (int k : {0, 1}) {
    const auto& e = r["exceedances"][static_cast<std::size_t>(k)];
    EXPECT_EQ(e["count"].get<int>(), 2);
    EXPECT_NEAR(number_of(e["total_s"]), 2.5, 1e-9);
    EXPECT_NEAR(number_of(e["longest_s"]), 2, 1e-9);
    EXPECT_NEAR(number_of(e["runs"][1]["from_s"]), 8, 1e-9);
    EXPECT_NEAR(number_of(e["share"]), 0.25, 1e-9);
  }
  EXPECT_NEAR(number_of(r["rms_total"]), std::sqrt(0.25 * 100 + 0.75), 1e-5);
  EXPECT_NEAR(number_of(r["percentiles"][2]["level"]), 10, 1e-5);
  EXPECT_THAT(error_line(folder, "levels p.csv --over 5V", 2), HasSubstr("not in V"));
  EXPECT_THAT(error_line(folder, "levels p.csv --every 1us", 2), HasSubstr("fewer than two samples"));
}

TEST_F(Loud, TheRunningLevelInDecibels) {
  const ProgramRun run = run_program(
      folder, "levels p.csv --every 100ms --time-constant fast --db 20e-6 --quiet --figure none --to npy");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("113.9"));
  const auto document = document_of(folder, "levels p.csv --every 100ms --time-constant fast --figure none");
  const auto& r = document["results"][0]["levels"];
  // A second after the loud part began it has nearly settled; a second after its end it has fallen by 34.7
  // dB, to 1 Pa.
  EXPECT_NEAR(number_of(r[49]["level"]), 10, 0.01);
  EXPECT_NEAR(number_of(r[69]["level"]), std::sqrt(1 + 99 * std::exp(-8.0)), 0.01);
  const auto again = document_of(folder, "inspect vprism-out/p-levels-series.npy --figure none");
  EXPECT_EQ(again["inputs"][0]["channels"].size(), 4u);
}

TEST_F(Loud, WithinBands) {
  const auto document =
      document_of(folder, "levels p.csv --every 100ms --bands octave --over 5 --figure none");
  const auto& all = document["results"];
  // The channel itself, then bands from 40 Hz (four periods in a stretch) to 0.45 of the rate.
  EXPECT_TRUE(all[0]["low_hz"].is_null());
  double loudest = 0;
  std::string name;
  for (std::size_t i = 1; i < all.size(); ++i) {
    EXPECT_EQ(text_of(all[i]["channel"]), "p");
    EXPECT_GE(number_of(all[i]["low_hz"]), 39);
    EXPECT_LE(number_of(all[i]["high_hz"]), 900);
    const double rms = number_of(all[i]["rms_total"]);
    if (rms > loudest) loudest = rms, name = text_of(all[i]["band"]);
  }
  EXPECT_EQ(name, "125 Hz");  // 89 to 178 Hz.
  EXPECT_NEAR(loudest, number_of(all[0]["rms_total"]), 0.3);
  EXPECT_EQ(all[2]["exceedances"][0]["count"].get<int>(), 2);
  const auto own =
      document_of(folder, "levels p.csv --every 100ms --bands 50Hz..200Hz,200Hz..800Hz --figure none");
  ASSERT_EQ(own["results"].size(), 3u);
  EXPECT_NEAR(number_of(own["results"][1]["levels"][30]["rms"]), 1, 0.02);
  // One octave below its edge, a filter of order 3 has 1 / (1 + 2.25^6) of the power left.
  EXPECT_LT(number_of(own["results"][2]["levels"][30]["rms"]), 0.1);
  EXPECT_THAT(error_line(folder, "levels p.csv --bands 200Hz..1500Hz", 2), HasSubstr("half the rate"));
  EXPECT_THAT(error_line(folder, "levels p.csv --bands fifth", 2), HasSubstr("octave"));
  const ProgramRun run = run_program(folder, "levels p.csv --every 100ms --bands third --out o --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  EXPECT_NE(ScratchFolder::read(folder.path("o/p-levels.csv")).find("p, 100 Hz rms (Pa)"), std::string::npos);
  EXPECT_EQ(ScratchFolder::read(folder.path("o/p-levels.png")).substr(1, 3), "PNG");
}

}  // namespace
}  // namespace vprism::levels_test
