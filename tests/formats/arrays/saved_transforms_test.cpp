// Transforms kept in HDF5: written group by group, read as they were, damaged files.
#include "formats/arrays/saved_transforms.h"

#include <gmock/gmock.h>

#include <cmath>
#include <cstring>

#include "base/error.h"
#include "formats/array_file.h"
#include "formats/points.h"
#include "formats/scratch_folder.h"

namespace vprism::saved_transforms_test {
namespace {

using ::testing::HasSubstr;

PointRecording three_points(std::int64_t frames) {
  PointRecording r;
  r.file = "scan.h5";
  r.points = {{7, 0, 0, 0}, {8, 1, 0, 0}, {9, 1, 0.5, -2}};
  r.variables = {channel_from_title("velocity (mm/s)"), channel_from_title("pressure (Pa)")};
  r.frames = frames;
  r.axis.interval = 0.01;
  return r;
}

/// Value i of series s: distinct everywhere.
std::vector<double> numbers(std::size_t count, double from) {
  std::vector<double> out(count);
  for (std::size_t i = 0; i < count; ++i) out[i] = from + static_cast<double>(i);
  return out;
}

std::string written(const ScratchFolder& folder, std::int64_t frames) {
  const std::string path = folder.path("t.h5");
  const std::size_t each = 2 * 2 * (static_cast<std::size_t>(frames) / 2 + 1);
  SavedTransformsWriter writer(path, three_points(frames), "hann", "xxh3:0123456789abcdef");
  // The last group first: groups may come in any order.
  writer.add(2, 1, numbers(each, 5000));
  writer.add(0, 2, numbers(2 * each, 0));
  writer.finish({{1, 2, std::nan("")}, {4, 5, 6}}, {numbers(static_cast<std::size_t>(frames), 0),
                                                    numbers(static_cast<std::size_t>(frames), 100)});
  return path;
}

TEST(SavedTransforms, ComeBackAsTheyWereWritten) {
  for (const std::int64_t frames : {20, 21}) {
    const ScratchFolder folder;
    const auto source = open_points(written(folder, frames), {});
    const PointRecording& r = source->recording();
    EXPECT_EQ(r.format, "HDF5, saved transforms");
    EXPECT_EQ(r.frames, frames);
    EXPECT_DOUBLE_EQ(r.axis.rate_hz(), 100);
    ASSERT_EQ(r.points.size(), 3u);
    EXPECT_EQ(r.points[2].label, 9);
    EXPECT_EQ(r.points[2].z, -2);
    ASSERT_EQ(r.variables.size(), 2u);
    EXPECT_EQ(r.variables[0].name, "velocity");
    EXPECT_EQ(r.variables[0].unit.text(), "mm/s");
    ASSERT_NE(source->saved(), nullptr);
    EXPECT_EQ(source->saved()->window, "hann");
    EXPECT_TRUE(std::isnan(source->saved()->rms[0][2]));
    EXPECT_EQ(source->saved()->rms[1][1], 5);
    EXPECT_EQ(source->saved()->mean_square_in_time[1][3], 103);
    const std::size_t each = 2 * source->series_length();
    EXPECT_EQ(source->series_length(), 2 * (static_cast<std::size_t>(frames) / 2 + 1));
    std::vector<double> out(2 * each);
    source->read(std::vector<PointRun>{{1, 2}}, out, source->series_length());
    EXPECT_EQ(out[0], static_cast<double>(each));
    EXPECT_EQ(out[each], 5000);
    EXPECT_EQ(out.back(), 5000 + static_cast<double>(each) - 1);
    EXPECT_THAT(r.notes[0].second, HasSubstr("scan.h5, xxh3:0123456789abcdef"));
  }
}

TEST(SavedTransforms, OtherFilesAreNotTakenForThem) {
  const ScratchFolder folder;
  const std::string path = folder.path("a.h5");
  write_arrays_hdf5(path, {{"/transforms", {16, 5}, numbers(80, 0), false, {}, {{"rate_hz", 10}}}});
  const auto source = open_points(path, {});
  EXPECT_EQ(source->saved(), nullptr);
  EXPECT_EQ(source->series_length(), static_cast<std::size_t>(source->recording().frames));
}

TEST(SavedTransforms, DamagedOnesAreInputErrors) {
  const ScratchFolder folder;
  const std::string whole = ScratchFolder::read(written(folder, 20));
  const auto status_of = [&](const std::string& bytes) {
    const std::string path = folder.write("d.h5", bytes);
    try {
      const auto source = open_points(path, {});
      std::vector<double> out(source->series_length() * source->recording().variables.size());
      source->read(std::vector<PointRun>{{0, 1}}, out, source->series_length());
      return Status::done;
    } catch (const Error& error) {
      return error.status();
    }
  };
  EXPECT_EQ(status_of(whole), Status::done);
  for (const std::size_t keep : {std::size_t{100}, whole.size() / 3, whole.size() / 2, whole.size() - 200})
    EXPECT_EQ(status_of(whole.substr(0, keep)), Status::input) << keep;
  // What "about" says does not fit the numbers.
  const std::pair<const char*, const char*> changes[] = {{"\"frames\":20", "\"frames\":90"},
                                                         {"\"rate_hz\":100", "\"rate_hz\":-10"},
                                                         {"\"variables\":[", "\"variabels\":["},
                                                         {"{\"made_from\"", "[\"made_from\""}};
  for (const auto& [from, to] : changes) {
    std::string bytes = whole;
    const std::size_t at = bytes.find(from);
    ASSERT_NE(at, std::string::npos) << from;
    bytes.replace(at, std::string(from).size(), to);
    EXPECT_EQ(status_of(bytes), Status::input) << to;
  }
}

TEST(ArrayPlace, TellsWhereAnArrayLies) {
  const ScratchFolder folder;
  const std::string path = folder.path("a.h5");
  write_arrays_hdf5(path, {{"/a", {2, 3}, numbers(6, 40), false, {{"about", "six"}}, {}},
                           {"/single", {2}, {1, 2}, true, {}, {}},
                           {"/room", {4}, {}, false, {}, {}}});
  const auto place = array_place_hdf5(path, "/a");
  ASSERT_TRUE(place.has_value());
  EXPECT_EQ(place->shape, (std::vector<std::size_t>{2, 3}));
  EXPECT_EQ(place->about, "six");
  const std::string bytes = ScratchFolder::read(path);
  double value = 0;
  std::memcpy(&value, bytes.data() + place->offset + 8 * 5, 8);
  EXPECT_EQ(value, 45);
  EXPECT_FALSE(array_place_hdf5(path, "/nothing").has_value());
  EXPECT_FALSE(array_place_hdf5(path, "/single").has_value());  // Not doubles.
  EXPECT_GT(array_place_hdf5(path, "/room")->offset, 0u);
  EXPECT_THROW(array_place_hdf5(folder.write("no.h5", "text"), "/a"), Error);
}

}  // namespace
}  // namespace vprism::saved_transforms_test
