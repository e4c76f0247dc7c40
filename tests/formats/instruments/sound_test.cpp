// Sound files and flat binary: round trips through libsndfile, damaged files.
#include <gmock/gmock.h>
#include <sndfile.h>

#include <cmath>
#include <cstring>

#include "base/error.h"
#include "formats/format.h"
#include "formats/reading.h"
#include "formats/scratch_folder.h"

namespace vprism::sound_test {
namespace {

using ::testing::HasSubstr;

std::string write_sound(const ScratchFolder& folder, const char* name, int format,
                        const std::vector<double>& frames, int channels, const char* ixml = nullptr) {
  SF_INFO info{};
  info.samplerate = 8000;
  info.channels = channels;
  info.format = format;
  const std::string path = folder.path(name);
  SNDFILE* file = sf_open(path.c_str(), SFM_WRITE, &info);
  EXPECT_NE(file, nullptr);
  std::string text;
  if (ixml != nullptr) {
    text = ixml;
    text.resize((text.size() + 3) / 4 * 4, ' ');
    SF_CHUNK_INFO chunk{};
    std::memcpy(chunk.id, "iXML", 5);
    chunk.id_size = 4;
    chunk.datalen = static_cast<unsigned>(text.size());
    chunk.data = text.data();
    sf_set_chunk(file, &chunk);
  }
  // As integers where the file holds such: libsndfile scales doubles by 32767 when it writes and by 32768
  // when it reads.
  std::vector<int> whole;
  for (const double x : frames)
    whole.push_back(
        std::isfinite(x) ? static_cast<int>(std::clamp(x * 2147483648.0, -2147483648.0, 2147483647.0)) : 0);
  const int kind = format & SF_FORMAT_SUBMASK;
  if (kind == SF_FORMAT_FLOAT || kind == SF_FORMAT_DOUBLE)
    sf_writef_double(file, frames.data(), static_cast<sf_count_t>(frames.size()) / channels);
  else
    sf_writef_int(file, whole.data(), static_cast<sf_count_t>(frames.size()) / channels);
  sf_close(file);
  return path;
}

std::vector<std::vector<double>> read_all(SampleSource& source) {
  std::vector<std::vector<double>> out(source.recording().channels.size());
  Block block(out.size(), 100);
  while (source.read(block) > 0)
    for (std::size_t c = 0; c < out.size(); ++c)
      out[c].insert(out[c].end(), block.samples(c).begin(), block.samples(c).end());
  return out;
}

std::string complaint_of(const std::string& path, const ReadSettings& settings = {}) {
  try {
    const auto source = open_recording(path, settings);
    read_all(*source);
  } catch (const Error& error) {
    EXPECT_EQ(error.status(), Status::input) << error.what();
    return error.what();
  }
  return "no error";
}

TEST(Sound, EveryContainerIsRecognisedFromItsContentAndReadExactly) {
  std::vector<double> frames;
  for (int n = 0; n < 1000; ++n) frames.push_back(std::round(20000 * std::sin(0.01 * n)) / 32768);
  const ScratchFolder folder;
  int number = 0;
  for (const int format : {SF_FORMAT_WAV | SF_FORMAT_PCM_16, SF_FORMAT_RF64 | SF_FORMAT_PCM_24,
                           SF_FORMAT_W64 | SF_FORMAT_FLOAT, SF_FORMAT_FLAC | SF_FORMAT_PCM_16,
                           SF_FORMAT_AIFF | SF_FORMAT_PCM_32, SF_FORMAT_CAF | SF_FORMAT_DOUBLE}) {
    const std::string path =
        write_sound(folder, ("x" + std::to_string(number++) + ".dat").c_str(), format, frames, 2);
    const auto source = open_recording(path, {});
    EXPECT_EQ(source->recording().samples, 500);
    EXPECT_DOUBLE_EQ(source->recording().axis.rate_hz(), 8000);
    const auto channels = read_all(*source);
    ASSERT_EQ(channels.size(), 2u);
    for (std::size_t n = 0; n < 500; ++n) {
      ASSERT_DOUBLE_EQ(channels[0][n], frames[2 * n]) << source->recording().format;
      ASSERT_DOUBLE_EQ(channels[1][n], frames[2 * n + 1]);
    }
    source->rewind();
    EXPECT_EQ(read_all(*source), channels);
  }
}

TEST(Sound, FloatFilesKeepVoltsAndTrackNamesWithUnits) {
  const ScratchFolder folder;
  const std::string path =
      write_sound(folder, "a.wav", SF_FORMAT_WAV | SF_FORMAT_FLOAT, {7.5, -3, 2.5, 1}, 2,
                  "<BWFXML><TRACK_LIST><TRACK><INTERLEAVE_INDEX>2</INTERLEAVE_INDEX><NAME>pier &lt;b&gt; "
                  "[V]</NAME></TRACK></TRACK_LIST></BWFXML>");
  const auto source = open_recording(path, {});
  EXPECT_EQ(source->recording().channels[0].name, "channel 1");
  EXPECT_EQ(source->recording().channels[1].name, "pier <b>");
  EXPECT_EQ(source->recording().channels[1].unit.text(), "V");
  EXPECT_EQ(read_all(*source)[0][0], 7.5);
}

TEST(Sound, CutFilesAreSaidToBeCutWhereverTheyEnd) {
  const ScratchFolder folder;
  const std::string whole = ScratchFolder::read(
      write_sound(folder, "a.wav", SF_FORMAT_WAV | SF_FORMAT_PCM_16, std::vector<double>(2000, 0.25), 1));
  for (const std::size_t length :
       {std::size_t{4}, std::size_t{11}, std::size_t{20}, std::size_t{30}, std::size_t{43}, std::size_t{44},
        std::size_t{45}, whole.size() / 2, whole.size() - 1}) {
    const std::string said = complaint_of(folder.write("cut.wav", whole.substr(0, length)));
    EXPECT_NE(said, "no error") << length;
    EXPECT_EQ(said.find('\n'), std::string::npos);
  }
  EXPECT_THAT(complaint_of(folder.write("cut.wav", whole.substr(0, 1044))),
              HasSubstr("promises 4000 bytes of samples, 1000 are there"));
}

TEST(FlatBinary, ReadsTypesOrdersAndLayouts) {
  const ScratchFolder folder;
  const auto load = [&](const std::string& bytes, const char* layout) {
    ReadSettings settings;
    settings.binary = layout;
    settings.rate_hz = 100;
    const auto source = open_recording(folder.write("x.bin", bytes), settings);
    return read_all(*source);
  };
  using Rows = std::vector<std::vector<double>>;
  EXPECT_EQ(load(std::string("\x01\x00\xff\xff\x00\x80", 6), "i16le"), (Rows{{1, -1, -32768}}));
  EXPECT_EQ(load(std::string("\x00\x01\xff\xff", 4), "u16be:2ch"), (Rows{{1}, {65535}}));
  EXPECT_EQ(load(std::string("\x01\x02\x03\x04", 4), "u8:2ch:sequential"), (Rows{{1, 2}, {3, 4}}));
  EXPECT_EQ(load(std::string("headr\x05\xfb", 7), "i8:skip=5"), (Rows{{5, -5}}));
  const float f = 1.5f;
  std::string bytes(4, '\0');
  std::memcpy(bytes.data(), &f, 4);
  EXPECT_EQ(load(bytes, "f32le"), (Rows{{1.5}}));
  std::reverse(bytes.begin(), bytes.end());
  EXPECT_EQ(load(bytes, "f32be"), (Rows{{1.5}}));
}

TEST(FlatBinary, PartialFramesAreSaidAndNonsenseIsRefused) {
  const ScratchFolder folder;
  ReadSettings settings;
  settings.binary = "i16le:2ch";
  settings.rate_hz = 1;
  const auto source = open_recording(folder.write("x.bin", "123456"), settings);
  EXPECT_EQ(source->recording().samples, 1);
  EXPECT_EQ(source->recording().cautions.at(0).code, "partial-frame");
  EXPECT_THAT(complaint_of(folder.write("x.bin", "1"), settings), HasSubstr("hold not one sample"));
  for (const char* layout : {"f33le", "f32", "f32le:0ch", "f32le:5000ch", "f32le:skip=-1", "f32le:twice", ""})
    EXPECT_THROW(check_binary_layout(layout), Error) << layout;
}

TEST(Registry, UnknownContentIsRefusedWithAHint) {
  const ScratchFolder folder;
  EXPECT_THAT(complaint_of(folder.write("x.csv", std::string("\x00\x01\x02\x03", 4))), HasSubstr("--binary"));
}

TEST(Sound, AFileByAnotherWriterHasItsValues) {
  // Written by the wave module of Python: 30000 sin(t) and 30000 cos(t), t = n / 8, 16 bits.
  const auto source = open_recording(VPRISM_SOURCE "/fuzz/corpus/sound/two.wav", {});
  const auto channels = read_all(*source);
  ASSERT_EQ(channels.size(), 2u);
  ASSERT_EQ(channels[0].size(), 24u);
  for (std::size_t n = 0; n < 24; ++n) {
    EXPECT_EQ(channels[0][n], std::trunc(30000 * std::sin(static_cast<double>(n) / 8)) / 32768);
    EXPECT_EQ(channels[1][n], std::trunc(30000 * std::cos(static_cast<double>(n) / 8)) / 32768);
  }
}

TEST(Sound, FloatsThatAreNoNumbersAreGaps) {
  const ScratchFolder folder;
  const std::string path =
      write_sound(folder, "x.wav", SF_FORMAT_WAV | SF_FORMAT_FLOAT, {0.5, std::nan(""), HUGE_VAL, 0.25}, 1);
  const auto x = read_all(*open_recording(path, {}))[0];
  EXPECT_EQ(x[0], 0.5);
  EXPECT_TRUE(std::isnan(x[1]) && std::isnan(x[2]));
  EXPECT_EQ(x[3], 0.25);
}

TEST(UnclosedSound, WhatStandsBehindAnEmptyDataChunkIsRead) {
  const ScratchFolder folder;
  const auto four = [](std::uint32_t v) {
    std::string out;
    for (int k = 0; k < 4; ++k) out += static_cast<char>(v >> (8 * k));
    return out;
  };
  std::string samples;
  for (int n = 0; n < 500; ++n) (samples += static_cast<char>(n)) += static_cast<char>(n / 256);
  const std::string head = "WAVEfmt " + four(16) + std::string("\x01\x00\x01\x00", 4) + four(8000) +
                           four(16000) + std::string("\x02\x00\x10\x00", 4) + "data";
  const WholeRecording r = read_file(folder.write("open.wav", "RIFF" + four(0) + head + four(0) + samples));
  ASSERT_EQ(r.columns[0].size(), 500u);
  EXPECT_NEAR(r.columns[0][499], 499 / 32768.0, 1e-12);
  EXPECT_TRUE(r.warns_of("length-unwritten"));
  EXPECT_THROW(read_file(folder.write("empty.wav", "RIFF" + four(36) + head + four(0))), Error);
}

}  // namespace
}  // namespace vprism::sound_test
