// Sources that can be entered anywhere: blocks as a pass from the beginning cuts them.
#include <gtest/gtest.h>
#include <sndfile.h>

#include "formats/reading.h"
#include "formats/scratch_folder.h"
#include "signal/join.h"

namespace vprism::seek_test {
namespace {

struct Cut {
  std::int64_t first = 0;
  std::vector<double> samples;
  bool operator==(const Cut& o) const { return first == o.first && samples == o.samples; }
};

Cut cut_of(const Block& block) {
  Cut cut{block.first(), {}};
  for (std::size_t c = 0; c < block.columns(); ++c)
    cut.samples.insert(cut.samples.end(), block.samples(c).begin(), block.samples(c).end());
  return cut;
}

void expect_entered_anywhere(SampleSource& source) {
  source.resolve();
  std::vector<Cut> all;
  Block block = source.make_block();
  while (source.read(block) > 0) all.push_back(cut_of(block));
  ASSERT_GT(all.size(), 2U);
  const std::int64_t samples = source.recording().samples;
  for (const std::int64_t sample :
       {std::int64_t{0}, samples / 3, samples / 2 + 1, samples - 1, samples / 5}) {
    std::size_t k = 0;
    while (k + 1 < all.size() && all[k + 1].first <= sample) ++k;
    EXPECT_EQ(source.seek(sample), all[k].first) << sample;
    for (; k < all.size(); ++k) {
      ASSERT_GT(source.read(block), 0U);
      ASSERT_TRUE(cut_of(block) == all[k]) << "from " << sample << " at " << all[k].first;
    }
    EXPECT_EQ(source.read(block), 0U);
  }
}

std::string counted(std::size_t from, std::size_t samples, std::size_t channels) {
  std::string bytes;
  for (std::size_t n = 0; n < samples * channels; ++n) {
    const auto x = static_cast<float>(from * channels + n);
    bytes.append(reinterpret_cast<const char*>(&x), sizeof x);
  }
  return bytes;
}

std::unique_ptr<SampleSource> flat(const ScratchFolder& folder, const std::string& name, std::size_t from,
                                   std::size_t samples) {
  folder.write(name, counted(from, samples, 2));
  ReadSettings settings;
  settings.binary = "f32le:2ch", settings.interval_s = 1e-3;
  return open_recording(folder.path(name), settings);
}

TEST(Seek, FlatNumbersAndThoseOfOneChannelOnly) {
  const ScratchFolder folder;
  expect_entered_anywhere(*flat(folder, "a.f32", 0, 300'001));
  ChannelSelection one(flat(folder, "a.f32", 0, 300'001), {1});
  expect_entered_anywhere(one);
}

TEST(Seek, FilesJoinedInTime) {
  const ScratchFolder folder;
  std::vector<std::unique_ptr<SampleSource>> files;
  files.push_back(flat(folder, "a.f32", 0, 200'001));
  files.push_back(flat(folder, "b.f32", 200'001, 99));
  files.push_back(flat(folder, "c.f32", 200'100, 150'000));
  expect_entered_anywhere(*join_time(std::move(files)));
}

TEST(Seek, SoundFiles) {
  const ScratchFolder folder;
  SF_INFO info{};
  info.samplerate = 8000, info.channels = 3, info.format = SF_FORMAT_WAV | SF_FORMAT_PCM_24;
  for (const int format : {SF_FORMAT_WAV | SF_FORMAT_PCM_24, SF_FORMAT_FLAC | SF_FORMAT_PCM_16}) {
    info.format = format;
    const std::string path = folder.path(format == (SF_FORMAT_WAV | SF_FORMAT_PCM_24) ? "a.wav" : "a.flac");
    SNDFILE* const file = sf_open(path.c_str(), SFM_WRITE, &info);
    ASSERT_NE(file, nullptr);
    std::vector<int> x(3 * 250'000);
    for (std::size_t n = 0; n < x.size(); ++n) x[n] = static_cast<int>(n * 65536 % 2000000011);
    sf_writef_int(file, x.data(), 250'000);
    sf_close(file);
    expect_entered_anywhere(*open_recording(path, {}));
  }
}

TEST(Seek, WhatMustBeReadFromItsBeginningSaysSo) {
  const ScratchFolder folder;
  SF_INFO info{};
  info.samplerate = 8000, info.channels = 1, info.format = SF_FORMAT_WAV | SF_FORMAT_IMA_ADPCM;
  SNDFILE* const file = sf_open(folder.path("a.wav").c_str(), SFM_WRITE, &info);
  ASSERT_NE(file, nullptr);
  const std::vector<int> x(10'000, 1 << 20);
  sf_writef_int(file, x.data(), 10'000);
  sf_close(file);
  EXPECT_EQ(open_recording(folder.path("a.wav"), {})->seek(5000), -1);
  folder.write("a.csv", "t,x\n0,1\n1,2\n2,3\n");
  EXPECT_EQ(open_recording(folder.path("a.csv"), {})->seek(1), -1);
}

}  // namespace
}  // namespace vprism::seek_test
