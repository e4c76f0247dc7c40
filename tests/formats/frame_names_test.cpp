// frame_names_test.cpp: which number in files' names counts the frames.
#include "formats/frame_names.h"

#include <fmt/format.h>
#include <gmock/gmock.h>

#include "base/error.h"

namespace vprism::frame_names_test {
namespace {

using ::testing::ElementsAre;
using ::testing::HasSubstr;

std::vector<std::string> named(int count, const std::function<std::string(int)>& name) {
  std::vector<std::string> out;
  for (int n = 0; n < count; ++n) out.push_back("run/" + name(n));
  return out;
}

std::vector<std::string> codes(const FrameSeries& series) {
  std::vector<std::string> out;
  for (const Caution& c : series.cautions) out.push_back(c.code);
  return out;
}

std::string complaint(const std::vector<std::string>& paths, const std::string& part = "") {
  try {
    frame_series("run", paths, part);
  } catch (const Error& error) {
    return error.what();
  }
  return "read";
}

TEST(FrameNames, ASingleNumberCountsWithOrWithoutZeros) {
  const FrameSeries plain =
      frame_series("run", named(12, [](int n) { return fmt::format("f{}.csv", n + 95); }), "");
  EXPECT_EQ(plain.frames, 12);
  EXPECT_EQ(plain.files.front().path, "run/f95.csv");
  EXPECT_EQ(plain.files.back().path, "run/f106.csv");
  EXPECT_TRUE(plain.cautions.empty());
  EXPECT_EQ(frame_series("run", named(5, [](int n) { return fmt::format("f{:05}.txt", 10 * n); }), "").step,
            10);
}

TEST(FrameNames, AConstantNumberBehindIsNoCount) {
  const FrameSeries series =
      frame_series("run", named(20, [](int n) { return fmt::format("B{:03}_side2_v1.dat", n); }), "");
  EXPECT_EQ(series.frames, 20);
  EXPECT_TRUE(series.parts.empty());
  EXPECT_THAT(codes(series), ElementsAre("frame-number"));
}

TEST(FrameNames, ATimeOfDayThatGoesAlongDoesNotCount) {
  // 10:00:58, 10:00:59, 10:01:00: its steps are 1 and 41.
  const FrameSeries series = frame_series("run",
                                          named(90,
                                                [](int n) {
                                                  const int s = 36000 + n;
                                                  return fmt::format("shot{:04}_{:02}{:02}{:02}.csv", n,
                                                                     s / 3600, s / 60 % 60, s % 60);
                                                }),
                                          "");
  EXPECT_EQ(series.frames, 90);
  EXPECT_EQ(series.step, 1);
  EXPECT_EQ(series.files[61].number, 61);
}

TEST(FrameNames, RecordingsInOneFolderAreParts) {
  const auto paths = named(30, [](int n) { return fmt::format("cam{}_{:03}.csv", 1 + n % 3, n / 3); });
  const FrameSeries first = frame_series("run", paths, "");
  ASSERT_EQ(first.parts.size(), 3u);
  EXPECT_EQ(first.parts[1].name, "cam 2");
  EXPECT_EQ(first.parts[1].what, "10 frames");
  EXPECT_EQ(first.files[4].path, "run/cam1_004.csv");
  EXPECT_THAT(codes(first), ::testing::Contains("tables"));
  EXPECT_EQ(frame_series("run", paths, "cam 3").files[4].path, "run/cam3_004.csv");
  EXPECT_EQ(frame_series("run", paths, "2").files[4].path, "run/cam2_004.csv");
  EXPECT_THAT(complaint(paths, "cam 4"), HasSubstr("unknown part \"cam 4\""));
}

TEST(FrameNames, DecimalPointsBelongToTheNumber) {
  const FrameSeries series =
      frame_series("run", named(11, [](int n) { return fmt::format("t{:.3f}.csv", 0.95 + 0.01 * n); }), "");
  EXPECT_EQ(series.frames, 11);
  EXPECT_NEAR(series.step, 0.01, 1e-12);
}

TEST(FrameNames, MissingOnesAreCountedAndDoubledOnesRefused) {
  auto paths = named(10, [](int n) { return fmt::format("f{}.csv", n); });
  paths.erase(paths.begin() + 4, paths.begin() + 6);
  EXPECT_EQ(frame_series("run", paths, "").frames, 10);
  paths.push_back("run/f007.csv");
  EXPECT_THAT(complaint(paths), HasSubstr("the frame 7 is there twice"));
}

TEST(FrameNames, OtherNamesAreLeftOutAndSaidSo) {
  auto paths = named(10, [](int n) { return fmt::format("f{}.csv", n); });
  paths.push_back("run/calibration2.csv"), paths.push_back("run/readme.txt");
  const FrameSeries series = frame_series("run", paths, "");
  EXPECT_EQ(series.frames, 10);
  ASSERT_THAT(codes(series), ElementsAre("files-left-out"));
  EXPECT_THAT(series.cautions[0].text, HasSubstr("1 file with"));
}

TEST(FrameNames, WhatIsNoSeriesIsRefused) {
  EXPECT_THAT(complaint(named(3, [](int n) { return fmt::format("f{}.csv", n); })),
              HasSubstr("3 files with a number"));
  EXPECT_THAT(complaint(named(8, [](int n) { return fmt::format("f{}.csv", n == 7 ? 100000 : n); })),
              HasSubstr("from 0 to 100000 for 8 files"));
  EXPECT_THAT(complaint(named(8, [](int n) { return fmt::format("f{}.csv", n); }), "x"),
              HasSubstr("holds one recording"));
}

}  // namespace
}  // namespace vprism::frame_names_test
