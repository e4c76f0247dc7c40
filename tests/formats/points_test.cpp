// Recordings of many points as files: HDF5 written by another library, tables in a folder, universal files.
#include "formats/points.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>

#include "base/error.h"
#include "formats/array_file.h"
#include "formats/read_points.h"
#include "formats/scratch_folder.h"

namespace vprism::points_test {
namespace {

using ::testing::HasSubstr;

std::string error_of(const std::string& path, const PointReadSettings& settings = {}) {
  try {
    open_points(path, settings);
  } catch (const Error& error) {
    return error.what();
  }
  return "none";
}

std::vector<std::string> codes_of(const PointRecording& r) {
  std::vector<std::string> out;
  for (const Caution& c : r.cautions) out.push_back(c.code);
  return out;
}

TEST(PointsHdf5, WrittenByAnotherLibraryIsReadWithPlacesUnitsAndRate) {
  const ScratchFolder folder;
  ASSERT_TRUE(run_python(folder, R"(
import h5py, numpy as np
f = h5py.File('scan.h5', 'w')
v = np.arange(50 * 7 * 3, dtype='f4').reshape(50, 7, 3)
d = f.create_dataset('run/velocity', data=v, chunks=(10, 7, 3), compression='gzip')
d.attrs['unit'] = 'mm/s'
g = np.array([[10.0 * i, 5.0, 0.0] for i in range(7)])
f.create_dataset('run/xyz', data=g).attrs['unit'] = 'mm'
f.create_dataset('run/time', data=np.arange(50) / 400.0 + 2)
f.create_dataset('run/extra', data=np.zeros((50, 9)))
)"));
  const auto source = open_points(folder.path("scan.h5"), {});
  const PointRecording& r = source->recording();
  ASSERT_EQ(r.points.size(), 7u);
  EXPECT_EQ(r.frames, 50);
  EXPECT_NEAR(r.points[3].x, 0.03, 1e-12);
  EXPECT_NEAR(r.points[3].y, 0.005, 1e-12);
  EXPECT_NEAR(r.axis.rate_hz(), 400, 1e-6);
  EXPECT_DOUBLE_EQ(r.axis.start, 2);
  ASSERT_EQ(r.variables.size(), 3u);
  EXPECT_EQ(r.variables[1].name, "velocity y");
  EXPECT_EQ(r.variables[1].unit.text(), "mm/s");
  EXPECT_EQ(r.variables[1].quantity, "velocity");
  const std::vector<double> values = all_of(*source);
  for (std::size_t p = 0; p < 7; ++p)
    for (std::size_t v = 0; v < 3; ++v)
      for (std::size_t f = 0; f < 50; ++f)
        ASSERT_EQ(values[(p * 3 + v) * 50 + f], static_cast<double>((f * 7 + p) * 3 + v));
}

TEST(PointsHdf5, WhatIsMissingIsToldOrAsked) {
  const ScratchFolder folder;
  const std::string path = folder.path("plain.h5");
  write_arrays_hdf5(path, {{"/levels", {20, 6}, std::vector<double>(120, 1.0), false, {{"unit", "Pa"}}, {}}});
  const auto source = open_points(path, {});
  EXPECT_THAT(codes_of(source->recording()), ::testing::Contains("places-unknown"));
  EXPECT_EQ(source->recording().axis.interval, 0);
  PointReadSettings rated;
  rated.read.rate_hz = 50;
  EXPECT_DOUBLE_EQ(open_points(path, rated)->recording().axis.rate_hz(), 50);
  PointReadSettings named;
  named.coordinates = "nowhere";
  EXPECT_THAT(error_of(path, named), HasSubstr("--coordinates nowhere"));
  named = {};
  named.read.part = "level";
  EXPECT_THAT(error_of(path, named), HasSubstr("known: /levels"));
  write_arrays_hdf5(folder.path("short.h5"), {{"/x", {3, 1}, {1, 2, 3}, false, {}, {}}});
  EXPECT_THAT(error_of(folder.path("short.h5")), HasSubstr("no data set [frame, point, component]"));
}

TEST(PointsHdf5, DamagedFilesAreToldOrReadButNeverMakeMore) {
  const ScratchFolder folder;
  for (const char* name : {"points.h5", "points-packed.h5"}) {
    const std::string good = ScratchFolder::read(std::string(VPRISM_SOURCE "/fuzz/corpus/hdf5/") + name);
    ASSERT_GT(good.size(), 5000u);
    const auto values = [&](const std::string& bytes) -> std::size_t {
      try {
        const auto source = open_points(folder.write("x.h5", bytes), {});
        const PointRecording& r = source->recording();
        const std::size_t count = r.points.size() * r.variables.size() * static_cast<std::size_t>(r.frames);
        if (count > 100000) return count;
        all_of(*source);
        return count;
      } catch (const Error& error) {
        EXPECT_THAT(error.what(), HasSubstr("x.h5"));
        return 0;
      }
    };
    EXPECT_EQ(values(good), 48u);
    for (std::size_t at = 200; at < good.size(); at += 611) EXPECT_LE(values(good.substr(0, at)), 48u) << at;
    for (std::size_t at = 0; at < good.size(); at += 131) {
      std::string bad = good;
      bad[at] = static_cast<char>(bad[at] ^ 0x81);
      EXPECT_LE(values(bad), 8 * good.size()) << at;
    }
  }
}

/// A table with points (i, 0) for the columns given, values frame * 10 + i.
std::string table(int frame, const std::vector<int>& points) {
  std::string out = "x (mm),y (mm),p (Pa)\n";
  for (const int i : points) out += std::to_string(i) + ",0," + std::to_string(frame * 10 + i) + "\n";
  return out;
}

TEST(PointTables, AFolderOfFramesIsOneRecording) {
  const ScratchFolder folder;
  std::filesystem::create_directory(folder.path("run"));
  for (int f = 0; f < 8; ++f)
    folder.write("run/frame" + std::to_string(f + 9) + ".csv",
                 table(f, f % 2 == 0 ? std::vector<int>{0, 1, 2, 3} : std::vector<int>{3, 1, 0, 2}));
  PointReadSettings settings;
  settings.read.rate_hz = 100;
  const auto source = open_points(folder.path("run"), settings);
  const PointRecording& r = source->recording();
  EXPECT_EQ(r.frames, 8);
  ASSERT_EQ(r.points.size(), 4u);
  EXPECT_NEAR(r.points[2].x, 0.002, 1e-12);
  EXPECT_TRUE(r.cautions.empty());
  const std::vector<double> values = all_of(*source);
  for (std::size_t p = 0; p < 4; ++p)
    for (std::size_t f = 0; f < 8; ++f) EXPECT_EQ(values[p * 8 + f], static_cast<double>(f * 10 + p));
}

TEST(PointTables, MissingFramesAndPointsThatComeAndGoAreTold) {
  const ScratchFolder folder;
  std::filesystem::create_directory(folder.path("run"));
  for (int f = 0; f < 9; ++f) {
    if (f == 4) continue;
    folder.write("run/frame_00" + std::to_string(f) + ".csv",
                 table(f, f == 2  ? std::vector<int>{0, 1, 3}
                          : f < 6 ? std::vector<int>{0, 1, 2, 3}
                                  : std::vector<int>{0, 1, 2, 3, 4}));
  }
  PointReadSettings settings;
  settings.read.rate_hz = 100;
  const auto source = open_points(folder.path("run"), settings);
  const PointRecording& r = source->recording();
  EXPECT_EQ(r.frames, 9);
  EXPECT_EQ(r.points.size(), 5u);
  EXPECT_THAT(codes_of(r), ::testing::UnorderedElementsAre("frames-missing", "points-come-and-go"));
  const std::vector<double> values = all_of(*source);
  EXPECT_TRUE(std::isnan(values[0 * 9 + 4]));
  EXPECT_TRUE(std::isnan(values[2 * 9 + 2]));
  EXPECT_TRUE(std::isnan(values[4 * 9 + 0]));
  EXPECT_EQ(values[4 * 9 + 7], 74);
}

TEST(PointTables, TheNumberThatCountsUpIsTheFrame) {
  const ScratchFolder folder;
  std::filesystem::create_directory(folder.path("run"));
  for (int f = 0; f < 12; ++f)
    for (int camera = 1; camera <= 2; ++camera)
      folder.write("run/shot_" + std::to_string(f + 90) + "_cam" + std::to_string(camera) + ".csv",
                   table(100 * camera + f, {0, 1, 2}));
  folder.write("run/notes1.txt", "nothing");
  PointReadSettings settings;
  settings.read.rate_hz = 50;
  const auto first = open_points(folder.path("run"), settings);
  EXPECT_EQ(first->recording().frames, 12);
  EXPECT_THAT(codes_of(first->recording()),
              ::testing::UnorderedElementsAre("files-left-out", "tables", "frame-number"));
  EXPECT_EQ(all_of(*first)[3], 1030);
  settings.read.part = "cam 2";
  EXPECT_EQ(all_of(*open_points(folder.path("run"), settings))[3], 2030);
  settings.read.part = "cam 3";
  EXPECT_THROW(open_points(folder.path("run"), settings), Error);
}

TEST(PointTables, TimesInNamesAreFramesOfTheirStep) {
  const ScratchFolder folder;
  std::filesystem::create_directory(folder.path("run"));
  for (int f = 0; f < 8; ++f)
    if (f != 3)
      folder.write("run/t" + std::to_string(0.9 + 0.05 * f).substr(0, 5) + ".csv", table(f, {0, 1, 2}));
  PointReadSettings settings;
  settings.read.rate_hz = 20;
  const auto source = open_points(folder.path("run"), settings);
  EXPECT_EQ(source->recording().frames, 8);
  EXPECT_THAT(codes_of(source->recording()), ::testing::Contains("frames-missing"));
  EXPECT_EQ(all_of(*source)[7], 70);
}

TEST(PointTables, TimesGiveTheRateAndLengthsGoBeforePixels) {
  const ScratchFolder folder;
  std::filesystem::create_directory(folder.path("run"));
  std::filesystem::create_directory(folder.path("above"));
  for (int f = 0; f < 10; ++f) {
    std::string text = "x (px),y (px),x (mm),y (mm),time (ms),w (um)\n",
                other = "time = " + std::to_string(0.5 * f) + " s\nX,Y,p\n";
    for (int p = 0; p < 4; ++p) {
      text += std::to_string(100 * p) + ",5," + std::to_string(p) + ",2," + std::to_string(4 * f) + "," +
              std::to_string(f + p) + "\n";
      other += std::to_string(p) + ",0," + std::to_string(f * p) + "\n";
    }
    folder.write("run/f" + std::to_string(f) + ".csv", text);
    folder.write("above/f" + std::to_string(f) + ".csv", other);
  }
  const auto source = open_points(folder.path("run"), {});
  const PointRecording& r = source->recording();
  EXPECT_NEAR(r.axis.rate_hz(), 250, 1e-9);
  EXPECT_NEAR(r.points[3].x, 0.003, 1e-12);
  ASSERT_EQ(r.variables.size(), 1u);
  EXPECT_EQ(r.variables[0].name, "w");
  EXPECT_THAT(codes_of(r), ::testing::ElementsAre("coordinates-chosen"));
  EXPECT_NEAR(open_points(folder.path("above"), {})->recording().axis.interval, 0.5, 1e-12);
  PointReadSettings asked;
  asked.coordinates = "x,y";
  EXPECT_NEAR(open_points(folder.path("run"), asked)->recording().points[3].x, 300, 1e-9);
  asked.coordinates = "u,v";
  EXPECT_THROW(open_points(folder.path("run"), asked), Error);
}

TEST(PointTables, WhatIsNoRecordingOfPointsIsTold) {
  const ScratchFolder folder;
  std::filesystem::create_directory(folder.path("run"));
  EXPECT_THAT(error_of(folder.path("run")), HasSubstr("0 files with a number in their name"));
  for (int f = 0; f < 5; ++f) folder.write("run/f" + std::to_string(f) + ".csv", "a,b\n1,2\n3,4\n5,6\n");
  EXPECT_THAT(error_of(folder.path("run")), HasSubstr("no columns called x and y"));
  for (int f = 0; f < 5; ++f)
    folder.write("run/f" + std::to_string(f) + ".csv",
                 f == 3 ? "x,y,p,q\n1,2,3,4\n3,4,5,6\n" : table(f, {0, 1}));
  EXPECT_THAT(error_of(folder.path("run")), HasSubstr("f3.csv: 2 variables, the first frame has 1"));
}

TEST(PointChannels, NodesOfAUniversalFileArePlaces) {
  const auto source = open_points(VPRISM_SOURCE "/demo/data/tap-test.uff", {});
  const PointRecording& r = source->recording();
  ASSERT_EQ(r.points.size(), 4u);
  EXPECT_NEAR(r.points[2].y, 0.44, 1e-6);
  ASSERT_EQ(r.variables.size(), 2u);
  EXPECT_EQ(r.variables[0].quantity, "force");
  EXPECT_EQ(r.variables[1].quantity, "acceleration");
  std::vector<double> one(2 * static_cast<std::size_t>(r.frames));
  source->read(std::vector<PointRun>{{0, 1}}, one, static_cast<std::size_t>(r.frames));
  EXPECT_FALSE(std::isnan(one[0]));  // The force at node 1 ...
  EXPECT_TRUE(
      std::isnan(one[static_cast<std::size_t>(r.frames)]));  // ... where no acceleration was measured.
  EXPECT_THAT(error_of(VPRISM_SOURCE "/demo/data/drive-scope.csv"), HasSubstr("name no points with places"));
}

}  // namespace
}  // namespace vprism::points_test
