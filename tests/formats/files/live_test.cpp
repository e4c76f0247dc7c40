// Streams: pipes, growing files, broken ends.
#include "formats/files/live.h"

#include <gmock/gmock.h>

#include <cmath>
#include <cstring>
#include <thread>

#include "base/error.h"
#include "formats/scratch_folder.h"

namespace vprism::live_test {
namespace {

using ::testing::HasSubstr;

/// A finished file as a stream that ends soon after it stops growing.
LiveSettings of_file(const std::string& path) {
  LiveSettings s;
  s.input = path;
  s.idle_end_s = 0.2;
  return s;
}

std::vector<std::vector<double>> all_of(LiveSource& source) {
  std::vector<std::vector<double>> out(source.recording().channels.size());
  Block block(out.size(), 7);
  while (source.read(block) > 0)
    for (std::size_t c = 0; c < out.size(); ++c)
      out[c].insert(out[c].end(), block.samples(c).begin(), block.samples(c).end());
  return out;
}

std::vector<std::string> codes(const LiveSource& source) {
  std::vector<std::string> out;
  for (const Caution& c : source.cautions()) out.push_back(c.code);
  return out;
}

TEST(LiveText, NamesUnitsAndRateComeFromItsLines) {
  const ScratchFolder folder;
  LiveSource source(of_file(
      folder.write("a.csv", "time (ms),mirror cell (m/s^2),pier\n10,1,2\n10.5,3,4\n11,5,6\n11.5,7,8\n")));
  const Recording& r = source.recording();
  ASSERT_EQ(r.channels.size(), 2u);
  EXPECT_EQ(r.channels[0].name, "mirror cell");
  EXPECT_EQ(r.channels[0].unit.text(), "m/s^2");
  EXPECT_NEAR(r.axis.rate_hz(), 2000, 1e-9);
  EXPECT_NEAR(r.axis.start, 0.01, 1e-12);
  EXPECT_EQ(all_of(source), (std::vector<std::vector<double>>{{1, 3, 5, 7}, {2, 4, 6, 8}}));
  EXPECT_TRUE(codes(source).empty());
}

TEST(LiveText, MissingInstantsKeepTheirPlacesAndBadLinesAreCounted) {
  const ScratchFolder folder;
  std::string text = "t,u\n";
  for (int n = 0; n < 40; ++n) text += std::to_string(n) + "," + std::to_string(10 * n) + "\n";
  // Instants 40 and 41 are missing, 43 cannot be read.
  LiveSource source(of_file(folder.write("a.csv", text + "# a remark\n42,420\nnonsense\n44,440\n45,450\n")));
  const auto data = all_of(source);
  ASSERT_EQ(data[0].size(), 46u);
  for (std::size_t n = 0; n < 46; ++n) {
    if (n == 40 || n == 41 || n == 43)
      EXPECT_TRUE(std::isnan(data[0][n])) << n;
    else
      EXPECT_EQ(data[0][n], 10.0 * static_cast<double>(n));
  }
  EXPECT_THAT(codes(source), ::testing::UnorderedElementsAre("bad-lines", "stream-gap"));
}

TEST(LiveText, IsLaidOutAsADelimitedFileIs) {
  const ScratchFolder folder;
  // Decimal commas, a preamble, a column of words: what the reader of files finds, a stream has too.
  LiveSource source(of_file(folder.write(
      "a.csv",
      "Test;pump 3\nZeit [ms];Kanal;Lager [g]\n0,5;A;1,25\n1,0;A;-2,5\n1,5;A;3,75\n2,0;B;5\n2,5;B;6\n")));
  EXPECT_NEAR(source.recording().axis.rate_hz(), 2000, 1e-6);
  ASSERT_EQ(source.recording().channels.size(), 1u);
  EXPECT_EQ(source.recording().channels[0].unit.text(), "g");
  EXPECT_EQ(all_of(source), (std::vector<std::vector<double>>{{1.25, -2.5, 3.75, 5, 6}}));
}

TEST(LiveText, ALineThatBreaksOffIsLeftOutAndSaidSo) {
  const ScratchFolder folder;
  LiveSettings settings = of_file(folder.write("a.txt", "1 2\n3 4\n5 "));
  settings.read.rate_hz = 10;
  LiveSource source(settings);
  EXPECT_EQ(all_of(source), (std::vector<std::vector<double>>{{1, 3}, {2, 4}}));
  EXPECT_THAT(codes(source), ::testing::ElementsAre("stream-cut"));
}

TEST(LiveText, WithoutTimesARateIsAskedFor) {
  const ScratchFolder folder;
  try {
    LiveSource source(of_file(folder.write("a.txt", "1 2\n3 4\n")));
    FAIL();
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), Status::usage);
    EXPECT_THAT(error.what(), HasSubstr("--rate"));
  }
}

TEST(LiveText, AnEmptyOrMissingStreamIsAnInputError) {
  const ScratchFolder folder;
  for (const std::string& name :
       {folder.write("empty", ""), folder.path("nowhere"), folder.write("words", "only words\n")}) {
    LiveSettings settings = of_file(name);
    settings.read.rate_hz = 1;
    try {
      LiveSource source(settings);
      FAIL() << name;
    } catch (const Error& error) {
      EXPECT_EQ(error.status(), Status::input) << error.what();
    }
  }
}

std::string floats(int from, int to) {
  std::string out;
  for (int i = from; i < to; ++i) {
    const float v = static_cast<float>(i);
    char raw[4];
    std::memcpy(raw, &v, 4);
    out.append(raw, 4);
  }
  return out;
}

TEST(LiveBinary, AFileIsFollowedAsItGrows) {
  const ScratchFolder folder;
  const std::string path = folder.write("g.bin", "HEAD" + floats(0, 10));
  LiveSettings settings = of_file(path);
  settings.idle_end_s = 1;
  settings.read.binary = "f32le:2ch:skip=4";
  settings.read.interval_s = 0.5;
  std::thread writer([&] {
    for (int k = 1; k <= 4; ++k) {
      std::this_thread::sleep_for(std::chrono::milliseconds(60));
      // Frames arrive in halves.
      const std::string more = floats(10 * k, 10 * k + 10);
      for (const std::string& part : {more.substr(0, 14), more.substr(14)})
        std::ofstream(path, std::ios::binary | std::ios::app) << part;
    }
  });
  LiveSource source(settings);
  EXPECT_EQ(source.recording().axis.rate_hz(), 2);
  const auto data = all_of(source);
  writer.join();
  ASSERT_EQ(data[0].size(), 25u);
  for (std::size_t n = 0; n < 25; ++n) {
    EXPECT_EQ(data[0][n], 2.0 * static_cast<double>(n));
    EXPECT_EQ(data[1][n], 2.0 * static_cast<double>(n) + 1);
  }
  EXPECT_TRUE(codes(source).empty());
}

TEST(LiveBinary, AStopIsHeardAndSilenceTold) {
  const ScratchFolder folder;
  LiveSettings settings = of_file(folder.write("g.bin", floats(0, 3)));
  settings.idle_end_s = 0;
  settings.late_s = 0.1;
  settings.read.binary = "f32le:2ch";
  settings.read.rate_hz = 1;
  int listed = 0;
  settings.late = [&](double silent_s) {
    EXPECT_GE(silent_s, 0.1);
    ++listed;
  };
  settings.stop = [&] { return listed > 0; };
  LiveSource source(settings);
  EXPECT_EQ(all_of(source)[0].size(), 1u);
  EXPECT_EQ(listed, 1);
  EXPECT_THAT(codes(source), ::testing::ElementsAre("stream-cut", "stream-late"));
}

TEST(LiveBinary, WhatCanNotBeFollowedIsSaidSo) {
  const ScratchFolder folder;
  const std::string path = folder.write("g.bin", floats(0, 30));
  for (const char* layout : {"f32le:2ch:sequential", "f33le"}) {
    LiveSettings settings = of_file(path);
    settings.read.rate_hz = 1;
    settings.read.binary = layout;
    EXPECT_THROW(LiveSource{settings}, Error) << layout;
  }
  LiveSettings nobody;
  nobody.input = "tcp:127.0.0.1:1";
  nobody.read.binary = "f32le";
  nobody.read.rate_hz = 1;
  EXPECT_THROW(LiveSource{nobody}, Error);
}

}  // namespace
}  // namespace vprism::live_test
