// computed_channels_test.cpp: --compute on the commands.
#include <gmock/gmock.h>

#include <cmath>

#include "cli/run_program.h"

namespace vprism::computed_channels_test {
namespace {

using testing::HasSubstr;

class ComputedChannels : public testing::Test {
 protected:
  ComputedChannels() {
    std::string text = "time (s),phase U (mV),current (A)\n";
    for (int n = 0; n < 4000; ++n) {
      char row[80];
      const double t = n * 1e-3;
      std::snprintf(row, sizeof row, "%.3f,%.7f,%.7f\n", t, 2000 * std::sin(2 * M_PI * 50 * t),
                    3 * std::sin(2 * M_PI * 50 * t - M_PI / 3));
      text += row;
    }
    folder.write("a.csv", text);
  }
  ScratchFolder folder;
};

TEST_F(ComputedChannels, MeanPowerIsThatOfTheClosedForm) {
  const auto document = document_of(
      folder, "inspect a.csv --compute 'power (W) = \"phase U\" * current' --channel power --figure none");
  ASSERT_EQ(document["results"].size(), 1u);
  EXPECT_EQ(text_of(document["results"][0]["unit"]), "W");
  // 2 V 3 A / 2 cos 60 deg.
  EXPECT_NEAR(number_of(document["results"][0]["mean"]), 1.5, 1e-6);
  const auto spectrum =
      document_of(folder, "spectrum a.csv --compute 'p = \"phase U\" * current' --channel p --figure none");
  EXPECT_NEAR(number_of(spectrum["results"][0]["peaks"][0]["frequency_hz"]), 100, 1e-3);
  EXPECT_NEAR(number_of(spectrum["results"][0]["peaks"][0]["level"]), 3 / std::sqrt(2), 1e-3);
}

TEST_F(ComputedChannels, StandBehindCalibrationAndBeforeTheChain) {
  const auto document =
      document_of(folder,
                  "inspect a.csv --calibrate 'current: gain 2' --compute 'p = \"phase U\" * current' --chain "
                  "'scale 10' --figure none");
  ASSERT_EQ(document["results"].size(), 3u);
  EXPECT_NEAR(number_of(document["results"][2]["mean"]), 10 * 1.5 / 2, 1e-5);
}

TEST_F(ComputedChannels, MistakesAreOneLine) {
  EXPECT_THAT(error_line(folder, "inspect a.csv --compute 'x = \"phase U\" + current'", 2),
              HasSubstr("unlike things"));
  EXPECT_THAT(error_line(folder, "inspect a.csv --compute 'x = curent * 2'", 2),
              HasSubstr("did you mean \"current\""));
  EXPECT_THAT(error_line(folder, "inspect a.csv --compute 'x (A) = current * current'", 2),
              HasSubstr("which is no A"));
  EXPECT_THAT(error_line(folder, "inspect a.csv --compute 'x = current' --channel y", 2), HasSubstr("y"));
  EXPECT_THAT(error_line(folder, "inspect a.csv --compute 'x = current' --calibrate 'nothing: gain 2'", 2),
              HasSubstr("nothing"));
}

TEST_F(ComputedChannels, AreWrittenLikeOthers) {
  ASSERT_EQ(
      run_program(folder,
                  "convert a.csv --compute 'r = \"phase U\" / current' --channel r --to csv --quiet --out o")
          .status,
      0);
  EXPECT_THAT(ScratchFolder::read(folder.path("o/a.csv")).substr(0, 40), HasSubstr("r (ohm)"));
}

}  // namespace
}  // namespace vprism::computed_channels_test
