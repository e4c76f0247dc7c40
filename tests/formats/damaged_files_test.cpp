// Every format, cut at every byte of its head and with every byte of its head flipped: an error, a caution,
// or the same samples, never a crash and never more samples than the file has room for.
#include <gmock/gmock.h>

#include "formats/reading.h"

namespace vprism::damaged_files_test {
namespace {

/// The seeds of the fuzz targets are one small file of every kind.
struct Seed {
  const char* file;
  const char* name;
};

void PrintTo(const Seed& seed, std::ostream* out) { *out << seed.file; }

class Damaged : public ::testing::TestWithParam<Seed> {
 protected:
  std::string good_ = ScratchFolder::read(std::string(VPRISM_SOURCE "/fuzz/corpus/") + GetParam().file);
  ScratchFolder folder_;

  /// Samples read; -1 for an error.
  std::int64_t samples(const std::string& bytes, bool& cautioned) {
    ReadSettings settings;
    settings.missing = ReadSettings::Missing::gap;
    try {
      const WholeRecording r = read_file(folder_.write(GetParam().name, bytes), settings);
      cautioned = !r.recording.cautions.empty();
      return r.recording.samples;
    } catch (const Error& error) {
      EXPECT_NE(std::string(error.what()).find(GetParam().name), std::string::npos) << error.what();
      return -1;
    }
  }
};

TEST_P(Damaged, CutAnywhereItSaysSoOrReadsLess) {
  bool cautioned = false;
  const std::int64_t whole = samples(good_, cautioned);
  ASSERT_GT(whole, 0);
  const bool text = std::string(GetParam().name) == "x.txt";
  const std::size_t step = std::string(GetParam().name) == "x.h5" ? 997 : good_.size() > 2000 ? 7 : 1;
  // The first two lines of a universal file alone, "-1" and "58", are a table of numbers like any other.
  // So is the beginning of an EDF header.
  for (std::size_t at = std::string(GetParam().name) == "x.edf" ? 176 : 18; at < good_.size(); at += step) {
    const std::int64_t left = samples(good_.substr(0, at), cautioned);
    EXPECT_LE(left, whole) << at;
    // A text table that ends earlier is a shorter table; of the others a short one must be told.
    // Records of miniSEED stand for themselves: cut between two, nothing tells that more should follow.
    const bool between_records = std::string(GetParam().name) == "x.mseed" && at % 512 == 0;
    if (!text && !between_records && left >= 0 && left < whole) {
      EXPECT_TRUE(cautioned) << at;
    }
  }
}

TEST_P(Damaged, FlippedBytesNeverMakeMoreOfIt) {
  const std::size_t head = std::min<std::size_t>(good_.size(), 400);
  const std::size_t step = std::string(GetParam().name) == "x.h5" ? 37 : 1;
  for (std::size_t at = 0; at < head; at += step)
    for (const int flip : {0x01, 0x80, 0xFF}) {
      std::string bad = good_;
      bad[at] = static_cast<char>(bad[at] ^ flip);
      bool cautioned = false;
      const std::int64_t count = samples(bad, cautioned);
      // A time that was flipped makes a long gap, and that is told.
      EXPECT_TRUE(count <= static_cast<std::int64_t>(8 * good_.size()) || cautioned)
          << at << " " << flip << " " << count;
    }
}

INSTANTIATE_TEST_SUITE_P(
    Formats, Damaged,
    ::testing::Values(Seed{"delimited/scope.csv", "x.txt"}, Seed{"delimited/clock.txt", "x.txt"},
                      Seed{"delimited/wide.txt", "x.txt"}, Seed{"sound/two.wav", "x.wav"},
                      Seed{"npy/two.npy", "x.npy"}, Seed{"npy/fields.npy", "x.npy"},
                      Seed{"npz/stored.npz", "x.npz"}, Seed{"npz/packed.npz", "x.npz"},
                      Seed{"rawfile/single.raw", "x.raw"}, Seed{"rawfile/text.raw", "x.raw"},
                      Seed{"rawfile/wide.raw", "x.raw"}, Seed{"universal/text.uff", "x.uff"},
                      Seed{"universal/binary.uff", "x.uff"}, Seed{"comtrade/text.cff", "x.cff"},
                      Seed{"comtrade/binary.cff", "x.cff"}, Seed{"hdf5/tables.h5", "x.h5"},
                      Seed{"miniseed/two.mseed", "x.mseed"}, Seed{"edf/two.edf", "x.edf"}));

}  // namespace
}  // namespace vprism::damaged_files_test
