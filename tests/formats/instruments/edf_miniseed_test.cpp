// EDF and miniSEED: files written by the libraries of those formats, and damaged ones.
#include <gmock/gmock.h>

#include <cmath>

#include "formats/foreign_files.h"
#include "formats/reading.h"

namespace vprism::edf_miniseed_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

constexpr long long begin_us = 1793740445000000;

std::vector<int> ramp(int from, int count) {
  std::vector<int> out;
  for (int i = 0; i < count; ++i) out.push_back(from + i);
  return out;
}

TEST(MiniSeed, ChannelsShareAGridFromTheEarliestStart) {
  const ScratchFolder folder;
  const WholeRecording r = read_file(
      folder.write("x.mseed", miniseed_records("TERN", "BHZ", 20, begin_us, ramp(0, 2000)) +
                                  miniseed_records("TERN", "BHN", 20, begin_us + 500000, ramp(5000, 1980))));
  EXPECT_THAT(r.names(), ElementsAre("XX.TERN.00.BHZ", "XX.TERN.00.BHN"));
  EXPECT_EQ(r.recording.samples, 2000);
  EXPECT_DOUBLE_EQ(r.recording.axis.rate_hz(), 20);
  EXPECT_EQ(r.recording.zero_ns, begin_us * 1000);
  for (int n = 0; n < 2000; ++n) EXPECT_EQ(r.columns[0][static_cast<std::size_t>(n)], n);
  EXPECT_TRUE(std::isnan(r.columns[1][9]));  // Half a second late.
  EXPECT_EQ(r.columns[1][10], 5000);
  EXPECT_TRUE(std::isnan(r.columns[1][1990]));
}

TEST(MiniSeed, GapsAndOverlapsAreCautionsWhereThereAreSome) {
  const ScratchFolder folder;
  const std::string first = miniseed_records("TERN", "BHZ", 20, begin_us, ramp(0, 400));
  const WholeRecording whole = read_file(folder.write(
      "a.mseed", first + miniseed_records("TERN", "BHZ", 20, begin_us + 20000000, ramp(400, 400))));
  EXPECT_TRUE(whole.codes().empty());
  EXPECT_EQ(whole.recording.samples, 800);
  const WholeRecording gap = read_file(folder.write(
      "b.mseed", first + miniseed_records("TERN", "BHZ", 20, begin_us + 25000000, ramp(500, 400))));
  EXPECT_TRUE(gap.warns_of("gaps"));
  EXPECT_TRUE(std::isnan(gap.columns[0][450]));
  EXPECT_EQ(gap.columns[0][500], 500);
  const WholeRecording over = read_file(folder.write(
      "c.mseed", first + miniseed_records("TERN", "BHZ", 20, begin_us + 15000000, ramp(300, 400))));
  EXPECT_TRUE(over.warns_of("overlap"));
  EXPECT_EQ(over.recording.samples, 700);
}

TEST(MiniSeed, RatesAreParts) {
  const ScratchFolder folder;
  const std::string path =
      folder.write("x.mseed", miniseed_records("TERN", "LHZ", 1, begin_us, ramp(0, 50)) +
                                  miniseed_records("TERN", "HHZ", 100, begin_us, ramp(0, 500)));
  const WholeRecording fast = read_file(path);
  ASSERT_EQ(fast.recording.parts.size(), 2u);
  EXPECT_EQ(fast.recording.samples, 500);
  ReadSettings settings;
  settings.part = "1 Hz";
  EXPECT_EQ(read_file(path, settings).recording.samples, 50);
}

TEST(MiniSeed, DamageIsTold) {
  const ScratchFolder folder;
  const std::string good = miniseed_records("TERN", "BHZ", 20, begin_us, ramp(0, 2000));
  ASSERT_GT(good.size(), 1024u);
  EXPECT_THAT(error_of(folder.write("a.mseed", good.substr(0, good.size() - 100))),
              HasSubstr("file ends within it"));
  std::string far = miniseed_records("TERN", "BHZ", 20, begin_us, ramp(0, 100)) +
                    miniseed_records("TERN", "BHZ", 20, begin_us + 4000000000000000, ramp(0, 100));
  EXPECT_THAT(error_of(folder.write("b.mseed", far)), HasSubstr("gap"));
  std::string junk = good;
  junk.replace(512, 64, std::string(64, 'x'));
  EXPECT_TRUE(read_file(folder.write("c.mseed", junk)).warns_of("trailing-data"));
}

class EdfFiles : public ::testing::Test {
 protected:
  EdfFiles() {
    for (int i = 0; i < 60; ++i) {
      slow_.push_back(-i);
      for (int k = 0; k < 4; ++k) fast_.push_back(i + 0.25 * k);
    }
    path_ = folder_.path("x.edf");
    write_edf(path_, {40, 10}, {fast_, slow_}, 6);
  }
  ScratchFolder folder_;
  std::string path_;
  std::vector<double> fast_, slow_;
};

TEST_F(EdfFiles, SignalsOfOneRateAreAPartInPhysicalUnits) {
  const WholeRecording r = read_file(path_);
  ASSERT_EQ(r.recording.parts.size(), 2u);
  EXPECT_THAT(r.names(), ElementsAre("first"));
  EXPECT_EQ(r.recording.channels[0].unit.text(), "uV");
  EXPECT_EQ(r.recording.channels[0].quantity, "voltage");
  EXPECT_DOUBLE_EQ(r.recording.axis.rate_hz(), 40);
  ASSERT_EQ(r.columns[0].size(), 240u);
  for (std::size_t n = 0; n < 240; ++n)
    EXPECT_NEAR(r.columns[0][n], fast_[n], 0.1001);  // Steps of 0.1 uV, cut off by the writer.
  EXPECT_EQ(r.recording.zero_ns, begin_us * 1000);
  EXPECT_THAT(r.recording.notes, ::testing::Contains(::testing::Pair("at 500 ms", "shutter opens")));
  ReadSettings settings;
  settings.part = "10 Hz";
  const WholeRecording slow = read_file(path_, settings);
  EXPECT_EQ(slow.columns[0].size(), 60u);
  EXPECT_NEAR(slow.columns[0][59], -59, 0.1001);
}

TEST_F(EdfFiles, DamageIsTold) {
  const std::string good = ScratchFolder::read(path_);
  const auto error_with = [&](std::size_t at, const std::string& field) {
    std::string bad = good;
    bad.replace(at, field.size(), field);
    return error_of(folder_.write("bad.edf", bad));
  };
  EXPECT_EQ(error_with(0, "0"), "");
  EXPECT_THAT(error_with(236, "-5      "), HasSubstr("-5 data records"));
  EXPECT_THAT(error_with(252, "9999"), HasSubstr("9999 signals"));
  EXPECT_THAT(error_with(252, "-1  "), HasSubstr("-1 signals"));
  EXPECT_THAT(error_with(184, "99      "), HasSubstr("damaged EDF header"));
  EXPECT_THAT(error_of(folder_.write("cut.edf", good.substr(0, good.size() / 2))), HasSubstr("damaged"));
}

}  // namespace
}  // namespace vprism::edf_miniseed_test
